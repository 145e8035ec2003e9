package draft

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"time"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/review/changes"
	"diadrom/internal/sqlite"
)

// Live is the edition that buyers are quoted from; it does not change.
type Live struct {
	Number int64
	Turn   int64 // counts up each time that an edition is published
	Hash   string
	At     time.Time
	By     int64
	// Damaged is the edition that should be live and is damaged, 0 where this one should be: then this is the
	// last before it that is whole.
	Damaged int64
	File    *store.File
	Parts   *store.Parts
	Engine  *quote.Engine
	reading *reading
}

// ErrSame is the error of putting a draft live that does not differ from what is live.
var ErrSame = errors.New("the draft is what is live already")

// Live is what buyers are quoted from at the moment; nil where nothing was published yet.
func (d *Draft) Live() *Live { return d.live.Load() }

// Ahead lists what is different in the draft from what is live; all of it where nothing is live.
func (d *Draft) Ahead() []changes.Change {
	return Ahead(d.State(), d.Live())
}

// Ahead lists what is different in a state of the draft from an edition; without one, from an empty store.
func Ahead(state *State, live *Live) []changes.Change {
	if live == nil {
		return changes.Between(changes.Of(Empty()), state.Side())
	}
	return changes.Between(live.Side(), state.Side())
}

// Side is the edition as one to compare.
func (l *Live) Side() changes.Side { return changes.Side{File: l.File, Parts: l.Parts} }

// Side is the state as one to compare.
func (s *State) Side() changes.Side { return changes.Side{File: s.File, Parts: s.Parts} }

// Hash is that of a store file: SHA-256, in hexadecimal.
func Hash(body []byte) string {
	sum := sha256.Sum256(body)
	return hex.EncodeToString(sum[:])
}

// Edition reads an edition and checks that it is what it was.
func (d *Draft) Edition(ctx context.Context, number int64) (*store.File, []byte, error) {
	body, err := d.editionText(ctx, number)
	if err != nil {
		return nil, nil, err
	}
	f, faults := store.Read(body)
	if len(faults) > 0 {
		return nil, nil, fmt.Errorf("edition %d: %w", number, faults)
	}
	return f, body, nil
}

// editionText is the text of an edition, which is what was published.
func (d *Draft) editionText(ctx context.Context, number int64) ([]byte, error) {
	body, hash, err := d.db.EditionFile(ctx, number)
	if err != nil {
		return nil, err
	}
	if Hash(body) != hash {
		return nil, fmt.Errorf(
			"edition %d in the database is not what was published: its hash is another; restore a backup",
			number,
		)
	}
	return body, nil
}

// readLive reads an edition to quote from it. Where it is what the draft is, it shares that.
func (d *Draft) readLive(ctx context.Context, l sqlite.Live) (*Live, error) {
	body, err := d.editionText(ctx, l.Edition)
	if err != nil {
		return nil, err
	}
	now := d.state.Load()
	if pieces := d.piecesOf(now.Parts); pieces.Is(body) {
		live := d.liveOf(l, now.File, now.Parts, now.Engine, Hash(body))
		live.reading = now.reading
		return live, nil
	}
	f, faults := store.Read(body)
	if len(faults) > 0 {
		return nil, fmt.Errorf("edition %d: %w", l.Edition, faults)
	}
	return d.liveOf(l, f, f.Apart(), d.engine(f), Hash(body)), nil
}

// Former is the store of an edition that gave way after a moment and is among the last so many that did, with its hash and
// when it gave way; nil where it is not.
func (d *Draft) Former(ctx context.Context, number int64, since time.Time, most int) (f *store.File, hash string,
	until time.Time, err error) {
	list, err := d.db.Formers(ctx, since, most)
	if err != nil {
		return nil, "", until, err
	}
	for _, former := range list {
		if former.Edition == number {
			f, body, err := d.Edition(ctx, number)
			if err != nil {
				return nil, "", until, err
			}
			return f, Hash(body), former.Until, nil
		}
	}
	return nil, "", until, nil
}

// Engine makes a store ready to quote with the shop's lists of places and services.
func (d *Draft) Engine(f *store.File) *quote.Engine {
	d.edits.Lock()
	defer d.edits.Unlock()
	return d.engine(f)
}

// Publish makes the next edition of the draft and has buyers quoted from it at once. The draft and what is live must
// still be as they were seen: else the error is [sqlite.ErrConflict] or [sqlite.ErrLiveChanged], and nothing has
// changed.
func (d *Draft) Publish(ctx context.Context, seen sqlite.Stamp, note string) (*Live, error) {
	d.edits.Lock()
	defer d.edits.Unlock()
	now, was := d.state.Load(), d.live.Load()
	if now.Revision != seen.Revision {
		return nil, sqlite.ErrConflict
	}
	if was != nil && len(Ahead(now, was)) == 0 {
		return nil, ErrSame
	}
	if err := d.backup(ctx); err != nil {
		return nil, err
	}
	pieces := d.piecesOf(now.Parts)
	hash := sqlite.HashOf(pieces)
	l, err := d.db.Publish(ctx, sqlite.Publication{
		Seen:   seen,
		Hash:   hash,
		Pieces: pieces,
		Note:   note,
		By:     Person(ctx),
	})
	if err != nil {
		return nil, err
	}
	settled := *now
	settled.Before = nil // buyers know the last edit by now: it is no news any more
	d.state.Store(&settled)
	made := d.liveOf(l, now.File, now.Parts, now.Engine, hash)
	made.reading = now.reading // it is the same store
	d.live.Store(made)
	return made, nil
}

// PublishAgain has buyers quoted from an earlier edition, where what is live is still as it was seen: else the error is
// [sqlite.ErrLiveChanged], and nothing has changed.
func (d *Draft) PublishAgain(ctx context.Context, edition int64, seen sqlite.Stamp) (*Live, error) {
	d.edits.Lock()
	defer d.edits.Unlock()
	f, body, err := d.Edition(ctx, edition)
	if err != nil {
		return nil, err
	}
	if err := d.backup(ctx); err != nil {
		return nil, err
	}
	l, err := d.db.PublishAgain(ctx, sqlite.Republication{Edition: edition, Turn: seen.Turn, By: Person(ctx)})
	if err != nil {
		return nil, err
	}
	return d.goLive(l, f, f.Apart(), d.engine(f), Hash(body)), nil
}

// piecesOf cuts a store into pieces; those of what was published last are taken over. It is called with edits locked.
func (d *Draft) piecesOf(parts *store.Parts) *store.Pieces {
	d.pieces = parts.Pieces(d.pieces)
	return d.pieces
}

// backup keeps the shop as it is before what is live changes.
func (d *Draft) backup(ctx context.Context) error {
	if err := d.db.BackupChanges(ctx, "before-publishing"); err != nil {
		return fmt.Errorf("no backup could be made, so nothing was published: %w", err)
	}
	return nil
}

func (d *Draft) liveOf(l sqlite.Live, f *store.File, parts *store.Parts, e *quote.Engine, hash string) *Live {
	return &Live{Number: l.Edition, Turn: l.Turn, Hash: hash, At: l.At, By: l.By, File: f, Parts: parts, Engine: e,
		reading: &reading{}}
}

func (d *Draft) goLive(l sqlite.Live, f *store.File, parts *store.Parts, e *quote.Engine, hash string) *Live {
	next := d.liveOf(l, f, parts, e, hash)
	d.live.Store(next)
	return next
}

// loadLive takes over what is live in the database.
func (d *Draft) loadLive(ctx context.Context) error {
	l, err := d.db.Live(ctx)
	if err != nil || l.Edition == 0 {
		return err
	}
	next, err := d.readLive(ctx, l)
	if err == nil {
		d.live.Store(next)
		return nil
	}
	// A damaged edition is not quoted from: buyers get the last one that was live before it and is what it was.
	damaged := l.Edition
	before, listErr := d.db.LiveBefore(ctx)
	if listErr != nil {
		return errors.Join(err, listErr)
	}
	for _, number := range before {
		if number == damaged {
			continue
		}
		l.Edition = number
		if next, sound := d.readLive(ctx, l); sound == nil {
			next.Damaged = damaged
			d.live.Store(next)
			return nil
		}
	}
	return err
}

// Refresh takes over what another process has changed.
func (d *Draft) Refresh(ctx context.Context) error {
	stamp, err := d.db.Stamp(ctx)
	if err != nil || d.fresh(stamp) {
		return err
	}
	d.edits.Lock()
	defer d.edits.Unlock()
	return d.refresh(ctx)
}

func (d *Draft) refresh(ctx context.Context) error {
	stamp, err := d.db.Stamp(ctx)
	if err != nil || d.fresh(stamp) {
		return err
	}
	if stamp.Revision != d.state.Load().Revision {
		if err := d.reload(ctx); err != nil {
			return err
		}
	}
	return d.loadLive(ctx)
}

func (d *Draft) fresh(s sqlite.Stamp) bool {
	turn := int64(0)
	if live := d.live.Load(); live != nil {
		turn = live.Turn
	}
	return s == sqlite.Stamp{Revision: d.state.Load().Revision, Turn: turn}
}
