package ground

import (
	"cmp"
	"math"
	"slices"

	"diadrom/internal/core/geodesic"
	"diadrom/internal/core/place"

	"github.com/paulmach/orb"
)

// Facts are what is to be known of a shape while it is drawn.
type Facts struct {
	SquareKilometres float64 // on the ellipsoid
	Extent           float64 // metres between the two points that lie farthest apart
	Codes, Towns     int     // listed, inside
	Took             []Took  // from whom, the most first
	New              int     // codes that no zone had
	Lost             []Took  // inside, but taken by a zone that comes first all the same
}

// Took is how many listed codes of a zone something concerns.
type Took struct {
	Zone  int
	Codes int
}

// Facts measures a rule of a zone, an area or a circle that is drawn; own is the rule of the store that it stands in
// the place of, or nil for a new one. The zone's index may be that of a zone that is to be made: the number of all
// zones.
func (m *Map) Facts(zone int, rule, own *place.Rule) (f Facts) {
	shape := orb.MultiPolygon(nil)
	switch {
	case rule.Area != nil:
		shape = rule.Area.Shape()
	case rule.Within != nil && rule.Within.Located:
		shape = orb.MultiPolygon{{rule.Within.Ring(ringPoints)}}
		f.Extent = 2 * rule.Within.Distance.Float64() * rule.Within.Metres
	}
	f.SquareKilometres = ShapeArea(shape) / 1e6
	if f.Extent == 0 {
		f.Extent = Extent(shape)
	}
	if len(shape) > 0 {
		m.taken(zone, rule, own, shape.Bound(), &f)
	}
	return f
}

// taken counts what a rule takes, and from whom.
func (m *Map) taken(zone int, rule, own *place.Rule, b orb.Bound, f *Facts) {
	owner := place.Owner{Places: []place.Rule{*rule}}
	zones := m.engine.Store().Zones
	if zone < len(zones) {
		owner.Except = m.engine.ZoneRules()[zone].Except
	}
	index := place.NewIndex([]place.Owner{owner})
	codes, towns := map[[2]string]bool{}, map[[2]string]bool{}
	took, lost := map[int]int{}, map[int]int{}
	m.places.in(b, func(i int32) bool {
		p := m.places.list.At(i)
		to := m.engine.Resolve(addressOf(p))
		found := index.Match(&to, nil)
		if len(found) == 0 {
			return true
		}
		towns[[2]string{p.Country, p.Name}] = true
		if code := [2]string{p.Country, p.Postcode}; codes[code] {
			return true
		} else if p.Postcode != "" {
			codes[code] = true
		}
		first := -1
		for _, match := range m.engine.Zones(&to) {
			if match.Owner == zone && own != nil && match.Rule.Equal(own) {
				continue
			}
			if match.Owner != zone && (zone >= len(zones) && found[0].Narrow.Compare(match.Narrow) < 0 ||
				zone < len(zones) && m.engine.Outranks(zone, found[0].Narrow, match)) {
				took[match.Owner]++
			} else if match.Owner != zone {
				lost[match.Owner]++
			}
			first = match.Owner
			break
		}
		if first < 0 {
			f.New++
		}
		return true
	})
	f.Codes, f.Towns = len(codes), len(towns)
	f.Took, f.Lost = counted(took), counted(lost)
}

func counted(by map[int]int) (list []Took) {
	for zone, n := range by {
		list = append(list, Took{zone, n})
	}
	slices.SortFunc(list, func(a, b Took) int {
		return cmp.Or(cmp.Compare(b.Codes, a.Codes), cmp.Compare(a.Zone, b.Zone))
	})
	return list
}

// ShapeArea is the area of polygons on the ellipsoid, in square metres.
func ShapeArea(shape orb.MultiPolygon) (area float64) {
	for _, polygon := range shape {
		for i, ring := range polygon {
			points := make([][2]float64, len(ring))
			for j, p := range ring {
				points[j] = p
			}
			if size := math.Abs(geodesic.RingArea(points)); i == 0 {
				area += size
			} else {
				area -= size
			}
		}
	}
	return area
}

// Extent is the distance between the two points of polygons that lie farthest apart, in metres. They are corners of the
// hull, of which a few in each direction are enough.
func Extent(shape orb.MultiPolygon) (most float64) {
	var all []orb.Point
	for _, polygon := range shape {
		all = append(all, polygon[0]...)
	}
	if len(all) == 0 {
		return 0
	}
	const directions = 180
	shrink := math.Cos(shape.Bound().Center().Lat() * math.Pi / 180)
	var corners []orb.Point
	for d := range directions {
		sin, cos := math.Sincos(2 * math.Pi * float64(d) / directions)
		far, best := math.Inf(-1), orb.Point{}
		for _, p := range all {
			if reach := p[0]*shrink*cos + p[1]*sin; reach > far {
				far, best = reach, p
			}
		}
		if !slices.Contains(corners, best) {
			corners = append(corners, best)
		}
	}
	for i, p := range corners {
		for _, q := range corners[:i] {
			most = max(most, geodesic.Distance(p.Lat(), p.Lon(), q.Lat(), q.Lon()))
		}
	}
	return most
}
