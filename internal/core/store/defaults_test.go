package store

import (
	"testing"

	"diadrom/internal/core/fault"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWhatIsInheritedIsTheDefault(t *testing.T) {
	for _, c := range []struct{ defaults, method, path, code string }{
		{`"days": {"min": 2, "max": 4}`, `"inherits": ["days"], "days": {"min": 2, "max": 4}`, "", ""},
		{`"days": {"min": 2, "max": 4}`, `"days": {"min": 1, "max": 9}`, "", ""},
		{``, `"inherits": ["days", "taxable"]`, "", ""},
		{`"free": {"subtotal": "75"}`, `"inherits": ["free"], "free": {"subtotal": "75.00"}`, "", ""},
		{`"taxable": false`, `"inherits": ["taxable"], "taxable": false`, "", ""},
		{`"days": {"min": 2, "max": 4}`, `"inherits": ["days"], "days": {"min": 2, "max": 5}`,
			"/methods/0/days", fault.Shape},
		{`"days": {"min": 2, "max": 4}`, `"inherits": ["days"]`, "/methods/0/days", fault.Shape},
		{`"taxable": false`, `"inherits": ["taxable"]`, "/methods/0/taxable", fault.Shape},
		{`"needs": {"weight": {"to": "30"}}`, `"inherits": ["needs"], "needs": {"weight": {"to": "3"}}`,
			"/methods/0/needs", fault.Shape},
		{``, `"inherits": ["days", "days"]`, "/methods/0/inherits/1", fault.Duplicate},
		{``, `"inherits": ["price"]`, "/methods/0/inherits/0", fault.Choice},
		{``, `"inherits": [""]`, "/methods/0/inherits/0", fault.Missing},
		{`"price": "3"`, ``, "/store/defaults/price", fault.Unknown},
		{`"needs": {"only_classes": ["gone"]}`, ``, "/store/defaults/needs/only_classes/0", fault.Reference},
	} {
		method := `{"id": "m"`
		if c.method != "" {
			method += ", " + c.method
		}
		f, faults := Read([]byte(`{"format": "diadrom-store/1", "store": {"currency": "EUR", "defaults": {` +
			c.defaults + `}}, "methods": [` + method + `}]}`))
		if c.path == "" {
			require.Empty(t, faults, c)
			again, faults := Read(f.Write())
			require.Empty(t, faults)
			assert.Equal(t, string(f.Write()), string(again.Write()), "it is written as it was read")
			continue
		}
		require.Len(t, faults, 1, c)
		assert.Equal(t, []string{c.path, c.code}, []string{faults[0].Path, faults[0].Code}, faults[0].Message)
	}
	f, faults := Read([]byte(`{"format": "diadrom-store/1", "store": {"currency": "EUR"}}`))
	require.Empty(t, faults)
	assert.NotContains(t, string(f.Write()), "defaults", "a store without defaults is written as before")
}
