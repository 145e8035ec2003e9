package web

import (
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"diadrom/internal/auth"
	"diadrom/internal/shop/demo"
	"diadrom/internal/web/signin"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const passphrase = "three words of löyly"

// own is a shop of one's own: people sign in.
func own(t *testing.T, options Options) *site {
	t.Helper()
	f, err := demo.Store()
	require.NoError(t, err)
	return openedAs(t, f, true, options)
}

// another is another browser of the same shop.
// sure types the passphrase again, as the page of people asks once in a while.
func (s *site) sure(t *testing.T) {
	t.Helper()
	status, _ := s.post("/people/confirm", "again", passphrase)
	require.Equal(t, http.StatusOK, status)
}

func (s *site) another() *site {
	s.t.Helper()
	jar, err := cookiejar.New(nil)
	require.NoError(s.t, err)
	other := *s
	other.client = &http.Client{Jar: jar}
	return &other
}

func TestTheFirstStartMakesTheOwner(t *testing.T) {
	s := own(t, Options{})
	_, body := s.get("/rates/parcel")
	holds(t, body, "Create the owner account. You can invite others later.", `action="/start"`)
	for _, tt := range []struct{ name, passphrase, says, at string }{
		{" ", passphrase, "a name is needed", `maxlength="60" autofocus aria-invalid`},
		{"Aino", "short", "at least 12 letters", `maxlength="400" autofocus aria-invalid`},
	} {
		status, body := s.post("/start", "name", tt.name, "passphrase", tt.passphrase)
		assert.Equal(t, http.StatusUnprocessableEntity, status)
		holds(t, body, tt.says, `value="`+tt.name+`"`, tt.at)
		assert.NotContains(t, body, tt.passphrase+`"`, "a passphrase is not sent back")
	}
	_, body = s.post("/start", "name", " Aino  Esimerkki ", "passphrase", passphrase)
	holds(t, body, "Aino Esimerkki", `id="till"`)
	other := s.another()
	_, body = other.post("/start", "name", "Mallory", "passphrase", passphrase)
	holds(t, body, "Sign in")
	assert.NotContains(t, body, `id="till"`, "there is an owner already")
	people, err := s.db.People(t.Context())
	require.NoError(t, err)
	assert.Len(t, people, 1)
}

func TestThePublicAddressNeedsTheCodeThatWasPrinted(t *testing.T) {
	s := own(t, Options{SignIn: signin.Options{StartCode: "ABCDEF"}})
	status, body := s.post("/start", "name", "Aino", "passphrase", passphrase, "code", "GUESS")
	assert.Equal(t, http.StatusForbidden, status)
	holds(t, body, "shows that the shop is yours")
	_, body = s.get("/start?code=ABCDEF")
	holds(t, body, `name="code" value="ABCDEF"`)
	_, body = s.post("/start", "name", "Aino", "passphrase", passphrase, "code", "ABCDEF")
	holds(t, body, `id="till"`)
}

func TestSigningIn(t *testing.T) {
	s := own(t, Options{})
	_, _ = s.post("/start", "name", "Aino", "passphrase", passphrase)
	s.sure(t)
	other := s.another()
	_, body := other.get("/rates/parcel")
	holds(t, body, `name="then" value="/rates/parcel"`)
	for _, path := range []string{"/rates/parcel/list/cell", "/live", "/undo", "/people", "/till/destination"} {
		status, _ := other.post(path)
		assert.Equal(t, http.StatusUnauthorized, status, path)
	}
	status, body := other.post("/sign-in", "name", "Aino", "passphrase", "wrong", "then", "/goods")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "do not belong together", `value="Aino"`, `value="/goods"`)
	status, body = other.post("/sign-in", "name", "Nobody", "passphrase", "wrong")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "do not belong together")
	_, body = other.post("/sign-in", "name", "aino", "passphrase", passphrase, "then", "/goods")
	holds(t, body, "<title>Products")
	_, body = other.another().post(
		"/sign-in",
		"name",
		"Aino",
		"passphrase",
		passphrase,
		"then",
		"//elsewhere.example/x",
	)
	holds(t, body, "<title>Zones")
	_, body = other.post("/sign-out")
	holds(t, body, "Sign in")
	_, body = other.get("/goods")
	holds(t, body, "Sign in")
	_, body = s.get("/goods")
	holds(t, body, "<title>Products") // another browser stays signed in

	guess := s.another()
	var last int
	for range 12 {
		last, body = guess.post("/sign-in", "name", "Aino", "passphrase", "guess")
	}
	assert.Equal(t, http.StatusTooManyRequests, last)
	holds(t, body, "tried too often: wait")
	last, _ = guess.post("/sign-in", "name", "Aino", "passphrase", passphrase)
	assert.Equal(t, http.StatusTooManyRequests, last, "not even rightly")
}

func TestAHelperEditsAndAnOwnerPublishes(t *testing.T) {
	s := own(t, Options{})
	_, _ = s.post("/start", "name", "Aino", "passphrase", passphrase)
	s.sure(t)
	status, body := s.post("/people", "name", "aino", "role", "owner", "passphrase", passphrase)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "somebody is called aino already", `value="aino"`, `value="owner" selected`)
	_, body = s.post("/people", "name", "Veli", "role", "helper", "passphrase", passphrase)
	holds(t, body, "Veli may sign in now")
	veli := s.another()
	_, _ = veli.post("/sign-in", "name", "Veli", "passphrase", passphrase)
	veli.price("6.90", "7.20")
	_, body = veli.get("/shop")
	holds(t, body, "an owner can change", "readonly")
	for _, path := range []string{"/live", "/live/1/again", "/people", "/people/1", "/keys", "/keys/1/revoke",
		"/shop/services/roads", "/shop/services/roads/test"} {
		status, body = veli.post(path, "revision", "2", "turn", "1", "name", "x", "passphrase", passphrase)
		assert.Equal(t, http.StatusForbidden, status, path)
		holds(t, body, "Only an owner")
	}
	s.post("/shop/services/addresses", "value", "https://addresses.example")
	_, body = s.get("/people")
	holds(t, body, "set a service", "addresses: https://addresses.example")
	_, body = veli.get("/live")
	holds(t, body, "An owner of the shop publishes it", "Veli")
	assert.NotContains(t, body, "put edition 2 live")
	assert.Equal(t, "7.20", veli.quoted("parcel", "draft"), "who is signed in may see the draft")

	_, body = s.get("/live")
	holds(t, body, ", Veli</span>")
	status, body = s.post("/undo")
	assert.Equal(t, http.StatusOK, status)
	holds(t, body, "Nothing to undo") // it is Veli's edit
	s.price("7.20", "8.00")
	_, body = veli.post("/undo")
	holds(
		t,
		body,
		"this was changed again since: undo that first (Parcel to the door, Finland, up to and including 2 kg: 7.20 "+
			"→ 8.00)",
	)
	_, _ = s.post("/undo")
	_, body = veli.post("/undo")
	holds(t, body, "Undone: Parcel to the door, Finland, up to and including 2 kg: 6.90 → 7.20")

	status, body = s.post("/people/1", "active", "no")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "a shop needs an owner")
	_, body = s.post("/people/2", "active", "no")
	holds(t, body, "deactivated")
	_, body = veli.get("/zones")
	holds(t, body, "Sign in")
	_, body = veli.post("/sign-in", "name", "Veli", "passphrase", passphrase)
	holds(t, body, "do not belong together")
	_, _ = s.post("/people/2", "active", "yes")
	_, body = veli.post("/sign-in", "name", "Veli", "passphrase", passphrase)
	holds(t, body, `id="till"`)

	status, body = veli.post("/people/passphrase", "now", "wrong", "passphrase", "another one of four")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "not your passphrase")
	status, _ = veli.post("/people/passphrase", "now", passphrase, "passphrase", "another one of four")
	assert.Equal(t, http.StatusOK, status)
	_, body = veli.get("/zones")
	holds(t, body, "Sign in") // everywhere
	_, body = veli.post("/sign-in", "name", "Veli", "passphrase", "another one of four")
	holds(t, body, `id="till"`)
}

func TestAKeyOfTheAPI(t *testing.T) {
	s := own(t, Options{})
	_, _ = s.post("/start", "name", "Aino", "passphrase", passphrase)
	s.sure(t)
	ask := func(key string) int {
		req, err := http.NewRequest(
			http.MethodPost,
			s.URL+"/api/v1/quotes",
			strings.NewReader(`{"to":{"country":"FI"}}`),
		)
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		if key != "" {
			req.Header.Set("Authorization", "Bearer "+key)
		}
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		resp.Body.Close()
		return resp.StatusCode
	}
	assert.Equal(t, http.StatusUnauthorized, ask(""))
	assert.Equal(t, http.StatusUnauthorized, ask("diadrom_GUESS"))
	_, body := s.post("/keys", "name", "Web shop")
	key := regexp.MustCompile(`diadrom_[A-Z2-7]{26}`).FindString(body)
	require.NotEmpty(t, key)
	assert.Equal(t, http.StatusOK, ask(key))
	_, body = s.get("/people")
	holds(t, body, "Web shop", "made by Aino")
	assert.NotContains(t, body, key, "shown once")
	keys, err := s.db.APIKeys(t.Context())
	require.NoError(t, err)
	assert.NotContains(t, keys[0].Kept, key[8:], "kept hashed")
	_, body = s.post("/keys/1/revoke")
	holds(t, body, "revoked")
	assert.Equal(t, http.StatusUnauthorized, ask(key))
	_, body = s.post("/keys", "name", "Bookkeeping", "right", "costs")
	holds(t, body, "Bookkeeping", "may ask what sending costs you")
	costed := regexp.MustCompile(`diadrom_[A-Z2-7]{26}`).FindString(body)
	assert.Equal(t, http.StatusOK, ask(costed))
	keys, err = s.db.APIKeys(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []bool{false, true}, []bool{keys[0].May(auth.Costs), keys[1].May(auth.Costs)})
	status, body := s.post("/keys", "name", " ", "right", "costs")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "a name is needed", `value="costs" checked`)
	status, _ = s.post("/keys/x/revoke")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
}

func TestASessionBehindAProxyIsForHTTPSOnly(t *testing.T) {
	s := own(t, proxied)
	s.client.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	req, err := http.NewRequest(
		http.MethodPost,
		s.URL+"/start",
		strings.NewReader("name=Aino&passphrase="+url.QueryEscape(passphrase)),
	)
	require.NoError(t, err)
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	req.Header.Set("X-Forwarded-Proto", "https")
	resp, err := s.client.Do(req)
	require.NoError(t, err)
	resp.Body.Close()
	set := resp.Header.Get("Set-Cookie")
	for _, want := range []string{"__Host-diadrom=", "Path=/", "HttpOnly", "Secure", "SameSite=Lax"} {
		assert.Contains(t, set, want)
	}
	assert.NotContains(t, set, "Domain")
	req.Header.Set("Origin", "https://elsewhere.example")
	req.Header.Set("Sec-Fetch-Site", "cross-site")
	req.Body = http.NoBody
	resp, err = s.client.Do(req)
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, http.StatusForbidden, resp.StatusCode, "another site's form is refused")
}
