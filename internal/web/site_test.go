package web

import (
	"bytes"
	"context"
	"html"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/store"
	"diadrom/internal/shop/demo"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/files"
	"diadrom/internal/shop/held"
	"diadrom/internal/shop/history"
	"diadrom/internal/shop/importer"
	"diadrom/internal/sqlite"
	"diadrom/internal/test/child"
	"diadrom/internal/web/signin"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestMain has the program of the tests read files from outside as the server does.
func TestMain(m *testing.M) {
	child.Main(m)
}

// site is the screens of a shop over HTTP, with its real database.
type site struct {
	*httptest.Server
	t       *testing.T
	server  *Server
	draft   *draft.Draft
	db      *sqlite.DB
	files   *files.Reader
	history *history.History
	client  *http.Client // a browser: it keeps cookies
}

func opened(t *testing.T, first *store.File, fill bool) *site {
	t.Helper()
	return openedAs(t, first, fill, Options{SignIn: signin.Options{Demo: true}})
}

// openedAs is opened for shops that are not the demo.
func openedAs(t *testing.T, first *store.File, fill bool, options Options) *site {
	t.Helper()
	ctx, dir := context.Background(), t.TempDir()
	db, err := sqlite.Open(ctx, dir)
	require.NoError(t, err)
	if fill {
		require.NoError(t, demo.Fill(ctx, db, dir))
	}
	g, err := db.LoadPlaces(ctx)
	require.NoError(t, err)
	d, err := draft.Open(ctx, db, g, first)
	require.NoError(t, err)
	if fill {
		_, err = d.Publish(ctx, sqlite.Stamp{Revision: d.State().Revision, Turn: 0}, "The shop as it begins")
		require.NoError(t, err)
	}
	version, err := db.PlacesVersion(ctx)
	require.NoError(t, err)
	in := importer.New(db, dir, version, d.SetGazetteer)
	taking, stop := context.WithCancel(ctx)
	done := make(chan error, 1)
	go func() { done <- in.Run(taking) }()
	options.Asks.Dir = dir
	options.Files, err = files.New(slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	orders, err := sqlite.OpenPast(ctx, dir)
	require.NoError(t, err)
	options.History = history.New(orders, dir, options.Files)
	go options.History.Run(taking)
	options.Holds, err = held.Open(ctx, db, dir, slog.New(slog.DiscardHandler), time.Now)
	require.NoError(t, err)
	h, err := New(d, db, in, slog.New(slog.DiscardHandler), options)
	require.NoError(t, err)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	s := &site{httptest.NewServer(h), t, h, d, db, options.Files, options.History, &http.Client{Jar: jar}}
	t.Cleanup(func() {
		s.Close()
		stop()
		h.Wait()
		assert.NoError(t, <-done)
		db.Close()
		orders.Close()
	})
	return s
}

func lauha(t *testing.T) *site {
	t.Helper()
	f, err := demo.Store()
	require.NoError(t, err)
	return opened(t, f, true)
}

// get opens a page. Where that is a preview whose file is still being read, it waits for it as the page does.
func (s *site) get(path string) (int, string) {
	s.t.Helper()
	for deadline := time.Now().Add(5 * time.Minute); ; {
		resp, err := s.client.Get(s.URL + path)
		require.NoError(s.t, err)
		body, err := io.ReadAll(resp.Body)
		resp.Body.Close()
		require.NoError(s.t, err)
		if bytes.Contains(body, []byte(`id="reading"`)) && time.Now().Before(deadline) {
			time.Sleep(100 * time.Millisecond)
			continue
		}
		return resp.StatusCode, html.UnescapeString(shown(resp, body))
	}
}

// part asks for a part of a page as htmx does.
func (s *site) part(path string) (int, string) {
	s.t.Helper()
	req, err := http.NewRequest(http.MethodGet, s.URL+path, nil)
	require.NoError(s.t, err)
	req.Header.Set("HX-Request", "true")
	resp, err := s.client.Do(req)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	require.NoError(s.t, err)
	return resp.StatusCode, html.UnescapeString(shown(resp, body))
}

// post sends an edit as htmx does; pairs are names and values.
func (s *site) post(path string, pairs ...string) (int, string) {
	s.t.Helper()
	form := url.Values{}
	for i := 0; i < len(pairs); i += 2 {
		form.Set(pairs[i], pairs[i+1])
	}
	req, err := http.NewRequest(http.MethodPost, s.URL+path, strings.NewReader(form.Encode()))
	require.NoError(s.t, err)
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	req.Header.Set("HX-Request", "true")
	resp, err := s.client.Do(req)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	require.NoError(s.t, err)
	return resp.StatusCode, html.UnescapeString(shown(resp, body))
}

// shown is an answer as its reader sees it: spaces and line ends of HTML are one space.
func shown(resp *http.Response, body []byte) string {
	if strings.HasPrefix(resp.Header.Get("Content-Type"), "text/html") {
		return string(spaces.ReplaceAll(body, []byte(" ")))
	}
	return string(body)
}

var spaces = regexp.MustCompile(`\s+`)
