package history

import (
	"cmp"
	"context"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"diadrom/internal/core/past"
	"diadrom/internal/core/propose"
	"diadrom/internal/core/quote"
	"diadrom/internal/edit"
)

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
