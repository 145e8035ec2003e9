// Package ground lays the zones of a store out on the ground: their shapes in paint order, the listed places with the
// zone that takes each, and what a drawn shape has in it and takes from other zones.
package ground

import (
	"cmp"
	"slices"
	"sync"

	"diadrom/internal/core/atlas"
	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/world"

	"github.com/paulmach/orb"
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
	Zone  int // that takes it before all others; −1 for none
	Rank  int // how many listed places of its region share its name: the more, the larger the town
}

// Map is the ground of a store. It is safe for many goroutines.
type Map struct {
	Paints []Paint // the broadest first: what is painted later lies over what was painted earlier

	engine *quote.Engine
	places *Places
	shapes rtree.RTreeG[int] // Paints that have a shape, by where it lies
	broad  []int             // Paints of whole countries

	once  sync.Once
	zones []int16 // by place
}

// Of lays out an engine's store; places are those of the engine's list.
func Of(e *quote.Engine, places *Places) *Map {
	m := &Map{engine: e, places: places}
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

// paintOf is what a rule covers; false for towns and postcodes, which are spots, and for what the atlas has no shape of.
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

// Spots goes through listed places in a bound.
func (m *Map) Spots(b orb.Bound, each func(Spot) bool) {
	m.once.Do(m.match)
	m.places.in(b, func(i int32) bool {
		p := m.places.list.At(i)
		return each(Spot{p, int(m.zones[i]), int(m.places.rank[i])})
	})
}

// match finds out which zone takes each listed place.
func (m *Map) match() {
	if m.places.list == nil {
		return
	}
	m.zones = make([]int16, m.places.list.Len())
	for i := range m.zones {
		m.zones[i] = -1
		p := m.places.list.At(int32(i))
		to := m.engine.Resolve(addressOf(p))
		if zones := m.engine.Zones(&to); len(zones) > 0 {
			m.zones[i] = int16(min(zones[0].Owner, 1<<15-1))
		}
	}
}

func addressOf(p *gazetteer.Place) place.Address {
	return place.Address{Country: p.Country, Postcode: p.Postcode, City: p.Name}
}

// Places are the listed places that have a point, by where they lie. They are made once for a list.
type Places struct {
	list *gazetteer.Gazetteer
	tree rtree.RTreeG[int32]
	rank []int32
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
