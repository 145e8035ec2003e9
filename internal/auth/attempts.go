package auth

import (
	"crypto/sha256"
	"net/netip"
	"strings"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
	"golang.org/x/time/rate"
)

// Attempts limits how often one may try something: some times at once, then now and then. It remembers a
// bounded number of those who try, each by the hash of a key, whatever they send.
type Attempts struct {
	mu    sync.Mutex
	by    *lru.Cache[[32]byte, *rate.Limiter]
	Every time.Duration
	Burst int
}

// NewAttempts allows 8 attempts at once with a key, and one every 15 seconds then.
func NewAttempts() *Attempts {
	by, err := lru.New[[32]byte, *rate.Limiter](maxLimited)
	if err != nil {
		panic(err) // of a size below 1
	}
	return &Attempts{by: by, Every: 15 * time.Second, Burst: 8}
}

// maxLimited is how many keys are remembered at once; the one that was not used for longest goes first.
const maxLimited = 20_000

// Allow counts an attempt and says how long to wait before it may be made; 0 where it may be made now. Keys are
// judged in their order: where one has to wait, those behind it are not counted, so that whoever is held off by
// address does not use up a name.
func (a *Attempts) Allow(keys ...string) time.Duration {
	a.mu.Lock()
	defer a.mu.Unlock()
	now := time.Now()
	for _, key := range keys {
		hash := sha256.Sum256([]byte(key))
		l, ok := a.by.Get(hash)
		if !ok {
			l = rate.NewLimiter(rate.Every(a.Every), a.Burst)
			a.by.Add(hash, l)
		}
		r := l.ReserveN(now, 1)
		if d := r.DelayFrom(now); d > 0 {
			r.CancelAt(now)
			return d
		}
	}
	return 0
}

// Fold makes names of people comparable: without case, in one Unicode form (NFKC), with single spaces.
func Fold(name string) string {
	return cases.Fold().String(strings.Join(strings.Fields(norm.NFKC.String(name)), " "))
}

// Origin is what stands for an address in limits: the address itself, or of IPv6 its /64, all of which one
// household or server has.
func Origin(address string) string {
	ip, err := netip.ParseAddr(address)
	if err != nil {
		return address
	}
	ip = ip.Unmap().WithZone("")
	if ip.Is6() {
		if p, err := ip.Prefix(64); err == nil {
			return p.String()
		}
	}
	return ip.String()
}
