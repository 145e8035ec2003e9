package coverage

import (
	"testing"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestCountriesThatADeliveryReaches(t *testing.T) {
	for places, want := range map[string][]string{
		`{"country": "FI", "postcodes": ["22*"]}`:                     {"FI"},
		`{"country": "EE"}, {"country": "AX"}`:                        {"AX", "EE"},
		`{"group": "155"}`:                                            {"AT", "BE", "CH", "DE", "FR", "LI", "LU", "MC", "NL"}, // UN M.49, Western Europe
		`{"within": {"lat": "47.6", "lon": "7.6", "distance": "30"}}`: {"CH", "DE", "FR"},                                     // around Basel, where three countries meet
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
