package sqlite

import (
	"context"
	"fmt"

	"diadrom/internal/review/promise"
)

// ErrPromises is returned when a shop would have more promises than it may.
var ErrPromises = fmt.Errorf(
	"a shop keeps at most %d promises, of %d MB together; nothing was changed",
	promise.Max,
	promise.MaxBytes>>20,
)

// KeptPromise is a promise of the shop with what became of it.
type KeptPromise struct {
	ID       string
	Body     []byte // JSON
	Was      string // what it was when it held last
	BrokenBy string // the edit since which it does not hold; "" where it does
}

// Promises lists the promises in the order in which they were made.
func (db *DB) Promises(ctx context.Context) (list []KeptPromise, err error) {
	rows, err := db.sql.QueryContext(ctx, "SELECT id, body, was, broken_by FROM promise ORDER BY position")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var p KeptPromise
		if err := rows.Scan(&p.ID, &p.Body, &p.Was, &p.BrokenBy); err != nil {
			return nil, err
		}
		list = append(list, p)
	}
	return list, rows.Err()
}

// AddPromises keeps promises behind all others; one whose id is there already takes that one's place. All of
// them are kept, or none.
func (db *DB) AddPromises(ctx context.Context, list ...KeptPromise) error {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	for _, p := range list {
		if _, err := tx.ExecContext(ctx, `INSERT INTO promise (id, body, was, broken_by) VALUES (?, ?, ?, ?)
			ON CONFLICT (id) DO UPDATE SET body = excluded.body, was = excluded.was, broken_by = excluded.broken_by`,
			p.ID, string(p.Body), p.Was, p.BrokenBy); err != nil {
			return err
		}
	}
	var count, size int
	if err := tx.QueryRowContext(
		ctx,
		"SELECT count(*), coalesce(sum(length(CAST(body AS BLOB))), 0) FROM promise",
	).Scan(&count, &size); err != nil {
		return err
	}
	if count > promise.Max || size > promise.MaxBytes {
		return ErrPromises
	}
	return tx.Commit()
}

// MarkPromises keeps what became of promises, and tells of it; their bodies stay.
func (db *DB) MarkPromises(ctx context.Context, list []KeptPromise, told ...Notice) error {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	for _, p := range list {
		if _, err := tx.ExecContext(
			ctx,
			"UPDATE promise SET was = ?, broken_by = ? WHERE id = ?",
			p.Was,
			p.BrokenBy,
			p.ID,
		); err != nil {
			return err
		}
	}
	if err := notify(ctx, tx, told); err != nil {
		return err
	}
	return tx.Commit()
}

// RemovePromise forgets a promise; one that is not there is forgotten already.
func (db *DB) RemovePromise(ctx context.Context, id string) error {
	_, err := db.sql.ExecContext(ctx, "DELETE FROM promise WHERE id = ?", id)
	return err
}
