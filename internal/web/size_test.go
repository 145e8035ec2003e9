package web

import (
	"fmt"
	"strings"
	"testing"

	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// manyMethods is a store of so many methods, each with prices for so many zones.
func manyMethods(t testing.TB, methods, zones int) *store.File {
	t.Helper()
	var z, ids, m []string
	for i := range zones {
		z = append(z, fmt.Sprintf(`{"id": "z%d", "name": "Zone %[1]d",
			"places": [{"country": "FI", "postcodes": ["%02d*"]}]}`, i, i))
		ids = append(ids, fmt.Sprintf(`"z%d"`, i))
	}
	for i := range methods {
		var rows []string
		for r := range 10 {
			var charges []string
			for c := range zones {
				charges = append(charges, fmt.Sprintf(`"%d.%02d"`, r+3, c))
			}
			rows = append(rows, fmt.Sprintf(`{"at": "%d", "charges": [%s]}`, r+1, strings.Join(charges, ", ")))
		}
		m = append(m, fmt.Sprintf(`{"id": "m%d", "name": "Method %[1]d", "tables": [{"id": "l", "zones": [%s],
			"by": "weight", "edges": "up_to", "rows": [%s]}]}`, i, strings.Join(ids, ", "), strings.Join(rows, ", ")))
	}
	f, faults := store.Read([]byte(`{"format": "diadrom-store/1", "store": {"currency": "EUR"}, "zones": [` +
		strings.Join(z, ", ") + `], "methods": [` + strings.Join(m, ", ") + `]}`))
	require.Empty(t, faults)
	return f
}

func TestTheListOfMethodsStaysSmall(t *testing.T) {
	s := opened(t, manyMethods(t, 50, 40), false)
	for path, most := range map[string]int{"/methods": 300_000, "/defaults": 300_000, "/quotes/why": 300_000,
		"/methods/m7": 700_000} {
		_, body := s.get(path)
		assert.Less(t, len(body), most, path)
		t.Logf("%s: %d bytes", path, len(body))
	}
}
