package draft

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"diadrom/internal/core/store"
	"diadrom/internal/review/changes"
	"diadrom/internal/sqlite"
)

// ErrNothing is the error of taking back, or doing again, where there is nothing.
var ErrNothing = errors.New("there is nothing to undo")

// Conflict is the error of undoing what later edits changed again.
type Conflict struct{ What string }

// Error says what is wrong.
func (e *Conflict) Error() string { return e.What }

type personKey struct{}

// By has edits be those of a person.
func By(ctx context.Context, person int64) context.Context {
	return context.WithValue(ctx, personKey{}, person)
}

// Person is who edits; 0 for none.
func Person(ctx context.Context) int64 {
	person, _ := ctx.Value(personKey{}).(int64)
	return person
}

// Undo takes the last edit of the person back and says what it was. Edits of other people since stay, and so
// does what they rest on: then the error is a [*Conflict].
func (d *Draft) Undo(ctx context.Context) (*State, string, error) { return d.turn(ctx, true) }

// Redo does the edit of the person again that was undone last and says what it was.
func (d *Draft) Redo(ctx context.Context) (*State, string, error) { return d.turn(ctx, false) }

func (d *Draft) turn(ctx context.Context, back bool) (*State, string, error) {
	d.edits.Lock()
	defer d.edits.Unlock()
	if err := d.refresh(ctx); err != nil {
		return nil, "", err
	}
	what := ""
	state, err := d.edit(ctx, func(now *State) (*store.File, sqlite.Edit, error) {
		undo, redo, err := d.db.History(ctx, Person(ctx))
		if err != nil {
			return nil, sqlite.Edit{}, err
		}
		target, e := redo, sqlite.Edit{What: redo.What, Keys: redo.Keys, Redoes: redo.Revision}
		is, was := target.StateBefore, target.StateAfter // of a redo
		if back {
			target, e = undo, sqlite.Edit{What: undo.What, Keys: undo.Keys, Undoes: undo.Revision}
			is, was = target.StateAfter, target.StateBefore
		}
		if target.Revision == 0 {
			return nil, e, ErrNothing
		}
		what = e.What
		if now.state != is {
			f, err := d.around(ctx, now, target, back)
			return f, e, err
		}
		list, err := d.db.Changes(ctx, target.Revision)
		if err != nil {
			return nil, e, err
		}
		if !back {
			for i := range list {
				list[i] = list[i].Inverse()
			}
		}
		f, faults := now.Parts.Revert(now.File, list)
		if len(faults) > 0 {
			return nil, e, faults
		}
		e.State = was
		return f, e, nil
	})
	return state, what, err
}

// around is the draft without an edit that others came after, or with it again: what they did stays.
func (d *Draft) around(ctx context.Context, now *State, target sqlite.Remembered, back bool) (*store.File, error) {
	touched, err := d.db.Changes(ctx, target.Revision)
	if err != nil {
		return nil, err
	}
	later, since, err := d.later(ctx, now, target)
	if err != nil {
		return nil, err
	}
	next := now.File.Clone()
	moved := map[string][]store.Trimmed{}
	for i := range touched {
		c := &touched[i]
		if c.Moved {
			moved[c.List] = append(moved[c.List], *c)
			continue
		}
		current := now.Parts.Body(c.List, c.ID)
		after := since.before(c.List, c.ID, current)
		before, _ := c.Back(after)
		position := c.Was
		if !back {
			before, after, position = after, before, c.Is
		}
		if err := merge(next, step{
			list: c.List, id: c.ID, now: current, from: after, to: before, position: position, later: later,
		}); err != nil {
			return nil, fmt.Errorf("%s: %w", target.What, err)
		}
	}
	for list, moves := range moved {
		if slices.ContainsFunc(touched, func(c store.Trimmed) bool { return c.List == list && !c.Moved }) {
			continue // they only made room
		}
		if err := rearrange(next, now, moves, back); err != nil {
			return nil, err
		}
	}
	return next, nil
}

// changesSince are the changes of the edits behind an edit, the last one first.
type changesSince [][]store.Trimmed

// later are the edits behind an edit, with what they changed.
func (d *Draft) later(ctx context.Context, now *State, target sqlite.Remembered) ([]sqlite.Remembered, changesSince,
	error) {
	later, err := d.db.Edits(ctx, target.Revision)
	if err != nil {
		return nil, nil, err
	}
	if int64(len(later)) != now.Revision-target.Revision {
		return nil, nil, &Conflict{"this is too long ago to be undone by itself"}
	}
	since := make(changesSince, len(later))
	for i, r := range later {
		if since[i], err = d.db.Changes(ctx, r.Revision); err != nil {
			return nil, nil, err
		}
	}
	return later, since, nil
}

// before is what an entry was before those edits.
func (s changesSince) before(list, id string, body []byte) []byte {
	for _, changes := range s {
		for k := range changes {
			if c := &changes[k]; c.List == list && c.ID == id {
				body, _ = c.Back(body)
			}
		}
	}
	return body
}

// rearrange puts the entries of a list that an edit moved in the order in which they stood before it, or after it.
func rearrange(next *store.File, now *State, moves []store.Trimmed, back bool) error {
	inOrder := func(position func(*store.Trimmed) int) []string {
		slices.SortFunc(moves, func(a, b store.Trimmed) int { return position(&a) - position(&b) })
		ids := make([]string, len(moves))
		for i := range moves {
			ids[i] = moves[i].ID
		}
		return ids
	}
	list := moves[0].List
	before := inOrder(func(c *store.Trimmed) int { return c.Was })
	after := inOrder(func(c *store.Trimmed) int { return c.Is })
	if !back {
		before, after = after, before
	}
	last := -1
	for _, id := range after {
		at, ok := now.Parts.Position(list, id)
		if !ok || at < last {
			return &Conflict{"they were put in another order again since: undo that first"}
		}
		last = at
	}
	next.Arrange(list, before)
	return nil
}

// step is an entry of a list that is taken from what an edit made of it to what it was before, or the other way.
type step struct {
	list, id string
	now      []byte // as it is; nil where it is not there
	from, to []byte
	position int // in the list, where the entry comes back
	later    []sqlite.Remembered
}

// merge makes an entry of a file, which is current, what it would be had it been made to instead of from.
func merge(f *store.File, s step) error {
	was, is, now := &store.File{}, &store.File{}, &store.File{}
	for _, side := range []struct {
		file **store.File
		body []byte
	}{{&was, s.to}, {&is, s.from}, {&now, s.now}} {
		if side.body == nil {
			continue
		}
		read, faults := store.ReadEntry(s.list, side.body)
		if len(faults) > 0 {
			return faults
		}
		*side.file = read
	}
	since := changes.Between(changes.Side{File: is}, changes.Side{File: now})
	for _, c := range changes.Between(changes.Side{File: was}, changes.Side{File: is}) {
		for i := range since {
			if c.Touches(&since[i]) {
				return &Conflict{"this was changed again since: undo that first (" + blamed(s.later, &c) + ")"}
			}
		}
		if err := c.PutBack(f); err != nil {
			return &Conflict{err.Error()}
		}
	}
	if s.from == nil && s.to != nil {
		f.Place(s.list, s.id, s.position)
	}
	return nil
}

// blamed says which of later edits, the last one first, changed the same thing.
func blamed(later []sqlite.Remembered, c *changes.Change) string {
	for _, r := range later {
		for _, key := range r.Keys {
			if r.Kind == sqlite.EditDone && (key == sqlite.AnyKey || c.Touches(&changes.Change{Key: key})) {
				return r.What
			}
		}
	}
	return "a later edit"
}
