package quote

import (
	"cmp"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/store"
)

// reached is how far a method got: all that is judged before its price.
type reached struct {
	s    *served
	zone *store.Zone
	from way // from the usual place
}

func (w *reached) pricing(a *asked, m *method) *pricing {
	return &pricing{asked: a, m: m, s: w.s, zone: w.zone, from: w.from}
}

// reach judges a method up to its price: its zone, period, conditions and parcels.
func (a *asked) reach(m *method) (w reached, r Refusal) {
	position, s := a.serving(m)
	if s == nil {
		return w, a.outside()
	}
	w.s, w.zone, w.from = s, &a.e.file.Zones[a.zones[position].Owner], a.nearest
	if position > a.only {
		narrow := a.e.file.Zones[a.zones[a.only].Owner]
		return w, Refusal{
			Code:  ZoneOnly,
			Cause: ZoneAlone,
			Names: []string{cmp.Or(narrow.Name, narrow.ID)},
			Zone:  cmp.Or(w.zone.Name, w.zone.ID),
		}
	}
	if m.ownFrom {
		w.from = a.wayFrom(m.from)
	}
	if m.Available != nil && !m.Available.Has(a.today()) {
		return w, Refusal{Code: NotAvailable, Cause: OutsidePeriod, When: *m.Available}
	}
	unmet := a.needs(m, s.terms.Needs, w.from.length)
	if unmet.Code == "" || unmet.Code == NoDistance {
		if r := a.tooHeavy(m); r.Code != "" {
			return w, r
		}
	}
	if unmet.Code == "" && !s.terms.Enabled {
		unmet = Refusal{Code: NoRate, Cause: SwitchedOff, Zone: cmp.Or(w.zone.Name, w.zone.ID)}
	}
	return w, unmet
}

// method evaluates one method and notes it as an option, or as one for each service of a carrier, or says why it is not
// offered.
func (a *asked) method(m *method) Refusal {
	w, r := a.reach(m)
	if r.Code != "" {
		return r
	}
	if a.e.asksCarriers && a.cart.charged() && len(m.services) > 0 {
		return a.byCarrier(m, &w)
	}
	begun := len(a.steps)
	p := pricing{asked: a, m: m, s: w.s, zone: w.zone, from: w.from}
	charge, r := p.price(nil)
	if r.Code == "" {
		a.note(m, &w, begun, charge, optionNote{days: w.s.terms.Days})
	}
	return r
}

// note notes an option by its charge, whose steps are those from begun on.
func (a *asked) note(m *method, w *reached, begun int, charge decimal.Decimal, n optionNote) {
	tax, total := a.tax(m, charge)
	n.m, n.zone, n.free = m, w.zone.ID, a.freeRule(&w.s.terms)
	n.charge, n.tax, n.total = a.money(charge), a.money(tax), a.money(total)
	n.steps, n.amounts = span{begun, len(a.steps)}, Amounts{charge, tax, total}
	if a.q.Costs {
		n.cost, n.costKnown = a.cost(m, w, n.said)
	}
	a.options = append(a.options, n)
}

// serving finds the narrowest matching zone that a table of the method serves.
func (a *asked) serving(m *method) (position int, s *served) {
	for i := range a.zones {
		if s := m.served[a.zones[i].Owner]; s != nil {
			return i, s
		}
	}
	return 0, nil
}
