package web

import (
	"bufio"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/store"
	"diadrom/internal/shop/demo"
	"diadrom/internal/web/signin"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// telling has the shop tell programs what changes until the test ends.
func (s *site) telling() {
	ctx, end := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { defer close(done); s.server.Tell(ctx) }()
	s.t.Cleanup(func() { end(); <-done })
}

// event is one of a stream, as the HTML Living Standard, section 9.2.6, reads it.
type event struct{ id, kind, data string }

// listener reads a stream of events.
type listener struct {
	t    *testing.T
	resp *http.Response
	in   chan event
}

func (s *site) listen(key, last string) *listener {
	s.t.Helper()
	req, err := http.NewRequest(http.MethodGet, s.URL+"/api/v1/events", nil)
	require.NoError(s.t, err)
	req.Header.Set("Authorization", "Bearer "+key)
	if last != "" {
		req.Header.Set("Last-Event-ID", last)
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(s.t, err)
	l := &listener{s.t, resp, make(chan event, 100)}
	s.t.Cleanup(func() { resp.Body.Close() })
	if resp.StatusCode != http.StatusOK {
		return l
	}
	go func() {
		defer close(l.in)
		e, lines := event{}, bufio.NewScanner(resp.Body)
		for lines.Scan() {
			field, value, _ := strings.Cut(lines.Text(), ":")
			value = strings.TrimPrefix(value, " ")
			switch {
			case lines.Text() == "" && e.data != "":
				l.in <- e
				e = event{id: e.id}
			case field == "id":
				e.id = value
			case field == "event":
				e.kind = value
			case field == "data":
				e.data += value
			}
		}
	}()
	return l
}

// next waits for an event; the zero one where the stream has ended.
func (l *listener) next() event {
	l.t.Helper()
	select {
	case e := <-l.in:
		return e
	case <-time.After(time.Minute):
		require.Fail(l.t, "no event came")
		return event{}
	}
}

// naming gives the first event whose data name a product: what was going on before may be told first.
func (l *listener) naming(sku string) event {
	l.t.Helper()
	for {
		e := l.next()
		if e == (event{}) || strings.Contains(e.data, sku) {
			return e
		}
	}
}

func (s *site) putProduct(key, sku string) {
	s.t.Helper()
	resp, body := s.call(http.MethodPut, "/api/v1/products/"+sku, key, `{"price":"3.00"}`)
	require.Less(s.t, resp.StatusCode, 300, body)
}

func TestProgramsAreToldWhatChangesAsItDoes(t *testing.T) {
	s := lauha(t)
	s.telling()
	key := s.key("events", "products")
	l := s.listen(key, "")
	require.Equal(t, http.StatusOK, l.resp.StatusCode)
	assert.Equal(t, "text/event-stream; charset=utf-8", l.resp.Header.Get("Content-Type"))
	s.putProduct(key, "NEW-1")
	first := l.naming("NEW-1")
	assert.Equal(t, "products.changed", first.kind)
	var told struct {
		Type, ID string
		Data     struct {
			Of   string
			SKUs []string
		}
	}
	require.NoError(t, json.Unmarshal([]byte(first.data), &told))
	assert.Equal(t, "products.changed", told.Type)
	assert.Equal(t, []string{"NEW-1"}, told.Data.SKUs)
	assert.Equal(t, "draft", told.Data.Of)
	l.resp.Body.Close() // the network is cut

	s.putProduct(key, "NEW-2")
	s.putProduct(key, "NEW-3")
	again := s.listen(key, first.id)
	missed := again.naming("NEW-2").data // both were seen at one look, or one after the other
	assert.Contains(t, missed, "NEW-2", "what was missed is told")
	if !strings.Contains(missed, "NEW-3") {
		assert.Contains(t, again.naming("NEW-3").data, "NEW-3")
	}
	from := s.listen(key, "0").next()
	assert.NotEmpty(t, from.id)

	for _, wrong := range []string{"x", "-1", "1.5"} {
		assert.Equal(t, http.StatusBadRequest, s.listen(key, wrong).resp.StatusCode, wrong)
	}
	other := s.listen(s.key("products"), "")
	assert.Equal(t, http.StatusForbidden, other.resp.StatusCode, "a key that may not be told")
	problem, err := io.ReadAll(other.resp.Body)
	require.NoError(t, err)
	assert.Contains(t, string(problem), `"code":"no_right"`)

	// A stream of a key that is revoked ends before it tells anything more.
	_, body := s.get("/people")
	id := regexp.MustCompile(`/keys/(\d+)/revoke`).FindStringSubmatch(body)[1]
	status, _ := s.post("/keys/" + id + "/revoke")
	require.Equal(t, http.StatusOK, status)
	s.putProduct(s.key("products"), "NEW-4")
	for e := again.next(); e != (event{}); e = again.next() {
		assert.NotContains(t, e.data, "NEW-4")
	}
}

func TestWhatIsNotKeptAnyMoreIsSaidToBeMissed(t *testing.T) {
	s := lauha(t)
	key := s.key("events")
	_, err := s.db.Handle().Exec("INSERT INTO notice (id, uid, type, at, data) VALUES (500, 'u', 'edition.live', '2026-01-01T00:00:00Z', '{}')")
	require.NoError(t, err)
	_, err = s.db.Handle().Exec("DELETE FROM notice WHERE id < 500")
	require.NoError(t, err)
	l := s.listen(key, "3")
	missed := l.next()
	assert.Equal(t, "events.missed", missed.kind)
	assert.JSONEq(t, `{"after": 3, "first": 500}`, missed.data)
	assert.Equal(t, "500", l.next().id)
	assert.Equal(t, "events.missed", s.listen(key, "900").next().kind, "an event of a shop before a loss")
}

func TestStreamsAreFewAndEndWithTheProgram(t *testing.T) {
	s := lauha(t)
	key := s.key("events")
	var open []*listener
	for range 8 {
		l := s.listen(key, "")
		require.Equal(t, http.StatusOK, l.resp.StatusCode)
		open = append(open, l)
	}
	ninth := s.listen(key, "")
	assert.Equal(t, http.StatusTooManyRequests, ninth.resp.StatusCode)
	assert.NotEmpty(t, ninth.resp.Header.Get("Retry-After"))
	assert.Equal(t, http.StatusOK, s.listen(s.key("events"), "").resp.StatusCode, "another key has its own")
	s.server.End()
	for _, l := range open {
		assert.Equal(t, event{}, l.next())
	}
}

// A promise that an edit of the API breaks is told of, though nobody looks at a page; the webhook gets it too.
func TestABrokenPromiseReachesAWebhook(t *testing.T) {
	got := make(chan string, 10)
	receiver := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		got <- string(body)
	}))
	defer receiver.Close()
	f, err := demo.Store()
	require.NoError(t, err)
	options := Options{SignIn: signin.Options{Demo: true}}
	options.Asks.Local = true
	s := openedAs(t, f, true, options)
	s.telling()
	status, body := s.post("/webhooks", "url", receiver.URL, "type", "promise.broken")
	require.Equal(t, http.StatusOK, status)
	assert.Regexp(t, `id="new-secret">whsec_[A-Za-z0-9+/]{43}=<`, body)
	_, body = s.get("/webhooks")
	assert.NotContains(t, body, "whsec_", "it is shown once")
	_, err = s.draft.Edit(context.Background(), func(f *store.File) error {
		for i := range f.Methods {
			f.Methods[i].Enabled = false
		}
		return nil
	})
	require.NoError(t, err)
	select {
	case body := <-got:
		assert.Contains(t, body, `"type":"promise.broken"`)
		assert.Contains(t, body, `"is":"not offered`)
	case <-time.After(time.Minute):
		require.Fail(t, "nothing came")
	}
	require.Eventually(t, func() bool {
		_, body = s.get("/webhooks")
		return strings.Contains(body, "answered 200 OK in")
	}, time.Minute, 50*time.Millisecond)
	holds(t, body, "the draft breaks a promise")
}

// What is typed wrongly is said beside the field, and kept.
func TestAWebhookThatCannotBeIsRefusedBesideItsField(t *testing.T) {
	s := lauha(t)
	for typed, why := range map[string]string{
		"shop.example/x":             "is not the address of a page",
		"http://shop.example/x":      "write an https address",
		"https://me:pw@shop.example": "leave user and password out",
		"":                           "type the address that is told",
	} {
		status, body := s.post("/webhooks", "url", typed, "type", "edition.live")
		assert.Equal(t, http.StatusUnprocessableEntity, status, typed)
		holds(t, body, why, `aria-describedby="w-slip"`, `value="`+typed+`"`)
		assert.Regexp(t, `value="edition.live" checked`, body)
		assert.NotRegexp(t, `value="key.ending" checked`, body, "what was chosen stays chosen")
	}
	status, body := s.post("/webhooks", "url", "https://shop.example/x")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "choose at least one thing")
	status, _ = s.post("/webhooks", "url", "https://shop.example/x", "type", "edition.live")
	require.Equal(t, http.StatusOK, status)
	_, body = s.post("/webhooks", "url", "https://shop.example/x", "type", "edition.live")
	holds(t, body, "this address is told already")
	_, body = s.post("/webhooks/1/pause")
	holds(t, body, "paused: an owner paused it")
	_, body = s.post("/webhooks/1/resume")
	assert.NotContains(t, body, "paused:")
	_, body = s.post("/webhooks/1/secret")
	holds(t, body, "The secret before it signs as well for 24 hours")
	_, body = s.post("/webhooks/1/remove")
	holds(t, body, "https://shop.example/x is told nothing any more")
	for _, path := range []string{"/webhooks/1/try", "/webhooks/1/secret", "/webhooks/x/pause", "/webhooks/1/remove",
		"/webhooks/deliveries/7/again"} {
		status, body := s.post(path)
		assert.Equal(t, http.StatusUnprocessableEntity, status, path)
		holds(t, body, "That was removed meanwhile.")
	}
	_, body = s.get("/people")
	holds(t, body, "added the webhook", "removed the webhook")
}
