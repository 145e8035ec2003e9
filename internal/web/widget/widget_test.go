package widget

import (
	"compress/gzip"
	"io"
	"net/http"
	"net/http/httptest"
	"regexp"
	"testing"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTheScriptIsSmallAndForEverybody(t *testing.T) {
	assert.Less(t, len(packed), 20_000)
	t.Logf("%d bytes, %d as gzip", len(Script), len(packed))
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	Routes(r)
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
