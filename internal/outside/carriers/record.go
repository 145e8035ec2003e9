package carriers

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"

	lru "github.com/hashicorp/golang-lru/v2"
)

// Bounds of what is kept of exchanges.
const (
	maxRecords  = 200   // carriers
	maxTimes    = 1_000 // of which it is told how long they took
	maxRecent   = 10    // exchanges that are shown
	maxMoved    = 20    // prices that moved
	maxLastSaid = 4_096 // questions whose last answer is known, to tell whether a price moved
)

// Record is how a carrier answered since the program began. It has no addresses and no goods in it: of a question only
// the country, and how many parcels of what weight.
type Record struct {
	Since      time.Time
	Last       time.Time // of the last answer; zero for none
	Questions  int       // of quotes
	Remembered int       // of them were answered from memory, or by an exchange that went on already
	Exchanges  int       // with the carrier
	Failed     int       // of the exchanges
	LeftAlone  int       // questions while it was not asked
	// Median and P99 are how long exchanges took: half, and 99 of 100, took no longer (nearest rank). 0 for none.
	Median, P99 time.Duration
	Recent      []Exchange // the last first
	Moved       []Move     // the last first
	Instead     map[string]InsteadOf
}

// Exchange is one exchange with a carrier, or one that was not made.
type Exchange struct {
	At        time.Time
	Took      time.Duration // 0 where it was not asked
	To        string        // country
	Parcels   int
	Kilograms string
	Said      string // "express 7.20 + 5.10, eco 4.00"; "" where it failed
	Failure   string
}

// Move is a price of a carrier that is another than at the last time that the same was asked.
type Move struct {
	At        time.Time
	Service   string
	To        string // country
	Parcels   int
	Kilograms string
	Was, Is   string // the sum of the amounts
}

// String says the move: "express to EE, 1 parcel of 1.45 kg: 21.90, was 20.00".
func (m Move) String() string {
	return fmt.Sprintf("%s to %s, %s of %s kg: %s, was %s", m.Service, m.To, plural.Count(m.Parcels, "parcel"),
		m.Kilograms, m.Is, m.Was)
}

// InsteadOf counts what buyers were shown of a method, by its id, whose carrier failed.
type InsteadOf map[quote.Instead]int

type records struct {
	mu   sync.Mutex
	list map[string]*record
	last *lru.Cache[key, lastSaid]
}

// lastSaid are sums by service.
type lastSaid map[string]decimal.Decimal

type record struct {
	all   *records
	r     Record
	times []time.Duration // a ring
	next  int
}

func newRecords() *records {
	last, err := lru.New[key, lastSaid](maxLastSaid)
	if err != nil {
		panic(err)
	}
	return &records{list: map[string]*record{}, last: last}
}

// of is the record of a carrier, by its id.
func (s *records) of(id string) *record {
	s.mu.Lock()
	defer s.mu.Unlock()
	if r := s.list[id]; r != nil {
		return r
	}
	r := &record{all: s, r: Record{Since: time.Now(), Instead: map[string]InsteadOf{}}}
	if len(s.list) < maxRecords {
		s.list[id] = r
	}
	return r
}

func (r *record) known() {
	r.all.mu.Lock()
	defer r.all.mu.Unlock()
	r.r.Questions++
	r.r.Remembered++
}

func (r *record) asked() {
	r.all.mu.Lock()
	defer r.all.mu.Unlock()
	r.r.Questions++
}

func exchangeOf(ask *quote.CarrierAsk, at time.Time) Exchange {
	total := decimal.Zero
	for i := range ask.Parcels {
		total = total.Add(ask.Parcels[i].Kilograms)
	}
	return Exchange{At: at, To: ask.To.Country, Parcels: len(ask.Parcels), Kilograms: total.String()}
}

// unasked notes a question that the carrier is not asked.
func (r *record) unasked(ask *quote.CarrierAsk, why string) {
	x := exchangeOf(ask, time.Now())
	x.Failure = why
	r.all.mu.Lock()
	defer r.all.mu.Unlock()
	r.r.Questions++
	r.r.LeftAlone++
	if recent := r.r.Recent; len(recent) > 0 && recent[0].Took == 0 && recent[0].Failure == why {
		return // one line for all of a rest
	}
	r.recent(x)
}

func (r *record) recent(x Exchange) {
	r.r.Recent = append([]Exchange{x}, r.r.Recent[:min(len(r.r.Recent), maxRecent-1)]...)
}

// exchanged notes an exchange.
func (r *record) exchanged(ask *quote.CarrierAsk, id key, begun time.Time, a *quote.CarrierAnswer) {
	x := exchangeOf(ask, begun)
	x.Took, x.Failure = max(time.Since(begun), time.Microsecond), a.Failure
	sums := lastSaid{}
	var said []string
	for _, rate := range a.Rates {
		sum := decimal.Zero
		for _, d := range rate.Amounts {
			sum = sum.Add(d)
		}
		sums[rate.Service] = sum
		if len(said) < maxSaid {
			said = append(said, rate.Service+" "+money(sum, ask.Currency))
		}
	}
	if x.Said = strings.Join(said, ", "); len(a.Rates) > maxSaid {
		x.Said += ", …"
	}
	if x.Said == "" && x.Failure == "" {
		x.Said = "no price"
	}
	r.all.mu.Lock()
	defer r.all.mu.Unlock()
	r.r.Exchanges++
	if r.recent(x); a.Failure != "" {
		r.r.Failed++
		return
	}
	r.r.Last = time.Now()
	if len(r.times) < maxTimes {
		r.times = append(r.times, x.Took)
	} else {
		r.times[r.next] = x.Took
		r.next = (r.next + 1) % maxTimes
	}
	if before, ok := r.all.last.Get(id); ok {
		r.moved(&x, a, ask.Currency, before, sums)
	}
	r.all.last.Add(id, sums)
}

// moved notes which prices are others than the last time.
func (r *record) moved(x *Exchange, a *quote.CarrierAnswer, currency string, before, now lastSaid) {
	for i := range a.Rates {
		service := a.Rates[i].Service
		was, ok := before[service]
		if is := now[service]; ok && was.Cmp(is) != 0 {
			m := Move{At: x.At, Service: service, To: x.To, Parcels: x.Parcels, Kilograms: x.Kilograms,
				Was: money(was, currency), Is: money(is, currency)}
			r.r.Moved = append([]Move{m}, r.r.Moved[:min(len(r.r.Moved), maxMoved-1)]...)
		}
	}
}

// money writes a sum of a currency, with more decimals than it has where the sum has more.
func money(d decimal.Decimal, currency string) string {
	digits, _ := world.CurrencyDigits(currency)
	if d.Cmp(d.Round(digits)) != 0 {
		return d.String()
	}
	return d.Fixed(digits)
}

// maxSaid is how many services of an answer are shown.
const maxSaid = 8

// Record is how a carrier, by its id, answered since the program began.
func (c *Client) Record(id string) Record {
	r := c.records.of(id)
	c.records.mu.Lock()
	defer c.records.mu.Unlock()
	out := r.r
	out.Recent, out.Moved = slices.Clone(out.Recent), slices.Clone(out.Moved)
	out.Remembered = max(out.Remembered, out.Questions-out.Exchanges-out.LeftAlone)
	out.Instead = make(map[string]InsteadOf, len(r.r.Instead))
	for method, of := range r.r.Instead {
		counts := InsteadOf{}
		for what, n := range of {
			counts[what] = n
		}
		out.Instead[method] = counts
	}
	times := slices.Sorted(slices.Values(r.times))
	out.Median, out.P99 = rank(times, 50), rank(times, 99)
	return out
}

// Failing says which carriers of a store give no prices at present, with the reason: their last two exchanges failed,
// or the only one.
func (c *Client) Failing(f *store.File) map[string]string {
	failing := map[string]string{}
	for i := range f.Carriers {
		id := f.Carriers[i].ID
		recent := c.Record(id).Recent
		last := recent[:min(len(recent), 2)]
		if len(last) > 0 && !slices.ContainsFunc(last, func(x Exchange) bool { return x.Failure == "" }) {
			failing[id] = last[0].Failure
		}
	}
	return failing
}

// rank is the p-th percentile by nearest rank: the smallest of a sorted list that p of 100 do not exceed.
func rank(sorted []time.Duration, p int) time.Duration {
	if len(sorted) == 0 {
		return 0
	}
	return sorted[max(0, (len(sorted)*p+99)/100-1)]
}

// Buyers is the client as buyers' quotes use it: what they are shown where a carrier fails is counted.
func (c *Client) Buyers() quote.Carriers { return buyers{c} }

type buyers struct{ *Client }

// Later is [Client.Later] of buyers.
func (b buyers) Later() quote.Carriers { return buyersLater{later(b)} }

// Instead counts; see [quote.CarrierWatcher].
func (b buyers) Instead(c *store.Carrier, m *store.Method, what quote.Instead) { b.instead(c, m, what) }

type buyersLater struct{ later }

// Instead counts; see [quote.CarrierWatcher].
func (b buyersLater) Instead(c *store.Carrier, m *store.Method, what quote.Instead) {
	b.instead(c, m, what)
}

// maxInstead bounds of how many methods of a carrier it is counted what buyers were shown.
const maxInstead = 200

func (c *Client) instead(of *store.Carrier, m *store.Method, what quote.Instead) {
	r := c.records.of(of.ID)
	c.records.mu.Lock()
	defer c.records.mu.Unlock()
	counts := r.r.Instead[m.ID]
	if counts == nil && len(r.r.Instead) < maxInstead {
		counts = InsteadOf{}
		r.r.Instead[m.ID] = counts
	}
	if counts != nil {
		counts[what]++
	}
}
