package geodesic

import (
	"bytes"
	"fmt"
	"math"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Pairs over all latitudes, across the antimeridian, at the poles, close together and nearly antipodal, with
// the distances that GeographicLib 2.1.2's GeodSolve (Debian geographiclib-tools) gives for them: equal to 1
// mm.
func TestDistancesEqualGeodSolve(t *testing.T) {
	body, err := os.ReadFile("testdata/geodsolve.tsv")
	require.NoError(t, err)
	n, worst := 0, 0.0
	for line := range strings.Lines(string(body)) {
		var v [5]float64
		for i, f := range strings.Split(strings.TrimSpace(line), "\t") {
			v[i], err = strconv.ParseFloat(f, 64)
			require.NoError(t, err)
		}
		off := math.Abs(Distance(v[0], v[1], v[2], v[3]) - v[4])
		if off > 0.001 {
			t.Errorf("%s: off by %g m", strings.TrimSpace(line), off)
		}
		n, worst = n+1, math.Max(worst, off)
	}
	assert.Greater(t, n, 1000)
	t.Logf("%d pairs, largest difference %.2g m", n, worst)
}

// The same against the tool itself where it is installed, on fresh random pairs.
func TestDistancesEqualInstalledGeodSolve(t *testing.T) {
	if _, err := exec.LookPath("GeodSolve"); err != nil {
		t.Skip("GeodSolve is not installed; its recorded answers are checked all the same")
	}
	var in bytes.Buffer
	var want []float64
	rapid.Check(t, func(t *rapid.T) {
		lat1, lat2 := rapid.Float64Range(-90, 90).Draw(t, "lat1"), rapid.Float64Range(-90, 90).Draw(t, "lat2")
		lon1, lon2 := rapid.Float64Range(-180, 180).Draw(t, "lon1"), rapid.Float64Range(-180, 180).Draw(t, "lon2")
		fmt.Fprintf(&in, "%.12f %.12f %.12f %.12f\n", lat1, lon1, lat2, lon2)
		want = append(want, Distance(lat1, lon1, lat2, lon2))
	})
	cmd := exec.Command("GeodSolve", "-i", "-p", "6")
	cmd.Stdin = &in
	out, err := cmd.Output()
	require.NoError(t, err)
	for i, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		got, err := strconv.ParseFloat(strings.Fields(line)[2], 64)
		require.NoError(t, err)
		assert.InDelta(t, got, want[i], 0.001, "pair %d", i)
	}
}

func TestDistanceIsSymmetricAndObeysTheTriangle(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var lat, lon [3]float64
		for i := range lat {
			lat[i] = rapid.Float64Range(-90, 90).Draw(t, "lat")
			lon[i] = rapid.Float64Range(-180, 180).Draw(t, "lon")
		}
		d := func(i, j int) float64 { return Distance(lat[i], lon[i], lat[j], lon[j]) }
		assert.InDelta(t, d(0, 1), d(1, 0), 1e-4)
		assert.LessOrEqual(t, d(0, 2), d(0, 1)+d(1, 2)+1e-4)
		assert.InDelta(t, 0, d(0, 0), 1e-6)
	})
}

func BenchmarkDistance(b *testing.B) {
	for b.Loop() {
		Distance(60.4674, 22.0260, 60.4518, 22.2666)
	}
}
