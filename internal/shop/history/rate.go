package history

import (
	"cmp"
	"context"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/past"
	"diadrom/internal/core/quote"
)

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
				if f.Method(first.Own(o.Method)) == nil && (o.Method != "" || is.NeedsShipping) {
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
