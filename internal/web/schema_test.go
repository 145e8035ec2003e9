package web

import (
	"encoding/json"
	"maps"
	"net/http"
	"reflect"
	"slices"
	"strings"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// fieldsOf adds the paths of the store file's fields; * stands for entries of lists and of maps.
func fieldsOf(t reflect.Type, at string, into map[string]bool) {
	switch {
	case t.Kind() == reflect.Pointer:
		fieldsOf(t.Elem(), at, into)
	case t == reflect.TypeFor[decimal.Decimal]() || t == reflect.TypeFor[place.Rule]():
		into[at] = true
	case t.Kind() == reflect.Map:
		fieldsOf(t.Elem(), at+".*", into)
	case t.Kind() == reflect.Slice && t.Elem() == reflect.TypeFor[place.Rule]():
		into[at] = true
	case t.Kind() == reflect.Slice:
		if e := t.Elem(); e.Kind() == reflect.Struct || e.Kind() == reflect.Pointer || e.Kind() == reflect.Slice {
			fieldsOf(e, at+".*", into)
			return
		}
		into[at] = true
	case t.Kind() == reflect.Struct:
		for i := range t.NumField() {
			f := t.Field(i)
			name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			if !f.IsExported() || name == "-" {
				continue
			}
			below := strings.TrimPrefix(at+"."+name, ".")
			if name == "" { // of an embedded struct
				below = at
			}
			fieldsOf(f.Type, below, into)
		}
	default:
		into[at] = true
	}
}

// keyed are fields that have what is theirs by zone or by language.
var keyed = map[string]bool{"terms": true, "labels": true, "refused_texts": true, "names": true, "hours_texts": true}

// changed adds the paths of what differs. Of an entry that is new or gone, and of one that has moved, nothing counts:
// whoever makes an entry has not changed its fields.
func changed(before, after any, at string, into map[string]bool) {
	if reflect.DeepEqual(before, after) {
		return
	}
	switch a := after.(type) {
	case map[string]any:
		b, _ := before.(map[string]any)
		if b == nil && before != nil { // a plain amount has become a charge
			into[at] = true
		}
		for _, name := range slices.Sorted(maps.Keys(a)) {
			below := strings.TrimPrefix(at+"."+name, ".")
			if keyed[at[strings.LastIndexByte(at, '.')+1:]] {
				below = at + ".*"
			}
			changed(b[name], a[name], below, into)
		}
		for name := range b {
			if _, still := a[name]; !still {
				into[strings.TrimPrefix(at+"."+name, ".")] = true
			}
		}
	case []any:
		into[at] = true
		b, _ := before.([]any)
		if len(b) != len(a) {
			return
		}
		for i := range a {
			changed(b[i], a[i], at+".*", into)
		}
	default:
		into[at] = true
	}
}

// noForm are the fields that no form changes, and why.
var noForm = map[string]string{
	"format":                "it says which contract a file keeps to",
	"products.*.sku":        "another SKU is another product: promises and carts know it by that",
	"store.tax.rates.*":     "a rate for other places is another rate, which is added",
	"locations.*.id":        "ids are given by the program and never change",
	"classes.*.id":          "as above",
	"zones.*.id":            "as above",
	"methods.*.id":          "as above",
	"methods.*.tables.*.id": "as above",
	"surcharges.*.id":       "as above",
	"boxes.*.id":            "as above",
	"carriers.*.id":         "as above",
	"agreed.*.id":           "as above",
	"costs.*.id":            "as above",
	"costs.*.tables.*.id":   "as above",

	"methods.*.carrier.services.*.code": "another code is another service, which is added and removed",
}

// forms are edits of the demo shop, one after the other: an address and what is sent to it.
var forms = [][]string{
	{"/shop", "name", "Other", "currency", "EUR", "weight", "kg", "length", "cm", "distance", "km"},
	{"/goods/setting", "setting", "assumed", "value", "500 g"},
	{"/carriers", "name", "Other", "url", "https://other.example"},
	{"/carriers/kuikka/set", "field", "name", "value", "Kuikka Post"},
	{"/carriers/kuikka/set", "field", "url", "value", "https://kuikka.example/v2"},
	{"/methods/abroad/asks", "field", "carrier", "value", "vaaru"},
	{"/methods/abroad/asks", "field", "percent", "value", "-7.5 %"},
	{"/methods/abroad/asks", "field", "amount", "value", "1,20"},
	{"/methods/abroad/asks", "field", "fallback", "value", ""},
	{"/methods/abroad/services", "code", "night"},
	{"/methods/abroad/service", "code", "parcel", "field", "label", "value", "By parcel post"},
	{"/languages/text", "of", "service", "id", "abroad", "code", "parcel", "tag", "fi", "text", "Postipaketti"},
	{"/languages/text", "of", "label", "id", "parcel", "tag", "fi", "text", "Paketti kotiovelle"},
	{"/languages/text", "of", "refused", "id", "parcel", "tag", "fi", "text", "Ei tänään"},
	{"/languages/text", "of", "place", "id", "workshop", "tag", "fi", "text", "Verstas"},
	{"/languages/text", "of", "hours", "id", "workshop", "tag", "fi", "text", "ma–pe 10–18"},
	{"/languages/text", "of", "box", "id", "small", "tag", "fi", "text", "Pieni laatikko"},
	{"/methods/abroad/service", "code", "parcel", "field", "days", "value", "3 to 5 working days"},
	{"/methods/abroad/service", "code", "small", "field", "on", "value", ""},
	{"/goods/setting", "setting", "divisor", "value", "6,000"},
	{"/goods/setting", "setting", "counts", "value", "all"},
	{"/shop/places/workshop", "field", "ready", "value", "1 to 2 working days"},
	{"/shop/distances", "field", "by", "value", "road"},
	{"/shop/distances", "field", "factor", "value", "1,5"},
	{"/shop/dispatch", "field", "cut-off", "value", "12:00"},
	{"/shop/dispatch", "field", "zone", "value", "Europe/Tallinn"},
	{"/shop/dispatch", "field", "day", "value", "sat", "on", "on"},
	{"/shop/dispatch", "field", "holidays", "value", "SE"},
	{"/shop/dispatch", "field", "closed", "value", "2027-01-02"},
	{"/shop/dispatch", "field", "lead", "value", "2"},
	{"/checkout/choices", "field", "prices", "value", "wait"},
	{"/checkout/choices", "field", "options", "value", "menu"},
	{"/checkout/choices", "field", "address", "value", "billing"},
	{"/shop/sells", "places", "Finland, FI 22*"},
	{"/shop/tax/included", "included", "no"},
	{"/shop/tax/rate", "places", "Finland", "value", "24"},
	{"/shop/tax", "tax", "Norway 25 %"},
	{"/shop/places/market-hall", "field", "name", "value", "Hall"},
	{"/shop/places/market-hall", "field", "street", "value", "Eerikinkatu 16"},
	{"/shop/places/market-hall", "field", "postcode", "value", "20110"},
	{"/shop/places/market-hall", "field", "city", "value", "Raisio"},
	{"/shop/places/market-hall", "field", "point", "value", "60.5 22.5"},
	{"/shop/places/market-hall", "field", "hours", "value", "10 to 18"},
	{"/shop/places/market-hall", "field", "ships_from", "value", "on"},
	{"/shop/places/market-hall", "field", "pickup", "value", ""},
	{"/shop/places/market-hall", "field", "country", "value", "Estonia"},
	{"/goods/classes/bulky", "field", "name", "value", "Large"},
	{"/goods/classes/bulky", "field", "note", "value", "two carry it"},
	{"/zones/aland/name", "name", "The islands"},
	{"/zones/aland/enabled"},
	{"/zones/aland/pinned", "pinned", "on"},
	{"/zones/aland/only", "only", "on"},
	{"/zones/aland/places", "places", "Norway, not NO 0150"},
	{"/methods/locker/name", "field", "name", "value", "Box"},
	{"/methods/locker/name", "field", "label", "value", "Box near you"},
	{"/methods/locker/switch", "field", "enabled"},
	{"/methods/locker/switch", "field", "taxable"},
	{"/methods/locker/switch", "field", "preselected", "value", "on"},
	{"/methods/locker/switch", "field", "kind", "value", "pickup"},
	{"/methods/locker/switch", "field", "tells", "value", "on"},
	{"/methods/locker/switch", "field", "refused", "value", "Sorry"},
	{"/rates/freight/combine", "how", "dearest"},
	{"/rates/freight/lists", "classes", "Soft", "by", "weight"},
	{"/rates/van/round/shape", "field", "name", "value", "Round"},
	{"/methods", "name", "Far", "by", "distance"},
	{"/rates/far/list/shape", "field", "graduated", "value", "on"},
	{"/rates/far/list/shape", "field", "per", "value", "on"},
	{"/methods", "name", "Test", "by", "weight"},
	{"/rates/test/list/shape", "field", "edges", "value", "from"},
	{"/rates/test/list/shape", "field", "by", "value", "quantity"},
	{"/rates/test/combine", "how", "add"},
	{"/rates/test/list/shape", "field", "classes", "value", "Bulky"},
	{"/rates/test/list/rows", "at", "5"},
	{"/rates/test/list/at", "was", "5", "at", "6"},
	{"/rates/test/list/remove-column", "zone", "world", "agreed", "yes"},
	{"/rates/test/list/paste", "at", "6", "zone", "finland", "block", "1 + 2 % + 3 per item"},
	{"/rates/test/list/paste", "at", "6", "zone", "finland", "block", "4 first item, 5 each next"},
	{"/rates/test/list/paste", "at", "6", "zone", "finland", "block", "2 + 0.50 per started 2 kg above 3"},
	{"/rates/test/list/paste", "at", "6", "zone", "finland", "block", "2 + 0.50 per 2 km above 3"},
	{"/costs", "method", "freight", "name", "Freight 2026", "by", "weight"},
	{"/costs/freight-2026", "field", "name", "value", "Freight, 2026"},
	{"/costs/freight-2026", "field", "per-parcel", "value", "0.50"},
	{"/costs/freight-2026", "field", "method", "method", "market", "value", "on"},
	{"/rates/cost--freight-2026/lists", "classes", "Soft", "by", "weight"},
	{"/rates/cost--freight-2026/list/shape", "field", "name", "value", "Heavy"},
	{"/rates/cost--freight-2026/list/shape", "field", "classes", "value", "Bulky"},
	{"/rates/cost--freight-2026/list/shape", "field", "per", "value", "on"},
	{"/rates/cost--freight-2026/list/shape", "field", "graduated", "value", "on"},
	{"/rates/cost--freight-2026/list/shape", "field", "graduated", "value", ""},
	{"/rates/cost--freight-2026/list/shape", "field", "per", "value", ""},
	{"/rates/cost--freight-2026/list/rows", "at", "5"},
	{"/rates/cost--freight-2026/list/at", "was", "5", "at", "6"},
	{"/rates/cost--freight-2026/list/columns", "zone", "eu"},
	{"/rates/cost--freight-2026/list/paste", "at", "6", "zone", "finland", "block", "1 + 2 % + 3 per item"},
	{"/rates/cost--freight-2026/list/paste", "at", "6", "zone", "finland", "block", "4 first item, 5 each next"},
	{
		"/rates/cost--freight-2026/list/paste",
		"at",
		"6",
		"zone",
		"finland",
		"block",
		"2 + 0.50 per started 2 kg above 3",
	},
	{"/rates/cost--freight-2026/list/paste", "at", "6", "zone", "finland", "block", "2 + 0.50 per 2 km above 3"},
	{"/rates/cost--freight-2026/list/shape", "field", "edges", "value", "from"},
	{"/rates/cost--freight-2026/list/shape", "field", "by", "value", "quantity"},
	{"/rates/cost--freight-2026/combine", "how", "dearest"},
	{"/extras/surcharges/far-north", "field", "name", "value", "North"},
	{"/extras/surcharges/far-north", "field", "places", "value", "FI 98*, not FI 98100"},
	{"/extras/surcharges/far-north", "field", "amount", "value", "5"},
	{"/extras/surcharges/far-north", "field", "percent", "value", "6"},
	{"/extras/surcharges/far-north", "field", "methods", "value", "Freight"},
	{"/extras/agreed/hotel", "field", "name", "value", "Inn"},
	{"/extras/agreed/hotel", "field", "customer", "value", "C-2"},
	{"/extras/agreed/hotel", "field", "group", "value", "inns"},
	{"/extras/agreed/hotel", "field", "place", "value", "Rantakatu 2, 21100, Finland"},
	{"/extras/agreed/hotel", "field", "amount", "value", "9"},
	{"/extras/agreed/hotel", "field", "methods", "value", "Freight"},
}

// termForms are terms as they are typed, everywhere and in a zone.
var termForms = [][2]string{{"days", "2 to 4 working days"},
	{"free", "from 100 and from 5 items and with coupon SPRING during 2026-12-01 to 2026-12-24"},
	{"minimum", "2"}, {"maximum", "90"}, {"handling", "1 + 2 %"}, {"weight", "1 to 30 kg"},
	{"billed_weight", "1 to 30 kg"}, {"parcel_weight", "1 to 25 kg"}, {"girth", "20 to 300 cm"},
	{"longest_side", "1 to 90 cm"}, {"subtotal", "1 to 900"}, {"quantity", "1 to 9"}, {"distance", "1 to 50 km"},
	{"only_classes", "Soft"}, {"without_classes", "Bulky"}, {"coupons", "A1"}, {"groups", "trade"}}

// wholeForms are terms of a method that are the same in all zones.
var wholeForms = [][2]string{{"available", "2026-12-01 to 2026-12-24"}, {"leaves_on", "Tue, Thu"}, {"cut_off", "11:00"},
	{"lead_days", "1"}, {"from", "Workshop"}, {"points", "Workshop; Hall"}, {"volumetric_divisor", "4000"},
	{"boxes", "all"}, {"boxes", "Small box; Large box"}, {"max_parcel", "25 kg"}}

// boxForms are fields of a box as they are typed.
var boxForms = [][2]string{{"name", "Carton"}, {"length", "31 cm"}, {"width", "23"}, {"height", "110 mm"},
	{"weight", "130 g"}, {"max_weight", "6"}, {"cost", "0.55"}}

func TestEveryFieldOfAStoreFileHasAForm(t *testing.T) {
	s := lauha(t)
	fields, covered := map[string]bool{}, map[string]bool{}
	fieldsOf(reflect.TypeFor[store.File](), "", fields)
	tree := func() (v any) {
		require.NoError(t, json.Unmarshal(s.draft.State().File.Write(), &v))
		return v
	}
	whole := slices.Clone(forms)
	add := func(form ...string) { whole = append(whole, form) }
	for _, zone := range []string{"finland", ""} { // what a zone has from everywhere would change nothing
		for _, term := range termForms {
			add("/methods/test/term", "zone", zone, "field", term[0], "was", "", "text", term[1])
		}
	}
	for _, term := range append(termForms, [2]string{"taxable", "no"}) {
		add("/defaults", "term", term[0], "text", term[1], "how", "default", "method", "test")
	}
	add("/methods/test/term", "zone", "finland", "field", "offered", "was", "", "text", "no")
	was := map[string]string{}
	for _, term := range wholeForms {
		add("/methods/test/term", "zone", "", "field", term[0], "was", was[term[0]], "text", term[1])
		was[term[0]] = term[1]
	}
	for _, typed := range boxForms {
		add("/goods/boxes/cell", "sku", "large", "field", typed[0], "was",
			edit.BoxText(s.draft.State().File, s.draft.State().File.Box("large"), edit.BoxField(typed[0])), "text",
			typed[1])
	}
	for field, typed := range map[string]string{"name": "Cap", "price": "3", "weight": "0.4", "length": "11",
		"width":  "12",
		"height": "13", "class": "Bulky", "needs_shipping": "no", "ships_free": "yes", "own_parcel": "yes",
		"upright": "yes", "from": "Workshop"} {
		add("/goods/set", "selected", "TOWEL-70", "field", field, "value", typed)
	}
	for _, form := range whole {
		before := tree()
		status, body := s.post(form[0], form[1:]...)
		seen := map[string]bool{}
		changed(before, tree(), "", seen)
		if !assert.Equal(t, http.StatusOK, status, "%s: %s", form, body) {
			continue
		}
		assert.NotEmpty(t, seen, "%s changes nothing", form)
		maps.Copy(covered, seen)
	}
	empty := opened(t, draft.Empty(), false)
	status, _ := empty.post("/shop", "name", "New", "currency", "SEK", "weight", "g", "length", "mm", "distance", "mi")
	require.Equal(t, http.StatusOK, status)
	is := empty.draft.State().File.Store
	assert.Equal(t, []string{"SEK", "g", "mm", "mi"}, []string{is.Currency, is.WeightUnit, is.LengthUnit,
		is.DistanceUnit})
	for _, name := range []string{"currency", "weight_unit", "length_unit", "distance_unit"} {
		covered["store."+name] = true // before there are prices and weights
	}
	for _, name := range slices.Sorted(maps.Keys(fields)) {
		list, _, _ := strings.Cut(name, ".")
		if !covered[name] && noForm[name] == "" && noForm[list+".*"] == "" {
			t.Errorf("no form changes %s", name)
		}
	}
	for name := range noForm {
		list, whole := strings.CutSuffix(name, ".*")
		assert.True(t, fields[name] || whole && fields[list+".id"] || whole && fields[list+".*.id"], name)
	}
}
