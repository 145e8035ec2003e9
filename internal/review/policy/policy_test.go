package policy

import (
	"strings"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/review/coverage"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func read(t *testing.T, text string) *store.File {
	t.Helper()
	f, faults := store.Read([]byte(text))
	require.Empty(t, faults)
	return f
}

func says(t *testing.T, method string) []string {
	t.Helper()
	f := read(t, `{"format":"diadrom-store/1","store":{"currency":"EUR"},"classes":[{"id":"bulky","name":"Bulky"}],
	"zones":[{"id":"fi","name":"Finland"},{"id":"ax","name":"Åland"},{"id":"se","name":"Sweden"}],
		"methods":[{"id":"m",`+method+`}]}`)
	e := quote.Compile(f, nil)
	return Method(e, coverage.Of(e), &f.Methods[0])
}

func TestMethodsSayThemselves(t *testing.T) {
	for _, c := range []struct {
		name, method string
		want         []string
	}{
		{"the example of the issue", `"free":{"subtotal":"120"},"days":{"min":2,"max":4,"business":true},
		"tables":[{"id":"t","zones":["fi"],"by":"weight","edges":"up_to","rows":[{"at":"2","charges":["6.90"]},
		{"at":"10","charges":["9.90"]},
			{"at":null,"charges":[{"base":"9.90","per_weight":{"amount":"0.80","above":"10","part":"started"}}]}]}]`,
			[]string{"To Finland: 6.90 up to and including 2 kg, 9.90 up to 10 kg, then 0.80 more for each started " +
				"kg. Free from 120.00. 2 to 4 working days."}},
		{"zones alike share a sentence", `"tables":[{"id":"t","zones":["fi","ax","se"],"by":"order",
		"rows":[{"charges":["5.00","5.00","8.00"]}]}]`, []string{"To Finland and Åland: 5.00.", "To Sweden: 8.00."}},
		{"above the rest", `"tables":[{"id":"t","zones":["fi"],"by":"weight","edges":"up_to","rows":[{"at":"2",
		"charges":["6.90"]},{"at":null,"charges":[{"base":"4.00","per_weight":{"amount":"2","every":"0.5"}}]}]}]`,
			[]string{"To Finland: 6.90 up to and including 2 kg, above that 4.00 + 2.00 per 0.5 kg."}},
		{"where it ends", `"tables":[{"id":"t","zones":["fi"],"by":"weight","edges":"up_to","rows":[{"at":"2",
		"charges":["free"]},{"at":"5","charges":["3.00"]}]}]`, nil},
		{"from a sum on", `"handling":{"amount":"1"},"tables":[{"id":"t","zones":["fi"],"by":"subtotal","edges":"from",
		"rows":[{"at":"0","charges":["6.90"]},{"at":"50","charges":["3.90"]},{"at":"500","charges":[null]}]}]`,
			[]string{"To Finland: 6.90 under 50.00, 3.90 from 50.00, not from 500.00. A handling fee of 1.00 comes " +
				"on top."}},
		{"collected", `"kind":"pickup","days":{"min":0,"max":1,"business":true},"needs":{"weight":{"from":"1",
		"to":"10"},"subtotal":{"from":"20"},"without_classes":["bulky"]},"tables":[{"id":"t","zones":["fi"],
		"by":"order","rows":[{"charges":["0"]}]}]`,
			[]string{"From Finland: free. Within 1 working day.", "For orders of 1 kg to 10 kg, of goods for 20.00 " +
				"and over and without Bulky goods."}},
		{"a zone's own terms", `"free":{"subtotal":"90"},"minimum":"4","terms":{"ax":{"free":{"subtotal":"200"},
		"days":{"min":5,"max":5}},"se":{"enabled":false}},"tables":[{"id":"t","zones":["fi","ax","se"],"by":"order",
		"rows":[{"charges":["5.00","5.00","5.00"]}]}]`,
			[]string{"To Finland: 5.00. At least 4.00. Free from 90.00.", "To Åland: 5.00. At least 4.00. Free from " +
				"200.00. 5 days."}},
		{"lists for classes", `"classes":"dearest","tables":[{"id":"b","zones":["fi"],"classes":["bulky"],"by":"order",
		"rows":[{"charges":["39.00"]}]},{"id":"r","zones":["fi"],"by":"order","rows":[{"charges":["6.00"]}]}]`,
			[]string{"To Finland: Bulky goods 39.00; all other goods 6.00; the dearest of these counts."}},
		{"free of the handling fee too", `"handling":{"amount":"1.20"},"free":{"subtotal":"75"},"tables":[{"id":"t",
		"zones":["fi"],"by":"order","rows":[{"charges":["6.90"]}]}]`,
			[]string{"To Finland: 6.90. A handling fee of 1.20 comes on top. Free from 75.00, then without the " +
				"handling fee."}},
	} {
		if c.want == nil {
			continue
		}
		assert.Equal(t, c.want, says(t, c.method), c.name)
	}
	assert.Equal(
		t,
		[]string{"To Finland: 1.00 up to and including 2 kg, 3.00 up to 5 kg, not above 5 kg."},
		says(
			t,
			`"tables":[{"id":"t","zones":["fi"],"by":"weight","edges":"up_to","rows":[{"at":"2","charges":["1.00"]},
		{"at":"5","charges":["3.00"]}]}]`,
		),
	)
	assert.Empty(t, says(t, `"tables":[{"id":"t","zones":["fi"],"by":"order","rows":[{"charges":[null]}]}]`))
}

// A zone without a column is priced by the broader one that has it, and the policy says so; tax is named where
// there is some.
func TestThePolicySaysWhichZonesAreServedThroughOthers(t *testing.T) {
	file := func(columns, charges string) *quote.Engine {
		return quote.Compile(
			read(t, `{"format":"diadrom-store/1","store":{"currency":"EUR","tax":{"prices_include_tax":true}},
		"zones":[{"id":"world","name":"World","places":[{"world":true}]},{"id":"fi","name":"Finland",
		"places":[{"country":"FI"}]},{"id":"se","name":"Sweden","places":[{"country":"SE"}]}],
		"methods":[{"id":"m","tables":[{"id":"t","zones":[`+columns+`],"by":"order","rows":[{"charges":[`+charges+
				`]}]}]}]}`),
			nil,
		)
	}
	e := file(`"world","fi"`, `"8.90",null`)
	assert.Equal(
		t,
		[]string{"To World: 8.90.", "To Sweden: the same as to World."},
		Method(e, coverage.Of(e), &e.Store().Methods[0]),
	)
	e = file(`"world"`, `"8.90"`)
	assert.Equal(
		t,
		[]string{"To World: 8.90.", "To Finland and Sweden: the same as to World."},
		Method(e, coverage.Of(e), &e.Store().Methods[0]),
	)
	e = file(`"fi"`, `"8.90"`)
	assert.Equal(t, []string{"To Finland: 8.90."}, Method(e, coverage.Of(e), &e.Store().Methods[0]))
	assert.NotContains(t, Of(e, coverage.Of(e)).About, "tax", "no tax is set")
}

func TestThePolicyOfTheDemoShop(t *testing.T) {
	f := storetest.Lauha(t)
	e := quote.Compile(f, nil)
	text := Of(e, coverage.Of(e)).Markdown()
	for _, want := range []string{"# Shipping at Lauha\n", "Prices are in Euro (EUR) and include tax. Orders placed " +
		"before 14:00 leave on the same day, if it is a working day of ours.", "## Parcel to your door\n\n- To " +
		"Finland: 6.90 up to and including 2 kg", "## Where to collect\n"} {
		assert.True(t, strings.Contains(text, want), "%q in\n%s", want, text)
	}
	f.Store.Name, f.Methods[0].Label = "A *bold* [shop](x)", "<b>"
	assert.Contains(t, Of(e, coverage.Of(e)).Markdown(), `# Shipping at A \*bold\* \[shop\](x)`)
	assert.NotContains(t, Of(e, coverage.Of(e)).Markdown(), "<b>")
}

// In brief the middle of a long list is left out, and zones that differ only there are still told apart.
func TestALongListIsSaidInBrief(t *testing.T) {
	f := storetest.Size{Zones: 2, Codes: 2, Products: 1, Methods: 1, Rows: 30, Columns: 3}.Store()
	rows := f.Methods[0].Tables[0].Rows
	for i := range rows { // two zones alike but for one price in the middle
		rows[i].Charges[2] = rows[i].Charges[1]
	}
	d := decimal.MustParse("99")
	rows[15].Charges[2] = &rate.Charge{Base: &d}
	e := quote.Compile(f, nil)
	says := Brief(e, coverage.Of(e), &f.Methods[0])
	require.Len(t, says, 3)
	assert.Equal(t, "To Zone 0: 3.01 up to and including 1 kg, 4.01 up to 2 kg, 5.01 up to 3 kg, … 24 more steps …, "+
		"30.01 up to 28 kg, 31.01 up to 29 kg, 32.01 up to 30 kg, not above 30 kg. Free from 150.00. 1 to 2 days.", says[1])
	assert.Equal(t, strings.Replace(says[1], "Zone 0", "Zone 1", 1), says[2])
	assert.Contains(t, Method(e, coverage.Of(e), &f.Methods[0])[2], "99.00 up to 16 kg")
}
