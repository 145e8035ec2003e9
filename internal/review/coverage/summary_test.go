package coverage

import (
	"fmt"
	"strings"
	"testing"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/place"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// said writes the overlaps of a summary: the zone that gets the address, how it lies to the other, and the address.
func said(s *Summary) (list []string) {
	for _, o := range s.Overlaps {
		list = append(
			list,
			fmt.Sprintf(
				"%c %s %c at %s",
				'a'+o.Zone,
				[...]string{"", "ties", "crosses", "hides"}[o.Kind],
				'a'+o.Other,
				o.At.Line("FI"),
			),
		)
	}
	return list
}

func TestHowZonesLieToOneAnother(t *testing.T) {
	for _, c := range []struct {
		name  string
		zones []string
		want  []string
	}{
		{"one in the other is no overlap to speak of", []string{"Finland", "FI 22*"}, nil},
		{"apart", []string{"FI 21*", "FI 22*"}, nil},
		{"the same beginning twice: the older zone gets all of it", []string{"FI 22*", "FI 22*"},
			[]string{"a ties b at 22000"}},
		{"a range and a beginning of as many codes", []string{"FI 22*", "FI 22000 to 22999, FI 23000"},
			[]string{"a ties b at 22000"}},
		{"two that cross, the narrower entry wins", []string{"FI 20100 to 20999", "FI 205*, FI 21*"},
			[]string{"b crosses a at 20500"}},
		{"a code in two lists", []string{"FI 20100, FI 20200", "FI 20200, FI 20300"}, []string{"a ties b at 20200"}},
		{"ten beginnings swallow a range", []string{"FI 20000 to 29999", "FI 20*, FI 21*, FI 22*, FI 23*, FI 24*, " +
			"FI 25*, FI 26*, FI 27*, FI 28*, FI 29*"}, []string{"b hides a at 20000"}},
		{"an exception parts them", []string{"FI 20100 to 20999, not FI 205*", "FI 205*"}, nil},
		{"a country in two groups of their own", []string{"Estonia, Finland", "EU, not Estonia"},
			[]string{"a crosses b at Finland"}},
		{"a group in the world", []string{"EU", "everywhere"}, nil},
		{"British areas and districts", []string{"GB BT", "GB BT1, GB IM"}, []string{"b crosses a at GB BT10AA"}},
		{"a district is not its longer neighbour", []string{"GB IM1", "GB IM10"}, nil},
		// without a list nobody knows
		{"a region and codes that reach out of it", []string{"FI-01", "FI 22* , FI 23*"}, nil},
	} {
		assert.Equal(t, c.want, said(zones(t, nil, c.zones...).Summary()), c.name)
	}
}

func TestListsTellHowRegionsAndCodesLie(t *testing.T) {
	g, _, err := gazetteer.Read(
		strings.NewReader(
			"FI\t22100\tMariehamn\tÅland\t01\t\t\t\t\t60.1\t19.93\n" +
				"FI\t22200\tJomala\tÅland\t01\n" +
				"FI\t23500\tUusikaupunki\tSouthwest Finland\t19\t\t\t\t\t60.8\t21.4\n",
		),
	)
	require.NoError(t, err)
	m := zones(t, g, "FI-01", "FI 221*, FI 23*", "within 10 km of 60.1 19.9")
	assert.Equal(
		t,
		[]string{"b crosses a at 22100", "c crosses a at 22100", "c crosses b at 22100"},
		said(m.Summary())[:3],
	)
	assert.Equal(
		t,
		[]RegionShare{{"FI", "FI-01", 1, 2}},
		m.Summary().Shares[0].Regions,
		"one of its two codes: the other is in the circle",
	)
}

func TestAPinnedZoneIsNoTie(t *testing.T) {
	m := zones(t, nil, "FI 22*", "FI 22*")
	m.Tie = func(a, b place.Match) bool { return false }
	assert.Equal(t, []string{"a hides b at 22000"}, said(m.Summary()))
}

// A zone that takes its country and a range of it ties with another where the range does, though it takes all its
// codes.
func TestATieWithinACountryThatIsTaken(t *testing.T) {
	assert.Equal(t, []string{"a ties b at IS 086"}, said(zones(t, nil, "IS 0*", "IS 086 to 185, Iceland").Summary()))
}

func TestSharesOfCountries(t *testing.T) {
	s := zones(t, nil, "Finland", "EE, LV", "EU", "everywhere, not RU").Summary()
	assert.Equal(
		t,
		[]int{1, 2, 24},
		[]int{s.Shares[0].Countries, s.Shares[1].Countries, s.Shares[2].Countries},
		"27 countries are in the EU, CLDR 48",
	)
	assert.Equal(t, map[int]int{2: 2}, s.Shares[1].CountryOf)
}

// Iceland's codes have three digits: what is told is compared with all thousand of them, and the country by itself.
func TestOverlapsAgainstEveryCode(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		entry := rapid.OneOf(
			rapid.StringMatching(`IS [0-9]{1,2}\*`),
			rapid.StringMatching(`IS [0-9]{3}`),
			rapid.StringMatching(`not IS [0-9]{1,2}\*`),
			rapid.Just("Iceland"),
			rapid.Custom(func(t *rapid.T) string {
				from := rapid.IntRange(0, 900).Draw(t, "from")
				return fmt.Sprintf("IS %03d to %03d", from, from+rapid.IntRange(1, 99).Draw(t, "more"))
			}),
		)
		var typed []string
		for range rapid.IntRange(2, 3).Draw(t, "zones") {
			typed = append(typed, strings.Join(rapid.SliceOfN(entry, 1, 3).Draw(t, "zone"), ", "))
		}
		m := zones(t, nil, typed...)
		n := len(typed)
		only, both, tied, first := make([][3]int, n), map[[2]int]int{}, map[[2]int]bool{}, make([]bool, n)
		look := func(a place.Address) {
			resolved := a.Resolve(nil)
			matches := m.Match(&resolved, nil)
			for i, x := range matches {
				only[x.Owner][0]++
				first[x.Owner] = first[x.Owner] || i == 0
				for _, y := range matches[i+1:] {
					key := [2]int{min(x.Owner, y.Owner), max(x.Owner, y.Owner)}
					both[key]++
					tied[key] = tied[key] || m.Tie(x, y)
				}
			}
		}
		look(place.Address{Country: "IS"})
		for code := range 1000 {
			look(place.Address{Country: "IS", Postcode: fmt.Sprintf("%03d", code)})
		}
		want := map[[2]int]Kind{}
		for key, count := range both {
			a, b := only[key[0]][0] > count, only[key[1]][0] > count
			switch {
			case tied[key]:
				want[key] = Ties
			case a && b:
				want[key] = Crosses
			case !a && !first[key[0]] || !b && !first[key[1]]:
				want[key] = Hides
			}
		}
		got := map[[2]int]Kind{}
		for _, o := range m.Summary().Overlaps {
			got[[2]int{min(o.Zone, o.Other), max(o.Zone, o.Other)}] = o.Kind
			resolved := o.At.Resolve(nil)
			matches := m.Match(&resolved, nil)
			at := map[int]int{}
			for i, x := range matches {
				at[x.Owner] = i + 1
			}
			assert.Positive(t, at[o.Zone], "the address is in both")
			assert.Greater(t, at[o.Other], at[o.Zone], "and goes where it is said to go")
		}
		for key, kind := range want {
			if kind == Hides { // a zone may be hidden by several together, which is no overlap of two
				continue
			}
			assert.Equal(t, kind, got[key], "%v: %v", typed, key)
		}
		for key, kind := range got {
			assert.Equal(t, want[key], kind, "%v: %v", typed, key)
		}
	})
}

func TestCellsOfCountriesWithLetters(t *testing.T) {
	cells := func(l *Line) (list []string) {
		for _, c := range l.Cells {
			list = append(list, c.Text)
		}
		return list
	}
	paint := func(l *Line) (list []string) {
		for _, s := range l.Stretches {
			text := s.Entry
			for _, z := range s.Zones {
				text += " " + string(rune('a'+z.Owner))
			}
			list = append(list, text)
		}
		return list
	}
	m := zones(t, nil, "GB BT", "GB BT2 to BT3, GB EC1A", "United Kingdom", "CA M5*, CA M5V 2T6", "CA")
	l := m.Line("GB", "")
	assert.Equal(t, []string{"BT", "EC", "all others"}, cells(l))
	assert.Equal(t, []string{"BT a c", "BT2 to BT3 b a c", "EC c", "EC1A b c", " c"}, paint(l)[:5:5])
	assert.Equal(t, []string{"BT1", "BT2", "BT3", "all others"}, cells(m.Line("GB", "BT")))
	l = m.Line("CA", "")
	assert.Equal(
		t,
		strings.Split("ABCEGHJKLMNPRSTVXY", ""),
		cells(l),
		"the first letters that Canada has, postal-codes-js",
	)
	assert.Equal(t, "A* e", paint(l)[0])
	assert.Contains(t, paint(m.Line("CA", "M")), "M5* d e")
	next := uint64(0)
	for _, s := range l.Stretches {
		assert.Equal(t, next, s.From, "the stretches leave nothing out")
		next = s.To + 1
	}
	assert.Equal(t, l.Last+1, next)
	i := l.At(l.Cells[3].From)
	assert.Equal(t, l.Cells[3].From, l.Stretches[i].From)
}
