package warnings

import (
	"encoding/json"
	"fmt"
	"slices"
	"testing"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/review/coverage"
	"diadrom/internal/test/drawn"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// drawFile is a drawn store: odd, but without faults.
func drawFile(t *rapid.T) *store.File {
	data, err := json.Marshal(drawn.Store(t))
	require.NoError(t, err)
	f, faults := store.Read(data)
	require.Empty(t, faults)
	return f
}

// Whatever a store is like, each witness shows what its warning says.
func TestEveryWitnessShowsWhatItSays(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) { check(t, of(drawFile(t), nil)) })
}

// Every mend removes its warning, adds none that is worse, and leaves a store without faults.
func TestEveryMendMends(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		f := drawFile(t)
		before := of(f, nil)
		worse := func(list []Warning, than Severity) (keys []string) {
			for _, w := range list {
				if w.Severity > than {
					keys = append(keys, w.Key)
				}
			}
			return keys
		}
		for _, w := range before.Warnings {
			if w.Mend == nil {
				continue
			}
			after := f.Clone()
			require.NoError(t, w.Mend.Do(after), w.Mend.Text)
			again, faults := store.Read(after.Write())
			require.Empty(t, faults)
			now := of(again, nil)
			check(t, now)
			for _, left := range now.Warnings {
				assert.NotEqual(t, w.Key, left.Key, w.Mend.Text)
			}
			assert.Subset(
				t,
				append(worse(before.Warnings, w.Severity), ""),
				worse(now.Warnings, w.Severity),
				w.Mend.Text,
			)
		}
	})
}

// What is taken over from the reading before is what reading everything anew finds.
func TestReadingAnEditIsReadingAnew(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		f := drawFile(t)
		parts := f.Split()
		e := quote.Compile(f, nil)
		m := coverage.Of(e)
		before := Read(Input{Engine: e, Coverage: m, Parts: parts, Now: moment}, nil)
		other := drawFile(t)
		after := f.Clone()
		switch rapid.IntRange(0, 8).Draw(t, "edit") {
		case 0:
			after.Methods = append(after.Methods[:0:0], other.Methods...)
			for i := range after.Methods {
				after.Methods[i].ID += "x"
			}
			keepZones(after)
		case 1:
			after.Zones[0].Enabled = !after.Zones[0].Enabled
		case 2:
			after.Zones[0].Places = other.Zones[0].Places
		case 3:
			after.Surcharges = nil
		case 4:
			after.Store.Tax.PricesIncludeTax = !after.Store.Tax.PricesIncludeTax
		case 5:
			slices.Reverse(after.Zones)
		case 6:
			after.Methods[0].Enabled = !after.Methods[0].Enabled
		case 7:
			after.Store.SellsTo = other.Store.SellsTo
		case 8:
			after.Methods = after.Methods[:1]
			keepMethods(after)
		}
		next, faults := after.SplitAgain(f, parts)
		if len(faults) > 0 {
			t.Skip("the edit is refused")
		}
		engine := quote.Compile(after, nil)
		read := Read(Input{Engine: engine, Coverage: coverage.After(engine, m), Parts: next, Now: moment}, before)
		anew := Read(Input{Engine: engine, Coverage: coverage.Of(engine), Now: moment}, nil)
		check(t, read)
		assert.Equal(t, messages(anew.Warnings), messages(read.Warnings))
	})
}

// keepZones drops columns and terms of zones that a file does not have.
func keepZones(f *store.File) {
	for i := range f.Methods {
		m := &f.Methods[i]
		m.Inherits = nil
		for j := range m.Tables {
			t := &m.Tables[j]
			for k := len(t.Zones) - 1; k >= 0; k-- {
				if f.Zone(t.Zones[k]) != nil {
					continue
				}
				t.Zones = slices.Delete(slices.Clone(t.Zones), k, k+1)
				for r := range t.Rows {
					t.Rows[r].Charges = slices.Delete(slices.Clone(t.Rows[r].Charges), k, k+1)
				}
			}
		}
		for zone := range m.Terms {
			if f.Zone(zone) == nil {
				delete(m.Terms, zone)
			}
		}
	}
	keepMethods(f)
}

// keepMethods has surcharges and agreed charges name only methods that a file has.
func keepMethods(f *store.File) {
	gone := func(id string) bool { return f.Method(id) == nil }
	for i := range f.Surcharges {
		f.Surcharges[i].Methods = slices.DeleteFunc(f.Surcharges[i].Methods, gone)
	}
	for i := range f.Agreed {
		f.Agreed[i].Methods = slices.DeleteFunc(f.Agreed[i].Methods, gone)
	}
}

// cleanStore is a shop that is sound by the way in which it is made: zones apart, each with a price in every method,
// prices that rise, free delivery from a sum between the cheapest goods and what the method takes.
func cleanStore(t *rapid.T) string {
	countries := []string{"FI", "EE", "LV", "LT", "SE", "DK"}
	n := rapid.IntRange(1, len(countries)).Draw(t, "countries")
	zones, columns, rates, sold := "", "", "", ""
	for i, c := range countries[:n] {
		sep := map[bool]string{true: "", false: ","}[i == 0]
		zones += fmt.Sprintf(`%s{"id": "z%d", "name": "Zone %d", "places": [{"country": %q}]}`, sep, i, i, c)
		columns += fmt.Sprintf(`%s"z%d"`, sep, i)
		rates += fmt.Sprintf(`%s{"country": %q, "percent": "%d"}`, sep, c, 19+i)
		sold += fmt.Sprintf(`%s{"country": %q}`, sep, c)
	}
	products := ""
	for i := range rapid.IntRange(1, 5).Draw(t, "products") {
		products += fmt.Sprintf(
			`%s{"sku": "P%d", "price": "%d", "weight": "0.%d", "length": "20", "width": "10", "height": "5"}`,
			map[bool]string{true: "", false: ","}[i == 0],
			i,
			10+i*7,
			i+1,
		)
	}
	methods := ""
	for i := range rapid.IntRange(1, 3).Draw(t, "methods") {
		by := rapid.SampledFrom([]string{"weight", "quantity", "subtotal"}).Draw(t, "by")
		edges := rapid.SampledFrom([]string{"from", "up_to"}).Draw(t, "edges")
		rows := ""
		last := rapid.IntRange(1, 4).Draw(t, "rows")
		for row := range last {
			at := fmt.Sprintf(`"%d"`, row*5)
			if edges == "up_to" {
				if at = fmt.Sprintf(`"%d"`, row*5+5); row == last-1 {
					at = "null"
				}
			}
			cells := ""
			for z := range n {
				price := 5 + i + z + row*2
				if by == "subtotal" {
					price = 20 + i + z - row
				}
				cells += fmt.Sprintf(`%s"%d.00"`, map[bool]string{true: "", false: ","}[z == 0], price)
			}
			rows += fmt.Sprintf(
				`%s{"at": %s, "charges": [%s]}`,
				map[bool]string{true: "", false: ","}[row == 0],
				at,
				cells,
			)
		}
		free := rapid.IntRange(50, 200).Draw(t, "free")
		methods += fmt.Sprintf(
			`%s{"id": "m%d", "name": "Way %d", "days": {"min": %d, "max": %d}, "free": {"subtotal": "%d"}, "tables": [
			{"id": "list", "zones": [%s], "by": %q, "edges": %q, "rows": [%s]}]}`,
			map[bool]string{true: "", false: ","}[i == 0],
			i,
			i,
			9-i,
			12-i,
			free,
			columns,
			by,
			edges,
			rows,
		)
	}
	return `{"format": "diadrom-store/1", "store": {"currency": "EUR", "sells_to": [` + sold + `],
		"tax": {"prices_include_tax": true, "rates": [` + rates + `]}},
		"locations": [{"id": "shop", "country": "FI", "lat": "60", "lon": "22", "ships_from": true}],
		"products": [` + products + `], "zones": [` + zones + `], "methods": [` + methods + `]}`
}

func TestACleanStoreLosesAndBlocksNothing(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		text := cleanStore(t)
		r := of(read(t, text), nil)
		check(t, r)
		for _, w := range r.Warnings {
			assert.Less(t, w.Severity, Loses, "%s\n%s", messages([]Warning{w}), text)
		}
	})
}

// planted are the ways in which one mistake is made in a clean store, and what finds it.
var planted = map[string]struct {
	change [][2]string
	codes  []Code
}{
	"a country that is sold to": {[][2]string{{"store.sells_to.0", `{"country": "NO"}`}}, []Code{NoMethod}},
	"an empty zone":             {[][2]string{{"zones.0.places", `[]`}}, []Code{ZoneEmpty}},
	"a zone that is hidden": {
		[][2]string{{"zones.0.except", `[{"country": "FI"}]`}},
		[]Code{ZoneUnreachable},
	},
	"a method without a list":   {[][2]string{{"methods.0.tables", `[]`}}, []Code{MethodUnoffered, NoMethods}},
	"an abroad that is at home": {[][2]string{{"methods.0.name", `"Abroad"`}}, []Code{OfferedElsewhere}},
	"only in the first zone":    {[][2]string{{"methods.0.name", `"Iceland only"`}}, []Code{OfferedElsewhere}},
	"free from nothing":         {[][2]string{{"methods.0.free.subtotal", `"1"`}}, []Code{FreeAlways}},
	"free beyond reach": {
		[][2]string{{"methods.0.needs", `{"subtotal": {"to": "49"}}`}},
		[]Code{FreeUnreachable},
	},
	"free in its name alone": {
		[][2]string{{"methods.0.free", ""}, {"methods.0.label", `"Free delivery"`}},
		[]Code{FreeUntrue},
	},
	"goods without a weight": {
		[][2]string{{"products.0.weight", ""}, {"methods.0.needs", `{"weight": {"to": "900"}}`}},
		[]Code{ProductWeight},
	},
	"an offer that has ended": {
		[][2]string{{"methods.0.free.available", `{"to": "2020-01-01"}`}},
		[]Code{OfferEnded},
	},
	"an offer of another century": {
		[][2]string{{"methods.0.free.available", `{"from": "2120-01-01"}`}},
		[]Code{OfferNever},
	},
	"no tax at home": {[][2]string{{"store.tax.rates.0", ""}}, []Code{TaxMissing}},
	"a surcharge for nobody": {
		[][2]string{{"surcharges", `[{"id": "s", "places": [{"country": "NO"}], "amount": "2"}]`}},
		[]Code{SurchargeIdle},
	},
	"an agreed charge for nobody": {
		[][2]string{{"agreed", `[{"id": "a", "place": {"country": "NO"}, "amount": "2"}]`}},
		[]Code{AgreedIdle},
	},
	"a percentage without a bound": {
		[][2]string{
			{"methods.0.free", ""},
			{"methods.0.tables.0.rows.0.charges.0", `{"base": "4.00", "percent": "900"}`},
		},
		[]Code{PercentHigh},
	},
	"a postcode twice": {
		[][2]string{{"zones.0.places", `[{"country": "FI", "postcodes": ["00*", "00*"]}, {"country": "FI"}]`}},
		[]Code{EntryRepeated},
	},
	"a postcode in another": {
		[][2]string{{"zones.0.places", `[{"country": "FI", "postcodes": ["00*", "001*"]}, {"country": "FI"}]`}},
		[]Code{EntrySwallowed},
	},
	"a method that no goods fit": {
		[][2]string{{"methods.0.needs", `{"weight": {"to": "0.001"}}`}},
		[]Code{MethodUnoffered},
	},
	"a distance that nobody measures": {
		[][2]string{
			{"methods.0.needs", `{"distance": {"to": "900"}}`},
			{"locations.0.lat", ""},
			{"locations.0.lon", ""},
		},
		[]Code{DistanceUnknown},
	},
}

// One mistake in a clean store is found, whatever the store is like.
func TestAPlantedMistakeIsFound(t *testing.T) {
	require.GreaterOrEqual(t, len(planted), 20)
	for name := range planted {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			rapid.Check(t, func(t *rapid.T) {
				text := cleanStore(t)
				r := of(read(t, text, planted[name].change...), nil)
				check(t, r)
				assert.True(t, slices.ContainsFunc(planted[name].codes, func(c Code) bool {
					return len(said(r.Warnings, c)) > 0
				}), "%v\n%s", messages(r.Warnings), text)
			})
		})
	}
}
