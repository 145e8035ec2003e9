package place

import (
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/postcode"

	"github.com/paulmach/orb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func area(t *testing.T, geometry string) Rule {
	t.Helper()
	a, err := ParseArea([]byte(geometry))
	require.NoError(t, err)
	return Rule{Area: a}
}

func codes(t *testing.T, country string, entries ...string) Rule {
	t.Helper()
	r := Rule{Country: country}
	for _, e := range entries {
		entry, err := postcode.ParseEntry(country, e)
		require.NoError(t, err)
		r.Postcodes = append(r.Postcodes, entry)
	}
	return r
}

func at(lon, lat float64) Resolved { return Resolved{Country: "FI", Point: &orb.Point{lon, lat}} }

func owners(x *Index, a Resolved) (out []int) {
	for _, m := range x.Match(&a, nil) {
		out = append(out, m.Owner)
	}
	return out
}

const square = `{"type":"Polygon","coordinates":[[[22,60],[24,60],[24,62],[22,62],[22,60]],[[22.5,60.5],[23,60.5],[23,
		61],[22.5,61],[22.5,60.5]]]}`

func TestAreasWithHolesAndSeveralParts(t *testing.T) {
	two := `{"type":"MultiPolygon","coordinates":[[[[22,60],[23,60],[23,60.4],[22,60]]],[[[-180,-17],[-179,-17],[-179,
		-16],[-180,-16],[-180,-17]]]]}`
	x := NewIndex(
		[]Owner{{Places: []Rule{area(t, square)}}, {Places: []Rule{area(t, two)}}, {Places: []Rule{{World: true}}}},
	)
	assert.Equal(t, []int{0, 2}, owners(x, at(22.1, 61.5)))
	assert.Equal(t, []int{2}, owners(x, at(22.7, 60.7)), "in the hole")
	assert.Equal(t, []int{1, 0, 2}, owners(x, at(22.9, 60.2)), "the smaller area first")
	assert.Equal(t, []int{1, 2}, owners(x, at(-179.5, -16.5)))
	assert.Equal(t, []int{2}, owners(x, Resolved{Country: "FI"}), "without a point no area takes an address")
}

func TestAreasThatCannotBe(t *testing.T) {
	for _, g := range []string{
		`{"type":"Polygon","coordinates":[[[0,0],[2,2],[2,0],[0,2],[0,0]]]}`,              // crosses itself
		`{"type":"Polygon","coordinates":[[[0,0],[2,0],[1,0],[1,1],[0,0]]]}`,              // folds back on itself
		`{"type":"Polygon","coordinates":[[[0,0],[2,0],[2,2],[0,2]]]}`,                    // not closed
		`{"type":"Polygon","coordinates":[[[0,0],[2,0],[0,0]]]}`,                          // too few points
		`{"type":"Polygon","coordinates":[]}`, `{"type":"MultiPolygon","coordinates":[]}`, // nothing
		`{"type":"Polygon","coordinates":[[[0,0],[200,0],[2,2],[0,2],[0,0]]]}`, // no longitude
		`{"type":"LineString","coordinates":[[0,0],[1,1]]}`, `{"type":"Polygon"}`, `"x"`, `{}`,
		`{"type":"Polygon","coordinates":[[[0,0],[4,0],[4,4],[2,0],[0,4],[0,0]]]}`, // touches itself
	} {
		_, err := ParseArea([]byte(g))
		assert.Error(t, err, g)
	}
}

func TestCirclesTakeUpToTheirRadius(t *testing.T) {
	circle := func(km string) Rule {
		w := &Within{Distance: decimal.MustParse(km), Metres: MetresPerKilometre, Name: "Workshop"}
		w.SetPoint(orb.Point{22.0260, 60.4674})
		return Rule{Within: w}
	}
	turku := at(22.2666, 60.4518) // 13.352 km by GeodSolve, to the metre
	x := NewIndex(
		[]Owner{
			{Places: []Rule{circle("13.352")}},
			{Places: []Rule{circle("13.351")}},
			{Places: []Rule{circle("20")}},
			{Places: []Rule{{Within: &Within{Location: "lost"}}}},
		},
	)
	assert.Equal(t, []int{0, 2}, owners(x, turku))
	assert.Equal(t, "within 20 km of Workshop", x.Match(&turku, nil)[1].Because())
	pole := &Within{Distance: decimal.MustParse("300"), Metres: MetresPerMile}
	pole.SetPoint(orb.Point{0, 89})
	x = NewIndex([]Owner{{Places: []Rule{{Within: pole}}}})
	assert.Equal(t, []int{0}, owners(x, at(180, 88)), "over the pole")
	fiji := &Within{Distance: decimal.MustParse("100"), Metres: MetresPerKilometre}
	fiji.SetPoint(orb.Point{179.9, -17})
	x = NewIndex([]Owner{{Places: []Rule{{Within: fiji}}}})
	assert.Equal(t, []int{0}, owners(x, at(-179.9, -17)), "across the antimeridian")
}

func TestARuleThatNamesMoreNeedsAllOfIt(t *testing.T) {
	x := NewIndex([]Owner{
		{Places: []Rule{{Country: "US", Region: "US-IL", City: "Springfield"}}},
		{Places: []Rule{func() Rule { r := area(t, square); r.Country = "SE"; return r }()}},
		{Places: []Rule{{Country: "US", Region: "US-IL"}}},
	})
	assert.Equal(
		t,
		[]int{0, 2},
		owners(x, Resolved{Country: "US", Regions: []string{"US-IL"}, Cities: []string{"springfield"}}),
	)
	assert.Empty(t, owners(x, Resolved{Country: "US", Regions: []string{"US-MO"}, Cities: []string{"springfield"}}))
	assert.Empty(t, owners(x, at(22.1, 61.5)), "in the area but not in that country")
}

func TestLevelsFromNarrowToWide(t *testing.T) {
	a := Address{Country: "FI", Region: "19", City: "NÅDENDAL", Postcode: "21100"}.Resolve(nil)
	a.Point = &orb.Point{22.1, 61.5}
	rules := []Rule{
		{World: true},
		{Group: "150"},
		{Group: "EU"},
		{Country: "FI"},
		{Country: "FI", Region: "FI-19"},
		{Country: "FI", City: "nadendal"},
		codes(t, "FI", "2*"),
		codes(t, "FI", "21*", "99999"),
		codes(t, "FI", "21100"),
		area(t, square),
	}
	var list []Owner
	for _, r := range rules {
		list = append(list, Owner{Places: []Rule{r}})
	}
	assert.Equal(t, []int{9, 8, 7, 6, 5, 4, 3, 2, 1, 0}, owners(NewIndex(list), a))
}

func TestARegionTakesWhatIsPartOfIt(t *testing.T) {
	x := NewIndex([]Owner{{Places: []Rule{{Country: "FR", Region: "FR-IDF"}}}})
	assert.Equal(t, []int{0}, owners(x, Address{Country: "FR", Region: "FR-75"}.Resolve(nil)))
	assert.Empty(t, owners(x, Address{Country: "FR", Region: "FR-13"}.Resolve(nil)))
	assert.Empty(
		t,
		owners(x, Address{Country: "FR", Region: "nowhere"}.Resolve(nil)),
		"a region that nobody knows is passed over",
	)
}

func TestManyEntriesAreFoundByTheirSpans(t *testing.T) {
	r := codes(t, "FI", "10000 to 19999", "15*", "15000 to 15010", "00100", "99999")
	for i := range 500 {
		r.Postcodes = append(r.Postcodes, codes(t, "FI", decimal.FromInt(int64(30000+i*7)).String()).Postcodes...)
	}
	x := NewIndex([]Owner{{Places: []Rule{r}}})
	for code, because := range map[string]string{"15005": "15000 to 15010", "15500": "15*", "19999": "10000 to 19999",
		"00100": "00100", "30007": "30007"} {
		a := Address{Country: "FI", Postcode: code}.Resolve(nil)
		matches := x.Match(&a, nil)
		require.Len(t, matches, 1, code)
		assert.Equal(t, "postcode FI "+because, matches[0].Because())
	}
	assert.Empty(t, owners(x, Address{Country: "FI", Postcode: "30008"}.Resolve(nil)))
	assert.Empty(t, owners(x, Address{Country: "SE", Postcode: "15005"}.Resolve(nil)))
}
