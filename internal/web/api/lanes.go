package api

import (
	"context"
	"errors"
	"math"
	"runtime"
	"sync"
	"time"
)

// Work on requests is shared between those who ask. A small request, of which there are many, is worked on at once; a
// large one has to wait for the lane of the large ones, which takes one fewer at a time than there are processors, so
// that small ones always find one. What is large shows by its size, or by how long the last requests of its asker took.
//
// In the lane of the large ones the asker comes next who has used the least time, by their key, then the site, then the
// visitor: a fair queue by measured work (Demers, Keshav and Shenker: Analysis and Simulation of a Fair Queueing
// Algorithm, 1989). Whoever was idle begins where those are who were not, and so has saved nothing up.
type lanes struct {
	mu     sync.Mutex
	slots  int // of the lane of large requests, that are free
	small  int // small requests that are worked on
	all    share
	recent map[asking]*pace
}

// asking is who asks, as far as it counts for shares: "" where it does not.
type asking struct {
	key           int64
	site, visitor string
}

// Limits of the lanes.
const (
	// smallBody and smallLines are up to what size, unpacked and in lines (as [weigh] counts), a request is
	// small.
	smallBody  = 64 << 10
	smallLines = 500
	// dear is from which time on, on average, the requests of an asker are large whatever their size.
	dear = 25 * time.Millisecond
	// maxLarge is how many bytes of large requests wait and are worked on together, maxOfKey how many of those are of one
	// key where it has several, and maxSmall how many small ones are worked on at the same time.
	maxLarge = 96 << 20
	maxOfKey = maxLarge / 3
	maxSmall = 2_000
	// maxWait is how long a request waits for its turn.
	maxWait = 10 * time.Second
	// maxPaces is of how many askers it is remembered how long their requests take.
	maxPaces = 20_000
)

// share is what an asker, or all askers below a key or a site, have used of the lane, and what of theirs waits.
type share struct {
	used    float64 // seconds
	busy    int     // requests that wait or are worked on
	bytes   int     // of them
	waiting []*turn // of a visitor
	below   map[any]*share
}

// turn is a large request that waits.
type turn struct {
	ready chan struct{}
	let   bool
}

// pace is how long the requests of an asker took lately: a moving average.
type pace struct{ seconds float64 }

func newLanes() *lanes {
	return &lanes{slots: max(1, runtime.GOMAXPROCS(0)-1), recent: map[asking]*pace{}}
}

// errBusy is the error of a request that was not worked on because too much else was.
var errBusy = errors.New("too much is asked at the moment")

// enter waits until a request of so many bytes and lines may be worked on; leave ends that, and is called
// once, with the processor time that it took.
func (l *lanes) enter(
	ctx context.Context, who asking, size, lines int,
) (leave func(spent time.Duration), err error) {
	l.mu.Lock()
	p := l.recent[who]
	if size <= smallBody && lines <= smallLines && (p == nil || p.seconds < dear.Seconds()) {
		if l.small == maxSmall {
			l.mu.Unlock()
			return nil, errBusy
		}
		l.small++
		l.mu.Unlock()
		return func(spent time.Duration) { l.leaveSmall(who, spent) }, nil
	}
	path := l.path(who)
	for _, s := range path {
		s.busy++
		s.bytes += size
	}
	if key := path[1]; l.all.bytes > maxLarge || key.bytes > maxOfKey && key.busy > 1 {
		l.left(who, path, size, 0)
		l.mu.Unlock()
		return nil, errBusy
	}
	t := &turn{ready: make(chan struct{})}
	last := path[len(path)-1]
	last.waiting = append(last.waiting, t)
	l.next()
	l.mu.Unlock()

	ctx, cancel := context.WithTimeout(ctx, maxWait)
	defer cancel()
	select {
	case <-t.ready:
	case <-ctx.Done():
		l.mu.Lock()
		defer l.mu.Unlock()
		if !t.let {
			for i := range last.waiting {
				if last.waiting[i] == t {
					last.waiting = append(last.waiting[:i], last.waiting[i+1:]...)
					break
				}
			}
			l.left(who, path, size, 0)
			return nil, errBusy
		}
	}
	return func(spent time.Duration) {
		l.mu.Lock()
		defer l.mu.Unlock()
		l.slots++
		l.paced(who, spent)
		l.left(who, path, size, spent)
		l.next()
	}, nil
}

func (l *lanes) leaveSmall(who asking, took time.Duration) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.small--
	if p := l.recent[who]; p != nil || took > dear/4 {
		l.paced(who, took)
	}
}

// paced remembers how long a request took. An asker whose requests have become quick again is forgotten.
func (l *lanes) paced(who asking, took time.Duration) {
	p := l.recent[who]
	if p == nil {
		if len(l.recent) >= maxPaces {
			clear(l.recent)
		}
		p = &pace{}
		l.recent[who] = p
	}
	p.seconds += (took.Seconds() - p.seconds) / 4
	if p.seconds < dear.Seconds()/8 {
		delete(l.recent, who)
	}
}

// path are the shares of all, of the key, of the site and of the visitor. One who comes back begins at what the least of
// those has used who are there.
func (l *lanes) path(who asking) []*share {
	path := []*share{&l.all}
	for _, name := range []any{who.key, who.site, who.visitor} {
		s := path[len(path)-1]
		if s.below == nil {
			s.below = map[any]*share{}
		}
		next := s.below[name]
		if next == nil {
			next = &share{used: s.least()}
			s.below[name] = next
		}
		path = append(path, next)
	}
	return path
}

// least is the least that those below a share have used; 0 where there are none.
func (s *share) least() float64 {
	least := math.Inf(1)
	for _, b := range s.below {
		least = min(least, b.used)
	}
	if math.IsInf(least, 1) {
		return 0
	}
	return least
}

// left ends a request that took so long, and forgets shares that nobody has any more.
func (l *lanes) left(who asking, path []*share, size int, took time.Duration) {
	names := []any{who.key, who.site, who.visitor}
	for i := len(path) - 1; i >= 0; i-- {
		s := path[i]
		s.used += took.Seconds()
		s.bytes -= size
		if s.busy--; s.busy == 0 && i > 0 {
			delete(path[i-1].below, names[i-1])
		}
	}
}

// next lets in whoever comes next, as long as there is room.
func (l *lanes) next() {
	for l.slots > 0 {
		s := &l.all
		for s.below != nil {
			var best *share
			for _, b := range s.below {
				if b.waits() && (best == nil || b.used < best.used) {
					best = b
				}
			}
			if best == nil {
				return
			}
			s = best
		}
		t := s.waiting[0]
		s.waiting = s.waiting[1:]
		l.slots--
		t.let = true
		close(t.ready)
	}
}

// waits says whether something waits below a share.
func (s *share) waits() bool {
	if len(s.waiting) > 0 {
		return true
	}
	for _, b := range s.below {
		if b.waits() {
			return true
		}
	}
	return false
}
