package main

import (
	"encoding/json"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	_ "github.com/oapi-codegen/runtime" // of the client that is generated and compiled here
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// serverKey makes a key for a server, with rights, in the demo shop.
func serverKey(t *testing.T, s *served, rights ...string) string {
	t.Helper()
	form := url.Values{"name": {"Test"}, "kind": {"server"}, "right": rights}
	resp, err := http.PostForm(s.url+"/keys", form)
	require.NoError(t, err)
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	key := regexp.MustCompile(`diadrom_[A-Z2-7]{26}`).FindString(string(body))
	require.NotEmpty(t, key, string(body))
	return key
}

func output(t *testing.T, cmd *exec.Cmd) string {
	t.Helper()
	var errors strings.Builder
	cmd.Stderr = &errors
	out, err := cmd.Output()
	require.NoError(t, err, "%v: %s%s", cmd.Args, out, errors.String())
	return string(out)
}

// said is what the demo shop answers to both clients.
const said = "letter true 5.20 EUR\nparcel true 6.90 EUR\nlocker true 5.90 EUR\nvan true 8.00 EUR\n" +
	"workshop false 0.00 EUR\nmarket false 2.00 EUR\n"

// A client that oapi-codegen makes of the description compiles, quotes and verifies.
func TestAGeneratedGoClientQuotes(t *testing.T) {
	t.Parallel()
	s := serveFolder(t, t.TempDir())
	defer s.kill()
	dir := t.TempDir()
	generated := filepath.Join(dir, "client.gen.go")
	output(t, exec.Command("go", "tool", "oapi-codegen", "-generate", "types,client", "-package", "main", "-o", generated,
		"../../internal/web/api/openapi.yaml"))
	here, err := filepath.Abs("testdata/goclient/client.gen.go")
	require.NoError(t, err)
	overlay, err := json.Marshal(map[string]any{"Replace": map[string]string{here: generated}})
	require.NoError(t, err)
	name := filepath.Join(dir, "overlay.json")
	require.NoError(t, os.WriteFile(name, overlay, 0o600))
	program := filepath.Join(dir, "client")
	output(t, exec.Command("go", "build", "-overlay", name, "-o", program, "./testdata/goclient"))
	assert.Equal(t, said+"held true\n200 true\n422 true /1/to/country\n",
		output(t, exec.Command(program, s.url, serverKey(t, s))))
}

// A client with the types that openapi-typescript makes of the description compiles and quotes, and jose, of another
// language's registry, verifies what is held with the published keys.
func TestAGeneratedTypeScriptClientQuotes(t *testing.T) {
	npm, err := exec.LookPath("npm")
	if err != nil {
		t.Skip("npm is not installed")
	}
	t.Parallel()
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, os.DirFS("testdata/tsclient")))
	in := func(name string, args ...string) *exec.Cmd {
		cmd := exec.Command(name, args...)
		cmd.Dir = dir
		return cmd
	}
	if out, err := in(npm, "ping", "--fetch-retries=0").CombinedOutput(); err != nil {
		t.Skipf("npm's registry is not reached: %s", out)
	}
	output(t, in(npm, "ci", "--ignore-scripts", "--prefer-offline", "--no-audit", "--no-fund"))
	description, err := filepath.Abs("../../internal/web/api/openapi.yaml")
	require.NoError(t, err)
	output(t, in("node", "node_modules/openapi-typescript/bin/cli.js", description, "-o", "schema.d.ts"))
	output(t, in("node", "node_modules/typescript/bin/tsc"))
	s := serveFolder(t, t.TempDir())
	defer s.kill()
	assert.Equal(t, said+"jose EdDSA true true\nforged true\nexpired true\nheld true\n200 answered\n422 place\n",
		output(t, in("node", "out/quote.js", s.url, serverKey(t, s))))
}
