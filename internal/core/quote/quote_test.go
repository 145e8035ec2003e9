package quote

import (
	"fmt"
	"strings"
	"sync"
	"testing"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// shopWith is a store with one method and Finland as its zone; method holds the method's fields, more those of
// the file.
func shopWith(method, more string) string {
	return `{"format":"diadrom-store/1","store":{"name":"S","currency":"EUR",
	"tax":{"prices_include_tax":true,"rates":[{"country":"FI","percent":"25.5"}]}},
	"locations":[{"id":"w","name":"Workshop","country":"FI","lat":"60.4674","lon":"22.0260","ships_from":true}],
		"classes":[{"id":"bulky","name":"Bulky"},{"id":"small"}],
	"zones":[{"id":"fi","name":"Finland","places":[{"country":"FI"}]}],"methods":[{"id":"m","name":"Parcel",` + method +
		`}]` + more + `}`
}

func oneTable(by, edges, rows string) string {
	return fmt.Sprintf(
		`"tables":[{"id":"t","name":"Price list","zones":["fi"],"by":%q,"edges":%q,"rows":%s}]`,
		by,
		edges,
		rows,
	)
}

const flat = `"tables":[{"id":"t","name":"Price list","zones":["fi"],"by":"order","rows":[{"charges":["10.00"]}]}]`

func quoted(t *testing.T, file, request string) *Answer {
	t.Helper()
	e := compiled(t, []byte(file))
	return e.Quote(read(t, e, request))
}

func goods(fields ...string) string {
	lines := make([]string, len(fields))
	for i, f := range fields {
		lines[i] = "{" + f + "}"
	}
	return `{"to":{"country":"FI","postcode":"21100"},"lines":[` + strings.Join(lines, ",") + `]`
}

// Within its period a method is offered, outside it refused after zone_only and before needs (docs/model.md, Dates).
func TestAMethodAndAFreeRuleForAWhile(t *testing.T) {
	rows := `[{"at":null,"charges":["6.90"]}]`
	file := shopWith(`"available":{"from":"2026-12-01","to":"2026-12-24"},"needs":{"weight":{"to":"5"}},
		"free":{"subtotal":"10","available":{"to":"2026-12-06"}},`+oneTable("weight", "up_to", rows), "")
	for _, c := range []struct{ at, weight, want string }{
		{"2026-11-30T23:59:59Z", "9", "not_available"},
		{"2026-12-01T00:00:00Z", "1", "0.00"},
		{"2026-12-06T23:59:59Z", "1", "0.00"},
		{"2026-12-07T00:00:00Z", "1", "6.90"},
		{"2026-12-24T12:00:00Z", "9", "needs"},
		{"2026-12-25T00:00:00Z", "1", "not_available"},
	} {
		a := quoted(t, file, goods(`"price":"20","weight":"`+c.weight+`","quantity":1`)+`,"at":"`+c.at+`"}`)
		if len(a.Refused) > 0 {
			assert.Equal(t, c.want, a.Refused[0].Code, c.at)
		} else {
			assert.Equal(t, c.want, a.Options[0].Charge, c.at)
		}
	}
	a := quoted(t, file, goods(`"price":"20","weight":"1","quantity":1`)+`,"at":"2026-12-25T00:00:00Z"}`)
	assert.Equal(t, "available only 1 December 2026 to 24 December 2026", a.Refused[0].Reason)
	assert.Equal(t, "Parcel is available only 1 December 2026 to 24 December 2026", a.Refused[0].Why.Buyer("Parcel"))
}

// Faults of periods and of a method's own dispatch.
func TestFaultsOfPeriodsAndDispatch(t *testing.T) {
	for method, want := range map[string]string{
		`"available":{"from":"2026-12-24","to":"2026-12-01"},`: "/methods/0/available/to range",
		`"available":{"from":"24.12.2026"},`:                   "/methods/0/available/from range",
		`"free":{"available":{"to":"2026-12-01"}},`:            "/methods/0/free missing",
		`"dispatch":{"lead_days":5},`:                          "/methods/0/dispatch missing",
		`"dispatch":{"lead_days":61},`:                         "/methods/0/dispatch/lead_days range",
		`"available":{},"dispatch":{},`:                        "",
		`"terms":{"fi":{"free":{"subtotal":"5","available":{"a":1}}}},`: "/methods/0/terms/fi/free/available/a " +
			"unknown_field",
	} {
		_, faults := store.Read([]byte(shopWith(method+oneTable("weight", "up_to", `[{"at":null,
		"charges":["6.90"]}]`), "")))
		have := ""
		if len(faults) > 0 {
			have = faults[0].Path + " " + faults[0].Code
		}
		assert.Equal(t, want, have, method)
	}
}

// The worked example of docs/model.md.
func TestTheContractsExample(t *testing.T) {
	rows := `[{"at":"2","charges":["6.90"]},{"at":"10","charges":["9.90"]},{"at":null,"charges":[{"base":"9.90",
		"per_weight":{"amount":"0.80","every":"1","above":"10","part":"started"}}]}]`
	a := quoted(
		t,
		shopWith(`"handling":{"amount":"1.00"},`+oneTable("weight", "up_to", rows), ""),
		goods(
			`"price":"39.00","weight":"20","own_parcel":true,"quantity":2`,
			`"name":"Ladle","price":"24.00","weight":"0.4","quantity":1`,
		)+"}",
	)
	o := a.Options[0]
	assert.Equal(t, []string{"43.70", "8.88", "43.70"}, []string{o.Charge, o.Tax, o.Total})
	assert.Equal(t, Measures{Subtotal: "102.00", Weight: "40.4", Quantity: 3}, a.Measures)
	assert.Equal(t, []string{"42.70", "1.00"}, []string{o.Steps[0].Amount, o.Steps[1].Amount})
}

// Common practice, no source: 2 kg exactly still pays the 2 kg price in a list "up to and including", and
// already pays the next one in a list "from".
func TestWhereABreakPointBelongs(t *testing.T) {
	upTo := oneTable("weight", "up_to", `[{"at":"2","charges":["1.00"]},{"at":"5","charges":["2.00"]}]`)
	from := oneTable(
		"weight",
		"from",
		`[{"at":"0","charges":["1.00"]},{"at":"2","charges":["2.00"]},{"at":"5","charges":["3.00"]}]`,
	)
	for _, c := range []struct{ table, weight, charge, words string }{
		{upTo, "0", "1.00", "up to and including 2 kg"}, {upTo, "2", "1.00", "up to and including 2 kg"},
		{upTo, "2.000000000001", "2.00", "up to and including 5 kg"}, {upTo, "5", "2.00", ""},
		{from, "0", "1.00", "under 2 kg"}, {from, "1.999", "1.00", ""}, {from, "2", "2.00", "2 kg to under 5 kg"},
		{from, "5", "3.00", "5 kg and over"}, {from, "900", "3.00", ""},
	} {
		a := quoted(t, shopWith(c.table, ""), goods(`"price":"1","weight":"`+c.weight+`","quantity":1`)+"}")
		require.Len(t, a.Options, 1, c.weight)
		assert.Equal(t, c.charge, a.Options[0].Charge, c.weight)
		assert.Contains(t, a.Options[0].Steps[0].Text, c.words)
	}
	a := quoted(t, shopWith(upTo, ""), goods(`"price":"1","weight":"5.5","quantity":1`)+"}")
	assert.Equal(
		t,
		[]string{NoRate, "too heavy to Finland (5.5 kg, limit 5 kg)"},
		[]string{a.Refused[0].Code, a.Refused[0].Reason},
	)
	assert.Equal(
		t,
		"We cannot deliver this order to 21100, Finland: too heavy for Parcel (5.5 kg, limit 5 kg).",
		a.Message,
	)
}

func TestChargesAndTheirReckoning(t *testing.T) {
	for _, c := range []struct{ charge, goods, want, says string }{
		{`"6.90"`, `"price":"5","weight":"1","quantity":1`, "6.90", "any weight: 6.90"},
		{`{"base":"3","per_item":"1"}`, `"price":"5","weight":"1","quantity":3`, "6.00",
			"3.00 + 1.00 × 3 items = 6.00"},
		{`{"first_item":"4","next_item":"1.50"}`, `"price":"5","weight":"1","quantity":1`, "4.00", "4.00 first item"},
		{`{"first_item":"4","next_item":"1.50"}`, `"price":"5","weight":"1","quantity":3`, "7.00",
			"4.00 first item + 1.50 × 2 more items = 7.00"},
		{`{"base":"9.90","per_weight":{"amount":"0.80","above":"10","part":"started"}}`, `"price":"5","weight":"16.2",
		"quantity":1`, "15.50", "9.90 + 0.80 × 7 started kg above 10 = 15.50"},
		{`{"base":"9.90","per_weight":{"amount":"0.80","above":"10"}}`, `"price":"5","weight":"16.2",
		"quantity":1`, "14.86", "9.90 + 0.80 × 6.2 kg above 10 = 14.86"},
		{`{"base":"9.90","per_weight":{"amount":"0.80","above":"10","part":"started"}}`, `"price":"5","weight":"10",
		"quantity":1`, "9.90", "0.80 × 0 started kg above 10"},
		{`{"per_weight":{"amount":"1","every":"3"}}`, `"price":"5","weight":"10","quantity":1`, "3.33",
			"1.00 × 10/3 kg"},
		{`{"per_weight":{"amount":"1.00","every":"0.5","part":"started"}}`, `"price":"5","weight":"1.2",
		"quantity":1`, "3.00", "1.00 × 3 started 0.5 kg"},
		{`{"percent":"5"}`, `"price":"20.10","weight":"1","quantity":1`, "1.01", "5 % of 20.10"},
	} {
		a := quoted(
			t,
			shopWith(oneTable("weight", "up_to", `[{"at":null,"charges":[`+c.charge+`]}]`), ""),
			goods(c.goods)+"}",
		)
		require.Len(t, a.Options, 1, c.charge)
		assert.Equal(t, c.want, a.Options[0].Charge, c.charge)
		assert.Contains(t, a.Options[0].Steps[0].Text, c.says)
	}
}

// A graduated table is the arithmetic of tax brackets: the schedule for single filers of 2023 in IRS Rev. Proc.
// 2022-38, section 3.01, table 3, whose lines give the sum at each bracket's start as the publisher worked it
// out ("$5,147 plus 22% of the excess over $44,725"). Values from memory; each line's sum follows from the line
// before.
func TestAGraduatedTableEqualsAPublishedScheduleOfBrackets(t *testing.T) {
	starts := []string{"0", "11000", "44725", "95375", "182100", "231250", "578125"}
	rates := []string{"0.10", "0.12", "0.22", "0.24", "0.32", "0.35", "0.37"}
	published := []string{"0.00", "1100.00", "5147.00", "16290.00", "37104.00", "52832.00", "174238.25"}
	for _, edges := range []string{"from", "up_to"} {
		var rows []string
		for i := range starts {
			at := `"` + starts[i] + `"`
			if edges == "up_to" {
				at = "null"
				if i+1 < len(starts) {
					at = `"` + starts[i+1] + `"`
				}
			}
			rows = append(rows, fmt.Sprintf(`{"at":%s,"charges":[{"per_weight":{"amount":%q}}]}`, at, rates[i]))
		}
		method := strings.Replace(
			oneTable("weight", edges, "["+strings.Join(rows, ",")+"]"),
			`"by"`,
			`"graduated":true,"by"`,
			1,
		)
		for i, start := range starts {
			a := quoted(t, shopWith(method, ""), goods(`"price":"1","weight":"`+start+`","quantity":1`)+"}")
			require.Len(t, a.Options, 1)
			assert.Equal(t, published[i], a.Options[0].Charge, "%s %s", edges, start)
		}
		a := quoted(t, shopWith(method, ""), goods(`"price":"1","weight":"100000","quantity":1`)+"}")
		assert.Equal(t, "17400.00", a.Options[0].Charge, "16,290 plus 24 %% of 4,625")
		assert.Contains(
			t,
			a.Options[0].Steps[0].Text,
			"0.10 × 11000 kg + 0.12 × 33725 kg + 0.22 × 50650 kg + 0.24 × 4625 kg = 17400.00",
		)
	}
}

// Tax within a price is the VAT fraction of HMRC's VAT Notice 700, section 30: 1/6 at 20 %, 1/21 at 5 % (from
// memory). Rounding half up is article 5 of Council Regulation (EC) No 1103/97: "exactly half-way, the sum
// shall be rounded up"; at the rate of Regulation (EC) No 2866/98, 5.94573 marks to the euro, 1000 marks are
// 168.19 euro.
func TestTaxAndRounding(t *testing.T) {
	for _, c := range []struct {
		price, percent string
		included       bool
		tax, total     string
	}{
		{"120.00", "20", true, "20.00", "120.00"}, {"105.00", "5", true, "5.00", "105.00"},
		{"43.70", "25.5", true, "8.88", "43.70"},
		{"100.00", "20", false, "20.00", "120.00"}, {"0.50", "25", false, "0.13", "0.63"}, {"9.99", "0", false, "0.00",
			"9.99"},
	} {
		file := strings.Replace(
			shopWith(strings.Replace(flat, "10.00", c.price, 1), ""),
			`"prices_include_tax":true,"rates":[{"country":"FI","percent":"25.5"}]`,
			fmt.Sprintf(
				`"prices_include_tax":%v,"rates":[{"country":"FI","percent":%q}]`,
				c.included,
				c.percent,
			),
			1,
		)
		o := quoted(t, file, goods(`"price":"1","weight":"1","quantity":1`)+"}").Options[0]
		assert.Equal(t, []string{c.price, c.tax, c.total}, []string{o.Charge, o.Tax, o.Total})
	}
	a := quoted(
		t,
		shopWith(
			oneTable(
				"weight",
				"up_to",
				`[{"at":null,"charges":[{"per_weight":{"amount":"1","every":"5.94573"}}]}]`,
			),
			"",
		),
		goods(`"price":"1","weight":"1000","quantity":1`)+"}",
	)
	assert.Equal(t, "168.19", a.Options[0].Charge)
	last := a.Options[0].Steps[len(a.Options[0].Steps)-1]
	assert.Equal(t, StepRounding, last.Kind)
	a = quoted(
		t,
		shopWith(strings.Replace(flat, "10.00", "2.345", 1), ""),
		goods(`"price":"1","weight":"1","quantity":1`)+"}",
	)
	assert.Equal(t, "2.35", a.Options[0].Charge, "half-way is rounded up")
	yen := strings.Replace(shopWith(strings.Replace(flat, "10.00", "549.5", 1), ""), "EUR", "JPY", 1)
	assert.Equal(t, "550", quoted(t, yen, goods(`"price":"1","weight":"1","quantity":1`)+"}").Options[0].Charge)
}

func kinds(o Option) (out []string) {
	for _, s := range o.Steps {
		out = append(out, s.Kind+" "+s.Amount)
	}
	return out
}

func TestFromTableToPriceInOrder(t *testing.T) {
	surcharge := `,"surcharges":[{"id":"s","name":"Far","places":[{"country":"FI","postcodes":["211*"]}],
		"amount":"4.00","percent":"10"},{"id":"n","places":[{"country":"SE"}],"amount":"9"}]`
	for _, c := range []struct {
		method, more, request string
		steps                 []string
	}{
		{flat, "", "}", []string{"table 10.00"}},
		{flat, surcharge, "}", []string{"table 10.00", "surcharge 5.00"}},
		{`"minimum":"12",` + flat, "", "}", []string{"table 10.00", "minimum 2.00"}},
		{`"maximum":"8",` + flat, surcharge, "}", []string{"table 10.00", "surcharge 5.00", "maximum -7.00"}},
		{`"handling":{"amount":"1","percent":"10"},` + flat, "", "}", []string{"table 10.00", "handling 2.00"}},
		{`"handling":{"percent":"10","of":"subtotal"},"maximum":"8",` + flat, "", "}",
			[]string{"table 10.00", "maximum -2.00", "handling 5.00"}},
		{`"handling":{"amount":"1"},` + flat, `,"agreed":[{"id":"g","group":"x","amount":"3"},{"id":"c","name":"Hotel",
		"customer":"C","amount":"7.50"}]`, `,"group":"x","customer":"C"}`, []string{"table 10.00", "handling 1.00",
			"agreed -3.50"}},
		{`"free":{"subtotal":"50"},` + flat, "", "}", []string{"table 10.00", "free -10.00"}},
		{`"free":{"subtotal":"50.01"},` + flat, "", "}", []string{"table 10.00"}},
		{`"free":{"subtotal":"50","coupons":["SOMMAR"],"require":"all"},` + flat, "", "}", []string{"table 10.00"}},
		{`"free":{"subtotal":"50","coupons":["SOMMAR"],"require":"all"},` + flat, "", `,"coupons":[" sommar "]}`,
			[]string{"table 10.00", "free -10.00"}},
		{`"free":{"quantity":1},` + flat, `,"agreed":[{"id":"c","customer":"C","amount":"7.50"}]`, `,"customer":"C"}`,
			[]string{"table 10.00", "agreed -2.50", "free -7.50"}},
	} {
		a := quoted(t, shopWith(c.method, c.more), goods(`"price":"50","weight":"1","quantity":1`)+c.request)
		require.Len(t, a.Options, 1, c.method)
		assert.Equal(t, c.steps, kinds(a.Options[0]), "%s %s", c.method, c.more)
	}
}

func TestAnAgreedChargeStandsWhereTheListHasNone(t *testing.T) {
	never := strings.Replace(flat, `"10.00"`, "null", 1)
	agreed := `,"agreed":[{"id":"p","name":"Quay","place":{"country":"FI","postcode":"21 100",
		"street":"Västra Kajen 5"},"amount":"7.50"}]`
	request := `{"to":{"country":"FI","postcode":"21100","street":"vastra kajen, 5"},"lines":[{"price":"1","weight":"1",
		"quantity":1}]}`
	assert.Equal(t, []string{"agreed 7.50"}, kinds(quoted(t, shopWith(never, agreed), request).Options[0]))
	elsewhere := strings.Replace(request, "kajen, 5", "kajen, 6", 1)
	assert.Equal(t, NoRate, quoted(t, shopWith(never, agreed), elsewhere).Refused[0].Code)
	assert.Equal(
		t,
		Needs,
		quoted(t, shopWith(`"needs":{"weight":{"from":"5"}},`+never, agreed), request).Refused[0].Code,
		"needs still hold",
	)
}

func TestNeedsSayWhichFailedAndByHowMuch(t *testing.T) {
	for _, c := range []struct{ needs, goods, request, reason string }{
		{`{"weight":{"to":"30"}}`, `"price":"1","weight":"31.2","quantity":1`, "}", "too heavy (31.2 kg, limit 30 kg)"},
		{`{"weight":{"to":"30"}}`, `"price":"1","weight":"30","quantity":1`, "}", ""},
		{`{"subtotal":{"from":"20"}}`, `"price":"19.99","weight":"1","quantity":1`, "}",
			"order value too low (19.99, minimum 20.00)"},
		{`{"quantity":{"to":2}}`, `"price":"1","weight":"1","quantity":3`, "}", "too many items (3 items, limit 2 " +
			"items)"},
		{`{"longest_side":{"to":"120"}}`, `"price":"1","weight":"1","height":"122","quantity":1`, "}",
			"too long (122 cm, limit 120 cm)"},
		{`{"coupons":["A","B"]}`, `"price":"1","weight":"1","quantity":1`, `,"coupons":["C"]}`,
			"needs one of the coupons A, B"},
		{`{"coupons":["A","B"]}`, `"price":"1","weight":"1","quantity":1`, `,"coupons":["b"]}`, ""},
		{`{"groups":["trade"]}`, `"price":"1","weight":"1","quantity":1`, "}", "is for customers of the group trade"},
		{`{"only_classes":["small"]}`, `"price":"1","weight":"1","class":"bulky","quantity":1`, "}",
			"has goods of class Bulky; this method takes only small"},
		{`{"without_classes":["bulky"]}`, `"price":"1","weight":"1","class":"bulky","quantity":1`, "}",
			"has goods of class Bulky, which this method does not take"},
		{`{"weight":{"to":"1"}}`, `"price":"1","weight":"2","ships_free":true,"quantity":1`, "}",
			"too heavy (2 kg, limit 1 kg)"},
	} {
		a := quoted(t, shopWith(`"needs":`+c.needs+`,`+flat, ""), goods(c.goods)+c.request)
		if c.reason == "" {
			assert.Len(t, a.Options, 1, c.needs)
			continue
		}
		require.Len(t, a.Refused, 1, c.needs)
		assert.Equal(t, []string{Needs, c.reason}, []string{a.Refused[0].Code, a.Refused[0].Reason})
	}
	told := quoted(
		t,
		shopWith(
			`"when_refused":"tell","refused_text":"Too heavy for us.","needs":{"weight":{"to":"1"}},`+flat,
			"",
		),
		goods(`"price":"1","weight":"2","quantity":1`)+"}",
	)
	assert.Equal(t, "Too heavy for us.", told.Refused[0].Text)
	assert.Contains(t, told.Message, "Too heavy for us.")
}

func TestClassesAddedOrDearestPerParcel(t *testing.T) {
	tables := `"tables":[{"id":"b","name":"Bulky","zones":["fi"],"classes":["bulky"],"by":"order",
		"rows":[{"charges":["30.00"]}]},{"id":"r","name":"Rest","zones":["fi"],"by":"quantity","edges":"from",
		"rows":[{"at":"0","charges":[{"per_item":"2.00"}]}]}]`
	cart := goods(
		`"price":"1","weight":"9","class":"bulky","quantity":1`,
		`"price":"1","weight":"1","quantity":3`,
		`"price":"1","weight":"1","own_parcel":true,"quantity":2`,
	) + "}"
	added := quoted(t, shopWith(`"classes":"add",`+tables, ""), cart).Options[0]
	assert.Equal(t, "40.00", added.Charge, "30 + 3 × 2, and two parcels of their own of 2 each")
	dearest := quoted(t, shopWith(`"classes":"dearest",`+tables, ""), cart).Options[0]
	assert.Equal(t, "34.00", dearest.Charge, "only the 30 of the shared parcel, and two parcels of 2")
	assert.Contains(t, dearest.Steps[0].Text, "the dearest of 2 tables")
	only := strings.Replace(tables, `,{"id":"r"`, `,{"id":"r","classes":["small"]`, 1)
	refused := quoted(t, shopWith(`"classes":"add",`+only, ""), cart).Refused[0]
	assert.Equal(
		t,
		[]string{NoRate, "no price list of this method has goods without a class for Finland"},
		[]string{refused.Code, refused.Reason},
	)
}

func TestGoodsThatNeedNoShippingOrShipFree(t *testing.T) {
	a := quoted(t, shopWith(flat, ""), goods(`"price":"50","needs_shipping":false,"quantity":1`)+"}")
	assert.False(t, a.NeedsShipping)
	assert.Empty(t, a.Options)
	assert.Empty(t, a.Refused)
	assert.Len(t, a.Zones, 1)
	assert.Empty(t, a.Message)
	a = quoted(
		t,
		shopWith(`"handling":{"amount":"3"},`+strings.Replace(flat, `"10.00"`, "null", 1), ""),
		goods(`"price":"5","weight":"1","ships_free":true,"quantity":1`)+"}",
	)
	require.Len(t, a.Options, 1, "no table is asked")
	assert.Equal(t, "0.00", a.Options[0].Charge)
	a = quoted(t, shopWith(flat, ""), goods(`"name":"Soap","price":"5","quantity":2`)+"}")
	assert.Equal(t, []Warning{{NoWeight, "Soap has no weight and counts as 0 kg"}}, a.Warnings)
	assumed := strings.Replace(shopWith(flat, ""), `"currency"`, `"assumed_weight":"0.3","currency"`, 1)
	a = quoted(t, assumed, goods(`"name":"Soap","price":"5","quantity":2`)+"}")
	assert.Equal(t, "0.6", a.Measures.Weight)
	assert.Equal(t, "Soap has no weight and counts as 0.3 kg", a.Warnings[0].Message)
}

const twoZones = `,"zones":[{"id":"fi","name":"Finland","places":[{"country":"FI"}]},{"id":"far","name":"Far","only":%v,
		"rank":%s,"places":[{"country":"FI","postcodes":["99*"]}]}]`

func TestTheNarrowestServedZoneCounts(t *testing.T) {
	file := func(only bool, rank, tables string) string {
		whole := shopWith(tables, "")
		return strings.Replace(
			whole,
			`"zones":[{"id":"fi","name":"Finland","places":[{"country":"FI"}]}]`,
			fmt.Sprintf(twoZones, only, rank)[1:],
			1,
		)
	}
	both := `"tables":[{"id":"t","zones":["fi","far"],"by":"order","rows":[{"charges":["5.00",null]}]}]`
	north := `{"to":{"country":"FI","postcode":"99980"},"lines":[{"price":"1","weight":"1","quantity":1}]}`
	a := quoted(t, file(false, "null", both), north)
	assert.Equal(t, []Zone{{"far", "postcode", "postcode FI 99*"}, {"fi", "country", "country FI"}}, a.Zones)
	assert.Equal(t, NoRate, a.Refused[0].Code, "there is no falling back to a broader zone")
	assert.Equal(
		t,
		"5.00",
		quoted(t, file(false, "null", flat[:0]+strings.Replace(flat, "10.00", "5.00", 1)), north).Options[0].Charge,
		"a zone that no table serves does not count",
	)
	assert.Equal(t, ZoneOnly, quoted(t, file(true, "null", flat), north).Refused[0].Code)
	ranked := strings.Replace(
		file(false, "null", both),
		`{"id":"fi","name":"Finland",`,
		`{"id":"fi","name":"Finland","rank":1,`,
		1,
	)
	assert.Equal(t, "5.00", quoted(t, ranked, north).Options[0].Charge, "a rank comes before narrowness")
	off := strings.Replace(file(false, "null", both), `"only":false`, `"only":false,"enabled":false`, 1)
	assert.Equal(t, "5.00", quoted(t, off, north).Options[0].Charge, "a zone switched off takes nothing")
	own := strings.Replace(both, `"tables"`, `"terms":{"far":{"enabled":false}},"tables"`, 1)
	assert.Equal(t, "switched off in Far", quoted(t, file(false, "null", own), north).Refused[0].Reason)
	sweden := `{"to":{"country":"SE"},"lines":[{"price":"1","weight":"1","quantity":1}]}`
	a = quoted(t, file(false, "null", both), sweden)
	assert.Equal(t, OutsideZones, a.Refused[0].Code)
	assert.Equal(t, "We do not deliver to Sweden.", a.Message)
}

func TestDistanceFromThePointOrTheGazetteer(t *testing.T) {
	table := oneTable(
		"distance",
		"up_to",
		`[{"at":"10","charges":["5.00"]},{"at":null,"charges":[{"base":"5.00","per_distance":{"amount":"1",
		"above":"10"}}]}]`,
	)
	places := "FI\t20100\tTurku\tSouthwest Finland\t19\t\t\t\t\t60.4518\t22.2666\t4\n" +
		"FI\t21160\tMerimasku\tVarsinais-Suomi\t02\t\t\t\t\t60.4833\t21.8667\t4\n" +
		"FI\t99999\tNowhere\t\t\t\t\t\t\t\t\t\n"
	g, skipped, err := gazetteer.Read(strings.NewReader(places))
	require.NoError(t, err)
	require.Empty(t, skipped)
	f, faults := store.Read(
		[]byte(
			strings.Replace(
				shopWith(table, ""),
				`"zones":[`,
				`"zones":[{"id":"reg","places":[{"country":"FI","region":"FI-19"}]},`,
				1,
			),
		),
	)
	require.Empty(t, faults)
	e := Compile(f, g)
	// From the workshop (60.4674, 22.0260); GeodSolve -i gives 13359.557 m to Turku's point and 8940.697 m to
	// Merimasku's.
	for _, c := range []struct{ to, distance, charge string }{
		{`"postcode":"20100"`, "13.352", "8.35"}, {`"postcode":"21160"`, "8.938", "5.00"}, {`"city":"turku"`, "13.352",
			"8.35"},
		{`"lat":"60.4674","lon":"22.0260"`, "0", "5.00"}, {`"postcode":"20100","lat":"60.4674","lon":"22.0260"`, "0",
			"5.00"},
	} {
		a := e.Quote(
			read(t, e, `{"to":{"country":"FI",`+c.to+`},"lines":[{"price":"1","weight":"1","quantity":1}]}`),
		)
		require.Len(t, a.Options, 1, c.to)
		assert.Equal(t, c.distance, *a.Measures.Distance, c.to)
		assert.Equal(t, c.charge, a.Options[0].Charge, c.to)
	}
	a := e.Quote(
		read(t, e, `{"to":{"country":"FI","postcode":"99999"},"lines":[{"price":"1","weight":"1","quantity":1}]}`),
	)
	assert.Nil(t, a.Measures.Distance)
	assert.Equal(t, NoDistance, a.Refused[0].Code)
	a = e.Quote(read(t, e, `{"to":{"country":"FI","postcode":"21160"},"lines":[]}`))
	assert.Equal(
		t,
		[]string{"reg", "fi"},
		zoneIDs(a),
		"the gazetteer's region counts, found by its name though its code is not ISO's",
	)
}

func TestACarrierThatIsNotConnected(t *testing.T) {
	a := quoted(t, shopWith(`"kind":"carrier",`+flat, ""), goods(`"price":"1","weight":"1","quantity":1`)+"}")
	assert.Equal(t, Carrier, a.Refused[0].Code)
}

func TestRequestsThatBreakARule(t *testing.T) {
	e := compiled(t, []byte(shopWith(flat, `,"products":[{"sku":"A","price":"3","weight":"1"}]`)))
	for _, c := range []struct{ request, path string }{
		{`{"lines":[]}`, "/to/country"}, {`{"to":{}}`, "/to/country"}, {`{"to":{"country":"XX"}}`, "/to/country"},
		{`{"to":{"country":"FI","lat":"91","lon":"0"}}`, "/to/lat"}, {`{"to":{"country":"FI","lat":"60"}}`, "/to/lon"},
		{`{"to":{"country":"FI","lat":60.1,"lon":"0"}}`, "/to/lat"}, {`{"to":{"country":"FI"},"lines":[{"sku":"B",
		"quantity":1}]}`, "/lines/0/sku"},
		{`{"to":{"country":"FI"},"lines":[{"sku":"A"}]}`, "/lines/0/quantity"}, {`{"to":{"country":"FI"},
		"lines":[{"sku":"A","quantity":0}]}`, "/lines/0/quantity"},
		{`{"to":{"country":"FI"},"lines":[{"sku":"A","quantity":-1}]}`, "/lines/0/quantity"}, {`{"to":{"country":"FI"},
		"lines":[{"sku":"A","quantity":1000000000}]}`, "/lines/0/quantity"},
		{`{"to":{"country":"FI"},"lines":[{"sku":"A","quantity":1.5}]}`, "/lines/0/quantity"}, {`{"to":{"country":"FI"},
		"lines":[{"price":"1","class":"q","quantity":1}]}`, "/lines/0/class"},
		{`{"to":{"country":"FI"},"lines":[{"price":"NaN","quantity":1}]}`, "/lines/0/price"}, {`{"to":{"country":"FI"},
		"lines":[{"price":"-1","quantity":1}]}`, "/lines/0/price"},
		{`{"to":{"country":"FI"},"coupon":"x"}`, "/coupon"}, {`{"to":{"country":"FI"},"at":"yesterday"}`, "/at"},
		{`{`, ""}, {`5`, ""}, {``, ""},
		{`[{"to":{"country":"FI"}},{"to":{"country":"QQ"}}]`, "/1/to/country"},
	} {
		_, _, faults := e.ReadRequest([]byte(c.request))
		require.NotEmpty(t, faults, c.request)
		assert.Equal(t, c.path, faults[0].Path, "%s: %v", c.request, faults)
	}
	q := read(
		t,
		e,
		`{"to":{"country":"FIN"},"lines":[{"sku":"A","quantity":"2","price":"5.00"}],"at":"2026-03-02T10:00:00+02:00"}`,
	)
	assert.Equal(t, "FI", q.To.Country)
	assert.Equal(t, "10.00", e.Quote(q).Measures.Subtotal, "a field beside the sku stands in the product's place")
}

// One engine, many goroutines: the same answers as alone (run with -race to see more).
func TestQuotingFromManyGoroutines(t *testing.T) {
	e := madeBoxes(t, true)
	var requests []*Request
	var want []*Answer
	for i := range 40 {
		q := read(t, e, strings.Replace(madeRequest, "21100", fmt.Sprintf("%05d", i*2477), 1))
		q.Parcels, q.Lines[i%len(q.Lines)].Quantity = i%2 == 0, int64(i)
		q.Lines[0].Quantity++
		requests, want = append(requests, q), append(want, e.Quote(q))
	}
	var wg sync.WaitGroup
	for range 8 {
		wg.Go(func() {
			for i, q := range requests {
				if !assert.ObjectsAreEqual(want[i], e.Quote(q)) {
					t.Errorf("request %d", i)
				}
			}
		})
	}
	wg.Wait()
}

func FuzzRequest(f *testing.F) {
	file, faults := store.Read([]byte(strings.Replace(parcelShop(byWeight, `"parcels":{"all_boxes":true},`), `"zones":`,
		`"products":[{"sku":"A","price":"3","length":"9","width":"9","height":"0"}],"zones":`, 1)))
	if len(faults) > 0 {
		f.Fatal(faults)
	}
	e := Compile(file, nil)
	f.Add(
		[]byte(
			`{"to":{"country":"FI","postcode":"21100","lat":"60","lon":"22"},"lines":[{"sku":"A","quantity":2}],
		"coupons":["x"]}`,
		),
	)
	f.Add(
		[]byte(
			`[{"to":{"country":"GB","postcode":"BT1 1AA"},"lines":[{"price":"1","own_parcel":true,
		"quantity":1000000}]}]`,
		),
	)
	f.Add([]byte(`{"to":{"country":"FI"},"parcels":true,"lines":[{"sku":"A","quantity":7,"upright":true,"from":"hall"},
		{"length":"12.5","width":"3","height":"30","weight":"0.5","quantity":3},{"weight":"19","quantity":2}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		requests, _, faults := e.ReadRequest(data)
		if len(faults) > 0 {
			return
		}
		for i := range requests {
			for _, o := range e.Quote(&requests[i]).Options {
				if o.Charge == "" || len(o.Steps) == 0 {
					t.Fatalf("%+v", o)
				}
			}
		}
	})
}

func TestDaysAreDatesFromTheMomentOfTheOrder(t *testing.T) {
	file := strings.Replace(
		shopWith(flat, ""),
		`"currency"`,
		`"dispatch":{"time_zone":"Europe/Helsinki","cut_off":"14:00","holidays":"FI","closed":["2026-12-07"]},
		"currency"`,
		1,
	)
	require.Contains(t, file, "dispatch")
	file = strings.Replace(file, `"tables"`, `"days":{"min":2,"max":4,"business":true},"tables"`, 1)
	ask := func(at string) string {
		return `{"to":{"country":"FI","postcode":"21100"},"lines":[{"price":"1","weight":"1","quantity":1}],"at":"` +
			at + `"}`
	}
	// Friday afternoon before Independence Day, a Sunday; closed on Monday the 7th: leaves on Tuesday.
	assert.Equal(
		t,
		&Dates{"2026-12-10", "2026-12-14", "Thu 10 – Mon 14 December"},
		quoted(t, file, ask("2026-12-04T14:00:00+02:00")).Options[0].Dates,
	)
	assert.Equal(
		t,
		&Dates{"2026-12-08", "2026-12-10", "Tue 8 – Thu 10 December"},
		quoted(t, file, ask("2026-12-04T11:59:59Z")).Options[0].Dates,
	)
	assert.Nil(t, quoted(t, file, ask("")).Options[0].Dates, "nobody said when")
}

func TestPlansOfDispatchThatCannotBe(t *testing.T) {
	for dispatch, want := range map[string]string{
		`{"time_zone":"Europe/Helsinki","cut_off":"14:00","weekdays":["mon","sun"],"closed":["2026-12-24"]}`: "",
		`null`:                               "",
		`{"cut_off":"14:00"}`:                "/time_zone missing",
		`{"time_zone":"UTC"}`:                "/cut_off missing",
		`{"time_zone":"Moon","cut_off":"1"}`: "/time_zone choice,/cut_off range",
		`{"time_zone":"UTC","cut_off":"14:00","weekdays":["mon","mon","tuesday"],"holidays":"BQ","closed":["24.12."],
		"x":1}`: "/weekdays/1 duplicate,/weekdays/2 choice,/holidays choice,/closed/0 range,/x unknown_field",
	} {
		f, faults := store.Read(
			[]byte(`{"format":"diadrom-store/1","store":{"currency":"EUR","dispatch":` + dispatch + `}}`),
		)
		var have []string
		for _, fault := range faults {
			have = append(have, strings.TrimPrefix(fault.Path, "/store/dispatch")+" "+fault.Code)
		}
		assert.Equal(t, want, strings.Join(have, ","), dispatch)
		if want == "" {
			again, faults := store.Read(f.Write())
			require.Empty(t, faults)
			assert.Equal(t, f.Store.Dispatch, again.Store.Dispatch)
		}
	}
}
