package web

import (
	"encoding/json"
	"io"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"testing"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/web/visitor"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// asked sends a request with headers and does not follow redirects.
func (s *site) asked(method, path, form string, headers ...string) *http.Response {
	s.t.Helper()
	req, err := http.NewRequest(method, s.URL+path, strings.NewReader(form))
	require.NoError(s.t, err)
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	for i := 0; i < len(headers); i += 2 {
		if headers[i] == "Host" {
			req.Host = headers[i+1]
			continue
		}
		req.Header.Set(headers[i], headers[i+1])
	}
	resp, err := http.DefaultTransport.RoundTrip(req)
	require.NoError(s.t, err)
	s.t.Cleanup(func() { resp.Body.Close() })
	return resp
}

func (s *site) events() (kinds []auth.Event) {
	list, err := s.db.Events(s.t.Context(), 0, 100)
	require.NoError(s.t, err)
	for _, e := range list {
		kinds = append(kinds, e.Kind)
	}
	return kinds
}

var proxied = Options{Options: visitor.Options{TrustedProxies: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}}}

// Whoever tries a name out holds off neither its owner nor themselves elsewhere, and spaces or capitals make no
// new name.
func TestANameUnderAttackStillLetsItsOwnerIn(t *testing.T) {
	s := own(t, proxied)
	sign := func(from, name, passphrase string) int {
		return s.asked(
			http.MethodPost,
			"/sign-in",
			url.Values{"name": {name}, "passphrase": {passphrase}}.Encode(),
			"X-Forwarded-For",
			from,
		).StatusCode
	}
	s.asked(
		http.MethodPost,
		"/start",
		url.Values{"name": {"Äino"}, "passphrase": {passphrase}}.Encode(),
		"X-Forwarded-For",
		"192.0.2.1",
	)
	require.Equal(t, http.StatusSeeOther, sign("192.0.2.1", "äino", passphrase), "capitals do not matter")
	held := 0
	for i := range 24 { // from one address, each time with another ending
		if sign("198.51.100.1", "Äino"+strings.Repeat(" ", i), "wrong") == http.StatusTooManyRequests {
			held++
		}
	}
	assert.GreaterOrEqual(t, held, 16, "8 of 24 are taken at once")
	for i := range 12 { // from many addresses
		sign("203.0.113."+string(rune('1'+i%9)), "Äino", "wrong")
	}
	assert.Equal(
		t,
		http.StatusTooManyRequests,
		sign("192.0.2.200", "Äino", passphrase),
		"the name is held off elsewhere",
	)
	assert.Equal(
		t,
		http.StatusSeeOther,
		sign("192.0.2.1", "Äino", passphrase),
		"but not from where she signed in before",
	)
	assert.Equal(t, http.StatusUnprocessableEntity, sign("192.0.2.77", strings.Repeat("x", 10_000), "wrong"))
	assert.Equal(t, http.StatusRequestEntityTooLarge, sign("192.0.2.77", strings.Repeat("x", 1<<20), "wrong"))
	assert.Contains(t, s.events(), auth.SignInRefused)
	assert.Contains(t, s.events(), auth.SignInHeldOff)
}

// With an owner there, nobody's passphrase is worked on at the first start; wrong ones of one's own are held off.
func TestHashingIsNotForEverybody(t *testing.T) {
	s := own(t, Options{})
	_, _ = s.post("/start", "name", "Aino", "passphrase", passphrase)
	s.sure(t)
	begun := time.Now()
	for range 200 {
		resp := s.asked(
			http.MethodPost,
			"/start",
			url.Values{"name": {"Mallory"}, "passphrase": {passphrase}}.Encode(),
		)
		assert.Equal(t, http.StatusSeeOther, resp.StatusCode)
	}
	once := time.Now()
	_, err := auth.Hash(t.Context(), passphrase)
	require.NoError(t, err)
	assert.Less(t, once.Sub(begun), 100*time.Since(once), "200 of them take less than 100 passphrases would")
	said := ""
	for range 10 {
		_, said = s.post("/people/passphrase", "now", "wrong", "passphrase", "five words that nobody guesses")
	}
	assert.Contains(t, said, "tried too often")
	assert.Contains(t, s.events(), auth.PassphraseRefused)
}

// Behind a proxy the shop answers under its public name and under no other, believes the proxy alone, and asks
// whoever comes first for the code; what is refused is kept for its owners, and the API says it as JSON.
func TestBehindAProxy(t *testing.T) {
	public, err := url.Parse("https://shipping.example")
	require.NoError(t, err)
	o := proxied
	o.Hosts, o.PublicURL, o.SignIn.StartCode = []string{"127.0.0.1", "localhost"}, public, "CODE"
	s := own(t, o)
	assert.Equal(
		t,
		http.StatusMisdirectedRequest,
		s.asked(http.MethodGet, "/sign-in", "", "Host", "evil.example").StatusCode,
	)
	resp := s.asked(http.MethodPost, "/api/v1/quotes", "", "Host", "evil.example")
	assert.Equal(t, http.StatusMisdirectedRequest, resp.StatusCode)
	assert.Equal(t, "application/problem+json", resp.Header.Get("Content-Type"))
	body, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	assert.True(t, json.Valid(body))
	form := url.Values{"name": {"Mallory"}, "passphrase": {passphrase}}.Encode()
	assert.Equal(
		t,
		http.StatusForbidden,
		s.asked(http.MethodPost, "/start", form, "Host", "127.0.0.1").StatusCode,
		"a proxy that rewrites the host makes nobody owner",
	)
	assert.Equal(
		t,
		http.StatusForbidden,
		s.asked(http.MethodPost, "/start", form, "Host", "shipping.example").StatusCode,
	)
	resp = s.asked(
		http.MethodPost,
		"/start",
		form+"&code=CODE",
		"Host",
		"shipping.example",
		"X-Forwarded-Proto",
		"https",
		"Origin",
		"https://shipping.example",
	)
	assert.Equal(t, http.StatusSeeOther, resp.StatusCode)
	assert.Contains(t, resp.Header.Get("Set-Cookie"), "__Host-diadrom=")
	resp = s.asked(
		http.MethodPost,
		"/sign-in",
		form,
		"Host",
		"shipping.example",
		"Origin",
		"https://elsewhere.example",
		"Sec-Fetch-Site",
		"cross-site",
	)
	assert.Equal(t, http.StatusForbidden, resp.StatusCode)
	resp = s.asked(
		http.MethodPost,
		"/api/v1/quotes",
		"{}",
		"Host",
		"shipping.example",
		"Origin",
		"https://elsewhere.example",
		"Sec-Fetch-Site",
		"cross-site",
	)
	assert.Equal(t, "application/problem+json", resp.Header.Get("Content-Type"))
	assert.Subset(t, s.events(), []auth.Event{auth.HostRefused, auth.OriginRefused, auth.Started})
	for _, path := range []string{"/api/v1/nothing", "/api/v2/quotes", "/api"} {
		resp = s.asked(http.MethodGet, path, "")
		assert.Equal(t, http.StatusNotFound, resp.StatusCode, path)
		assert.Equal(t, "application/problem+json", resp.Header.Get("Content-Type"), path)
	}
	assert.Equal(t, http.StatusMethodNotAllowed, s.asked(http.MethodHead, "/api/v1/quotes", "").StatusCode)
}

// Owners see who signed in and what was made, helpers do not; nothing of it can be changed, and whoever knocks
// without end fills no disk.
func TestEventsAreKeptForOwners(t *testing.T) {
	s := own(t, Options{})
	_, _ = s.post("/start", "name", "Aino", "passphrase", passphrase)
	s.sure(t)
	_, _ = s.post("/people", "name", "Veli", "passphrase", "another row of odd words", "role", "helper")
	_, _ = s.post("/keys", "name", "the other shop")
	_, _ = s.post("/keys/1/revoke")
	helper := s.another()
	_, _ = helper.post("/sign-in", "name", "Veli", "passphrase", "another row of odd words")
	status, _ := helper.post("/keys", "name", "mine")
	assert.Equal(t, http.StatusForbidden, status)
	_, page := s.get("/people")
	holds(
		t,
		page,
		"Sign-ins and other events",
		"started the shop",
		"invited <b>Veli, helper</b>",
		"made the API key <b>the other shop</b>",
		"revoked the API key",
		"signed in",
		"for owners only <b>POST /keys</b>",
		"127.0.0.1",
	)
	_, table := s.get("/people/events.csv")
	holds(t, table, "number,at,event,person,name,address,detail", "shop_started", "key_revoked")
	_, page = helper.get("/people")
	assert.NotContains(t, page, "Sign-ins and other events")
	status, _ = helper.get("/people/events.csv")
	assert.Equal(t, http.StatusForbidden, status)
	before := len(s.events())
	for range 3 * visitor.MaxNoted {
		s.asked(http.MethodGet, "/", "", "Host", "evil.example")
	}
	assert.LessOrEqual(t, len(s.events())-before, visitor.MaxNoted+2)
	resp := s.asked(http.MethodGet, "/assets/diadrom.css", "")
	assert.Equal(t, "no-cache", resp.Header.Get("Cache-Control"))
	req, err := s.client.Get(s.URL + "/people")
	require.NoError(t, err)
	defer req.Body.Close()
	assert.Equal(t, "no-store", req.Header.Get("Cache-Control"))
}

// The check for other sites is skipped by a request that a key authorises, and by no other that has an Authorization
// header beside its cookie.
func TestOnlyAKeySkipsTheCheckForOtherSites(t *testing.T) {
	s := own(t, Options{})
	_, _ = s.post("/start", "name", "Aino", "passphrase", passphrase)
	for header, want := range map[string]int{"Basic YTpi": http.StatusForbidden, "x": http.StatusForbidden,
		"bearer": http.StatusForbidden, "": http.StatusForbidden, "Bearer diadrom_unknown": http.StatusUnauthorized} {
		req, err := http.NewRequest(http.MethodDelete, s.URL+"/api/v1/products/X", nil)
		require.NoError(t, err)
		req.Header.Set("Sec-Fetch-Site", "cross-site")
		req.Header.Set("Origin", "https://elsewhere.example")
		if header != "" {
			req.Header.Set("Authorization", header)
		}
		resp, err := s.client.Do(req)
		require.NoError(t, err)
		resp.Body.Close()
		assert.Equal(t, want, resp.StatusCode, header)
	}
}

// What other programs send is held to what could have been typed.
func TestNamesOfTheAPIAreOneLine(t *testing.T) {
	s := lauha(t)
	for sku, body := range map[string]string{"A%0AB": `{}`, "A%20": `{}`, "A%E2%80%AEB": `{}`, "A%C2%85B": `{}`,
		"OK": `{"name":"two\nlines"}`, "OK2": `{"name":"\u202etxet"}`, "OK3": `{"name":" spaces "}`} {
		resp, answer := s.call(http.MethodPut, "/api/v1/products/"+sku, "", body)
		assert.Equal(t, http.StatusUnprocessableEntity, resp.StatusCode, "%s %s: %s", sku, body, answer)
	}
	resp, answer := s.call(http.MethodPut, "/api/v1/products/A%20B-1", "", `{"name":"Löyly — 2 l"}`)
	assert.Equal(t, http.StatusCreated, resp.StatusCode, answer)
	f := s.draft.State().File.Clone()
	f.Zones[0].Name = "North\nSouth"
	resp, answer = s.call(http.MethodPut, "/api/v1/store", "", string(f.Write()))
	assert.Equal(t, http.StatusUnprocessableEntity, resp.StatusCode, answer)
	assert.Contains(t, answer, `"/zones/0/name"`)
}
