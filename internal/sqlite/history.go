package sqlite

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"

	"diadrom/internal/core/store"
)

// maxEdits is how many edits can be undone, and are known by who made them.
const maxEdits = 1000

// maxKeys is how many things an edit is said to have changed; of more, only that.
const maxKeys = 400

// AnyKey stands for more things than are kept of an edit.
const AnyKey = "*"

// Kinds of edits, for taking them back.
const (
	EditDone   = "edit"   // can be undone
	EditUndone = "undone" // was undone, and can be done again
	EditGone   = "gone"   // was undone, and its maker has made another since
	EditTurn   = "turn"   // takes another back, or makes it again
)

// Edit says what an edit is to the history.
type Edit struct {
	What   string   // in the owner's words
	Keys   []string // of what it changes
	By     int64    // person; 0 for none
	Undoes int64    // the revision that it undoes; 0 for none
	Redoes int64    // the revision that it makes again; 0 for none
	State  int64    // the state that it comes back to; 0 for a new one
}

// encode begins to write changes as they are remembered, and gives what waits for it.
func encode(changes []store.Change) func() ([]byte, error) {
	var body []byte
	var err error
	done := make(chan struct{})
	go func() {
		defer close(done)
		trimmed := make([]store.Trimmed, len(changes))
		for i := range changes {
			trimmed[i] = changes[i].Trim()
		}
		body, err = json.Marshal(trimmed)
	}()
	return func() ([]byte, error) {
		<-done
		return body, err
	}
}

// remember keeps what an edit changed, as encode writes it.
func remember(
	ctx context.Context,
	tx *sql.Tx,
	n counted,
	changes func() ([]byte, error),
	e Edit,
) error {
	exec := func(query string, args ...any) error {
		_, err := tx.ExecContext(ctx, query, args...)
		return err
	}
	body, err := changes()
	if err != nil {
		return err
	}
	if len(e.Keys) > maxKeys {
		e.Keys = []string{AnyKey}
	}
	keys, err := json.Marshal(e.Keys)
	if err != nil {
		return err
	}
	kind := EditDone
	switch {
	case e.Undoes != 0:
		kind, err = EditTurn, exec("UPDATE edit SET state = 'undone' WHERE revision = ?", e.Undoes)
	case e.Redoes != 0:
		kind, err = EditTurn, exec("UPDATE edit SET state = 'edit' WHERE revision = ?", e.Redoes)
	default:
		err = exec("UPDATE edit SET state = 'gone' WHERE state = 'undone' AND made_by IN (?, 0)", e.By)
	}
	return errors.Join(
		err,
		exec(
			"INSERT INTO edit (revision, state, what, keys, changes, state_before, state_after, made_at, "+
				"made_by) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
			n.Revision,
			kind,
			e.What,
			string(keys),
			string(body),
			n.Before,
			n.After,
			now(),
			e.By,
		),
		exec("DELETE FROM edit WHERE revision <= ?", n.Revision-maxEdits),
	)
}

func now() string { return time.Now().UTC().Format(time.RFC3339) }

// Remembered is an edit of the history.
type Remembered struct {
	Revision    int64 // of the draft after it; 0 where there is none
	Kind        string
	What        string
	Keys        []string
	StateBefore int64
	StateAfter  int64
	At          time.Time
	By          int64
}

const rememberedColumns = "revision, state, what, keys, state_before, state_after, made_at, made_by"

func scanRemembered(row interface{ Scan(...any) error }) (r Remembered, err error) {
	var keys, at string
	if err := row.Scan(
		&r.Revision,
		&r.Kind,
		&r.What,
		&keys,
		&r.StateBefore,
		&r.StateAfter,
		&at,
		&r.By,
	); err != nil {
		return Remembered{}, err
	}
	if err := json.Unmarshal([]byte(keys), &r.Keys); err != nil {
		return Remembered{}, err
	}
	r.At, err = time.Parse(time.RFC3339, at)
	return r, err
}

// History gives the edit of a person that can be undone and the one that can be done again. Nobody's edits,
// which the command line makes, are everybody's.
func (db *DB) History(ctx context.Context, by int64) (undo, redo Remembered, err error) {
	read := func(query string, into *Remembered) error {
		r, err := scanRemembered(db.sql.QueryRowContext(ctx, "SELECT "+rememberedColumns+" FROM edit "+query, by))
		if errors.Is(err, sql.ErrNoRows) {
			return nil
		}
		*into = r
		return err
	}
	return undo, redo, errors.Join(
		read("WHERE state = 'edit' AND made_by IN (?, 0) ORDER BY revision DESC LIMIT 1", &undo),
		read("WHERE state = 'undone' AND made_by IN (?, 0) ORDER BY revision LIMIT 1", &redo))
}

// Edits lists the edits that were made after a revision of the draft, the last one first; with those that were
// undone, and those that undo.
func (db *DB) Edits(ctx context.Context, after int64) (list []Remembered, err error) {
	rows, err := db.sql.QueryContext(
		ctx,
		"SELECT "+rememberedColumns+" FROM edit WHERE revision > ? ORDER BY revision DESC",
		after,
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		r, err := scanRemembered(rows)
		if err != nil {
			return nil, err
		}
		list = append(list, r)
	}
	return list, rows.Err()
}

// Changes gives what an edit changed.
func (db *DB) Changes(ctx context.Context, revision int64) (changes []store.Trimmed, err error) {
	var body string
	if err := db.sql.QueryRowContext(ctx, "SELECT changes FROM edit WHERE revision = ?", revision).Scan(
		&body,
	); err != nil {
		return nil, err
	}
	return changes, json.Unmarshal([]byte(body), &changes)
}
