package web

import (
	"bytes"
	"html"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"diadrom/internal/shop/draft"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// send sends a file as a form does; redirects are followed.
func (s *site) send(path, name, body string) (int, string) {
	s.t.Helper()
	var b bytes.Buffer
	form := multipart.NewWriter(&b)
	w, err := form.CreateFormFile("file", name)
	require.NoError(s.t, err)
	_, err = io.WriteString(w, body)
	require.NoError(s.t, err)
	require.NoError(s.t, form.Close())
	resp, err := s.client.Post(s.URL+path, form.FormDataContentType(), &b)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	answer, err := io.ReadAll(resp.Body)
	require.NoError(s.t, err)
	if bytes.Contains(answer, []byte(`id="reading"`)) { // the page that was led to asks again
		return s.get(resp.Request.URL.RequestURI())
	}
	return resp.StatusCode, html.UnescapeString(shown(resp, answer))
}

func (s *site) zone(id string) []string {
	z := s.draft.State().File.Zone(id)
	if z == nil {
		return nil
	}
	var words []string
	for i := range z.Places {
		words = append(words, z.Places[i].Words()...)
	}
	for i := range z.Except {
		for _, w := range z.Except[i].Words() {
			words = append(words, "not "+w)
		}
	}
	return words
}

func holds(t *testing.T, body string, parts ...string) {
	t.Helper()
	for _, part := range parts {
		if !strings.Contains(body, part) {
			t.Errorf("%q is not in the answer", part)
		}
	}
}

func TestWhatIsAmbiguousAsksWhichIsMeant(t *testing.T) {
	s := lauha(t)
	status, body := s.post("/zones", "places", "Estonia, Georgia")
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "which is meant?", `"places":"GE"`, `"places":"US-GA"`, ">Georgia</textarea>")
	assert.Equal(t, []string{"Estonia"}, s.zone("estonia"))
	status, body = s.post("/zones", "places", "Georgia")
	require.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, `"places":"US-GA"`, ">Georgia</textarea>")
	_, _ = s.post("/zones/estonia/places", "places", "US-GA")
	assert.Equal(t, []string{"Estonia", "Georgia (US-GA)"}, s.zone("estonia"))
}

func TestAnUnknownCodeIsToldFromAnImpossibleOne(t *testing.T) {
	s := lauha(t)
	_, body := s.post("/zones", "places", "FI 21999")
	holds(t, body, "added, though no list of places has FI 21999", `class="chip unknown"`)
	_, body = s.post("/zones/finland/enabled", "enabled", "on")
	holds(t, body, `class="chip unknown"`, "No list of places has it.") // as long as it is so, not for one change
	status, body := s.post("/zones", "places", "FI 219999")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "cannot be a postcode of Finland")
	_, body = s.post("/zones", "places", "Merimasku, town Atlantis")
	holds(t, body, "added, though no list of places has town Atlantis")
	_, body = s.post("/till/destination", "to", "21999 Naantali")
	holds(t, body, "No place in Finland is known to have the postcode 21999")
	_, body = s.post("/till/destination", "to", "Merimasku 21160")
	assert.NotContains(t, body, "No place in")
	holds(t, body, `value="21160 Merimasku"`)
}

func TestZonesSayWhatTheyTakeAndWhereTheyCross(t *testing.T) {
	s := lauha(t)
	_, body := s.post("/zones", "places", "Southwest Finland")
	holds(t, body, "codes of Southwest Finland", "Crosses Around Naantali: 20014 is in both, and goes there.")
	_, body = s.get("/zones")
	holds(
		t,
		body,
		"41 of 41 codes of Åland out of Finland",
		"everything else in Finland",
		"Crosses Around Naantali and Southwest Finland: 21150 is in both, and comes here.",
		"Crosses Van round: 21150 is in both, and goes there.",
		`title="Merimasku"`,
	)
	_, body = s.post("/zones", "places", "FI 22*, AX")
	holds(t, body, "Ties with Åland: Åland Islands goes there, as that zone is the older one.", "gets nothing")
	_, body = s.post("/zones", "places", "FI 2*")
	holds(t, body, "FI 2*")
}

func TestAStretchStartsAZoneOrAnException(t *testing.T) {
	s := lauha(t)
	_, body := s.get("/zones?strip=FI&new=FI+22100+to+22199")
	holds(t, body, ">FI 22100 to 22199</textarea>", "or leave it out of Åland", "or leave it out of Finland")
	status, _ := s.post("/zones/aland/places", "places", "not FI 22100 to 22199")
	require.Equal(t, http.StatusOK, status)
	assert.Contains(t, s.zone("aland"), "not FI 22100 to 22199")
}

func TestPlacesAreOfferedWhileTyping(t *testing.T) {
	s := lauha(t)
	for path, first := range map[string]string{
		"/suggest/places?text=naan":                        `data-text="Naantali"`,
		"/suggest/places?text=Estonia%2C+not+FI+2116":      `data-text="Estonia, not FI 21160"`,
		"/suggest/places?zone=baltic&text=tall":            "Tallinn",
		"/suggest/addresses?text=":                         `data-text="21160 Merimasku"`,
		"/suggest/addresses?text=utsj":                     `data-text="99980 Utsjoki"`,
		"/suggest/places?text=" + strings.Repeat("x,", 50): "",
	} {
		status, body := s.part(path)
		assert.Equal(t, http.StatusOK, status)
		holds(t, body, first)
	}
}

func TestManyZonesAndPlacesAreShownInParts(t *testing.T) {
	s := lauha(t)
	var b strings.Builder
	b.WriteString("zone,name,place\n")
	for i := range 60 {
		b.WriteString(
			"made-" + string(rune('a'+i/26)) + string(
				rune('a'+i%26),
			) + ",Made,SE 1" + string(rune('0'+i/10)) + string(rune('0'+i%10)) + "*\n",
		)
	}
	b.WriteString("long,Long")
	for i := range 40 {
		b.WriteString(",SE 99" + string(rune('0'+i/10)) + string(rune('0'+i%10)) + "0\nlong,Long")
	}
	status, body := s.send("/zones/file", "zones.csv", strings.TrimSuffix(b.String(), "\nlong,Long"))
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "Import zones", "<b>new</b>, 40 places", "8 of the shop's zones are not in the table and stay")
	assert.Nil(t, s.zone("long"), "nothing has changed yet")
	path := body[strings.Index(body, "/zones/file/"):]
	status, _ = s.post(path[:strings.IndexByte(path, '"')])
	require.Equal(t, http.StatusOK, status)
	require.Len(t, s.zone("long"), 40)
	_, body = s.get("/zones")
	holds(t, body, "more zones</a>", "Find a zone")
	_, body = s.get("/zones?find=9930")
	holds(t, body, "and 28 more", `id="zone-long"`)
	assert.NotContains(t, body, `id="zone-aland"`)
	_, body = s.get("/zones?open=long&find=long")
	holds(t, body, "SE 99390")
	_, body = s.get("/zones?find=nowhere+at+all")
	holds(t, body, "No zone and none of their places")
	_, body = s.post("/zones", "places", "NO 99*, NO 9")
	holds(t, body, `id="zone-norway-99"`, "was added", "1 part not taken") // among the first thirty or not
	_, body = s.get("/zones?show=500")
	assert.NotContains(t, body, "more zones</a>")
}

func TestZonesGoOutAndInAsATable(t *testing.T) {
	s := lauha(t)
	_, table := s.get("/zones/file")
	holds(t, table, "zone,name,on,pinned,only,rule,place\nvan-round,Van round,yes,,no,takes,FI 21150\n")
	status, body := s.send("/zones/file", "same.csv", table)
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "Nothing: all of its zones are as they are in the shop")
	changed := strings.Replace(table, "Lapland,yes", "Far north,no", 1)
	changed = strings.ReplaceAll(changed, "\n", "\r\n")
	status, body = s.send("/zones/file", "changed.csv", changed)
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "called Far north, switched off")
	empty := opened(t, draft.Empty(), false)
	_, body = empty.send("/zones/file", "zones.csv", table)
	path := body[strings.Index(body, `action="/zones/file/`)+8:]
	_, _ = empty.post(path[:strings.IndexByte(path, '"')])
	_, again := empty.get("/zones/file")
	assert.Equal(t, table, again, "the export of an import is the same file")

	for name, c := range map[string][2]string{
		"slip":   {"zone,name,place\na,A,FI 2110\nb,B,Atlantis Land\n", "2110 is not a whole postcode"},
		"empty":  {"", "this file is empty"},
		"quote":  {"zone,place\na,\"FI", "a quote is not closed"},
		"header": {"a,b\n1,2\n", "Choose what the columns hold"},
		"bare":   {"zone,place\n", "only the heads of the columns"},
	} {
		before := s.draft.State().Revision
		_, body := s.send("/zones/file", name+".csv", c[0])
		holds(t, body, c[1], "Preview ")
		assert.NotContains(t, body, "Import zones")
		assert.Equal(t, before, s.draft.State().Revision)
	}
	status, body = s.post("/zones/file/999999")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "choose it again")
}

// A zone list of a carrier is imported when each question about it is answered, and what was typed stays until then.
func TestTheQuestionsOfAZoneListAreAnswered(t *testing.T) {
	s := opened(t, draft.Empty(), false)
	list := "Zones 2027\nZone;Country;Postcode;Kreis\nNorth;DE;20095;HH\nEast;DE;1067;\nFar;Germnay;;\nLost;Nowhereland;;\n" +
		"West;DE;20095;\n"
	status, body := s.send("/zones/file", "zones.csv", list)
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "Not ready to import", "are not used: “Kreis”", "has the code 1067", "They have lost a zero",
		"where is “Germnay”?", "where is “Nowhereland”?", "Leave these lines out",
		"DE 20095 is in two zones of this list: North and West", "0 left")
	assert.NotContains(t, body, "Import zones")
	address := body[strings.Index(body, `action="/zones/file/`)+8:]
	address = address[:strings.IndexByte(address, '"')]
	status, _ = s.post(address)
	assert.Equal(t, http.StatusUnprocessableEntity, status, "nothing is imported before that")
	assert.Empty(t, s.draft.State().File.Zones)

	query := url.Values{"zeros": {"lost"}, "ok": {"columns", "overlap"}, "z:Germnay": {"Germany"}, "z:Nowhereland": {"Atlantis"}}
	_, body = s.get(address + "?" + query.Encode())
	holds(t, body, "where is “Nowhereland”?", `value="Atlantis"`, `name="z:Germnay" value="Germany"`, `name="zeros" value="lost"`)
	assert.NotContains(t, body, "has the code 1067")
	query.Add("ok", "place")
	_, body = s.get(address + "?" + query.Encode())
	holds(t, body, "Import zones")
	status, _ = s.post(address + "?" + query.Encode())
	require.Equal(t, http.StatusOK, status)
	f := s.draft.State().File
	require.Len(t, f.Zones, 4)
	assert.Equal(t, "01067", f.Zone("east").Places[0].Postcodes[0].String())
	assert.Equal(t, "DE", f.Zone("far").Places[0].Country)
}

func TestAListOfPlacesIsTakenInWhileTheShopGoesOn(t *testing.T) {
	s := lauha(t)
	status, body := s.send("/lists", "estonia.txt", "EE\t10111\tTallinn\tHarju maakond\t37\nEE\tnothing\n")
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "estonia.txt")
	for range 200 {
		if _, body = s.part("/lists"); strings.Contains(body, "Estonia (") {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	holds(t, body, "Estonia, 1 place<", "1 line skipped", "fewer than three fields", "Estonia (1 code)")
	_, body = s.part("/suggest/places?text=tallin")
	holds(t, body, "EE town Tallinn")
	status, _ = s.send("/lists", "norway.txt", "NO\t0150\tOslo\n")
	require.Equal(t, http.StatusOK, status)
	status, body = s.send("/lists", "nothing.txt", "")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "nothing.txt is empty")
	status, _ = s.post("/lists/1/remove")
	assert.Equal(t, http.StatusOK, status)
	assert.Zero(t, s.draft.State().Engine.Gazetteer().RegionCodes("FI", "FI-01"), "Finland's list is gone")
}

func TestAPasteOfFiftyMegabytesIsRefusedInWords(t *testing.T) {
	s := lauha(t)
	status, body := s.post("/zones", "places", strings.Repeat("21100 ", 50<<20/6))
	assert.Equal(t, http.StatusRequestEntityTooLarge, status)
	holds(t, body, "nothing was changed", "taken in as files")
}

// A zone's name stands over its stretch of the strip: 22000 to 22999 of 100,000 codes is at 22 % of its width of 880.
func TestNamesStandOverTheirStretches(t *testing.T) {
	s := lauha(t)
	_, body := s.get("/zones")
	at := map[string]float64{}
	label := regexp.MustCompile(`<text x="([0-9.]+)" y="13" class="strip-label">([^<]+)<`)
	for _, m := range label.FindAllStringSubmatch(body, -1) {
		x, err := strconv.ParseFloat(m[1], 64)
		require.NoError(t, err)
		at[m[2]] = x
	}
	assert.InDelta(t, 0.20*880, at["Around Naantali"], 1)
	assert.Greater(t, at["Lapland"], 0.9*880, "96000 to 99999, moved left so that its name is whole")
	for name, x := range at {
		assert.LessOrEqual(t, x+6.4*float64(len([]rune(name))), 880.1, name)
	}
}
