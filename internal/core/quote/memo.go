package quote

import (
	"sync"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"

	"github.com/paulmach/orb"
)

// maxMemo is how many results of a kind are remembered; then it begins again.
const maxMemo = 1 << 16

// memo remembers results that do not change while an engine lives: a shop sends to the same postcodes again and
// again. It is safe for many goroutines.
type memo[K comparable, V any] struct {
	mu    sync.RWMutex
	known map[K]V
}

func (m *memo[K, V]) get(key K, made func() V) V {
	m.mu.RLock()
	v, ok := m.known[key]
	m.mu.RUnlock()
	if ok {
		return v
	}
	v = made()
	m.mu.Lock()
	if m.known == nil || len(m.known) >= maxMemo {
		m.known = map[K]V{}
	}
	m.known[key] = v
	m.mu.Unlock()
	return v
}

// memos are those of an engine. A distance on the ellipsoid costs more than the rest of a quote, and what a
// list of places adds to an address as much as reading the request.
type memos struct {
	far      memo[[2]orb.Point, *decimal.Decimal]
	resolved memo[resolveKey, place.Resolved]
}

// resolveKey is what of an address a list of places looks at.
type resolveKey struct{ country, region, city, postcode string }

// longestKey is up to how many bytes an address is remembered: real ones are shorter.
const longestKey = 120

// Resolve makes an address ready for matching, asking where its street lies. What it gives must not be changed.
func (e *Engine) Resolve(a place.Address) place.Resolved {
	r, _ := e.locate(&a)
	return r
}

// fromLists makes an address ready for matching with the lists of places alone.
func (e *Engine) fromLists(a *place.Address) place.Resolved {
	if a.Lat != nil || len(a.City)+len(a.Region)+len(a.Postcode) > longestKey {
		return a.Resolve(e.gaz)
	}
	return e.memos.resolved.get(
		resolveKey{a.Country, a.Region, a.City, a.Postcode},
		func() place.Resolved { return a.Resolve(e.gaz) },
	)
}

// between is the distance between two points, in the store's unit.
func (e *Engine) between(from, to orb.Point) *decimal.Decimal {
	return e.memos.far.get([2]orb.Point{from, to}, func() *decimal.Decimal {
		d := place.Distance(from, to, e.file.Store.Metres())
		return &d
	})
}
