package web

import (
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/shop/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The Till says of each option what it costs the shop and what is left, where the shop has said what carriers bill;
// the page that shows what the buyer sees does not.
func TestTheTillSaysWhatAnOptionCostsTheShop(t *testing.T) {
	f, err := demo.Store()
	require.NoError(t, err)
	data := f.Write()
	entry := `"costs":[{"id":"post","name":"Post 2026","methods":["parcel"],"per_parcel":"0.35","tables":[{"id":"t",` +
		`"zones":["finland"],"by":"weight","edges":"up_to",` +
		`"rows":[{"at":null,"charges":["4.00"]}]}]},` +
		`{"id":"lockers","name":"Lockers 2026","methods":["locker"],"tables":[{"id":"t","zones":["finland"],` +
		`"by":"order","rows":[{"charges":[null]}]}]}]}`
	at := len(data) - 1
	for data[at] != '}' {
		at--
	}
	with, faults := store.Read([]byte(string(data[:at]) + "," + entry))
	require.Empty(t, faults)
	s := opened(t, with, true)
	s.post("/till/destination", "to", "20100 Turku")
	_, body := s.get("/zones")
	holds(t, body, "Costs you €5.45, leaves €0.05 after tax",
		"Cost not known: Lockers 2026 has no price for this order") // 6.90 − 1.40 − 4.00 − 0.35 − 1.10 for the box
	s.post("/till/line", "line", "0", "field", "quantity", "value", "5")
	_, body = s.get("/zones")
	holds(t, body, "cost loses", ", a loss of €") // delivery is free by then
	_, body = s.get("/checkout")
	assert.NotContains(t, body, "Costs you")
	plain := lauha(t)
	plain.post("/till/destination", "to", "20100 Turku")
	_, body = plain.get("/zones")
	assert.NotContains(t, body, "Costs you €5.45")
	assert.NotContains(t, body, "Cost not known")
}
