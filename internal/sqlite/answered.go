package sqlite

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"
)

// Answered is what was answered to a request under the name that its sender gave it.
type Answered struct {
	Key        int64 // of the API
	Name, Hash string
	Status     int
	Headers    map[string]string // that count: where it lies, which revision and edition it made, its entity tag
	Body       string
}

// keepAnswered is for how long answers are kept.
const keepAnswered = 24 * time.Hour

// Answer gives what was answered to a request of a name; false where there was none within a day.
func (db *DB) Answer(ctx context.Context, key int64, name string) (a Answered, ok bool, err error) {
	a = Answered{Key: key, Name: name, Headers: map[string]string{}}
	var tag, headers string
	err = db.sql.QueryRowContext(ctx,
		"SELECT hash, status, etag, headers, body FROM answered WHERE key = ? AND name = ? AND at > ?",
		key, name, timeText(time.Now().Add(-keepAnswered)),
	).Scan(&a.Hash, &a.Status, &tag, &headers, &a.Body)
	if errors.Is(err, sql.ErrNoRows) {
		return a, false, nil
	}
	if err == nil && headers != "" {
		err = json.Unmarshal([]byte(headers), &a.Headers)
	}
	if tag != "" {
		a.Headers["ETag"] = tag
	}
	return a, err == nil, err
}

// KeepAnswer keeps what was answered; what is older than a day goes.
func (db *DB) KeepAnswer(ctx context.Context, a Answered) error {
	headers, err := json.Marshal(a.Headers)
	if err != nil {
		return err
	}
	return db.both(ctx,
		"DELETE FROM answered WHERE at <= ?",
		[]any{timeText(time.Now().Add(-keepAnswered))},
		"INSERT INTO answered (key, name, hash, status, etag, headers, body, at) VALUES (?, ?, ?, ?, '', ?, ?, ?) "+
			"ON CONFLICT DO UPDATE SET hash = excluded.hash, status = excluded.status, etag = '', "+
			"headers = excluded.headers, body = excluded.body, at = excluded.at",
		[]any{a.Key, a.Name, a.Hash, a.Status, string(headers), a.Body, now()},
	)
}
