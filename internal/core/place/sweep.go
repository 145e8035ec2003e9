package place

import (
	"cmp"
	"slices"

	"github.com/google/btree"
	"github.com/paulmach/orb"
)

// Whether rings cross is told by a line that sweeps over their edges from west to east and compares each edge
// with its neighbours along that line only (M. I. Shamos and D. Hoey, Geometric intersection problems, 1976): n
// edges take n log n steps however they lie, where comparing all pairs takes n².

// edge is a side of a ring. Ends are ordered from west to east, and from south to north where it stands upright.
type edge struct {
	west, east orb.Point
	a, b       orb.Point // as the ring has them
	ring, i, n int       // the i-th of n edges of that ring
}

// compareEdges orders two edges from south to north where the sweeping line meets both; they do not cross.
func compareEdges(x, y *edge) int {
	if x == y {
		return 0
	}
	order := func(s float64) int {
		switch {
		case s > 0:
			return -1
		case s < 0:
			return 1
		}
		return 0
	}
	if comparePoints(x.west, y.west) <= 0 {
		return cmp.Or(
			order(side(x.west, x.east, y.west)),
			order(side(x.west, x.east, y.east)),
			cmp.Compare(x.ring, y.ring),
			cmp.Compare(x.i, y.i),
		)
	}
	return cmp.Or(
		-order(side(y.west, y.east, x.west)),
		-order(side(y.west, y.east, x.east)),
		cmp.Compare(x.ring, y.ring),
		cmp.Compare(x.i, y.i),
	)
}

func comparePoints(p, q orb.Point) int {
	return cmp.Or(cmp.Compare(p[0], q[0]), cmp.Compare(p[1], q[1]))
}

// crossing finds where a ring of a polygon touches or crosses itself, or two of its rings cross.
func crossing(rings []orb.Ring) (orb.Point, bool) {
	edges, twice, found := edgesOf(rings)
	if found {
		return twice, true
	}
	type event struct {
		at   orb.Point
		ends bool
		e    *edge
	}
	events := make([]event, 0, 2*len(edges))
	for _, e := range edges {
		events = append(events, event{e.west, false, e}, event{e.east, true, e})
	}
	slices.SortFunc(events, func(x, y event) int {
		ends := map[bool]int{true: 0, false: 1} // at one point what ends goes before what begins
		return cmp.Or(comparePoints(x.at, y.at), cmp.Compare(ends[x.ends], ends[y.ends]), compareEdgesAt(x.e, y.e))
	})
	line := btree.NewG(16, func(x, y *edge) bool { return compareEdges(x, y) < 0 })
	for _, ev := range events {
		south, north := beside(line, ev.e)
		if !ev.ends {
			if conflict(ev.e, south) || conflict(ev.e, north) {
				return ev.at, true
			}
			line.ReplaceOrInsert(ev.e)
			continue
		}
		// One that is not there: edges so near one another that their order along the line changed.
		if _, there := line.Delete(ev.e); !there {
			return ev.at, true
		}
		if south != nil && conflict(south, north) {
			return ev.at, true
		}
	}
	return orb.Point{}, false
}

// edgesOf are the edges of rings; found says that a ring comes to a point twice.
func edgesOf(rings []orb.Ring) (edges []*edge, twice orb.Point, found bool) {
	for r, ring := range rings {
		first := len(edges)
		seen := make(map[orb.Point]bool, len(ring))
		for i := 0; i+1 < len(ring); i++ {
			a, b := ring[i], ring[i+1]
			if a == b {
				continue
			}
			if seen[a] {
				return nil, a, true
			}
			seen[a] = true
			e := &edge{west: a, east: b, a: a, b: b, ring: r, i: len(edges) - first}
			if comparePoints(b, a) < 0 {
				e.west, e.east = b, a
			}
			edges = append(edges, e)
		}
		for _, e := range edges[first:] {
			e.n = len(edges) - first
		}
	}
	return edges, orb.Point{}, false
}

// beside are the edges next to one along the sweeping line; nil where there is none.
func beside(line *btree.BTreeG[*edge], e *edge) (south, north *edge) {
	line.DescendLessOrEqual(e, func(o *edge) bool {
		if o != e {
			south = o
		}
		return south == nil
	})
	line.AscendGreaterOrEqual(e, func(o *edge) bool {
		if o != e {
			north = o
		}
		return north == nil
	})
	return south, north
}

func compareEdgesAt(x, y *edge) int {
	return cmp.Or(cmp.Compare(x.ring, y.ring), cmp.Compare(x.i, y.i))
}

// conflict says whether two edges have a point in common that they must not have: of one ring any but the end
// that neighbours share, of two rings one at which they pass through one another.
func conflict(x, y *edge) bool {
	if x == nil || y == nil {
		return false
	}
	if x.ring != y.ring {
		s1, s2, s3, s4 := side(x.a, x.b, y.a), side(x.a, x.b, y.b), side(y.a, y.b, x.a), side(y.a, y.b, x.b)
		return s1*s2 < 0 && s3*s4 < 0
	}
	if apart := (x.i - y.i + x.n) % x.n; apart == 1 || apart == x.n-1 {
		return folds(x.a, x.b, y.a, y.b)
	}
	return meet(x.a, x.b, y.a, y.b)
}
