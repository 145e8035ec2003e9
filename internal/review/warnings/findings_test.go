package warnings

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/store"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func read(t *testing.T, method string) *store.File {
	t.Helper()
	f, faults := store.Read(
		[]byte(`{"format":"diadrom-store/1","store":{"currency":"EUR"},"classes":[{"id":"soft"}],
	"products":[{"sku":"A","price":"9.50"},{"sku":"G","price":"1","needs_shipping":false}],
	"zones":[{"id":"fi","name":"Finland","places":[{"country":"FI"}]},{"id":"se","name":"Sweden","enabled":false,
		"places":[{"country":"SE"}]},{"id":"none","places":[]}],"methods":[{"id":"m",` + method + `}]}`),
	)
	require.Empty(t, faults)
	return f
}

func table(by, edges, rows string) string {
	return fmt.Sprintf(`"tables":[{"id":"t","zones":["fi"],"by":%q,"edges":%q,"rows":%s}]`, by, edges, rows)
}

// What costs shops money, by the words of those who run them; common practice, no source.
func TestOddThingsAreNamedWhereTheyAre(t *testing.T) {
	for _, c := range []struct{ name, method, want string }{
		{"upside down", table("weight", "up_to", `[{"at":"2","charges":["9.90"]},{"at":"10","charges":["6.90"]}]`),
			"Finland: at 2 kg the price falls from 9.90 to 6.90, so that a heavier parcel costs less"},
		{"a slope that ends above the next row", table("weight", "up_to", `[{"at":"10","charges":[{"base":"5",
		"per_weight":{"amount":"1"}}]},{"at":null,"charges":["14.00"]}]`), "Finland: at 10 kg the price falls from " +
			"15.00 to 14.00, so that a heavier parcel costs less"},
		{"as it should be", table("weight", "up_to", `[{"at":"2","charges":["6.90"]},{"at":"10","charges":["9.90"]}]`),
			""},
		{"dearer goods go cheaper: a reward", table("subtotal", "from", `[{"at":"0","charges":["6.90"]},{"at":"50",
		"charges":["3.90"]}]`), ""},
		{"a little more of goods", table("subtotal", "from", `[{"at":"0","charges":["3.90"]},{"at":"50",
		"charges":["8.90"]}]`), "Finland: a buyer who adds 0.10 of goods at 50.00 pays 5.00 more"},
		{"fewer per piece", table("quantity", "from", `[{"at":"0","charges":["9.00"]},{"at":"5","charges":["4.00"]}]`),
			"Finland: at 5 items the price falls from 9.00 to 4.00, so that an order of more goods costs less"},
		{"rows out of reach", `"needs":{"weight":{"to":"10"}},` + table("weight", "up_to", `[{"at":"10",
		"charges":["6.90"]},{"at":null,"charges":["9.90"]}]`), "no order gets to the row above 10 kg: this method " +
			"takes up to 10 kg"},
		{"the row at the bound is reached from it on", `"needs":{"weight":{"to":"10"}},` +
			table("weight", "from", `[{"at":"0","charges":["6.90"]},{"at":"10","charges":["9.90"]}]`), ""},
		{"another zone gets there", `"needs":{"weight":{"to":"10"}},"terms":{"fi":{"needs":{"weight":{"to":"20"}}}},` +
			table("weight", "up_to", `[{"at":"10","charges":["6.90"]},{"at":null,"charges":["9.90"]}]`), ""},
		{"a free sum that all reach", `"free":{"subtotal":"9.50"},` + table("order", "", `[{"charges":["6.90"]}]`),
			"free from 9.50 is always free: the cheapest product costs 9.50"},
		{"a free sum that not all reach", `"free":{"subtotal":"9.51"},` + table("order", "", `[{"charges":["6.90"]}]`),
			""},
		{"a percentage without a bound", table("weight", "up_to", `[{"at":null,"charges":[{"percent":"5"}]}]`),
			"Finland: 5 % of goods has no bound: set what it costs at most"},
		{"with one", `"maximum":"50",` + table("weight", "up_to", `[{"at":null,"charges":[{"percent":"5"}]}]`), ""},
		{"a percentage of a thousand", `"maximum":"50",` + table("weight", "up_to", `[{"at":null,
		"charges":[{"percent":"1000"}]}]`), "Finland: 1000 % of goods is more than the goods cost: is that meant?"},
		{"terms without a price", `"terms":{"se":{"minimum":"2.00"}},` + table("order", "", `[{"charges":["6.90"]}]`),
			"Sweden: this method has terms here and no price, so they count for nobody"},
		{"a column without a price", `"tables":[{"id":"t","zones":["fi","se"],"by":"order","rows":[{"charges":["5.00",
		null]}]}]`, "Sweden: nothing is offered in this column, and no broader zone stands in for it"},
	} {
		f := read(t, c.method)
		list := Method(f, &f.Methods[0])
		if c.want == "" {
			assert.Empty(t, list, c.name)
			continue
		}
		require.Len(t, list, 1, c.name)
		assert.Equal(t, c.want, list[0].Text, c.name)
	}
}

func TestMethodsThatNobodyIsOffered(t *testing.T) {
	priced := table("order", "", `[{"charges":["6.90"]}]`)
	for method, want := range map[string]string{
		priced: "", `"enabled":false`: "", `"tables":[]`: "it has no price list", `"tables":[{"id":"t","zones":[],
		"by":"order","rows":[{"charges":[]}]}]`: "its list has no zone",
		table("order", "", `[{"charges":[null]}]`): "its list has no price yet",
		`"tables":[{"id":"t","zones":["se","none"],"by":"order","rows":[{"charges":["5.00",
		"5.00"]}]}]`: "all zones with a price are switched off, or take no place",
		`"terms":{"fi":{"enabled":false}},` + priced: "all zones with a price are " +
			"switched off, or take no place",
		`"needs":{"only_classes":["soft"],"without_classes":["soft"]},` + priced: "it takes only classes that it " +
			"leaves out",
		`"needs":{"only_classes":["soft"]},` + priced: "no product is of the classes that it takes (soft)",
	} {
		f := read(t, method)
		assert.Equal(t, want, Nobody(f, &f.Methods[0]), method)
	}
}

func TestTheDemoShopIsSound(t *testing.T) {
	f := storetest.Lauha(t)
	for i := range f.Methods {
		assert.Empty(t, Nobody(f, &f.Methods[i]))
		assert.Empty(t, Method(f, &f.Methods[i]), f.Methods[i].ID)
	}
}

// A distance is measured from where the shop is, so a method that wants one has to know it.
func TestDistancesThatCannotBeMeasured(t *testing.T) {
	byDistance := table("distance", "up_to", `[{"at":null,"charges":["5"]}]`)
	perDistance := table("order", "", `[{"charges":[{"per_distance":{"amount":"1","every":"1"}}]}]`)
	nowhere := store.Location{ID: "w", Name: "Workshop", Country: "FI", Postcode: "21100", ShipsFrom: true}
	somewhere := nowhere
	lat, lon := decimal.FromInt(60), decimal.FromInt(22)
	somewhere.Lat, somewhere.Lon = &lat, &lon
	shown := somewhere
	shown.ShipsFrom = false
	list, _, err := gazetteer.Read(strings.NewReader("FI\t21100\tNaantali\t\t\t\t\t\t\t60.4674\t22.026\n"))
	require.NoError(t, err)
	for _, c := range []struct {
		method string
		places []store.Location
		g      *gazetteer.Gazetteer
		want   string
	}{
		{table("order", "", `[{"charges":["5"]}]`), nil, nil, ""},
		{byDistance, nil, nil, "no place of the shop ships orders"},
		{perDistance, nil, nil, "no place of the shop ships orders"},
		{byDistance, []store.Location{shown}, nil, "no place of the shop ships orders"},
		{byDistance, []store.Location{nowhere}, nil, "where Workshop lies is not known"},
		{byDistance, []store.Location{nowhere}, list, ""},
		{byDistance, []store.Location{nowhere, somewhere}, nil, ""},
		{`"needs":{"distance":{"to":"10"}},` + table("order", "", `[{"charges":["5"]}]`), nil, nil,
			"no place of the shop ships orders"},
	} {
		f := read(t, c.method)
		f.Locations = c.places
		got := Unmeasured(f, c.g, &f.Methods[0])
		if c.want == "" {
			assert.Empty(t, got, c.method)
			continue
		}
		assert.Equal(t, c.want+", so no distance can be measured", got, c.method)
	}
	f := read(t, byDistance)
	f.Locations = []store.Location{somewhere, nowhere}
	f.Locations[1].ID, f.Methods[0].From = "hall", "hall"
	assert.Contains(t, Unmeasured(f, nil, &f.Methods[0]), "where Workshop lies", "its own place counts, no other")
}

func TestDatesThatHavePassed(t *testing.T) {
	f := read(t, `"available":{"from":"2026-12-01","to":"2026-12-24"},
		"free":{"subtotal":"50","available":{"to":"2026-12-10"}},
		"terms":{"fi":{"free":{"subtotal":"20","available":{"to":"2026-12-11"}}}},`+
		table("order", "", `[{"charges":["5"]}]`))
	on := func(date string) []string {
		day, err := time.Parse(time.DateOnly, date)
		require.NoError(t, err)
		return Ended(f, &f.Methods[0], day)
	}
	assert.Empty(t, on("2026-12-10"), "the last day counts")
	assert.Equal(t, []string{"free delivery has ended: it was available until 10 December 2026"}, on("2026-12-11"))
	assert.Equal(t, []string{
		"this has ended, so no buyer is offered it: it was available 1 December 2026 to 24 December 2026",
		"free delivery has ended: it was available until 10 December 2026",
		"Finland: free delivery has ended: it was available until 11 December 2026"}, on("2026-12-25"))
}
