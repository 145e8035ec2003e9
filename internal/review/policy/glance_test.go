package policy

import (
	"testing"

	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAMethodAtAGlance(t *testing.T) {
	for _, c := range []struct {
		name, method string
		want         Glance
	}{
		{"one price", `"tables": [{"id": "l", "zones": ["fi"], "by": "order", "rows": [{"at": null,
		 "charges": ["6.90"]}]}]`,
			Glance{Where: []string{"Finland"}, Prices: "€6.90"}},
		{"rows of a price list, with the fee on top", `"handling": {"amount": "1.00"}, "days": {"min": 2, "max": 4,
			"business": true}, "free": {"subtotal": "75"}, "tables": [{"id": "l", "zones": ["fi", "se"], "by": "weight",
			"edges": "up_to", "rows": [{"at": "2", "charges": ["6.90", "9.90"]}, {"at": "10", "charges": ["12.90",
		 null]}]}]`,
			Glance{Where: []string{"Finland", "Sweden"}, Prices: "€7.90–€13.90", Days: "2–4 working days",
				Free: "from €75.00"}},
		{"it grows with the weight", `"tables": [{"id": "l", "zones": ["fi"], "by": "order", "rows": [{"at": null,
			"charges": [{"base": "4", "per_weight": {"amount": "1"}}]}]}]`,
			Glance{Where: []string{"Finland"}, Prices: "€4.00+", More: true}},
		{"up to the highest price", `"minimum": "5", "maximum": "20", "tables": [{"id": "l", "zones": ["fi"],
		 "by": "order",
			"rows": [{"at": null, "charges": [{"percent": "10"}]}]}]`,
			Glance{Where: []string{"Finland"}, Prices: "€5.00–€20.00"}},
		{"a zone that is switched off", `"terms": {"se": {"enabled": false}, "fi": {"days": {"min": 0, "max": 1}}},
			"tables": [{"id": "l", "zones": ["fi", "se"], "by": "order", "rows": [{"at": null, "charges": ["0",
		 "9"]}]}]`,
			Glance{Where: []string{"Finland"}, Prices: "Free", Days: "within 1 day"}},
		{"zones that differ", `"terms": {"se": {"days": {"min": 3, "max": 5}, "free": {"subtotal": "100"}}},
			"tables": [{"id": "l", "zones": ["fi", "se"], "by": "order", "rows": [{"at": null, "charges": ["6",
		 "9"]}]}]`,
			Glance{Where: []string{"Finland", "Sweden"}, Prices: "€6.00–€9.00", Days: "by zone", Free: "by zone"}},
		{"nothing is offered", `"tables": [{"id": "l", "zones": ["fi"], "by": "order", "rows": [{"at": null,
		 "charges": [null]}]}]`,
			Glance{}},
	} {
		f, faults := store.Read([]byte(`{"format": "diadrom-store/1", "store": {"currency": "EUR"},
			"zones": [{"id": "fi", "name": "Finland", "places": [{"country": "FI"}]},
			{"id": "se", "name": "Sweden", "places": [{"country": "SE"}]}], "methods": [{"id": "m", ` + c.method +
			`}]}`))
		require.Empty(t, faults, c.name)
		assert.Equal(t, c.want, GlanceAt(f, f.Method("m")), c.name)
	}
}
