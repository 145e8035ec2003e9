package place

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"

	"github.com/paulmach/orb"
	"github.com/paulmach/orb/geo"
	"github.com/paulmach/orb/geojson"
	"github.com/paulmach/orb/planar"
)

// MaxVertices is the largest number of points that a drawn area may have.
const MaxVertices = 20_000

// Area is a GeoJSON Polygon or MultiPolygon (RFC 7946) on WGS 84; its edges are straight in longitude and
// latitude, as that standard has it.
type Area struct {
	raw   json.RawMessage
	shape orb.MultiPolygon
	slabs [][]slabs // by polygon and ring
	bound orb.Bound
	km2   float64
}

// ParseArea reads a GeoJSON geometry. Rings are closed, have at least four points and do not cross themselves.
func ParseArea(raw []byte) (*Area, error) {
	g, err := geojson.UnmarshalGeometry(raw)
	if err != nil {
		return nil, errors.New("this is not a GeoJSON geometry")
	}
	var coordinates struct {
		Coordinates any `json:"coordinates"`
	}
	if err := json.Unmarshal(raw, &coordinates); err != nil || !positions(coordinates.Coordinates) {
		return nil, errors.New(
			"this is not a GeoJSON geometry: each position is two numbers, longitude and latitude",
		)
	}
	a := &Area{}
	switch shape := g.Geometry().(type) {
	case orb.Polygon:
		a.shape = orb.MultiPolygon{shape}
	case orb.MultiPolygon:
		a.shape = shape
	default:
		return nil, errors.New("an area is a GeoJSON Polygon or MultiPolygon")
	}
	if err := a.check(); err != nil {
		return nil, err
	}
	for _, polygon := range a.shape {
		var rings []slabs
		for _, ring := range polygon {
			rings = append(rings, slabsOf(ring))
		}
		a.slabs = append(a.slabs, rings)
	}
	a.raw = slices.Clone(raw)
	a.bound, a.km2 = a.shape.Bound(), geo.Area(a.shape)/1e6
	return a, nil
}

// NewArea makes an area of polygons, whose points are rounded to six decimals: a decimetre. It must hold to what
// [ParseArea] asks for.
func NewArea(shape orb.MultiPolygon) (*Area, error) {
	var out orb.MultiPolygon
	for _, polygon := range shape {
		var rings orb.Polygon
		for _, ring := range polygon {
			var kept orb.Ring
			for _, p := range ring {
				q := orb.Point{math.Round(p[0]*1e6) / 1e6, math.Round(p[1]*1e6) / 1e6}
				if n := len(kept); n == 0 || kept[n-1] != q {
					kept = append(kept, q)
				}
			}
			rings = append(rings, kept)
		}
		out = append(out, rings)
	}
	var g orb.Geometry = out
	if len(out) == 1 {
		g = out[0]
	}
	raw, err := geojson.NewGeometry(g).MarshalJSON()
	if err != nil {
		return nil, err
	}
	return ParseArea(raw)
}

// Bound is the box round the area.
func (a *Area) Bound() orb.Bound { return a.bound }

// Shape are the polygons of the area, rings closed, longitude before latitude. They must not be changed.
func (a *Area) Shape() orb.MultiPolygon { return a.shape }

func (a *Area) check() error {
	if len(a.shape) == 0 {
		return errors.New("an area has at least one polygon")
	}
	points := 0
	for i, polygon := range a.shape {
		if len(polygon) == 0 {
			return fmt.Errorf("polygon %d has no ring", i+1)
		}
		for _, ring := range polygon {
			points += len(ring)
			if points > MaxVertices {
				return fmt.Errorf("an area has at most %d points", MaxVertices)
			}
			if len(ring) < 4 || ring[0] != ring[len(ring)-1] {
				return fmt.Errorf("each ring of an area has at least four points and ends where it begins")
			}
			for _, p := range ring {
				if !(math.Abs(p.Lon()) <= 180 && math.Abs(p.Lat()) <= 90) {
					return fmt.Errorf(
						"%g, %g is no point: longitude −180 to 180 stands before latitude −90 to 90",
						p[0],
						p[1],
					)
				}
			}
		}
		if at, crosses := crossing(polygon); crosses {
			return &AreaError{at, "this area crosses itself"}
		}
		for _, hole := range polygon[1:] {
			if at, outside := outside(hole, polygon[0]); outside {
				return &AreaError{at, "a hole of this area lies outside of it"}
			}
		}
	}
	return nil
}

// AreaError is what is wrong with an area at one point.
type AreaError struct {
	At   orb.Point
	text string
}

// Error says what is wrong, and where.
func (e *AreaError) Error() string {
	return fmt.Sprintf("%s near %.4f, %.4f (longitude, latitude)", e.text, e.At.Lon(), e.At.Lat())
}

// outside finds a point of a hole that lies outside a ring, which it does not cross. Points on the ring tell nothing.
func outside(hole, ring orb.Ring) (orb.Point, bool) {
	for _, p := range hole {
		on := false
		for i := 0; i+1 < len(ring) && !on; i++ {
			on = side(ring[i], ring[i+1], p) == 0 && between(ring[i], ring[i+1], p)
		}
		if !on {
			return p, !planar.RingContains(ring, p)
		}
	}
	return orb.Point{}, false
}

// positions says whether a decoded GeoJSON coordinates value is made of lists of numbers: a null in it would
// count as 0.
func positions(v any) bool {
	list, ok := v.([]any)
	if !ok || len(list) == 0 {
		return false
	}
	if _, nested := list[0].([]any); nested {
		return !slices.ContainsFunc(list, func(v any) bool { return !positions(v) })
	}
	return len(list) >= 2 &&
		!slices.ContainsFunc(list, func(v any) bool { _, number := v.(float64); return !number })
}

// side is positive where c lies left of the line from a to b.
func side(a, b, c orb.Point) float64 {
	return (b[0]-a[0])*(c[1]-a[1]) - (b[1]-a[1])*(c[0]-a[0])
}

func between(a, b, c orb.Point) bool {
	return min(a[0], b[0]) <= c[0] && c[0] <= max(a[0], b[0]) && min(a[1], b[1]) <= c[1] && c[1] <= max(a[1], b[1])
}

// meet says whether two edges have a point in common.
func meet(a, b, c, d orb.Point) bool {
	s1, s2, s3, s4 := side(a, b, c), side(a, b, d), side(c, d, a), side(c, d, b)
	if (s1 > 0) != (s2 > 0) && s1 != 0 && s2 != 0 && (s3 > 0) != (s4 > 0) && s3 != 0 && s4 != 0 {
		return true
	}
	return s1 == 0 && between(a, b, c) || s2 == 0 && between(a, b, d) || s3 == 0 && between(c, d, a) ||
		s4 == 0 && between(c, d, b)
}

// folds says whether two edges with a common end lie on one another.
func folds(a, b, c, d orb.Point) bool {
	switch {
	case b == c:
	case a == d:
		a, b, c, d = c, d, a, b
	default:
		return false
	}
	return side(a, b, d) == 0 && (b[0]-a[0])*(d[0]-b[0])+(b[1]-a[1])*(d[1]-b[1]) < 0
}

// SquareKilometres is the size of the area on the sphere.
func (a *Area) SquareKilometres() float64 { return a.km2 }

// Contains says whether a point lies in the area; a point on its outer edge does.
func (a *Area) Contains(p orb.Point) bool {
	if !a.bound.Contains(p) {
		return false
	}
	for _, polygon := range a.slabs {
		if polygon[0].contains(p) && !slices.ContainsFunc(polygon[1:],
			func(hole slabs) bool { return hole.contains(p) }) {
			return true
		}
	}
	return false
}

// inside is a point of the area: its middle, or else the middle of the widest stretch of it along a parallel.
func (a *Area) inside() orb.Point {
	middle, _ := planar.CentroidArea(a.shape)
	if a.Contains(middle) {
		return middle
	}
	polygon := a.shape[0]
	lats := make([]float64, 0, len(polygon[0]))
	for _, p := range polygon[0] {
		lats = append(lats, p.Lat())
	}
	slices.Sort(lats)
	lats = slices.Compact(lats)
	for _, i := range []int{len(lats) / 2, len(lats) / 4, 3 * len(lats) / 4, 1, len(lats) - 1} {
		if i < 1 || i >= len(lats) {
			continue
		}
		lat := (lats[i-1] + lats[i]) / 2
		var at []float64 // where the rings cross that parallel
		for _, ring := range polygon {
			for j := 0; j+1 < len(ring); j++ {
				p, q := ring[j], ring[j+1]
				if (p.Lat() > lat) != (q.Lat() > lat) {
					at = append(at, p.Lon()+(lat-p.Lat())/(q.Lat()-p.Lat())*(q.Lon()-p.Lon()))
				}
			}
		}
		slices.Sort(at)
		best, width := orb.Point{}, 0.0
		for j := 0; j+1 < len(at); j += 2 {
			if w := at[j+1] - at[j]; w > width {
				best, width = orb.Point{(at[j] + at[j+1]) / 2, lat}, w
			}
		}
		if width > 0 && a.Contains(best) {
			return best
		}
	}
	return polygon[0][0]
}

// MarshalJSON writes the geometry as it was read.
func (a *Area) MarshalJSON() ([]byte, error) { return a.raw, nil }
