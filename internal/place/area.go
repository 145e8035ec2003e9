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

// Area is a GeoJSON Polygon or MultiPolygon (RFC 7946) on WGS 84; its edges are straight in longitude and latitude, as
// that standard has it.
type Area struct {
	raw   json.RawMessage
	shape orb.MultiPolygon
	bound orb.Bound
	km2   float64
}

// ParseArea reads a GeoJSON geometry. Rings are closed, have at least four points and do not cross themselves.
func ParseArea(raw []byte) (*Area, error) {
	g, err := geojson.UnmarshalGeometry(raw)
	if err != nil {
		return nil, errors.New("this is not a GeoJSON geometry")
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
	var compact any
	if err := json.Unmarshal(raw, &compact); err != nil {
		return nil, errors.New("this is not a GeoJSON geometry")
	}
	a.raw = slices.Clone(raw)
	a.bound, a.km2 = a.shape.Bound(), geo.Area(a.shape)/1e6
	return a, nil
}

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
					return fmt.Errorf("%g, %g is no point: longitude −180 to 180 stands before latitude −90 to 90", p[0], p[1])
				}
			}
			if at, crosses := crossing(ring); crosses {
				return fmt.Errorf("this area crosses itself near %.4f, %.4f (longitude, latitude)", at.Lon(), at.Lat())
			}
		}
	}
	return nil
}

// crossing finds two edges of a ring that meet elsewhere than at a shared end. Edges are looked at from west to east, each
// against those that still reach it.
func crossing(ring orb.Ring) (orb.Point, bool) {
	type edge struct {
		a, b orb.Point
		i    int
	}
	edges := make([]edge, 0, len(ring)-1)
	for i := 0; i+1 < len(ring); i++ {
		if a, b := ring[i], ring[i+1]; a != b {
			edges = append(edges, edge{a, b, len(edges)})
		}
	}
	n := len(edges)
	slices.SortFunc(edges, func(x, y edge) int {
		return compare(min(x.a[0], x.b[0]), min(y.a[0], y.b[0]))
	})
	var open []edge
	for _, e := range edges {
		west := min(e.a[0], e.b[0])
		open = slices.DeleteFunc(open, func(o edge) bool { return max(o.a[0], o.b[0]) < west })
		for _, o := range open {
			apart := (e.i - o.i + n) % n
			if apart == 1 || apart == n-1 {
				if folds(e.a, e.b, o.a, o.b) {
					return e.a, true
				}
				continue
			}
			if meet(e.a, e.b, o.a, o.b) {
				return e.a, true
			}
		}
		open = append(open, e)
	}
	return orb.Point{}, false
}

func compare(x, y float64) int {
	switch {
	case x < y:
		return -1
	case x > y:
		return 1
	}
	return 0
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
	return s1 == 0 && between(a, b, c) || s2 == 0 && between(a, b, d) || s3 == 0 && between(c, d, a) || s4 == 0 && between(c, d, b)
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
	return a.bound.Contains(p) && planar.MultiPolygonContains(a.shape, p)
}

// inside is a point of the area: its middle, or else a point between two of its corners.
func (a *Area) inside() orb.Point {
	middle, _ := planar.CentroidArea(a.shape)
	if a.Contains(middle) {
		return middle
	}
	ring := a.shape[0][0]
	for i := range ring {
		for j := i + 2; j < len(ring); j++ {
			between := orb.Point{(ring[i][0] + ring[j][0]) / 2, (ring[i][1] + ring[j][1]) / 2}
			if a.Contains(between) {
				return between
			}
		}
	}
	return ring[0]
}

// MarshalJSON writes the geometry as it was read.
func (a *Area) MarshalJSON() ([]byte, error) { return a.raw, nil }
