package quote

import (
	"sync"

	"diadrom/internal/exact"
	"diadrom/internal/place"

	"github.com/paulmach/orb"
)

// mostFar is how many distances are remembered; then it begins anew.
const mostFar = 1 << 16

// far remembers distances: a shop sends to the same postcodes again and again, and a distance on the ellipsoid costs more than the rest of
// a quote. It is safe for many goroutines.
type far struct {
	mu    sync.RWMutex
	known map[[2]orb.Point]*exact.Decimal
}

func (f *far) between(from, to orb.Point, metres float64) *exact.Decimal {
	key := [2]orb.Point{from, to}
	f.mu.RLock()
	d := f.known[key]
	f.mu.RUnlock()
	if d != nil {
		return d
	}
	fresh := place.Distance(from, to, metres)
	f.mu.Lock()
	if f.known == nil || len(f.known) >= mostFar {
		f.known = map[[2]orb.Point]*exact.Decimal{}
	}
	f.known[key] = &fresh
	f.mu.Unlock()
	return &fresh
}
