package sqlite

import (
	"context"
	"time"

	"diadrom/internal/auth"
)

// Event is something that happened to the locks of a shop.
type Event struct {
	ID      int64
	At      time.Time
	Kind    auth.Event
	Person  int64  // 0: nobody, or the demo's owner
	Name    string // as it was then, or as it was typed
	Address string // from where; "" for the machine itself
	Detail  string
}

// AddEvent keeps an event. What is kept is never changed or removed; the database refuses it.
func (db *DB) AddEvent(ctx context.Context, e Event) error {
	_, err := db.sql.ExecContext(
		ctx,
		"INSERT INTO audit (at, event, person, name, address, detail) VALUES (?, ?, ?, ?, ?, ?)",
		now(),
		string(e.Kind),
		e.Person,
		e.Name,
		e.Address,
		e.Detail,
	)
	return err
}

// Events lists the newest events before one (0: before none), at most so many.
func (db *DB) Events(ctx context.Context, before int64, most int) (list []Event, err error) {
	rows, err := db.sql.QueryContext(
		ctx,
		"SELECT id, at, event, person, name, address, detail FROM audit WHERE ? = 0 OR id < ? ORDER BY id "+
			"DESC LIMIT ?",
		before,
		before,
		most,
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var e Event
		var at string
		if err := rows.Scan(&e.ID, &at, &e.Kind, &e.Person, &e.Name, &e.Address, &e.Detail); err != nil {
			return nil, err
		}
		if e.At, err = time.Parse(time.RFC3339, at); err != nil {
			return nil, err
		}
		list = append(list, e)
	}
	return list, rows.Err()
}

// maxOrigins is from how many places a person is known; those used longest ago go.
const maxOrigins = 50

// KnowOrigin keeps that a person signed in from somewhere.
func (db *DB) KnowOrigin(ctx context.Context, person int64, origin string) error {
	return db.both(
		ctx,
		"INSERT INTO known_origin (person, origin, at) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET at = excluded.at",
		[]any{person, auth.Kept(origin), now()},
		"DELETE FROM known_origin WHERE person = ? AND origin NOT IN (SELECT origin FROM known_origin "+
			"WHERE person = ? ORDER BY at DESC LIMIT ?)",
		[]any{person, person, maxOrigins},
	)
}

// KnowsOrigin says whether a person has signed in from somewhere before.
func (db *DB) KnowsOrigin(ctx context.Context, person int64, origin string) (known bool, err error) {
	err = db.sql.QueryRowContext(
		ctx,
		"SELECT count(*) > 0 FROM known_origin WHERE person = ? AND origin = ?",
		person,
		auth.Kept(origin),
	).Scan(&known)
	return known, err
}
