package carriers

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/outside/standin"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// post is an invented carrier: parcels by weight, and letters that take only small ones.
const post = `{"format":"diadrom-store/1","store":{"currency":"EUR"},"zones":[{"id":"fi","places":[{"country":"FI"}]}],
 "methods":[{"id":"parcel","label":"Post parcel","days":{"min":2,"max":3,"business":true},"tables":[{"id":"t",
		"zones":["fi"],
  "by":"weight","edges":"up_to","rows":[{"at":"2","charges":["5.10"]},{"at":"30","charges":["7.20"]}]}]},
 {"id":"letter","label":"Letter","needs":{"longest_side":{"to":"35"}},"tables":[{"id":"t","zones":["fi"],"by":"weight",
  "edges":"up_to","rows":[{"at":"1","charges":["2.40"]}]}]}]}`

// counted is a carrier that counts what it is asked.
func counted(t *testing.T, asked *atomic.Int64, bad standin.Misbehave) *httptest.Server {
	f, faults := store.Read([]byte(post))
	require.Empty(t, faults)
	handler := bad.Handler(standin.NewCarrier(quote.Compile(f, nil)))
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		handler.ServeHTTP(w, r)
	}))
	t.Cleanup(s.Close)
	return s
}

func ask(url string, kilograms ...string) quote.CarrierAsk {
	a := quote.CarrierAsk{Carrier: &store.Carrier{ID: "post", URL: url}, Currency: "EUR",
		From: place.Address{Country: "FI", Postcode: "21100"}, To: place.Address{Country: "FI", Postcode: "00100"}}
	for _, kg := range kilograms {
		a.Parcels = append(a.Parcels, quote.CarrierParcel{Kilograms: decimal.MustParse(kg)})
	}
	return a
}

// words writes an answer shortly.
func words(a quote.CarrierAnswer) string {
	if a.Failure != "" {
		return "failed: " + a.Failure
	}
	var list []string
	for _, r := range a.Rates {
		text := r.Service
		for _, d := range r.Amounts {
			text += " " + d.Fixed(2)
		}
		list = append(list, text)
	}
	return strings.Join(list, ", ")
}

func TestACarrierIsAskedOnceForTheSame(t *testing.T) {
	var asked atomic.Int64
	s := counted(t, &asked, standin.Misbehave{})
	c := New(Options{Local: true})
	answers := c.Rates([]quote.CarrierAsk{ask(s.URL, "0.5"), ask(s.URL, "0.5", "12"), ask(s.URL, "31")})
	assert.Equal(t, "parcel 5.10, letter 2.40", words(answers[0]))
	assert.Equal(t, "parcel 5.10 7.20", words(answers[1]), "a service that does not take every parcel is not offered")
	assert.Equal(t, "", words(answers[2]))
	assert.Equal(t, &store.Days{Min: 2, Max: 3, Business: true}, answers[0].Rates[0].Days)
	assert.Equal(t, "Post parcel", answers[0].Rates[0].Name)
	assert.Equal(t, int64(3), asked.Load())
	c.Rates([]quote.CarrierAsk{ask(s.URL, "0.5"), ask(s.URL, "31")})
	assert.Equal(t, int64(3), asked.Load(), "remembered")
	var wg sync.WaitGroup
	slow := counted(t, &asked, standin.Misbehave{Slow: 100 * time.Millisecond})
	for range 20 {
		wg.Go(func() { c.Rates([]quote.CarrierAsk{ask(slow.URL, "1")}) })
	}
	wg.Wait()
	assert.Equal(t, int64(4), asked.Load(), "the same question at the same time is one")
}

func TestCarriersThatFail(t *testing.T) {
	var asked atomic.Int64
	answers := func(body string) *httptest.Server {
		s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			asked.Add(1)
			w.Write([]byte(body)) //nolint:errcheck
		}))
		t.Cleanup(s.Close)
		return s
	}
	rate := func(rate string) string { return `{"currency":"EUR","valid_for":300,"rates":[` + rate + `]}` }
	for name, tt := range map[string]struct {
		url  string
		want string
	}{
		"slow": {counted(t, &asked, standin.Misbehave{Slow: 3 * time.Second}).URL,
			"did not answer within 0.3 s"},
		"status":            {counted(t, &asked, standin.Misbehave{Fail: true}).URL, "answered with status 500"},
		"a page":            {counted(t, &asked, standin.Misbehave{Nonsense: true}).URL, "did not answer in the form"},
		"another currency":  {answers(`{"currency":"SEK","rates":[]}`).URL, `answered in "SEK", not in EUR`},
		"no rates":          {answers(`{"currency":"EUR"}`).URL, "did not answer in the form"},
		"too few amounts":   {answers(rate(`{"service":"a","amounts":[]}`)).URL, "did not answer in the form"},
		"a negative amount": {answers(rate(`{"service":"a","amounts":["-1"]}`)).URL, "did not answer in the form"},
		"a number":          {answers(rate(`{"service":"a","amounts":[1.5]}`)).URL, "did not answer in the form"},
		"a service twice": {answers(rate(`{"service":"a","amounts":["1"]},{"service":"a","amounts":["2"]}`)).URL,
			"did not answer in the form"},
		"days that fall": {answers(rate(`{"service":"a","amounts":["1"],"days":{"min":3,"max":1}}`)).URL,
			"did not answer in the form"},
		"nobody": {"http://127.0.0.1:1", "is not there"},
	} {
		t.Run(name, func(t *testing.T) {
			c := New(Options{Local: true, Budget: 300 * time.Millisecond})
			assert.Contains(t, words(c.Rates([]quote.CarrierAsk{ask(tt.url, "1")})[0]), "failed: "+tt.want)
		})
	}
	asked.Store(0)
	s := counted(t, &asked, standin.Misbehave{Fail: true})
	c := New(Options{Local: true})
	for range 8 {
		c.Rates([]quote.CarrierAsk{ask(s.URL, "1")})
	}
	assert.Equal(t, int64(5), asked.Load(), "after five failures in a row a carrier is left alone")
	assert.Contains(t, words(c.Rates([]quote.CarrierAsk{ask(s.URL, "1")})[0]), "failed 5 times in a row and is left "+
		"alone")
}

func TestCarriersOfTheOwnNetworkHaveToBeAllowed(t *testing.T) {
	var asked atomic.Int64
	s := counted(t, &asked, standin.Misbehave{})
	c := New(Options{})
	assert.Equal(t, "failed: is not asked: its address does not begin with https",
		words(c.Rates([]quote.CarrierAsk{ask(s.URL, "1")})[0]))
	https := strings.Replace(s.URL, "http:", "https:", 1)
	assert.Contains(t, words(c.Rates([]quote.CarrierAsk{ask(https, "1")})[0]), "is not at a public address")
	assert.Zero(t, asked.Load())
}

func TestTheSecretIsSentAndNothingElseOfTheShop(t *testing.T) {
	t.Setenv("DIADROM_CARRIER_POST_NORTH", "s3cret")
	var token, path string
	var body map[string]any
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		token, path = r.Header.Get("Authorization"), r.URL.Path
		assert.NoError(t, json.NewDecoder(r.Body).Decode(&body))
		w.Write([]byte(`{"currency":"EUR","rates":[]}`)) //nolint:errcheck
	}))
	defer s.Close()
	a := ask(s.URL+"/v2/", "1.5")
	a.Carrier.ID = "post-north"
	a.Parcels[0].Centimetres = []decimal.Decimal{decimal.MustParse("30"), decimal.MustParse("20.5"), decimal.One}
	New(Options{Local: true, Secret: FromEnvironment}).Rates([]quote.CarrierAsk{a})
	assert.Equal(t, []string{"Bearer s3cret", "/v2/rates"}, []string{token, path})
	assert.Equal(t, map[string]any{"currency": "EUR", "from": map[string]any{"country": "FI", "postcode": "21100"},
		"to":      map[string]any{"country": "FI", "postcode": "00100"},
		"parcels": []any{map[string]any{"weight_kg": "1.5", "length_cm": "30", "width_cm": "20.5", "height_cm": "1"}}},
		body)
}
