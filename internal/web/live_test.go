package web

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/shop/draft"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// quoted asks the API what a method costs for a towel to Helsinki; "" where it is not offered.
func (s *site) quoted(method, of string) string {
	s.t.Helper()
	resp, err := s.client.Post(
		s.URL+"/api/v1/quotes?of="+of,
		"application/json",
		strings.NewReader(`{"to":{"country":"FI","postcode":"00100"},"lines":[{"sku":"TOWEL-70","quantity":1}]}`),
	)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	require.Equal(s.t, http.StatusOK, resp.StatusCode)
	var a struct {
		Options []struct{ Method, Charge string }
	}
	require.NoError(s.t, json.NewDecoder(resp.Body).Decode(&a))
	for _, o := range a.Options {
		if o.Method == method {
			return o.Charge
		}
	}
	return ""
}

// publish publishes the draft as it is.
func (s *site) publish(note string) (int, string) {
	s.t.Helper()
	turn := int64(0)
	if live := s.draft.Live(); live != nil {
		turn = live.Turn
	}
	return s.post("/live", "revision", fmt.Sprint(s.draft.State().Revision), "turn", fmt.Sprint(turn), "note", note)
}

func (s *site) price(was, is string) {
	s.t.Helper()
	status, body := s.post("/rates/parcel/list/cell", "zone", "finland", "at", "2", "was", was, "text", is)
	require.Equal(s.t, http.StatusOK, status, body)
}

func TestBuyersAreQuotedFromTheLiveEdition(t *testing.T) {
	s := lauha(t)
	_, body := s.get("/zones")
	holds(t, body, "As live: edition 1")
	s.price("6.90", "7.20")
	assert.Equal(t, "6.90", s.quoted("parcel", "live"), "buyers are not told of the draft")
	assert.Equal(t, "7.20", s.quoted("parcel", "draft"))
	_, body = s.get("/zones")
	holds(t, body, "1 change ahead of edition 1", "was €6.90")

	_, body = s.post("/methods/locker/switch", "field", "enabled", "value", "")
	holds(
		t,
		body,
		`id="ahead-said" hx-swap-oob="true">2 changes ahead of edition 1`,
		"Not offered any more: Parcel locker near you",
	)
	_, body = s.get("/live")
	holds(
		t,
		body,
		"Finland, up to and including 2 kg: 6.90 → 7.20",
		"switched off",
		"the demo's owner",
		"6 dearer",
		"not offered any more",
		"Parcel to your door costs €6.90",
		"now €7.20",
		"Publish edition 2",
	)
	status, body := s.publish("  the carrier's   new list ")
	require.Equal(t, http.StatusOK, status, body)
	holds(
		t,
		body,
		"Edition 2 is live",
		"the carrier's new list",
		"The draft is the same",
		"As live: edition 2",
		`id="till"`,
	)
	assert.NotContains(
		t,
		body,
		"Not offered any more",
		"the Till tells news of the draft, and this is none any more",
	)
	assert.Equal(t, "7.20", s.quoted("parcel", "live"), "at once")
	assert.Empty(t, s.quoted("locker", "live"))
	status, body = s.publish("")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "the draft is what is live already")

	// What went is compared, kept as a file, and published again after a yes.
	_, body = s.get("/live?a=1&b=2")
	holds(
		t,
		body,
		"2 differences:",
		"Parcel to the door, Finland, up to and including 2 kg: 6.90 → 7.20",
		"Parcel locker: switched off",
	)
	_, body = s.get("/live?a=1&b=7")
	holds(t, body, "there is no edition 7")
	status, body = s.get("/live/1.json")
	require.Equal(t, http.StatusOK, status)
	f, faults := store.Read([]byte(body))
	require.Empty(t, faults)
	assert.Equal(t, "6.9", f.Methods[1].Tables[0].Rows[0].Charges[0].Base.String())
	for _, path := range []string{"/live/9.json", "/live/x.json", "/live/1"} {
		status, _ = s.get(path)
		assert.Equal(t, http.StatusNotFound, status, path)
	}
	_, body = s.part("/live/1/again")
	holds(
		t,
		body,
		"2 things would change for buyers at once",
		"what is live beside edition 1",
		"6 cheaper",
		`"turn":"2"`,
		"autofocus",
	)
	status, body = s.post("/live/1/again", "turn", "1")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "somebody put another edition live meanwhile")
	_, body = s.post("/live/1/again", "turn", "2")
	holds(t, body, "Edition 1 is live again", "2 changes ahead of edition 1")
	assert.Equal(t, "6.90", s.quoted("parcel", "live"))

	_, body = s.post("/live/1/draft")
	holds(t, body, "The draft is edition 1", "As live: edition 1")
	_, body = s.post("/undo")
	holds(t, body, "Undone", "2 changes ahead")
}

func TestAChangeIsPutBackByItself(t *testing.T) {
	s := lauha(t)
	s.price("6.90", "7.20")
	_, _ = s.post("/methods/parcel/name", "value", "Box")
	_, body := s.part("/live/changes")
	holds(t, body, "name: “Parcel to the door” → “Box”", `"key":"methods/parcel/tables/list/cells/2/finland"`)
	_, body = s.post("/live/put-back", "key", "methods/parcel/tables/list/cells/2/finland")
	holds(
		t,
		body,
		"1 change ahead",
		"Undo<span class=\"what-of\">: Box, Finland, up to and including 2 kg: 7.20 → 6.90",
	)
	assert.NotContains(t, body, `"key":"methods/parcel/tables/list/cells/2/finland"`)
	assert.Equal(t, "Box", s.draft.State().File.Methods[1].Name, "the other stays")
	status, _ := s.post("/live/put-back", "key", "methods/parcel/tables/list/cells/2/finland")
	assert.Equal(t, http.StatusUnprocessableEntity, status)

	// A zone that has got prices since cannot go without them.
	_, _ = s.post("/zones", "places", "Norway")
	_, _ = s.post("/rates/parcel/list/columns", "zone", "norway")
	require.Contains(t, s.draft.State().File.Methods[1].ServedZones(), "norway", "Norway has prices")
	status, body = s.post("/live/put-back", "key", "zones/norway")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "later changes rest on this", "norway")
	z := s.draft.State().File.Zone("norway")
	assert.NotNil(t, z, "and nothing has changed")
}

func TestTwoOwnersPublishAtOnce(t *testing.T) {
	s := lauha(t)
	s.price("6.90", "7.20")
	revision := fmt.Sprint(s.draft.State().Revision)
	var all sync.WaitGroup
	got := make([]int, 2)
	for i := range got {
		all.Go(func() { got[i], _ = s.post("/live", "revision", revision, "turn", "1") })
	}
	all.Wait()
	assert.ElementsMatch(
		t,
		[]int{http.StatusOK, http.StatusUnprocessableEntity},
		got,
		"one does, the other is told",
	)
	list, err := s.db.Editions(context.Background())
	require.NoError(t, err)
	assert.Len(t, list, 2)

	s.price("7.20", "7.30")
	seen := fmt.Sprint(s.draft.State().Revision)
	s.price("7.30", "7.40") // after it was looked at
	_, page := s.get("/zones")
	holds(t, page, "was €7.30", "live €7.20")
	status, body := s.post("/live", "revision", seen, "turn", "2", "note", "as seen")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "the draft was changed meanwhile, and nothing was published", `value="as seen"`, "7.20 → 7.40")
	assert.Equal(t, "7.20", s.quoted("parcel", "live"))
	status, _ = s.post("/live", "revision", "x", "turn", "")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	status, body = s.publish(strings.Repeat("x", 301))
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "at most 300 letters")
}

func TestAStoreFileIsLookedAtAndTakenIn(t *testing.T) {
	s := lauha(t)
	before := string(s.draft.State().File.Write())
	status, body := s.send("/live/file", "mine.json", strings.Replace(before, `"Letter prices"`, `"Letters"`, 1))
	assert.Equal(t, http.StatusOK, status)
	holds(
		t,
		body,
		"What mine.json would make of the draft",
		"Letter, name of the price list: “Letter prices” → “Letters”",
		"Replace the draft",
	)
	assert.Equal(t, before, string(s.draft.State().File.Write()), "nothing has changed yet")
	status, _ = s.post("/live/file/1")
	assert.Equal(t, http.StatusOK, status)
	assert.Equal(t, "Letters", s.draft.State().File.Methods[0].Tables[0].Name)
	_, _ = s.post("/undo")
	assert.Equal(t, before, string(s.draft.State().File.Write()))
	_, body = s.send("/live/file", "same.json", before)
	holds(t, body, "Nothing: the draft is the same")

	faulty := strings.Replace(before, `"country": "FI"`, `"country": "XX"`, -1)
	faulty = strings.Replace(faulty, `"price": "`, `"price": "x`, -1)
	for _, tt := range []struct{ name, body, says string }{
		{"photo.json", "\x89PNG\r\n\x1a\n", "this is not a store file"},
		{"list.json", `[1, 2]`, "Nothing was imported"},
		{"empty.json", ``, "this is not a store file"},
		{"other.json", `{"name": "somebody's"}`, "format"},
		{"later.json", `{"format": "diadrom-store/9", "store": {"currency": "EUR"}}`, "diadrom-store/1"},
		{"faults.json", faulty, "Nothing was changed: the file has faults"},
	} {
		status, body = s.send("/live/file", tt.name, tt.body)
		assert.Equal(t, http.StatusUnprocessableEntity, status, tt.name)
		holds(t, body, tt.says)
		assert.NotContains(t, body, "Replace the draft", tt.name)
	}
	assert.GreaterOrEqual(
		t,
		strings.Count(body, `<th scope="row" class="edge num">`),
		26,
		"every fault is told with its place",
	)
	holds(t, body, "/products/0/price", "/zones/0/places/0/country")
	status, _ = s.post("/live/file/99")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	status, body = s.send("/live/file", "large.json", strings.Repeat(" ", store.MaxSize+1))
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "at most 64 MB; large.json has more, and nothing was changed")
	assert.Equal(t, before, string(s.draft.State().File.Write()))
}

func TestAShopWithoutAnEditionSaysSo(t *testing.T) {
	s := opened(t, draft.Empty(), false)
	_, body := s.get("/live")
	holds(t, body, "Nothing is live yet: buyers get no quotes", "None yet")
	resp, err := s.client.Post(
		s.URL+"/api/v1/quotes",
		"application/json",
		strings.NewReader(`{"to":{"country":"FI"}}`),
	)
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, http.StatusServiceUnavailable, resp.StatusCode)
	_, _ = s.post("/zones", "places", "Finland")
	_, body = s.get("/live")
	holds(t, body, "1 change, nothing is live yet", "a zone of Finland", "Publish edition 1")
	status, _ := s.publish("")
	assert.Equal(t, http.StatusOK, status)
}

func TestAnEditionIsPublishedLater(t *testing.T) {
	s := lauha(t)
	now := time.Now().Year()
	y := func(text string) string { return strings.ReplaceAll(text, "NEXT", fmt.Sprint(now+1)) }
	forward := time.Date(now+1, 3, 31, 0, 0, 0, 0, time.UTC) // the last Sunday of March (Directive 2000/84/EC)
	forward = forward.AddDate(0, 0, -int(forward.Weekday()))
	s.price("6.90", "7.20")
	revision := fmt.Sprint(s.draft.State().Revision)
	for _, c := range []struct{ at, until, says string }{
		{"", "", "say when it goes live"},
		{"soon", "", `"soon" is not a date and time`},
		{fmt.Sprint(now-1) + "-12-01 08:00", "", "that time has passed: it is "},
		{fmt.Sprint(now+5) + "-12-01 08:00", "", "more than two years"},
		{y("NEXT-12-01 08:00"), y("NEXT-12-01 07:00"), "it would end before it goes live"},
		{forward.Format(time.DateOnly) + " 03:30", "", "03:30 does not exist on " + forward.Format("2 January 2006")},
	} {
		status, body := s.post("/live/later", "revision", revision, "at", c.at, "until", c.until, "note", "Christmas")
		assert.Equal(t, http.StatusUnprocessableEntity, status, c.at)
		holds(t, body, c.says, `value="`+c.at+`"`, `value="`+c.until+`"`, `value="Christmas"`)
	}
	status, body := s.post("/live/later", "revision", revision, "at", y("NEXT-12-01 08:00"), "until", y("24.12.NEXT"),
		"note", "Christmas")
	require.Equal(t, http.StatusOK, status, body)
	holds(t, body, y("Edition 2 goes live on 1 Dec NEXT, 08:00 (Europe/Helsinki) and gives way on 24 Dec NEXT, 00:00"),
		"What you publish now is replaced when the scheduled edition goes live")
	assert.Equal(t, "6.90", s.quoted("parcel", "live"), "not yet")
	_, body = s.get("/zones")
	holds(t, body, "2 on 1 Dec", "1 change ahead of edition 1")
	status, body = s.post("/live/later", "revision", revision, "at", y("NEXT-12-20 08:00"), "until",
		y("NEXT-12-30"))
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, y("edition 2 is scheduled from 1 Dec NEXT, 08:00 until 24 Dec NEXT, 00:00"))

	list, err := s.draft.Schedules(t.Context())
	require.NoError(t, err)
	require.Len(t, list, 1)
	_, err = s.draft.Due(t.Context(), list[0].At)
	require.NoError(t, err)
	assert.Equal(t, "7.20", s.quoted("parcel", "live"))
	_, body = s.get("/live")
	holds(t, body, y("Edition 2 is live until 24 Dec NEXT, 00:00"), "then edition 1 is live again", "Keep it live")
	path := fmt.Sprintf("/live/call-off/%d", list[0].ID)
	status, body = s.post(path)
	require.Equal(t, http.StatusOK, status, body)
	status, body = s.post(path)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "does not wait any more")
	_, err = s.draft.Due(t.Context(), list[0].Until)
	require.NoError(t, err)
	assert.Equal(t, "7.20", s.quoted("parcel", "live"), "it was kept live")
}
