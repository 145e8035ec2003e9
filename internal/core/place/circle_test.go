package place

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"os/exec"
	"strings"
	"testing"

	"diadrom/internal/core/decimal"

	"github.com/paulmach/orb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A circle takes what GeographicLib's GeodSolve says is not farther away than its radius.
func TestCirclesTakeWhatGeodSolveSaysIsNearEnough(t *testing.T) {
	path, err := exec.LookPath("GeodSolve")
	require.NoError(t, err, "apt-get install geographiclib-tools")
	r := rand.New(rand.NewPCG(5, 6))
	var input strings.Builder
	type pair struct{ from, to orb.Point }
	var pairs []pair
	for range 2000 {
		from := orb.Point{-180 + 360*r.Float64(), -85 + 170*r.Float64()}
		to := orb.Point{from[0] + (r.Float64()-0.5)*0.6, from[1] + (r.Float64()-0.5)*0.3}
		pairs = append(pairs, pair{from, to})
		fmt.Fprintf(&input, "%.9f %.9f %.9f %.9f\n", from[1], from[0], to[1], to[0])
	}
	cmd := exec.Command(path, "-i", "-p", "6")
	cmd.Stdin = strings.NewReader(input.String())
	var out bytes.Buffer
	cmd.Stdout = &out
	require.NoError(t, cmd.Run())
	taken := 0
	for i, line := range strings.Split(strings.TrimSpace(out.String()), "\n") {
		var there, back, metres float64
		_, err := fmt.Sscan(line, &there, &back, &metres)
		require.NoError(t, err)
		w := Within{Distance: decimal.MustParse("12.5"), Metres: MetresPerKilometre}
		w.SetPoint(pairs[i].from)
		if off := metres - 12_500; off > -1 && off < 1 { // the middle is rounded to a decimetre
			continue
		}
		assert.Equal(t, metres <= 12_500, w.contains(pairs[i].to), "%v: %f m", pairs[i], metres)
		if metres <= 12_500 {
			taken++
		}
	}
	assert.Greater(t, taken, 500)
}
