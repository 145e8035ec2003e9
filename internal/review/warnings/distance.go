package warnings

import (
	"slices"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// Measures says whether a list wants the distance of an order.
func Measures(t *rate.Table) bool {
	return t.By == rate.ByDistance || slices.ContainsFunc(t.Rows, func(r rate.Row) bool {
		return slices.ContainsFunc(r.Charges, func(c *rate.Charge) bool { return c != nil && c.PerDistance != nil })
	})
}

// Unmeasured says why a method cannot measure the distances that its lists or its conditions want, so that nobody is
// offered it; "" where it can, or wants none. A gazetteer may be nil.
func Unmeasured(f *store.File, g *gazetteer.Gazetteer, m *store.Method) string {
	wants := m.Needs != nil && m.Needs.Distance != nil
	for i := range m.Tables {
		wants = wants || Measures(&m.Tables[i])
	}
	for _, t := range m.Terms {
		wants = wants || t.Needs != nil && t.Needs.Distance != nil
	}
	if !wants {
		return ""
	}
	if m.From != "" {
		l := f.Location(m.From)
		if l == nil {
			return ""
		}
		if _, ok := l.Point(g); ok {
			return ""
		}
		return "where " + f.LocationName(m.From) + " lies is not known, so no distance can be measured"
	}
	unknown := ""
	for i := range f.Locations {
		l := &f.Locations[i]
		if !l.ShipsFrom {
			continue
		}
		if _, ok := l.Point(g); ok {
			return ""
		}
		unknown = f.LocationName(l.ID)
	}
	if unknown == "" {
		return "no place of the shop ships orders, so no distance can be measured"
	}
	return "where " + unknown + " lies is not known, so no distance can be measured"
}
