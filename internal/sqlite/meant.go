package sqlite

import (
	"context"
	"time"
)

// Meant is a warning of which somebody said that it is meant.
type Meant struct {
	Warning string // its key
	Facts   string // what it rested on, as a hash: with other facts it is another warning
	Note    string
	By      int64 // person
	At      time.Time
}

// Meant lists the warnings that are meant, by their keys.
func (db *DB) Meant(ctx context.Context) (map[string]Meant, error) {
	rows, err := db.sql.QueryContext(ctx, "SELECT warning, facts, note, by, at FROM meant")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	list := map[string]Meant{}
	for rows.Next() {
		var m Meant
		var at string
		if err := rows.Scan(&m.Warning, &m.Facts, &m.Note, &m.By, &at); err != nil {
			return nil, err
		}
		if m.At, err = time.Parse(time.RFC3339, at); err != nil {
			return nil, err
		}
		list[m.Warning] = m
	}
	return list, rows.Err()
}

// SetMeant keeps that a warning is meant, in place of what was said of it before.
func (db *DB) SetMeant(ctx context.Context, m Meant) error {
	_, err := db.sql.ExecContext(ctx, `INSERT INTO meant (warning, facts, note, by, at) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT (warning) DO UPDATE SET facts = excluded.facts, note = excluded.note, by = excluded.by,
		at = excluded.at`, m.Warning, m.Facts, m.Note, m.By, m.At.UTC().Format(time.RFC3339))
	return err
}

// UnsetMeant has a warning not be meant any more.
func (db *DB) UnsetMeant(ctx context.Context, warning string) error {
	_, err := db.sql.ExecContext(ctx, "DELETE FROM meant WHERE warning = ?", warning)
	return err
}
