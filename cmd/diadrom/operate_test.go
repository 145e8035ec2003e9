package main

import (
	"context"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"diadrom/internal/sqlite"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A flag counts before the environment, that before the file, and that before what is usual.
func TestSettingsAreOfFlagsEnvironmentAndFile(t *testing.T) {
	dir := t.TempDir()
	write := func(text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, settingsName), []byte(text), 0o600))
	}
	write(
		"public-url = \"https://file.example\"\nlog-level = \"warn\"\ntrusted-proxy = [\"10.0.0.1\", \"10.0.0.2\"]\nlocal-services = true\n",
	)
	t.Setenv("DIADROM_PUBLIC_URL", "https://environment.example")
	printed := func(args ...string) string {
		out, errors, code := call(t, append([]string{"serve", "--data", dir, "--print-config"}, args...)...)
		require.Zero(t, code, errors)
		return regexp.MustCompile(` +`).ReplaceAllString(out, " ")
	}
	out := printed()
	assert.Contains(t, out, "public-url = 'https://environment.example' # DIADROM_PUBLIC_URL")
	assert.Contains(t, out, "log-level = 'warn' # "+filepath.Join(dir, settingsName))
	assert.Contains(t, out, "trusted-proxy = ['10.0.0.1', '10.0.0.2'] #")
	assert.Contains(t, out, "local-services = true #")
	assert.Contains(t, out, "log-format = 'text' # default")
	assert.Contains(t, printed("--public-url", "https://flag.example"), "public-url = 'https://flag.example' # flag")
	name := filepath.Join(t.TempDir(), "again.toml")
	require.NoError(t, os.WriteFile(name, []byte(out), 0o600))
	again := printed("--config", name)
	assert.Contains(t, again, "log-level = 'warn' # "+name, "what is printed is read again")
	for text, want := range map[string]string{`publicurl = "x"`: `there is no setting "publicurl"`, `log-level = 5.5`: "log-level",
		`log-level = `: settingsName, `local-services = "perhaps"`: "local-services"} {
		write(text)
		_, errors, code := call(t, "serve", "--data", dir, "--print-config")
		assert.Equal(t, exitBrokenRule, code, text)
		assert.Contains(t, errors, want)
	}
}

// Monitors read what Prometheus reads, on an address of its own.
func TestMonitorsReadMetrics(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	address := l.Addr().String()
	require.NoError(t, l.Close())
	t.Setenv("DIADROM_METRICS", address)
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "x"), nil, 0o600))
	url, cmd := storetest.Start(t, binary, "serve", dir)
	defer storetest.Kill(cmd)
	get := func(path string) (int, string) {
		resp, err := http.Get("http://" + address + path)
		require.NoError(t, err)
		defer resp.Body.Close()
		body, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		return resp.StatusCode, string(body)
	}
	resp, err := http.Get(storetest.Base(url) + "/api/v1/quotes/nothing/here?of=x")
	require.NoError(t, err)
	resp.Body.Close()
	assert.NotEmpty(t, resp.Header.Get("X-Request-Id"))
	status, body := get("/metrics")
	require.Equal(t, 200, status)
	for _, want := range []string{"diadrom_live_edition 0", "diadrom_draft_revision 1", `diadrom_quotes_total{outcome="offered"} 0`,
		`diadrom_http_requests_total{method="GET",route="none",status="404"} 1`, `diadrom_refusals_total{code="no_rate"} 0`,
		`diadrom_database_bytes{file="database"}`, "go_goroutines", `go_sql_open_connections{db_name="shop"}`} {
		assert.Contains(t, body, want)
	}
	status, _ = get("/")
	assert.Equal(t, 404, status)
	resp, err = http.Get(storetest.Base(url) + "/metrics")
	require.NoError(t, err)
	page, _ := io.ReadAll(resp.Body)
	resp.Body.Close()
	assert.NotContains(t, string(page), "diadrom_live_edition", "what monitors read is on no page")
}

func TestDoctorSaysWhatIsWrong(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.Chmod(dir, 0o700))
	s := serveFolder(t, dir)
	out, _, code := call(t, "doctor", "--data", dir, "--public-url", s.url)
	assert.Zero(t, code, out)
	for _, want := range []string{"ok    folder", "ok    database", "ok    edition   edition 1 is live", "ok    restore", "ok    proxy"} {
		assert.Contains(t, out, want)
	}
	s.kill()
	out, _, code = call(t, "doctor", "--data", dir, "--public-url", s.url)
	assert.Equal(t, exitFaults, code)
	assert.Contains(t, out, "does not answer")

	// A bit of the newest backup has flipped, others may read the key, the clock stands before the live edition.
	list, err := sqlite.Backups(dir)
	require.NoError(t, err)
	name := filepath.Join(dir, "backups", list[len(list)-1])
	body, err := os.ReadFile(name)
	require.NoError(t, err)
	body[len(body)/2] ^= 1
	require.NoError(t, os.WriteFile(name, body, 0o600))
	require.NoError(t, os.Chmod(filepath.Join(dir, sqlite.KeyName), 0o644))
	later := strings.Replace(filepath.Base(name), time.Now().UTC().Format("2006"), "2099", 1)
	require.NoError(t, os.Rename(name, filepath.Join(dir, "backups", later)))
	out, _, code = call(t, "doctor", "--data", dir)
	assert.Equal(t, exitFaults, code)
	assert.Contains(t, out, "FAIL  restore")
	assert.Contains(t, out, "FAIL  keys      others may read "+sqlite.KeyName)
	assert.Contains(t, out, "FAIL  clock")
	left, err := filepath.Glob(filepath.Join(dir, sqlite.RestoreTests))
	require.NoError(t, err)
	assert.Empty(t, left)

	out, _, code = call(t, "doctor", "--data", filepath.Join(dir, "nowhere"))
	assert.Equal(t, exitFaults, code)
	assert.Contains(t, out, "is --data right?")
	out, _, _ = call(t, "doctor", "--data", t.TempDir())
	assert.Contains(t, out, "diadrom restore puts a backup in place")
}

// Encrypted backups are restored with their key, and by nobody without it.
func TestEncryptedBackupsAreRestored(t *testing.T) {
	dir := t.TempDir()
	s := serveFolder(t, dir)
	require.NoError(t, s.post("/backups/key"))
	require.Error(t, s.post("/backups/key"), "there is one")
	require.NoError(
		t,
		s.post("/shop", "name", "Kept apart", "currency", "EUR", "weight", "kg", "length", "cm", "distance", "km"),
	)
	require.NoError(t, s.post("/backups"))
	require.NoError(t, s.post("/backups/test"))
	s.kill()
	list, err := sqlite.Backups(dir)
	require.NoError(t, err)
	newest := list[len(list)-1]
	assert.Regexp(t, `\.db\.zst\.age$`, newest)
	body, err := os.ReadFile(filepath.Join(dir, "backups", newest))
	require.NoError(t, err)
	assert.Contains(t, string(body[:40]), "age-encryption.org/v1")
	key := filepath.Join(dir, sqlite.BackupKeyName)
	kept, err := os.ReadFile(key)
	require.NoError(t, err)
	require.NoError(t, os.Remove(key))
	_, errors, code := call(t, "restore", "--data", dir, newest)
	assert.NotZero(t, code)
	assert.Contains(t, errors, "this backup is encrypted: put its key into the file backup.key")
	require.NoError(t, os.WriteFile(key, kept, 0o600))
	out, errors, code := call(t, "restore", "--data", dir, newest)
	require.Zero(t, code, errors)
	assert.Contains(t, out, "is in place")
	db, err := sqlite.Open(context.Background(), dir)
	require.NoError(t, err)
	defer db.Close()
	l, err := db.Load(context.Background())
	require.NoError(t, err)
	assert.Equal(t, "Kept apart", l.File.Store.Name)
}
