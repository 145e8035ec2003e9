package place

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/paulmach/orb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// every compares all pairs of edges.
func every(ring orb.Ring) bool {
	var edges []*edge
	for i := 0; i+1 < len(ring); i++ {
		if ring[i] != ring[i+1] {
			edges = append(edges, &edge{a: ring[i], b: ring[i+1], i: len(edges)})
		}
	}
	for i, x := range edges {
		x.n = len(edges)
		for _, y := range edges[:i] {
			y.n = len(edges)
			if conflict(x, y) {
				return true
			}
		}
	}
	return false
}

func TestTheSweepFindsWhatComparingAllPairsFinds(t *testing.T) {
	crosses, simple := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		grid := rapid.IntRange(2, 12).Draw(t, "grid")
		n := rapid.IntRange(3, 9).Draw(t, "points")
		ring := orb.Ring{}
		for range n {
			ring = append(
				ring,
				orb.Point{
					float64(rapid.IntRange(0, grid).Draw(t, "x")),
					float64(rapid.IntRange(0, grid).Draw(t, "y")),
				},
			)
		}
		ring = append(ring, ring[0])
		_, got := crossing([]orb.Ring{ring})
		if want := every(ring); got != want {
			t.Fatalf("%v: the sweep says %v, all pairs say %v", ring, got, want)
		} else if want {
			crosses++
		} else {
			simple++
		}
	})
	assert.Positive(t, crosses)
	assert.Positive(t, simple)
}

// A valid area of 20,000 points takes no longer than its size asks for: ten times the points less than forty
// times as long.
func TestAnAreaOfManySlantedTeethIsReadSoon(t *testing.T) {
	took := func(teeth int) time.Duration {
		best := time.Hour
		for range 3 {
			var points []string
			for i := range teeth {
				x := 40 * float64(i) / float64(teeth)
				points = append(
					points,
					fmt.Sprintf("[%.6f,0],[%.6f,60]", x, x+100),
					fmt.Sprintf("[%.6f,60],[%.6f,0]", x+100+10/float64(teeth), x+20/float64(teeth)),
				)
			}
			text := `{"type":"Polygon","coordinates":[[` + strings.Join(points, ",") + `,[41,-1],[-1,-1],[0,0]]]}`
			begun := time.Now()
			a, err := ParseArea([]byte(text))
			require.NoError(t, err)
			assert.True(t, a.Contains(a.inside()))
			best = min(best, time.Since(begun))
		}
		return best
	}
	small, large := took(480), took(4800)
	assert.Less(t, large, 40*small)
}

func TestAreasThatAreNone(t *testing.T) {
	for text, says := range map[string]string{
		`{"type":"Polygon","coordinates":[[[0,0],[4,0],[4,4],[0,4],[0,0]],[[6,6],[7,6],[7,7],[6,
		6]]]}`: "a hole of this area lies outside",
		`{"type":"Polygon","coordinates":[[[0,0],[4,0],[4,4],[0,4],[0,0]],[[3,3],[7,3],[7,7],[3,
		3]]]}`: "crosses itself",
		`{"type":"Polygon","coordinates":[[[0,0],[4,0],[4,null],[0,4],[0,0]]]}`: "each position is two " +
			"numbers",
		`{"type":"Polygon","coordinates":[[[0,0],[4,0],null,[0,4],[0,0]]]}`: "each position is two " +
			"numbers",
		`{"type":"Polygon","coordinates":[[[0],[4,0],[4,4],[0,4],[0]]]}`: "each position is two " +
			"numbers",
		`{"type":"Polygon","coordinates":null}`: "each position is two " +
			"numbers",
		`{"type":"Polygon","coordinates":[[[0,0],[4,4],[4,0],[0,4],[0,0]]]}`:             "crosses itself",
		`{"type":"Polygon","coordinates":[[[0,0],[4,0],[2,2],[4,4],[0,4],[2,2],[0,0]]]}`: "crosses itself",
	} {
		require.True(t, json.Valid([]byte(text)))
		_, err := ParseArea([]byte(text))
		require.ErrorContains(t, err, says, text)
	}
	a, err := ParseArea(
		[]byte(`{"type":"Polygon","coordinates":[[[0,0],[4,0],[4,4],[0,4],[0,0]],[[0,0],[1,1],[2,1],[0,0]]]}`),
	)
	require.NoError(t, err, "a hole may touch the edge")
	assert.Positive(t, a.SquareKilometres())
}
