package main

import (
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func signIn(t *testing.T, at, name, passphrase string) int {
	t.Helper()
	req, err := http.NewRequest(
		http.MethodPost,
		at+"/sign-in",
		strings.NewReader(url.Values{"name": {name}, "passphrase": {passphrase}}.Encode()),
	)
	require.NoError(t, err)
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	resp, err := http.DefaultTransport.RoundTrip(req)
	require.NoError(t, err)
	resp.Body.Close()
	return resp.StatusCode
}

// A shop is served once, begun with the code that was printed, and its owner is let in again by whoever works
// on the machine.
func TestAShopIsServedOnceAndItsOwnerRecovered(t *testing.T) {
	dir := t.TempDir()
	address, server := storetest.Start(t, binary, "serve", dir)
	defer storetest.Kill(server)
	at := storetest.Base(address)
	require.Contains(t, address, "/start?code=")
	_, errs, code := call(t, "serve", "--data", dir, "--listen", "127.0.0.1:0")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "diadrom at "+at, "who holds the shop")

	parsed, err := url.Parse(address)
	require.NoError(t, err)
	form := url.Values{"name": {"Aino"}, "passphrase": {"three words of löyly"}}
	resp, err := http.PostForm(at+"/start", form)
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, http.StatusForbidden, resp.StatusCode, "without the code")
	form.Set("code", parsed.Query().Get("code"))
	resp, err = http.PostForm(at+"/start", form)
	require.NoError(t, err)
	body, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	resp.Body.Close()
	assert.Less(t, resp.StatusCode, 400, string(body))

	out, errs, code := call(t, "recover", "--data", dir)
	require.Zero(t, code, errs)
	lines := strings.Split(strings.TrimSpace(out), "\n")
	assert.Contains(t, lines[0], "Aino signs in with this passphrase now")
	assert.Equal(t, http.StatusUnprocessableEntity, signIn(t, at, "Aino", "three words of löyly"))
	assert.Equal(t, http.StatusSeeOther, signIn(t, at, "Aino", lines[1]))
	_, errs, code = call(t, "recover", "--data", dir, "--name", "Mallory")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "no owner called")
	_, errs, code = call(t, "recover", "--data", t.TempDir())
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "there is no shop")

	storetest.Kill(server)
	_, again := storetest.Start(t, binary, "serve", dir) // the lock ended with the process
	storetest.Kill(again)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "diadrom.db.part"), []byte("left by a kill"), 0o600))
	_, again = storetest.Start(t, binary, "serve", dir)
	storetest.Kill(again)
	_, err = os.Stat(filepath.Join(dir, "diadrom.db.part"))
	assert.ErrorIs(t, err, os.ErrNotExist)
}

func TestWhatIsSaidOfAProxyIsChecked(t *testing.T) {
	for flag, says := range map[string]string{"--public-url=shipping.example": "write scheme and host",
		"--public-url=https://a.example/path": "write scheme and host", "--trusted-proxy=nobody": "write an address " +
			"or a network"} {
		_, errs, code := call(t, "serve", "--data", t.TempDir(), flag)
		assert.Equal(t, 2, code)
		assert.Contains(t, errs, says)
	}
}
