package coverage

import (
	"maps"
	"slices"

	"diadrom/internal/core/atlas"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"

	"github.com/paulmach/orb"
	"github.com/paulmach/orb/planar"
)

// Countries lists the countries to which some method of an engine may deliver, alpha-2 and sorted: those that the rules
// of zones with prices name, and that their exceptions do not name whole. Of a drawn area or a circle it is the
// countries on whose land a corner of it, or a point of a grid within it, lies.
func Countries(e *quote.Engine) []string {
	found := map[string]bool{}
	f, owners := e.Store(), e.ZoneRules()
	for i := range f.Zones {
		if f.Zones[i].Enabled && slices.ContainsFunc(f.Methods, func(m store.Method) bool {
			return m.Enabled && offered(&m, f.Zones[i].ID)
		}) {
			maps.Copy(found, taken(owners[i]))
		}
	}
	return slices.Sorted(maps.Keys(found))
}

// ByPoint lists the countries in which a price of an engine looks at the point of an address, alpha-2 and sorted: those
// in which a circle or a drawn area of a zone, a surcharge or a tax rate lies, and those of zones with methods whose
// prices or requirements look at a distance.
func ByPoint(e *quote.Engine) []string {
	found := map[string]bool{}
	f, owners := e.Store(), e.ZoneRules()
	shapes := func(rules []place.Rule) {
		for i := range rules {
			if rules[i].Level() != place.Shape {
				continue
			}
			countriesOf(&rules[i], found)
			// A surcharge's circle round a place of the shop has no point of its own in the store file.
			if w := rules[i].Within; w != nil && !w.Located {
				if l := f.Location(w.Location); l != nil {
					found[l.Country] = true
				}
			}
		}
	}
	for i := range f.Zones {
		if !f.Zones[i].Enabled {
			continue
		}
		shapes(owners[i].Places)
		shapes(owners[i].Except)
		if slices.ContainsFunc(f.Methods, func(m store.Method) bool {
			return m.Enabled && offered(&m, f.Zones[i].ID) && far(&m, f.Zones[i].ID)
		}) {
			maps.Copy(found, taken(owners[i]))
		}
	}
	for i := range f.Surcharges {
		shapes(f.Surcharges[i].Places)
		shapes(f.Surcharges[i].Except)
	}
	for i := range f.Store.Tax.Rates {
		shapes([]place.Rule{f.Store.Tax.Rates[i].Rule})
	}
	return slices.Sorted(maps.Keys(found))
}

// far says whether what a method charges in a zone, or needs there, looks at a distance.
func far(m *store.Method, zone string) bool {
	if needs := m.TermsIn(zone).Needs; needs != nil && needs.Distance != nil {
		return true
	}
	return slices.ContainsFunc(m.Tables, func(t rate.Table) bool {
		column := slices.Index(t.Zones, zone)
		if column < 0 {
			return false
		}
		for row := range t.Rows {
			if t.Far(column, row) {
				return true
			}
		}
		return false
	})
}

// taken are the countries of which an owner may take an address.
func taken(o place.Owner) map[string]bool {
	found, but := map[string]bool{}, map[string]bool{}
	for i := range o.Places {
		countriesOf(&o.Places[i], found)
	}
	for i := range o.Except {
		if l := o.Except[i].Level(); l == place.Country || l == place.Group || l == place.World {
			countriesOf(&o.Except[i], but)
		}
	}
	for code := range but {
		delete(found, code)
	}
	return found
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
