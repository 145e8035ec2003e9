package api

import (
	"compress/gzip"
	"context"
	"errors"
	"io"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"diadrom/internal/core/quote"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/semaphore"
	"golang.org/x/time/rate"
)

// Limits of what is asked over HTTP.
const (
	// MaxBody is the largest request in bytes, as it is after it was unpacked.
	MaxBody = 4 << 20
	// MaxRequests is how many requests one exchange may hold.
	MaxRequests = 1_000
	// MaxFaults is how many faults an answer lists.
	MaxFaults = 100

	// KeyRate and KeyBurst are how many quotes a key may ask for in a second, and at once; KeyAtOnce how many
	// of its exchanges are answered at the same time.
	KeyRate   = 500
	KeyBurst  = 2_000
	KeyAtOnce = 16

	// maxUnderWay is how many bytes of requests are worked on at once: a request may become some twenty times
	// as large in memory. Each counts as leastUnderWay at least.
	maxUnderWay   = 8 << 20
	leastUnderWay = 4 << 10
	// maxWait is how long an exchange waits for its turn.
	maxWait = 10 * time.Second
)

var readLimits = quote.Limits{Requests: MaxRequests, Faults: MaxFaults}

// limits holds off keys that ask too much, and what all askers together may have under way.
type limits struct {
	mu       sync.Mutex
	keys     *lru.Cache[string, *keyLimit]
	underWay *semaphore.Weighted
}

type keyLimit struct {
	rate   *rate.Limiter
	atOnce chan struct{}
}

// maxKeys is how many keys' limits are remembered.
const maxKeys = 10_000

func newLimits() *limits {
	keys, err := lru.New[string, *keyLimit](maxKeys)
	if err != nil {
		panic(err) // of a size below 1
	}
	return &limits{keys: keys, underWay: semaphore.NewWeighted(maxUnderWay)}
}

func (l *limits) of(key string) *keyLimit {
	l.mu.Lock()
	defer l.mu.Unlock()
	k, ok := l.keys.Get(key)
	if !ok {
		k = &keyLimit{rate.NewLimiter(KeyRate, KeyBurst), make(chan struct{}, KeyAtOnce)}
		l.keys.Add(key, k)
	}
	return k
}

// heldOff says how long a key has to wait before it may ask for so many quotes; 0 where it may now.
func (k *keyLimit) heldOff(quotes int) time.Duration {
	r := k.rate.ReserveN(time.Now(), quotes)
	if d := r.Delay(); d > 0 {
		r.Cancel()
		return d
	}
	return 0
}

// enter waits until a request of a size may be worked on; leave ends that.
func (l *limits) enter(ctx context.Context, size int) (leave func(), err error) {
	ctx, cancel := context.WithTimeout(ctx, maxWait)
	defer cancel()
	weight := int64(min(max(size, leastUnderWay), maxUnderWay))
	if err := l.underWay.Acquire(ctx, weight); err != nil {
		return nil, err
	}
	return func() { l.underWay.Release(weight) }, nil
}

// errEncoding is the error of a body in an encoding that is not read.
var errEncoding = errors.New("a request comes as it is, or as gzip")

// unpacked reads a request's body of at most [MaxBody] bytes, which it is as it came and unpacked. Its errors
// are errEncoding and *[http.MaxBytesError], or those of a body that is broken.
func unpacked(w http.ResponseWriter, r *http.Request) (io.Reader, error) {
	body := http.MaxBytesReader(w, r.Body, MaxBody)
	switch encoding := strings.ToLower(strings.TrimSpace(r.Header.Get("Content-Encoding"))); encoding {
	case "", "identity":
		return body, nil
	case "gzip", "x-gzip":
		z, err := gzip.NewReader(body)
		if err != nil {
			return nil, err
		}
		return http.MaxBytesReader(w, z, MaxBody), nil
	}
	return nil, errEncoding
}

func retryAfter(d time.Duration) string { return strconv.Itoa(int(d.Seconds()) + 1) }
