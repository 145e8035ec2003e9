package api

import (
	"fmt"
	"net/http"
	"strconv"
	"sync"
	"sync/atomic"
	"time"

	"diadrom/internal/core/quote"

	"github.com/gin-gonic/gin"
	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/time/rate"
)

// Limits of what is asked over HTTP.
const (
	// MaxBody is the largest request in bytes, as it is after it was unpacked.
	MaxBody = 4 << 20
	// MaxRequests is how many requests one exchange may hold.
	MaxRequests = 100
	// MaxFaults is how many faults an answer lists of a request.
	MaxFaults = 100
	// MaxAnswers is how many bytes of answers to a list are written before the rest is refused.
	MaxAnswers = 8 << 20

	// KeyRate and KeyBurst are how many quotes a server's key may ask for in a second, and at once; KeyAtOnce how many
	// of its exchanges are answered at the same time.
	KeyRate   = 500
	KeyBurst  = 2_000
	KeyAtOnce = 16

	// SiteRate, SiteBurst and SiteAtOnce are the same for a publishable key together with the site whose pages send it,
	// and VisitorRate, VisitorBurst and VisitorAtOnce for the address of each of its visitors (IPv6: a /64).
	SiteRate      = 200
	SiteBurst     = 800
	SiteAtOnce    = 128
	VisitorRate   = 5
	VisitorBurst  = 60
	VisitorAtOnce = 8

	// MaxWriting is how many bytes of answers of one asker may wait to be read before no more of theirs are made.
	MaxWriting = 32 << 20

	// PageBody, PageLines and PageAnswer are the largest request with a publishable key, in bytes and in lines, and the
	// largest answer in bytes.
	PageBody   = 64 << 10
	PageLines  = 100
	PageAnswer = 256 << 10
)

var readLimits = quote.Limits{Requests: MaxRequests, Faults: MaxFaults}

// policy is how much may be asked for.
type policy struct {
	name        string // in RateLimit headers
	perSecond   rate.Limit
	burst       int
	atOnce      int
	description string // of the headers: quota and window
}

func newPolicy(name string, perSecond, burst, atOnce int) *policy {
	return &policy{
		name: name, perSecond: rate.Limit(perSecond), burst: burst, atOnce: atOnce,
		description: fmt.Sprintf("%q;q=%d;w=%d", name, burst, burst/perSecond),
	}
}

var (
	keyPolicy     = newPolicy("key", KeyRate, KeyBurst, KeyAtOnce)
	sitePolicy    = newPolicy("site", SiteRate, SiteBurst, SiteAtOnce)
	visitorPolicy = newPolicy("visitor", VisitorRate, VisitorBurst, VisitorAtOnce)
)

// limits holds off those who ask too much.
type limits struct {
	mu   sync.Mutex
	kept *lru.Cache[limitID, *limit]
}

// limitID is whose limit it is.
type limitID struct {
	*policy
	key  int64
	from string // a site or a visitor
}

// limit is what is left to somebody.
type limit struct {
	*policy
	rate    *rate.Limiter
	turns   chan struct{}
	writing atomic.Int64 // bytes of answers that are being written
}

// maxKept is how many limits are remembered.
const maxKept = 20_000

func newLimits() *limits {
	kept, err := lru.New[limitID, *limit](maxKept)
	if err != nil {
		panic(err) // of a size below 1
	}
	return &limits{kept: kept}
}

func (l *limits) of(id limitID) *limit {
	l.mu.Lock()
	defer l.mu.Unlock()
	k, ok := l.kept.Get(id)
	if !ok {
		k = &limit{policy: id.policy, rate: rate.NewLimiter(id.perSecond, id.burst), turns: make(chan struct{}, id.atOnce)}
		l.kept.Add(id, k)
	}
	return k
}

// held are the limits that hold for somebody, none for people who are signed in.
func (l *limits) held(who *Asker, origin string) []*limit {
	switch {
	case who.Kind != Shop:
		return nil
	case who.Key.Publishable:
		return []*limit{
			l.of(limitID{sitePolicy, who.Key.ID, origin}),
			l.of(limitID{visitorPolicy, who.Key.ID, who.From}),
		}
	}
	return []*limit{l.of(limitID{keyPolicy, who.Key.ID, ""})}
}

// begin takes a turn of each limit; where one has none left, begin has taken none and gives that one.
func begin(list []*limit) (end func(), full *limit) {
	for i, k := range list {
		select {
		case k.turns <- struct{}{}:
		default:
			giveBack(list[:i])
			return nil, k
		}
	}
	return func() { giveBack(list) }, nil
}

func giveBack(list []*limit) {
	for _, k := range list {
		<-k.turns
	}
}

// heldOff says how long somebody has to wait before they may ask for so many quotes; 0 where they may now, which then
// counts.
func heldOff(list []*limit, quotes int) (wait time.Duration, by *limit) {
	now := time.Now()
	taken := make([]*rate.Reservation, 0, 2)
	for _, k := range list {
		r := k.rate.ReserveN(now, quotes)
		taken = append(taken, r)
		d := r.DelayFrom(now)
		if !r.OK() {
			d = time.Duration(float64(quotes) / float64(k.perSecond) * float64(time.Second))
		}
		if d > wait {
			wait, by = d, k
		}
	}
	if wait > 0 {
		for _, r := range taken {
			r.CancelAt(now)
		}
	}
	return wait, by
}

// workUnit is how much processor time counts as one quote, besides the quotes themselves, beyond what usual ones take:
// usualWork.
const (
	workUnit  = time.Millisecond
	usualWork = 5 * time.Millisecond
)

// worked counts what answering took: what is dear leaves less to ask for.
func worked(list []*limit, spent time.Duration) {
	n, now := int((spent-usualWork)/workUnit), time.Now()
	if n <= 0 {
		return
	}
	for _, k := range list {
		k.rate.ReserveN(now, min(n, k.burst)) // beyond what is left it is owed
	}
}

// exhausted says for how long somebody owes work; 0 where they do not.
func exhausted(list []*limit) (wait time.Duration, by *limit) {
	for _, k := range list {
		if tokens := k.rate.Tokens(); tokens < 0 {
			if d := time.Duration(-tokens / float64(k.perSecond) * float64(time.Second)); d > wait {
				wait, by = d, k
			}
		}
	}
	return wait, by
}

// describe writes the headers RateLimit-Policy and RateLimit (draft-ietf-httpapi-ratelimit-headers-10): how much is
// allowed, how much of that is left, and in how many seconds all of it is there again.
func describe(h http.Header, list []*limit) {
	if len(list) == 0 {
		return
	}
	var policies, left []byte
	for i, k := range list {
		if i > 0 {
			policies, left = append(policies, ", "...), append(left, ", "...)
		}
		policies = append(policies, k.description...)
		tokens := max(0, k.rate.Tokens())
		left = append(append(append(left, '"'), k.name...), `";r=`...)
		left = strconv.AppendInt(left, int64(tokens), 10)
		left = append(left, ";t="...)
		left = strconv.AppendInt(left, int64((float64(k.burst)-tokens)/float64(k.perSecond)+0.999), 10)
	}
	h.Set("RateLimit-Policy", string(policies))
	h.Set("RateLimit", string(left))
}

// begin takes a turn for an exchange; end is nil where none is left, which has been answered then.
func (a *API) begin(c *gin.Context, who *Asker) (held []*limit, end func()) {
	held = a.limits.held(who, c.GetHeader("Origin"))
	end, full := begin(held)
	if full == nil {
		if wait, by := exhausted(held); wait > 0 {
			end()
			c.Header("Retry-After", retryAfter(wait))
			describe(c.Writer.Header(), held)
			problem(c, TooMany, fmt.Sprintf("the requests of this %s have taken too much of the "+
				"processor: ask again later, or for less at once", by.name), nil)
			return held, nil
		}
	}
	if full == nil && unread(c, held) {
		end()
		return held, nil
	}
	if full != nil {
		c.Header("Retry-After", "1")
		describe(c.Writer.Header(), held)
		why := fmt.Sprintf("at most %d exchanges of a %s are answered at the same time", full.atOnce, full.name)
		problem(c, TooMany, why, nil)
	}
	return held, end
}

// unread says whether more answers of an asker wait to be read than may, which has been answered then.
func unread(c *gin.Context, held []*limit) bool {
	for _, k := range held {
		if k.writing.Load() > MaxWriting {
			c.Header("Retry-After", "1")
			describe(c.Writer.Header(), held)
			problem(c, TooMany, fmt.Sprintf("%d MB of answers wait to be read: read them first",
				MaxWriting>>20), nil)
			return true
		}
	}
	return false
}

// count counts quotes that are asked for; false where they are too many for now, which has been answered then.
func count(c *gin.Context, held []*limit, quotes int) bool {
	wait, by := heldOff(held, quotes)
	describe(c.Writer.Header(), held)
	if wait == 0 {
		return true
	}
	c.Header("Retry-After", retryAfter(wait))
	why := fmt.Sprintf("a %s may ask for at most %.0f quotes a second, and for %d at once", by.name,
		float64(by.perSecond), by.burst)
	problem(c, TooMany, why, nil)
	return false
}

// allowed counts something that is asked for beside quotes as one of them.
func (a *API) allowed(c *gin.Context, who *Asker) bool {
	return count(c, a.limits.held(who, c.GetHeader("Origin")), 1)
}

func retryAfter(d time.Duration) string { return strconv.Itoa(int(d.Seconds()) + 1) }
