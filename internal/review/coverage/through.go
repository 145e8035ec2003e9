package coverage

import (
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
)

// Through is a zone without a price of its own in a method, whose addresses the method prices as those of a
// broader zone.
type Through struct {
	Zone, By string         // ids
	At       *place.Address // in both, and priced by By
}

// Through lists the zones without a column in the tables of a method whose addresses get the prices of a
// broader zone, in the order of the store's zones. The method need not be the store's own: it may be one that
// is about to change. Where zones overlap in addresses that were not asked ([coverage.Summary]), some may be
// missed.
func (m *Map) Through(e *quote.Engine, method *store.Method) (list []Through) {
	if len(method.Tables) == 0 {
		return nil
	}
	zones := e.Store().Zones
	served := make([]bool, len(zones))
	for _, id := range method.ServedZones() {
		if i := e.Store().ZoneIndex(id); i >= 0 {
			served[i] = true
		}
	}
	for _, inner := range m.Summary().Inners {
		if served[inner.Zone] || !served[inner.Outer] {
			continue
		}
		id := zones[inner.Zone].ID
		if n := len(list); n > 0 && list[n-1].Zone == id {
			continue
		}
		to := e.Resolve(*inner.At)
		for _, match := range e.Zones(&to) {
			zone := &zones[match.Owner]
			if served[match.Owner] {
				if by := zone.ID; offered(method, by) {
					list = append(list, Through{id, by, inner.At})
				}
				break
			}
			if zone.Only {
				break
			}
		}
	}
	return list
}

// offered says whether a method has any price for a zone.
func offered(m *store.Method, zone string) bool { return m.TermsIn(zone).Enabled && m.Priced(zone) }
