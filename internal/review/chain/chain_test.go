package chain

import (
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// made is a store with three zones over one another, and the engine of it.
func made(t *testing.T) *quote.Engine {
	t.Helper()
	f, faults := store.Read([]byte(`{"format": "diadrom-store/1", "store": {"currency": "EUR",
		"tax": {"prices_include_tax": true, "rates": [{"country": "FI", "percent": "25.5"}]}},
		"zones": [{"id": "turku", "places": [{"country": "FI", "postcodes": ["20*"]}]},
		{"id": "fi", "places": [{"country": "FI"}]}, {"id": "eu", "places": [{"group": "EU"}]}],
		"surcharges": [{"id": "island", "name": "Island", "places": [{"country": "FI", "postcodes": ["201*"]}],
		 "amount": "2"},
		{"id": "north", "name": "North", "places": [{"country": "FI", "postcodes": ["99*"]}], "amount": "4"},
		{"id": "other", "name": "Other", "places": [{"world": true}], "methods": ["letter"], "amount": "9"}],
		"agreed": [{"id": "inn", "name": "Inn", "place": {"country": "FI", "postcode": "20100"}, "amount": "5"},
		{"id": "c7", "name": "Contract", "customer": "C-7", "amount": "3"},
		{"id": "trade", "name": "Trade", "group": "trade", "methods": ["letter"], "amount": "1"}],
		"methods": [{"id": "parcel", "handling": {"amount": "1"}, "terms": {"eu": {"handling": {"amount": "3"}}},
		"tables": [{"id": "l", "zones": ["eu", "fi"], "by": "weight", "edges": "up_to",
		"rows": [{"at": "2", "charges": ["20", "6.90"]}]}]},
		{"id": "letter", "tables": [{"id": "l", "zones": ["fi"], "by": "order", "rows": [{"at": null,
		 "charges": ["2"]}]}]}]}`))
	require.Empty(t, faults)
	return quote.Compile(f, nil)
}

func request(code, customer, group, weight string) *quote.Request {
	kg := decimalOf(weight)
	return &quote.Request{To: place.Address{Country: "FI", Postcode: code}, Customer: customer, Group: group,
		Lines: []quote.Line{{Product: store.Product{NeedsShipping: true, Weight: &kg}, Quantity: 1}}}
}

func TestWhereAPriceComesFrom(t *testing.T) {
	e := made(t)
	c, ok := Of(e, request("20200", "", "", "1"), "parcel", "")
	require.True(t, ok)
	assert.Equal(t, "7.90", c.Charge)
	assert.Equal(t, []Zone{
		{ID: "turku", Because: "postcode FI 20*"},
		{ID: "fi", Because: "country FI", Served: true, Decides: true, Charge: "7.90"},
		{ID: "eu", Because: "group EU", Served: true, Charge: "23.00"},
	}, c.Zones, "each zone with what its own prices and terms would give")
	var sums []string
	for _, s := range c.Steps {
		sums = append(sums, s.Kind+" "+s.Sum)
	}
	assert.Equal(t, []string{"table 6.90", "handling 7.90"}, sums)
	assert.Equal(t, []Extra{{"island", "Island"}, {"north", "North"}}, c.Extras)
	var agreed []string
	for _, a := range c.Agreed {
		assert.False(t, a.Holds || a.Decides)
		agreed = append(agreed, a.ID)
	}
	assert.Equal(t, []string{"c7", "inn"}, agreed, "the customer's before the place's; the trade's is of another "+
		"method")
}

func TestAnAgreedChargeDecides(t *testing.T) {
	e := made(t)
	c, _ := Of(e, request("20100", "C-7", "trade", "1"), "parcel", "")
	assert.Equal(t, "3.00", c.Charge)
	assert.Equal(t, []bool{true, false}, []bool{c.Agreed[0].Decides, c.Agreed[1].Decides},
		"two hold: the customer's wins")
	assert.True(t, c.Agreed[1].Holds)
	assert.Equal(t, "9.90", c.Zones[1].Charge, "what it would cost without, with the surcharge")
	assert.Equal(t, []Extra{{"north", "North"}}, c.Extras)
}

func TestARefusalIsExplainedZoneByZone(t *testing.T) {
	e := made(t)
	c, _ := Of(e, request("20200", "", "", "3"), "parcel", "")
	assert.Empty(t, c.Charge)
	assert.Contains(t, c.Refused, "limit 2 kg")
	assert.Contains(t, c.Zones[1].Refused, "limit 2 kg")
	assert.Empty(t, c.Steps)
	_, ok := Of(e, request("20200", "", "", "3"), "gone", "")
	assert.False(t, ok)
}

func decimalOf(text string) decimal.Decimal {
	d, err := decimal.Parse(text)
	if err != nil {
		panic(err)
	}
	return d
}

// The zone that decides, priced alone, gives the same as the whole store does, unless an agreed charge decides.
func TestTheDecidingZoneGivesThePrice(t *testing.T) {
	f, err := demo.Store()
	require.NoError(t, err)
	e := quote.Compile(f, nil)
	seen := 0
	for _, to := range []place.Address{{Country: "FI", Postcode: "00100"}, {Country: "FI", Postcode: "22100"},
		{Country: "FI", Postcode: "99980"}, {Country: "FI", Postcode: "21160"}, {Country: "EE", Postcode: "10111"},
		{Country: "DE", Postcode: "10115"}, {Country: "US", Postcode: "10001"}} {
		for i := range f.Products {
			q := &quote.Request{To: to, Lines: []quote.Line{{Product: f.Products[i], Quantity: 2}}}
			for j := range f.Methods {
				c, ok := Of(e, q, f.Methods[j].ID, "")
				require.True(t, ok)
				for _, z := range c.Zones {
					if z.Decides {
						seen++
						assert.Equal(t, []string{c.Charge, c.Refused}, []string{z.Charge, z.Refused}, "%v %s %s", to,
							f.Products[i].SKU, f.Methods[j].ID)
					}
				}
			}
		}
	}
	assert.Greater(t, seen, 300)
}
