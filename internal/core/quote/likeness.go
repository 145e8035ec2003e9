package quote

import (
	"encoding/binary"
	"math"
	"time"

	"diadrom/internal/core/store"
)

// likeness appends bytes of an address that are the same only for addresses to which every cart costs the same: the
// same zones, surcharges, taxes and agreements take them, and where a price depends on the distance they are one point.
// It holds for an engine that asks nobody outside.
func (a *asked) likeness(b []byte) []byte {
	e, to := a.e, &a.q.To
	far := false
	for i := range a.zones {
		owner := a.zones[i].Owner
		b = binary.AppendVarint(b, int64(owner))
		far = far || e.farIn(owner)
	}
	b = append(b, '/')
	for _, i := range a.surcharges {
		b = binary.AppendVarint(b, int64(i))
	}
	b = a.taxPercent.AppendKey(append(b, '/'))
	for i := range e.agreed {
		if e.agreed[i].Place != nil { // streets are compared as they are written
			b = append(append(append(b, to.Country...), 0), to.Postcode...)
			b = append(append(append(b, 0), to.Street...), 0)
			break
		}
	}
	if far && a.to.Point != nil {
		b = binary.LittleEndian.AppendUint64(b, math.Float64bits(a.to.Point.Lon()))
		b = binary.LittleEndian.AppendUint64(b, math.Float64bits(a.to.Point.Lat()))
	}
	return b
}

// farIn says whether a price or a condition in a zone depends on the distance, of what buyers pay or of what the shop
// does.
func (e *Engine) farIn(zone int) bool {
	for i := range e.methods {
		s := e.methods[i].served[zone]
		if s == nil {
			continue
		}
		if n := s.terms.Needs; n != nil && n.Distance != nil {
			return true
		}
		if s.far() {
			return true
		}
	}
	for _, c := range e.costings {
		if s := c.served[zone]; s != nil && s.far() {
			return true
		}
	}
	return false
}

func (s *served) far() bool {
	for i := range s.tables {
		if s.tables[i].far {
			return true
		}
	}
	return false
}

// Dated says whether prices depend on the day: a method or a rule of free delivery counts for a period only.
func (e *Engine) Dated() bool {
	for i := range e.methods {
		m := &e.methods[i]
		if m.Available != nil || dated(m.Everywhere()) {
			return true
		}
		for _, t := range m.Terms {
			if dated(t) {
				return true
			}
		}
	}
	return false
}

func dated(t store.Terms) bool { return t.Free != nil && t.Free.Available != nil }

// Day is the day of an order in the shop; of now where it is not said when it was placed.
func (e *Engine) Day(at time.Time) time.Time { return (&asked{e: e, q: &Request{At: at}}).today() }
