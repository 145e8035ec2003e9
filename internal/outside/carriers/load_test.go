package carriers

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
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

// shop has a method of its own and one that asks a carrier, whose price list stands in where it fails.
func shop(t testing.TB, url string) *quote.Engine {
	f, faults := store.Read([]byte(fmt.Sprintf(`{"format":"diadrom-store/1","store":{"currency":"EUR"},
	"carriers":[{"id":"post","name":"Post","url":%q}],"zones":[{"id":"fi","places":[{"country":"FI"}]}],"methods":[
	{"id":"own","tables":[{"id":"t","zones":["fi"],"by":"weight","edges":"up_to",
	"rows":[{"at":"30","charges":["6.90"]}]}]},
	{"id":"asked","kind":"carrier","carrier":{"id":"post","services":[{"code":"parcel"},{"code":"letter"}],
	"fallback":true,"percent":"10"},"tables":[{"id":"t","zones":["fi"],"by":"order",
	"rows":[{"charges":["9.90"]}]}]}]}`, url)))
	require.Empty(t, faults)
	return quote.Compile(f, nil)
}

func cart(grams int) *quote.Request {
	weight := decimal.New(int64(grams), 3)
	return &quote.Request{To: place.Address{Country: "FI", Postcode: "00100"}, Lines: []quote.Line{{Quantity: 1,
		Product: store.Product{Price: decimal.FromInt(10), Weight: &weight, NeedsShipping: true}}}}
}

// postCarrier is the invented carrier of these tests.
func postCarrier(t testing.TB) http.Handler {
	f, faults := store.Read([]byte(post))
	require.Empty(t, faults)
	return standin.NewCarrier(quote.Compile(f, nil))
}

// 200 buyers at once, with 20 different carts, while the carrier fails half the time: all are offered something at a
// price that can be, and the carrier is asked at most once for each cart.
func TestManyBuyersAtOnceWhileACarrierFails(t *testing.T) {
	const buyers, carts = 200, 20
	var asked atomic.Int64
	handler := postCarrier(t)
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		time.Sleep(300 * time.Millisecond)
		if rand.IntN(2) == 0 {
			w.WriteHeader(http.StatusInternalServerError)
			return
		}
		handler.ServeHTTP(w, r)
	}))
	defer s.Close()
	c := New(Options{Local: true})
	e := shop(t, s.URL).AskingCarriers(c.Buyers())
	var wg sync.WaitGroup
	begin := make(chan struct{})
	answers := make([]*quote.Answer, buyers)
	for i := range buyers {
		wg.Go(func() {
			<-begin
			answers[i] = e.Quote(cart(100 + i%carts))
		})
	}
	close(begin)
	wg.Wait()
	assert.LessOrEqual(t, asked.Load(), int64(carts))
	for i, a := range answers {
		require.Empty(t, a.Refused, i)
		require.Equal(t, "6.90", a.Options[0].Charge)
		for _, o := range a.Options[1:] {
			want := map[string]string{"parcel": "5.61", "letter": "2.64", "": "9.90"}[o.Service]
			require.Equal(t, want, o.Charge)
			require.Equal(t, o.Service == "", o.Estimated)
		}
	}
	r := c.Record("post")
	assert.Equal(t, buyers, r.Questions)
	assert.Equal(t, int(asked.Load()), r.Exchanges)
	estimated := 0
	for _, a := range answers {
		if a.Options[1].Estimated {
			estimated++
		}
	}
	assert.Equal(t, estimated, r.Instead["asked"][quote.InsteadTables], "what buyers saw")
}

// What is remembered of a carrier is bounded, however many different carts there are.
func TestMemoryOfCarriersIsBounded(t *testing.T) {
	c := New(Options{})
	for i := range remembered + 100 {
		c.answers.Add(key{byte(i), byte(i >> 8), byte(i >> 16)}, kept{})
	}
	assert.Equal(t, remembered, c.answers.Len())
	for i := range 2 * maxRecords {
		c.records.of(fmt.Sprint("carrier", i)).asked()
	}
	assert.Len(t, c.records.list, maxRecords)
	for i := range 2 * maxClients {
		c.adapter(&store.Carrier{ID: "a", URL: fmt.Sprint("https://a.example/", i)})
	}
	assert.LessOrEqual(t, len(c.spoken), maxClients)
}

// What a quote with a carrier takes, as ratios of one run: own methods where the answer does not wait, beside a shop
// without the carrier; the whole quote, beside a carrier of 300 ms; and one that never answers, beside the budget.
func BenchmarkQuoteWithACarrier(b *testing.B) {
	handler := postCarrier(b)
	var slow atomic.Int64
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		select {
		case <-time.After(time.Duration(slow.Load())):
		case <-r.Context().Done():
			return
		}
		handler.ServeHTTP(w, r)
	}))
	defer s.Close()
	e := shop(b, s.URL)
	timed := func(n int, quoted func(i int)) float64 {
		begun := time.Now()
		for i := range n {
			quoted(i)
		}
		return time.Since(begun).Seconds() / float64(n)
	}
	b.Run("own", func(b *testing.B) {
		c := New(Options{Local: true})
		waits := e.AskingCarriers(c)
		waits.Quote(cart(500)) // remembered from here on
		own := *e.Store()
		own.Methods = own.Methods[:1]
		alone := quote.Compile(&own, nil)
		for range b.N {
			b.ReportMetric(timed(2000, func(int) { waits.NotWaiting().Quote(cart(500)) })/
				timed(2000, func(int) { alone.Quote(cart(500)) }), "x-alone")
		}
	})
	b.Run("300ms", func(b *testing.B) {
		slow.Store(int64(300 * time.Millisecond))
		asks := e.AskingCarriers(New(Options{Local: true}))
		for i := range b.N {
			b.ReportMetric(timed(1, func(int) { asks.Quote(cart(1000 + i)) })/0.3, "x-carrier")
		}
	})
	b.Run("never", func(b *testing.B) {
		slow.Store(int64(time.Minute))
		for i := range b.N {
			asks := e.AskingCarriers(New(Options{Local: true}))
			b.ReportMetric((timed(1, func(int) { asks.Quote(cart(2000 + i)) })-Budget.Seconds())*1000, "ms-over-budget")
		}
	})
}
