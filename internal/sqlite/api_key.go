package sqlite

import (
	"context"
	"strings"
	"time"

	"diadrom/internal/auth"
)

// APIKey is a key of the API with what is kept of it.
type APIKey struct {
	auth.Key
	Kept    string // SHA-256 of its secret
	At      time.Time
	By      int64
	Used    time.Time // when it was used last, within some minutes; zero where it never was
	Revoked time.Time // zero where it holds
}

// moment reads a time as it is kept; "" is the zero time.
func moment(text string) (time.Time, error) {
	if text == "" {
		return time.Time{}, nil
	}
	return time.Parse(time.RFC3339, text)
}

// timeText is a time as it is kept; "" for the zero time.
func timeText(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.UTC().Format(time.RFC3339)
}

// APIKeys lists the keys, those that are revoked too.
func (db *DB) APIKeys(ctx context.Context) (list []APIKey, err error) {
	rows, err := db.sql.QueryContext(
		ctx,
		"SELECT id, name, hash, publishable, rights, origins, expires_at, used_at, made_at, made_by, revoked_at "+
			"FROM api_key ORDER BY id",
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var k APIKey
		var rights, origins, expires, used, at, revoked string
		if err := rows.Scan(&k.ID, &k.Name, &k.Kept, &k.Publishable, &rights, &origins, &expires, &used, &at, &k.By,
			&revoked); err != nil {
			return nil, err
		}
		for _, r := range strings.Fields(rights) {
			k.Rights = append(k.Rights, auth.Right(r))
		}
		k.Origins = strings.Fields(origins)
		for _, t := range []struct {
			into *time.Time
			text string
		}{{&k.Expires, expires}, {&k.Used, used}, {&k.At, at}, {&k.Revoked, revoked}} {
			if *t.into, err = moment(t.text); err != nil {
				return nil, err
			}
		}
		list = append(list, k)
	}
	return list, rows.Err()
}

// AddAPIKey keeps a key by what is kept of its secret.
func (db *DB) AddAPIKey(ctx context.Context, k auth.Key, hash string, by int64) error {
	rights := make([]string, len(k.Rights))
	for i, r := range k.Rights {
		rights[i] = string(r)
	}
	_, err := db.sql.ExecContext(
		ctx,
		"INSERT INTO api_key (name, hash, publishable, rights, origins, expires_at, made_at, made_by) "+
			"VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
		k.Name,
		hash,
		k.Publishable,
		strings.Join(rights, " "),
		strings.Join(k.Origins, " "),
		timeText(k.Expires),
		now(),
		by,
	)
	return err
}

// UseAPIKey keeps when a key was used last.
func (db *DB) UseAPIKey(ctx context.Context, id int64, at time.Time) error {
	_, err := db.sql.ExecContext(ctx, "UPDATE api_key SET used_at = ? WHERE id = ?", timeText(at), id)
	return err
}

// RevokeAPIKey has a key hold no longer.
func (db *DB) RevokeAPIKey(ctx context.Context, id int64) error {
	_, err := db.sql.ExecContext(
		ctx,
		"UPDATE api_key SET revoked_at = ? WHERE id = ? AND revoked_at = ''",
		now(),
		id,
	)
	return err
}
