package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"diadrom/internal/core/store"
)

// ErrLiveChanged is returned when another edition went live after the comparison was made.
var ErrLiveChanged = errors.New("another edition was published meanwhile")

// ErrNoEdition is returned when the edition does not exist.
var ErrNoEdition = errors.New("there is no such edition")

// Edition is an edition of the shop without its store file.
type Edition struct {
	Number int64
	Hash   string // SHA-256 of the store file, in hexadecimal
	Note   string
	At     time.Time
	By     int64 // person; 0 for none
	Bytes  int64
	// Removed is when its owner removed its store file; zero where it is there.
	Removed time.Time
}

// Live says which edition is live.
type Live struct {
	Edition int64 // 0: none
	Turn    int64 // counts up each time that one is published
	At      time.Time
	By      int64
}

// Live gives what is live.
func (db *DB) Live(ctx context.Context) (Live, error) { return live(ctx, db.sql) }

func live(ctx context.Context, q interface {
	QueryRowContext(context.Context, string, ...any) *sql.Row
}) (l Live, err error) {
	var at string
	err = q.QueryRowContext(
		ctx,
		"SELECT turn, edition, at, by FROM put_live ORDER BY turn DESC LIMIT 1",
	).Scan(&l.Turn, &l.Edition, &at, &l.By)
	if errors.Is(err, sql.ErrNoRows) {
		return Live{}, nil
	}
	if err != nil {
		return Live{}, err
	}
	l.At, err = time.Parse(time.RFC3339, at)
	return l, err
}

// Stamp is what somebody saw of a shop: the revision of its draft, and the turn in which its live edition went live.
type Stamp struct{ Revision, Turn int64 }

// Stamp says in one look whether another process has changed the draft or what is live.
func (db *DB) Stamp(ctx context.Context) (s Stamp, err error) {
	err = db.sql.QueryRowContext(
		ctx,
		"SELECT coalesce((SELECT revision FROM draft), 0), coalesce((SELECT max(turn) FROM put_live), 0)",
	).Scan(&s.Revision, &s.Turn)
	return s, err
}

// Publication is an edition that is about to be published: what whoever publishes it saw, and the store file.
type Publication struct {
	Seen   Stamp
	Hash   string // as [HashOf] gives it
	Pieces *store.Pieces
	Note   string
	By     int64
}

// Publish keeps a store file as the next edition and puts it live. Where the draft or what is live has changed since it
// was seen, the error is [ErrConflict] or [ErrLiveChanged].
func (db *DB) Publish(ctx context.Context, p Publication) (Live, error) {
	return db.publish(ctx, p.Seen.Turn, p.By, func(tx *sql.Tx) (int64, error) {
		return db.addEdition(ctx, tx, p)
	})
}

// addEdition keeps a store file as the next edition.
func (db *DB) addEdition(ctx context.Context, tx *sql.Tx, p Publication) (number int64, err error) {
	var at int64
	if err := tx.QueryRowContext(ctx, "SELECT revision FROM draft").Scan(&at); err != nil {
		return 0, err
	}
	if at != p.Seen.Revision {
		return 0, ErrConflict
	}
	sums, size, err := keepPieces(ctx, tx, p.Pieces)
	if err != nil {
		return 0, err
	}
	if number, err = db.nextEdition(ctx, tx); err != nil {
		return 0, err
	}
	_, err = tx.ExecContext(
		ctx,
		"INSERT INTO edition (number, hash, body, pieces, size, note, made_at, made_by) VALUES (?, ?, '', ?, ?, ?, ?, ?)",
		number,
		p.Hash,
		sums,
		size,
		p.Note,
		now(),
		p.By,
	)
	return number, err
}

// Republication is an edition that is about to be published again: in which turn what was live then went live.
type Republication struct{ Edition, Turn, By int64 }

// PublishAgain puts an edition live again. Its errors are [ErrNoEdition] and, where what is live has changed,
// [ErrLiveChanged].
func (db *DB) PublishAgain(ctx context.Context, p Republication) (Live, error) {
	return db.publish(ctx, p.Turn, p.By, func(tx *sql.Tx) (int64, error) {
		var there int64
		err := tx.QueryRowContext(ctx, "SELECT number FROM edition WHERE number = ? AND removed_at = ''",
			p.Edition).Scan(&there)
		if errors.Is(err, sql.ErrNoRows) {
			return 0, ErrNoEdition
		}
		return there, err
	})
}

func (db *DB) publish(ctx context.Context, turn, by int64, edition func(*sql.Tx) (int64, error)) (Live, error) {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return Live{}, err
	}
	defer tx.Rollback()
	last, err := live(ctx, tx)
	if err != nil {
		return Live{}, err
	}
	if last.Turn != turn {
		return Live{}, ErrLiveChanged
	}
	number, err := edition(tx)
	if err != nil {
		return Live{}, err
	}
	next := Live{Edition: number, Turn: turn + 1, At: time.Now().UTC().Truncate(time.Second), By: by}
	if _, err := tx.ExecContext(
		ctx,
		"INSERT INTO put_live (turn, edition, at, by) VALUES (?, ?, ?, ?)",
		next.Turn,
		next.Edition,
		next.At.Format(time.RFC3339),
		by,
	); err != nil {
		return Live{}, err
	}
	return next, tx.Commit()
}

// Editions lists the editions, the last one first.
func (db *DB) Editions(ctx context.Context) (list []Edition, err error) {
	rows, err := db.sql.QueryContext(
		ctx,
		"SELECT number, hash, note, made_at, made_by, CASE WHEN pieces IS NULL AND removed_at = '' THEN "+
			"length(CAST(body AS BLOB)) ELSE size END, removed_at FROM edition ORDER BY number DESC",
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var e Edition
		var at, removed string
		if err := rows.Scan(&e.Number, &e.Hash, &e.Note, &at, &e.By, &e.Bytes, &removed); err != nil {
			return nil, err
		}
		if removed != "" {
			if e.Removed, err = time.Parse(time.RFC3339, removed); err != nil {
				return nil, err
			}
		}
		if e.At, err = time.Parse(time.RFC3339, at); err != nil {
			return nil, err
		}
		list = append(list, e)
	}
	return list, rows.Err()
}

// LiveBefore lists the editions that were live, the last one first, each once.
func (db *DB) LiveBefore(ctx context.Context) (numbers []int64, err error) {
	rows, err := db.sql.QueryContext(ctx, "SELECT edition FROM put_live GROUP BY edition ORDER BY max(turn) DESC")
	return numbersOf(rows, err)
}

// EditionFile is the store file of an edition with its hash. Where the edition does not exist the error is
// [ErrNoEdition]; where its file was removed, [ErrRemoved].
func (db *DB) EditionFile(ctx context.Context, number int64) (body []byte, hash string, err error) {
	tx, err := db.sql.BeginTx(ctx, &sql.TxOptions{ReadOnly: true})
	if err != nil {
		return nil, "", err
	}
	defer tx.Rollback()
	var sums []byte
	var size int64
	var removed string
	err = tx.QueryRowContext(ctx, "SELECT body, hash, pieces, size, removed_at FROM edition WHERE number = ?", number).
		Scan(&body, &hash, &sums, &size, &removed)
	switch {
	case errors.Is(err, sql.ErrNoRows):
		return nil, "", fmt.Errorf("edition %d: %w", number, ErrNoEdition)
	case err != nil:
		return nil, "", err
	case removed != "":
		return nil, "", fmt.Errorf("edition %d: %w", number, ErrRemoved)
	case sums == nil:
		return body, hash, nil
	}
	if body, err = joined(ctx, tx, sums, size); err != nil {
		return nil, "", fmt.Errorf("edition %d: %w", number, err)
	}
	return body, hash, nil
}
