package edit

import (
	"cmp"
	"maps"
	"slices"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// TrialKind is what of a method is tried.
type TrialKind string

// The kinds: from which order value on delivery is free, the handling fee on every order, and a percentage on the
// prices of a zone.
const (
	TrialFree     TrialKind = "free"
	TrialHandling TrialKind = "handling"
	TrialPercent  TrialKind = "percent"
)

// Trial is a change of a method that can be tried on past orders and then made.
type Trial struct {
	Method string
	Kind   TrialKind
	// Zone is of a percentage its column, "" for all. A threshold or a fee holds in that zone alone, or with ""
	// everywhere but in zones that have their own, or with [AllZones] in those too.
	Zone  string
	Value decimal.Decimal
}

// AllZones is the zone of a trial that holds in all zones, also in those that have their own threshold or fee.
const AllZones = "*"

// Holds says whether a threshold or a fee that is tried is that of orders by a zone.
func (t *Trial) Holds(f *store.File, zone string) bool {
	m := f.Method(t.Method)
	if m == nil || t.Zone != "" {
		return t.Zone == AllZones || t.Zone == zone
	}
	terms, ok := m.Terms[zone]
	return !ok || t.Kind == TrialFree && terms.Free == nil || t.Kind == TrialHandling && terms.Handling == nil
}

// Apply makes the change.
func (t *Trial) Apply(f *store.File) error {
	m := f.Method(t.Method)
	switch {
	case m == nil:
		return Problemf("this method was removed meanwhile; nothing was changed")
	case t.Kind != TrialPercent && t.Value.Sign() < 0:
		return Problemf("%s is below 0", t.Value)
	case t.Kind != TrialPercent && t.Zone != "" && t.Zone != AllZones && !slices.Contains(m.ServedZones(), t.Zone):
		return Problemf("this method does not serve that zone")
	case t.Kind == TrialPercent && t.Value.Cmp(decimal.FromInt(-100)) < 0:
		return Problemf("a change of %s %% makes prices below 0", t.Value)
	}
	m.Terms = maps.Clone(m.Terms)
	switch t.Kind {
	case TrialFree:
		t.terms(f, m, store.InheritFree, func(has *store.Terms) {
			free := store.Free{}
			if has.Free != nil {
				free = *has.Free
			}
			value := t.Value
			free.Subtotal = &value
			has.Free = &free
		}, func(has *store.Terms) bool { return has.Free != nil })
	case TrialHandling:
		t.terms(f, m, store.InheritHandling, func(has *store.Terms) {
			fee := store.Handling{}
			if has.Handling != nil {
				fee = *has.Handling
			}
			value := t.Value
			if fee.Amount = &value; value.IsZero() {
				fee.Amount = nil
			}
			if has.Handling = &fee; fee.Amount == nil && fee.Percent == nil {
				has.Handling = nil
			}
		}, func(has *store.Terms) bool { return has.Handling != nil })
	case TrialPercent:
		return t.percent(f, m)
	default:
		return Problemf("choose what is tried")
	}
	return nil
}

// terms changes what holds everywhere, in a zone, or in all.
func (t *Trial) terms(f *store.File, m *store.Method, term store.Inherited, change func(*store.Terms),
	own func(*store.Terms) bool) {
	if t.Zone == "" || t.Zone == AllZones {
		m.Inherit(term, false)
		everywhere := m.Everywhere()
		change(&everywhere)
		m.Free, m.Handling = everywhere.Free, everywhere.Handling
	}
	for _, zone := range m.ServedZones() {
		terms, ok := m.Terms[zone]
		switch {
		case t.Zone == zone:
			if !ok || !own(&terms) { // it begins with what holds there now
				terms = t.begun(m, zone, terms, ok)
			}
		case t.Zone != AllZones || !ok || !own(&terms):
			continue
		}
		change(&terms)
		if m.Terms == nil {
			m.Terms = map[string]store.Terms{}
		}
		m.Terms[zone] = terms
	}
	f.SettleInherits()
}

// begun are the terms of a zone's own that a change begins with.
func (t *Trial) begun(m *store.Method, zone string, own store.Terms, ok bool) store.Terms {
	if !ok {
		own = store.Terms{Enabled: true}
	}
	now := m.TermsIn(zone)
	if t.Kind == TrialFree {
		own.Free = now.Free
	} else {
		own.Handling = now.Handling
	}
	return own
}

// percent changes the prices of a column, or of all.
func (t *Trial) percent(f *store.File, m *store.Method) error {
	typed := "plus " + t.Value.String() + " %"
	if t.Value.Sign() < 0 {
		typed = "minus " + t.Value.Neg().String() + " %"
	}
	if t.Value.IsZero() {
		return nil
	}
	changed := false
	for i := range m.Tables {
		list := &m.Tables[i]
		for _, zone := range list.Zones {
			if t.Zone != "" && zone != t.Zone {
				continue
			}
			if err := CopyColumn(f, list, zone, zone, typed); err != nil {
				return err
			}
			changed = true
		}
	}
	if !changed {
		return Problemf("this method has no prices for that zone")
	}
	return nil
}

// TakeList gives a method the prices of a proposed list, whose rows go up to and including their breaks. For one zone
// its column gets them, in rows of the list that is there; for all zones, or where the method has no other column, the
// list becomes the proposed one.
func TakeList(f *store.File, method, zone string, by rate.By, at, prices []decimal.Decimal) error {
	m := f.Method(method)
	switch {
	case m == nil:
		return Problemf("this method was removed meanwhile; nothing was changed")
	case len(m.Tables) > 1:
		return Problemf("%s has several price lists: take the prices over by hand", costOrMethod(m))
	case len(at) == 0 || len(at) != len(prices):
		return Problemf("there is no row to take")
	}
	if len(m.Tables) == 0 {
		m.Tables = []rate.Table{EmptyTable("list", "Price list", by)}
		if by == rate.ByOrder {
			m.Tables[0].Per = rate.PerOrder
		}
	}
	t := &m.Tables[0]
	if zone != "" && !slices.Contains(t.Zones, zone) {
		if err := AddColumn(f, t, zone); err != nil {
			return err
		}
	}
	if zone != "" && t.By == by && len(t.Zones) > 1 {
		return takeColumn(t, zone, at, prices)
	}
	if zone != "" && len(t.Zones) > 1 {
		return Problemf("the list of %s goes %s and has other zones", costOrMethod(m), t.By.Words())
	}
	t.By, t.Edges, t.Graduated, t.Rows = by, rate.UpTo, false, nil
	for i := range at {
		row := rate.Row{At: &at[i]}
		for range t.Zones {
			row.Charges = append(row.Charges, &rate.Charge{Base: &prices[i]})
		}
		t.Rows = append(t.Rows, row)
	}
	return nil
}

func costOrMethod(m *store.Method) string { return cmp.Or(m.Name, m.ID) }

// takeColumn puts prices into a column; rows that the list lacks are added, and nothing is offered above the last.
func takeColumn(t *rate.Table, zone string, at, prices []decimal.Decimal) error {
	if t.Edges == rate.From {
		SetEdges(t, rate.UpTo)
	}
	for i := range at {
		if !slices.ContainsFunc(t.Rows, func(r rate.Row) bool { return r.At != nil && r.At.Cmp(at[i]) == 0 }) {
			insertRow(t, &at[i])
		}
	}
	column := slices.Index(t.Zones, zone)
	for i := range t.Rows {
		row := &t.Rows[i]
		row.Charges = slices.Clone(row.Charges)
		row.Charges[column] = nil
		for j := range at {
			if row.At != nil && !at[j].Less(*row.At) {
				row.Charges[column] = &rate.Charge{Base: &prices[j]}
				break
			}
		}
	}
	return nil
}
