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
		{"GET", "/api/v1/quotes", 405, "OPTIONS, POST"}, {"HEAD", "/api/v1/quotes", 405, "OPTIONS, POST"},
		{"DELETE", "/api/v1/quotes", 405, "OPTIONS, POST"}, {"GET", "/api/v1/quotes/batch", 405, "OPTIONS, POST"},
		{"POST", "/api/v1/openapi.yaml", 405, "GET, HEAD, OPTIONS"},
		{"PUT", "/api/v1/address-forms/FI", 405, "GET, HEAD, OPTIONS"},
		{"POST", "/.well-known/jwks.json", 405, "GET, HEAD, OPTIONS"}, {"GET", "/.well-known/other", 404, ""},
		{"GET", "/api", 404, ""}, {"GET", "/api/", 404, ""}, {"POST", "/api/v2/quotes", 404, ""},
		{"GET", "/api/v1/quote", 404, ""}, {"GET", "/api/v1/address-forms/", 404, ""}, {"POST", "/api/v1/quotes/1", 404,
			""}, {"POST", "/api/v1/quotes/", 404, ""}, {"GET", "/api/v1/review/", 404, ""},
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

// What is read is asked for with HEAD as well, and everything says what it takes.
func TestHEADAndOPTIONS(t *testing.T) {
	s := opened(t)
	for path, allow := range map[string]string{"/api/v1/quotes": "OPTIONS, POST", "/api/v1/review": "GET, HEAD, OPTIONS",
		"/api/v1/address-forms/FI": "GET, HEAD, OPTIONS", "/.well-known/jwks.json": "GET, HEAD, OPTIONS"} {
		req, err := http.NewRequest(http.MethodOptions, s.URL+path, http.NoBody)
		require.NoError(t, err)
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		resp.Body.Close()
		assert.Equal(t, http.StatusNoContent, resp.StatusCode)
		assert.Equal(t, allow, resp.Header.Get("Allow"), path)
		if strings.Contains(allow, "HEAD") {
			head, err := http.Head(s.URL + path)
			require.NoError(t, err)
			head.Body.Close()
			got, err := http.Get(s.URL + path)
			require.NoError(t, err)
			body, err := io.ReadAll(got.Body)
			require.NoError(t, err)
			got.Body.Close()
			assert.Equal(t, http.StatusOK, head.StatusCode, path)
			assert.Equal(t, got.Header.Get("Content-Type"), head.Header.Get("Content-Type"))
			assert.NotEmpty(t, body)
			assert.Contains(t, []int64{-1, int64(len(body))}, head.ContentLength, path)
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
	for _, item := range []string{"{}", "null", "1", one, `{"to":{"country":"XX"}}`, `{"to":{"country":"FI"},
		"x":1}`} {
		status, size, allocated := ask(full(item))
		assert.Equal(t, http.StatusRequestEntityTooLarge, status, item)
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

	// A hundred carts of a thousand parcels each: what is beyond 8 MB is asked for again.
	parcels := `{"to":{"country":"FI","postcode":"21100"},"parcels":true,"lines":[{"price":"1","weight":"1","own_parcel":true,"quantity":900}]}`
	status, size, allocated = ask("[" + strings.Repeat(parcels+",", MaxRequests-1) + parcels + "]")
	assert.Equal(t, http.StatusOK, status)
	assert.Less(t, size, MaxAnswers+2<<20)
	assert.Less(t, allocated, uint64(512<<20))
}

// One request that is faulty does not spoil the others, and each is told what is wrong with it.
func TestARequestOfABatchStandsByItself(t *testing.T) {
	s := opened(t)
	bad := []string{`{}`, `null`, `1`, `{"to":{"country":"XX"}}`, `{"to":{"country":"FI"},"x":1}`,
		`{"to":{"country":"FI"},"lines":[{"sku":"NO-SUCH","quantity":1}]}`}
	want := []int{400, 400, 400, 422, 400, 422}
	places := []string{"/0/to/country", "/2", "/4", "/6/to/country", "/8/x", "/10/lines/0/sku"}
	var list []string
	for _, b := range bad {
		list = append(list, b, one)
	}
	body := "[" + strings.Join(list, ",") + "]"
	status, answer := s.askAt(t, "/api/v1/quotes/batch", body, false)
	assert.Equal(t, http.StatusMultiStatus, status)
	var items []struct {
		Status  int
		Answer  json.RawMessage
		Problem *ProblemDetails
	}
	require.NoError(t, json.Unmarshal([]byte(answer), &items))
	require.Len(t, items, 12)
	_, alone := s.ask(t, one, true)
	for i := range bad {
		assert.Equal(t, want[i], items[2*i].Status, bad[i])
		assert.Equal(t, want[i], items[2*i].Problem.Status, bad[i])
		assert.Equal(t, places[i], items[2*i].Problem.Faults[0].Path)
		assert.Equal(t, 200, items[2*i+1].Status)
		assert.JSONEq(t, alone, string(items[2*i+1].Answer))
	}
	status, answer = s.list(t, body)
	assert.Equal(t, http.StatusMultiStatus, status)
	var plain []json.RawMessage
	require.NoError(t, json.Unmarshal([]byte(answer), &plain))
	assert.Contains(t, string(plain[6]), `"status":422`)
	assert.JSONEq(t, alone, string(plain[7]))
	status, _ = s.list(t, `[`+one+`,{]`)
	assert.Equal(t, 400, status, "what is no JSON has no requests")
	status, _ = s.askAt(t, "/api/v1/quotes/batch", one, false)
	assert.Equal(t, 400, status)
}

func TestAKeyAsksForSoMuchAndNoMore(t *testing.T) {
	s := opened(t)
	s.asker = aShop
	batch := "[" + strings.Repeat(one+",", MaxRequests-1) + one + "]"
	codes := map[int]int{}
	for range 3*KeyBurst/MaxRequests + 1 {
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
		_, full := begin(l.held(&aShop, ""))
		assert.Nil(t, full)
	}
	_, full := begin(l.held(&aShop, ""))
	assert.Same(t, l.held(&aShop, "")[0], full)
	end, full := begin(l.held(&costedShop, ""))
	assert.Nil(t, full, "keys do not share")
	end()
}
