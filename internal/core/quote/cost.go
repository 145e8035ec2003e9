package quote

import (
	"encoding/json"
	"slices"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/store"
)

// costing is what sending by a method costs the shop: tables for the method's own parcels.
type costing struct {
	method
	perParcel decimal.Decimal
}

// costs compiles what the store says that its methods cost; by the method's id.
func (e *Engine) costs() {
	e.costings = map[string]*costing{}
	for i := range e.file.Costs {
		c := &e.file.Costs[i]
		for j := range e.methods {
			m := &e.methods[j]
			if !slices.Contains(c.Methods, m.ID) {
				continue
			}
			k := &costing{method: *m}
			k.Method = &store.Method{ID: m.ID, Name: c.Name, Classes: c.Classes, Tables: c.Tables, From: m.From,
				Volumetric: m.Volumetric, Parcels: m.Parcels}
			k.served = e.served(k.Method)
			if c.PerParcel != nil {
				k.perParcel = *c.PerParcel
			}
			e.costings[m.ID] = k
		}
	}
}

// cost is what an option costs the shop, without tax: the tables of its method's entry for the method's parcels, or
// else what the carrier said, and so much for each parcel and each box. It is false where that is not known: where
// there is neither, and where the tables have a gap.
func (a *asked) cost(m *method, w *reached, said *decimal.Decimal) (cost decimal.Decimal, known bool) {
	k := a.e.costings[m.ID]
	switch {
	case k != nil:
		if cost, known = a.billedBy(k, w); !known {
			return cost, false
		}
	case said != nil:
		cost = *said
	default:
		return cost, false
	}
	if m.plan < 0 { // no boxes
		if k != nil && !k.perParcel.IsZero() {
			cost = cost.Add(k.perParcel.Mul(decimal.FromInt(a.unboxed())))
		}
		return cost, true
	}
	for i := range a.parcelled(m.plan, false).parcels {
		p := &a.parcelled(m.plan, false).parcels[i]
		each := decimal.Zero
		if k != nil {
			each = k.perParcel
		}
		if p.box != nil && p.box.Cost != nil {
			each = each.Add(*p.box.Cost)
		}
		cost = cost.Add(each.Mul(decimal.FromInt(p.count)))
	}
	return cost, true
}

// unboxed is how many parcels the charged goods are of a method without boxes: one of what shares a parcel from each
// place that it leaves from, and each unit that travels alone.
func (a *asked) unboxed() (n int64) {
	for i := range a.cart.alone {
		n += a.cart.alone[i].count
	}
	for i := range a.cart.together {
		first := true
		for j := range i {
			first = first && a.cart.together[j].from != a.cart.together[i].from
		}
		if first {
			n++
		}
	}
	return n
}

// billedBy is what the tables of an entry make of a method's parcels in the narrowest matching zone that they serve;
// false where there is none, or where they have a gap.
func (a *asked) billedBy(k *costing, w *reached) (sum decimal.Decimal, known bool) {
	for i := range a.zones {
		s := k.served[a.zones[i].Owner]
		if s == nil {
			continue
		}
		p := pricing{asked: a, m: &k.method, s: s, zone: &a.e.file.Zones[a.zones[i].Owner], from: w.from}
		results := make([]priced, len(s.tables))
		if p.parcels(results).Code != "" {
			return sum, false
		}
		for j := range results {
			sum = sum.Add(results[j].amount)
		}
		return sum, true
	}
	return sum, false
}

// costed gives an option what it costs the shop, and what is left of its charge without the tax in it.
func (a *asked) costed(o *Option, n *optionNote) {
	o.Cost, o.Margin = json.RawMessage("null"), json.RawMessage("null")
	if !n.costKnown {
		return
	}
	digits := a.e.units.Digits
	left := a.margin(&n.amounts, n.cost)
	o.Cost, o.Margin = asText(n.cost, digits), asText(left, digits)
	o.Costs = &Costs{n.cost, left}
}

// asText writes a sum as JSON.
func asText(d decimal.Decimal, digits int) json.RawMessage {
	return append(d.Append([]byte{'"'}, digits), '"')
}

// Costs are what an option costs the shop and what is left of it, as numbers.
type Costs struct{ Cost, Margin decimal.Decimal }
