// Package draft is the store while it is edited: every edit is checked, kept and ready to be quoted from, or
// refused and nothing changes.
package draft

import (
	"cmp"
	"context"
	"errors"
	"sync"
	"sync/atomic"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/review/changes"
	"diadrom/internal/review/coverage"
	"diadrom/internal/sqlite"
)

// Draft is the draft of one shop. It is safe for many goroutines.
type Draft struct {
	db        *sqlite.DB
	gazetteer *gazetteer.Gazetteer
	outside   quote.Outside // services that quotes ask, nil for none
	carriers  quote.Carriers
	edits     sync.Mutex
	pieces    *store.Pieces // of what was published last, nil for nothing; with edits locked
	state     atomic.Pointer[State]
	live      atomic.Pointer[Live]
	wake      chan struct{} // has the schedule looked at anew
	queue     queue
}

// State is the draft at one moment; it does not change.
type State struct {
	File     *store.File
	Engine   *quote.Engine
	Before   *quote.Engine // as it was before the last edit, nil where there was none since the start, or it is live
	Revision int64
	What     string // the last edit, in the owner's words; "" where there was none since the start
	Parts    *store.Parts
	Trial    bool // it is a preview and is not kept: see [Draft.Try]

	state    int64 // the same for revisions of the same content
	coverage *coverage.Map
	reader   typed.Reader
	reading  *reading
	large    bool   // it is not read for warnings within an edit
	queue    *queue // in which it is then
}

// Coverage is how the zones lie to one another and to the postcodes of each country.
func (s *State) Coverage() *coverage.Map { return s.coverage }

// Reader reads places and addresses as they are typed for this store.
func (s *State) Reader() typed.Reader { return s.reader }

// Empty is the store of a shop that has decided nothing yet.
func Empty() *store.File {
	f, faults := store.Read(
		[]byte(
			`{"format": "` + store.Format +
				`", "store": {"name": "", "currency": "EUR", "tax": {"prices_include_tax": true}}}`,
		),
	)
	if len(faults) > 0 {
		panic(faults)
	}
	return f
}

// Open reads the draft of a shop. Where there is none yet, first is kept as such. A gazetteer may be nil.
func Open(ctx context.Context, db *sqlite.DB, g *gazetteer.Gazetteer, first *store.File) (*Draft, error) {
	d := &Draft{db: db, gazetteer: g, wake: make(chan struct{}, 1)}
	l, err := db.Load(ctx)
	if err != nil {
		return nil, err
	}
	fresh := l.File == nil
	if fresh {
		l.File = first
	}
	parts := (*store.Parts)(nil)
	if fresh {
		parts = l.File.Split() // it may be written otherwise than it is kept
	} else {
		parts = l.File.Apart()
	}
	state := d.compiled(l.File, parts)
	if fresh {
		if l.Revision, err = db.Save(ctx, 0, nil, state.Parts, sqlite.Edit{}); err != nil {
			return nil, err
		}
		l.State = l.Revision
	}
	state.Revision, state.state = l.Revision, l.State
	d.state.Store(state)
	return d, d.loadLive(ctx)
}

// compiled is the state of a file that has been checked.
func (d *Draft) compiled(f *store.File, parts *store.Parts) *State {
	s := &State{File: f, Parts: parts}
	var before *coverage.Map
	var was *reading
	if now := d.state.Load(); now != nil {
		before, was = now.coverage, now.reading
	}
	d.compileAfter(s, d.state.Load(), before)
	s.reading = was.next(s.coverage)
	return s
}

// engine makes a store ready to quote.
func (d *Draft) engine(f *store.File) *quote.Engine {
	return quote.Compile(f, d.gazetteer).Asking(d.outside).AskingCarriers(d.carriers)
}

// engineAfter is engine for a store that was made of an earlier one, of which what is the same is taken over.
func (d *Draft) engineAfter(f *store.File, parts *store.Parts, e *quote.Engine, was *store.Parts) *quote.Engine {
	return quote.CompileAfter(f, parts, e, was).Asking(d.outside).AskingCarriers(d.carriers)
}

// compileAfter is compile for a state that follows another, or nil.
func (d *Draft) compileAfter(s, now *State, before *coverage.Map) {
	if now == nil || now.Engine.Gazetteer() != d.gazetteer {
		d.compile(s, before)
		return
	}
	s.Engine = d.engineAfter(s.File, s.Parts, now.Engine, now.Parts)
	d.lookUp(s, before)
}

// compile makes what is looked up in a state; before is the coverage of an earlier one, or nil.
func (d *Draft) compile(s *State, before *coverage.Map) {
	s.Engine = d.engine(s.File)
	d.lookUp(s, before)
}

func (d *Draft) lookUp(s *State, before *coverage.Map) {
	s.queue, s.large = &d.queue, isLarge(s.File)
	s.coverage = coverage.After(s.Engine, before)
	s.reader = typed.For(s.File, d.gazetteer)
}

// State is the draft as it stands.
func (d *Draft) State() *State { return d.state.Load() }

// Edit changes the draft: change works on a copy, which is then checked, saved and compiled. It returns the new
// state, or the error of change, or the faults (fault.List) of a store that would not hold together; then
// nothing has changed.
func (d *Draft) Edit(ctx context.Context, change func(*store.File) error) (*State, error) {
	d.edits.Lock()
	defer d.edits.Unlock()
	return d.edit(ctx, func(now *State) (*store.File, sqlite.Edit, error) {
		next := now.File.Clone()
		return next, sqlite.Edit{}, change(next)
	})
}

// Try is the state that an edit would make. Nothing is kept of it; Before is the draft as it is.
func (d *Draft) Try(change func(*store.File) error) (*State, error) {
	now := d.State()
	f := now.File.Clone()
	if err := change(f); err != nil {
		return nil, err
	}
	parts, faults := f.SplitAgain(now.File, now.Parts)
	if len(faults) > 0 {
		return nil, faults
	}
	state := d.compiled(f, parts)
	state.Revision, state.Before, state.Trial = now.Revision, now.Engine, true
	return state, nil
}

// ErrMoved is returned by [Draft.EditAt] when the draft has changed.
var ErrMoved = errors.New("the draft was changed meanwhile")

// EditAt is Edit for a change that was made out beforehand, while others could edit, from the draft of a
// revision: where the draft has another by now it is [ErrMoved], and nothing has changed.
func (d *Draft) EditAt(ctx context.Context, revision int64, change func(*store.File) error) (*State, error) {
	return d.Edit(ctx, func(f *store.File) error {
		if d.state.Load().Revision != revision {
			return ErrMoved
		}
		return change(f)
	})
}

// edit makes the next state with what next gives; it is asked again where another process has changed the draft
// meanwhile.
func (d *Draft) edit(ctx context.Context, next func(*State) (*store.File, sqlite.Edit, error)) (*State, error) {
	for range 3 {
		now := d.state.Load()
		f, e, err := next(now)
		if err != nil {
			return nil, err
		}
		parts, faults := f.SplitAgain(now.File, now.Parts)
		if len(faults) > 0 {
			return nil, faults
		}
		if e.What == "" {
			list := changes.Between(now.Side(), changes.Side{File: f, Parts: parts})
			if len(list) == 0 {
				return now, nil // nothing to keep, and nothing to undo
			}
			e.What, e.Keys = changes.Summary(list), make([]string, len(list))
			for i := range list {
				e.Keys[i] = list[i].Key
			}
		}
		e.By = Person(ctx)
		revision, err := d.db.Save(ctx, now.Revision, now.Parts, parts, e)
		if errors.Is(err, sqlite.ErrConflict) {
			if err := d.reload(ctx); err != nil {
				return nil, err
			}
			continue
		}
		if err != nil {
			return nil, err
		}
		state := d.compiled(f, parts)
		state.Revision = revision
		state.Before = now.Engine
		state.What = e.What
		state.state = cmp.Or(e.State, revision)
		switch {
		case e.Undoes != 0:
			state.What = "taking back: " + e.What
		case e.Redoes != 0:
			state.What = "doing again: " + e.What
		}
		d.state.Store(state)
		return state, nil
	}
	return nil, sqlite.ErrConflict
}

// SetGazetteer has other places count from now on; nil for none.
func (d *Draft) SetGazetteer(g *gazetteer.Gazetteer) {
	d.edits.Lock()
	defer d.edits.Unlock()
	d.gazetteer = g
	now := *d.state.Load()
	d.compile(&now, nil)
	now.reading = &reading{m: now.coverage}
	if now.Before != nil {
		now.Before = d.engine(now.Before.Store())
	}
	d.state.Store(&now)
	if live := d.live.Load(); live != nil {
		next := *live
		next.Engine, next.reading = d.engine(live.File), &reading{}
		d.live.Store(&next)
	}
}

// Ask has quotes ask services outside, and carriers, from now on; nil for none.
func (d *Draft) Ask(o quote.Outside, c quote.Carriers) {
	d.edits.Lock()
	defer d.edits.Unlock()
	d.outside, d.carriers = o, c
	now := *d.state.Load()
	now.Engine = now.Engine.Asking(o).AskingCarriers(c)
	if now.Before != nil {
		now.Before = now.Before.Asking(o).AskingCarriers(c)
	}
	d.state.Store(&now)
	if live := d.live.Load(); live != nil {
		next := *live
		next.Engine = live.Engine.Asking(o).AskingCarriers(c)
		d.live.Store(&next)
	}
}

// reload takes over what another process has written.
func (d *Draft) reload(ctx context.Context) error {
	l, err := d.db.Load(ctx)
	if err != nil {
		return err
	}
	state := d.compiled(l.File, l.File.Apart())
	state.Revision, state.state = l.Revision, l.State
	d.state.Store(state)
	return nil
}
