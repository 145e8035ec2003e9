// Package feed takes what other programs say of a shop's products: into the draft, or into the draft and what is live.
//
// Changes that come while others are made are made together, as one edit and one edition, and not more often than once
// in [EveryEdit], or [EveryEdition]: a shop that sends each product by itself makes neither an edit nor an edition of
// each.
package feed

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
)

// EveryEdit and EveryEdition are how often changes are made at most, in the draft and in what is live.
const (
	EveryEdit    = 200 * time.Millisecond
	EveryEdition = 2 * time.Second
)

// ErrCondition is the error of a change whose condition does not hold: nothing was changed.
var ErrCondition = errors.New("the product is another by now")

// Change is what a program says of products.
type Change struct {
	By   auth.Person
	Live bool // into what is live, too
	List []edit.ProductChange
	// Condition looks at the draft before the change; nil for none.
	Condition func(*store.File) error
}

// Result is what became of a change.
type Result struct {
	edit.FedProducts
	Revision int64 // of the draft
	Edition  int64 // that has it; 0 where it is not live
}

// Feed takes changes of the products of a shop. It is safe for many goroutines.
type Feed struct {
	draft *draft.Draft
	// Published is told of each edition that a change makes; nil for nobody.
	Published func(by auth.Person, edition int64)

	mu      sync.Mutex
	waiting []*job
	running bool
	last    time.Time
}

type job struct {
	Change
	result Result
	err    error
	done   chan struct{}
}

// New makes the feed of a shop.
func New(d *draft.Draft) *Feed { return &Feed{draft: d} }

// Do makes a change, together with those that wait. Its errors are those of the condition, [draft.ErrNotLive], faults
// of a store that would not hold together, and those of the database.
func (f *Feed) Do(ctx context.Context, c Change) (Result, error) {
	j := &job{Change: c, done: make(chan struct{})}
	f.mu.Lock()
	f.waiting = append(f.waiting, j)
	if !f.running {
		f.running = true
		go f.run(context.WithoutCancel(ctx))
	}
	f.mu.Unlock()
	<-j.done
	return j.result, j.err
}

// run makes what waits until nothing does.
func (f *Feed) run(ctx context.Context) {
	for {
		time.Sleep(f.rest())
		f.mu.Lock()
		jobs := f.waiting
		f.waiting = nil
		if len(jobs) == 0 {
			f.running = false
			f.mu.Unlock()
			return
		}
		f.mu.Unlock()
		f.together(ctx, jobs)
		f.mu.Lock()
		f.last = time.Now()
		f.mu.Unlock()
		for _, j := range jobs {
			close(j.done)
		}
	}
}

// rest is how long to wait before the next changes are made.
func (f *Feed) rest() time.Duration {
	f.mu.Lock()
	defer f.mu.Unlock()
	every := EveryEdit
	if slices.ContainsFunc(f.waiting, func(j *job) bool { return j.Live }) {
		every = EveryEdition
	}
	return every - time.Since(f.last)
}

// together makes the changes of jobs, those of one asker and one kind as one edit.
func (f *Feed) together(ctx context.Context, jobs []*job) {
	for len(jobs) > 0 {
		first := jobs[0]
		n := slices.IndexFunc(jobs, func(j *job) bool { return j.By != first.By || j.Live != first.Live })
		if n < 0 {
			n = len(jobs)
		}
		f.make(ctx, jobs[:n])
		jobs = jobs[n:]
	}
}

// make makes the changes of jobs. Where they cannot be made together, because the store would not hold together, each
// is made by itself.
func (f *Feed) make(ctx context.Context, jobs []*job) {
	ctx = draft.By(ctx, jobs[0].By.ID)
	err := f.apply(ctx, jobs)
	if err == nil {
		return
	}
	if len(jobs) == 1 {
		jobs[0].err = err
		return
	}
	for i := range jobs {
		f.make(ctx, jobs[i:i+1])
	}
}

func (f *Feed) apply(ctx context.Context, jobs []*job) error {
	if !jobs[0].Live {
		state, err := f.draft.Edit(ctx, func(file *store.File) error {
			for _, j := range jobs {
				j.feed(file, nil)
			}
			return nil
		})
		if err == nil {
			settle(jobs, state.Revision, 0)
		}
		return err
	}
	before := int64(0)
	if live := f.draft.Live(); live != nil {
		before = live.Number
	}
	count := 0
	for _, j := range jobs {
		count += len(j.List)
	}
	state, live, err := f.draft.Amend(ctx, draft.Amendment{
		Note: fmt.Sprintf("Products, by %s: %s", jobs[0].By.Name, plural.Count(count, "change")),
		Change: func(d, l *store.File) error {
			for _, j := range jobs {
				j.feed(d, l)
			}
			return nil
		},
	})
	if err != nil {
		return err
	}
	settle(jobs, state.Revision, live.Number)
	if live.Number != before && f.Published != nil {
		f.Published(jobs[0].By, live.Number)
	}
	return nil
}

func settle(jobs []*job, revision, edition int64) {
	for _, j := range jobs {
		j.result.Revision, j.result.Edition = revision, edition
	}
}

// which is a change of a job.
type which struct {
	line int
	sku  string
}

// feed makes the changes of a job in the draft, and in what is live where that is given. What one of them refuses is
// made in neither; a product that is to go need be in one of them alone.
func (j *job) feed(d, live *store.File) {
	j.result, j.err = Result{}, nil
	if j.Condition != nil {
		if j.err = j.Condition(d); j.err != nil {
			return
		}
	}
	if live == nil {
		j.result.FedProducts = edit.FeedProducts(d, j.List)
		return
	}
	removals := map[which]bool{}
	for _, c := range j.List {
		if c.Remove {
			removals[which{c.Line, c.SKU}] = true
		}
	}
	list, absent := j.List, map[which]int{}
	var refused []edit.RefusedProduct
	for _, f := range []*store.File{d, live} {
		fed := edit.FeedProducts(f.Clone(), list)
		no := map[which]bool{}
		for _, r := range fed.Refused {
			w := which{r.Line, r.SKU}
			if removals[w] {
				if absent[w]++; absent[w] == 1 {
					continue
				}
			}
			refused, no[w] = append(refused, r), true
		}
		list = slices.DeleteFunc(
			slices.Clone(list),
			func(c edit.ProductChange) bool { return no[which{c.Line, c.SKU}] },
		)
	}
	edit.FeedProducts(live, list)
	fed := edit.FeedProducts(d, list)
	fed.Removed += len(fed.Refused) // from what is live alone
	fed.Refused = append([]edit.RefusedProduct{}, refused...)
	slices.SortStableFunc(fed.Refused, func(a, b edit.RefusedProduct) int { return a.Line - b.Line })
	j.result.FedProducts = fed
}
