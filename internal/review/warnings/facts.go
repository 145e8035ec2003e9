package warnings

import (
	"maps"
	"slices"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// methodFacts is whom a method serves.
type methodFacts struct {
	m     *store.Method
	spots []int32       // by spot: the zone by which it is served there, -1 for none
	zones map[int32]int // zones by which it serves, with one of their spots
	// columns are those by which it would serve if they had a price
	columns map[int32]int
	// open are zones in which buyers are served without a coupon, a group or a date that is yet to come
	open map[int32]bool
	far  bool // it looks at distances
	// priced are zones in which it has a price, whether it is on there or not
	priced map[int32]bool
}

// serves says whether a method serves a spot, for buyers with and without a coupon.
func (m *methodFacts) serves(spot int) bool { return m.spots[spot] >= 0 }

// opens says whether it serves a spot for any buyer today.
func (m *methodFacts) opens(spot int) bool { return m.spots[spot] >= 0 && m.open[m.spots[spot]] }

// facts finds out whom a method serves: over the spots of the ground, the first zone that has a column counts, unless a
// narrower one keeps its addresses for itself.
func (r *reader) facts(m *store.Method) *methodFacts {
	facts := &methodFacts{spots: make([]int32, len(r.ground.spots)), zones: map[int32]int{},
		columns: map[int32]int{}, open: map[int32]bool{}, far: measures(m), priced: map[int32]bool{}}
	column, priced := make([]bool, len(r.f.Zones)), make([]bool, len(r.f.Zones))
	for _, id := range m.ServedZones() {
		i := r.zoneAt(id)
		column[i] = true
		terms := m.TermsIn(id)
		has := r.hasPrice(m, id)
		facts.priced[int32(i)] = has
		priced[i] = terms.Enabled && has
		facts.open[int32(i)] = m.Available.Has(r.day) &&
			(terms.Needs == nil || len(terms.Needs.Coupons)+len(terms.Needs.Groups) == 0)
	}
	for i := range r.ground.spots {
		facts.spots[i] = -1
		for _, z := range r.ground.spots[i].Zones {
			if column[z] {
				r.keep(facts.columns, z, i)
				if priced[z] {
					facts.spots[i] = z
					r.keep(facts.zones, z, i)
				}
				break
			}
			if r.f.Zones[z].Only {
				break
			}
		}
	}
	return facts
}

// keep remembers a spot of a zone: one with postcodes rather than one without, and no country as a whole that has some.
func (r *reader) keep(into map[int32]int, zone int32, spot int) {
	at, ok := into[zone]
	if was, is := &r.ground.spots[max(at, 0)], &r.ground.spots[spot]; !ok || was.Bare && !is.Bare ||
		was.Codes == 0 && is.Codes > 0 {
		into[zone] = spot
	}
}

// zoneAt is where a zone stands in the file, by its id.
func (r *reader) zoneAt(id string) int {
	if r.zoneOf == nil {
		r.zoneOf = make(map[string]int, len(r.f.Zones))
		for i := range r.f.Zones {
			r.zoneOf[r.f.Zones[i].ID] = i
		}
	}
	return r.zoneOf[id]
}

// served lists the zones by which a method is served, in the order of the file.
func (m *methodFacts) served() []int32 { return slices.Sorted(maps.Keys(m.zones)) }

// hasPrice says whether a method may be offered in a zone: by a price of its lists, or by what a carrier names.
func (r *reader) hasPrice(m *store.Method, zone string) bool {
	return m.Priced(zone) || asks(m) && unasked(r.f, m) == ""
}

// asks says whether a method is priced by a carrier.
func asks(m *store.Method) bool { return m.Kind == store.CarrierKind }

// unasked says why a method that is priced by a carrier is offered to nobody, whatever the carrier says; "" where it
// may be.
func unasked(f *store.File, m *store.Method) string {
	switch {
	case m.Carrier == nil || f.Carrier(m.Carrier.ID) == nil:
		return "it asks no carrier"
	case !slices.ContainsFunc(m.Carrier.Services, func(s store.Service) bool { return s.Enabled }):
		return "no service of its carrier is on"
	}
	return ""
}

// Measures says whether a list wants the distance of an order.
func Measures(t *rate.Table) bool {
	return t.By == rate.ByDistance || slices.ContainsFunc(t.Rows, func(r rate.Row) bool {
		return slices.ContainsFunc(r.Charges, func(c *rate.Charge) bool { return c != nil && c.PerDistance != nil })
	})
}

// measures says whether a method wants the distance of an order.
func measures(m *store.Method) bool {
	wants := m.Needs != nil && m.Needs.Distance != nil
	for i := range m.Tables {
		wants = wants || Measures(&m.Tables[i])
	}
	for _, t := range m.Terms {
		wants = wants || t.Needs != nil && t.Needs.Distance != nil
	}
	return wants
}

// weighs says whether a method looks at what goods weigh.
func weighs(m *store.Method) bool {
	looks := m.Parcels != nil && m.Parcels.MaxWeight != nil
	for i := range m.Tables {
		t := &m.Tables[i]
		looks = looks || t.By == rate.ByWeight || t.By == rate.ByBilled ||
			slices.ContainsFunc(t.Rows, func(row rate.Row) bool {
				return slices.ContainsFunc(row.Charges,
					func(c *rate.Charge) bool { return c != nil && c.PerWeight != nil })
			})
	}
	return looks || asks(m) || inNeeds(m, func(n *store.Needs) bool {
		return n.Weight != nil || n.BilledWeight != nil || n.ParcelWeight != nil
	})
}

// inNeeds says whether some conditions of a method are so.
func inNeeds(m *store.Method, is func(*store.Needs) bool) bool {
	found := m.Needs != nil && is(m.Needs)
	for _, t := range m.Terms {
		found = found || t.Needs != nil && is(t.Needs)
	}
	return found
}

func boundOf(n *store.Needs, by rate.By) *store.Bounds {
	if n == nil {
		return nil
	}
	switch by {
	case rate.ByWeight:
		return n.Weight
	case rate.ByBilled:
		return n.BilledWeight
	case rate.BySubtotal:
		return n.Subtotal
	case rate.ByQuantity:
		return n.Quantity
	case rate.ByDistance:
		return n.Distance
	}
	return nil
}

// takesClass says whether conditions take goods of a class.
func takesClass(n *store.Needs, class string) bool {
	return n == nil || (len(n.OnlyClasses) == 0 || slices.Contains(n.OnlyClasses, class)) &&
		(class == "" || !slices.Contains(n.WithoutClasses, class))
}

// tablesOf are the tables of a method that have a column for a zone, with its place.
func tablesOf(m *store.Method, zone string) (tables []*rate.Table, columns []int) {
	for i := range m.Tables {
		if at := slices.Index(m.Tables[i].Zones, zone); at >= 0 {
			tables, columns = append(tables, &m.Tables[i]), append(columns, at)
		}
	}
	return tables, columns
}

// tableFor is the table of a method that prices goods of a class in a zone; nil where none does.
func tableFor(m *store.Method, zone, class string) (*rate.Table, int) {
	var rest *rate.Table
	at := -1
	tables, columns := tablesOf(m, zone)
	for i, t := range tables {
		switch {
		case class != "" && slices.Contains(t.Classes, class):
			return t, columns[i]
		case len(t.Classes) == 0:
			rest, at = t, columns[i]
		}
	}
	return rest, at
}

// clamp brings a number within bounds.
func clamp(b *store.Bounds, d decimal.Decimal) decimal.Decimal {
	if b != nil && b.To != nil && b.To.Less(d) {
		d = *b.To
	}
	if b != nil && b.From != nil && d.Less(*b.From) {
		d = *b.From
	}
	return d
}
