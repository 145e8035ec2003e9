package sqlite

import (
	"context"
	"database/sql"
	"errors"
)

// Upload is a file that was sent, and that changes nothing before the owner has seen what it would.
type Upload struct {
	ID   int64
	Name string
	Body []byte
}

// maxUploads is how many files of a kind are kept; the oldest go.
const maxUploads = 4

// AddUpload keeps a file of a kind.
func (db *DB) AddUpload(ctx context.Context, kind, name string, body []byte) (id int64, err error) {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return 0, err
	}
	defer tx.Rollback()
	if err := tx.QueryRowContext(
		ctx,
		"INSERT INTO upload (kind, name, body) VALUES (?, ?, ?) RETURNING id",
		kind,
		name,
		body,
	).Scan(&id); err != nil {
		return 0, err
	}
	if _, err := tx.ExecContext(
		ctx,
		"DELETE FROM upload WHERE kind = ?1 AND id NOT IN (SELECT id FROM upload WHERE kind = ?1 ORDER BY "+
			"id DESC LIMIT ?2)",
		kind,
		maxUploads,
	); err != nil {
		return 0, err
	}
	return id, tx.Commit()
}

// Upload gives a file of a kind; false where it is not there any more.
func (db *DB) Upload(ctx context.Context, kind string, id int64) (u Upload, ok bool, err error) {
	u.ID = id
	err = db.sql.QueryRowContext(
		ctx,
		"SELECT name, body FROM upload WHERE kind = ? AND id = ?",
		kind,
		id,
	).Scan(&u.Name, &u.Body)
	if errors.Is(err, sql.ErrNoRows) {
		return u, false, nil
	}
	return u, err == nil, err
}

// RemoveUpload forgets a file.
func (db *DB) RemoveUpload(ctx context.Context, kind string, id int64) error {
	_, err := db.sql.ExecContext(ctx, "DELETE FROM upload WHERE kind = ? AND id = ?", kind, id)
	return err
}
