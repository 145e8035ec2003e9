package confined

import (
	"context"
	"log/slog"
	"sync"
)

// Places are where files are read: a few at a time, shared fairly. One person has at most [PerPerson] of them, and
// files of more than [Large] bytes leave some for small ones, which pass them while they wait.
type Places struct {
	child
	mu      sync.Mutex
	taken   int
	large   int
	by      map[string]int
	waiting []*waiter
}

// How many files are read at once: in all, those that are large, and those of one person. A file is large from Large
// bytes on, or where its size is not known.
const (
	AtOnce      = 4
	LargeAtOnce = 2
	PerPerson   = 2
	Large       = 1 << 20
)

type waiter struct {
	who   string
	large bool
	ready chan struct{}
}

// New makes places in which the program at path is started.
func New(path string, log *slog.Logger) *Places {
	return &Places{child: child{path, log}, by: map[string]int{}}
}

type key int

const (
	whoKey key = iota
	reportKey
	heldKey
)

// As says whose files are read with a context.
func As(ctx context.Context, who string) context.Context { return context.WithValue(ctx, whoKey, who) }

// Reporting has report called with the progress of what is read with a context.
func Reporting(ctx context.Context, report func(Progress)) context.Context {
	return context.WithValue(ctx, reportKey, report)
}

func reportOf(ctx context.Context) func(Progress) {
	if report, ok := ctx.Value(reportKey).(func(Progress)); ok {
		return report
	}
	return func(Progress) {}
}

// Hold waits for a place for a file of a size, -1 where that is not known, and keeps it for all that is read with the
// context that it gives, until leave is called. What is made of a file once it is read takes memory too.
func (p *Places) Hold(ctx context.Context, size int64) (held context.Context, leave func(), err error) {
	leave, err = p.enter(ctx, size)
	return context.WithValue(ctx, heldKey, p), leave, err
}

// Waiting counts the files that wait for a place.
func (p *Places) Waiting() int {
	p.mu.Lock()
	defer p.mu.Unlock()
	return len(p.waiting)
}

// enter waits for a place, unless the context has one.
func (p *Places) enter(ctx context.Context, size int64) (leave func(), err error) {
	if ctx.Value(heldKey) == p {
		return func() {}, nil
	}
	who, _ := ctx.Value(whoKey).(string)
	w := &waiter{who, size < 0 || size > Large, make(chan struct{})}
	p.mu.Lock()
	p.waiting = append(p.waiting, w)
	p.let()
	p.mu.Unlock()
	select {
	case <-w.ready:
		return func() { p.leave(w) }, nil
	case <-ctx.Done():
	}
	p.mu.Lock()
	for i := range p.waiting {
		if p.waiting[i] == w {
			p.waiting = append(p.waiting[:i], p.waiting[i+1:]...)
			p.mu.Unlock()
			return nil, context.Cause(ctx)
		}
	}
	p.mu.Unlock()
	p.leave(w) // it was let in meanwhile
	return nil, context.Cause(ctx)
}

func (p *Places) leave(w *waiter) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.taken--
	if w.large {
		p.large--
	}
	if p.by[w.who]--; p.by[w.who] == 0 {
		delete(p.by, w.who)
	}
	p.let()
}

// let lets those in who may, in the order in which they came.
func (p *Places) let() {
	left := p.waiting[:0]
	for _, w := range p.waiting {
		if p.taken == AtOnce || w.large && p.large == LargeAtOnce || p.by[w.who] == PerPerson {
			left = append(left, w)
			continue
		}
		p.taken++
		p.by[w.who]++
		if w.large {
			p.large++
		}
		close(w.ready)
	}
	clear(p.waiting[len(left):])
	p.waiting = left
}
