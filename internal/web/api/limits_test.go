package api

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whatever is asked under /api is answered as JSON: what is not there, methods that a resource lacks, other versions.
func TestWhatIsNotThereIsAProblemToo(t *testing.T) {
	s := opened(t)
	for _, c := range []struct {
		method, path string
		status       int
		allow        string
	}{
		{"GET", "/api/v1/quotes", 405, "POST"}, {"HEAD", "/api/v1/quotes", 405, "POST"}, {"DELETE", "/api/v1/quotes",
			405, "POST"}, {"OPTIONS", "/api/v1/openapi.yaml", 405, "GET"},
		{"POST", "/api/v1/openapi.yaml", 405, "GET"}, {"HEAD", "/api/v1/address-forms/FI", 405, "GET"},
		{"PUT", "/api/v1/address-forms/FI", 405, "GET"},
		{"GET", "/api", 404, ""}, {"GET", "/api/", 404, ""}, {"POST", "/api/v2/quotes", 404, ""},
		{"GET", "/api/v1/quote", 404, ""}, {"GET", "/api/v1/address-forms/", 404, ""}, {"POST", "/api/v1/quotes/1", 404,
			""},
	} {
		req, err := http.NewRequest(c.method, s.URL+c.path, http.NoBody)
		require.NoError(t, err)
		resp, err := http.DefaultTransport.RoundTrip(req)
		require.NoError(t, err)
		body, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		resp.Body.Close()
		assert.Equal(t, c.status, resp.StatusCode, "%s %s", c.method, c.path)
		assert.Equal(t, c.allow, resp.Header.Get("Allow"), "%s %s", c.method, c.path)
		assert.Equal(t, "application/problem+json", resp.Header.Get("Content-Type"), "%s %s", c.method, c.path)
		if c.method != "HEAD" {
			assert.True(t, json.Valid(body), "%s %s: %s", c.method, c.path, body)
		}
	}
}

const one = `{"to":{"country":"FI","postcode":"21100"},"lines":[{"sku":"TOWEL-70","quantity":1}]}`

func TestBodiesMayBePacked(t *testing.T) {
	s := opened(t)
	post := func(encoding string, body []byte) int {
		req, err := http.NewRequest(http.MethodPost, s.URL+"/api/v1/quotes", bytes.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("Content-Encoding", encoding)
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		resp.Body.Close()
		return resp.StatusCode
	}
	packed := func(text string) []byte {
		var b bytes.Buffer
		z := gzip.NewWriter(&b)
		_, err := z.Write([]byte(text))
		require.NoError(t, err)
		require.NoError(t, z.Close())
		return b.Bytes()
	}
	assert.Equal(t, http.StatusOK, post("gzip", packed(one)))
	assert.Equal(t, http.StatusOK, post("identity", []byte(one)))
	assert.Equal(t, http.StatusUnsupportedMediaType, post("br", []byte(one)))
	assert.Equal(t, http.StatusBadRequest, post("gzip", []byte(one)), "it is not packed")
	assert.Equal(t, http.StatusBadRequest, post("gzip", packed(one)[:30]))
	assert.Equal(
		t,
		http.StatusRequestEntityTooLarge,
		post("gzip", packed(strings.Repeat(" ", MaxBody+1)+one)),
		"4 MB are counted unpacked",
	)
}

// Four million bytes of requests make neither an answer of a hundred million nor a billion in memory.
func TestABatchIsBounded(t *testing.T) {
	s := opened(t)
	handler := s.Config.Handler
	ask := func(body string) (status, size int, allocated uint64) {
		req := httptest.NewRequest(http.MethodPost, "/api/v1/quotes", strings.NewReader(body))
		req.Header.Set("Content-Type", "application/json")
		w := httptest.NewRecorder()
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		handler.ServeHTTP(w, req)
		runtime.ReadMemStats(&after)
		return w.Code, w.Body.Len(), after.TotalAlloc - before.TotalAlloc
	}
	full := func(item string) string {
		return "[" + strings.Repeat(item+",", (MaxBody-100)/(len(item)+1)) + item + "]"
	}
	for item, want := range map[string]int{"{}": http.StatusBadRequest, "null": http.StatusBadRequest,
		"1": http.StatusBadRequest, one: http.StatusRequestEntityTooLarge,
		`{"to":{"country":"XX"}}`: http.StatusUnprocessableEntity, `{"to":{"country":"FI"},
		"x":1}`: http.StatusBadRequest} {
		status, size, allocated := ask(full(item))
		assert.Equal(t, want, status, item)
		assert.Less(t, size, 64<<10, item)
		assert.Less(t, allocated, uint64(64<<20), item)
	}
	status, size, allocated := ask(
		`[{"to":{"country":"FI"},"lines":[` + strings.Repeat(`{"quantity":1},`, 9_999) + `{"quantity":1}]}]`,
	)
	assert.Equal(t, http.StatusOK, status)
	assert.Less(t, size, 64<<10)
	assert.Less(t, allocated, uint64(128<<20))
	status, _, _ = ask("[" + strings.Repeat(one+",", MaxRequests-1) + one + "]")
	assert.Equal(t, http.StatusOK, status, "so many are answered")
}

func TestAKeyAsksForSoMuchAndNoMore(t *testing.T) {
	s := opened(t)
	s.asker = Shop
	batch := "[" + strings.Repeat(one+",", MaxRequests-1) + one + "]"
	codes := map[int]int{}
	for range 2*KeyBurst/MaxRequests + 1 {
		resp, err := http.Post(s.URL+"/api/v1/quotes", "application/json", strings.NewReader(batch))
		require.NoError(t, err)
		var answers []json.RawMessage
		if resp.StatusCode == http.StatusOK {
			require.NoError(t, json.NewDecoder(resp.Body).Decode(&answers))
			assert.Len(t, answers, MaxRequests)
		} else {
			assert.NotEmpty(t, resp.Header.Get("Retry-After"))
		}
		resp.Body.Close()
		codes[resp.StatusCode]++
	}
	assert.GreaterOrEqual(t, codes[http.StatusOK], KeyBurst/MaxRequests)
	assert.Positive(t, codes[http.StatusTooManyRequests], "%v", codes)
	l := newLimits()
	for range KeyAtOnce {
		l.of("key").atOnce <- struct{}{}
	}
	assert.NotSame(t, l.of("key"), l.of("other"), "keys do not share")
	assert.Same(t, l.of("key"), l.of("key"))
}
