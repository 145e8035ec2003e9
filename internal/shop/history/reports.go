package history

import (
	"cmp"
	"context"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/past"
	"diadrom/internal/core/propose"
	"diadrom/internal/core/quote"

	"golang.org/x/sync/errgroup"
)

// Ask is what orders are to be rated anew for.
type Ask struct {
	Key            string // tells it from others: the stores, what they are grouped by, the days
	Under, Against *quote.Engine
	By             []past.By
	From           string // the first day, "" for all
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
	Names       []Named // methods that the store does not have
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
	free   map[string]*past.Free
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
	stop   context.CancelFunc
	done   chan struct{}
	result *Result
	err    error
	mu     sync.Mutex
	rated  int
	of     int
}

// maxReports is how many reports are remembered.
const maxReports = 24

func newReports() *reports { return &reports{jobs: map[string]*job{}, free: map[string]*past.Free{}} }

// forget drops all: the orders are others.
func (r *reports) forget() {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, j := range r.jobs {
		j.stop()
	}
	clear(r.jobs)
	clear(r.free)
	r.order = nil
}

// Report gives a report, or how far it is where it is not made within a while. It goes on being made meanwhile.
func (h *History) Report(ask Ask, wait time.Duration) (*Result, Progress) {
	h.reports.mu.Lock()
	j := h.reports.jobs[ask.Key]
	if j == nil {
		ctx, stop := context.WithCancel(context.Background())
		j = &job{stop: stop, done: make(chan struct{})}
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
			h.Cancel(ask.Key)
		}
		return j.result, Progress{Err: j.err}
	case <-time.After(wait):
		j.mu.Lock()
		defer j.mu.Unlock()
		return nil, Progress{Done: j.rated, Of: j.of}
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
	span, err := h.db.Span(ctx)
	if err != nil {
		return err
	}
	if j != nil {
		j.mu.Lock()
		j.of = span.Orders
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

// collected is what one goroutine makes of orders.
type collected struct {
	groups, zones  *past.Report
	losses         *past.Losses
	differences    *past.Differences
	points         *past.Points
	unknown, names map[string]int
}

func (h *History) rate(ctx context.Context, ask *Ask, j *job) (*Result, error) {
	begun := time.Now()
	first, second := h.reports.rater(ask.Under), (*past.Rater)(nil)
	if ask.Against != nil {
		second = h.reports.rater(ask.Against)
	}
	f := ask.Under.Store()
	var all []*collected
	var workers []func([]past.Order)
	for range runtime.GOMAXPROCS(0) {
		c := &collected{past.NewReport(ask.By), past.NewReport([]past.By{past.Zone}), past.NewLosses(worst),
			past.NewDifferences(half), past.NewPoints(drawn), map[string]int{}, map[string]int{}}
		all = append(all, c)
		pair := past.Pair(first, second)
		workers = append(workers, func(list []past.Order) {
			for i := range list {
				o := &list[i]
				is, against := pair(o)
				c.groups.Add(o, is, against)
				c.zones.Add(o, is, against)
				c.losses.Add(o, is)
				c.points.Add(o, is)
				if against != nil {
					c.differences.Add(is, against)
				}
				if is.Unknown != "" {
					c.unknown[is.Unknown]++
				}
				if o.Method != "" && f.Method(o.Method) == nil {
					c.names[o.Method]++
				}
			}
		})
	}
	if err := h.each(ctx, ask.From, j, workers); err != nil {
		return nil, err
	}
	one := all[0]
	for _, c := range all[1:] {
		one.groups.Merge(c.groups)
		one.zones.Merge(c.zones)
		one.losses.Merge(c.losses)
		one.differences.Merge(c.differences)
		one.points.Merge(c.points)
		for name, n := range c.unknown {
			one.unknown[name] += n
		}
		for name, n := range c.names {
			one.names[name] += n
		}
	}
	return &Result{Total: one.groups.Total(), Groups: one.groups.Groups(), Zones: one.zones.Groups(),
		Losses: one.losses.List(), Differences: one.differences.List(), Points: one.points.List(),
		Unknown: often(one.unknown), Names: often(one.names), Took: time.Since(begun)}, nil
}

var half = decimal.MustParse("0.5")

// often lists names, those of most orders first.
func often(counts map[string]int) (list []Named) {
	for name, n := range counts {
		list = append(list, Named{name, n})
	}
	slices.SortFunc(list, func(a, b Named) int {
		return cmp.Or(cmp.Compare(b.Orders, a.Orders), strings.Compare(a.Name, b.Name))
	})
	return list
}

// maxFree is how many collections of what free delivery gives away are remembered.
const maxFree = 8

// FreeOf is [History.Free], remembered by the revision of the store.
func (h *History) FreeOf(ctx context.Context, e *quote.Engine, revision, method, from string) (*past.Free, error) {
	key := revision + "\x00" + method + "\x00" + from
	h.reports.mu.Lock()
	known := h.reports.free[key]
	h.reports.mu.Unlock()
	if known != nil {
		return known, nil
	}
	free, err := h.Free(ctx, e, method, from)
	if err != nil {
		return nil, err
	}
	h.reports.mu.Lock()
	defer h.reports.mu.Unlock()
	if len(h.reports.free) >= maxFree {
		clear(h.reports.free)
	}
	h.reports.free[key] = free
	return free, nil
}

// Free collects what free delivery of a method would have given away.
func (h *History) Free(ctx context.Context, e *quote.Engine, method, from string) (*past.Free, error) {
	r := past.WithoutFree(e, method)
	total := &past.Free{}
	if r == nil {
		total.Settle()
		return total, nil
	}
	var mu sync.Mutex
	var workers []func([]past.Order)
	for range runtime.GOMAXPROCS(0) {
		own := r.Again()
		workers = append(workers, func(list []past.Order) {
			part := &past.Free{}
			for i := range list {
				own.Add(part, &list[i])
			}
			mu.Lock()
			defer mu.Unlock()
			total.Merge(part)
		})
	}
	err := h.each(ctx, from, nil, workers)
	total.Settle()
	return total, err
}

// Proposed is a proposed list with the orders that it is made of.
type Proposed struct {
	*propose.Proposal
	Orders   []propose.Order
	Selected past.Selected
}

// Propose makes a price list of what orders have cost.
func (h *History) Propose(ctx context.Context, e *quote.Engine, s past.Selection, o propose.Options,
	from string) (out Proposed, err error) {
	rater := past.NewRater(e)
	err = h.each(ctx, from, nil, []func([]past.Order){func(list []past.Order) {
		for i := range list {
			if x, ok := rater.Select(&list[i], &s, &out.Selected); ok {
				out.Orders = append(out.Orders, x)
			}
		}
	}})
	if err != nil {
		return out, err
	}
	slices.SortFunc(out.Orders, func(a, b propose.Order) int {
		return cmp.Or(a.Measure.Cmp(b.Measure), strings.Compare(a.ID, b.ID))
	})
	out.Proposal, err = propose.List(out.Orders, o)
	return out, err
}
