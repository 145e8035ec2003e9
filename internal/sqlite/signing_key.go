package sqlite

import (
	"context"
	"time"
)

// SigningKey is a key with which quotes are held.
type SigningKey struct {
	ID      string
	Public  string // base 64
	Sealed  string // the private part
	Made    time.Time
	Retired time.Time // when it signed last; zero where it signs
}

// AddSigningKey has a key sign from now on, and the one before it no longer.
func (db *DB) AddSigningKey(ctx context.Context, k SigningKey) error {
	made := timeText(k.Made)
	return db.both(
		ctx,
		"UPDATE signing_key SET retired_at = ?, sealed = '' WHERE retired_at = ''",
		[]any{made},
		"INSERT INTO signing_key (id, public, sealed, made_at) VALUES (?, ?, ?, ?)",
		[]any{k.ID, k.Public, k.Sealed, made},
	)
}

// SigningKeys lists the keys that sign, or did after a moment, the newest first. Those retired before it are removed.
func (db *DB) SigningKeys(ctx context.Context, since time.Time) (list []SigningKey, err error) {
	if _, err := db.sql.ExecContext(ctx, "DELETE FROM signing_key WHERE retired_at <> '' AND retired_at < ?",
		timeText(since)); err != nil {
		return nil, err
	}
	rows, err := db.sql.QueryContext(ctx,
		"SELECT id, public, sealed, made_at, retired_at FROM signing_key ORDER BY retired_at <> '', made_at DESC")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var k SigningKey
		var made, retired string
		if err := rows.Scan(&k.ID, &k.Public, &k.Sealed, &made, &retired); err != nil {
			return nil, err
		}
		if k.Made, err = moment(made); err != nil {
			return nil, err
		}
		if k.Retired, err = moment(retired); err != nil {
			return nil, err
		}
		list = append(list, k)
	}
	return list, rows.Err()
}
