package draft

import (
	"context"
	"errors"
	"fmt"
	"time"

	"diadrom/internal/core/fault"
	"diadrom/internal/core/store"
	"diadrom/internal/review/changes"
	"diadrom/internal/sqlite"
)

// ErrNotLive is the error of amending what is live where nothing is.
var ErrNotLive = errors.New("nothing is live yet")

// Amendment says how to change what is live without publishing what else the draft has.
type Amendment struct {
	// Change changes a copy of the draft, and one of what is live.
	Change func(draft, live *store.File) error
	Note   string // of the edition that is made
}

// amendBackup is how old the last backup may be when an amendment is published: shops amend often.
const amendBackup = time.Hour

// Amend makes a change in the draft and at once in what is live, which becomes the next edition: the live store file
// with the change and nothing else. Both must hold together with it; else the error is the change's, or the faults, and
// neither has changed. Where the draft is amended and publishing fails, doing it again completes it.
func (d *Draft) Amend(ctx context.Context, a Amendment) (*State, *Live, error) {
	d.edits.Lock()
	defer d.edits.Unlock()
	if err := d.refresh(ctx); err != nil {
		return nil, nil, err
	}
	was := d.live.Load()
	if was == nil {
		return nil, nil, ErrNotLive
	}
	var next *store.File
	var parts *store.Parts
	state, err := d.edit(ctx, func(now *State) (*store.File, sqlite.Edit, error) {
		f := now.File.Clone()
		next = was.File.Clone()
		if err := a.Change(f, next); err != nil {
			return nil, sqlite.Edit{}, err
		}
		var faults fault.List
		if parts, faults = next.SplitAgain(was.File, was.Parts); len(faults) > 0 {
			return nil, sqlite.Edit{}, fmt.Errorf("what is live: %w", faults)
		}
		return f, sqlite.Edit{}, nil
	})
	if err != nil {
		return nil, nil, err
	}
	if len(changes.Between(was.Side(), changes.Side{File: next, Parts: parts})) == 0 {
		return state, was, nil
	}
	if err := d.db.BackupAfter(ctx, "before-publishing", amendBackup); err != nil {
		return nil, nil, fmt.Errorf("no backup could be made, so nothing was published: %w", err)
	}
	pieces := d.piecesOf(parts)
	hash := sqlite.HashOf(pieces)
	l, err := d.db.Publish(ctx, sqlite.Publication{
		Seen:   sqlite.Stamp{Revision: state.Revision, Turn: was.Turn},
		Hash:   hash,
		Pieces: pieces,
		Note:   a.Note,
		By:     Person(ctx),
	})
	if err != nil {
		return nil, nil, err
	}
	return state, d.goLive(l, next, parts, d.engineAfter(next, parts, was.Engine, was.Parts), hash), nil
}
