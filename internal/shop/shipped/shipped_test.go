package shipped

import (
	"slices"
	"strings"
	"testing"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/typed"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestListsThatComeWithTheProgram(t *testing.T) {
	for _, c := range []struct {
		country, code, name, region string
		places                      int     // at least
		located                     float64 // share of places with a point, at least
	}{
		{"FI", "21100", "Naantali", "FI-19", 3000, 0.9},
		{"US", "10001", "New York", "US-NY", 42000, 0.98},
		{"FR", "13001", "Marseille 1er Arrondissement", "FR-13", 35000, 0.8},
		{"FR", "97400", "Saint-Denis", "FR-974", 35000, 0.8},
		{"AU", "0870", "Alice Springs", "AU-NT", 18000, 0.99},
		{"NO", "0150", "Oslo", "", 5000, 0.55},
		{"HK", "", "Aberdeen", "", 300, 1},
		{"AE", "", "Dubai", "AE-DU", 100, 1},
	} {
		_, r, ok := Open(c.country)
		require.True(t, ok, c.country)
		g, skipped, err := gazetteer.Read(r)
		require.NoError(t, err)
		assert.Empty(t, skipped, c.country)
		assert.GreaterOrEqual(t, g.Len(), c.places, c.country)
		located := 0
		for i := range g.Len() {
			if g.At(int32(i)).Located {
				located++
			}
		}
		assert.GreaterOrEqual(t, float64(located)/float64(g.Len()), c.located, c.country)
		places := g.Named(c.country, c.name)
		if c.code != "" {
			places = g.Postcode(c.country, postcode.Read(c.country, c.code))
		}
		require.NotEmpty(t, places, c.country)
		assert.Equal(t, []string{c.name, c.region}, []string{places[0].Name, places[0].Region}, c.country)
		_, ok = g.Locate(c.country, postcode.Read(c.country, c.code), c.name)
		assert.True(t, ok, c.country)
	}
	_, _, ok := Open("DE")
	assert.False(t, ok, "Germany has postcodes, and no list of them comes with the program")
	_, _, ok = Open("XX")
	assert.False(t, ok)
}

// The mainlands that are known by name have the codes that the open lists give to no island and no territory.
func TestMainlandsAgreeWithTheLists(t *testing.T) {
	for name, apart := range map[string]func(*gazetteer.Place) bool{
		"mainland Finland": func(p *gazetteer.Place) bool { return p.Region == "FI-01" },
		"mainland France": func(p *gazetteer.Place) bool {
			return p.Region == "FR-2A" || p.Region == "FR-2B" || strings.HasPrefix(p.Postcode, "97") ||
				strings.HasPrefix(p.Postcode, "98")
		},
		"mainland Norway": func(p *gazetteer.Place) bool {
			return slices.Contains([]string{"Longyearbyen", "Ny-Ålesund", "Barentsburg", "Bjørnøya", "Hopen",
				"Sveagruva",
				"Jan Mayen", "Pyramiden"}, p.Name)
		},
		"contiguous United States": func(p *gazetteer.Place) bool {
			return p.Region == "US-AK" || p.Region == "US-HI" || p.Region == ""
		},
	} {
		got := typed.Reader{}.Text(name)
		require.Len(t, got.Places, 1, name)
		rule := &got.Places[0]
		_, r, ok := Open(rule.Country)
		require.True(t, ok)
		g, _, err := gazetteer.Read(r)
		require.NoError(t, err)
		islands := 0
		for i := range g.Len() {
			p := g.At(int32(i))
			if p.Country != rule.Country {
				continue
			}
			takes := slices.ContainsFunc(rule.Postcodes, func(e postcode.Entry) bool {
				return e.Takes(postcode.Read(p.Country, p.Postcode))
			})
			if apart(p) {
				islands++
			}
			assert.Equal(t, !apart(p), takes, "%s: %s %s %s", name, p.Postcode, p.Name, p.Region)
		}
		assert.Positive(t, islands, name)
	}
}
