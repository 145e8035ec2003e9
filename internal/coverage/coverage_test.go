package coverage

import (
	"strings"
	"testing"

	"diadrom/internal/gazetteer"
	"diadrom/internal/place"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func zones(t require.TestingT, typed ...string) ([]place.Owner, Zones) {
	var owners []place.Owner
	for _, text := range typed {
		typed := place.ParseText(text, "FI")
		require.Empty(t, typed.Slips)
		owners = append(owners, place.Owner{Places: typed.Places, Except: typed.Except})
	}
	x := place.NewIndex(owners)
	return owners, func(s *place.Spotted) []place.Match { return x.Match(s, nil) }
}

func TestTheLineShowsHolesOverlapsAndWhatLiesUnder(t *testing.T) {
	owners, match := zones(t, "FI 22*", "FI 22100 to 22199, not FI 22150", "FI 96000 to 99999", "SE")
	l, ok := Of("FI", owners, match, nil)
	require.True(t, ok)
	var got []string
	for _, s := range l.Stretches {
		line := l.Text(s.From) + "–" + l.Text(s.To)
		for _, z := range s.Zones {
			line += " " + string(rune('a'+z))
		}
		got = append(got, line)
	}
	assert.Equal(t, []string{"00000–21999", "22000–22099 a", "22100–22149 b a", "22150–22150 a", "22151–22199 b a", "22200–22999 a", "23000–95999", "96000–99999 c"}, got)
	codes, outOf := l.Taken(1)
	assert.EqualValues(t, 99, codes)
	assert.Equal(t, map[int]uint64{0: 99}, outOf)
	_, ok = Of("GB", owners, match, nil)
	assert.False(t, ok, "codes with letters make no number line")
}

func TestRegionsAreLaidOutByTheGazetteer(t *testing.T) {
	g, _, err := gazetteer.Read(strings.NewReader("FI\t20100\tTurku\tSouthwest Finland\nFI\t20200\tTurku\tSouthwest Finland\nFI\t22100\tMariehamn\tÅland\n"))
	require.NoError(t, err)
	owners, match := zones(t, "FI-19", "Finland")
	l, ok := Of("FI", owners, match, g)
	require.True(t, ok)
	codes, _ := l.Taken(0)
	assert.EqualValues(t, 2, codes)
	codes, _ = l.Taken(1)
	assert.EqualValues(t, 99_998, codes)
}

// Every code lies in one stretch, and the zones of the stretch are those that take the code.
func TestEveryCodeIsAsItsStretchSays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		entry := rapid.OneOf(rapid.StringMatching(`FI [0-9]{1,4}\*`), rapid.StringMatching(`FI [0-9]{5}`), rapid.StringMatching(`not FI [0-9]{2,4}\*`), rapid.Just("Finland"), rapid.Just("everywhere"))
		var typed []string
		for range rapid.IntRange(1, 4).Draw(t, "zones") {
			typed = append(typed, strings.Join(rapid.SliceOfN(entry, 1, 4).Draw(t, "zone"), ", "))
		}
		owners, match := zones(t, typed...)
		l, ok := Of("FI", owners, match, nil)
		require.True(t, ok)
		next := uint64(0)
		for _, s := range l.Stretches {
			assert.Equal(t, next, s.From)
			next = s.To + 1
		}
		assert.EqualValues(t, 100_000, next)
		n := rapid.Uint64Range(0, 99_999).Draw(t, "code")
		spotted := place.Address{Country: "FI", Postcode: l.Text(n)}.Spot(nil)
		var want []int
		for _, m := range match(&spotted) {
			want = append(want, m.Owner)
		}
		for _, s := range l.Stretches {
			if n >= s.From && n <= s.To {
				assert.Equal(t, want, s.Zones)
			}
		}
	})
}
