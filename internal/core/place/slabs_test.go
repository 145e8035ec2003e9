package place

import (
	"testing"

	"diadrom/internal/core/decimal"

	"github.com/paulmach/orb"
	"github.com/paulmach/orb/planar"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Whatever the ring, on corners and edges too, slabs tell what looking at all edges tells.
func TestSlabsTellWhatAllEdgesTell(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		grid := rapid.SampledFrom([]float64{1, 7, 1000}).Draw(t, "grid")
		coordinate := func(name string) float64 {
			return float64(rapid.IntRange(-int(grid)*10, int(grid)*10).Draw(t, name)) / grid
		}
		var ring orb.Ring
		for range rapid.IntRange(few, 120).Draw(t, "points") {
			ring = append(ring, orb.Point{coordinate("x"), coordinate("y")})
		}
		ring = append(ring, ring[0])
		s := slabsOf(ring)
		ask := func(p orb.Point) { require.Equal(t, planar.RingContains(ring, p), s.contains(p), "%v in %v", p, ring) }
		for i := range 60 {
			ask(orb.Point{coordinate("px"), coordinate("py")})
			ask(ring[i%len(ring)])
			if j := i % (len(ring) - 1); true {
				ask(orb.Point{(ring[j][0] + ring[j+1][0]) / 2, (ring[j][1] + ring[j+1][1]) / 2})
				ask(orb.Point{ring[j][0], coordinate("below")})
			}
		}
	})
}

func BenchmarkContains(b *testing.B) {
	ring := (&Within{Located: true, Distance: decimal.FromInt(20), Metres: 1000}).Ring(500)
	s, p := slabsOf(ring), orb.Point{0.01, 0.02}
	b.Run("slabs", func(b *testing.B) {
		for b.Loop() {
			s.contains(p)
		}
	})
	b.Run("all edges", func(b *testing.B) {
		for b.Loop() {
			planar.RingContains(ring, p)
		}
	})
}
