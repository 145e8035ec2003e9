// Package draft is the store while it is edited: every edit is checked, kept and ready to be quoted from, or refused and
// nothing changes.
package draft

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"

	"diadrom/internal/gazetteer"
	"diadrom/internal/quote"
	"diadrom/internal/storage"
	"diadrom/internal/store"
)

// Draft is the draft of one shop. It is safe for many goroutines.
type Draft struct {
	db        *storage.DB
	gazetteer *gazetteer.Gazetteer
	edits     sync.Mutex
	state     atomic.Pointer[State]
}

// State is the draft at one moment; it does not change.
type State struct {
	File     *store.File
	Engine   *quote.Engine
	Before   *quote.Engine // as it was before the last edit, nil where there was none since the start
	Revision int64
	What     string // the last edit, in the owner's words; "" where there was none since the start

	parts *store.Parts
}

// Empty is the store of a shop that has decided nothing yet.
func Empty() *store.File {
	f, faults := store.Read([]byte(`{"format": "` + store.Format + `", "store": {"name": "", "currency": "EUR", "tax": {"prices_include_tax": true}}}`))
	if len(faults) > 0 {
		panic(faults)
	}
	return f
}

// Open reads the draft of a shop. Where there is none yet, first is kept as such. A gazetteer may be nil.
func Open(ctx context.Context, db *storage.DB, g *gazetteer.Gazetteer, first *store.File) (*Draft, error) {
	d := &Draft{db: db, gazetteer: g}
	f, revision, err := db.Load(ctx)
	if err != nil {
		return nil, err
	}
	fresh := f == nil
	if fresh {
		f = first
	}
	state := d.compiled(f, f.Split())
	if fresh {
		if revision, err = db.Save(ctx, 0, nil, state.parts, storage.Edit{}); err != nil {
			return nil, err
		}
	}
	state.Revision = revision
	d.state.Store(state)
	return d, nil
}

// compiled is the state of a file that has been checked.
func (d *Draft) compiled(f *store.File, parts *store.Parts) *State {
	s := &State{File: f, parts: parts}
	if now := d.state.Load(); now != nil {
		s.Engine = quote.Recompile(f, d.gazetteer, now.Engine)
	} else {
		s.Engine = quote.Compile(f, d.gazetteer)
	}
	return s
}

// State is the draft as it stands.
func (d *Draft) State() *State { return d.state.Load() }

// Edit changes the draft: change works on a copy, which is then checked, saved and compiled. It returns the new state, or
// the error of change, or the faults (fault.List) of a store that would not hold together; then nothing has changed.
func (d *Draft) Edit(ctx context.Context, change func(*store.File) error) (*State, error) {
	d.edits.Lock()
	defer d.edits.Unlock()
	return d.edit(ctx, func(now *State) (*store.File, storage.Edit, error) {
		next := now.File.Clone()
		return next, storage.Edit{}, change(next)
	})
}

// edit makes the next state with what next gives; it is asked again where another process has changed the draft meanwhile.
func (d *Draft) edit(ctx context.Context, next func(*State) (*store.File, storage.Edit, error)) (*State, error) {
	for range 3 {
		now := d.state.Load()
		f, e, err := next(now)
		if err != nil {
			return nil, err
		}
		parts, faults := f.SplitAgain(now.File, now.parts)
		if len(faults) > 0 {
			return nil, faults
		}
		if e.What == "" {
			changes := parts.Changes(now.parts)
			if len(changes) == 0 {
				return now, nil // nothing to keep, and nothing to take back
			}
			e.What = What(changes)
		}
		revision, err := d.db.Save(ctx, now.Revision, now.parts, parts, e)
		if errors.Is(err, storage.ErrConflict) {
			if err := d.reload(ctx); err != nil {
				return nil, err
			}
			continue
		}
		if err != nil {
			return nil, err
		}
		state := d.compiled(f, parts)
		state.Revision, state.Before, state.What = revision, now.Engine, e.What
		switch {
		case e.Undoes != 0:
			state.What = "taking back: " + e.What
		case e.Redoes != 0:
			state.What = "doing again: " + e.What
		}
		d.state.Store(state)
		return state, nil
	}
	return nil, storage.ErrConflict
}

// ErrNothing is the error of taking back, or doing again, where there is nothing.
var ErrNothing = errors.New("there is nothing to take back")

// Undo takes the last edit back and says what it was. Edits of other processes are in the history too.
func (d *Draft) Undo(ctx context.Context) (*State, string, error) {
	return d.turn(ctx, func(undo, _ storage.Remembered) (storage.Remembered, storage.Edit) {
		return undo, storage.Edit{What: undo.What, Undoes: undo.Revision}
	})
}

// Redo does the edit again that was taken back last and says what it was.
func (d *Draft) Redo(ctx context.Context) (*State, string, error) {
	return d.turn(ctx, func(_, redo storage.Remembered) (storage.Remembered, storage.Edit) {
		return redo, storage.Edit{What: redo.What, Redoes: redo.Revision}
	})
}

func (d *Draft) turn(ctx context.Context, which func(undo, redo storage.Remembered) (storage.Remembered, storage.Edit)) (*State, string, error) {
	d.edits.Lock()
	defer d.edits.Unlock()
	what := ""
	state, err := d.edit(ctx, func(now *State) (*store.File, storage.Edit, error) {
		undo, redo, err := d.db.History(ctx)
		if err != nil {
			return nil, storage.Edit{}, err
		}
		which, e := which(undo, redo)
		if which.Revision == 0 {
			return nil, e, ErrNothing
		}
		changes, err := d.db.Changes(ctx, which.Revision)
		if err != nil {
			return nil, e, err
		}
		if e.Redoes != 0 {
			for i := range changes {
				changes[i] = changes[i].Turned()
			}
		}
		what = e.What
		f, faults := now.parts.Revert(changes)
		if len(faults) > 0 {
			return nil, e, faults
		}
		return f, e, nil
	})
	return state, what, err
}

// SetGazetteer has other places count from now on; nil for none.
func (d *Draft) SetGazetteer(g *gazetteer.Gazetteer) {
	d.edits.Lock()
	defer d.edits.Unlock()
	d.gazetteer = g
	now := *d.state.Load()
	now.Engine = quote.Compile(now.File, g)
	if now.Before != nil {
		now.Before = quote.Compile(now.Before.Store(), g)
	}
	d.state.Store(&now)
}

// reload takes over what another process has written.
func (d *Draft) reload(ctx context.Context) error {
	f, revision, err := d.db.Load(ctx)
	if err != nil {
		return err
	}
	state := d.compiled(f, f.Split())
	state.Revision = revision
	d.state.Store(state)
	return nil
}
