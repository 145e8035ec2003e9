package place

import (
	"math"

	"github.com/paulmach/orb"
	"github.com/paulmach/orb/planar"
)

// slabs are the edges of a ring by the stretches of longitude that they reach over: only those at a point's longitude
// tell whether it lies inside. What they tell is what planar.RingContains of orb tells of all edges.
type slabs struct {
	ring  orb.Ring
	bound orb.Bound
	wide  float64   // degrees of a slab
	edges [][]int32 // by slab; an edge by its first point
}

// few is up to how many points all edges are looked at: that is as fast.
const few = 24

func slabsOf(ring orb.Ring) slabs {
	s := slabs{ring: ring, bound: ring.Bound()}
	across := s.bound.Max[0] - s.bound.Min[0]
	if len(ring) <= few || across <= 0 {
		return s
	}
	// As many slabs as let each edge be listed a few times at most: of a comb whose teeth all reach across, few.
	reach := 0.0
	for i := 0; i+1 < len(ring); i++ {
		reach += math.Abs(ring[i+1][0]-ring[i][0]) / across
	}
	n := max(1, min(len(ring)/2, int(4*float64(len(ring))/max(1, reach))))
	s.wide, s.edges = across/float64(n), make([][]int32, n)
	for i := 0; i+1 < len(ring); i++ {
		from, to := s.at(min(ring[i][0], ring[i+1][0])), s.at(max(ring[i][0], ring[i+1][0]))
		for k := from; k <= to; k++ {
			s.edges[k] = append(s.edges[k], int32(i))
		}
	}
	return s
}

// at is the slab of a longitude within the ring's bound.
func (s *slabs) at(lon float64) int {
	return max(0, min(len(s.edges)-1, int((lon-s.bound.Min[0])/s.wide)))
}

// contains says whether a point lies in the ring; one on its edge does.
func (s *slabs) contains(p orb.Point) bool {
	if !s.bound.Contains(p) {
		return false
	}
	if s.edges == nil {
		return planar.RingContains(s.ring, p)
	}
	in := false
	// A point is moved east by the least that there is where it lies exactly below a corner: the next slab has what
	// lies there, and an edge of both is counted once.
	slab, next := s.at(p[0]), s.at(math.Nextafter(p[0], math.Inf(1)))
	for k := slab; k <= next; k++ {
		for _, i := range s.edges[k] {
			if k > slab && s.at(min(s.ring[i][0], s.ring[i+1][0])) < k {
				continue // it was looked at
			}
			crosses, on := rayMeets(p, s.ring[i], s.ring[i+1])
			if on {
				return true
			}
			in = in != crosses
		}
	}
	return in
}

// rayMeets says whether an edge lies above a point, or goes through it, as orb has it (planar/contains.go, MIT), after
// http://rosettacode.org/wiki/Ray-casting_algorithm.
func rayMeets(p, s, e orb.Point) (crosses, on bool) {
	if s[0] > e[0] {
		s, e = e, s
	}
	switch p[0] {
	case s[0]:
		if p[1] == s[1] {
			return false, true
		}
		if s[0] == e[0] && (s[1] >= p[1] && p[1] >= e[1] || e[1] >= p[1] && p[1] >= s[1]) && s[1] != e[1] {
			return false, true
		}
		p[0] = math.Nextafter(p[0], math.Inf(1))
	case e[0]:
		if p[1] == e[1] {
			return false, true
		}
		p[0] = math.Nextafter(p[0], math.Inf(1))
	}
	if p[0] < s[0] || p[0] > e[0] || p[1] > max(s[1], e[1]) {
		return false, false
	}
	if p[1] < min(s[1], e[1]) {
		return true, false
	}
	rs, ds := (p[1]-s[1])/(p[0]-s[0]), (e[1]-s[1])/(e[0]-s[0])
	return rs < ds, rs == ds
}
