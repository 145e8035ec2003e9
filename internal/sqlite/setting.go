package sqlite

import (
	"context"
	"time"
)

// Settings are the settings of the program for this shop, by their names.
func (db *DB) Settings(ctx context.Context) (map[string]string, error) {
	rows, err := db.sql.QueryContext(ctx, "SELECT name, value FROM setting")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	settings := map[string]string{}
	for rows.Next() {
		var name, value string
		if err := rows.Scan(&name, &value); err != nil {
			return nil, err
		}
		settings[name] = value
	}
	return settings, rows.Err()
}

// SaveSetting keeps a setting; "" is kept as well, and means none.
func (db *DB) SaveSetting(ctx context.Context, name, value string) error {
	_, err := db.sql.ExecContext(ctx, "INSERT INTO setting (name, value) VALUES (?, ?) "+
		"ON CONFLICT (name) DO UPDATE SET value = excluded.value", name, value)
	return err
}

// Moment reads a setting that begins with a moment in UTC (RFC 3339, to the second) and goes on with a text, behind a
// space; the zero time where it does not.
func Moment(text string) (at time.Time, rest string) {
	const length = len("2006-01-02T15:04:05Z")
	if len(text) <= length {
		return time.Time{}, ""
	}
	at, err := time.Parse(time.RFC3339, text[:length])
	if err != nil {
		return time.Time{}, ""
	}
	return at, text[length+1:]
}

// Changed changes whenever something of the shop does that a backup would have: the draft, what is live, promises,
// people, keys, services, lists of places, webhooks.
func (db *DB) Changed(ctx context.Context) (stamp string, err error) {
	err = db.sql.QueryRowContext(ctx, "SELECT coalesce((SELECT revision FROM draft), 0) || ' ' || "+
		"coalesce((SELECT max(turn) FROM put_live), 0) || ' ' || coalesce((SELECT max(id) FROM audit), 0) || ' ' || "+
		"(SELECT count(*) || '/' || coalesce(sum(length(body)), 0) FROM promise) || ' ' || (SELECT count(*) FROM webhook) || ' ' || "+
		"(SELECT count(*) FROM place_list) || ' ' || coalesce((SELECT sum(length(name) + length(value)) FROM setting WHERE "+
		"name NOT LIKE 'restore_test%' AND name NOT LIKE 'backup%'), 0)").Scan(&stamp)
	return stamp, err
}
