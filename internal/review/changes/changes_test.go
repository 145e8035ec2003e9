package changes

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/shop/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// full is a store that uses every field of the contract, with made-up values.
const full = `{"format":"diadrom-store/1","store":{"name":"Made","currency":"EUR","weight_unit":"kg","length_unit":"cm",
		"distance_unit":"km","assumed_weight":"0.5","volumetric_divisor":"5000",
 "subtotal_counts":"all","dispatch":{"time_zone":"Europe/Helsinki","cut_off":"14:00","weekdays":["mon","tue"],
		"holidays":"FI","closed":["2026-12-28"]},
 "checkout":{"prices_wait":true,"options":"menu","address":"billing"},"tax":{"prices_include_tax":true,
		"rates":[{"country":"FI","percent":"25.5"}]}},
"locations":[{"id":"w","name":"Workshop","country":"FI","postcode":"21100","city":"Naantali","street":"Verstaskuja 3",
		"lat":"60.4","lon":"22.0","ships_from":true,"pickup":true},{"id":"x","name":"Other"}],
"classes":[{"id":"bulky","name":"Bulky","note":"big"},{"id":"soft","name":"Soft"}],
"boxes":[{"id":"small","name":"Small box","length":"30","width":"20","height":"15","weight":"0.2","max_weight":"5",
		"cost":"0.60"},{"id":"large","name":"Large box","length":"60","width":"40","height":"30"}],
"products":[{"sku":"A","name":"Towel","price":"29.00","weight":"0.3","length":"40","width":"30","height":"5",
		"class":"soft","ships_free":true,"own_parcel":true,"upright":true,"from":"x"},{"sku":"B","price":"1"}],
"zones":[{"id":"fi","name":"Finland","rank":3,"places":[{"country":"FI"}],"except":[{"country":"FI",
		"postcodes":["22*"]}]},{"id":"se","name":"Sweden","only":true,"places":[{"country":"SE"},{"world":true}]}],
"carriers":[{"id":"post","name":"Post","url":"https://post.example"},{"id":"other","url":"https://other.example"}],
"methods":[{"id":"parcel","name":"Parcel","label":"Parcel to your door","classes":"add","from":"w","days":{"min":2,
		"max":4,"business":true},"volumetric_divisor":"4000","parcels":{"boxes":["small","large"],
		"max_weight":"30"},"handling":{"amount":"1.00","percent":"2"},
  "needs":{"subtotal":{"from":"1"},"weight":{"to":"30"},"billed_weight":{"to":"40"},"quantity":{"to":"9"},
		"distance":{"to":"900"},"longest_side":{"to":"120"},"parcel_weight":{"to":"25"},"girth":{"to":"300"},
		"coupons":["K"],"groups":["g"],"only_classes":["soft"],
		"without_classes":["bulky"]},
  "free":{"subtotal":"120","quantity":9,"coupons":["FREE"],"require":"all"},"minimum":"2","maximum":"90",
		"preselected":true,"when_refused":"tell","refused_text":"Sorry",
  "terms":{"se":{"enabled":true,"days":{"min":4,"max":7},"free":{"subtotal":"200"},"minimum":"3","maximum":"80",
		"handling":{"amount":"2"},"needs":{"weight":{"to":"20"}}}},
  "tables":[{"id":"soft","name":"Soft goods","zones":["fi","se"],"classes":["soft"],"by":"weight","edges":"up_to",
		"rows":[{"at":"2","charges":["6.90","9.90"]},{"at":"10","charges":["9.90",{"base":"1","per_item":"2"}]},
		{"at":null,"charges":[{"base":"9.90","per_weight":{"amount":"0.80","every":"1","above":"10","part":"started"}},
		null]}]},
   {"id":"rest","name":"The rest","zones":["fi"],"classes":[],"by":"order","rows":[{"charges":["5"]}]}]},
  {"id":"pick","name":"Collect","kind":"pickup","tables":[{"id":"t","zones":["fi"],"by":"subtotal","edges":"from",
		"rows":[{"at":"0","charges":["3"]},{"at":"50","charges":["0"]}]}]},
  {"id":"asked","name":"Asked","kind":"carrier","carrier":{"id":"post","services":[{"code":"slow"},
		{"code":"fast","label":"Tomorrow","enabled":false}],"amount":"-0.50","percent":"10","fallback":true}}],
"surcharges":[{"id":"north","name":"Far north","places":[{"country":"FI","postcodes":["99*"]}],
		"except":[{"country":"FI","postcodes":["99999"]}],"methods":["parcel"],"amount":"4.00","percent":"1"}],
"agreed":[{"id":"hotel","name":"Hotel","customer":"C-1","group":"g","place":{"country":"FI","postcode":"00100",
		"street":"Katu 1"},"methods":["parcel"],"amount":"10.00"}]}`

func read(t require.TestingT, text string) *store.File {
	f, faults := store.Read([]byte(text))
	require.Empty(t, faults)
	return f
}

// putBack takes all changes back and gives what comes of it.
func putBack(t require.TestingT, f *store.File, list []Change) string {
	next := f.Clone()
	for i := range list {
		require.NoError(t, list[i].PutBack(next), list[i].Key)
	}
	p, faults := next.SplitAgain(nil, nil)
	require.Empty(t, faults)
	joined, faults := p.Join()
	require.Empty(t, faults)
	return string(joined.Write())
}

// edited applies edits to the store as JSON: path and value; "-" removes.
func edited(t require.TestingT, text string, edit func(map[string]any)) *store.File {
	var tree map[string]any
	require.NoError(t, json.Unmarshal([]byte(text), &tree))
	edit(tree)
	out, err := json.Marshal(tree)
	require.NoError(t, err)
	return read(t, string(out))
}

func member(tree map[string]any, name string, i int) map[string]any {
	return tree[name].([]any)[i].(map[string]any)
}

func table(tree map[string]any, i int) map[string]any {
	return member(tree, "methods", 0)["tables"].([]any)[i].(map[string]any)
}

func TestAnEditIsASentence(t *testing.T) {
	before := read(t, full)
	for _, tt := range []struct {
		key, says string
		edit      func(tree map[string]any)
	}{
		{"methods/parcel/tables/soft/cells/2/fi", "Parcel, Soft goods, Finland, up to and including 2 kg: 6.90 → 7.20",
			func(s map[string]any) {
				table(s, 0)["rows"].([]any)[0].(map[string]any)["charges"].([]any)[0] = "7.20"
			}},
		{"methods/parcel/tables/soft/cells/above/se", "Parcel, Soft goods, Sweden, above 10 kg: not offered → free",
			func(s map[string]any) {
				table(s, 0)["rows"].([]any)[2].(map[string]any)["charges"].([]any)[1] = "0"
			}},
		{"methods/pick/tables/t/cells/50/fi", "Collect, Finland, 50.00 and over: free → 1.00 per item",
			func(s map[string]any) {
				table := member(s, "methods", 1)["tables"].([]any)[0].(map[string]any)
				row := table["rows"].([]any)[1].(map[string]any)
				row["charges"].([]any)[0] = map[string]any{"per_item": "1"}
			}},
		{"methods/parcel/tables/soft/rows/3", "Parcel, Soft goods, row up to and including 2 kg: now up to and " +
			"including 3 kg", func(s map[string]any) {
			table(s, 0)["rows"].([]any)[0].(map[string]any)["at"] = "3"
		}},
		{"methods/parcel/tables/soft/rows/5", "Parcel, Soft goods, row up to and including 5 kg: new, Finland 8.00, " +
			"Sweden not offered", func(s map[string]any) {
			rows := table(s, 0)["rows"].([]any)
			table(s, 0)["rows"] = slices.Insert(rows, 1, any(map[string]any{"at": "5", "charges": []any{"8", nil}}))
		}},
		{"methods/parcel/tables/soft/rows/10", "Parcel, Soft goods, row up to and including 10 kg: removed",
			func(s map[string]any) {
				table(s, 0)["rows"] = slices.Delete(table(s, 0)["rows"].([]any), 1, 2)
			}},
		{"methods/parcel/tables/rest/columns/se", "Parcel, The rest, Sweden: gets prices, every order 8.00",
			func(s map[string]any) {
				table(s, 1)["zones"] = []any{"fi", "se"}
				table(s, 1)["rows"] = []any{map[string]any{"charges": []any{"5", "8"}}}
			}},
		{"boxes/small/max_weight", "Small box, carries at most: 5 kg → 6 kg", func(s map[string]any) {
			member(s, "boxes", 0)["max_weight"] = "6"
		}},
		{"methods/parcel/terms/boxes", "Parcel, packed into: Small box; Large box → all", func(s map[string]any) {
			member(s, "methods", 0)["parcels"] = map[string]any{"all_boxes": true, "max_weight": "30"}
		}},
		{"methods/parcel/terms/max_parcel", "Parcel, heaviest parcel: 30 kg → nothing", func(s map[string]any) {
			member(s, "methods", 0)["parcels"] = map[string]any{"boxes": []any{"small", "large"}}
		}},
		{"methods/asked/carrier", "Asked, asks: Post: slow, fast “Tomorrow” (off); 10 %; -0.50; its own price list " +
			"where the " +
			"carrier fails → Post: slow", func(s map[string]any) {
			member(s, "methods", 2)["carrier"] = map[string]any{"id": "post",
				"services": []any{map[string]any{"code": "slow"}}}
		}},
		{"carriers/post/url", "Post, asked at: https://post.example → https://new.example", func(s map[string]any) {
			member(s, "carriers", 0)["url"] = "https://new.example"
		}},
		{"products/A/from", "Towel, leaves from: Other → Workshop", func(s map[string]any) {
			member(s, "products", 0)["from"] = "w"
		}},
		{"methods/parcel/terms/free", "Parcel, free: from 120.00 and from 9 items and with coupon FREE → from 90.00",
			func(s map[string]any) {
				member(s, "methods", 0)["free"] = map[string]any{"subtotal": "90"}
			}},
		{"methods/parcel/terms/se/days", "Parcel, Sweden, days: 4 to 7 days → as everywhere", func(s map[string]any) {
			delete(member(s, "methods", 0)["terms"].(map[string]any)["se"].(map[string]any), "days")
		}},
		{"methods/parcel/terms/fi/offered", "Parcel, Finland: not offered any more", func(s map[string]any) {
			member(s, "methods", 0)["terms"].(map[string]any)["fi"] = map[string]any{"enabled": false}
		}},
		{"methods/parcel/terms/longest_side", "Parcel, longest side: up to 120 cm → nothing", func(s map[string]any) {
			delete(member(s, "methods", 0)["needs"].(map[string]any), "longest_side")
		}},
		{"methods/parcel/enabled", "Parcel: switched off",
			func(s map[string]any) { member(s, "methods", 0)["enabled"] = false }},
		{"methods/order", "Methods: in another order: Asked, Collect, Parcel",
			func(s map[string]any) { slices.Reverse(s["methods"].([]any)) }},
		{"zones/fi/places", "Finland: takes Åland Islands; takes no more Finland", func(s map[string]any) {
			member(s, "zones", 0)["places"] = []any{map[string]any{"country": "AX"}}
		}},
		{"zones/no", "Norway: new, a zone of Norway", func(s map[string]any) {
			s["zones"] = append(s["zones"].([]any), map[string]any{"id": "no", "name": "Norway",
				"places": []any{map[string]any{"country": "NO"}}})
		}},
		{"products/B", "B: removed, for 1.00", func(s map[string]any) { s["products"] = s["products"].([]any)[:1] }},
		{"products/A/price", "Towel, price: 29.00 → 31.00",
			func(s map[string]any) { member(s, "products", 0)["price"] = "31" }},
		{"products/A/weight", "Towel, weight: 0.3 kg → nothing",
			func(s map[string]any) { delete(member(s, "products", 0), "weight") }},
		{"surcharges/north/amount", "Far north, amount: 4.00 → 5.00",
			func(s map[string]any) { member(s, "surcharges", 0)["amount"] = "5" }},
		{"store/assumed_weight", "The shop, assumed weight: 0.5 kg → 0.7 kg",
			func(s map[string]any) { s["store"].(map[string]any)["assumed_weight"] = "0.7" }},
	} {
		after := edited(t, full, tt.edit)
		found := Between(Of(before), Of(after))
		require.Len(t, found, 1, "%s: %v", tt.key, Sentences(found))
		assert.Equal(t, tt.key, found[0].Key)
		assert.Equal(t, tt.says, found[0].String())
		assert.Equal(t, string(before.Write()), putBack(t, after, found), tt.key)
		assert.Empty(t, Between(Of(after), Of(after)))
	}
}

// other gives values that differ from one of a store's, of which some make sense in its place.
func other(v any) []any {
	switch v := v.(type) {
	case bool:
		return []any{!v}
	case float64:
		return []any{v + 1}
	case string:
		return []any{
			"",
			v + "1",
			"7",
			"FI",
			"SE",
			"NO",
			"up_to",
			"from",
			"together",
			"dearest",
			"order",
			"subtotal",
			"quantity",
			"distance",
			"lb",
			"mm",
			"mi",
			"SEK",
			"list",
			"delivery",
			"shipped",
			"2026-12-30",
			"13:00",
			"UTC",
			"wed",
			"30",
			"any",
			"hide",
			"delivery",
			"x",
			"bulky",
			"soft",
			"se",
			"fi",
			"pick",
			"parcel",
			"95*",
		}
	case []any:
		return []any{[]any{}}
	case map[string]any:
		return []any{nil}
	}
	return []any{"3.33"}
}

// Every field of the contract that is changed by itself is noticed, has words of its own and can be put back by
// itself.
func TestEveryFieldIsNoticedAndPutBack(t *testing.T) {
	before := read(t, full)
	want := string(before.Write())
	var tree map[string]any
	require.NoError(t, json.Unmarshal([]byte(full), &tree))
	tried, taken := 0, map[string]bool{}
	var walk func(path string, v any, set func(any))
	walk = func(path string, v any, set func(any)) {
		tried++
		for n, values := 0, other(v); n < 2 && len(values) > 0; values = values[1:] {
			o := values[0]
			set(o)
			out, err := json.Marshal(tree)
			require.NoError(t, err)
			after, faults := store.Read(out)
			if len(faults) > 0 {
				continue
			}
			if got := string(after.Write()); got == want {
				continue
			}
			found := Between(Of(before), Of(after))
			require.NotEmpty(t, found, "%s: %v → %v", path, v, o)
			for i := range found {
				assert.False(t, strings.HasSuffix(found[i].Key, "/all"), "%s has no words: %v → %v", path, v, o)
				assert.NotContains(t, found[i].String(), "%!", path)
			}
			require.Equal(t, want, putBack(t, after, found), "%s: %v → %v: %v", path, v, o, Sentences(found))
			taken[path] = true
			n++
		}
		set(v)
		switch v := v.(type) {
		case map[string]any:
			for key, x := range v {
				walk(path+"/"+key, x, func(o any) { v[key] = o })
			}
		case []any:
			for i, x := range v {
				walk(fmt.Sprint(path, "/", i), x, func(o any) { v[i] = o })
			}
		}
	}
	for key, x := range tree {
		if key != "format" {
			walk("/"+key, x, func(o any) { tree[key] = o })
		}
	}
	assert.Greater(t, len(taken), tried/2, "most fields could be changed by themselves")
}

// Whatever is done to the demo shop in any number of edits is told in sentences, and putting all of them back
// gives the shop as it was.
func TestAllChangesPutBackGiveWhatWasBefore(t *testing.T) {
	base, err := demo.Store()
	require.NoError(t, err)
	text := string(base.Write())
	rapid.Check(t, func(t *rapid.T) {
		f := read(t, text)
		for range rapid.IntRange(1, 6).Draw(t, "edits") {
			next := f.Clone()
			mutate(t, next)
			if _, faults := next.SplitAgain(nil, nil); len(faults) == 0 {
				f = next
			}
		}
		after := Of(f)
		found := Between(Of(base), after)
		require.Equal(t, text, putBack(t, f, found), Sentences(found))
		keys := map[string]bool{}
		for i := range found {
			require.False(t, keys[found[i].Key], "a key stands once: %s", found[i].Key)
			keys[found[i].Key] = true
		}
		require.Equal(t, len(found) == 0, string(f.Write()) == text)
		if len(found) > 0 {
			one := found[rapid.IntRange(0, len(found)-1).Draw(t, "one")]
			next := f.Clone()
			if err := one.PutBack(next); err == nil {
				if p, faults := next.SplitAgain(nil, nil); len(faults) == 0 {
					left := Between(Of(base), Side{next, p})
					require.False(
						t,
						slices.ContainsFunc(left, func(c Change) bool { return c.Key == one.Key }),
						"%s is put back",
						one.Key,
					)
				}
			}
		}
	})
}

// mutate makes one of the edits that screens make.
func mutate(t *rapid.T, f *store.File) {
	m := &f.Methods[rapid.IntRange(0, len(f.Methods)-1).Draw(t, "method")]
	if rapid.IntRange(0, 4).Draw(t, "defaults") == 0 {
		mutateDefaults(t, f, m)
		return
	}
	tb := &m.Tables[rapid.IntRange(0, len(m.Tables)-1).Draw(t, "table")]
	if len(tb.Rows) == 0 || len(tb.Zones) == 0 {
		return
	}
	row := rapid.IntRange(0, len(tb.Rows)-1).Draw(t, "row")
	column := rapid.IntRange(0, len(tb.Zones)-1).Draw(t, "column")
	switch rapid.IntRange(0, 13).Draw(t, "edit") {
	case 0:
		tb.Rows[row].Charges[column] = nil
	case 1:
		tb.Rows[row].Charges[column] = tb.Rows[0].Charges[0]
	case 2:
		tb.Rows = slices.Delete(tb.Rows, row, row+1)
	case 3:
		tb.Zones = slices.Delete(tb.Zones, column, column+1)
		for i := range tb.Rows {
			tb.Rows[i].Charges = slices.Delete(tb.Rows[i].Charges, column, column+1)
		}
	case 4:
		slices.Reverse(f.Methods)
	case 5:
		f.Methods = append(f.Methods[1:], f.Methods[0])
	case 6:
		f.Products = f.Products[rapid.IntRange(0, 3).Draw(t, "products"):]
	case 7:
		f.Zones = append(f.Zones, store.Zone{ID: "new", Enabled: true})
	case 8:
		m.Free, m.Needs, m.Terms = nil, nil, nil
	case 9:
		f.Zones[0].Places = f.Zones[1].Places
	case 10:
		f.Methods = slices.Delete(f.Methods, 0, 1)
	case 11:
		slices.Reverse(tb.Zones)
	case 12:
		f.Store.Name += "!"
	case 13:
		f.Store.SellsTo = f.Zones[0].Places
	}
}

// mutateDefaults sets or clears one of the store's defaults, and has a method inherit it or not.
func mutateDefaults(t *rapid.T, f *store.File, m *store.Method) {
	days := rapid.Int64Range(0, 3).Draw(t, "days")
	d := &f.Store.Defaults
	switch rapid.IntRange(0, 2).Draw(t, "default") {
	case 0:
		if d.Days = nil; days > 0 {
			d.Days = &store.Days{Min: days, Max: days, Business: true}
		}
		m.Inherit(store.InheritDays, days != 2)
	case 1:
		taxable := days > 1
		d.Taxable = &taxable
		m.Inherit(store.InheritTaxable, days != 2)
	case 2:
		m.Inherit(store.InheritDays, false)
	}
	f.GiveDefaults()
}

func TestWhatCannotBePutBackByItselfSaysSo(t *testing.T) {
	before := read(t, full)
	after := edited(t, full, func(s map[string]any) { member(s, "methods", 0)["name"] = "Box" })
	found := Between(Of(before), Of(after))
	gone := after.Clone()
	gone.Methods = nil
	assert.ErrorIs(t, found[0].PutBack(gone), ErrGone)
	a, b, c := Change{Key: "methods/a"}, Change{Key: "methods/a/name"}, Change{Key: "methods/ab"}
	assert.True(t, a.Touches(&b) && b.Touches(&a) && a.Touches(&a))
	assert.False(t, a.Touches(&c))
	assert.Equal(t, "nothing", Summary(nil))
	assert.Equal(t, "Box, name: “Parcel” → “Box”", Summary(found))
	assert.Equal(t, "Box, name: “Parcel” → “Box”, and 1 more", Summary(append(found, found...)))
}
