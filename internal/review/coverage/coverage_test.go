package coverage

import (
	"strings"
	"testing"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/place"
	"diadrom/internal/core/typed"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// zones makes a map of zones, each typed as one line.
func zones(t require.TestingT, g *gazetteer.Gazetteer, lines ...string) *Map {
	var owners []place.Owner
	for _, text := range lines {
		read := typed.Reader{Home: "FI", Gazetteer: g}.Text(text)
		require.Empty(t, read.Slips)
		owners = append(owners, place.Owner{Places: read.Places, Except: read.Except})
	}
	x := place.NewIndex(owners)
	return &Map{Rules: owners, Gazetteer: g, Match: x.Match,
		Tie: func(a, b place.Match) bool { return a.Narrow.Compare(b.Narrow) == 0 }}
}

func TestTheLineShowsHolesOverlapsAndWhatLiesUnder(t *testing.T) {
	m := zones(t, nil, "FI 22*", "FI 22100 to 22199, not FI 22150", "FI 96000 to 99999", "SE")
	l := m.Line("FI", "")
	var got []string
	for _, s := range l.Stretches {
		line := l.Text(s.From) + "–" + l.Text(s.To)
		for _, z := range s.Zones {
			line += " " + string(rune('a'+z.Owner))
		}
		got = append(got, line)
	}
	assert.Equal(
		t,
		[]string{
			"00000–21999",
			"22000–22099 a",
			"22100–22149 b a",
			"22150–22150 a",
			"22151–22199 b a",
			"22200–22999 a",
			"23000–95999",
			"96000–99999 c",
		},
		got,
	)
	share := m.Summary().Shares[1]
	assert.EqualValues(t, 99, share.Codes)
	assert.Equal(t, map[int]uint64{0: 99}, share.OutOf)
}

func TestRegionsAreLaidOutByTheGazetteer(t *testing.T) {
	g, _, err := gazetteer.Read(
		strings.NewReader(
			"FI\t20100\tTurku\tSouthwest Finland\nFI\t20200\tTurku\tSouthwest Finland\nFI\t22100\tMariehamn\tÅland\n",
		),
	)
	require.NoError(t, err)
	m := zones(t, g, "FI-19", "Finland")
	shares := m.Summary().Shares
	assert.EqualValues(t, 2, shares[0].Codes)
	assert.Equal(t, []RegionShare{{"FI", "FI-19", 2, 2}}, shares[0].Regions)
	assert.EqualValues(t, 1, shares[1].Codes, "of the codes that are listed")
	assert.Equal(
		t,
		3,
		m.Line("FI", "").Stretches[1].Listed+m.Line("FI", "").Stretches[3].Listed+m.Line("FI", "").Stretches[4].Listed,
	)
}

// Every code lies in one stretch, and the zones of the stretch are those that take the code.
func TestEveryCodeIsAsItsStretchSays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		entry := rapid.OneOf(
			rapid.StringMatching(`FI [0-9]{1,4}\*`),
			rapid.StringMatching(`FI [0-9]{5}`),
			rapid.StringMatching(`not FI [0-9]{2,4}\*`),
			rapid.Just("Finland"),
			rapid.Just("everywhere"),
		)
		var typed []string
		for range rapid.IntRange(1, 4).Draw(t, "zones") {
			typed = append(typed, strings.Join(rapid.SliceOfN(entry, 1, 4).Draw(t, "zone"), ", "))
		}
		m := zones(t, nil, typed...)
		l := m.Line("FI", "")
		next := uint64(0)
		for _, s := range l.Stretches {
			assert.Equal(t, next, s.From)
			next = s.To + 1
		}
		assert.EqualValues(t, 100_000, next)
		n := rapid.Uint64Range(0, 99_999).Draw(t, "code")
		resolved := place.Address{Country: "FI", Postcode: l.Text(n)}.Resolve(nil)
		var want []int
		for _, m := range m.Match(&resolved, nil) {
			want = append(want, m.Owner)
		}
		for _, s := range l.Stretches {
			if n >= s.From && n <= s.To {
				var got []int
				for _, z := range s.Zones {
					got = append(got, z.Owner)
				}
				assert.Equal(t, want, got)
			}
		}
	})
}
