package draft

import (
	"encoding/json"
	"fmt"
	"slices"
	"testing"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/review/coverage"
	"diadrom/internal/review/warnings"
	"diadrom/internal/shop/demo"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// drawnEdit is an edit of the demo shop, of any part of it.
func drawnEdit(t *rapid.T) func(*store.File) error {
	n := rapid.IntRange(0, 999).Draw(t, "n")
	d := decimal.New(int64(n), 2)
	kind := rapid.IntRange(0, 15).Draw(t, "kind")
	return func(f *store.File) error {
		m := &f.Methods[n%len(f.Methods)]
		z := &f.Zones[n%len(f.Zones)]
		p := &f.Products[n%len(f.Products)]
		switch kind {
		case 0:
			p.Price = d
		case 1:
			p.Weight = &d
		case 2:
			p.Class = append(f.Classes, store.Class{})[n%(len(f.Classes)+1)].ID
		case 3:
			f.Products = append(f.Products, store.Product{SKU: fmt.Sprint("new-", n, len(f.Products)), NeedsShipping: true, Price: d})
		case 4:
			f.Products = slices.Delete(f.Products, n%len(f.Products), n%len(f.Products)+1)
		case 5:
			if len(m.Tables) > 0 {
				row := &m.Tables[0].Rows[n%len(m.Tables[0].Rows)]
				if row.Charges[n%len(row.Charges)] = nil; n%2 == 0 {
					row.Charges[n%len(row.Charges)] = &rate.Charge{Base: &d}
				}
			}
		case 6:
			m.Days = &store.Days{Min: int64(n % 5), Max: int64(n%5 + n%3)}
			m.Inherit(store.InheritDays, false)
		case 7:
			m.Enabled = !m.Enabled
		case 8:
			z.Name += "!"
		case 9:
			z.Enabled = !z.Enabled
		case 10:
			z.Places = append(z.Places, place.Rule{Country: []string{"FI", "SE", "EE", "NO"}[n%4]})
		case 11:
			f.Zones = append(f.Zones, store.Zone{ID: fmt.Sprint("zone-", len(f.Zones)), Enabled: true,
				Places: []place.Rule{{Country: "FI", City: "Turku"}}})
		case 12:
			f.Methods[0], f.Methods[n%len(f.Methods)] = f.Methods[n%len(f.Methods)], f.Methods[0]
		case 13:
			f.Surcharges = append(f.Surcharges, store.Surcharge{ID: fmt.Sprint("s-", len(f.Surcharges)), Amount: &d,
				Places: []place.Rule{{Within: &place.Within{Location: f.Locations[0].ID, Distance: decimal.FromInt(50)}}}})
		case 14:
			lat := decimal.New(6000+int64(n), 2)
			f.Locations[0].Lat, f.Locations[0].Lon = &lat, &d
		case 15:
			f.Store.Tax.PricesIncludeTax = !f.Store.Tax.PricesIncludeTax
			f.Store.Volumetric = &decimal.Hundred
		}
		return nil
	}
}

var asked = []string{
	`{"to":{"country":"FI","postcode":"21100"},"lines":[{"name":"Goods","price":"20","weight":"1.5","quantity":2}]}`,
	`{"to":{"country":"FI","postcode":"22100"},"lines":[{"name":"Goods","price":"90","weight":"7","class":"bulky"}]}`,
	`{"to":{"country":"FI","postcode":"96100"},"lines":[{"name":"Goods","price":"9","weight":"0.1"}],"group":"trade"}`,
	`{"to":{"country":"SE","postcode":"11122"},"lines":[{"name":"Goods","price":"200","weight":"3"}]}`,
	`{"to":{"country":"FI","postcode":"20100","city":"Turku"},"lines":[{"sku":"LADLE","quantity":3}],"costs":true}`,
	`{"to":{"country":"US"},"lines":[{"name":"Goods","price":"1","weight":"30"}],"parcels":true}`,
}

func answers(t require.TestingT, e *quote.Engine) (list []string) {
	for _, text := range asked {
		requests, _, faults := e.ReadRequest([]byte(text))
		if len(faults) > 0 {
			list = append(list, fmt.Sprint(faults))
			continue
		}
		for i := range requests {
			requests[i].At = time.Date(2026, 11, 27, 9, 0, 0, 0, time.UTC)
			body, err := json.Marshal(e.Quote(&requests[i]))
			require.NoError(t, err)
			list = append(list, string(body))
		}
	}
	return list
}

// A state that was made of the one before quotes, warns and lies on the map as one that was made anew.
func TestWhatIsTakenOverIsWhatWouldBeMadeAnew(t *testing.T) {
	dir := t.TempDir()
	first := lauha(t, dir)
	g, err := demo.Gazetteer()
	require.NoError(t, err)
	first.SetGazetteer(g)
	base := first.State().File
	rapid.Check(t, func(t *rapid.T) {
		_, err := first.Edit(t.Context(), func(f *store.File) error { *f = *base.Clone(); return nil })
		require.NoError(t, err)
		for range rapid.IntRange(1, 4).Draw(t, "edits") {
			before := first.State()
			was := answers(t, before.Engine)
			if rapid.Bool().Draw(t, "read") {
				before.Warnings()
			}
			if rapid.Bool().Draw(t, "looked at") {
				before.Coverage().Line("FI", "")
			}
			state, err := first.Edit(t.Context(), drawnEdit(t))
			if err != nil {
				require.Same(t, before, first.State(), "it was refused")
				continue
			}
			anew := quote.Compile(state.File, g)
			require.Equal(t, answers(t, anew), answers(t, state.Engine))
			require.Equal(t, was, answers(t, before.Engine), "the state before answers as it did")
			fresh, faults := store.Read(state.File.Write())
			require.Empty(t, faults)
			require.Equal(t, answers(t, quote.Compile(fresh, g)), answers(t, state.Engine))
			now := time.Now()
			m := coverage.Of(anew)
			read := warnings.Read(warnings.Input{Engine: anew, Coverage: m, Now: now}, nil)
			var want, got []string
			for i := range read.Warnings {
				want = append(want, read.Warnings[i].Path+" "+read.Warnings[i].Message)
			}
			for _, w := range state.Warnings().Warnings {
				got = append(got, w.Path+" "+w.Message)
			}
			require.Equal(t, want, got)
			require.Equal(t, len(m.Line("FI", "").Stretches), len(state.Coverage().Line("FI", "").Stretches))
		}
	})
}
