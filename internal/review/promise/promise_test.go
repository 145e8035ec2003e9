package promise

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/fault"
	"diadrom/internal/core/quote"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

const towels = `{"to":{"country":"FI","postcode":"00100"},"lines":[{"sku":"TOWEL-70","quantity":%d}]}`

func amount(s string) *decimal.Decimal {
	d := decimal.MustParse(s)
	return &d
}

// A towel costs 29.00 and weighs 0.35 kg: by parcel 6.90, free from 120.00, which five of them are.
func TestPromisesHoldOrNot(t *testing.T) {
	e := quote.Compile(storetest.Lauha(t), nil)
	for _, tt := range []struct {
		quantity int
		p        Promise
		holds    bool
		wanted   string
		is       string
	}{
		{1, Promise{Holds: Price, Method: "parcel", Amount: amount("6.90")}, true, "6.90", "6.90"},
		{1, Promise{Holds: Price, Method: "parcel", Amount: amount("6.9")}, true, "6.90", "6.90"},
		{1, Promise{Holds: Price, Method: "parcel", Amount: amount("7.20")}, false, "7.20", "6.90"},
		{5, Promise{Holds: Price, Method: "parcel", Amount: amount("0.00")}, true, "0.00", "0.00"},
		{1, Promise{Holds: AtMost, Method: "parcel", Amount: amount("6.90")}, true, "at most 6.90", "6.90"},
		{1, Promise{Holds: AtMost, Method: "parcel", Amount: amount("6.89")}, false, "at most 6.89", "6.90"},
		{1, Promise{Holds: AtMost, Method: "freight", Amount: amount("99")}, false, "at most 99.00",
			"not offered: too light (0.35 kg, minimum 5 kg)"},
		{1, Promise{Holds: Offered, Method: "parcel"}, true, "offered", "6.90"},
		{1, Promise{Holds: Offered, Method: "gone"}, false, "offered", "not offered"},
		{1, Promise{Holds: NotOffered, Method: "freight"}, true, "not offered", "not offered: too light (0.35 kg, " +
			"minimum 5 kg)"},
		{1, Promise{Holds: NotOffered, Method: "parcel"}, false, "not offered", "6.90"},
		{1, Promise{Holds: Zone, Zone: "finland"}, true, "finland", "finland"},
		{1, Promise{Holds: Zone, Zone: "lapland"}, false, "lapland", "finland"},
		{0, Promise{Holds: Offered, Method: "parcel"}, false, "offered", "cannot be asked: a quantity is a whole " +
			"number from 1 to 1000000, not 0"},
	} {
		tt.p.Request = json.RawMessage(fmt.Sprintf(towels, tt.quantity))
		assert.Equal(t, Result{Holds: tt.holds, Wanted: tt.wanted, Is: tt.is}, tt.p.Check(e), "%+v", tt.p)
	}
	nowhere := Promise{Holds: Zone, Zone: "world", Request: json.RawMessage(`{"to":{"country":"RU"}}`)}
	assert.Equal(t, "no zone", nowhere.Check(e).Is)
}

func TestListsAreReadWithTheirFaults(t *testing.T) {
	one := func(fields string) string {
		return `{"format":"` + Format + `","promises":[{"id":"a",` + fields + `}]}`
	}
	request := `"request":{"to":{"country":"FI"}},`
	for body, want := range map[string]string{
		one(request + `"holds":"offered","method":"m"`):                          "",
		one(request + `"holds":"price","method":"m","amount":"6.90","name":"N"`): "",
		`{"format":"` + Format + `","promises":[]}`:                              "",
		`{"promises":[]}`:                             "/format missing",
		`{"format":"diadrom-promises/9"}`:             "/format choice",
		one(request + `"holds":"cheap","method":"m"`): "/promises/0/holds choice",
		one(request + `"holds":"price","method":"m"`): "/promises/0/amount " +
			"missing",
		one(request + `"holds":"zone","method":"m"`): "/promises/0/zone missing",
		one(request + `"holds":"offered"`): "/promises/0/method " +
			"missing",
		one(`"holds":"offered","method":"m"`): "/promises/0/request " +
			"missing",
		one(request + `"method":"m"`): "/promises/0/holds missing",
		one(`"request":[],"holds":"offered","method":"m","cost":"1"`): "/promises/0/request " +
			"type,/promises/0/cost unknown_field",
		strings.Replace(one(request+`"holds":"offered","method":"m"`), `"id":"a",`, "",
			1): "/promises/0/id missing",
		`{"format":"` + Format + `","promises":[` + strings.TrimSuffix(
			strings.Repeat(`{"id":"a",`+request+`"holds":"offered","method":"m"},`, 2), ",") +
			`]}`: "/promises/1/id duplicate",
	} {
		_, faults := Read([]byte(body))
		var have []string
		for _, f := range faults {
			have = append(have, f.Path+" "+f.Code)
		}
		assert.Equal(t, want, strings.Join(have, ","), body)
	}
	_, faults := Read([]byte("{"))
	assert.Equal(t, fault.Syntax, faults[0].Code)
}

// What is quoted can be promised: a promise made of any answer holds, is read back as written, and breaks when
// the amount is another.
func TestWhatIsQuotedCanBePromised(t *testing.T) {
	f := storetest.Lauha(t)
	e := quote.Compile(f, nil)
	rapid.Check(t, func(t *rapid.T) {
		postcode := rapid.SampledFrom([]string{"00100", "21160", "22100", "99980", ""}).Draw(t, "postcode")
		p := Promise{
			ID:   "p",
			Name: "As quoted",
			Request: json.RawMessage(fmt.Sprintf(
				`{"to":{"country":"FI","postcode":%q},"lines":[{"sku":%q,"quantity":%d}]}`,
				postcode,
				rapid.SampledFrom(f.Products).Draw(t, "product").SKU,
				rapid.IntRange(1, 20).Draw(t, "quantity"),
			)),
		}
		a, faults := p.Ask(e)
		require.Empty(t, faults)
		if len(a.Options) == 0 {
			return
		}
		o := rapid.SampledFrom(a.Options).Draw(t, "option")
		p.Holds, p.Method, p.Amount = rapid.SampledFrom(Kinds[:2]).Draw(t, "kind"), o.Method, amount(o.Charge)
		require.True(t, p.Check(e).Holds)
		again, faults := Read(Write([]Promise{p}))
		require.Empty(t, faults)
		require.Equal(t, p.Check(e), again[0].Check(e))
		less := p.Amount.Sub(decimal.MustParse("0.01"))
		p.Amount = &less
		require.False(t, p.Check(e).Holds)
	})
}

// A thousand promises beside a thousand bare quotes of the same requests.
func BenchmarkPromises(b *testing.B) {
	f := storetest.Lauha(b)
	e := quote.Compile(f, nil)
	var list []Promise
	var requests []quote.Request
	for i := range 1000 {
		body := fmt.Sprintf(
			`{"to":{"country":"FI","postcode":"%05d","city":"Naantali"},"lines":[{"sku":"TOWEL-70","quantity":%d},
		{"price":"24.00","weight":"0.4","quantity":1}]}`,
			i*99,
			1+i%9,
		)
		list = append(
			list,
			Promise{
				ID:      fmt.Sprint(i),
				Request: json.RawMessage(body),
				Holds:   Price,
				Method:  "parcel",
				Amount:  amount("6.90"),
			},
		)
		read, _, faults := e.ReadRequest([]byte(body))
		require.Empty(b, faults)
		requests = append(requests, read[0])
	}
	b.Run("promises", func(b *testing.B) {
		for b.Loop() {
			CheckAll(e, list)
		}
	})
	b.Run("quotes", func(b *testing.B) {
		for b.Loop() {
			for i := range requests {
				e.Quote(&requests[i])
			}
		}
	})
}
