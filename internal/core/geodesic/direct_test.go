package geodesic

import (
	"bytes"
	"fmt"
	"math"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// tool asks a program of Debian's geographiclib-tools, which make test installs: a line for each line of input.
func tool(t *testing.T, input, name string, arguments ...string) []string {
	t.Helper()
	path, err := exec.LookPath(name)
	require.NoError(t, err, "apt-get install geographiclib-tools")
	cmd := exec.Command(path, arguments...)
	cmd.Stdin = strings.NewReader(input)
	var out bytes.Buffer
	cmd.Stdout = &out
	require.NoError(t, cmd.Run())
	return strings.Split(strings.TrimSpace(out.String()), "\n")
}

// C. F. F. Karney's GeographicLib solves both problems to nanometres.
func TestDestinationsAreThoseOfGeographicLib(t *testing.T) {
	var input strings.Builder
	var cases [][4]float64
	add := func(c [4]float64) {
		cases = append(cases, c)
		fmt.Fprintf(&input, "%.12f %.12f %.12f %.6f\n", c[0], c[1], c[2], c[3])
	}
	for _, lat := range []float64{-89.5, -60, 0, 45, 60.4674, 89} {
		for azimuth := 0.0; azimuth < 360; azimuth += 15 {
			for _, metres := range []float64{1, 500, 15_000, 2_000_000, 9_000_000} {
				add([4]float64{lat, 22.026, azimuth, metres})
			}
		}
	}
	for i, line := range tool(t, input.String(), "GeodSolve", "-p", "9") {
		var lat, lon, back float64
		_, err := fmt.Sscan(line, &lat, &lon, &back)
		require.NoError(t, err)
		c := cases[i]
		haveLat, haveLon := Destination(c[0], c[1], c[2], c[3])
		assert.Less(t, Distance(lat, lon, haveLat, haveLon), 0.001, "%v", c)
	}
}

func TestACircleIsAsFarAsItsRadius(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		lat := rapid.Float64Range(-85, 85).Draw(t, "lat")
		metres := rapid.Float64Range(1, 1_000_000).Draw(t, "metres")
		lat2, lon2 := Destination(lat, 179.5, rapid.Float64Range(0, 360).Draw(t, "azimuth"), metres)
		assert.InDelta(t, metres, Distance(lat, 179.5, lat2, lon2), 0.001)
		assert.LessOrEqual(t, math.Abs(lon2-179.5), 180.0)
	})
}

// Planimeter measures polygons with geodesic edges; with points every few hundred metres along an edge that is straight
// in longitude and latitude, both mean the same area.
func TestAreasAreThoseOfPlanimeter(t *testing.T) {
	for name, ring := range map[string][][2]float64{
		"the archipelago": {{21.2, 60.1}, {22.4, 60.0}, {22.5, 60.5}, {21.9, 60.7}, {21.2, 60.1}},
		"the far north":   {{20, 68}, {29, 68}, {28, 70.1}, {21, 69.5}, {20, 68}},
		"on the equator":  {{-3, -2}, {4, -1}, {5, 3}, {-2, 2}, {-3, -2}},
		"the south":       {{170, -47}, {174, -45}, {172, -43}, {170, -47}},
		"a field":         {{22.02, 60.46}, {22.021, 60.46}, {22.0212, 60.4605}, {22.02, 60.46}},
	} {
		t.Run(name, func(t *testing.T) {
			var input strings.Builder
			for i := 1; i < len(ring); i++ {
				const steps = 2000
				for k := range steps {
					at := float64(k) / steps
					fmt.Fprintf(&input, "%.12f %.12f\n", ring[i-1][1]+at*(ring[i][1]-ring[i-1][1]),
						ring[i-1][0]+at*(ring[i][0]-ring[i-1][0]))
				}
			}
			var points int
			var perimeter, area float64
			_, err := fmt.Sscan(tool(t, input.String(), "Planimeter")[0], &points, &perimeter, &area)
			require.NoError(t, err)
			assert.InDelta(t, area, RingArea(ring), max(0.1, 1e-7*area), "Planimeter writes a decimal of a square "+
				"metre")
		})
	}
}

// The whole ellipsoid has 510,065,621.724 km² (GeographicLib's Geodesic::EllipsoidArea for WGS 84).
func TestTheAreaOfTheEarth(t *testing.T) {
	whole := [][2]float64{{-180, -90}, {180, -90}, {180, 90}, {-180, 90}, {-180, -90}}
	assert.InDelta(t, 510_065_621.724, RingArea(whole)/1e6, 0.01)
}
