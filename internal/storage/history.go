package storage

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"

	"diadrom/internal/store"
)

// mostEdits is how many edits can be taken back.
const mostEdits = 300

// remember keeps what an edit changed. One that takes another back, or makes it again, only says so of that one.
func remember(ctx context.Context, tx *sql.Tx, revision int64, changes []store.Change, e Edit) error {
	exec := func(query string, args ...any) error {
		_, err := tx.ExecContext(ctx, query, args...)
		return err
	}
	switch {
	case e.Undoes != 0:
		return exec("UPDATE edit SET state = 'undone' WHERE revision = ?", e.Undoes)
	case e.Redoes != 0:
		return exec("UPDATE edit SET state = 'edit' WHERE revision = ?", e.Redoes)
	}
	trimmed := make([]store.Trimmed, len(changes))
	for i := range changes {
		trimmed[i] = changes[i].Trim()
	}
	body, err := json.Marshal(trimmed)
	if err != nil {
		return err
	}
	return errors.Join(
		exec("UPDATE edit SET state = 'gone' WHERE state = 'undone'"),
		exec("INSERT INTO edit (revision, state, what, changes) VALUES (?, 'edit', ?, ?)", revision, e.What, string(body)),
		exec("DELETE FROM edit WHERE revision NOT IN (SELECT revision FROM edit ORDER BY revision DESC LIMIT ?)", mostEdits))
}

// Remembered is an edit that can be taken back, or done again.
type Remembered struct {
	Revision int64 // of the draft after it; 0 where there is none
	What     string
}

// History gives the edit that can be taken back and the one that can be done again.
func (db *DB) History(ctx context.Context) (undo, redo Remembered, err error) {
	read := func(query string, into *Remembered) error {
		err := db.sql.QueryRowContext(ctx, query).Scan(&into.Revision, &into.What)
		if errors.Is(err, sql.ErrNoRows) {
			return nil
		}
		return err
	}
	return undo, redo, errors.Join(
		read("SELECT revision, what FROM edit WHERE state = 'edit' ORDER BY revision DESC LIMIT 1", &undo),
		read("SELECT revision, what FROM edit WHERE state = 'undone' ORDER BY revision LIMIT 1", &redo))
}

// Changes gives what an edit changed.
func (db *DB) Changes(ctx context.Context, revision int64) (changes []store.Trimmed, err error) {
	var body string
	if err := db.sql.QueryRowContext(ctx, "SELECT changes FROM edit WHERE revision = ?", revision).Scan(&body); err != nil {
		return nil, err
	}
	return changes, json.Unmarshal([]byte(body), &changes)
}
