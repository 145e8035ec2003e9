package web

import (
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"diadrom/internal/auth"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// browser is another browser at the same shop.
func (s *site) browser(t *testing.T) *http.Client {
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	return &http.Client{Jar: jar}
}

// at sends a form in a browser and gives where it led to.
func (s *site) at(b *http.Client, path string, pairs ...string) (status int, to string) {
	s.t.Helper()
	form := url.Values{}
	for i := 0; i < len(pairs); i += 2 {
		form.Set(pairs[i], pairs[i+1])
	}
	req, err := http.NewRequest(http.MethodPost, s.URL+path, strings.NewReader(form.Encode()))
	require.NoError(s.t, err)
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	req.Header.Set("User-Agent", "Mozilla/5.0 (X11; Linux x86_64) Firefox/150.0")
	resp, err := b.Do(req)
	require.NoError(s.t, err)
	resp.Body.Close()
	return resp.StatusCode, resp.Request.URL.Path
}

func TestASecondFactorIsAskedFor(t *testing.T) {
	s := own(t, Options{})
	status, _ := s.at(s.client, "/start", "name", "Aino", "passphrase", passphrase)
	require.Equal(t, 200, status)
	status, body := s.post("/people/factor")
	assert.Equal(t, 422, status, "a session alone does not lock its owner out")
	holds(t, body, "type your passphrase here first")
	status, body = s.post("/people/factor", "again", "a guess that is long")
	assert.Equal(t, 422, status)
	holds(t, body, "this is not your passphrase")
	_, body = s.post("/people/factor", "again", passphrase)
	secret := strings.ReplaceAll(
		regexp.MustCompile(`id="factor-secret">([A-Z2-7 ]+)<`).FindStringSubmatch(body)[1],
		" ",
		"",
	)
	assert.Contains(t, body, `src="data:image/png;base64,`)
	status, body = s.post("/people/factor/confirm", "factor", "000000")
	assert.Equal(t, 422, status)
	holds(t, body, "this code is not right")
	other := s.browser(t)
	_, to := s.at(other, "/sign-in", "name", "Aino", "passphrase", passphrase)
	assert.Equal(t, "/zones", to, "it counts once a code of it was typed")
	code, err := totp.GenerateCode(secret, time.Now())
	require.NoError(t, err)
	status, body = s.post("/people/factor/confirm", "factor", code)
	require.Equal(t, 200, status)
	recovery := regexp.MustCompile(`[A-Z2-7]{4}-[A-Z2-7]{4}-[A-Z2-7]{4}`).FindAllString(body, -1)
	require.Len(t, recovery, auth.RecoveryCodes)
	resp, err := other.Get(s.URL + "/zones")
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, "/sign-in", resp.Request.URL.Path, "who was signed in elsewhere types it too")

	status, to = s.at(other, "/sign-in", "name", "Aino", "passphrase", passphrase, "then", "/rates/parcel")
	assert.Equal(t, "/sign-in/code", to)
	assert.Equal(t, 200, status)
	resp, err = other.Get(s.URL + "/zones")
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, "/sign-in", resp.Request.URL.Path, "half a session opens nothing")
	status, _ = s.at(other, "/sign-in/code", "factor", code)
	assert.Equal(t, 422, status, "a code counts once")
	status, _ = s.at(other, "/sign-in/code", "factor", "123456")
	assert.Equal(t, 422, status)
	next, err := totp.GenerateCode(secret, time.Now().Add(30*time.Second))
	require.NoError(t, err)
	_, to = s.at(other, "/sign-in/code", "factor", next, "then", "/rates/parcel")
	assert.Equal(t, "/rates/parcel", to)
	third := s.browser(t)
	s.at(third, "/sign-in", "name", "Aino", "passphrase", passphrase)
	_, to = s.at(third, "/sign-in/code", "factor", strings.ToLower(recovery[3]))
	assert.Equal(t, "/zones", to)
	fourth := s.browser(t)
	s.at(fourth, "/sign-in", "name", "Aino", "passphrase", passphrase)
	status, _ = s.at(fourth, "/sign-in/code", "factor", recovery[3])
	assert.Equal(t, 422, status, "a recovery code counts once")

	_, body = s.get("/people")
	holds(
		t,
		body,
		"9 recovery codes left",
		"Firefox on Linux",
		"this one",
		"typed a wrong code",
		"used a recovery code",
		"added a second factor",
	)
	sessions := regexp.MustCompile(`/people/sessions/(\d+)/end`).FindAllStringSubmatch(body, -1)
	require.Len(t, sessions, 2)
	s.post("/people/sessions/" + sessions[0][1] + "/end")
	resp, err = third.Get(s.URL + "/zones")
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, "/sign-in", resp.Request.URL.Path, "signed out there")
	s.post("/people/sessions/others/end")
	resp, err = other.Get(s.URL + "/zones")
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, "/sign-in", resp.Request.URL.Path)

	fifth := s.another() // who signed in elsewhere types a code again
	_, _ = fifth.at(fifth.client, "/sign-in", "name", "Aino", "passphrase", passphrase)
	_, to = fifth.at(fifth.client, "/sign-in/code", "factor", recovery[5])
	require.Equal(t, "/zones", to)
	for path, more := range map[string][]string{"/people": {"name", "Veli", "passphrase", "another row of odd words"},
		"/people/factor/remove": nil, "/keys": {"name", "Mine"}, "/people/sessions/others/end": nil, "/keys/signing": nil,
		"/people/1": {"active", "no"}, "/people/1/factor": nil, "/people/passphrase": {"now", passphrase, "passphrase", "x"}} {
		status, body = fifth.post(path, more...)
		assert.Equal(t, 422, status, path)
		holds(t, body, "type a code of your second factor here first")
	}
	status, body = fifth.post("/keys", "name", "Mine", "again", passphrase)
	assert.Equal(t, 422, status, "the passphrase alone is not enough")
	holds(t, body, "this code is not right", `value="Mine"`)
	status, _ = fifth.post("/people/factor/remove", "again", recovery[6])
	assert.Equal(t, 200, status)
	_, to = s.at(s.browser(t), "/sign-in", "name", "Aino", "passphrase", passphrase)
	assert.Equal(t, "/zones", to)
	for _, table := range []string{"factor", "recovery"} {
		var n int
		require.NoError(t, s.db.Handle().QueryRow("SELECT count(*) FROM "+table).Scan(&n))
		assert.Zero(t, n, table)
	}
}
