package edit_test

import (
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/edit"
	"diadrom/internal/tables/productlist"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func empty(t *testing.T, settings string) *store.File {
	f, faults := store.Read([]byte(`{"format":"diadrom-store/1","store":{"currency":"EUR"` + settings + `},
	"methods":[{"id":"post","name":"Post"}]}`))
	require.Empty(t, faults)
	return f
}

// row is a box as its table shows it.
func row(f *store.File, id string) (cells []string) {
	for _, field := range edit.BoxFields {
		cells = append(cells, edit.BoxText(f, f.Box(id), field))
	}
	return cells
}

func TestBoxesAreTyped(t *testing.T) {
	for _, tt := range []struct {
		size string
		want []string
		slip string
	}{
		{"30 × 20 × 15 cm", []string{"30", "20", "15"}, ""},
		{"30x20x15", []string{"30", "20", "15"}, ""},
		{"300 X 200 X 150 mm", []string{"30", "20", "15"}, ""},
		{"12 x 8 x 6in", []string{"30.48", "20.32", "15.24"}, ""},
		{"30,5 20 15", []string{"30.5", "20", "15"}, ""},
		{"0.3m × 20 cm × 150mm", nil, "write the inner size"},
		{"30 × 20", nil, "write the inner size of the box as length × width × height, such as 30 × 20 × 15 cm"},
		{"30 × 0 × 15", nil, "a side of a box is above 0"},
		{"30 × big × 15", nil, "big"},
		{"", nil, "write the inner size"},
	} {
		f := empty(t, "")
		err := edit.AddBox(f, edit.NewBox{Name: "Small box", Size: tt.size, Weight: "250 g", MaxWeight: "10",
			Cost: "0,60"})
		if tt.slip != "" {
			require.ErrorContains(t, err, tt.slip, tt.size)
			continue
		}
		require.NoError(t, err, tt.size)
		assert.Equal(t, append(append([]string{"Small box"}, tt.want...), "0.25", "10", "0.60"), row(f, "small-box"),
			tt.size)
	}
	f := empty(t, "")
	require.NoError(t, edit.AddBox(f, edit.NewBox{Name: "Small box", Size: "1 1 1"}))
	require.ErrorContains(t, edit.AddBox(f, edit.NewBox{Name: "small BOX", Size: "1 1 1"}),
		"another box is called small BOX already")
	require.ErrorContains(t, edit.AddBox(f, edit.NewBox{Size: "1 1 1"}), "name")
}

func TestABoxIsEditedUnlessItWasMeanwhile(t *testing.T) {
	f := empty(t, "")
	require.NoError(t, edit.AddBox(f, edit.NewBox{Name: "Small box", Size: "30 20 15"}))
	require.NoError(t, edit.SetBox(f, "small-box", edit.BoxLength, "30", "310 mm"))
	require.NoError(t, edit.SetBox(f, "small-box", edit.BoxMaxWeight, "", "5"))
	require.NoError(t, edit.SetBox(f, "small-box", edit.BoxMaxWeight, "5", ""))
	require.ErrorContains(t, edit.SetBox(f, "small-box", edit.BoxWidth, "20", ""), "a box needs all three sides")
	require.ErrorContains(t, edit.SetBox(f, "small-box", edit.BoxWidth, "20", "0"), "above 0")
	var conflict *edit.Conflict
	require.ErrorAs(t, edit.SetBox(f, "small-box", edit.BoxLength, "30", "32"), &conflict)
	require.NoError(t, edit.SetBox(f, "small-box", edit.BoxLength, "30", "31"), "it is so already")
	require.ErrorContains(t, edit.SetBox(f, "gone", edit.BoxLength, "30", "32"), "removed meanwhile")
}

func TestBoxesArePasted(t *testing.T) {
	f := empty(t, "")
	p, err := edit.PasteBoxes(f, edit.BoxCell{Field: edit.BoxName}, "Small\t30\t20\t15\t0.25\t10\t0.60\nFlat\t30\t20\n"+
		"Large\t60 cm\t400 mm\t35\n\n")
	require.NoError(t, err)
	assert.Equal(t, 2, p.Added)
	require.Len(t, p.Refused, 1)
	assert.Contains(t, p.Refused[0], "Flat: a box needs all three sides")
	assert.Equal(t, []string{"Large", "60", "40", "35", "", "", ""}, row(f, "large"))

	p, err = edit.PasteBoxes(f, edit.BoxCell{Box: "small", Field: edit.BoxHeight}, "16\t0.3\nnone\t0.9\n17\n")
	require.NoError(t, err)
	assert.Equal(t, 3, p.Taken)
	assert.Equal(t, "none", p.Slips[edit.BoxCell{Box: "large", Field: edit.BoxHeight}].Text)
	assert.Equal(t, []string{"Large", "60", "40", "35", "0.9", "", ""}, row(f, "large"), "what cannot be taken stays")
	assert.Equal(t, []string{"a row without a name: paste from the name on to add boxes"}, p.Refused)
	_, err = edit.PasteBoxes(f, edit.BoxCell{Box: "small", Field: edit.BoxHeight}, "x")
	require.Error(t, err)
}

func TestUsualBoxesAreInTheStoresUnits(t *testing.T) {
	for settings, want := range map[string][]string{
		"":                                      {"Medium box", "30", "20", "15", "0.18", "10", ""},
		`,"weight_unit":"g","length_unit":"mm"`: {"Medium box", "300", "200", "150", "180", "10000", ""},
		`,"weight_unit":"lb","length_unit":"in"`: {"Medium box", "11.811024", "7.874016", "5.905512", "0.396832",
			"22.046226", ""},
	} {
		f := empty(t, settings)
		for _, u := range edit.UsualBoxes {
			require.NoError(t, edit.AddUsualBox(f, u.ID))
		}
		assert.Equal(t, want, row(f, "medium-box"))
	}
}

func TestABoxThatIsPackedIntoStays(t *testing.T) {
	f := empty(t, "")
	require.NoError(t, edit.AddBox(f, edit.NewBox{Name: "Small", Size: "1 1 1"}))
	require.NoError(t, edit.AddBox(f, edit.NewBox{Name: "Large", Size: "2 2 2"}))
	m := f.Method("post")
	set := func(field terms.Field, text string) error { return terms.Set(f, m, "", field, text) }
	text := func(field terms.Field) string {
		s, _ := terms.Text(f, m, "", field)
		return s
	}
	require.NoError(t, set(terms.Boxes, "Large; small"))
	assert.Equal(t, "Large; Small", text(terms.Boxes))
	require.ErrorContains(t, edit.RemoveBox(f, "small"), "Small is packed into by Post: take it out there first")
	require.NoError(t, set(terms.Boxes, "all"))
	require.NoError(t, edit.RemoveBox(f, "small"))
	require.ErrorContains(t, edit.RemoveBox(f.Clone(), "large"), "Post packs into all boxes, and this is the last")
	require.NoError(t, set(terms.MaxParcel, "up to 30000 g"))
	assert.Equal(t, []string{"all", "30 kg"}, []string{text(terms.Boxes), text(terms.MaxParcel)})
	require.NoError(t, set(terms.Boxes, ""))
	assert.Equal(t, "30", m.Parcels.MaxWeight.String(), "the limit stays")
	require.NoError(t, set(terms.MaxParcel, ""))
	assert.Nil(t, m.Parcels)
	for typed, slip := range map[string]string{"Huge": `the shop has no box "Huge": it has Large`,
		"Large, Huge": "Huge"} {
		require.ErrorContains(t, set(terms.Boxes, typed), slip)
	}
	require.ErrorContains(t, set(terms.MaxParcel, "0"), "a parcel weighs more than 0")
	require.ErrorContains(t, set(terms.MaxParcel, "30 cm"), "")
	require.NoError(t, edit.RemoveBox(f, "large"))
	require.ErrorContains(t, set(terms.Boxes, "all"), "the shop has no boxes yet")
}

func TestAPlaceThatProductsLeaveFromStaysUntilTheyAreMoved(t *testing.T) {
	f, faults := store.Read([]byte(`{"format":"diadrom-store/1","store":{"currency":"EUR"},
	"locations":[{"id":"shed","name":"Shed"},{"id":"hall","name":"Hall"}],
	"products":[{"sku":"A","from":"shed"},{"sku":"B","from":"shed"},{"sku":"C","from":"hall"}]}`))
	require.Empty(t, faults)
	require.ErrorContains(t, edit.RemoveLocation(f.Clone(), "shed"), "Shed is used by 2 products: change that first")
	assert.Equal(t, 2, edit.Unleave(f, "shed"))
	require.NoError(t, edit.RemoveLocation(f, "shed"))
	assert.Equal(t, "", f.Product("A").From)
	assert.Equal(t, "hall", f.Product("C").From)
	n, err := edit.SetProducts(f, map[string]bool{"A": true, "B": true}, productlist.From, "hall")
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	require.ErrorContains(t, edit.SetProduct(f, "A", productlist.From, "Hall", "Barn"), `the shop has no place "Barn"`)
}
