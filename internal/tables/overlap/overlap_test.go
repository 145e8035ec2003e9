package overlap

import (
	"fmt"
	"strings"
	"testing"

	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// zones reads "DE; FR 20*|DE 20000 to 25999": the places of each zone.
func zones(t require.TestingT, text string) (list []store.Zone) {
	for _, one := range strings.Split(text, "|") {
		z := store.Zone{ID: fmt.Sprint("z", len(list)), Enabled: true}
		for _, text := range strings.Split(one, "; ") {
			country, code, ok := strings.Cut(text, " ")
			r := place.Rule{Country: country}
			switch {
			case text == "EU":
				r = place.Rule{Group: "EU"}
			case ok:
				e, err := postcode.ParseEntry(country, code)
				require.NoError(t, err)
				r.Postcodes = append(r.Postcodes, e)
			}
			z.Places = append(z.Places, r)
		}
		list = append(list, z)
	}
	return list
}

// The narrowest place decides (docs/model.md, "Which zone is narrower"); where none is narrower, it is asked.
func TestPlacesInTwoZones(t *testing.T) {
	for _, c := range []struct{ zones, want string }{
		{"DE|FR", ""},
		{"DE|DE", "0 1 Germany"},
		{"DE; FR|AT; FR|FR", "0 1 France|0 2 France"},
		{"EU|DE", ""},
		{"DE|DE 20*", ""},
		{"DE 2*|DE 20000 to 25999", ""},
		{"DE 20000 to 29999|DE 29*", ""},
		{"DE 2*|DE 20000 to 29999", "0 1 DE 2*"},
		{"DE 20000 to 25999|DE 24000 to 29999", "0 1 DE 20000 to 25999"},
		{"DE 20095|DE 20095", "0 1 DE 20095"},
		{"GB BT|GB BT1 to BT9", ""},
		{"GB BT1 to BT9|GB BT5 to BT17", "0 1 GB BT1 to BT9"},
		{"DE 20*; DE 21*|DE 20*", "0 1 DE 20*"},
	} {
		list := zones(t, c.zones)
		var got []string
		for _, p := range Find(list) {
			got = append(got, fmt.Sprint(p.First, " ", p.Second, " ", p.Place))
		}
		assert.Equal(t, c.want, strings.Join(got, "|"), c.zones)
	}
	two := zones(t, "DE|DE")
	rank := int64(1)
	two[1].Rank = &rank
	assert.Empty(t, Find(two), "a pinned zone decides")
	two[1].Rank, two[1].Enabled = nil, false
	assert.Empty(t, Find(two), "a zone that is switched off takes nothing")
}

// Two zones of codes are told exactly where a code lies in both and the narrowest entries that take it have the same
// number of codes, or their entries cross: counted out for each code of a country with three digits (FO, Faroe Islands).
func TestEveryCodeIsDecidedOrTold(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var lists [2][]postcode.Entry
		list := make([]store.Zone, 2)
		for z := range list {
			r := place.Rule{Country: "FO"}
			for range rapid.IntRange(1, 3).Draw(t, "entries") {
				from := rapid.IntRange(100, 999).Draw(t, "from")
				text := fmt.Sprint(from)
				switch rapid.IntRange(0, 2).Draw(t, "kind") {
				case 0:
					text = fmt.Sprintf("%d to %d", from, min(999, from+rapid.IntRange(1, 120).Draw(t, "more")))
				case 1:
					text = text[:2] + "*"
				}
				e, err := postcode.ParseEntry("FO", text)
				if err != nil {
					continue
				}
				r.Postcodes, lists[z] = append(r.Postcodes, e), append(lists[z], e)
			}
			list[z] = store.Zone{Enabled: true, Places: []place.Rule{r}}
		}
		undecided := false
		for _, a := range lists[0] {
			for _, b := range lists[1] {
				both, onlyA, onlyB := 0, 0, 0
				for n := 100; n <= 999; n++ {
					c := postcode.Read("FO", fmt.Sprint(n))
					in := func(e postcode.Entry) bool {
						lo, hi := e.Span()
						return lo <= c.Key && c.Key <= hi && e.Takes(c)
					}
					switch {
					case in(a) && in(b):
						both++
					case in(a):
						onlyA++
					case in(b):
						onlyB++
					}
				}
				undecided = undecided || both > 0 && (onlyA > 0) == (onlyB > 0)
			}
		}
		assert.Equal(t, undecided, len(Find(list)) > 0)
	})
}
