package place

import (
	"math"
	"slices"

	"github.com/paulmach/orb"
	"github.com/paulmach/orb/planar"
)

// Bounds of following.
const (
	onEdge  = 3e-6 // degrees, some decimetres: corners are rounded to a decimetre
	roundTo = 4.0  // how many times longer than the straight line the edge may be that is followed
)

// Follow has polygons follow the edges of their neighbours: where two corners that follow one another lie on the edge
// of one neighbour, the corners of that edge between them are added, so that no sliver stays between the two. It says
// how many corners were added. What would cross itself then stays as it was.
func Follow(shape orb.MultiPolygon, neighbours []orb.MultiPolygon) (out orb.MultiPolygon, added int) {
	for _, polygon := range shape {
		followed, n := orb.Polygon{}, 0
		for _, ring := range polygon {
			r, k := followRing(ring, neighbours)
			followed, n = append(followed, r), n+k
		}
		if _, crosses := crossing(followed); n > 0 && crosses {
			followed, n = polygon, 0
		}
		out, added = append(out, followed), added+n
	}
	return out, added
}

func followRing(ring orb.Ring, neighbours []orb.MultiPolygon) (out orb.Ring, added int) {
	for i := 0; i+1 < len(ring); i++ {
		a, b := ring[i], ring[i+1]
		out = append(out, a)
		edge := orb.LineString{a, b}.Bound().Pad(onEdge)
		for _, n := range neighbours {
			if !n.Bound().Intersects(edge) {
				continue
			}
			if between := along(n, a, b); len(between) > 0 {
				out, added = append(out, between...), added+len(between)
				break
			}
		}
	}
	return append(out, ring[len(ring)-1]), added
}

// along are the corners of a neighbour's edge between two points that lie on it, on the shorter way round; none where
// they do not, or where the way is a long one.
func along(n orb.MultiPolygon, a, b orb.Point) []orb.Point {
	for _, polygon := range n {
		for _, ring := range polygon {
			i, ok := edgeOf(ring, a)
			j, known := edgeOf(ring, b)
			if !ok || !known {
				continue
			}
			there, back := corners(ring, i, j), corners(ring, j, i)
			slices.Reverse(back)
			best := there
			if planar.Length(way(a, back, b)) < planar.Length(way(a, there, b)) {
				best = back
			}
			best = slices.DeleteFunc(best, func(p orb.Point) bool { return near(p, a) || near(p, b) })
			if planar.Length(way(a, best, b)) > roundTo*planar.Distance(a, b) {
				return nil
			}
			return best
		}
	}
	return nil
}

func way(a orb.Point, between []orb.Point, b orb.Point) orb.LineString {
	return append(append(orb.LineString{a}, between...), b)
}

func near(a, b orb.Point) bool { return math.Abs(a[0]-b[0]) <= onEdge && math.Abs(a[1]-b[1]) <= onEdge }

// edgeOf finds the edge of a ring on which a point lies, by the index of its first corner.
func edgeOf(ring orb.Ring, p orb.Point) (int, bool) {
	for i := 0; i+1 < len(ring); i++ {
		if planar.DistanceFromSegment(ring[i], ring[i+1], p) <= onEdge {
			return i, true
		}
	}
	return 0, false
}

// corners are those of a ring from behind edge i up to edge j, going forwards.
func corners(ring orb.Ring, i, j int) (list []orb.Point) {
	n := len(ring) - 1
	for k := i; k != j; k = (k + 1) % n {
		list = append(list, ring[(k+1)%n])
	}
	return list
}
