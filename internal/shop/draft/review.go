package draft

import (
	"sync"
	"time"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/review/coverage"
	"diadrom/internal/review/warnings"
)

// reading is what was found in a store, read when it is first asked for and again on another day.
type reading struct {
	mu     sync.Mutex
	made   *warnings.Reading
	day    string
	m      *coverage.Map // nil: made when it is needed
	before *reading      // of the state before, from which what has not changed is taken over; nil once that is done
}

// peek is what was found so far; nil where nobody asked.
func (r *reading) peek() *warnings.Reading {
	if r == nil {
		return nil
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.made
}

// next is the reading of a state that follows: it knows the last that was made, and nothing else is kept of those
// between.
func (r *reading) next(m *coverage.Map) *reading {
	out := &reading{m: m, before: r}
	if r == nil {
		return out
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.made == nil {
		out.before = r.before
	}
	return out
}

func (r *reading) read(e *quote.Engine, parts *store.Parts, now time.Time) *warnings.Reading {
	r.mu.Lock()
	defer r.mu.Unlock()
	day := now.Format(time.DateOnly)
	if r.made != nil && r.day == day {
		return r.made
	}
	if r.m == nil {
		r.m = coverage.Of(e)
	}
	before := r.made
	if before == nil {
		before = r.before.peek()
	}
	r.made = warnings.Read(warnings.Input{Engine: e, Coverage: r.m, Parts: parts, Now: now}, before)
	r.day, r.before = day, nil
	return r.made
}

// Warnings are what was found in the store at this moment. Services outside are not asked.
func (s *State) Warnings() *warnings.Reading {
	return s.reading.read(s.Engine, s.Parts, time.Now())
}

// Warnings are what was found in the edition. Services outside are not asked.
func (l *Live) Warnings() *warnings.Reading {
	return l.reading.read(l.Engine, l.Parts, time.Now())
}
