package history

import (
	"context"
	"errors"
	"slices"
	"sync"
	"time"

	"diadrom/internal/core/past"
	"diadrom/internal/core/quote"

	"golang.org/x/sync/errgroup"
)

// Ask is what orders are to be rated anew for.
type Ask struct {
	Key            string // tells it from others: the stores, what they are grouped by, the days
	Under, Against *quote.Engine
	By             []past.By
	From           string // the first day, "" for all
	// Instead stops reports that are still being made for the same purpose: nobody waits for them any more. "" stops
	// none.
	Instead string
}

// Result is orders rated anew.
type Result struct {
	Total       *past.Group // nil where there is no order
	Groups      []*past.Group
	Zones       []*past.Group // the same by zone, for the drawing
	Losses      []past.Loss   // the worst first
	Differences []past.Difference
	Points      []past.Point
	Unknown     []Named // products that the store does not have, most often ordered first
	Names       []Named // methods that the store does not have; "" of orders that name none
	Took        time.Duration
}

// Named is how many orders have something.
type Named struct {
	Name   string
	Orders int
}

// worst and drawn are how many orders are listed and drawn.
const (
	worst = 20
	drawn = 1500
)

// Progress is how far a report is.
type Progress struct {
	Done, Of int
	Err      error
}

// reports are those that were made and are being made.
type reports struct {
	mu     sync.Mutex
	jobs   map[string]*job
	order  []string
	raters []*past.Rater // the last that were used: they remember what they have rated
	free   map[string]*freeJob
	bases  []*base // the last first
}

// keep keeps a report that others can begin with.
func (r *reports) keep(b *base) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.bases = slices.DeleteFunc(r.bases, func(o *base) bool { return o.under == b.under && o.key == b.key })
	r.bases = append([]*base{b}, r.bases...)
	r.bases = r.bases[:min(len(r.bases), maxBases)]
}

// maxRaters is how many raters are kept.
const maxRaters = 4

// rater is the rater of an engine, with what it remembers.
func (r *reports) rater(e *quote.Engine) *past.Rater {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, one := range r.raters {
		if one.Of() == e {
			return one
		}
	}
	one := past.NewRater(e)
	if len(r.raters) >= maxRaters {
		r.raters = r.raters[1:]
	}
	r.raters = append(r.raters, one)
	return one
}

// job is a report on its way.
type job struct {
	instead string
	stop    context.CancelFunc
	done    chan struct{}
	result  *Result
	err     error
	mu      sync.Mutex
	rated   int
	of      int
}

// maxReports is how many reports are remembered.
const maxReports = 24

func newReports() *reports { return &reports{jobs: map[string]*job{}, free: map[string]*freeJob{}} }

// forget drops all: the orders are others.
func (r *reports) forget() {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, j := range r.jobs {
		j.stop()
	}
	clear(r.jobs)
	clear(r.free)
	r.order, r.bases = nil, nil
}

// Report gives a report, or how far it is where it is not made within a while. It goes on being made meanwhile.
func (h *History) Report(ask Ask, wait time.Duration) (*Result, Progress) {
	h.reports.mu.Lock()
	j := h.reports.jobs[ask.Key]
	if j == nil {
		ctx, stop := context.WithCancel(context.Background())
		j = &job{instead: ask.Instead, stop: stop, done: make(chan struct{})}
		h.reports.superseded(ask.Instead)
		h.reports.jobs[ask.Key] = j
		if h.reports.order = append(h.reports.order, ask.Key); len(h.reports.order) > maxReports {
			if old := h.reports.jobs[h.reports.order[0]]; old != nil {
				old.stop()
				delete(h.reports.jobs, h.reports.order[0])
			}
			h.reports.order = h.reports.order[1:]
		}
		go func() {
			defer close(j.done)
			j.result, j.err = h.rate(ctx, &ask, j)
		}()
	}
	h.reports.mu.Unlock()
	select {
	case <-j.done:
		if j.err != nil {
			h.reports.drop(ask.Key, j)
		}
		if errors.Is(j.err, context.Canceled) { // whoever asks again has it begin again
			return nil, Progress{}
		}
		return j.result, Progress{Err: j.err}
	case <-time.After(wait):
		j.mu.Lock()
		defer j.mu.Unlock()
		return nil, Progress{Done: j.rated, Of: j.of}
	}
}

// drop forgets a report that came to nothing, unless it is being made again.
func (r *reports) drop(key string, j *job) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.jobs[key] == j {
		delete(r.jobs, key)
		r.order = slices.DeleteFunc(r.order, func(k string) bool { return k == key })
	}
}

// superseded stops the reports for a purpose that are still being made. The caller holds the lock.
func (r *reports) superseded(purpose string) {
	for key, j := range r.jobs {
		if purpose == "" || j.instead != purpose {
			continue
		}
		select {
		case <-j.done:
		default:
			j.stop()
			delete(r.jobs, key)
			r.order = slices.DeleteFunc(r.order, func(k string) bool { return k == key })
		}
	}
}

// Cancel stops making a report.
func (h *History) Cancel(key string) {
	h.reports.mu.Lock()
	defer h.reports.mu.Unlock()
	if j := h.reports.jobs[key]; j != nil {
		j.stop()
		delete(h.reports.jobs, key)
		h.reports.order = slices.DeleteFunc(h.reports.order, func(k string) bool { return k == key })
	}
}

// batch is how many orders a goroutine rates at a time.
const batch = 512

// each gives the orders to several goroutines in batches.
func (h *History) each(ctx context.Context, from string, j *job, workers []func([]past.Order)) error {
	named, err := h.db.NamedMethods(ctx)
	if err != nil {
		return err
	}
	if j != nil {
		n, err := h.db.Count(ctx, from)
		if err != nil {
			return err
		}
		j.mu.Lock()
		j.of = n
		j.mu.Unlock()
	}
	group, ctx := errgroup.WithContext(ctx)
	work := make(chan []past.Order, len(workers))
	group.Go(func() error {
		defer close(work)
		list := make([]past.Order, 0, batch)
		send := func() error {
			select {
			case work <- list:
				list = make([]past.Order, 0, batch)
				return nil
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		err := h.db.Orders(ctx, from, named, func(o *past.Order) error {
			if list = append(list, *o); len(list) == batch {
				return send()
			}
			return nil
		})
		if err == nil {
			err = send()
		}
		return err
	})
	for _, rate := range workers {
		group.Go(func() error {
			for list := range work {
				rate(list)
				if j != nil {
					j.mu.Lock()
					j.rated += len(list)
					j.mu.Unlock()
				}
			}
			return nil
		})
	}
	return group.Wait()
}
