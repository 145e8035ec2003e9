package quote

import (
	"testing"

	"diadrom/internal/core/decimal"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Prices without words are those of the quote, of all methods and of each alone.
func TestPricesAreThoseOfTheQuote(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		file, request, outside := drawStore(t), drawRequest(t), drawOutside(t)
		request["costs"] = true
		e := engineOf(t, file)
		if outside.metres != nil || outside.street != nil {
			e = e.Asking(drawnOutside{e, outside})
		}
		e = e.AskingCarriers(outside.carrier)
		requests, _, faults := e.ReadRequest(encode(t, request))
		require.Empty(t, faults)
		q := &requests[0]
		answer := e.Quote(q)
		var want []Priced
		for _, o := range answer.Options {
			p := Priced{
				Method:    o.Method,
				Service:   o.Service,
				Zone:      o.Zone,
				Amounts:   o.Amounts,
				CostKnown: o.Costs != nil,
			}
			if o.Costs != nil {
				p.Costs = *o.Costs
			}
			want = append(want, p)
		}
		same(t, want, e.Prices(q, nil, "", nil))
		if outside.metres == nil && outside.street == nil {
			same(t, want, e.Prices(q, e.Place(&q.To), "", nil))
		}
		var each []Priced
		for i := range e.methods {
			each = e.Prices(q, nil, e.methods[i].ID, each)
		}
		same(t, want, each)
		if len(answer.Zones) > 0 {
			assert.Equal(t, answer.Zones[0].Zone, e.Place(&q.To).Narrowest(e))
		}
		for _, o := range answer.Options {
			m := e.Measure(q, o.Method)
			assert.Equal(t, o.Zone, m.Zone)
			assert.LessOrEqual(t, m.Quantity, answer.Measures.Quantity)
			assert.False(t, decimal.MustParse(answer.Measures.Weight).Less(m.Weight))
			if tax := o.Amounts.Tax; !tax.IsZero() && file["store"].(obj)["tax"].(obj)["prices_include_tax"] == true {
				assert.Zero(t, o.Amounts.Charge.Mul(m.Tax).QuoRound(decimal.Hundred.Add(m.Tax), 2).Cmp(tax))
			}
		}
	})
}

// same compares prices by their values: 6.9 and 6.90 are one.
func same(t *rapid.T, want, have []Priced) {
	require.Len(t, have, len(want))
	for i := range want {
		w, h := want[i], have[i]
		assert.Equal(t, []string{w.Method, w.Service, w.Zone}, []string{h.Method, h.Service, h.Zone})
		assert.Zero(t, w.Charge.Cmp(h.Charge), "%s: %s, %s", w.Method, w.Charge, h.Charge)
		assert.Zero(t, w.Tax.Cmp(h.Tax))
		assert.Zero(t, w.Total.Cmp(h.Total))
		assert.Equal(t, w.CostKnown, h.CostKnown)
		assert.Zero(t, w.Cost.Cmp(h.Cost))
		assert.Zero(t, w.Margin.Cmp(h.Margin))
	}
}
