package main

import (
	"net/http"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A key that is made on the machine holds at once in the server that runs there.
func TestAKeyIsMadeOnTheMachine(t *testing.T) {
	dir := t.TempDir()
	s := serveFolder(t, dir)
	defer s.kill()
	ask := func(key, origin string) int {
		t.Helper()
		req, err := http.NewRequest("POST", s.url+"/api/v1/quotes", strings.NewReader(`{"to":{"country":"FI"},"lines":[]}`))
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+key)
		req.Header.Set("Content-Type", "application/json")
		if origin != "" {
			req.Header.Set("Origin", origin)
		}
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		resp.Body.Close()
		return resp.StatusCode
	}
	assert.Equal(t, http.StatusUnauthorized, ask("diadrom_AAAAAAAAAAAAAAAAAAAAAAAAAA", ""), "a key that nobody made")
	out, errors, code := call(t, "key", "--data", dir, "--name", "Web shop", "--may", "products,setup", "--until",
		"2999-12-31")
	require.Zero(t, code, errors)
	require.Regexp(t, regexp.MustCompile(`^diadrom_[A-Z2-7]{26}\n$`), out)
	require.Eventually(t, func() bool { return ask(strings.TrimSpace(out), "") == http.StatusOK }, time.Minute,
		100*time.Millisecond)
	out, errors, code = call(t, "key", "--data", dir, "--name", "Pages", "--pages", "https://shop.example")
	require.Zero(t, code, errors)
	require.Regexp(t, regexp.MustCompile(`^diadrom_pub_[A-Z2-7]{26}\n$`), out)
	require.Eventually(t, func() bool { return ask(strings.TrimSpace(out), "https://shop.example") == http.StatusOK },
		time.Minute, 100*time.Millisecond)
	assert.Equal(t, http.StatusForbidden, ask(strings.TrimSpace(out), "https://other.example"))
	for _, c := range [][2]string{{"--may=fly", "is not a right"}, {"--until=soon", "is not a date"},
		{"--until=2001-01-01", "has passed"},
		{"--pages=shop", "is not the address of a site"}, {"--name=", "a name is needed"}} {
		_, errors, code = call(t, "key", "--data", dir, "--name", "X", c[0])
		assert.NotZero(t, code, c[0])
		assert.Contains(t, errors, c[1])
	}
	_, errors, code = call(t, "key", "--data", t.TempDir(), "--name", "X")
	assert.NotZero(t, code)
	assert.Contains(t, errors, "there is no shop in")
}
