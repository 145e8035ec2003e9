package coverage

import (
	"strings"
	"testing"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestCountriesThatADeliveryReaches(t *testing.T) {
	for places, want := range map[string][]string{
		`{"country": "FI", "postcodes": ["22*"]}`: {"FI"},
		`{"country": "EE"}, {"country": "AX"}`:    {"AX", "EE"},
		// UN M.49, Western Europe
		`{"group": "155"}`: {"AT", "BE", "CH", "DE", "FR", "LI", "LU", "MC", "NL"},
		// around Basel, where three countries meet
		`{"within": {"lat": "47.6", "lon": "7.6", "distance": "30"}}`: {"CH", "DE", "FR"},
		// an island's corners may lie at sea
		`{"area": {"type": "Polygon", "coordinates": [[[18.0,56.8],[19.6,56.8],[19.6,58.1],[18.0,58.1],[18.0,56.8]]]}}`: {"SE"},
	} {
		f, faults := store.Read([]byte(`{"format": "diadrom-store/1", "store": {"currency": "EUR"},
			"zones": [{"id": "a", "places": [` + places + `]}, {"id": "b", "places": [{"country": "NO"}]},
				{"id": "c", "enabled": false, "places": [{"country": "US"}]}],
			"methods": [{"id": "m", "tables": [{"id": "l", "zones": ["a", "c"], "by": "order", "rows": [{"at": null, "charges": ["5", "5"]}]}]},
				{"id": "off", "enabled": false, "tables": [{"id": "l", "zones": ["b"], "by": "order", "rows": [{"at": null, "charges": ["5"]}]}]}]}`))
		require.Empty(t, faults)
		assert.Equal(t, want, Countries(quote.Compile(f, nil)), places)
	}
	f, err := demo.Store()
	require.NoError(t, err)
	all := Countries(quote.Compile(f, nil))
	assert.Subset(t, all, []string{"FI", "AX", "EE", "DE"})
}

// A country that the exceptions of a zone name whole is not delivered to, unless another zone does; a part of it is
// none.
func TestExceptionsOfCountries(t *testing.T) {
	for except, want := range map[string][]string{
		`{"country": "SE"}`:                                       {"DK", "FI", "IS", "NO"},
		`{"country": "SE", "postcodes": ["1*"]}`:                  {"DK", "FI", "IS", "NO", "SE"},
		`{"group": "EU"}`:                                         {"FI", "IS", "NO"},
		`{"country": "FI"}`:                                       {"DK", "FI", "IS", "NO", "SE"},
		`{"country": "DK"}, {"country": "IS"}`:                    {"FI", "NO", "SE"},
		`{"world": true}`:                                         {"FI"},
		`{"within": {"lat": "60", "lon": "25", "distance": "3"}}`: {"DK", "FI", "IS", "NO", "SE"},
	} {
		f, faults := store.Read([]byte(`{"format": "diadrom-store/1", "store": {"currency": "EUR"},
			"zones": [{"id": "north", "places": [{"country": "DK"}, {"country": "IS"}, {"country": "NO"}, {"country": "SE"}, {"country": "FI"}],
				"except": [` + except + `]}, {"id": "home", "places": [{"country": "FI"}]}],
			"methods": [{"id": "m", "tables": [{"id": "l", "zones": ["north", "home"], "by": "order", "rows": [{"at": null, "charges": ["5", "4"]}]}]}]}`))
		require.Empty(t, faults, except)
		assert.Equal(t, want, Countries(quote.Compile(f, nil)), except)
	}
}

// A street is worth asking for only where a price looks at where an address lies.
func TestCountriesWherePricesLookAtAPoint(t *testing.T) {
	for change, want := range map[string][]string{
		``: {},
		`"locations": [{"id": "w", "name": "W", "country": "SE", "postcode": "11120"}],
			"surcharges": [{"id": "far", "name": "Far", "places": [{"within": {"location": "w", "distance": "2"}}], "amount": "1"}],`: {"SE"},
		`"surcharges": [{"id": "far", "name": "Far", "places": [{"within": {"lat": "60.2", "lon": "24.9", "distance": "2"}}], "amount": "1"}],`:                      {"FI"},
		`"store": {"currency": "EUR", "tax": {"prices_include_tax": true, "rates": [{"within": {"lat": "59.3", "lon": "18.0", "distance": "2"}, "percent": "0"}]}},`: {"SE"},
	} {
		base := `"store": {"currency": "EUR"},`
		if strings.Contains(change, `"store"`) {
			base = ""
		}
		f, faults := store.Read([]byte(`{"format": "diadrom-store/1", ` + base + change + `
			"zones": [{"id": "a", "places": [{"country": "FI"}, {"country": "SE"}]}],
			"methods": [{"id": "m", "tables": [{"id": "l", "zones": ["a"], "by": "order", "rows": [{"at": null, "charges": ["5"]}]}]}]}`))
		require.Empty(t, faults, change)
		assert.Equal(t, want, append([]string{}, ByPoint(quote.Compile(f, nil))...), change)
	}
	for method, want := range map[string][]string{
		`"tables": [{"id": "l", "zones": ["a"], "by": "distance", "edges": "up_to", "rows": [{"at": null, "charges": ["5"]}]}]`:                       {"FI", "SE"},
		`"tables": [{"id": "l", "zones": ["a"], "by": "order", "rows": [{"at": null, "charges": [{"base": "1", "per_distance": {"amount": "1"}}]}]}]`: {"FI", "SE"},
		`"needs": {"distance": {"to": "10"}}, "tables": [{"id": "l", "zones": ["b"], "by": "order", "rows": [{"at": null, "charges": ["5"]}]}]`:       {"NO"},
		`"enabled": false, "tables": [{"id": "l", "zones": ["a"], "by": "distance", "edges": "up_to", "rows": [{"at": null, "charges": ["5"]}]}]`:     {},
	} {
		f, faults := store.Read([]byte(`{"format": "diadrom-store/1", "store": {"currency": "EUR"},
			"locations": [{"id": "w", "name": "W", "country": "FI", "lat": "60.2", "lon": "24.9", "ships_from": true}],
			"zones": [{"id": "a", "places": [{"country": "FI"}, {"country": "SE"}]}, {"id": "b", "places": [{"country": "NO"}]}],
			"methods": [{"id": "m", ` + method + `}]}`))
		require.Empty(t, faults, method)
		assert.Equal(t, want, append([]string{}, ByPoint(quote.Compile(f, nil))...), method)
	}
}
