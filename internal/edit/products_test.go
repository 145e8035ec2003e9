package edit_test

import (
	"strings"
	"testing"

	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/tables/productlist"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// goods is a shop, in kilograms, with products of these skus.
func goods(t require.TestingT, skus ...string) *store.File {
	f, _, _ := shop(t, rate.ByWeight, rate.UpTo, "2 | 4.90")
	for _, sku := range skus {
		require.NoError(t, edit.AddProduct(f, edit.NewProduct{SKU: sku, Name: sku, Price: "10", Weight: "1"}))
	}
	return f
}

func TestANewProduct(t *testing.T) {
	for _, c := range []struct {
		typed edit.NewProduct
		says  string
	}{
		{edit.NewProduct{Price: "3"}, "a product needs a sku"},
		{edit.NewProduct{SKU: strings.Repeat("x", 81)}, "at most 80 letters"},
		{edit.NewProduct{SKU: "CUP\u200b"}, "cannot be seen"},
		{edit.NewProduct{SKU: " A "}, "there is a product A already"},
		{edit.NewProduct{SKU: "CUP", Name: "Cup", Price: "9,999.5.0"}, "9,999.5.0"},
		{edit.NewProduct{SKU: "CUP", Name: "Cup", Price: "9", Weight: "heavy"}, "heavy"},
	} {
		f := goods(t, "A")
		require.ErrorContains(t, edit.AddProduct(f, c.typed), c.says)
		assert.Len(t, f.Products, 1)
	}
	f := goods(t)
	require.NoError(
		t,
		edit.AddProduct(f, edit.NewProduct{SKU: " CUP ", Name: "Cup", Price: "9,50", Weight: "350 g"}),
	)
	p := f.Product("CUP")
	assert.Equal(t, []any{"9.5", "0.35", true}, []any{p.Price.String(), p.Weight.String(), p.NeedsShipping})
}

func TestAFieldOfAProduct(t *testing.T) {
	f := goods(t, "A")
	require.NoError(
		t,
		edit.SetProduct(
			f,
			"A",
			productlist.Weight,
			productlist.Text(f, f.Product("A"), productlist.Weight),
			"2",
		),
	)
	assert.Equal(t, "2", f.Product("A").Weight.String())
	var conflict *edit.Conflict
	require.ErrorAs(t, edit.SetProduct(f, "A", productlist.Weight, "1", "3"), &conflict)
	assert.Equal(t, productlist.Text(f, f.Product("A"), productlist.Weight), conflict.Now)
	require.NoError(
		t,
		edit.SetProduct(f, "A", productlist.Weight, "1", "2000 g"),
		"another window set the same",
	)
	require.ErrorContains(t, edit.SetProduct(f, "B", productlist.Weight, "1", "3"), "removed meanwhile")
}

func TestABlockOfProductsCells(t *testing.T) {
	f := goods(t, "A", "B", "C")
	grid := edit.Grid{
		Products: []int{2, 0, 1},
		Fields:   []productlist.Field{productlist.Price, productlist.Weight},
	}
	at := edit.ProductCell{SKU: "A", Field: productlist.Price}
	p, err := edit.PasteProducts(f, grid, at, "11\t2 kg\tbeside\r\n12\theavy\n13\t3\n14")
	require.NoError(t, err)
	assert.Equal(t, 3, p.Taken)
	assert.Equal(t, 2, p.Below)
	assert.Equal(t, "heavy", p.Slips[edit.ProductCell{SKU: "B", Field: productlist.Weight}].Text)
	assert.Equal(t, []string{"11", "12", "10"},
		[]string{f.Products[0].Price.String(), f.Products[1].Price.String(), f.Products[2].Price.String()},
		"in the order in which they are shown")
	assert.Equal(
		t,
		[]string{"2", "1"},
		[]string{f.Products[0].Weight.String(), f.Products[1].Weight.String()},
	)
	_, err = edit.PasteProducts(f, grid, at, "x")
	require.ErrorContains(t, err, "none of the pasted cells can be taken")
	for _, gone := range []edit.ProductCell{{SKU: "X", Field: productlist.Price},
		{SKU: "A", Field: productlist.Class}} {
		_, err = edit.PasteProducts(f, grid, gone, "1")
		require.ErrorContains(t, err, "removed meanwhile")
	}
}

func TestManyProductsAtOnce(t *testing.T) {
	f := goods(t, "A", "B", "C")
	n, err := edit.SetProducts(f, map[string]bool{"A": true, "C": true}, productlist.Class, "Bulky goods")
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	assert.Equal(
		t,
		[]string{"bulky", "", "bulky"},
		[]string{f.Products[0].Class, f.Products[1].Class, f.Products[2].Class},
	)
	_, err = edit.SetProducts(f, map[string]bool{"A": true}, productlist.Class, "glass")
	require.ErrorContains(t, err, "glass")
	_, err = edit.SetProducts(f, nil, productlist.Class, "bulky")
	require.ErrorContains(t, err, "select the products first")
	_, err = edit.RemoveProducts(f, map[string]bool{"X": true})
	require.ErrorContains(t, err, "select the products first")
	n, err = edit.RemoveProducts(f, map[string]bool{"A": true, "B": true})
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	assert.Len(t, f.Products, 1)
}

func TestWhatHoldsForAllProducts(t *testing.T) {
	f := storetest.Lauha(t)
	require.NoError(t, edit.SetAssumedWeight(f, "250 g"))
	assert.Equal(t, "0.25", f.Store.AssumedWeight.String())
	require.Error(t, edit.SetAssumedWeight(f, "250 cm"))
	require.NoError(t, edit.SetAssumedWeight(f, " "))
	assert.Nil(t, f.Store.AssumedWeight)
	for typed, is := range map[string]string{"5000": "5000", "6,000": "6000", "5 000": "5000", "166.4": "166.4"} {
		require.NoError(t, edit.SetDivisor(f, typed), typed)
		assert.Equal(t, is, f.Store.Volumetric.String(), typed)
	}
	for _, typed := range []string{"0", "-5000", "many"} {
		require.ErrorContains(t, edit.SetDivisor(f, typed), "how many cm³ count as 1 kg", typed)
	}
	require.NoError(t, edit.SetDivisor(f, ""))
	assert.Nil(t, f.Store.Volumetric)
}

func TestClasses(t *testing.T) {
	f := goods(t, "A")
	require.ErrorContains(t, edit.AddClass(f, "bulky GOODS"), "there is a class called Bulky goods already")
	require.ErrorContains(t, edit.AddClass(f, ""), "a name is needed")
	require.NoError(t, edit.AddClass(f, "Glass"))
	glass := f.Class("glass")
	require.ErrorContains(
		t,
		edit.NameClass(f, glass, "Bulky goods"),
		"another class is called Bulky goods already",
	)
	require.NoError(t, edit.NameClass(f, glass, "GLASS"))
	require.NoError(t, edit.NoteClass(glass, "breaks"))
	require.ErrorContains(
		t,
		edit.NoteClass(glass, strings.Repeat("n", 201)),
		"at most 200 letters; this has 201",
	)
	assert.Equal(t, store.Class{ID: "glass", Name: "GLASS", Note: "breaks"}, *f.Class("glass"))
	_, err := edit.SetProducts(f, map[string]bool{"A": true}, productlist.Class, "glass")
	require.NoError(t, err)
	only := &store.Needs{OnlyClasses: []string{"glass"}}
	for name, with := range map[string]func(m *store.Method){
		"its conditions":    func(m *store.Method) { m.Needs = only },
		"a zone's":          func(m *store.Method) { m.Terms["a"] = store.Terms{Needs: only} },
		"what it leaves":    func(m *store.Method) { m.Needs = &store.Needs{WithoutClasses: []string{"glass"}} },
		"one of its tables": func(m *store.Method) { m.Tables[0].Classes = []string{"glass"} },
	} {
		named := f.Clone()
		with(&named.Methods[0])
		require.ErrorContains(t, edit.RemoveClass(named, "glass"), "post names this class", name)
	}
	require.NoError(t, edit.RemoveClass(f, "glass"))
	assert.Nil(t, f.Class("glass"))
	assert.Empty(t, f.Product("A").Class, "its products have none then")
}

// A product without a number of its own gets one that no other has.
func TestANewProductGetsANumber(t *testing.T) {
	f := storetest.WithProducts(2)
	f.Products[1].SKU = "P-3"
	require.NoError(t, edit.AddProduct(f, edit.NewProduct{Name: "Cup", Price: "1"}))
	require.NoError(t, edit.AddProduct(f, edit.NewProduct{Name: "Bowl", Price: "1"}))
	assert.Equal(t, []string{"P-4", "P-5"}, []string{f.Products[2].SKU, f.Products[3].SKU})
}
