package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"time"
)

// Answered is what was answered to a request under the name that its sender gave it.
type Answered struct {
	Key        int64 // of the API
	Name, Hash string
	Status     int
	ETag       string
	Body       string
}

// keepAnswered is for how long answers are kept.
const keepAnswered = 24 * time.Hour

// Answer gives what was answered to a request of a name; false where there was none within a day.
func (db *DB) Answer(ctx context.Context, key int64, name string) (a Answered, ok bool, err error) {
	a = Answered{Key: key, Name: name}
	err = db.sql.QueryRowContext(ctx,
		"SELECT hash, status, etag, body FROM answered WHERE key = ? AND name = ? AND at > ?",
		key, name, timeText(time.Now().Add(-keepAnswered)),
	).Scan(&a.Hash, &a.Status, &a.ETag, &a.Body)
	if errors.Is(err, sql.ErrNoRows) {
		return a, false, nil
	}
	return a, err == nil, err
}

// KeepAnswer keeps what was answered; what is older than a day goes.
func (db *DB) KeepAnswer(ctx context.Context, a Answered) error {
	return db.both(ctx,
		"DELETE FROM answered WHERE at <= ?",
		[]any{timeText(time.Now().Add(-keepAnswered))},
		"INSERT INTO answered (key, name, hash, status, etag, body, at) VALUES (?, ?, ?, ?, ?, ?, ?) "+
			"ON CONFLICT DO UPDATE SET hash = excluded.hash, status = excluded.status, etag = excluded.etag, "+
			"body = excluded.body, at = excluded.at",
		[]any{a.Key, a.Name, a.Hash, a.Status, a.ETag, a.Body, now()},
	)
}
