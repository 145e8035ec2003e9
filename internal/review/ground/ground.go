// Package ground lays the zones of a store out on the ground: their shapes in paint order, the listed places with the
// zone that takes each, and what a drawn shape has in it and takes from other zones.
package ground

import (
	"cmp"
	"math"
	"slices"
	"sync"
	"sync/atomic"

	"diadrom/internal/core/atlas"
	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/world"

	"github.com/paulmach/orb"
	"github.com/paulmach/orb/maptile"
	"github.com/tidwall/rtree"
)

// ringPoints is of how many points the edge of a circle is drawn.
const ringPoints = 96

// Paint is what one rule of a zone covers. Of shapes and countries that are both given, it is what lies in both.
type Paint struct {
	Zone      int              // its index in the store file
	World     bool             // all land
	Countries []string         // alpha-2
	Shape     orb.MultiPolygon // an area, a circle or a region
	Except    []Paint          // of the same zone, which takes none of it
	Drawn     bool             // by hand: an area or a circle

	narrow place.Narrowness
}

// Spot is a listed place on the ground.
type Spot struct {
	Place *gazetteer.Place
	Rank  int   // how many listed places of its region share its name, 1 of a village: the more, the larger the town
	at    int32 // in the list
}

// Map is the ground of a store. It is safe for many goroutines.
type Map struct {
	Paints []Paint // the broadest first: what is painted later lies over what was painted earlier

	engine *quote.Engine
	places *Places
	shapes rtree.RTreeG[int] // Paints that have a shape, by where it lies
	broad  []int             // Paints of whole countries

	zones []atomic.Int32 // by place: the zone's index + 2 as far as it is known, 1 for none
}

// Of lays out an engine's store; places are those of the engine's list.
func Of(e *quote.Engine, places *Places) *Map {
	m := &Map{engine: e, places: places}
	if places.list != nil {
		m.zones = make([]atomic.Int32, places.list.Len())
	}
	for i, owner := range e.ZoneRules() {
		var except []Paint
		for j := range owner.Except {
			if p, ok := paintOf(i, &owner.Except[j]); ok {
				except = append(except, p)
			}
		}
		for j := range owner.Places {
			if p, ok := paintOf(i, &owner.Places[j]); ok {
				p.Except = except
				m.Paints = append(m.Paints, p)
			}
		}
	}
	slices.SortStableFunc(m.Paints, func(a, b Paint) int {
		if c := b.narrow.Compare(a.narrow); c != 0 {
			return c
		}
		return cmp.Compare(b.Zone, a.Zone)
	})
	for i := range m.Paints {
		if p := &m.Paints[i]; len(p.Shape) > 0 {
			b := p.Shape.Bound()
			m.shapes.Insert(b.Min, b.Max, i)
		} else {
			m.broad = append(m.broad, i)
		}
	}
	return m
}

// paintOf is what a rule covers; false for towns and postcodes, which are spots, and for what the atlas has no shape
// of.
func paintOf(zone int, r *place.Rule) (p Paint, ok bool) {
	p = Paint{Zone: zone, narrow: r.Narrowness()}
	if r.Country != "" {
		p.Countries = []string{r.Country}
	}
	if g, ok := world.GroupByCode(r.Group); ok && r.Country == "" {
		p.Countries = g.Countries
	}
	switch r.Level() {
	case place.Shape:
		p.Drawn = true
		if r.Area != nil {
			p.Shape = r.Area.Shape()
		} else if ring := r.Within.Ring(ringPoints); ring != nil {
			p.Shape = orb.MultiPolygon{{ring}}
		}
		return p, len(p.Shape) > 0
	case place.Region:
		p.Shape, ok = atlas.RegionShape(r.Region)
		return p, ok
	case place.Country, place.Group:
		return p, true
	case place.World:
		p.World = true
		return p, true
	}
	return p, false
}

// Name is what a zone is called, by its index.
func (m *Map) Name(zone int) string {
	z := &m.engine.Store().Zones[zone]
	return cmp.Or(z.Name, z.ID)
}

// In are the paints that may be seen in a bound, in paint order.
func (m *Map) In(b orb.Bound) (list []*Paint) {
	at := slices.Clone(m.broad)
	for _, shift := range []float64{-360, 0, 360} { // circles over the antimeridian go on beyond it
		m.shapes.Search([2]float64{b.Min[0] + shift, b.Min[1]}, [2]float64{b.Max[0] + shift, b.Max[1]},
			func(_, _ [2]float64, i int) bool {
				if !slices.Contains(at, i) {
					at = append(at, i)
				}
				return true
			})
	}
	slices.Sort(at)
	for _, i := range at {
		list = append(list, &m.Paints[i])
	}
	return list
}

// Thinned are the listed places in a bound, of those that share a few pixels of a map of that zoom the largest town; in
// neighbouring tiles alike. The largest come first.
func (m *Map) Thinned(z maptile.Zoom, b orb.Bound) (list []Spot) {
	p := m.places
	if p.list == nil {
		return nil
	}
	level := p.level(min(z, finest))
	low, high := cellOf(orb.Point{b.Min[0], b.Max[1]}, z), cellOf(orb.Point{b.Max[0], b.Min[1]}, z)
	add := func(i int32) {
		if at := p.list.At(i); b.Contains(orb.Point{at.Lon, at.Lat}) {
			list = append(list, Spot{at, int(p.rank[i]), i})
		}
	}
	if z <= finest {
		for x := low[0]; x <= high[0]; x++ {
			for y := low[1]; y <= high[1]; y++ {
				if i, ok := level[[2]int32{x, y}]; ok {
					add(i)
				}
			}
		}
	} else {
		best := map[[2]int32]int32{}
		p.in(b, func(i int32) bool {
			p.put(best, i, z)
			return true
		})
		for _, i := range best {
			add(i)
		}
	}
	slices.SortFunc(list, func(a, b Spot) int { return p.compare(a.at, b.at) })
	return list
}

// ZoneOf is the zone that takes a listed place before all others, by its index; −1 for none. It is looked up once.
func (m *Map) ZoneOf(s *Spot) int {
	if known := m.zones[s.at].Load(); known != 0 {
		return int(known) - 2
	}
	zone := -1
	to := m.engine.Resolve(addressOf(s.Place))
	if zones := m.engine.Zones(&to); len(zones) > 0 {
		zone = zones[0].Owner
	}
	m.zones[s.at].Store(int32(zone + 2))
	return zone
}

func addressOf(p *gazetteer.Place) place.Address {
	return place.Address{Country: p.Country, Postcode: p.Postcode, City: p.Name}
}

// Places are the listed places that have a point, by where they lie. They are made once for a list.
type Places struct {
	list *gazetteer.Gazetteer
	tree rtree.RTreeG[int32]
	rank []int32

	thinning sync.Once
	levels   [finest + 1]map[[2]int32]int32 // places left at a zoom, by their cells
}

// A place has so many pixels of a map to itself, room for its name: cells of a zoom lie two by two in those of the zoom
// before, so that what is left at one zoom is left of what is left at the next.
const (
	cellX, cellY = 88, 26
	tileSize     = 256
	finest       = 12 // zoom up to which it is laid out beforehand
)

// cellOf is the cell in which a point lies.
func cellOf(p orb.Point, z maptile.Zoom) [2]int32 {
	x, y := maptile.Fraction(p, z)[0]*tileSize, maptile.Fraction(p, z)[1]*tileSize
	return [2]int32{int32(math.Floor(x / cellX)), int32(math.Floor(y / cellY))}
}

// level are the places that are left at a zoom.
func (p *Places) level(z maptile.Zoom) map[[2]int32]int32 {
	p.thinning.Do(func() {
		left := make([]int32, 0, p.list.Len())
		for i := range int32(p.list.Len()) {
			if p.list.At(i).Located {
				left = append(left, i)
			}
		}
		for z := finest; z >= 0; z-- {
			level := map[[2]int32]int32{}
			for _, i := range left {
				p.put(level, i, maptile.Zoom(z))
			}
			p.levels[z] = level
			left = left[:0]
			for _, i := range level {
				left = append(left, i)
			}
		}
	})
	return p.levels[z]
}

// put leaves a place in its cell where it comes before what is there.
func (p *Places) put(level map[[2]int32]int32, i int32, z maptile.Zoom) {
	at := p.list.At(i)
	cell := cellOf(orb.Point{at.Lon, at.Lat}, z)
	if had, ok := level[cell]; !ok || p.compare(i, had) < 0 {
		level[cell] = i
	}
}

// compare puts larger towns first.
func (p *Places) compare(i, j int32) int {
	a, b := p.list.At(i), p.list.At(j)
	return cmp.Or(cmp.Compare(p.rank[j], p.rank[i]), cmp.Compare(a.Name, b.Name), cmp.Compare(a.Postcode, b.Postcode),
		cmp.Compare(i, j))
}

// NewPlaces lays out a list; nil has no places.
func NewPlaces(g *gazetteer.Gazetteer) *Places {
	p := &Places{list: g}
	if g == nil {
		return p
	}
	p.rank = make([]int32, g.Len())
	named := map[[3]string]int32{}
	for i := range int32(g.Len()) {
		at := g.At(i)
		named[[3]string{at.Country, at.Region, at.Name}]++
	}
	for i := range int32(g.Len()) {
		at := g.At(i)
		p.rank[i] = named[[3]string{at.Country, at.Region, at.Name}]
		if at.Municipality != "" && at.Name != at.Municipality {
			p.rank[i] = 1 // a village, or what is no place at all, such as codes of parcel lockers
		}
		if at.Located {
			spot := [2]float64{at.Lon, at.Lat}
			p.tree.Insert(spot, spot, i)
		}
	}
	return p
}

// Of says whether these are the places of a list.
func (p *Places) Of(g *gazetteer.Gazetteer) bool { return p.list == g }

func (p *Places) in(b orb.Bound, each func(i int32) bool) {
	p.tree.Search(b.Min, b.Max, func(_, _ [2]float64, i int32) bool { return each(i) })
}
