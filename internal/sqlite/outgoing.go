package sqlite

import (
	"context"
	"time"
)

// Outgoing changes whenever something changes that the nodes of a shop quote from: what is live, keys, lists of places,
// settings.
func (db *DB) Outgoing(ctx context.Context) (stamp string, err error) {
	err = db.sql.QueryRowContext(ctx, "SELECT coalesce((SELECT max(turn) FROM put_live), 0) || ' ' || "+
		"(SELECT count(*) || '/' || coalesce(sum(revoked_at <> ''), 0) || '/' || coalesce(max(id), 0) FROM api_key) || ' ' || "+
		"coalesce((SELECT group_concat(id || retired_at) FROM signing_key), '') || ' ' || "+
		"coalesce((SELECT group_concat(id) FROM place_list WHERE state = 'done'), '') || ' ' || "+
		"coalesce((SELECT group_concat(name || '=' || value) FROM (SELECT name, value FROM setting WHERE name NOT LIKE "+
		"'restore_test%' AND name NOT LIKE 'backup%' ORDER BY name)), '')").Scan(&stamp)
	return stamp, err
}

// Former is an edition that was live before, with when it gave way last.
type Former struct {
	Edition int64
	Until   time.Time
}

// Formers lists the editions that gave way after a moment and are not live, the last one first, at most so many.
func (db *DB) Formers(ctx context.Context, since time.Time, most int) (list []Former, err error) {
	rows, err := db.sql.QueryContext(ctx,
		"SELECT was.edition, max(next.at) FROM put_live AS was JOIN put_live AS next ON "+
			"next.turn = was.turn + 1 WHERE next.at >= ? AND was.edition <> (SELECT edition FROM put_live ORDER BY turn DESC "+
			"LIMIT 1) GROUP BY was.edition ORDER BY max(next.turn) DESC LIMIT ?", since.UTC().Format(time.RFC3339), most)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var f Former
		var at string
		if err := rows.Scan(&f.Edition, &at); err != nil {
			return nil, err
		}
		if f.Until, err = time.Parse(time.RFC3339, at); err != nil {
			return nil, err
		}
		list = append(list, f)
	}
	return list, rows.Err()
}
