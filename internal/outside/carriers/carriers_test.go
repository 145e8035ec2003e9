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
	served := func(handler http.HandlerFunc) string {
		s := httptest.NewServer(handler)
		t.Cleanup(s.Close)
		return s.URL
	}
	status := func(code int, header ...string) string {
		return served(func(w http.ResponseWriter, r *http.Request) {
			for i := 0; i+1 < len(header); i += 2 {
				w.Header().Set(header[i], header[i+1])
			}
			w.WriteHeader(code)
		})
	}
	for name, tt := range map[string]struct {
		url  string
		want string
	}{
		"slow": {counted(t, &asked, standin.Misbehave{Slow: 3 * time.Second}).URL,
			"did not answer within 0.3 s"},
		"status":           {counted(t, &asked, standin.Misbehave{Fail: true}).URL, "answered with status 500"},
		"a page":           {counted(t, &asked, standin.Misbehave{Nonsense: true}).URL, "did not answer in the form"},
		"another currency": {answers(`{"currency":"SEK","rates":[]}`).URL, `answered in "SEK", not in EUR`},
		"an error text":    {answers(`{"error":"no contract"}`).URL, "answered without rates and their currency"},
		"no rates":         {answers(`{"currency":"EUR"}`).URL, "answered without rates"},
		"too few amounts": {answers(rate(`{"service":"a","amounts":[]}`)).URL,
			"answered with 0 amounts for 1 parcels"},
		"too many amounts": {answers(rate(`{"service":"a","amounts":["1","2"]}`)).URL, "answered with 2 amounts"},
		"a negative amount": {answers(rate(`{"service":"a","amounts":["-1"]}`)).URL,
			"answered with an amount that is not"},
		"not a number": {answers(rate(`{"service":"a","amounts":["NaN"]}`)).URL,
			"answered with an amount that is not"},
		"a comma":     {answers(rate(`{"service":"a","amounts":["12,50"]}`)).URL, `of 0 or more: "12,50"`},
		"an exponent": {answers(rate(`{"service":"a","amounts":["1e3"]}`)).URL, `of 0 or more: "1e3"`},
		"a number":    {answers(rate(`{"service":"a","amounts":[1.5]}`)).URL, "did not answer in the form"},
		"no service":  {answers(rate(`{"amounts":["1"]}`)).URL, "a price of no service"},
		"a service twice": {answers(rate(`{"service":"a","amounts":["1"]},{"service":"a","amounts":["2"]}`)).URL,
			`"a" twice`},
		"days that fall": {answers(rate(`{"service":"a","amounts":["1"],"days":{"min":3,"max":1}}`)).URL,
			"delivery time that"},
		"a wrong valid_for": {answers(`{"currency":"EUR","rates":[],"valid_for":1e999}`).URL, "valid_for that is not"},
		"nobody":            {"http://127.0.0.1:1", "is not there"},
		"a wrong secret":    {status(401), "does not accept the secret (status 401)"},
		"a redirect": {status(307, "Location", "http://127.0.0.1:1/"),
			"sends elsewhere, which is not followed"},
		"too many questions": {status(429), "answered with status 429"},
		"50 MB": {served(func(w http.ResponseWriter, r *http.Request) {
			for range 50 {
				w.Write(make([]byte, 1<<20)) //nolint:errcheck
			}
		}), "answered with more than 4 MB"},
		"a stream without end": {served(func(w http.ResponseWriter, r *http.Request) {
			for r.Context().Err() == nil {
				w.Write([]byte(" ")) //nolint:errcheck
				w.(http.Flusher).Flush()
				time.Sleep(10 * time.Millisecond)
			}
		}), "did not answer within 0.3 s"},
	} {
		t.Run(name, func(t *testing.T) {
			budget := time.Minute // what is answered at once is not late on a machine that has much to do
			if strings.HasPrefix(tt.want, "did not answer within") {
				budget = 300 * time.Millisecond
			}
			c := New(Options{Local: true, Budget: budget})
			begun := time.Now()
			answer := words(c.Rates([]quote.CarrierAsk{ask(tt.url, "1")})[0])
			assert.Contains(t, answer, "failed: ")
			assert.Contains(t, answer, tt.want)
			assert.Less(t, time.Since(begun), 20*time.Second)
			assert.Eventually(t, func() bool { // a line on the carrier's page
				r := c.Record("post")
				return len(r.Recent) == 1 && "failed: "+r.Recent[0].Failure == answer
			}, time.Minute, time.Millisecond)
		})
	}
	asked.Store(0)
	s := counted(t, &asked, standin.Misbehave{Fail: true})
	c := New(Options{Local: true})
	for range 8 {
		c.Rates([]quote.CarrierAsk{ask(s.URL, "1")})
	}
	assert.Equal(t, int64(5), asked.Load(), "after five failures in a row a carrier is left alone")
	assert.Equal(t, 3, c.Record("post").LeftAlone)
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

func TestACarrierIsAskedAgainAfterItsRest(t *testing.T) {
	var asked atomic.Int64
	mood := &standin.Mood{}
	f, faults := store.Read([]byte(post))
	require.Empty(t, faults)
	handler := mood.Handler(standin.NewCarrier(quote.Compile(f, nil)))
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		handler.ServeHTTP(w, r)
	}))
	defer s.Close()
	c := New(Options{Local: true, Rest: 200 * time.Millisecond})
	q := []quote.CarrierAsk{ask(s.URL, "0.5")}
	mood.Set(standin.Misbehave{Fail: true})
	for range 7 {
		c.Rates(q)
	}
	assert.Equal(t, int64(5), asked.Load())
	time.Sleep(250 * time.Millisecond)
	c.Rates(q)
	c.Rates(q)
	assert.Equal(t, int64(6), asked.Load(), "one question tries it, and a failure begins the next rest")
	mood.Set(standin.Misbehave{})
	time.Sleep(250 * time.Millisecond)
	assert.Equal(t, "parcel 5.10, letter 2.40", words(c.Rates(q)[0]))
	c.Rates([]quote.CarrierAsk{ask(s.URL, "0.6"), ask(s.URL, "0.7")})
	assert.Equal(t, int64(9), asked.Load(), "and it is asked as before")
}

// A carrier that says when to come again (Retry-After, RFC 9110, section 10.2.3) is left alone until then.
func TestACarrierThatWantsToBeLeftAlone(t *testing.T) {
	var asked atomic.Int64
	for name, after := range map[string]func() string{
		"seconds": func() string { return "1" },
		"moment":  func() string { return time.Now().Add(2 * time.Second).UTC().Format(http.TimeFormat) },
	} {
		t.Run(name, func(t *testing.T) {
			asked.Store(0)
			s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				if asked.Add(1) == 1 {
					w.Header().Set("Retry-After", after())
					w.WriteHeader(http.StatusTooManyRequests)
					return
				}
				w.Write([]byte(`{"currency":"EUR","rates":[]}`)) //nolint:errcheck
			}))
			defer s.Close()
			c := New(Options{Local: true})
			q := []quote.CarrierAsk{ask(s.URL, "1")}
			assert.Contains(t, words(c.Rates(q)[0]), "status 429")
			assert.Contains(t, words(c.Rates(q)[0]), "asked to be left alone until ")
			assert.Equal(t, int64(1), asked.Load())
			assert.Equal(t, 1, c.Record("post").LeftAlone)
			assert.Eventually(t, func() bool { return words(c.Rates(q)[0]) == "" }, 4*time.Second, 50*time.Millisecond)
			assert.Equal(t, int64(2), asked.Load())
		})
	}
}

// A name that resolves to an address of the machine's own network is refused as the address itself is.
func TestANameOfAPrivateAddressIsNotAsked(t *testing.T) {
	var asked atomic.Int64
	s := counted(t, &asked, standin.Misbehave{})
	name := strings.Replace(strings.Replace(s.URL, "http:", "https:", 1), "127.0.0.1", "localhost", 1)
	assert.Contains(t, words(New(Options{}).Rates([]quote.CarrierAsk{ask(name, "1")})[0]), "is not at a public address")
	assert.Zero(t, asked.Load())
}

func TestAQuoteThatDoesNotWait(t *testing.T) {
	var asked atomic.Int64
	s := counted(t, &asked, standin.Misbehave{Slow: 100 * time.Millisecond})
	c := New(Options{Local: true})
	q := []quote.CarrierAsk{ask(s.URL, "0.5")}
	begun := time.Now()
	answers := c.Later().Rates(q)
	assert.True(t, answers[0].Pending)
	assert.Less(t, time.Since(begun), 50*time.Millisecond)
	assert.Equal(t, "parcel 5.10, letter 2.40", words(c.Rates(q)[0]), "it joins the question that was begun")
	assert.Equal(t, int64(1), asked.Load())
	assert.Equal(t, "parcel 5.10, letter 2.40", words(c.Later().Rates(q)[0]), "what is remembered is not pending")
	bad := New(Options{}).Later().Rates([]quote.CarrierAsk{ask("http://post.example", "1")})
	assert.False(t, bad[0].Pending)
	assert.NotEmpty(t, bad[0].Failure)
}

func TestManyQuestionsAreAskedAFewAtATime(t *testing.T) {
	var asked, now, most atomic.Int64
	f, faults := store.Read([]byte(post))
	require.Empty(t, faults)
	handler := standin.NewCarrier(quote.Compile(f, nil))
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		most.Store(max(most.Load(), now.Add(1)))
		time.Sleep(5 * time.Millisecond)
		now.Add(-1)
		handler.ServeHTTP(w, r)
	}))
	defer s.Close()
	var many []quote.CarrierAsk
	for i := range 60 {
		many = append(many, ask(s.URL, decimal.New(int64(i+1), 1).String()))
	}
	c := New(Options{Local: true})
	for i, a := range c.Ahead(many) {
		require.NotEmpty(t, words(a), i)
		require.Empty(t, a.Failure, i)
	}
	assert.Equal(t, int64(60), asked.Load())
	assert.LessOrEqual(t, most.Load(), int64(atOnce))
	assert.Greater(t, most.Load(), int64(1))
}

func TestTheRecordOfACarrier(t *testing.T) {
	var price atomic.Value
	price.Store("7.20")
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if price.Load() == "" {
			w.WriteHeader(http.StatusInternalServerError)
			return
		}
		w.Write([]byte(`{"currency":"EUR","valid_for":0,"rates":[{"service":"express","amounts":["` + //nolint:errcheck
			price.Load().(string) + `","1.00"]}]}`))
	}))
	defer s.Close()
	c := New(Options{Local: true})
	q := []quote.CarrierAsk{ask(s.URL, "1", "2.5")}
	c.Rates(q)
	price.Store("7.60")
	c.Rates(q)
	price.Store("")
	c.Rates(q)
	c.Buyers().(quote.CarrierWatcher).Instead(q[0].Carrier, &store.Method{ID: "m"}, quote.InsteadTables)
	r := c.Record("post")
	assert.Equal(t, []int{3, 3, 1, 0, 0}, []int{r.Questions, r.Exchanges, r.Failed, r.Remembered, r.LeftAlone})
	assert.Equal(t, InsteadOf{quote.InsteadTables: 1}, r.Instead["m"])
	require.Len(t, r.Recent, 3)
	assert.Equal(t, "answered with status 500", r.Recent[0].Failure)
	last := r.Recent[1]
	assert.Equal(t, []any{"FI", 2, "3.5", "express 8.60", ""}, []any{last.To, last.Parcels, last.Kilograms, last.Said,
		last.Failure})
	require.Len(t, r.Moved, 1)
	assert.Equal(t, []string{"express", "8.20", "8.60"}, []string{r.Moved[0].Service, r.Moved[0].Was, r.Moved[0].Is})
	assert.Positive(t, r.Median)
	assert.LessOrEqual(t, r.Median, r.P99)
	price.Store("7.60")
	for range 30 {
		c.Rates(q)
	}
	assert.Len(t, c.Record("post").Recent, maxRecent)
}

func TestPercentilesByNearestRank(t *testing.T) {
	var times []time.Duration
	for i := range 200 {
		times = append(times, time.Duration(i+1))
	}
	assert.Equal(t, []time.Duration{100, 198}, []time.Duration{rank(times, 50), rank(times, 99)})
	assert.Equal(t, []time.Duration{2, 3}, []time.Duration{rank(times[:3], 50), rank(times[:3], 99)})
	assert.Zero(t, rank(nil, 50))
}

// A secret whose variable is spelt wrongly would never be sent, and nobody would know why.
func TestASecretOfNoCarrierIsFound(t *testing.T) {
	known := []store.Carrier{{ID: "post-north"}, {ID: "kuikka"}}
	assert.Equal(t, []string{"DIADROM_CARRIER_POSTNORTH", "DIADROM_CARRIER_KUIKKA_ORIGN"}, Stray([]string{
		"DIADROM_CARRIER_POST_NORTH=a", "DIADROM_CARRIER_POSTNORTH=b", "DIADROM_CARRIER_KUIKKA=c",
		"DIADROM_CARRIER_KUIKKA_ORIGIN=d",
		"DIADROM_CARRIER_KUIKKA_ORIGN=e", "PATH=/bin", "DIADROM_LISTEN=x"}, known[:1], known[1:]))
}
