package standin

import (
	"io"
	"net/http/httptest"
	"os"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/geodesic"
	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/outside/addresses"
	"diadrom/internal/outside/roads"

	"github.com/paulmach/orb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func finland(t *testing.T) *gazetteer.Gazetteer {
	t.Helper()
	f, err := os.Open("../../shop/shipped/data/gazetteer-fi.tsv")
	require.NoError(t, err)
	defer f.Close()
	g, _, err := gazetteer.Read(f)
	require.NoError(t, err)
	return g
}

func TestRoadsAreWays(t *testing.T) {
	r, again := NewRoads(finland(t)), NewRoads(finland(t))
	draw := func(t *rapid.T, name string) orb.Point {
		return orb.Point{rapid.Float64Range(20.5, 30).Draw(t, name), rapid.Float64Range(60, 69).Draw(t, name)}
	}
	rapid.Check(t, func(t *rapid.T) {
		a, b := draw(t, "a"), draw(t, "b")
		there, ok := r.Metres(a, b)
		back, known := r.Metres(b, a)
		require.Equal(t, ok, known)
		if !ok {
			return
		}
		assert.InDelta(t, there, back, 0.11, "as long there as back, but for rounding up to a decimetre")
		assert.GreaterOrEqual(t, there, geodesic.Distance(a.Lat(), a.Lon(), b.Lat(), b.Lon()))
		same, _ := again.Metres(a, b)
		assert.Equal(t, there, same, "the same list makes the same roads")
	})
	_, ok := r.Metres(orb.Point{22, 60.5}, orb.Point{-120, 40})
	assert.False(t, ok, "there is no road to another continent")
	zero, ok := r.Metres(orb.Point{22, 60.5}, orb.Point{22, 60.5})
	assert.True(t, ok && zero == 0)
}

// The client speaks with the stand-in over HTTP as it would with the service.
func TestTheRoadClientAsksTheStandIn(t *testing.T) {
	r := NewRoads(finland(t))
	s := httptest.NewServer(Misbehave{}.Handler(r))
	defer s.Close()
	from := []orb.Point{{22.026, 60.4674}, {22.2661, 60.4492}, {-120, 40}}
	metres, why := roads.New(s.URL, true).Metres(from, orb.Point{22.15, 60.5})
	require.Equal(t, roads.NoWay, why)
	for i := range 2 {
		want, _ := r.Metres(from[i], orb.Point{22.15, 60.5})
		assert.InDelta(t, want, metres[i].Float64(), 1e-9)
	}
	assert.Nil(t, metres[2])
	for path, says := range map[string]string{
		"/table/v1/driving/22,60;x,60": "InvalidUrl", "/route/v1/driving/22,60;23,60": "InvalidUrl",
		"/table/v1/driving/22,60;23,60?sources=7":                 "InvalidOptions",
		"/table/v1/driving/22,60;23,60?annotations=duration":      "InvalidOptions",
		"/table/v1/driving/22,60" + strings.Repeat(";22,60", 100): "TooBig",
	} {
		answer, err := s.Client().Get(s.URL + path)
		require.NoError(t, err)
		body, _ := io.ReadAll(answer.Body)
		answer.Body.Close()
		assert.Equal(t, 400, answer.StatusCode)
		assert.Contains(t, string(body), says)
	}
}

func TestTheAddressClientAsksTheStandIn(t *testing.T) {
	g := finland(t)
	s := httptest.NewServer(Misbehave{}.Handler(NewAddresses(g)))
	defer s.Close()
	c := addresses.New(s.URL, true, func(country string, p orb.Point) bool { return country == "FI" && p.Lat() > 59 })
	turku := place.Address{Country: "FI", Postcode: "20100", City: "Turku", Street: "Satamatie 4"}
	at, failure := c.Locate(&turku)
	require.Empty(t, failure)
	middle, _ := g.Locate("FI", postcode.Read("FI", "20100"), "Turku")
	off := geodesic.Distance(at.Lat(), at.Lon(), middle.Lat, middle.Lon)
	assert.True(t, off > 50 && off < 2000, off)
	again, _ := c.Locate(&place.Address{Country: "FI", Postcode: "20100", City: "Turku", Street: " Satamatie  4 "})
	assert.Equal(t, at, again, "spaces do not matter")
	next, _ := c.Locate(&place.Address{Country: "FI", Postcode: "20100", City: "Turku", Street: "Satamatie 6"})
	assert.InDelta(t, 2*betweenHouses, geodesic.Distance(at.Lat(), at.Lon(), next.Lat(), next.Lon()), 0.5)
	unknown, failure := c.Locate(&place.Address{Country: "SE", Postcode: "11122", Street: "Gatan 1"})
	assert.Nil(t, unknown)
	assert.Empty(t, failure, "what a service does not know is no failure")
}

func TestMisbehaviour(t *testing.T) {
	r := NewRoads(finland(t))
	for says, bad := range map[string]Misbehave{
		"status 500": {Fail: true}, "form that was expected": {Nonsense: true}, "within 1 s": {Slow: 3 * time.Second},
	} {
		s := httptest.NewServer(bad.Handler(r))
		_, why := roads.New(s.URL, true).Metres([]orb.Point{{22.026, 60.4674}}, orb.Point{22.15, 60.5})
		assert.Contains(t, why, says)
		s.CloseClientConnections()
		s.Close()
	}
}
