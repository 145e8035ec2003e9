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

	written []byte // the file as it is written
	parts   *storage.Parts
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
	state, err := d.compiled(f, f.Write())
	if err != nil {
		return nil, err
	}
	if fresh {
		if revision, err = db.Save(ctx, 0, nil, state.parts); err != nil {
			return nil, err
		}
	}
	state.Revision = revision
	d.state.Store(state)
	return d, nil
}

// compiled is the state of a file that has been checked.
func (d *Draft) compiled(f *store.File, written []byte) (*State, error) {
	parts, err := storage.Split(f, written)
	if err != nil {
		return nil, err
	}
	s := &State{File: f, written: written, parts: parts}
	if now := d.state.Load(); now != nil {
		s.Engine = quote.Recompile(f, d.gazetteer, now.Engine)
	} else {
		s.Engine = quote.Compile(f, d.gazetteer)
	}
	return s, nil
}

// State is the draft as it stands.
func (d *Draft) State() *State { return d.state.Load() }

// Edit changes the draft: change works on a copy, which is then checked, saved and compiled. It returns the new state, or
// the error of change, or the faults (fault.List) of a store that would not hold together; then nothing has changed.
func (d *Draft) Edit(ctx context.Context, change func(*store.File) error) (*State, error) {
	d.edits.Lock()
	defer d.edits.Unlock()
	for range 3 {
		now := d.state.Load()
		next, faults := store.Read(now.written) // a deep copy
		if len(faults) > 0 {
			return nil, faults
		}
		if err := change(next); err != nil {
			return nil, err
		}
		written := next.Write()
		checked, faults := store.Read(written)
		if len(faults) > 0 {
			return nil, faults
		}
		state, err := d.compiled(checked, written)
		if err != nil {
			return nil, err
		}
		state.Revision, err = d.db.Save(ctx, now.Revision, now.parts, state.parts)
		if errors.Is(err, storage.ErrConflict) {
			if err := d.reload(ctx); err != nil {
				return nil, err
			}
			continue
		}
		if err != nil {
			return nil, err
		}
		state.Before = now.Engine
		d.state.Store(state)
		return state, nil
	}
	return nil, storage.ErrConflict
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
	state, err := d.compiled(f, f.Write())
	if err != nil {
		return err
	}
	state.Revision = revision
	d.state.Store(state)
	return nil
}
