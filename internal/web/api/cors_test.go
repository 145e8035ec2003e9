package api

import (
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// sent sends a request as a page of an origin does, or a program without one.
func (s *shop) sent(t *testing.T, method, path, origin, body string, more ...string) *http.Response {
	t.Helper()
	req, err := http.NewRequest(method, s.URL+path, strings.NewReader(body))
	require.NoError(t, err)
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	if origin != "" {
		req.Header.Set("Origin", origin)
	}
	for i := 0; i < len(more); i += 2 {
		req.Header.Set(more[i], more[i+1])
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	t.Cleanup(func() { resp.Body.Close() })
	return resp
}

// As the Fetch Standard has it: a page may read an answer whose Access-Control-Allow-Origin is its own origin, and may
// send a key after a preflight that allows the header Authorization.
func TestPagesOfNamedSitesMayAsk(t *testing.T) {
	s := opened(t)
	s.asker = page
	const other = "https://elsewhere.example"
	preflight := []string{"Access-Control-Request-Method", "POST", "Access-Control-Request-Headers",
		"authorization,content-type"}
	for origin, allowed := range map[string]string{site: site, other: "", "null": "", site + ":444": ""} {
		resp := s.sent(t, http.MethodOptions, "/api/v1/quotes", origin, "", preflight...)
		assert.Equal(t, http.StatusNoContent, resp.StatusCode)
		assert.Equal(t, allowed, resp.Header.Get("Access-Control-Allow-Origin"), origin)
		assert.Contains(t, resp.Header.Values("Vary"), "Origin")
		assert.Equal(t, allowed != "", resp.Header.Get("Access-Control-Max-Age") == "7200", "remembered for two hours")
		assert.Equal(
			t,
			allowed != "",
			strings.Contains(resp.Header.Get("Access-Control-Allow-Headers"), "Authorization"),
		)
		assert.Empty(t, resp.Header.Get("Access-Control-Allow-Credentials"), "nobody's session is lent to a page")

		resp = s.sent(t, http.MethodPost, "/api/v1/quotes", origin, one)
		want := http.StatusForbidden
		if allowed != "" {
			want = http.StatusOK
			assert.Contains(t, resp.Header.Get("Access-Control-Expose-Headers"), "RateLimit")
		}
		assert.Equal(t, want, resp.StatusCode, origin)
		assert.Equal(t, allowed, resp.Header.Get("Access-Control-Allow-Origin"))
	}
	assert.Equal(t, http.StatusForbidden, s.sent(t, http.MethodPost, "/api/v1/quotes", "", one).StatusCode,
		"a publishable key is for pages")
	s.asker = aShop
	assert.Equal(t, http.StatusForbidden, s.sent(t, http.MethodPost, "/api/v1/quotes", site, one).StatusCode,
		"a key for servers in a page is read by everybody")
	assert.Equal(t, http.StatusOK, s.sent(t, http.MethodPost, "/api/v1/quotes", "", one).StatusCode)
	s.asker = page
	resp := s.sent(t, http.MethodPost, "/api/v1/quotes", site, `{`)
	assert.Equal(t, site, resp.Header.Get("Access-Control-Allow-Origin"), "a page can read what is wrong")
	resp = s.sent(t, http.MethodDelete, "/api/v1/quotes", site, "")
	assert.Equal(t, 405, resp.StatusCode)
	assert.Equal(t, site, resp.Header.Get("Access-Control-Allow-Origin"))
	assert.Equal(t, "*", s.sent(t, http.MethodGet, "/.well-known/jwks.json", other, "").Header.Get(
		"Access-Control-Allow-Origin"), "public keys are for everybody")
}

// What a buyer may not see is in no answer to a key that everybody can read.
func TestAPublishableKeyGetsWhatBuyersSee(t *testing.T) {
	s := opened(t)
	s.asker = page
	body := `{"to":{"country":"FI","postcode":"99999"},"checkout":true,"lines":[{"sku":"STONE-20","quantity":9},{"price":"1","quantity":1}]}`
	status, answer := s.ask(t, body, true)
	require.Equal(t, http.StatusOK, status, answer)
	var got struct {
		Zones, Warnings []any
		Options         []struct {
			Zone, Charge string
			Steps        []any
			Offer        map[string]any
		}
		Refused []struct{ Method, Reason, Text string }
	}
	require.NoError(t, json.Unmarshal([]byte(answer), &got))
	assert.Empty(t, got.Zones)
	assert.Empty(t, got.Warnings)
	require.NotEmpty(t, got.Options)
	for _, o := range got.Options {
		assert.Empty(t, o.Zone)
		assert.Empty(t, o.Steps)
		assert.NotEmpty(t, o.Charge)
		assert.NotNil(t, o.Offer)
	}
	for _, r := range got.Refused {
		assert.Empty(t, r.Reason)
		assert.NotEmpty(t, r.Text, "the others stay hidden")
	}
	for field, status := range map[string]int{`"costs":true`: 403, `"customer":"C-1007"`: 403, `"group":"trade"`: 403,
		`"coupons":["LÖYLY"]`: 200, `"hold":"PT5M"`: 200} {
		got, answer := s.ask(t, `{"to":{"country":"FI"},`+field+`}`, true)
		assert.Equal(t, status, got, field+answer)
	}
	got403, _ := s.get(t, "/api/v1/review")
	assert.Equal(t, 403, got403)
	resp := s.sent(t, http.MethodPost, "/api/v1/quotes?of=draft", site, one)
	assert.Equal(t, 403, resp.StatusCode)
	resp = s.sent(t, http.MethodPost, "/api/v1/quotes/verify", site, `{}`)
	assert.Equal(t, 403, resp.StatusCode)
	assert.Equal(t, 200, s.sent(t, http.MethodGet, "/api/v1/address-forms", site, "").StatusCode)
}

// RateLimit and RateLimit-Policy are structured fields as in draft-ietf-httpapi-ratelimit-headers-10, section 3 and 4.
func TestLimitsAreTold(t *testing.T) {
	s := opened(t)
	s.asker = aShop
	resp := s.sent(t, http.MethodPost, "/api/v1/quotes", "", one)
	assert.Equal(t, `"key";q=2000;w=4`, resp.Header.Get("RateLimit-Policy"))
	assert.Regexp(t, `^"key";r=199[89];t=1$`, resp.Header.Get("RateLimit"))
	s.asker = page
	for range VisitorBurst {
		resp = s.sent(t, http.MethodPost, "/api/v1/quotes", site, one)
		require.Equal(t, 200, resp.StatusCode)
	}
	assert.Equal(t, `"site";q=800;w=4, "visitor";q=60;w=12`, resp.Header.Get("RateLimit-Policy"))
	for range VisitorRate {
		resp = s.sent(t, http.MethodPost, "/api/v1/quotes", site, one)
	}
	if resp.StatusCode == 429 { // on a slow machine another five may have come meanwhile
		assert.Contains(t, resp.Header.Get("RateLimit"), `"visitor";r=0;t=1`)
		assert.NotEmpty(t, resp.Header.Get("Retry-After"))
		body, _ := io.ReadAll(resp.Body)
		assert.Contains(t, string(body), "a visitor may ask for at most 5 quotes a second")
	}
	s.asker.From = "192.0.2.2"
	assert.Equal(t, 200, s.sent(t, http.MethodPost, "/api/v1/quotes", site, one).StatusCode,
		"one visitor takes nothing from another")
}

func BenchmarkLimit(b *testing.B) {
	l := newLimits()
	for b.Loop() {
		held := l.held(&aShop, "")
		end, _ := begin(held)
		held[0].rate.SetBurst(1 << 30) // it is what counting costs that is measured
		heldOff(held, 1)
		describe(httptest.NewRecorder().Header(), held)
		end()
	}
}
