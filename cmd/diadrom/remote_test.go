package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A set-up comes out of a running server, is changed in a file, looked at, goes in and is published.
func TestASetUpOfARunningServer(t *testing.T) {
	s := serveFolder(t, t.TempDir())
	defer s.kill()
	t.Setenv(keyVariable, serverKey(t, s, "setup"))
	out, errors, code := call(t, "export", "--server", s.url)
	require.Zero(t, code, errors)
	name := filepath.Join(t.TempDir(), "store.json")
	require.NoError(
		t,
		os.WriteFile(name, []byte(strings.Replace(out, "Parcel to your door", "To your door", 1)), 0o600),
	)
	out, errors, code = call(t, "import", "--server", s.url, "--store", name, "--yes")
	require.Zero(t, code, errors)
	assert.Contains(t, out, "To your door")
	assert.Contains(t, out, "The draft is replaced.")
	out, _, code = call(t, "import", "--server", s.url, "--store", name)
	assert.Zero(t, code)
	assert.Contains(t, out, "Nothing changes")
	out, _, code = call(t, "diff", "live", "draft", "--server", s.url)
	assert.Equal(t, exitFaults, code)
	assert.Contains(t, out, "To your door")
	out, _, code = call(t, "review", "--server", s.url)
	assert.Equal(t, exitFaults, code, "the demo has a warning that loses money")
	assert.Contains(t, out, `"code": "tax_missing"`)
	out, errors, code = call(t, "publish", "--server", s.url, "--note", "From a file", "--yes")
	require.Zero(t, code, errors)
	assert.Contains(t, out, "Edition 2 is live.")
	out, _, code = call(t, "publish", "--server", s.url)
	assert.Zero(t, code)
	assert.Contains(t, out, "Nothing to publish")

	require.NoError(t, os.WriteFile(name, []byte(`{"format":"diadrom-store/1","store":{}}`), 0o600))
	_, errors, code = call(t, "import", "--server", s.url, "--store", name)
	assert.Equal(t, exitBrokenRule, code)
	assert.Contains(t, errors, "/store/currency")
	t.Setenv(keyVariable, serverKey(t, s))
	_, errors, code = call(t, "export", "--server", s.url)
	assert.Equal(t, exitBrokenRule, code)
	assert.Contains(t, errors, "403")
	t.Setenv(keyVariable, "")
	_, errors, _ = call(t, "export", "--server", s.url)
	assert.Contains(t, errors, keyVariable)
	for _, args := range [][]string{{"export"}, {"export", "--data", "x", "--server", s.url}, {"export", "--server", "nothing"},
		{"import", "--store", name}, {"review"}} {
		_, _, code = call(t, args...)
		assert.Equal(t, exitBrokenRule, code, args)
	}
}
