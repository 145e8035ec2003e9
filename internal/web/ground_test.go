package web

import (
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"diadrom/internal/core/atlas"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/demo"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/services"
	"diadrom/internal/web/signin"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// groundNow is what the map shows beside its tiles.
type groundNow struct {
	Land, Stamp string
	Places      []struct{ Name, Text string }
	Till        *struct {
		At   [2]float64
		Zone string
		Ways []struct {
			Text   string
			Counts bool
		}
	}
	Rings []struct {
		Edge [][2]float64
		Text string
	}
	Reach []struct {
		Row  int
		Text string
	}
	Marks  []struct{ Text string }
	Shapes []struct {
		Mark   string
		Areas  [][][][2]float64
		Radius float64
	}
	Near [][][2]float64
}

func (s *site) ground(query string) (g groundNow) {
	s.t.Helper()
	status, body := s.get("/map/now" + query)
	require.Equal(s.t, http.StatusOK, status)
	require.NoError(s.t, json.Unmarshal([]byte(body), &g))
	return g
}

// shape makes an edit of a zone's shapes and gives what stands there then.
func (s *site) shape(pairs ...string) groundNow {
	s.t.Helper()
	status, body := s.post("/map/shape", pairs...)
	require.Equal(s.t, http.StatusOK, status, body)
	zone := ""
	for i := 0; i < len(pairs); i += 2 {
		if pairs[i] == "zone" {
			zone = pairs[i+1]
		}
	}
	return s.ground("?zone=" + url.QueryEscape(zone))
}

func square(west, south, east, north float64) string {
	return fmt.Sprintf(`{"type":"Polygon","coordinates":[[[%[1]g,%[2]g],[%[3]g,%[2]g],[%[3]g,%[4]g],[%[1]g,%[4]g],
		[%[1]g,%[2]g]]]}`,
		west, south, east, north)
}

func TestTheTilesOfTheMap(t *testing.T) {
	s := lauha(t)
	g := s.ground("")
	status, body := s.get("/map/land/" + g.Land + "/7/71/36")
	require.Equal(t, http.StatusOK, status)
	var land struct {
		Land  [][2]any
		Lakes [][]int
	}
	require.NoError(t, json.Unmarshal([]byte(body), &land))
	assert.Equal(t, "FI", land.Land[0][0])
	status, body = s.get("/map/over/" + g.Stamp + "/7/71/36")
	require.Equal(t, http.StatusOK, status)
	var over struct {
		Paint []struct {
			Zone  int
			World bool
			In    []string
		}
		Spots [][5]any
	}
	require.NoError(t, json.Unmarshal([]byte(body), &over))
	assert.True(t, over.Paint[0].World, "the world is painted first")
	assert.NotEmpty(t, over.Spots)
	for _, path := range []string{"/map/land/other/7/71/36", "/map/land/" + g.Land + "/7/128/36",
		"/map/land/" + g.Land + "/99/1/1", "/map/land/" + g.Land + "/7/x/1", "/map/over/1-1/7/71/500"} {
		status, _ = s.get(path)
		assert.Equal(t, http.StatusNotFound, status, path)
	}
	status, _ = s.get("/map/over/0-0/7/71/36")
	assert.Equal(t, http.StatusOK, status, "of a draft that is no more: as it is now")

	// Spots on the edge of two tiles are the same in both.
	spots := func(x uint32) map[string]bool {
		_, body := s.get(fmt.Sprintf("/map/over/%s/9/%d/146", g.Stamp, x))
		var over struct{ Spots [][5]any }
		require.NoError(t, json.Unmarshal([]byte(body), &over))
		near := map[string]bool{}
		for _, spot := range over.Spots {
			if at := spot[0].(float64)/4 + float64(x)*256; math.Abs(at-float64(288*256)) < 60 {
				near[spot[4].(string)] = true
			}
		}
		return near
	}
	assert.Equal(t, spots(287), spots(288))
}

func TestTheTillAndPricesByDistanceOnTheMap(t *testing.T) {
	f, err := demo.Store()
	require.NoError(t, err)
	s := openedAs(t, f, true, Options{SignIn: signin.Options{Demo: true}, Asks: services.Options{Local: true}})
	s.post("/till/destination", "to", "60.4800 22.1000")
	g := s.ground("?method=van")
	require.NotNil(t, g.Till)
	assert.Equal(t, [2]float64{60.48, 22.1}, g.Till.At)
	assert.NotEmpty(t, g.Till.Zone)
	assert.True(t, g.Till.Ways[0].Counts)
	assert.Regexp(t, `^4\.\d+ km from Workshop$`, g.Till.Ways[0].Text)
	require.NotEmpty(t, g.Rings)
	assert.Equal(t, "up to 10 km: €9.00", g.Rings[0].Text)
	assert.Len(t, g.Rings[0].Edge, 121)
	assert.Empty(t, g.Reach)

	roads, _ := standIns(t)
	s.post("/shop/services/roads", "value", roads)
	s.post("/shop/distances", "field", "by", "value", "road")
	g = s.ground("?method=van")
	assert.Empty(t, g.Rings)
	require.Greater(t, len(g.Reach), 20)
	for _, r := range g.Reach {
		assert.Regexp(t, regexp.MustCompile(`^.+, [\d.]+ km by road from Workshop: (up to (10|40)|above 40) km: `),
			r.Text)
	}
	for _, w := range g.Till.Ways {
		assert.Contains(t, w.Text, "km by road from ")
	}
	assert.NotEmpty(t, s.ground("").Marks, "zones that cross are marked")
	_, body := s.post("/till/destination", "to", "22.1 60.48")
	holds(t, body, "is it 60.48 22.1?", "latitude stands before longitude")
	_, body = s.post("/till/destination", "to", "40.0 -40.0")
	holds(t, body, "lies in no country")
}

func TestShapesAreEdited(t *testing.T) {
	s := lauha(t)
	before := len(s.draft.State().File.Zones)
	g := s.shape("do", "new", "kind", "area", "zone", "van-round")
	require.Len(t, g.Shapes, 1)
	assert.Len(t, g.Shapes[0].Areas[0][0], 24, "a circle round the shop, of 24 corners")
	mark := g.Shapes[0].Mark
	_, body := s.post("/map/facts", "zone", "van-round", "mark", mark, "area", square(22, 60.4, 22.1, 60.5))
	holds(t, body, "km², ", "listed codes and", "takes ", " from Around Naantali")
	g = s.shape("do", "set", "zone", "van-round", "mark", mark, "area", square(22, 60.4, 22.1, 60.5))
	require.Len(t, g.Shapes, 1)
	status, body := s.post("/map/shape", "do", "set", "zone", "van-round", "mark", mark, "area",
		square(22, 60.4, 22.1, 60.6))
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "this shape was changed or removed meanwhile")

	// A neighbour that is snapped to one edge follows the corners of it.
	bent := `{"type":"Polygon","coordinates":[[[22,60.4],[22.1,60.4],[22.12,60.45],[22.1,60.5],[22,60.5],[22,60.4]]]}`
	g = s.shape("do", "set", "zone", "van-round", "mark", g.Shapes[0].Mark, "area", bent)
	status, body = s.post("/map/shape", "do", "add", "zone", "", "area", square(22.1, 60.4, 22.3, 60.5))
	require.Equal(t, http.StatusOK, status, body)
	holds(t, body, "It follows the edge of its neighbour: 1 corner added.")
	require.Len(t, s.draft.State().File.Zones, before+1)
	assert.Equal(t, "Area", s.draft.State().File.Zones[before].Name)
	near := s.ground("?zone=area")
	require.Len(t, near.Near, 1, "edges of van-round's, to snap to")
	assert.Len(t, near.Shapes[0].Areas[0][0], 5)

	g = s.shape("do", "copy", "zone", "area", "mark", near.Shapes[0].Mark, "to", "area")
	require.Len(t, g.Shapes, 2)
	g = s.shape("do", "replace", "zone", "area", "marks", g.Shapes[0].Mark+" "+g.Shapes[1].Mark,
		"areas", "["+square(22.1, 60.4, 22.3, 60.45)+","+square(22.1, 60.46, 22.3, 60.5)+","+
			square(22.4, 60.4, 22.5, 60.5)+"]")
	require.Len(t, g.Shapes, 3)
	g = s.shape("do", "remove", "zone", "area", "mark", g.Shapes[1].Mark)
	require.Len(t, g.Shapes, 2)

	g = s.shape("do", "new", "kind", "circle", "zone", "area")
	circle := g.Shapes[2]
	assert.Equal(t, 5000.0, circle.Radius)
	z := s.draft.State().File.Zone("area")
	assert.Equal(t, "workshop", edit.Shapes(z)[2].Rule.Within.Location)
	g = s.shape("do", "set", "zone", "area", "mark", circle.Mark, "metres", "7321.4567", "middle", "60.5 22.2")
	w := edit.Shapes(s.draft.State().File.Zone("area"))[2].Rule.Within
	assert.Equal(t, []string{"7.321", "60.5", "22.2", ""}, []string{w.Distance.String(), w.Lat.String(), w.Lon.String(),
		w.Location})

	// What else a rule names stays where its edges change.
	_, err := s.draft.Edit(t.Context(), func(f *store.File) error {
		f.Zone("area").Places[0].Country = "FI"
		return nil
	})
	require.NoError(t, err)
	g = s.ground("?zone=area")
	g = s.shape("do", "set", "zone", "area", "mark", g.Shapes[0].Mark, "area", square(22.1, 60.4, 22.31, 60.45))
	assert.Equal(t, "FI", s.draft.State().File.Zone("area").Places[0].Country)
	_, body = s.get("/map?zone=area&shape=" + g.Shapes[0].Mark)
	holds(t, body, "Area 1", "Corners as text", "60.4 22.1", "Join with")
	status, body = s.post("/undo")
	require.Equal(t, http.StatusOK, status, body)
}

func TestWhatCannotBeDrawnIsTold(t *testing.T) {
	s := lauha(t)
	var many strings.Builder
	for i := range 30_000 {
		angle := 2 * math.Pi * float64(i) / 30_000
		fmt.Fprintf(&many, "[%.5f,%.5f],", 22+math.Cos(angle), 60+math.Sin(angle)/2)
	}
	mark := s.shape("do", "new", "kind", "circle", "zone", "van-round").Shapes[0].Mark
	large := `{"type":"Polygon","coordinates":[[` + many.String() + `[23.00000,60.00000]]]}`
	for name, c := range map[string]struct {
		pairs []string
		says  string
	}{
		"nothing": {[]string{"do", "add", "area", ""}, "not a GeoJSON geometry"},
		"a line": {[]string{"do", "add", "area", `{"type":"LineString","coordinates":[[22,60],[23,
		61]]}`}, "Polygon or MultiPolygon"},
		"one that crosses": {[]string{"do", "add", "area", `{"type":"Polygon","coordinates":[[[22,60],[23,61],[23,
		60],[22,61],[22,60]]]}`}, "crosses itself near"},
		"on a line": {[]string{"do", "add", "area", `{"type":"Polygon","coordinates":[[[22,60],[22.5,60.5],
		[23,61],[22,60]]]}`}, "crosses itself near"},
		"too many corners": {[]string{"do", "add", "area", large}, "at most 20000 points"},
		"a hole outside": {[]string{"do", "points", "points", "60 22\n60 23\n61 23\n\nhole\n50 1\n50 2\n51 2"},
			"lies outside of it"},
		"a hole alone": {[]string{"do", "points", "points", "hole\n60 22\n60 23\n61 23"},
			"a hole comes after the area"},
		"a circle of 0":     {[]string{"do", "circle", "radius", "0", "middle", "60 22"}, "a circle of 0 km"},
		"a circle of all":   {[]string{"do", "circle", "radius", "50000", "middle", "60 22"}, "all round the Earth"},
		"a circle of words": {[]string{"do", "circle", "radius", "far", "middle", "60 22"}, `"far" is no radius`},
		"no middle":         {[]string{"do", "circle", "radius", "5", "middle", ""}, "is no point"},
		"off the Earth":     {[]string{"do", "circle", "radius", "5", "middle", "95 22"}, "did you mean 22 95?"},
		"a gone location":   {[]string{"do", "circle", "radius", "5", "location", "gone"}, "was removed meanwhile"},
		"nothing left":      {[]string{"do", "replace", "areas", "[]", "marks", "x"}, "nothing would be left"},
		"a shape of no zone": {[]string{"do", "remove", "zone", "gone", "mark", "x"},
			"the zone was removed meanwhile"},
		"a zone that is gone": {[]string{"do", "add", "zone", "gone", "area", square(22, 60, 23, 61)},
			"the zone was removed meanwhile"},
	} {
		t.Run(name, func(t *testing.T) {
			before := s.draft.State().Revision
			pairs := c.pairs
			if !strings.Contains(strings.Join(pairs, " "), "zone") {
				pairs = append(pairs, "zone", "")
			}
			if pairs[1] != "add" && pairs[1] != "remove" {
				pairs = append(pairs, "zone", "van-round", "mark", mark)
			}
			status, body := s.post("/map/shape", pairs...)
			assert.Equal(t, http.StatusUnprocessableEntity, status)
			holds(t, body, c.says)
			assert.Equal(t, before, s.draft.State().Revision)
		})
	}
	status, body := s.post("/map/shape", "do", "add", "area", strings.Repeat(" ", MaxBody)+square(22, 60, 23, 61))
	assert.Equal(t, http.StatusRequestEntityTooLarge, status)
	assert.Contains(t, body, "nothing was changed")

	// In a shop that has nothing yet.
	empty := opened(t, draft.Empty(), false)
	_, page := empty.get("/map")
	holds(t, page, "No zones yet.", "Draw by hand")
	assert.NotContains(t, page, "Area round the shop")
	status, body = empty.post("/map/shape", "do", "new", "kind", "circle", "zone", "")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "Add a place of the shop with a known postcode first")
	g := empty.shape("do", "add", "zone", "", "area", square(22, 60, 23, 61))
	assert.Nil(t, g.Till)
	assert.Len(t, empty.draft.State().File.Zones, 1)
}

// A file of areas is larger than other forms; one that seems to have latitude first is asked about.
func TestFilesOfAreas(t *testing.T) {
	s := lauha(t)
	feature := func(ring string) string {
		return `{"type":"Feature","properties":{"name":"The bay"},"geometry":{"type":"Polygon","coordinates":[[` +
			ring + `]]}}`
	}
	status, body := s.send("/zones/areas", "swapped.geojson",
		feature("[60.40,22.00],[60.40,22.20],[60.55,22.20],[60.40,22.00]"))
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "Does latitude stand first in this file?", "Import as they are")
	path := regexp.MustCompile(`/zones/areas/\d+`).FindString(body)
	_, body = s.get(path + "?turned=yes")
	holds(t, body, "latitude was read as the first number", "The bay", `name="turned"`)
	status, _ = s.post(path, "turned", "yes")
	require.Equal(t, http.StatusOK, status)
	assert.Equal(t, 22.2, edit.Shapes(s.draft.State().File.Zone("the-bay"))[0].Rule.Area.Shape().Bound().Max.Lon())

	_, body = s.send("/zones/areas", "crossing.geojson", feature("[22,60],[23,61],[23,60],[22,61],[22,60]"))
	holds(t, body, "crosses itself near", "Show on the map", `/map?lat=6`)
	_, body = s.get("/map?lat=60.5&lon=22.5")
	holds(t, body, `data-at="60.5 22.5"`)
	lines := `{"type":"FeatureCollection","features":[` + strings.Repeat(`{"type":"Feature","properties":{},"geometry":
		{"type":"LineString","coordinates":[[22,60],[23,61]]}},`, 9_999)
	_, body = s.send("/zones/areas", "lines.geojson", strings.TrimSuffix(lines, ",")+"]}")
	holds(t, body, "a LineString has no area", "And 9799 more.")
	_, body = s.send("/zones/areas", "huge.geojson", `{"type":"FeatureCollection","x":"`+strings.Repeat("x", 33<<20)+
		`"}`)
	holds(t, body, "has at most 32 MB; huge.geojson has more, and nothing was changed")
}

func TestTilesOfTheShopsOwnChoice(t *testing.T) {
	s := lauha(t)
	policy := func() string {
		resp, err := s.client.Get(s.URL + "/map")
		require.NoError(t, err)
		resp.Body.Close()
		return resp.Header.Get("Content-Security-Policy")
	}
	assert.Contains(t, policy(), "img-src 'self' data:;")
	status, body := s.post("/shop/services/tiles", "value", "https://tiles.example:8443/{z}/{x}/{y}.png")
	require.Equal(t, http.StatusOK, status, body)
	s.post("/shop/services/tiles_credit", "value", "© Made-up maps")
	assert.Contains(t, policy(), "img-src 'self' data: https://tiles.example:8443;")
	_, body = s.get("/map/now")
	holds(t, body, `"url":"https://tiles.example:8443/{z}/{x}/{y}.png","credit":"© Made-up maps"`)
	s.post("/shop/services/tiles", "value", "")
	assert.Contains(t, policy(), "img-src 'self' data:;")
	assert.NotEmpty(t, atlas.Version)
}

// A circle round a place of the shop that only the lists of places know is chosen, drawn and measured as others are.
func TestACircleRoundAPlaceThatTheListsKnow(t *testing.T) {
	s := lauha(t)
	s.post("/shop/places/workshop", "field", "point", "value", "")
	s.shape("do", "new", "kind", "area", "zone", "van-round")
	status, body := s.post("/map/shape", "do", "new", "kind", "circle", "zone", "van-round")
	require.Equal(t, http.StatusOK, status)
	holds(t, body, `id="circle-radius"`, "78.5 km², 10.0 km at its widest")
	g := s.ground("?zone=van-round")
	require.Len(t, g.Shapes, 2)
	assert.Equal(t, 5000.0, g.Shapes[1].Radius)
	status, body = s.post("/map/shape", "do", "circle", "zone", "van-round", "mark", g.Shapes[1].Mark, "radius", "2",
		"location", "workshop")
	require.Equal(t, http.StatusOK, status, body)
	holds(t, body, "Circle 2, 2 km")
}
