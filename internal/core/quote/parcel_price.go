package quote

import (
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/store"
)

// parcels has the tables price all parcels of the charged goods, and those per order what they come to.
func (p *pricing) parcels(results []priced) Refusal {
	return graver(p.each(results), p.wholes(results))
}

// each has the tables price each parcel of the charged goods. Tables per order only gather what they would measure.
func (p *pricing) each(results []priced) (worst Refusal) {
	if p.m.plan >= 0 {
		list := p.parcelled(p.m.plan, false).parcels
		for i := range list {
			if list[i].unit != nil {
				worst = graver(worst, p.alone(&parcel{list[i].goods[0], list[i].count}, results))
			} else {
				worst = graver(worst, p.together(&list[i].shared, results))
			}
		}
		return worst
	}
	for i := range p.cart.alone {
		worst = graver(worst, p.alone(&p.cart.alone[i], results))
	}
	if len(p.cart.froms) < 2 {
		if len(p.cart.together) > 0 {
			s := shared{p.cart.together, p.cart.froms[0], 1, nil, len(p.cart.alone) > 0}
			worst = graver(worst, p.together(&s, results))
		}
		return worst
	}
	for _, from := range p.origins() {
		s := shared{from: from, count: 1, named: true}
		for i := range p.cart.together {
			if p.cart.together[i].from == from {
				s.goods = append(s.goods, p.cart.together[i])
			}
		}
		if len(s.goods) > 0 {
			worst = graver(worst, p.together(&s, results))
		}
	}
	return worst
}

// wayFor is the way from a place by its id, or with "" from the usual place, where a price of a column depends on it.
func (p *pricing) wayFor(c *column, from string) way {
	switch {
	case from == "":
		return p.from
	case !c.far:
		return way{from: p.e.file.LocationName(from)}
	}
	return p.wayFromID(from)
}

// wayFromID is the way from a place of the shop; its length is nil where that has no point.
func (a *asked) wayFromID(id string) way {
	i, ok := a.e.originOf[id]
	if !ok {
		return way{from: a.e.file.LocationName(id)}
	}
	return a.wayFrom(i)
}

// origin is what the place is called from which goods leave.
func (p *pricing) origin(from string, w *way) string {
	switch {
	case from != "":
		return p.e.file.LocationName(from)
	case w.from != "":
		return w.from
	}
	return "the usual place"
}

// farthest is the largest distance of the shipped goods; nil where one of them is unknown, with the place that it
// leaves from.
func (a *asked) farthest(usual *decimal.Decimal) (largest *decimal.Decimal, from string) {
	if len(a.cart.froms) == 1 && a.cart.froms[0] == "" {
		return usual, ""
	}
	for _, id := range a.cart.froms {
		d := usual
		if id != "" {
			d = a.wayFromID(id).length
		}
		if d == nil {
			return nil, id
		}
		if largest == nil || largest.Less(*d) {
			largest = d
		}
	}
	return largest, ""
}

// tooHeavy refuses a method of which a parcel is heavier than it may be.
func (a *asked) tooHeavy(m *method) Refusal {
	if m.plan < 0 || a.e.plans[m.plan].limit == nil {
		return Refusal{}
	}
	limit := *a.e.plans[m.plan].limit
	for _, p := range a.parcelled(m.plan, false).parcels {
		if limit.Less(p.all.Weight) {
			return Refusal{Code: ParcelTooHeavy, Cause: OverLimit, By: ParcelWeight, Have: p.all.Weight, Limit: limit}
		}
	}
	return Refusal{}
}

// parcelNeeds checks the conditions on every parcel of the shipped goods.
func (a *asked) parcelNeeds(m *method, n *store.Needs) Refusal {
	if n.ParcelWeight == nil && n.Girth == nil {
		return Refusal{}
	}
	list := a.parcelled(m.plan, true).parcels
	for i := range list {
		if r := outOfBounds(n.ParcelWeight, list[i].all.Weight, ParcelWeight); r.Code != "" {
			return r
		}
	}
	for i := range list {
		p := &list[i]
		if p.box != nil {
			if r := outOfBounds(n.Girth, Girth(p.box.sides), GirthMeasure); r.Code != "" {
				return r
			}
			continue
		}
		for _, c := range p.contents {
			if u := &a.q.Lines[c.line].Product; u.Sized() {
				sides := [3]decimal.Decimal{*u.Length, *u.Width, *u.Height}
				if r := outOfBounds(n.Girth, Girth(sides), GirthMeasure); r.Code != "" {
					return r
				}
			}
		}
	}
	return Refusal{}
}

// Girth is length plus girth, as posts define it: the longest side and the circumference across it, which of a cuboid
// is twice the sum of the other two (Universal Postal Union, Convention Manual, limits of size for parcels: "the sum of
// the length and the greatest circumference measured in a direction other than that of the length"; from memory).
func Girth(sides [3]decimal.Decimal) decimal.Decimal {
	longest, total := sides[0], decimal.Zero
	for _, s := range sides {
		total = total.Add(s)
		if longest.Less(s) {
			longest = s
		}
	}
	return longest.Add(total.Sub(longest).Mul(decimal.FromInt(2)))
}
