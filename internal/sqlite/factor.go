package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"
)

// Factor is the second factor of a person.
type Factor struct {
	Sealed    string // its secret
	Confirmed bool   // whether it is asked for
	LastStep  int64  // the time step of the last code that was taken
	Made      time.Time
}

// FactorOf gives the second factor of a person; false where there is none.
func (db *DB) FactorOf(ctx context.Context, person int64) (f Factor, ok bool, err error) {
	var made string
	err = db.sql.QueryRowContext(ctx, "SELECT sealed, confirmed, last_step, made_at FROM factor WHERE person = ?", person).
		Scan(&f.Sealed, &f.Confirmed, &f.LastStep, &made)
	if errors.Is(err, sql.ErrNoRows) {
		return f, false, nil
	}
	if err == nil {
		f.Made, err = moment(made)
	}
	return f, err == nil, err
}

// OfferFactor keeps a second factor that is not asked for yet; one that is stays.
func (db *DB) OfferFactor(ctx context.Context, person int64, sealed string) error {
	return db.both(ctx,
		"DELETE FROM factor WHERE person = ? AND confirmed = 0", []any{person},
		"INSERT INTO factor (person, sealed, made_at) VALUES (?, ?, ?)", []any{person, sealed, now()})
}

// ConfirmFactor has a second factor be asked for, with codes that stand in for it, by what is kept of them. Other
// sessions of the person end.
func (db *DB) ConfirmFactor(ctx context.Context, person, step int64, recovery []string, current string) error {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if _, err := tx.ExecContext(ctx, "UPDATE factor SET confirmed = 1, last_step = ? WHERE person = ?", step, person); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "DELETE FROM recovery WHERE person = ?", person); err != nil {
		return err
	}
	for _, hash := range recovery {
		if _, err := tx.ExecContext(ctx, "INSERT INTO recovery (person, hash) VALUES (?, ?)", person, hash); err != nil {
			return err
		}
	}
	if _, err := tx.ExecContext(ctx, "DELETE FROM session WHERE person = ? AND hash <> ?", person, current); err != nil {
		return err
	}
	return tx.Commit()
}

// TakeStep keeps that a code of a time step was taken; false where it, or a later one, was taken before.
func (db *DB) TakeStep(ctx context.Context, person, step int64) (bool, error) {
	return db.changed(ctx, "UPDATE factor SET last_step = ? WHERE person = ? AND last_step < ?", step, person, step)
}

// TakeRecovery takes a code that stands in for a second factor, by what is kept of it; false where there is none such.
func (db *DB) TakeRecovery(ctx context.Context, person int64, hash string) (bool, error) {
	return db.changed(ctx, "DELETE FROM recovery WHERE person = ? AND hash = ?", person, hash)
}

func (db *DB) changed(ctx context.Context, query string, args ...any) (bool, error) {
	r, err := db.sql.ExecContext(ctx, query, args...)
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n > 0, err
}

// RecoveryLeft counts the codes that a person has left.
func (db *DB) RecoveryLeft(ctx context.Context, person int64) (n int, err error) {
	err = db.sql.QueryRowContext(ctx, "SELECT count(*) FROM recovery WHERE person = ?", person).Scan(&n)
	return n, err
}

// RemoveFactor has a person sign in without a second factor.
func (db *DB) RemoveFactor(ctx context.Context, person int64) error {
	return db.both(ctx, "DELETE FROM factor WHERE person = ?", []any{person},
		"DELETE FROM recovery WHERE person = ?", []any{person})
}

// Factors says which people have a second factor.
func (db *DB) Factors(ctx context.Context) (map[int64]bool, error) {
	rows, err := db.sql.QueryContext(ctx, "SELECT person FROM factor WHERE confirmed = 1")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	has := map[int64]bool{}
	for rows.Next() {
		var person int64
		if err := rows.Scan(&person); err != nil {
			return nil, fmt.Errorf("second factors: %w", err)
		}
		has[person] = true
	}
	return has, rows.Err()
}
