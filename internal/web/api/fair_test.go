package api

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func zipped(t testing.TB, text string) []byte {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	_, err := io.WriteString(z, text)
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return b.Bytes()
}

// bulky is a request of a few kB, packed, whose answer lists ten thousand parcels.
const bulky = `{"to":{"country":"FI","postcode":"21100"},"parcels":true,"lines":[{"price":"1","weight":"1",` +
	`"own_parcel":true,"quantity":10000}]}`

// cart is a request of n different lines.
func cart(n int) string {
	var b strings.Builder
	b.WriteString(`{"to":{"country":"FI","postcode":"21100"},"lines":[`)
	for i := range n {
		fmt.Fprintf(&b, `{"name":"%d","price":"1.%02d","weight":"0.%03d","quantity":1},`, i, i%100, i%1000+1)
	}
	return strings.TrimSuffix(b.String(), ",") + "]}"
}

// hung sends a request and does not read its answer.
func hung(t testing.TB, address string, body []byte, packed bool) net.Conn {
	conn, err := net.Dial("tcp", strings.TrimPrefix(address, "http://"))
	require.NoError(t, err)
	require.NoError(t, conn.(*net.TCPConn).SetReadBuffer(2048))
	encoding := ""
	if packed {
		encoding = "Content-Encoding: gzip\r\n"
	}
	_, err = fmt.Fprintf(conn, "POST /api/v1/quotes HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\n%s"+
		"Content-Length: %d\r\n\r\n%s", encoding, len(body), body)
	require.NoError(t, err)
	return conn
}

// Whoever reads an answer slowly holds nobody up, in whatever lane.
func TestASlowReaderHoldsNobodyUp(t *testing.T) {
	s := opened(t)
	s.asker = aShop
	for range 8 {
		conn := hung(t, s.URL, zipped(t, strings.Repeat(" ", MaxBody-len(bulky))+bulky), true)
		defer conn.Close()
	}
	s.asker = costedShop // another key
	for _, body := range []string{one, cart(3000)} {
		code, answer := s.list(t, body)
		assert.Equal(t, http.StatusOK, code, answer[:min(len(answer), 300)])
	}
}

// The lane of the large ones is shared by what askers have used, and small requests pass.
func TestLanesAreShared(t *testing.T) {
	l := newLanes()
	l.slots = 1
	busy, other := asking{key: 1}, asking{key: 2}
	visitors := []asking{{3, "https://a", "v1"}, {3, "https://a", "v2"}, {3, "https://b", "v1"}}
	leave, err := l.enter(t.Context(), busy, smallBody+1, 0)
	require.NoError(t, err)
	var order []asking
	var mu sync.Mutex
	var all sync.WaitGroup
	waits := func(who asking, spent time.Duration) {
		before := l.waitingNow()
		all.Go(func() {
			leave, err := l.enter(t.Context(), who, smallBody+1, 0)
			assert.NoError(t, err)
			mu.Lock()
			order = append(order, who)
			mu.Unlock()
			leave(spent)
		})
		require.Eventually(t, func() bool { return l.waitingNow() > before }, time.Minute, time.Millisecond)
	}
	for range 4 {
		waits(busy, time.Second)
	}
	waits(visitors[0], time.Second)
	waits(visitors[0], time.Second)
	waits(visitors[1], time.Second)
	waits(visitors[2], time.Second)
	waits(other, time.Second)
	for range 50 { // small ones pass meanwhile
		leave, err := l.enter(t.Context(), busy, 100, 3)
		require.NoError(t, err)
		leave(time.Microsecond)
	}
	leave(10 * time.Second)
	all.Wait()
	at := func(who asking) int { return slices.Index(order, who) }
	assert.Less(t, at(other), 3, "who has used nothing comes before who has: %v", order)
	assert.Less(t, at(visitors[2]), 5, "sites of a key share: %v", order)
	assert.Less(t, at(visitors[1]), slices.Index(order[at(visitors[0])+1:], visitors[0])+at(visitors[0])+1,
		"so do visitors of a site: %v", order)
	for _, last := range order[5:] {
		assert.Equal(t, int64(1), order[len(order)-1].key, "%v: %v", last, order)
	}
	assert.Empty(t, l.all.below, "nobody is remembered who is gone")
	assert.Zero(t, l.all.bytes)
	assert.Zero(t, l.all.busy)
	assert.Equal(t, 1, l.slots)

	// One key does not fill the lane.
	held, err := l.enter(t.Context(), other, maxOfKey, 0)
	require.NoError(t, err)
	_, err = l.enter(t.Context(), other, smallBody+1, 0)
	assert.ErrorIs(t, err, errBusy)
	done := make(chan error, 1)
	go func() {
		leave, err := l.enter(t.Context(), busy, smallBody+1, 0)
		if err == nil {
			leave(0)
		}
		done <- err
	}()
	require.Eventually(t, func() bool { return l.waitingNow() == 1 }, time.Minute, time.Millisecond)
	held(0)
	assert.NoError(t, <-done)

	// Whose requests are dear waits in that lane, until they are not any more.
	for range 20 {
		leave, err := l.enter(t.Context(), busy, 100, 3)
		require.NoError(t, err)
		leave(time.Second)
	}
	held, err = l.enter(t.Context(), other, smallBody+1, 0)
	require.NoError(t, err)
	brief, stop := context.WithTimeout(t.Context(), 20*time.Millisecond)
	defer stop()
	_, err = l.enter(brief, busy, 100, 3)
	assert.ErrorIs(t, err, errBusy)
	held(0)
	for range 40 {
		leave, err := l.enter(t.Context(), busy, 100, 3)
		require.NoError(t, err)
		leave(time.Microsecond)
	}
	assert.NotContains(t, l.recent, busy)
}

// waitingNow counts the large requests that wait.
func (l *lanes) waitingNow() (n int) {
	l.mu.Lock()
	defer l.mu.Unlock()
	var count func(s *share)
	count = func(s *share) {
		n += len(s.waiting)
		for _, b := range s.below {
			count(b)
		}
	}
	count(&l.all)
	return n
}

// What a page asks is small, and so is what it is told.
func TestPagesAskLittle(t *testing.T) {
	s := opened(t)
	s.asker = page
	code, answer := s.ask(t, cart(PageLines), true)
	assert.Equal(t, http.StatusOK, code, answer)
	code, answer = s.ask(t, cart(PageLines+1), true)
	assert.Equal(t, http.StatusUnprocessableEntity, code)
	assert.Contains(t, answer, `"/lines/100"`)
	code, answer = s.ask(t, one[:len(one)-1]+strings.Repeat(" ", PageBody)+"}", true)
	assert.Equal(t, http.StatusRequestEntityTooLarge, code)
	assert.Contains(t, answer, "64 kB")
	code, answer = s.ask(t, bulky, true)
	assert.Equal(t, http.StatusRequestEntityTooLarge, code)
	assert.Contains(t, answer, "256 kB")
	s.asker = aShop
	code, answer = s.list(t, bulky)
	assert.Equal(t, http.StatusOK, code)
	assert.Greater(t, len(answer), PageAnswer)
}

// A code is not found by trying: not in one request, and not in many.
func TestCouponsAreNotFoundByTrying(t *testing.T) {
	s := opened(t)
	f := s.engine.Store().Clone()
	for i := range f.Methods {
		f.Methods[i].Free, f.Methods[i].Terms = &store.Free{Require: store.RequireAny, Coupons: []string{"Löyly 10"}}, nil
	}
	s.engine = quote.Compile(f, s.engine.Gazetteer())
	known := s.engine.Coupons()
	require.Contains(t, known, "Löyly 10")
	s.asker = page
	with := func(codes ...string) (int, string) {
		list, err := json.Marshal(append([]string{}, codes...))
		require.NoError(t, err)
		return s.ask(t, `{"to":{"country":"FI","postcode":"21100"},"lines":[{"sku":"TOWEL-70","quantity":1}],"coupons":`+
			string(list)+`}`, len(codes) <= 20 && !slices.ContainsFunc(codes, func(c string) bool { return len(c) > 64 }))
	}
	codes := make([]string, 21)
	for i := range codes {
		codes[i] = fmt.Sprint("GUESS", i)
	}
	code, answer := with(codes...)
	assert.Equal(t, http.StatusUnprocessableEntity, code)
	assert.Contains(t, answer, `"/coupons/20"`)
	code, answer = with(strings.Repeat("x", 65))
	assert.Equal(t, http.StatusUnprocessableEntity, code)
	assert.Contains(t, answer, `"/coupons/0"`)
	_, without := with()
	_, right := with(known[0])
	require.NotEqual(t, without, right, "the demo has a coupon that counts for this cart")
	s.asker.From = "192.0.2.2"
	for i := range MaxGuesses {
		_, got := with(fmt.Sprint("guess ", i))
		assert.Equal(t, without, got)
	}
	_, got := with(known[0])
	assert.Equal(t, without, got, "it counts as unknown without a look")
	s.asker.From = "192.0.2.1"
	_, got = with(" " + strings.ToLower(known[0]))
	assert.Equal(t, right, got, "others are not held up, and who has named it before")
	for i := range MaxGuesses {
		_, _ = with(fmt.Sprint("guess ", i))
	}
	_, got = with(known[0])
	assert.Equal(t, right, got)
}

// What a buyer's page says of the time does not count, and never is at fault.
func TestTheServersClockCountsForPages(t *testing.T) {
	s := opened(t)
	s.asker = page
	const order = `{"to":{"country":"FI","postcode":"21100"},"lines":[{"sku":"TOWEL-70","quantity":1}]`
	status, now := s.ask(t, order+"}", true)
	require.Equal(t, http.StatusOK, status)
	assert.Contains(t, now, `"dates"`, "days become dates")
	for _, at := range []string{`"2020-12-24T10:00:00Z"`, `"2099-01-01T00:00:00Z"`, `"soon"`, `5`, `null`, `{"a":1}`} {
		resp, err := http.NewRequest(http.MethodPost, s.URL+"/api/v1/quotes", strings.NewReader(order+`,"at":`+at+`}`))
		require.NoError(t, err)
		resp.Header.Set("Content-Type", "application/json")
		resp.Header.Set("Origin", site)
		got, err := http.DefaultClient.Do(resp)
		require.NoError(t, err)
		body, err := io.ReadAll(got.Body)
		require.NoError(t, err)
		got.Body.Close()
		assert.Equal(t, http.StatusOK, got.StatusCode, "%s: %s", at, body)
		assert.Equal(t, now, string(body), at)
	}
	s.asker = aShop
	for _, c := range []struct {
		by     time.Duration
		status int
	}{{-quote.HoldNear - time.Minute, 422}, {-quote.HoldNear + time.Minute, 200}, {quote.HoldNear + time.Minute, 422},
		{quote.HoldNear - time.Minute, 200}, {-365 * 24 * time.Hour, 422}} {
		body := order + `,"hold":"PT5M","at":"` + time.Now().Add(c.by).Format(time.RFC3339) + `"}`
		status, answer := s.ask(t, body, true)
		assert.Equal(t, c.status, status, "%v: %s", c.by, answer)
		if c.status != 200 {
			assert.Contains(t, answer, `"/at"`)
		}
	}
	status, answer := s.ask(t, order+`,"at":"2020-12-24T10:00:00Z"}`, true)
	assert.Equal(t, http.StatusOK, status, "a server asks of any day, unless it holds the answer: %s", answer)
}

// Verifying is as strict as quoting: what the quote API would not have taken was never quoted.
func TestVerifyingIsAsStrictAsQuoting(t *testing.T) {
	s := opened(t)
	s.asker = aShop
	for request, want := range map[string]string{
		`{"to":{"country":"FI"},"to":{"country":"SE"},"lines":[]}`:                         "/request/to",
		`{"to":{"country":"FI"},"lines":[{"price":"1","weight":"1","quantity":1.5}]}`:      "/request/lines/0/quantity",
		`{"to":{"country":"FI"},"lines":[{"price":"1","weight":"1","quantity":10000000}]}`: "/request/lines/0/quantity",
		`{"to":{"country":"FI"},"lines":[],"more":1}`:                                      "/request/more",
		`{"to":{"country":"FI"},"lines":[],"coupons":["` + strings.Repeat("x", 65) + `"]}`: "/request/coupons/0",
	} {
		_, ofQuote := s.list(t, request)
		resp, err := http.Post(s.URL+"/api/v1/quotes/verify", "application/json", strings.NewReader(
			`{"token":"x","method":"m","total":"1","request":`+request+`}`))
		require.NoError(t, err)
		status := resp.StatusCode
		text, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		resp.Body.Close()
		answer := string(text)
		assert.GreaterOrEqual(t, status, 400, request)
		var quoted, verified struct {
			Faults []struct{ Path, Code, Message string }
		}
		require.NoError(t, json.Unmarshal([]byte(ofQuote), &quoted))
		require.NoError(t, json.Unmarshal([]byte(answer), &verified), answer)
		require.NotEmpty(t, verified.Faults, answer)
		assert.Equal(t, want, verified.Faults[0].Path)
		assert.Equal(t, quoted.Faults[0].Code, verified.Faults[0].Code)
		assert.Equal(t, quoted.Faults[0].Message, verified.Faults[0].Message)
	}
	status, answer := s.askAt(t, "/api/v1/quotes/verify", `{"token":"x","method":"m","total":"1","request":`+
		`{"to":{"country":"FI"},"lines":[{"sku":"GONE","quantity":1}],"at":"2020-01-01T00:00:00Z","hold":"PT1M"}}`, true)
	assert.Equal(t, http.StatusOK, status, "a product may have gone since: %s", answer)
	assert.Contains(t, answer, `"forged"`)
}

// BenchmarkSmallQuoteBesideAttacks gives the 99th percentile of a small quote with one key, alone and while others send
// what is dearest, as their ratio.
func BenchmarkSmallQuoteBesideAttacks(b *testing.B) {
	s := opened(b)
	attacker := Asker{Kind: Shop, Key: &auth.Key{ID: 9, Name: "Attack"}}
	var attacks atomic.Bool
	s.asker = Asker{}
	s.who = func(r *http.Request) Asker {
		if r.Header.Get("X-Attack") != "" {
			return attacker
		}
		return Asker{Kind: Person, Person: person.Person} // nobody counts its quotes
	}
	post := func(body []byte, headers ...string) {
		req, err := http.NewRequest(http.MethodPost, s.URL+"/api/v1/quotes", bytes.NewReader(body))
		if err != nil {
			b.Error(err)
			return
		}
		req.Header.Set("Content-Type", "application/json")
		for i := 0; i+1 < len(headers); i += 2 {
			req.Header.Set(headers[i], headers[i+1])
		}
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			return
		}
		io.Copy(io.Discard, resp.Body)
		resp.Body.Close()
	}
	p99 := func() time.Duration {
		took := make([]time.Duration, 0, 1000)
		for range 1000 {
			begun := time.Now()
			post([]byte(one))
			took = append(took, time.Since(begun))
		}
		slices.Sort(took)
		return took[990]
	}
	post([]byte(one))
	alone := p99()
	attacks.Store(true)
	var all sync.WaitGroup
	large, packed, listed := []byte(cart(10_000)), zipped(b, strings.Repeat(" ", MaxBody-len(bulky))+bulky), []byte(bulky)
	for i := range KeyAtOnce {
		all.Go(func() {
			for attacks.Load() {
				switch i % 3 {
				case 0:
					post(large, "X-Attack", "1")
				case 1:
					post(packed, "X-Attack", "1", "Content-Encoding", "gzip")
				default:
					post(listed, "X-Attack", "1")
				}
			}
		})
	}
	time.Sleep(time.Second)
	for b.Loop() {
		beside := p99()
		b.ReportMetric(float64(beside)/float64(alone), "p99-ratio")
		b.ReportMetric(float64(alone.Microseconds()), "µs-alone")
	}
	attacks.Store(false)
	all.Wait()
}
