package quote

import (
	"strings"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// carrierShop has a parcel method that asks a carrier.
func carrierShop(carrier string) string {
	return `{"format":"diadrom-store/1","store":{"currency":"EUR","weight_unit":"lb","length_unit":"in",
	 "tax":{"prices_include_tax":true,"rates":[{"country":"FI","percent":"25.5"}]}},
	"locations":[{"id":"shed","name":"Shed","country":"FI","postcode":"20100","lat":"60.45","lon":"22.25"},
	 {"id":"shop","name":"Shop","country":"FI","postcode":"21100","street":"Katu 1","ships_from":true}],
	"boxes":[{"id":"small","name":"Small box","length":"10","width":"10","height":"10"}],
	"carriers":[{"id":"post","name":"Post","url":"http://post.example"}],
	"zones":[{"id":"fi","name":"Finland","places":[{"country":"FI"}]}],
	"surcharges":[{"id":"s","name":"Fuel","places":[{"country":"FI"}],"percent":"10"}],
	"methods":[{"id":"m","name":"Parcel","kind":"carrier","days":{"min":3,"max":5},"parcels":{"all_boxes":true},
	 "handling":{"amount":"1"},"carrier":` + carrier + `,
	 "tables":[{"id":"t","zones":["fi"],"by":"order","rows":[{"charges":["9"]}]}]}]}`
}

// told answers as it is told, and keeps what it was asked.
type told struct {
	asks    []CarrierAsk
	rates   []CarrierRate
	failure string
	pending bool
	instead []Instead
}

func (c *told) Instead(_ *store.Carrier, _ *store.Method, what Instead) {
	c.instead = append(c.instead, what)
}

func (c *told) Rates(asks []CarrierAsk) []CarrierAnswer {
	c.asks = append(c.asks, asks...)
	answers := make([]CarrierAnswer, len(asks))
	for i := range asks {
		answers[i] = CarrierAnswer{Failure: c.failure, Pending: c.pending}
		for _, r := range c.rates {
			for range asks[i].Parcels {
				r.Amounts = append(r.Amounts[:len(r.Amounts):len(r.Amounts)], r.Amounts[0])
			}
			r.Amounts = r.Amounts[1:]
			answers[i].Rates = append(answers[i].Rates, r)
		}
	}
	return answers
}

func (c *told) Ahead(asks []CarrierAsk) []CarrierAnswer { return c.Rates(asks) }

func rated(service, name, amount string, days *store.Days) CarrierRate {
	return CarrierRate{service, name, []decimal.Decimal{decimal.MustParse(amount)}, days}
}

func TestCarriersAreOptions(t *testing.T) {
	both := `{"id":"post","services":[{"code":"express","label":"Tomorrow"},{"code":"slow"},{"code":"off",
		"enabled":false}]`
	days := &store.Days{Min: 1, Max: 1, Business: true}
	rates := []CarrierRate{rated("slow", "Post parcel", "5.10", nil), rated("express", "Express", "7.20", days),
		rated("off", "Off", "1", nil)}
	for _, tt := range []struct {
		name, carrier string
		says          told
		options       []string // service, label, charge
		steps         []string // of the first
		refused       string
		warnings      []string
	}{
		{"in the order of the services", both + `}`, told{rates: rates},
			[]string{"express Tomorrow 16.84", "slow Post parcel 12.22"},
			[]string{"carrier Post express, 2 parcels: 7.20 + 7.20 14.40", "surcharge Fuel: 10 % of 14.40 1.44",
				"handling handling: 1.00 1.00"}, "", nil},
		{"adjusted, then surcharged", both + `,"percent":"-10","amount":"0.04"}`, told{rates: rates},
			[]string{"express Tomorrow 15.30", "slow Post parcel 11.14"},
			[]string{"carrier Post express, 2 parcels: 7.20 + 7.20 14.40", "adjusted adjusted: -10 % 0.04 -1.40",
				"surcharge Fuel: 10 % of 13.00 1.30", "handling handling: 1.00 1.00"}, "", nil},
		{"never below 0", both + `,"amount":"-99"}`, told{rates: rates[:1]}, []string{"slow Post parcel 1.00"},
			[]string{"carrier Post slow, 2 parcels: 5.10 + 5.10 10.20",
				"adjusted adjusted: -99.00, but never below 0 -10.20", "surcharge Fuel: 10 % of 0.00 0.00",
				"handling handling: 1.00 1.00"}, "", nil},
		{"none priced", both + `}`, told{}, nil, nil,
			"no_rate: Post names no price for these parcels to this address", nil},
		{"it fails", both + `}`, told{failure: "did not answer within 1.5 s"}, nil, nil,
			"carrier: the carrier gave no price: Post did not answer within 1.5 s", nil},
		{"it fails, the tables stand in", both + `,"fallback":true}`, told{failure: "did not answer within 1.5 s"},
			[]string{" Parcel 20.80"}, nil, "",
			[]string{"carrier_fallback: Post did not answer within 1.5 s: Parcel is priced by its own price list."}},
		{"no service is on", `{"id":"post"}`, told{rates: rates}, nil, nil,
			"carrier: the carrier gave no price: no carrier is connected", nil},
	} {
		t.Run(tt.name, func(t *testing.T) {
			e := compiled(t, []byte(carrierShop(tt.carrier))).AskingCarriers(&tt.says)
			q := read(t, e, `{"to":{"country":"FI","postcode":"00100"},"lines":[{"name":"A","price":"10","weight":"2",
			"length":"9","width":"9","height":"9","quantity":2}]}`)
			a := e.Quote(q)
			var options, warnings []string
			for _, o := range a.Options {
				options = append(options, o.Service+" "+o.Label+" "+o.Charge)
			}
			for _, w := range a.Warnings {
				warnings = append(warnings, w.Code+": "+w.Message)
			}
			assert.Equal(t, tt.options, options)
			assert.Equal(t, tt.warnings, warnings)
			refused := ""
			for _, r := range a.Refused {
				refused = r.Code + ": " + r.Reason
				assert.NotContains(t, r.Why.Buyer("Parcel"), "Post", "buyers are not told who failed")
			}
			assert.Equal(t, tt.refused, refused)
			if len(a.Options) > 0 && a.Options[0].Service != "" {
				var steps []string
				for _, s := range a.Options[0].Steps {
					steps = append(steps, s.Kind+" "+s.Text+" "+s.Amount)
				}
				assert.Equal(t, tt.steps, steps)
			}
			for _, o := range a.Options {
				assert.Equal(t, o.Service == "", o.Estimated)
				assert.Equal(t, o.Service == "express", *o.Days == *days, "the carrier's days, or else the method's")
			}
		})
	}
}

func TestWhatCarriersAreAsked(t *testing.T) {
	says := &told{rates: []CarrierRate{rated("slow", "Slow", "5", nil)}}
	file := carrierShop(`{"id":"post","services":[{"code":"slow"}]}`)
	second := strings.Replace(file, `"methods":[`, `"methods":[{"id":"n","kind":"carrier","parcels":{"all_boxes":true},
	"carrier":{"id":"post","services":[{"code":"slow"}]},"tables":[{"id":"t","zones":["fi"],"by":"order",
	"rows":[{"charges":["9"]}]}]},`, 1)
	e := compiled(t, []byte(second)).AskingCarriers(says)
	q := read(t, e, `{"to":{"country":"FI","postcode":"00100","street":"Tie 2"},"lines":[
	{"price":"10","weight":"2","length":"9","width":"9","height":"9","quantity":1},
	{"price":"10","weight":"1","quantity":1,"own_parcel":true,"from":"shed"},
	{"price":"10","weight":"1","quantity":1,"ships_free":true,"from":"shed"}]}`)
	a := e.Quote(q)
	require.Len(t, a.Options, 2)
	assert.Equal(t, "11.00", a.Options[0].Charge, "5 for each parcel, and fuel")
	require.Len(t, says.asks, 2, "the same question of two methods is asked once, for each place")
	usual, shed := says.asks[0], says.asks[1]
	assert.Equal(t, []string{"21100", "Katu 1", "Tie 2", "EUR"}, []string{usual.From.Postcode, usual.From.Street,
		usual.To.Street, usual.Currency})
	require.Len(t, usual.Parcels, 1)
	assert.Equal(t, "0.907185", usual.Parcels[0].Kilograms.String())
	assert.Equal(t, "25.4", usual.Parcels[0].Centimetres[0].String(), "the box's sides")
	assert.Equal(t, "20100", shed.From.Postcode)
	assert.Empty(t, shed.Parcels[0].Centimetres)
	says.asks = nil
	free := e.Quote(read(t, e, `{"to":{"country":"FI"},"lines":[{"price":"1","ships_free":true,"quantity":1}]}`))
	assert.Empty(t, says.asks, "nothing is charged")
	assert.Equal(t, "0.00", free.Options[0].Charge)
	e.Quote(read(t, e, `{"to":{"country":"SE"},"lines":[{"price":"1","quantity":1}]}`))
	assert.Empty(t, says.asks, "no zone takes it")
}

func TestACarrierThatIsStillAsked(t *testing.T) {
	says := &told{pending: true}
	file := strings.Replace(carrierShop(`{"id":"post","services":[{"code":"a"},{"code":"b"},
	{"code":"c","enabled":false}],
		"fallback":true}`), `"methods":[`, `"methods":[{"id":"own","name":"Own","kind":"delivery","tables":[{"id":"t",
	"zones":["fi"],"by":"order","rows":[{"charges":["5"]}]}]},`, 1)
	e := compiled(t, []byte(file)).AskingCarriers(says)
	a := e.Quote(read(t, e, `{"to":{"country":"FI"},"lines":[{"price":"1","quantity":1}]}`))
	require.Len(t, a.Options, 1, "own methods are there at once")
	assert.Equal(t, "own", a.Options[0].Method)
	assert.Equal(t, []Pending{{Method: "m", Label: "Parcel", Services: 2, Before: 1}}, a.Pending)
	assert.Empty(t, a.Refused, "what is not known yet is not refused, and its price list does not stand in")
	for _, w := range a.Warnings {
		assert.NotEqual(t, CarrierFallback, w.Code)
	}
	a = e.Quote(read(t, e, `{"to":{"country":"SE"},"lines":[{"price":"1","quantity":1}]}`))
	assert.Empty(t, a.Pending, "where nobody is asked nothing is waited for")
}

func TestWhoeverWatchesCarriersIsToldWhatBuyersAreShown(t *testing.T) {
	agreed := `"agreed":[{"id":"a","customer":"C","methods":["m"],"amount":"3"}],"methods":[`
	for _, tt := range []struct {
		name, carrier, customer string
		failure                 string
		want                    []Instead
	}{
		{"an answer", `{"id":"post","services":[{"code":"slow"}],"fallback":true}`, "", "", nil},
		{"price lists", `{"id":"post","services":[{"code":"slow"}],"fallback":true}`, "", "broke",
			[]Instead{InsteadTables}},
		{"nothing", `{"id":"post","services":[{"code":"slow"}]}`, "", "broke", []Instead{InsteadNone}},
		{"agreed", `{"id":"post","services":[{"code":"slow"}]}`, "C", "broke", []Instead{InsteadAgreed}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			says := &told{failure: tt.failure, rates: []CarrierRate{rated("slow", "Slow", "5", nil)}}
			file := strings.Replace(carrierShop(tt.carrier), `"methods":[`, agreed, 1)
			e := compiled(t, []byte(file)).AskingCarriers(says)
			e.Quote(read(t, e,
				`{"to":{"country":"FI"},"customer":"`+tt.customer+`","lines":[{"price":"1","quantity":1}]}`))
			assert.Equal(t, tt.want, says.instead)
		})
	}
}

// Stores that are compared ask the same question once, so that a carrier that answers otherwise a moment later makes no
// difference between them.
func TestStoresThatAreComparedAskOnce(t *testing.T) {
	says := &told{rates: []CarrierRate{rated("slow", "Slow", "5", nil)}}
	one := compiled(t, []byte(carrierShop(`{"id":"post","services":[{"code":"slow"}]}`))).AskingCarriers(says)
	two := compiled(t, []byte(carrierShop(`{"id":"post","services":[{"code":"slow"}],"amount":"1"}`))).
		AskingCarriers(says)
	var requests []Request
	for _, country := range []string{"FI", "FI", "SE"} {
		requests = append(requests, *read(t, one, `{"to":{"country":"`+country+`"},"lines":[{"price":"1","weight":"1",
		"quantity":1}]}`))
	}
	both := Together([]*Engine{one, two, nil}, [][]Request{requests, requests, nil})
	assert.Len(t, says.asks, 1)
	assert.Nil(t, both[2])
	says.rates = nil
	assert.Equal(t, "6.50", both[0].Quote(&requests[0]).Options[0].Charge, "with 10 % for fuel and 1 of handling")
	assert.Equal(t, "7.60", both[1].Quote(&requests[1]).Options[0].Charge)
	assert.Empty(t, both[0].Quote(&requests[2]).Options)
	assert.Len(t, says.asks, 1)
	other := requests[0]
	other.Lines = append(other.Lines, other.Lines[0])
	a := both[0].Quote(&other)
	require.Len(t, a.Refused, 1, "what was not asked ahead is not guessed")
	assert.Equal(t, Carrier, a.Refused[0].Code)
}

// Goods from two places arrive together when the slower of the two parcels does.
func TestTheSlowerOfTwoPlacesCounts(t *testing.T) {
	day := func(least, most int64, business bool) *store.Days {
		return &store.Days{Min: least, Max: most, Business: business}
	}
	for _, tt := range []struct{ x, y, want *store.Days }{
		{nil, nil, nil},
		{day(1, 2, true), nil, day(1, 2, true)},
		{nil, day(1, 2, true), day(1, 2, true)},
		{day(1, 5, true), day(2, 3, true), day(2, 5, true)},
		{day(1, 5, true), day(2, 6, false), day(1, 5, true)}, // five working days are a week
		{day(1, 5, true), day(2, 8, false), day(2, 8, false)},
	} {
		assert.Equal(t, tt.want, slower(tt.x, tt.y))
		assert.Equal(t, tt.want, slower(tt.y, tt.x))
	}
}

func TestAServicesOwnDeliveryTimeStandsBeforeTheCarriers(t *testing.T) {
	says := &told{rates: []CarrierRate{rated("a", "A", "5", &store.Days{Min: 2, Max: 2}), rated("b", "B", "5",
		&store.Days{Min: 2, Max: 2})}}
	e := compiled(t, []byte(carrierShop(`{"id":"post","services":[{"code":"a","days":{"min":7,"max":9}},
	{"code":"b"}]}`))).AskingCarriers(says)
	a := e.Quote(read(t, e, `{"to":{"country":"FI"},"lines":[{"price":"1","quantity":1}]}`))
	require.Len(t, a.Options, 2)
	assert.Equal(t, &store.Days{Min: 7, Max: 9}, a.Options[0].Days)
	assert.Equal(t, &store.Days{Min: 2, Max: 2}, a.Options[1].Days)
}

// Where the carrier fails and the price list that stands in has no price, the owner is told of both.
func TestAFallbackWithoutAPriceNamesTheCarrier(t *testing.T) {
	says := &told{failure: "did not answer within 1.5 s"}
	file := strings.Replace(carrierShop(`{"id":"post","services":[{"code":"slow"}],"fallback":true}`),
		`"rows":[{"charges":["9"]}]`, `"rows":[{"charges":[null]}]`, 1)
	e := compiled(t, []byte(file)).AskingCarriers(says)
	a := e.Quote(read(t, e, `{"to":{"country":"FI"},"lines":[{"price":"1","quantity":1}]}`))
	require.Len(t, a.Refused, 1)
	assert.Equal(t, NoRate, a.Refused[0].Code)
	assert.Equal(t, "Post did not answer within 1.5 s, and no price stands in: not offered to Finland",
		a.Refused[0].Reason)
	assert.NotContains(t, a.Refused[0].Why.Buyer("Parcel"), "Post")
	assert.Equal(t, []Instead{InsteadNone}, says.instead)
}
