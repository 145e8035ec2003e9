package coverage

import (
	"slices"

	"diadrom/internal/core/atlas"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"

	"github.com/paulmach/orb"
	"github.com/paulmach/orb/planar"
)

// Countries lists the countries to which some method of an engine may deliver, alpha-2 and sorted: those that the rules
// of zones with prices name. Of a drawn area or a circle it is the countries on whose land a corner of it, or a point
// of a grid within it, lies.
func Countries(e *quote.Engine) []string {
	found := map[string]bool{}
	f, owners := e.Store(), e.ZoneRules()
	for i := range f.Zones {
		if !f.Zones[i].Enabled || !slices.ContainsFunc(f.Methods, func(m store.Method) bool {
			return m.Enabled && offered(&m, f.Zones[i].ID)
		}) {
			continue
		}
		for j := range owners[i].Places {
			countriesOf(&owners[i].Places[j], found)
		}
	}
	list := make([]string, 0, len(found))
	for code := range found {
		list = append(list, code)
	}
	slices.Sort(list)
	return list
}

func countriesOf(r *place.Rule, into map[string]bool) {
	switch {
	case r.Country != "":
		into[r.Country] = true
	case r.Group != "":
		if g, ok := world.GroupByCode(r.Group); ok {
			for _, code := range g.Countries {
				into[code] = true
			}
		}
	case r.World:
		for _, c := range world.Countries() {
			into[c.Alpha2] = true
		}
	case r.Area != nil:
		on(r.Area.Shape(), into)
	case r.Within != nil && r.Within.Located:
		on(orb.MultiPolygon{{r.Within.Ring(16)}}, into)
	}
}

// fine is into how many parts a shape is divided, each way, to find the countries on which it lies.
const fine = 16

// on adds the countries on which a shape lies: at its corners, and at the points of a grid that are in it.
func on(shape orb.MultiPolygon, into map[string]bool) {
	for _, polygon := range shape {
		for _, corner := range polygon[0] {
			land(corner, into)
		}
		b := polygon.Bound()
		for i := 1; i < fine; i++ {
			for j := 1; j < fine; j++ {
				p := orb.Point{
					b.Min[0] + (b.Max[0]-b.Min[0])*float64(i)/fine,
					b.Min[1] + (b.Max[1]-b.Min[1])*float64(j)/fine,
				}
				if planar.PolygonContains(polygon, p) {
					land(p, into)
				}
			}
		}
	}
}

// land adds the country on whose land a point lies.
func land(p orb.Point, into map[string]bool) {
	if code := atlas.CountryAt(p); code != "" {
		into[code] = true
	}
}
