package history

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/past"
	"diadrom/internal/core/propose"
	"diadrom/internal/core/quote"
	"diadrom/internal/edit"

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

// base finds the report that another can begin with; nil where there is none.
func (r *reports) base(under *quote.Engine, key string) *base {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, b := range r.bases {
		if b.under == under && b.key == key {
			return b
		}
	}
	return nil
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

// collected is what one goroutine makes of orders.
type collected struct {
	groups, zones  *past.Report
	losses         *past.Losses
	differences    *past.Differences
	points         *past.Points
	unknown, names map[string]int
	results        []result // of the other store, where there is one
}

// result is what the other store made of an order, as far as it tells whether a change touches it.
type result struct {
	row   int64
	at    *quote.Place
	which uint16 // of base.kinds
}

// kind is what results have in common.
type kind struct {
	outcome      past.Outcome
	method, zone string
}

// base is the last report of its kind: with another store beside it, only what differs is rated again.
type base struct {
	key     string // the days, what is grouped by, and which orders there are
	under   *quote.Engine
	against *quote.Engine
	one     *collected
	kinds   []kind
}

// maxBases is how many are kept.
const maxBases = 2

func (h *History) rate(ctx context.Context, ask *Ask, j *job) (*Result, error) {
	begun := time.Now()
	span, err := h.Span(ctx)
	if err != nil {
		return nil, err
	}
	key := fmt.Sprintf("%v %s %d", ask.By, ask.From, span.Version)
	var b *base
	if ask.Against != nil {
		b, err = h.again(ctx, ask, key)
	}
	if err == nil && b == nil {
		b, err = h.whole(ctx, ask, key, j)
	}
	if err != nil {
		return nil, err
	}
	if ask.Against != nil {
		h.reports.keep(b)
	}
	one := b.one
	return &Result{Total: one.groups.Total(), Groups: one.groups.Groups(), Zones: one.zones.Groups(),
		Losses: one.losses.List(), Differences: one.differences.List(), Points: one.points.List(),
		Unknown: often(one.unknown), Names: often(one.names), Took: time.Since(begun)}, nil
}

// kindsOf numbers kinds of results.
type kindsOf struct {
	mu    sync.Mutex
	list  []kind
	index map[kind]uint16
}

func (k *kindsOf) of(is *past.Rated) uint16 {
	one := kind{is.Outcome, is.Method, is.Zone}
	k.mu.Lock()
	defer k.mu.Unlock()
	n, ok := k.index[one]
	if !ok && len(k.list) < 1<<16-1 {
		n = uint16(len(k.list))
		k.list, k.index[one] = append(k.list, one), n
	}
	return n
}

// whole rates all orders.
func (h *History) whole(ctx context.Context, ask *Ask, key string, j *job) (*base, error) {
	first, second := h.reports.rater(ask.Under), (*past.Rater)(nil)
	if ask.Against != nil {
		second = h.reports.rater(ask.Against)
	}
	f := ask.Under.Store()
	kinds := &kindsOf{index: map[kind]uint16{}}
	var all []*collected
	var workers []func([]past.Order)
	for range runtime.GOMAXPROCS(0) {
		c := &collected{groups: past.NewReport(ask.By), zones: past.NewReport([]past.By{past.Zone}),
			losses: past.NewLosses(worst), differences: past.NewDifferences(half), points: past.NewPoints(drawn),
			unknown: map[string]int{}, names: map[string]int{}}
		all = append(all, c)
		pair, places := past.Pair(first, second), (*past.Rater)(nil)
		if second != nil {
			places = second.Again()
		}
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
					c.results = append(c.results, result{o.Row, places.Place(&o.To), kinds.of(against)})
				}
				if is.Unknown != "" {
					c.unknown[is.Unknown]++
				}
				if f.Method(o.Method) == nil && (o.Method != "" || is.NeedsShipping) {
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
		one.results = append(one.results, c.results...)
		for name, n := range c.unknown {
			one.unknown[name] += n
		}
		for name, n := range c.names {
			one.names[name] += n
		}
	}
	return &base{key, ask.Under, ask.Against, one, kinds.list}, nil
}

// again rates the orders that differ from a report before, which had another store beside the same one; nil where there
// is none, or too much differs.
func (h *History) again(ctx context.Context, ask *Ask, key string) (*base, error) {
	before := h.reports.base(ask.Under, key)
	if before == nil || len(before.kinds) >= 1<<16-1 {
		return nil, nil
	}
	touched := past.Differ(before.against.Store(), ask.Against.Store())
	if touched.All || before.against.Gazetteer() != ask.Against.Gazetteer() {
		return nil, nil
	}
	kinds := &kindsOf{list: slices.Clone(before.kinds), index: map[kind]uint16{}}
	byKind := make([]bool, len(before.kinds))
	for i, k := range before.kinds {
		kinds.index[k] = uint16(i)
		byKind[i] = k.outcome == past.ByItsMethod && touched.Method(k.method, k.zone)
	}
	places := map[*quote.Place]bool{}
	next := &base{key: key, under: ask.Under, against: ask.Against, one: before.one.clone()}
	var rows []int64
	var at []int
	for i := range before.one.results {
		r := &before.one.results[i]
		hit := byKind[r.which]
		if outcome := before.kinds[r.which].outcome; outcome == past.ByOther || outcome == past.NotOffered {
			known, ok := places[r.at]
			if !ok {
				known = touched.Place(before.against, r.at)
				places[r.at] = known
			}
			hit = known
		}
		if hit {
			rows, at = append(rows, r.row), append(at, i)
		}
	}
	if 2*len(rows) > len(before.one.results) {
		return nil, nil
	}
	index := make(map[int64]int, len(rows))
	for i, row := range rows {
		index[row] = at[i]
	}
	slices.Sort(rows)
	named, err := h.db.NamedMethods(ctx)
	if err != nil {
		return nil, err
	}
	first, was, is := h.reports.rater(ask.Under).Again(), h.reports.rater(before.against).Again(),
		h.reports.rater(ask.Against).Again()
	err = h.db.OrdersAt(ctx, rows, named, func(o *past.Order) error {
		under, old, fresh := first.Rate(o), was.Rate(o), is.Rate(o)
		next.one.groups.Replace(o, &under, &old, &fresh)
		next.one.zones.Replace(o, &under, &old, &fresh)
		next.one.differences.Replace(&under, &old, &fresh)
		next.one.results[index[o.Row]].which = kinds.of(&fresh)
		return ctx.Err()
	})
	next.kinds = kinds.list
	return next, err
}

// clone is a copy of what depends on the other store; the rest is shared.
func (c *collected) clone() *collected {
	out := *c
	out.groups, out.zones, out.differences = c.groups.Clone(), c.zones.Clone(), c.differences.Clone()
	out.results = slices.Clone(c.results)
	return &out
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

// freeJob is a collection on its way.
type freeJob struct {
	done chan struct{}
	free *past.Free
	err  error
}

// FreeOf is [History.Free], remembered by the revision of the store; nil where it is not collected within a while. It
// goes on being collected meanwhile.
func (h *History) FreeOf(e *quote.Engine, revision string, t *edit.Trial, from string,
	wait time.Duration) (*past.Free, error) {
	key := strings.Join([]string{revision, t.Method, t.Zone, from}, "\x00")
	h.reports.mu.Lock()
	j := h.reports.free[key]
	if j == nil {
		if len(h.reports.free) >= maxFree {
			clear(h.reports.free)
		}
		j = &freeJob{done: make(chan struct{})}
		h.reports.free[key] = j
		go func() {
			defer close(j.done)
			j.free, j.err = h.Free(context.Background(), e, t, from)
		}()
	}
	h.reports.mu.Unlock()
	select {
	case <-j.done:
		return j.free, j.err
	case <-time.After(wait):
		return nil, nil
	}
}

// Free collects what free delivery of a method would have given away, in the zones where what is tried holds.
func (h *History) Free(ctx context.Context, e *quote.Engine, t *edit.Trial, from string) (*past.Free, error) {
	r := past.WithoutFree(e, t.Method, func(zone string) bool { return t.Holds(e.Store(), zone) })
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
