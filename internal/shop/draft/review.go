package draft

import (
	"sync"
	"sync/atomic"
	"time"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/review/coverage"
	"diadrom/internal/review/warnings"
)

// reading is what was found in a store, read when it is first asked for and again on another day.
type reading struct {
	mu     sync.Mutex // held while it is read
	begun  atomic.Bool
	found  atomic.Pointer[found]
	m      *coverage.Map           // nil: made when it is needed
	before atomic.Pointer[reading] // of a state before, from which what has not changed is taken over
}

// found is what was found on a day.
type found struct {
	*warnings.Reading
	day string
}

// last is what was found last: in this state, or else in one before; nil where nobody asked.
func (r *reading) last() *warnings.Reading {
	for ; r != nil; r = r.before.Load() {
		if f := r.found.Load(); f != nil {
			return f.Reading
		}
	}
	return nil
}

// next is the reading of a state that follows: it knows the last that was made, or is being made, and nothing else is
// kept of those between.
func (r *reading) next(m *coverage.Map) *reading {
	out := &reading{m: m}
	for ; r != nil && !r.begun.Load(); r = r.before.Load() {
	}
	out.before.Store(r)
	return out
}

// of is what was found on a day; nil where it was not read on that day.
func (r *reading) of(day string) *warnings.Reading {
	if f := r.found.Load(); f != nil && f.day == day {
		return f.Reading
	}
	return nil
}

func (r *reading) read(e *quote.Engine, parts *store.Parts, now time.Time) *warnings.Reading {
	day := now.Format(time.DateOnly)
	if made := r.of(day); made != nil {
		return made
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if made := r.of(day); made != nil {
		return made
	}
	r.begun.Store(true)
	if r.m == nil {
		r.m = coverage.Of(e)
	}
	made := warnings.Read(warnings.Input{Engine: e, Coverage: r.m, Parts: parts, Now: now}, r.last())
	r.found.Store(&found{made, day})
	r.before.Store(nil)
	return made
}

// Warnings are what was found in the store at this moment. Services outside are not asked.
func (s *State) Warnings() *warnings.Reading {
	return s.reading.read(s.Engine, s.Parts, time.Now())
}

// Soon is Warnings, but does not wait for a large shop to be read: until that is done, a moment after an edit, it gives
// what was found in a state before, nil for nothing, and false.
func (s *State) Soon() (*warnings.Reading, bool) {
	if !s.large || s.Trial {
		return s.Warnings(), true
	}
	if made := s.reading.of(time.Now().Format(time.DateOnly)); made != nil {
		return made, true
	}
	s.queue.read(s)
	return s.reading.last(), false
}

// Large says whether the shop is so large that it is read for warnings after an edit, and not within it.
func (s *State) Large() bool { return s.large }

// large is from how many prices, postcode entries and products together a shop is not read for warnings within an edit.
const large = 20_000

// isLarge says whether a shop is read for warnings after an edit, and not within it.
func isLarge(f *store.File) bool {
	n := len(f.Products)
	for i := range f.Zones {
		for j := range f.Zones[i].Places {
			n += f.Zones[i].Places[j].Count()
		}
	}
	for i := range f.Methods {
		for j := range f.Methods[i].Tables {
			t := &f.Methods[i].Tables[j]
			n += len(t.Zones) * len(t.Rows)
		}
	}
	return n > large
}

// queue reads large shops for warnings, one state after another: of those that come while one is read only the last.
type queue struct {
	mu   sync.Mutex
	busy bool
	next *State
}

func (q *queue) read(s *State) {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.next = s
	if !q.busy {
		q.busy = true
		go q.work()
	}
}

func (q *queue) work() {
	for {
		q.mu.Lock()
		s := q.next
		if q.next = nil; s == nil {
			q.busy = false
			q.mu.Unlock()
			return
		}
		q.mu.Unlock()
		s.Warnings()
	}
}

// Warnings are what was found in the edition. Services outside are not asked.
func (l *Live) Warnings() *warnings.Reading {
	return l.reading.read(l.Engine, l.Parts, time.Now())
}
