package warnings

import (
	"fmt"
	"slices"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
)

// belowCosts finds prices of a list below what the store says that sending costs, one for each cell: at the ends of
// what the row covers, and where the costs have breaks of their own in between.
func (r *reader) belowCosts(c *cell) {
	entry := r.f.CostOf(c.m.ID)
	if entry == nil {
		return
	}
	var prices []quote.Priced
	for row := range c.t.Rows {
		if c.t.Rows[row].Charges[c.column] == nil {
			continue
		}
		var worst *quote.Request
		var at, lost, cost decimal.Decimal
		low, high := spanOf(c.t, row)
		for _, x := range c.costPoints(entry.Tables, row, low, high) {
			q := r.measured(c, x, low, high)
			if q == nil {
				continue // no buyer lives so far away
			}
			q.Costs = true
			prices = r.e.Prices(q, nil, c.m.ID, prices[:0])
			if len(prices) == 1 && prices[0].CostKnown && prices[0].Margin.Less(lost) {
				worst, at, lost, cost = q, x, prices[0].Margin, prices[0].Cost
			}
		}
		if worst == nil {
			continue
		}
		what := "an order"
		switch c.t.By {
		case rate.ByOrder:
		case rate.ByDistance:
			what = "an order that goes so far"
		default:
			what = r.u.Measure(c.t.By, at)
		}
		w := c.warning(
			BelowCost,
			Loses,
			row,
			fmt.Sprintf("%s costs you %s to send, which is %s more than is left of the price "+
				"after tax", what, r.money(cost.Round(r.u.Digits)), r.money(lost.Neg().Round(r.u.Digits))),
		)
		w.thing, w.Witness = "costs", worst
		r.sayIf(w, belowItsCost(c.m.ID))
	}
}

// costPoints are the measures at which a row is compared with what sending costs.
func (c *cell) costPoints(costs []rate.Table, row int, low, high decimal.Decimal) (points []decimal.Decimal) {
	apart := little
	if c.t.By == rate.ByQuantity {
		apart = decimal.One
	}
	if c.t.By == rate.ByOrder || c.t.By == rate.ByDistance { // an order at one place of the row
		return []decimal.Decimal{decimal.One}
	}
	first, last := low, high
	ends := row < len(c.t.Rows)-1 || c.t.Edges == rate.UpTo && c.t.Rows[row].At != nil
	switch {
	case c.t.Edges == rate.UpTo:
		first = low.Add(apart)
	case ends:
		last = high.Sub(apart)
	}
	points = append(points, first)
	for i := range costs {
		if t := &costs[i]; sameScale(t.By) == sameScale(c.t.By) {
			for j := range t.Rows {
				if at := t.Rows[j].At; at != nil {
					points = append(points, *at, at.Add(apart))
				}
			}
		}
	}
	points = append(points, last)
	points = slices.DeleteFunc(points, func(x decimal.Decimal) bool {
		return x.Sign() <= 0 || x.Less(first) || ends && last.Less(x) || !ends && c.t.Edges == rate.UpTo && x.Less(low)
	})
	slices.SortFunc(points, decimal.Decimal.Cmp)
	return slices.CompactFunc(points, func(a, b decimal.Decimal) bool { return a.Cmp(b) == 0 })
}

// sameScale is what a list measures, billed weights as weights.
func sameScale(by rate.By) rate.By {
	if by == rate.ByBilled {
		return rate.ByWeight
	}
	return by
}

// Covering are the prices that just pay what sending costs, the tax in them included, at some measures of a price list
// in a zone, for an order such as the list prices; nil where the cost is not known, and none at all for lists by
// distance or of a method without costs.
func (r *Reading) Covering(method, table, zone string, at []decimal.Decimal) []*decimal.Decimal {
	f := r.reader.f
	m := f.Method(method)
	if m == nil || f.CostOf(method) == nil {
		return nil
	}
	t := m.Table(table)
	if t == nil || t.By == rate.ByDistance || t.By == rate.ByOrder || !slices.Contains(t.Zones, zone) {
		return nil
	}
	c := cell{m: m, t: t, column: slices.Index(t.Zones, zone), zone: int32(f.ZoneIndex(zone)), id: zone}
	class, ok := r.reader.classOf(&c)
	if !ok {
		return nil
	}
	c.class = class
	covering := make([]*decimal.Decimal, len(at))
	var prices []quote.Priced
	for i, x := range at {
		q := r.reader.measured(&c, x, x, x)
		if q == nil {
			continue
		}
		q.Costs = true
		prices = r.engine.Prices(q, nil, method, prices[:0])
		if len(prices) == 1 && prices[0].CostKnown {
			price := prices[0].Cost.Percent(decimal.Hundred.Add(r.engine.Measure(q, method).Tax))
			covering[i] = &price
		}
	}
	return covering
}
