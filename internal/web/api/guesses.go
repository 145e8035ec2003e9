package api

import (
	"strings"
	"sync"
	"sync/atomic"
	"time"
	"unicode"

	"diadrom/internal/core/quote"

	lru "github.com/hashicorp/golang-lru/v2"
)

// guesses keep pages from finding coupons by trying. A visitor of a site may name so many different codes in an hour that
// the shop does not know; after that each code that is new counts as one that it does not know, without a look. Codes
// that were known before still count.
//
// Whether a code exists is found by its hash in a set, which takes the same time either way.
type guesses struct {
	mu   sync.Mutex
	by   *lru.Cache[asking, *tried]
	set  atomic.Pointer[couponSet]
	time func() time.Time
}

// MaxGuesses is how many different codes that do not exist a visitor of a site may name within GuessTime.
const (
	MaxGuesses = 20
	GuessTime  = time.Hour
)

// tried are the codes that a visitor has named, folded.
type tried struct {
	known   map[string]bool
	unknown map[string]time.Time
}

// maxKnown is how many codes that exist are remembered of a visitor.
const maxKnown = 100

// couponSet are the coupons of an engine, folded.
type couponSet struct {
	of  *quote.Engine
	all map[string]bool
}

func newGuesses() *guesses {
	by, err := lru.New[asking, *tried](maxKept)
	if err != nil {
		panic(err) // of a size below 1
	}
	return &guesses{by: by, time: time.Now}
}

// known are the coupons of a request of a page, without those that count as unknown.
func (g *guesses) known(q *asked, site string, codes []string) (list []string) {
	if len(codes) == 0 {
		return codes
	}
	all := g.coupons(q.reached)
	who := asking{q.who.Key.ID, site, q.who.From}
	now := g.time()
	g.mu.Lock()
	defer g.mu.Unlock()
	t, ok := g.by.Get(who)
	if !ok {
		t = &tried{map[string]bool{}, map[string]time.Time{}}
		g.by.Add(who, t)
	}
	for code, at := range t.unknown {
		if now.Sub(at) >= GuessTime {
			delete(t.unknown, code)
		}
	}
	for _, code := range codes {
		key := folded(code)
		_, guessed := t.unknown[key]
		switch {
		case t.known[key]:
		case guessed, len(t.unknown) >= MaxGuesses:
			continue
		case !all[key]:
			t.unknown[key] = now
			continue
		case len(t.known) < maxKnown:
			t.known[key] = true
		}
		list = append(list, code)
	}
	return list
}

// coupons are those of an engine.
func (g *guesses) coupons(e *quote.Engine) map[string]bool {
	set := g.set.Load()
	if set == nil || set.of != e {
		set = &couponSet{e, map[string]bool{}}
		for _, code := range e.Coupons() {
			set.all[folded(code)] = true
		}
		g.set.Store(set)
	}
	return set.all
}

// folded is a code as it is compared: without spaces around it, and alike in what Unicode's simple case folding makes
// alike.
func folded(code string) string {
	return strings.Map(func(r rune) rune {
		least := r
		for other := unicode.SimpleFold(r); other != r; other = unicode.SimpleFold(other) {
			least = min(least, other)
		}
		return least
	}, strings.TrimSpace(code))
}
