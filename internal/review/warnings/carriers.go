package warnings

import (
	"slices"

	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

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

// standsIn warns of zones in which no price stands in where the carrier fails, though the method wants one to.
func standsIn(f *store.File, m *store.Method) (list []Warning) {
	if !asks(m) || m.Carrier == nil || !m.Carrier.Fallback {
		return nil
	}
	for _, zone := range m.ServedZones() {
		if m.TermsIn(zone).Enabled && !m.Priced(zone) {
			list = append(list, Warning{"", zone, -1,
				f.ZoneName(zone) + ": no price stands in where the carrier fails, so the method is not offered then"})
		}
	}
	return list
}

// hasPrice says whether a column of a method's price list serves its zone: by a price, or by what a carrier names.
func hasPrice(m *store.Method, t *rate.Table, column int) bool {
	return asks(m) || slices.ContainsFunc(t.Rows, func(r rate.Row) bool { return r.Charges[column] != nil })
}
