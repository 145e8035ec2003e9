package widget

import (
	"compress/gzip"
	"crypto/sha512"
	"encoding/base64"
	"io"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTheScriptIsSmallAndForEverybody(t *testing.T) {
	packed := pack(Script)
	assert.Less(t, len(packed), 20_000)
	t.Logf("%d bytes, %d as gzip", len(Script), len(packed))
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	Routes(r, func(r *http.Request) string { return "https://" + r.Host })
	get := func(method string, headers ...string) *http.Response {
		req := httptest.NewRequest(method, "/widget.js", nil)
		for i := 0; i < len(headers); i += 2 {
			req.Header.Set(headers[i], headers[i+1])
		}
		w := httptest.NewRecorder()
		r.ServeHTTP(w, req)
		return w.Result()
	}
	plain := get("GET")
	body, err := io.ReadAll(plain.Body)
	require.NoError(t, err)
	assert.Equal(t, Script, body)
	assert.Equal(t, "*", plain.Header.Get("Access-Control-Allow-Origin"))
	assert.Equal(t, "text/javascript; charset=utf-8", plain.Header.Get("Content-Type"))
	zipped := get("GET", "Accept-Encoding", "gzip, br")
	z, err := gzip.NewReader(zipped.Body)
	require.NoError(t, err)
	body, err = io.ReadAll(z)
	require.NoError(t, err)
	assert.Equal(t, Script, body)
	assert.Equal(t, http.StatusNotModified, get("GET", "If-None-Match", plain.Header.Get("ETag")).StatusCode)
	assert.Equal(t, http.StatusOK, get("HEAD").StatusCode)
}

// A version has an address that never has another content, so that a page may say what it must be.
func TestAVersionIsServedAsItIs(t *testing.T) {
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	Routes(r, func(r *http.Request) string { return "https://" + r.Host })
	get := func(host, path string) *httptest.ResponseRecorder {
		req := httptest.NewRequest("GET", "https://"+host+path, nil)
		w := httptest.NewRecorder()
		r.ServeHTTP(w, req)
		return w
	}
	w := get("shipping.example", Path())
	assert.Equal(t, http.StatusOK, w.Code)
	assert.Contains(t, w.Header().Get("Cache-Control"), "immutable")
	sum := sha512.Sum384(w.Body.Bytes())
	assert.Equal(t, "sha384-"+base64.StdEncoding.EncodeToString(sum[:]), Integrity(Script))
	names, err := fs.Glob(versions, "versions/*.js")
	require.NoError(t, err)
	for _, name := range names {
		body, err := versions.ReadFile(name)
		require.NoError(t, err)
		assert.Equal(t, "versions/widget-"+version(body)+".js", name, "it is the script that this name was given to")
		assert.Equal(t, body, get("shipping.example", strings.TrimPrefix(name, "versions")).Body.Bytes())
	}
	// A module says where it asks, wherever it is bundled to.
	for _, host := range []string{"shipping.example", "other.example:8443"} {
		w := get(host, "/widget.mjs")
		assert.Equal(t, http.StatusOK, w.Code)
		assert.Contains(t, w.Body.String(), `const home = "https://`+host+`";`)
		assert.NotContains(t, w.Body.String(), "currentScript")
	}
	assert.Contains(t, get("shipping.example", "/widget.d.ts").Header().Get("Content-Type"), "typescript")
}

// The types name every attribute's property, event and method that the script has.
func TestTheTypesAreThoseOfTheScript(t *testing.T) {
	for _, name := range regexp.MustCompile(`(?m)^    (?:get |set )?([a-z][A-Za-z]+)\([a-z]*\) \{$`).FindAllSubmatch(Script, -1) {
		if n := string(name[1]); !strings.HasSuffix(n, "Callback") && n != "constructor" {
			assert.Contains(t, string(types), n, "a property or method of the element")
		}
	}
	for _, event := range regexp.MustCompile(`CustomEvent\("([a-z-]+)"`).FindAllSubmatch(Script, -1) {
		assert.Contains(t, string(types), `"`+string(event[1])+`"`)
	}
	for _, state := range regexp.MustCompile(`#state(?:, why(?:, anchor)?\] =| =)\s*\[?"([a-z]+)"`).FindAllSubmatch(Script, -1) {
		assert.Contains(t, string(types), `"`+string(state[1])+`"`)
	}
}

// A page's policy forbids what makes code or markup of text.
func TestTheScriptMakesNoCodeOrMarkupOfText(t *testing.T) {
	assert.NotRegexp(
		t,
		regexp.MustCompile(`innerHTML|outerHTML|insertAdjacentHTML|\beval\b|new Function|document\.write|\.style\b`),
		string(Script),
	)
}

// Every language has every word.
func TestEveryLanguageHasEveryWord(t *testing.T) {
	block := regexp.MustCompile(`(?s)\n    ([a-z]{2}): \{\n(.*?)\n    \},`)
	word := regexp.MustCompile(`\b([a-zA-Z]+): (?:"|\[)`)
	var first []string
	for _, b := range block.FindAllStringSubmatch(string(Script), -1) {
		var words []string
		for _, w := range word.FindAllStringSubmatch(b[2], -1) {
			words = append(words, w[1])
		}
		if first == nil {
			first = words
			continue
		}
		assert.ElementsMatch(t, first, words, b[1])
	}
	assert.Len(t, block.FindAllString(string(Script), -1), 6)
}
