package coverage

import (
	"slices"

	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
)

// Of is the map of the zones that an engine quotes from.
func Of(e *quote.Engine) *Map {
	return &Map{Rules: e.ZoneRules(), Match: e.AppendZones, Tie: e.Tied, Gazetteer: e.Gazetteer(),
		zones: e.Store().Zones}
}

// After is Of for a store of which before is the map of an earlier state, or nil: where the zones are the same, it is
// that map, with all that was laid out in it.
func After(e *quote.Engine, before *Map) *Map {
	sameRank := func(a, b store.Zone) bool {
		return (a.Rank == nil) == (b.Rank == nil) && (a.Rank == nil || *a.Rank == *b.Rank)
	}
	if before != nil && e.Gazetteer() == before.Gazetteer &&
		slices.EqualFunc(e.Store().Zones, before.zones, sameRank) &&
		(sameRules(e.ZoneRules(), before.Rules) || slices.EqualFunc(e.ZoneRules(), before.Rules, place.Owner.Equal)) {
		return before
	}
	m := Of(e)
	if before != nil && e.Gazetteer() == before.Gazetteer && len(m.zones) == len(before.zones) &&
		slices.EqualFunc(m.zones, before.zones, func(a, b store.Zone) bool { return a.ID == b.ID && sameRank(a, b) }) {
		m.prior = before.asPrior()
	}
	return m
}

// sameRules says whether the rules of zones were taken over.
func sameRules(a, b []place.Owner) bool { return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0]) }

// WhyNot says why a zone of an engine, by its index, does not take an address.
func WhyNot(e *quote.Engine, zone int, to *place.Resolved) string {
	if !e.Store().Zones[zone].Enabled {
		return "is switched off"
	}
	return e.ZoneRules()[zone].WhyNot(to)
}
