package assets

import (
	"io/fs"
	"net/http"
	"net/http/httptest"
	"path"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func asked(t *testing.T, files fs.FS, address, has string) *http.Response {
	t.Helper()
	r := httptest.NewRequest(http.MethodGet, address, nil)
	if has != "" {
		r.Header.Set("If-None-Match", has)
	}
	w := httptest.NewRecorder()
	Handler(files).ServeHTTP(w, r)
	return w.Result()
}

// What a page asks for is kept by browsers for good; by its name alone it is asked about again, and not sent again where it
// is the same (RFC 9111, RFC 8246).
func TestAssetsAreKeptByBrowsers(t *testing.T) {
	kept := asked(t, Files, Base()+"diadrom.css", "")
	assert.Equal(t, 200, kept.StatusCode)
	assert.Equal(t, "public, max-age=31536000, immutable", kept.Header.Get("Cache-Control"))
	assert.Contains(t, kept.Header.Get("Content-Type"), "text/css")

	named := asked(t, Files, Root+"diadrom.css", "")
	assert.Equal(t, 200, named.StatusCode)
	assert.Equal(t, "no-cache", named.Header.Get("Cache-Control"))
	assert.Equal(t, 304, asked(t, Files, Root+"diadrom.css", named.Header.Get("ETag")).StatusCode)
	assert.Equal(t, 200, asked(t, Files, Root+"diadrom.css", `"other"`).StatusCode)

	for _, address := range []string{Base() + "none.css", Root + "0123456789abcdef/diadrom.css"} {
		none := asked(t, Files, address, "")
		assert.Equal(t, 404, none.StatusCode, address)
		assert.NotContains(t, none.Header.Get("Cache-Control"), "immutable", "what is not there is not kept")
	}
	worked := asked(t, fstest.MapFS{"diadrom.css": {Data: []byte("a{}")}}, Root+"diadrom.css", "")
	assert.Equal(t, "no-cache", worked.Header.Get("Cache-Control"), "what is worked on is never kept")
	assert.Empty(t, worked.Header.Get("ETag"))
}

// A script that is not named to the browser at once costs a round trip; one that nobody imports is not loaded.
func TestEveryModuleIsKnown(t *testing.T) {
	all, err := fs.Glob(Files, "js/*.js")
	require.NoError(t, err)
	pages := map[string]bool{"js/ground.js": true, "js/land.js": true, "js/collect.js": true, "js/look.js": true} // of pages that name them
	for _, name := range all {
		if !pages[name] {
			assert.Contains(t, Modules(), name)
		}
	}
	for _, name := range Modules() {
		body, err := fs.ReadFile(Files, name)
		require.NoError(t, err, name)
		for line := range strings.Lines(string(body)) {
			if strings.HasPrefix(line, "import ") {
				_, from, ok := strings.Cut(strings.TrimRight(line, "\n;"), `"./`)
				require.True(t, ok, "%s: %s", name, line)
				assert.Contains(t, Modules(), path.Join(path.Dir(name), strings.TrimSuffix(from, `"`)))
			}
		}
	}
}
