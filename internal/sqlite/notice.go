package sqlite

import (
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"diadrom/internal/core/store"
)

// How long notices are kept, and how many at most.
const (
	NoticeDays = 30
	maxNotices = 10_000
)

// Notice is something that programs are told of.
type Notice struct {
	ID   int64  // counts up; never given twice
	UID  string // names it to whoever is told of it more than once
	Type string
	At   time.Time
	Data json.RawMessage // an object
	Once string          // a notice of the same is kept once only; "" where it may come again
}

// Noticed says up to which publication and which edit of the draft programs were told of what changed.
type Noticed struct{ Turn, Revision int64 }

// Noticed gives how far programs were told.
func (db *DB) Noticed(ctx context.Context) (n Noticed, err error) {
	err = db.sql.QueryRowContext(ctx, "SELECT turn, revision FROM noticed").Scan(&n.Turn, &n.Revision)
	return n, err
}

// Notify keeps notices, in their order, and has webhooks be sent those that they ask for.
func (db *DB) Notify(ctx context.Context, list ...Notice) error {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if err := notify(ctx, tx, list); err != nil {
		return err
	}
	return tx.Commit()
}

// NotifyUpTo is Notify, and keeps how far programs were told, in one transaction.
func (db *DB) NotifyUpTo(ctx context.Context, to Noticed, list ...Notice) error {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if err := notify(ctx, tx, list); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "UPDATE noticed SET turn = ?, revision = ?", to.Turn, to.Revision); err != nil {
		return err
	}
	return tx.Commit()
}

func notify(ctx context.Context, tx *sql.Tx, list []Notice) error {
	for _, n := range list {
		var id int64
		uid, once := rand.Text(), sql.NullString{String: n.Once, Valid: n.Once != ""}
		err := tx.QueryRowContext(ctx, "INSERT INTO notice (uid, type, at, data, once) VALUES (?, ?, ?, ?, ?) "+
			"ON CONFLICT (once) DO NOTHING RETURNING id", uid, n.Type, now(), string(n.Data), once).Scan(&id)
		if errors.Is(err, sql.ErrNoRows) {
			continue // it was told before
		}
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "INSERT INTO delivery (webhook, uid, type, at, data, due) "+
			"SELECT webhook.id, uid, type, at, data, ? FROM notice, webhook WHERE notice.id = ? AND paused = '' AND "+
			"' ' || types || ' ' LIKE '% ' || type || ' %'", time.Now().UnixMilli(), id); err != nil {
			return err
		}
	}
	if len(list) == 0 {
		return nil
	}
	_, err := tx.ExecContext(ctx, "DELETE FROM notice WHERE at < ? OR id <= (SELECT max(id) FROM notice) - ?",
		time.Now().AddDate(0, 0, -NoticeDays).UTC().Format(time.RFC3339), maxNotices)
	return err
}

// Notices lists those that follow one, the first first.
func (db *DB) Notices(ctx context.Context, after int64, most int) (list []Notice, err error) {
	rows, err := db.sql.QueryContext(ctx,
		"SELECT id, uid, type, at, data FROM notice WHERE id > ? ORDER BY id LIMIT ?", after, most)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var n Notice
		var at, data string
		if err := rows.Scan(&n.ID, &n.UID, &n.Type, &at, &data); err != nil {
			return nil, err
		}
		if n.At, err = time.Parse(time.RFC3339, at); err != nil {
			return nil, err
		}
		n.Data = json.RawMessage(data)
		list = append(list, n)
	}
	return list, rows.Err()
}

// NoticeNumbers are the number of the first notice that is kept, and of the last that was given.
func (db *DB) NoticeNumbers(ctx context.Context) (first, last int64, err error) {
	err = db.sql.QueryRowContext(ctx, "SELECT coalesce((SELECT seq FROM sqlite_sequence WHERE name = 'notice'), 0)").
		Scan(&last)
	if err != nil {
		return 0, 0, err
	}
	err = db.sql.QueryRowContext(ctx, "SELECT coalesce(min(id), ?) FROM notice", last+1).Scan(&first)
	return first, last, err
}

// ProductsEdited names the products that edits of the draft changed, added or removed, those after one revision up to
// another, each once. whole is false where not all of these edits are known any more.
func (db *DB) ProductsEdited(ctx context.Context, after, upTo int64) (skus []string, whole bool, err error) {
	rows, err := db.sql.QueryContext(ctx,
		"SELECT changes FROM edit WHERE revision > ? AND revision <= ? ORDER BY revision", after, upTo)
	if err != nil {
		return nil, false, err
	}
	defer rows.Close()
	seen, edits := map[string]bool{}, int64(0)
	for rows.Next() {
		var body string
		if err := rows.Scan(&body); err != nil {
			return nil, false, err
		}
		edits++
		if !strings.Contains(body, `"products"`) {
			continue
		}
		var changes []store.Trimmed
		if err := json.Unmarshal([]byte(body), &changes); err != nil {
			return nil, false, err
		}
		for i := range changes {
			if c := &changes[i]; c.List == "products" && !c.Moved && !seen[c.ID] {
				seen[c.ID] = true
				skus = append(skus, c.ID)
			}
		}
	}
	return skus, edits == upTo-after, rows.Err()
}

// Publications lists which editions were published after a turn, in their order.
func (db *DB) Publications(ctx context.Context, after int64) (list []Live, err error) {
	rows, err := db.sql.QueryContext(ctx, "SELECT turn, edition, at, by FROM put_live WHERE turn > ? ORDER BY turn", after)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var l Live
		var at string
		if err := rows.Scan(&l.Turn, &l.Edition, &at, &l.By); err != nil {
			return nil, err
		}
		if l.At, err = time.Parse(time.RFC3339, at); err != nil {
			return nil, err
		}
		list = append(list, l)
	}
	return list, rows.Err()
}
