package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"diadrom/internal/auth"
)

// Session is somebody who is signed in with a browser.
type Session struct {
	ID               int64
	Person           int64
	Half             bool // the passphrase was right, and the code of the second factor is still asked for
	Made, Seen       time.Time
	Until            time.Time
	Address, Browser string
}

// AddSession keeps that somebody is signed in, by what is kept of the session's secret; those that have ended go.
func (db *DB) AddSession(ctx context.Context, hash string, s Session) error {
	return db.both(
		ctx,
		"DELETE FROM session WHERE expires_at < ?",
		[]any{now()},
		"INSERT INTO session (hash, person, expires_at, half, made_at, seen_at, address, browser) "+
			"VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
		[]any{hash, s.Person, timeText(s.Until), s.Half, now(), now(), s.Address, s.Browser},
	)
}

// Session finds who is signed in; false where nobody is.
func (db *DB) Session(ctx context.Context, hash string) (p auth.Person, ok bool, err error) {
	return db.session(ctx, hash, false)
}

// HalfSession finds whose passphrase was right, and whose code is still asked for; false where there is nobody.
func (db *DB) HalfSession(ctx context.Context, hash string) (p auth.Person, ok bool, err error) {
	return db.session(ctx, hash, true)
}

func (db *DB) session(ctx context.Context, hash string, half bool) (p auth.Person, ok bool, err error) {
	err = db.sql.QueryRowContext(
		ctx,
		"SELECT person.id, name, role FROM session JOIN person ON person.id = session.person WHERE hash = ? "+
			"AND expires_at > ? AND active = 1 AND half = ?",
		hash,
		now(),
		half,
	).
		Scan(&p.ID, &p.Name, &p.Role)
	if errors.Is(err, sql.ErrNoRows) {
		return auth.Person{}, false, nil
	}
	return p, err == nil, err
}

// seenEvery is how exactly it is kept when a session was used last, so that a page costs no write.
const seenEvery = 10 * time.Minute

// SeeSession keeps that a session is used.
func (db *DB) SeeSession(ctx context.Context, hash string) error {
	var seen string
	if err := db.sql.QueryRowContext(ctx, "SELECT seen_at FROM session WHERE hash = ?", hash).Scan(&seen); err != nil {
		return err
	}
	if at, err := moment(seen); err == nil && time.Since(at) < seenEvery {
		return nil
	}
	_, err := db.sql.ExecContext(ctx, "UPDATE session SET seen_at = ? WHERE hash = ?", now(), hash)
	return err
}

// Sessions lists the sessions of a person that hold, those that were used last first.
func (db *DB) Sessions(ctx context.Context, person int64, current string) (list []Session, here int64, err error) {
	rows, err := db.sql.QueryContext(ctx,
		"SELECT rowid, hash, made_at, seen_at, expires_at, address, browser FROM session WHERE person = ? AND half = 0 "+
			"AND expires_at > ? ORDER BY seen_at DESC, rowid DESC", person, now())
	if err != nil {
		return nil, 0, err
	}
	defer rows.Close()
	for rows.Next() {
		s := Session{Person: person}
		var hash, made, seen, until string
		if err := rows.Scan(&s.ID, &hash, &made, &seen, &until, &s.Address, &s.Browser); err != nil {
			return nil, 0, err
		}
		for _, t := range []struct {
			into *time.Time
			text string
		}{{&s.Made, made}, {&s.Seen, seen}, {&s.Until, until}} {
			if *t.into, err = moment(t.text); err != nil {
				return nil, 0, err
			}
		}
		if hash == current {
			here = s.ID
		}
		list = append(list, s)
	}
	return list, here, rows.Err()
}

// EndSession signs out.
func (db *DB) EndSession(ctx context.Context, hash string) error {
	_, err := db.sql.ExecContext(ctx, "DELETE FROM session WHERE hash = ?", hash)
	return err
}

// EndSessionOf ends a session of a person by its id.
func (db *DB) EndSessionOf(ctx context.Context, person, id int64) error {
	_, err := db.sql.ExecContext(ctx, "DELETE FROM session WHERE rowid = ? AND person = ?", id, person)
	return err
}

// EndOtherSessions ends the sessions of a person but for the current one.
func (db *DB) EndOtherSessions(ctx context.Context, person int64, current string) error {
	_, err := db.sql.ExecContext(ctx, "DELETE FROM session WHERE person = ? AND hash <> ?", person, current)
	return err
}
