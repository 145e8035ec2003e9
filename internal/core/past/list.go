package past

import (
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/propose"
	"diadrom/internal/core/rate"
)

// Selection says of which orders a price list is made.
type Selection struct {
	Method string  // by which they went; also orders that name no method
	Zone   string  // in which the method serves them; "" for all
	By     rate.By // the measure of its rows: weight, subtotal, quantity or distance
}

// Selected counts what became of orders of which a list was to be made.
type Selected struct {
	Taken       int // of these the list is made
	OtherMethod int // went by another method
	OtherZone   int
	NoCost      int // nothing says what they cost
	NoMeasure   int // 0 or not known: no distance, no weight, or all their goods ship free
	Unrated     int // with goods that the store does not know
	ManyParcels int // of those that are taken, orders in several parcels, which a list prices each by itself
}

// Select gives an order as a list is made of it; false where it is none of those that are selected, which is counted.
func (r *Rater) Select(o *Order, s *Selection, n *Selected) (x propose.Order, ok bool) {
	if o.Method != "" && r.Own(o.Method) != s.Method {
		n.OtherMethod++
		return x, false
	}
	if unknown := r.fill(&r.request, o); unknown != "" {
		n.Unrated++
		return x, false
	}
	m := r.engine.Measure(&r.request, s.Method)
	if s.Zone != "" && m.Zone != s.Zone {
		n.OtherZone++
		return x, false
	}
	x = propose.Order{ID: o.ID, Tax: m.Tax}
	if o.Cost != nil {
		x.Cost = *o.Cost
	} else {
		r.prices = r.engine.Prices(&r.request, nil, s.Method, r.prices[:0])
		if len(r.prices) == 0 || !r.prices[0].CostKnown {
			n.NoCost++
			return x, false
		}
		x.Cost = r.prices[0].Cost
	}
	switch {
	case s.By == rate.ByWeight:
		x.Measure = m.Weight
	case s.By == rate.BySubtotal:
		x.Measure = m.Subtotal
	case s.By == rate.ByQuantity:
		x.Measure = decimal.FromInt(m.Quantity)
	case m.Distance != nil:
		x.Measure = *m.Distance
	}
	if m.Parcels == 0 || x.Measure.Sign() <= 0 {
		n.NoMeasure++
		return x, false
	}
	n.Taken++
	if m.Parcels > 1 {
		n.ManyParcels++
	}
	return x, true
}
