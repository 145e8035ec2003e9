package quote

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// parcelShop is a shop with two boxes, a place of its own whose point is known and one whose is not, and one method
// with more fields.
func parcelShop(table, method string) string {
	return `{"format":"diadrom-store/1","store":{"currency":"EUR","volumetric_divisor":"5000"},
	"locations":[{"id":"hall","name":"Hall","lat":"60.45","lon":"22.25"},{"id":"shed","name":"Shed"},
	 {"id":"shop","name":"Shop","lat":"60.4674","lon":"22.026","ships_from":true}],
	"classes":[{"id":"soft","name":"Soft"}],
	"boxes":[{"id":"small","name":"Small box","length":"20","width":"15","height":"10","weight":"0.1"},
	 {"id":"large","name":"Large box","length":"40","width":"30","height":"20","weight":"0.5","max_weight":"20"}],
	"zones":[{"id":"fi","name":"Finland","places":[{"country":"FI"}]}],
	"methods":[{"id":"m","name":"Post",` + method + `"tables":[{"id":"t","zones":["fi"],` + table + `}]}]}`
}

const byWeight = `"by":"weight","edges":"up_to","rows":[{"at":"2","charges":["5"]},{"at":"30","charges":["9"]}]`

// unit is a product of 10 × 10 × 10 cm and 1 kg with more fields.
func unit(more string) string {
	if strings.Contains(more, "weight") {
		return `{"name":"Cube","price":"3"` + more + `}`
	}
	return `{"name":"Cube","price":"3","weight":"1","length":"10","width":"10","height":"10"` + more + `}`
}

func parcelAnswer(t *testing.T, shop string, lines ...string) *Answer {
	e := compiled(t, []byte(shop))
	q := read(t, e, `{"to":{"country":"FI","lat":"60.46","lon":"22.2"},"parcels":true,"lines":[`+
		strings.Join(lines, ",")+`]}`)
	return e.Quote(q)
}

// parcelWords writes parcels shortly: box or −, weight, where from.
func parcelWords(o *Option) (words []string) {
	for _, p := range o.Parcels {
		box := "−"
		if p.Box != nil {
			box = *p.Box
		}
		words = append(words, strings.TrimSpace(fmt.Sprintf("%s %s %s", box, p.Weight, p.From)))
	}
	return words
}

func TestParcels(t *testing.T) {
	boxed := `"parcels":{"boxes":["large","small"]},`
	for _, tt := range []struct {
		name, method string
		lines        []string
		want         []string
		charge       string
		warnings     []string
	}{
		{"without boxes one parcel", "", []string{unit(`,"quantity":30`)}, []string{"− 30"}, "9.00", nil},
		{"the smallest box that holds the goods", boxed, []string{unit(`,"quantity":2`)}, []string{"small 2.1"}, "9.00",
			nil},
		{"one fits the first row with its box", boxed, []string{unit(`,"quantity":1`)}, []string{"small 1.1"}, "5.00",
			nil},
		{"24 fill the large box, by weight 20", boxed, []string{unit(`,"quantity":20`)}, []string{"large 20.5"}, "9.00",
			nil},
		{"21 need a second", boxed, []string{unit(`,"quantity":21`)}, []string{"large 20.5", "small 1.1"}, "14.00",
			nil},
		{"what no box takes travels alone", boxed, []string{unit(`,"quantity":1`),
			`{"name":"Pole","price":"1","weight":"3","length":"200","width":"5","height":"5","quantity":2}`},
			[]string{"− 3", "− 3", "small 1.1"}, "23.00", []string{"no_box: No box takes Pole: it travels alone"}},
		{"what has no size only weighs", boxed, []string{unit(`,"quantity":1`),
			`{"name":"Sand","price":"1","weight":"3","length":"200","quantity":2}`}, []string{"small 7.1"}, "9.00",
			[]string{"no_size: Sand has no size and takes no room in a box"}},
		{"own parcels stay so", boxed, []string{unit(`,"quantity":2,"own_parcel":true`), unit(`,"quantity":1`)},
			[]string{"− 1", "− 1", "small 1.1"}, "15.00", nil},
		{"what ships free has no parcel", boxed, []string{unit(`,"quantity":5,"ships_free":true`), unit(`,
		"quantity":1`)},
			[]string{"small 1.1"}, "5.00", nil},
		{"split by weight", `"parcels":{"max_weight":"2.5"},`, []string{unit(`,"quantity":5`)},
			[]string{"− 2", "− 2", "− 1"}, "15.00", nil},
		{"each place has its own parcels", boxed, []string{unit(`,"quantity":1,"from":"hall"`), unit(`,"quantity":1`),
			unit(`,"quantity":1,"from":"shop"`)}, []string{"small 1.1", "small 1.1 hall", "small 1.1 shop"}, "15.00",
			nil},
		{"places without boxes too", "", []string{unit(`,"quantity":1,"from":"hall"`), unit(`,"quantity":1`),
			unit(`,"quantity":4,"from":"hall"`)}, []string{"− 1", "− 5 hall"}, "14.00", nil},
		{"upright does not fit", `"parcels":{"boxes":["small"]},`, []string{
			`{"name":"Bottle","price":"1","weight":"1","length":"5","width":"5","height":"12","upright":true,
		"quantity":1}`},
			[]string{"− 1"}, "5.00", []string{"no_box: No box takes Bottle: it travels alone"}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			a := parcelAnswer(t, parcelShop(byWeight, tt.method), tt.lines...)
			require.Len(t, a.Options, 1, "%+v", a.Refused)
			assert.Equal(t, tt.want, parcelWords(&a.Options[0]))
			assert.Equal(t, tt.charge, a.Options[0].Charge)
			var warnings []string
			for _, w := range a.Warnings {
				warnings = append(warnings, w.Code+": "+w.Message)
			}
			assert.Equal(t, tt.warnings, warnings)
			assert.Len(t, a.Options[0].Steps, 1, "a table is one step")
		})
	}
}

func TestTheBreakdownNamesParcels(t *testing.T) {
	boxed := `"parcels":{"all_boxes":true},`
	for _, tt := range []struct {
		name, method, table string
		lines               []string
		want                string
	}{
		{"two boxes", boxed, byWeight, []string{unit(`,"quantity":21`)},
			"Post, Large box, 20.5 kg: row up to and including 30 kg: 9.00; Small box, 1.1 kg: row up to and " +
				"including 2 kg: 5.00"},
		{"alike", boxed, byWeight, []string{unit(`,"quantity":40`)}, "Post, 2 × Large box, 20.5 kg: row up to and " +
			"including 30 kg: 9.00 each"},
		{"split by weight", `"parcels":{"max_weight":"2.5"},`, byWeight, []string{unit(`,"quantity":5`)},
			"Post, 2 parcels, 2 kg: row up to and including 2 kg: 5.00 each; a parcel, 1 kg: row up to and " +
				"including 2 kg: " +
				"5.00"},
		{"from several places", boxed, byWeight, []string{unit(`,"quantity":1`), unit(`,"quantity":2,"from":"hall"`)},
			"Post, Small box, 1.1 kg from Shop: row up to and including 2 kg: 5.00; Small box, 2.1 kg from Hall: " +
				"row up to and including 30 kg: 9.00"},
		{"billed by the box's volume", boxed, strings.Replace(byWeight, `"weight"`, `"billed_weight"`, 1),
			[]string{unit(`,"quantity":3`)}, "Post, Large box, 3.5 kg: 40 × 30 × 20 cm ÷ 5000 = 4.8 kg, more than " +
				"3.5 kg: " +
				"row up to and including 30 kg: 9.00"},
		{"by distance, each its own", boxed,
			`"by":"distance","edges":"up_to","rows":[{"at":"5","charges":["2"]},{"at":"50","charges":["7"]}]`,
			[]string{unit(`,"quantity":1`), unit(`,"quantity":2,"from":"hall"`)},
			"Post, Small box, 1.1 kg from Shop: row up to and including 50 km: 7.00; Small box, 2.1 kg from Hall: " +
				"row up to and including 5 km: 2.00"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			a := parcelAnswer(t, parcelShop(tt.table, tt.method), tt.lines...)
			require.Len(t, a.Options, 1, "%+v", a.Refused)
			assert.Equal(t, tt.want, a.Options[0].Steps[0].Text)
		})
	}
}

func TestLimitsOfParcels(t *testing.T) {
	for _, tt := range []struct {
		name, method string
		lines        []string
		code, reason string
	}{
		{"a parcel of its own is too heavy", `"parcels":{"max_weight":"5"},`,
			[]string{unit(`,"weight":"6","own_parcel":true,"quantity":1`)}, "parcel",
			"a parcel too heavy (6 kg, limit 5 kg)"},
		{"needs come first", `"parcels":{"max_weight":"5"},"needs":{"weight":{"to":"5"}},`,
			[]string{unit(`,"weight":"6","quantity":1`)}, "needs", "too heavy (6 kg, limit 5 kg)"},
		{"then parcels, then the distance", `"parcels":{"max_weight":"5"},"needs":{"distance":{"to":"50"}},`,
			[]string{unit(`,"weight":"6","quantity":1,"from":"shed"`)}, "parcel", "a parcel too heavy (6 kg, limit " +
				"5 kg)"},
		{"then the distance of the place", `"parcels":{"max_weight":"5"},"needs":{"distance":{"to":"50"}},`,
			[]string{unit(`,"quantity":1,"from":"shed"`)}, "no_distance",
			"needs the distance, and we do not know where Shed is, from where it leaves: give that place a postcode " +
				"or a " +
				"point"},
		{"the largest distance counts", `"needs":{"distance":{"to":"5"}},"from":"hall",`,
			[]string{unit(`,"quantity":1`), unit(`,"quantity":1,"from":"shop"`)}, "needs",
			"too far (9.608 km, limit 5 km)"},
		{"every parcel's weight, with its box", `"parcels":{"all_boxes":true},"needs":{"parcel_weight":{"to":"2"}},`,
			[]string{unit(`,"quantity":2`)}, "needs", "a parcel too heavy (2.1 kg, limit 2 kg)"},
		{"goods that ship free weigh too", `"needs":{"parcel_weight":{"to":"2"}},`,
			[]string{unit(`,"quantity":2`), unit(`,"quantity":1,"ships_free":true`)}, "needs",
			"a parcel too heavy (3 kg, limit 2 kg)"},
		{"the girth of the box: 40 + 2 × (30 + 20)", `"parcels":{"boxes":["large"]},"needs":{"girth":{"to":"139.9"}},`,
			[]string{unit(`,"quantity":1`)}, "needs", "a parcel too large (140 cm, limit 139.9 cm)"},
		{"the girth of each unit: 10 + 2 × 20", `"needs":{"girth":{"to":"49"}},`, []string{unit(`,"quantity":7`)},
			"needs",
			"a parcel too large (50 cm, limit 49 cm)"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			a := parcelAnswer(t, parcelShop(byWeight, tt.method), tt.lines...)
			require.Len(t, a.Refused, 1, "%+v", a.Options)
			assert.Equal(t, tt.code, a.Refused[0].Code)
			assert.Equal(t, tt.reason, a.Refused[0].Reason)
			assert.NotContains(t, a.Refused[0].Why.Buyer("Post"), "Shed")
		})
	}
}

// TestListedParcels shows the shape of docs/model.md.
func TestListedParcels(t *testing.T) {
	a := parcelAnswer(t, parcelShop(byWeight, `"parcels":{"all_boxes":true},`), unit(`,"quantity":1`),
		`{"name":"Slab","price":"1","weight":"2","length":"5","width":"20","height":"10","quantity":1}`)
	require.Len(t, a.Options, 1)
	out, err := json.Marshal(a.Options[0].Parcels)
	require.NoError(t, err)
	assert.JSONEq(t, `[{"box":"small","from":"","weight":"3.1","billed_weight":"3.1","sides":["20","15","10"],
		"lines":[{"line":0,"quantity":1},{"line":1,"quantity":1}],
		"placements":[{"line":0,"at":["0","0","0"],"sides":["10","10","10"]},
		 {"line":1,"at":["0","10","0"],"sides":["20","5","10"]}]}]`, string(out))
	a = parcelAnswer(t, parcelShop(byWeight, ""), unit(`,"quantity":1,"ships_free":true`))
	out, err = json.Marshal(a.Options[0])
	require.NoError(t, err)
	assert.Contains(t, string(out), `"parcels":[]`, "asked for, and there are none")
}

func TestAMillionParcels(t *testing.T) {
	a := parcelAnswer(t, parcelShop(`"by":"order","rows":[{"at":null,"charges":["1"]}]`, ""),
		unit(`,"quantity":1000000,"own_parcel":true`))
	assert.Len(t, a.Options[0].Parcels, MaxParcels)
	assert.Equal(t, ParcelsCut, a.Warnings[0].Code)
	a = parcelAnswer(t, parcelShop(`"by":"order","rows":[{"at":null,"charges":["1"]}]`,
		`"parcels":{"all_boxes":true},`),
		`{"price":"0","weight":"0.000001","length":"0.1","width":"0.1","height":"0.1","quantity":1000000}`)
	assert.Equal(t, []string{"small 1.1"}, parcelWords(&a.Options[0]), "3,000,000 fit")
	assert.Nil(t, a.Options[0].Parcels[0].Placements)
}

// TestASweepShowsWhereASecondBoxBegins asks just under, on and just over.
func TestASweepShowsWhereASecondBoxBegins(t *testing.T) {
	e := compiled(t, []byte(parcelShop(byWeight, `"parcels":{"all_boxes":true},`)))
	q := read(t, e, `{"to":{"country":"FI"},"lines":[`+unit(`,"quantity":1`)+`]}`)
	charges := map[string]string{}
	for _, s := range e.Sweep(q, rate.ByQuantity) {
		charges[s.At.String()] = s.Answer.Options[0].Charge
	}
	for at, want := range map[string]string{"1": "5.00", "2": "9.00", "19": "9.00", "20": "9.00", "21": "14.00",
		"40": "18.00", "41": "23.00"} {
		assert.Equal(t, want, charges[at], at)
	}
	byMass := map[string]bool{}
	for _, b := range e.Breaks(rate.ByWeight) {
		byMass[b.String()] = true
	}
	for _, at := range []string{"1.9", "1.5", "29.5", "20"} {
		assert.True(t, byMass[at], "%s kg of goods: %v", at, byMass)
	}
}

// TestStoresWithParcelsThatSayNothing quote as without.
func TestStoresWithParcelsThatSayNothing(t *testing.T) {
	for _, method := range []string{`"parcels":{},`, `"parcels":{"boxes":[]},`, `"parcels":null,`} {
		f, faults := store.Read([]byte(parcelShop(byWeight, method)))
		require.Empty(t, faults)
		assert.Nil(t, f.Methods[0].Parcels)
	}
}

func TestGirth(t *testing.T) {
	n := decimal.MustParse
	assert.Equal(t, "300", Girth([3]decimal.Decimal{n("40"), n("100"), n("60")}).String(), "100 + 2 × (40 + 60)")
}

// TestBadGoodsAreParcelled asks for what shops get wrong.
func TestBadGoodsAreParcelled(t *testing.T) {
	boxed := `"parcels":{"all_boxes":true},`
	for _, tt := range []struct {
		name, method string
		lines        []string
		want         []string
	}{
		{"a side of 0", boxed, []string{`{"name":"Foil","weight":"0.1","length":"20","width":"15","height":"0",
		"quantity":9}`},
			[]string{"small 1"}},
		{"sides of 1e9", boxed, []string{`{"name":"Moon","weight":"1","length":"1000000000","width":"1000000000",
			"height":"1000000000","quantity":1}`}, []string{"− 1"}},
		{"sides of 0.001", boxed, []string{`{"name":"Dust","weight":"0","length":"0.001","width":"0.001",
		"height":"0.001",
			"quantity":1000000}`}, []string{"small 0.1"}},
		{"only diagonally", boxed, []string{`{"name":"Rod","weight":"1","length":"45","width":"1","height":"1",
		"quantity":1}`},
			[]string{"− 1"}},
		{"all goods without sides", boxed, []string{`{"name":"A","weight":"15","quantity":2}`}, []string{"small 30.1"}},
		{"heavier than any box carries", `"parcels":{"boxes":["large"]},`, []string{`{"name":"A","weight":"21",
			"length":"1","width":"1","height":"1","quantity":1}`}, []string{"− 21"}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			a := parcelAnswer(t, parcelShop(`"by":"order","rows":[{"charges":["1"]}]`, tt.method), tt.lines...)
			require.Len(t, a.Options, 1)
			assert.Equal(t, tt.want, parcelWords(&a.Options[0]))
		})
	}
}

func TestFortyOrigins(t *testing.T) {
	var locations, lines []string
	for i := range 40 {
		locations = append(locations, fmt.Sprintf(`{"id":"l%d","lat":"60.%d","lon":"22"}`, i, i+10))
		lines = append(lines, unit(fmt.Sprintf(`,"quantity":%d,"from":"l%d"`, 1+i, 39-i)))
	}
	shop := strings.Replace(parcelShop(`"by":"order","rows":[{"charges":["1"]}]`, `"parcels":{"all_boxes":true},`),
		`"locations":[`, `"locations":[`+strings.Join(locations, ",")+",", 1)
	a := parcelAnswer(t, shop, lines...)
	require.Len(t, a.Options, 1)
	words := parcelWords(&a.Options[0])
	assert.Equal(t, "l0", words[0][strings.LastIndex(words[0], " ")+1:], "in the file's order of places")
	assert.Equal(t, "60.00", a.Options[0].Charge, "one for each place, two for those with more than 20")
	assert.Len(t, words, 60)
}

// TestTheOrderOfLinesChangesNoPrice asks the same goods in another order; they differ in price and class, so it counts
// which of them shares a parcel with which.
func TestTheOrderOfLinesChangesNoPrice(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		file, request := drawStore(t), drawRequest(t)
		e := engineOf(t, file)
		charges := func(a *Answer) map[string]string {
			out := map[string]string{}
			for _, o := range a.Options {
				out[o.Method] = o.Charge
			}
			return out
		}
		before := charges(ask(t, e, request))
		request["lines"] = rapid.Permutation(request["lines"].([]any)).Draw(t, "order")
		assert.Equal(t, before, charges(ask(t, engineOf(t, file), request)))
	})
}

func TestParcelsOfManyRequestsAreBounded(t *testing.T) {
	e := compiled(t, []byte(parcelShop(byWeight, "")))
	one := `{"to":{"country":"FI"},"parcels":true,"lines":[` + unit(`,"quantity":60000`) + `]}`
	_, _, faults := e.ReadRequest([]byte(one))
	assert.Empty(t, faults)
	_, _, faults = e.ReadRequest([]byte(`[` + one + `,` + one + `]`))
	require.Len(t, faults, 1)
	assert.Equal(t, "/1/parcels too_large", faults[0].Path+" "+faults[0].Code)
}

func TestAStepSaysHowManyParcelsItDoesNotName(t *testing.T) {
	var lines []string
	for i := range maxNamed + 3 {
		lines = append(lines, unit(fmt.Sprintf(`,"own_parcel":true,"quantity":%d`, i+1)))
	}
	a := parcelAnswer(t, parcelShop(`"by":"order","rows":[{"charges":["1"]}]`, ""), lines...)
	step := a.Options[0].Steps[0]
	assert.True(t, strings.HasSuffix(step.Text, "; and 3 more parcels"), step.Text[len(step.Text)-60:])
	assert.Equal(t, "5356.00", step.Amount, "1 + 2 + … + 103")
}
