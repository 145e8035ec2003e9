package ground

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"

	"github.com/paulmach/orb"
	"github.com/paulmach/orb/maptile"
	"github.com/peterstace/simplefeatures/geom"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// list is a made-up list of places on a grid round Naantali, 0.1° apart.
func list(t testing.TB) *gazetteer.Gazetteer {
	t.Helper()
	var b strings.Builder
	for i := range 10 {
		for j := range 10 {
			fmt.Fprintf(&b, "FI\t%05d\tTown %d\tSouthwest Finland\t19\tTown %d\t\t\t\t%.2f\t%.2f\t4\n", 21000+10*i+j, i,
				i,
				60.05+float64(i)/10, 21.55+float64(j)/10)
		}
	}
	g, skipped, err := gazetteer.Read(strings.NewReader(b.String()))
	require.NoError(t, err)
	require.Empty(t, skipped)
	return g
}

func engine(t testing.TB, g *gazetteer.Gazetteer, zones string) *quote.Engine {
	t.Helper()
	f, faults := store.Read([]byte(`{"format":"diadrom-store/1","store":{"currency":"EUR"},"locations":[{"id":"w",
		"country":"FI","lat":"60.4674","lon":"22.0260","ships_from":true}],"zones":[` + zones + `]}`))
	require.Empty(t, faults)
	return quote.Compile(f, g)
}

func area(t testing.TB, points ...orb.Point) *place.Area {
	t.Helper()
	a, err := place.NewArea(orb.MultiPolygon{{append(orb.Ring(points), points[0])}})
	require.NoError(t, err)
	return a
}

const finland = `{"id":"fi","name":"Finland","places":[{"country":"FI"}]}`

func TestWhatAShapeHasInItAndTakes(t *testing.T) {
	g := list(t)
	e := engine(t, g, `{"id":"near","name":"Near","places":[{"country":"FI","postcodes":["21000 to 21019"]}]},
		{"id":"dot","name":"Dot","places":[{"area":{"type":"Polygon","coordinates":[[[21.6,60.2],[21.7,60.2],[21.7,
		60.3],
		[21.6,60.3],[21.6,60.2]]]}}]},`+finland)
	m := Of(e, NewPlaces(g))
	// Three rows of three places: two of Near's, one of Finland's but for the dot's.
	rule := place.Rule{Area: area(t, orb.Point{21.5, 60}, orb.Point{21.8, 60}, orb.Point{21.8, 60.3},
		orb.Point{21.5, 60.3})}
	f := m.Facts(3, &rule, nil)
	assert.Equal(t, 9, f.Codes)
	assert.Equal(t, 3, f.Towns)
	assert.Equal(t, []Took{{0, 6}, {2, 2}}, f.Took, "from postcodes and from the country")
	assert.Equal(t, []Took{{1, 1}}, f.Lost, "the smaller area comes first")
	assert.Zero(t, f.New)
	assert.InDelta(t, 555, f.SquareKilometres, 2)
	assert.InDelta(t, 37_300, f.Extent, 300)

	own := e.Store().Zones[1].Places[0]
	f = m.Facts(1, &own, &own)
	assert.Equal(t, 1, f.Codes)
	assert.Equal(t, []Took{{2, 1}}, f.Took, "what it takes as it is, it takes from Finland")

	alone := engine(t, g, `{"id":"se","places":[{"country":"SE"}]}`)
	f = Of(alone, NewPlaces(g)).Facts(1, &rule, nil)
	assert.Equal(t, 9, f.New)

	w := place.Within{Distance: decimal.MustParse("12"), Metres: 1000}
	w.SetPoint(orb.Point{22.05, 60.45})
	circle := place.Rule{Within: &w}
	f = m.Facts(3, &circle, nil)
	assert.InDelta(t, 452.4, f.SquareKilometres, 1)
	assert.InDelta(t, 24_000, f.Extent, 1)
	inside := 0
	for i := range g.Len() {
		p := g.At(int32(i))
		to := e.Resolve(place.Address{Country: "FI", Postcode: p.Postcode})
		if len(place.NewIndex([]place.Owner{{Places: []place.Rule{circle}}}).Match(&to, nil)) > 0 {
			inside++
		}
	}
	assert.Equal(t, inside, f.Codes)
}

func TestTheNarrowestIsPaintedLast(t *testing.T) {
	g := list(t)
	e := engine(t, g, finland+`,{"id":"world","places":[{"world":true}]},{"id":"eu","places":[{"group":"EU"}]},
		{"id":"lapland","places":[{"country":"FI","region":"FI-10"}],"except":[{"country":"FI","postcodes":["96*"]},
		{"area":{"type":"Polygon","coordinates":[[[25,66],[26,66],[26,67],[25,66]]]}}]},
		{"id":"far","places":[{"within":{"location":"w","distance":"50"}}]},
		{"id":"near","places":[{"within":{"location":"w","distance":"5"}}]},
		{"id":"off","enabled":false,"places":[{"country":"SE"}]}`)
	m := Of(e, NewPlaces(g))
	var order []string
	for i := range m.Paints {
		order = append(order, e.Store().Zones[m.Paints[i].Zone].ID)
	}
	assert.Equal(t, []string{"world", "eu", "fi", "lapland", "far", "near"}, order)
	assert.Len(t, m.Paints[3].Except, 1, "of what is left out, codes are spots")
	assert.Len(t, m.In(orb.Bound{Min: orb.Point{21.9, 60.4}, Max: orb.Point{22.1, 60.5}}), 5, "Lapland is elsewhere")

	zones := map[string]int{}
	for _, s := range m.Thinned(16, orb.Bound{Min: orb.Point{-179, -80}, Max: orb.Point{179, 80}}) {
		to := e.Resolve(place.Address{Country: "FI", Postcode: s.Place.Postcode})
		assert.Equal(t, e.Zones(&to)[0].Owner, m.ZoneOf(&s))
		assert.Equal(t, m.ZoneOf(&s), m.ZoneOf(&s))
		assert.Equal(t, 10, s.Rank, "ten codes of one town")
		zones[e.Store().Zones[m.ZoneOf(&s)].ID]++
	}
	assert.Equal(t, 100, zones["near"]+zones["far"]+zones["fi"])
	assert.Positive(t, zones["near"])
}

// simplefeatures is another library for shapes: what lies where, and how large it is in the plane.
func TestShapesAgreeWithAnotherLibrary(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(3, 40).Draw(t, "corners")
		seed := rapid.Uint64().Draw(t, "seed")
		r := rand.New(rand.NewPCG(seed, 1))
		// A star round a middle never crosses itself.
		var outer, inner orb.Ring
		middle := orb.Point{22 + r.Float64(), 60 + r.Float64()/2}
		for i := range n {
			w := place.Within{Distance: decimal.FromFloat(5+20*r.Float64(), 3), Metres: 1000}
			w.SetPoint(middle)
			outer = append(outer, w.Ring(n)[i])
			w.Distance = decimal.FromFloat(1+3*r.Float64(), 3)
			inner = append(inner, w.Ring(n)[i])
		}
		outer, inner = append(outer, outer[0]), append(inner, inner[0])
		a, err := place.NewArea(orb.MultiPolygon{{outer, inner}})
		if err != nil {
			t.Skip("rounded corners touch")
		}
		raw, err := a.MarshalJSON()
		require.NoError(t, err)
		g, err := geom.UnmarshalGeoJSON(raw)
		require.NoError(t, err)
		for range 40 {
			p := orb.Point{middle[0] + (r.Float64()-0.5)*0.9, middle[1] + (r.Float64()-0.5)*0.45}
			point := geom.XY{X: p[0], Y: p[1]}.AsPoint().AsGeometry()
			assert.Equal(t, geom.Intersects(g, point), a.Contains(p), "%v", p)
		}
		// In metres on the ground, both areas are the same but for the shape of the Earth.
		flat := g.TransformXY(func(p geom.XY) geom.XY {
			return geom.XY{X: (p.X - middle[0]) * 55_800, Y: (p.Y - middle[1]) * 111_415}
		})
		assert.InEpsilon(t, flat.Area(), ShapeArea(a.Shape()), 0.03)
	})
}

func BenchmarkFacts(b *testing.B) {
	g := list(b)
	m := Of(engine(b, g, finland), NewPlaces(g))
	rule := place.Rule{Area: area(b, orb.Point{21.5, 60}, orb.Point{22.8, 60}, orb.Point{22.8, 60.9},
		orb.Point{21.5, 60.9})}
	for b.Loop() {
		m.Facts(1, &rule, nil)
	}
}

// Of the places that share a cell one is left, the same whether it is laid out beforehand or looked for, and of what is
// left at one zoom all that is left at the one before.
func TestPlacesThinOut(t *testing.T) {
	g := list(t)
	m := Of(engine(t, g, finland), NewPlaces(g))
	all := orb.Bound{Min: orb.Point{20, 59}, Max: orb.Point{24, 62}}
	finer := map[string]bool{}
	for z := maptile.Zoom(15); ; z-- {
		cells, here := map[[2]int32]bool{}, map[string]bool{}
		for _, s := range m.Thinned(z, all) {
			cell := cellOf(orb.Point{s.Place.Lon, s.Place.Lat}, z)
			assert.False(t, cells[cell], "two in one cell at zoom %d", z)
			cells[cell], here[s.Place.Postcode] = true, true
			assert.True(t, z == 15 || finer[s.Place.Postcode], "it comes back at zoom %d", z)
		}
		if z == 15 {
			assert.Len(t, here, 100)
		}
		finer = here
		if z == 0 {
			break
		}
	}
	assert.Len(t, finer, 1)
	assert.Empty(t, Of(engine(t, nil, finland), NewPlaces(nil)).Thinned(3, all))
}
