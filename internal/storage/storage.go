// Package storage keeps a shop in an SQLite file: its draft, the Till's cart and destination, and the sample carts.
//
// Every change is one transaction, in the write-ahead log and synced to disk before it is answered (synchronous = FULL):
// what was said to be saved is there after the process is killed or the power goes.
package storage

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"strings"

	"diadrom/internal/store"

	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the driver, without cgo
)

//go:embed migrations/*.sql
var migrations embed.FS

// Name is the file's name within a shop's folder.
const Name = "diadrom.db"

// ErrConflict is returned for an edit of a draft that another edit has changed meanwhile.
var ErrConflict = errors.New("the draft was changed elsewhere meanwhile")

// DB is an open shop.
type DB struct{ sql *sql.DB }

// Open opens the shop in a folder, which it makes where it is missing, and brings its tables up to date. A new shop is empty.
func Open(ctx context.Context, dir string) (*DB, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	query := url.Values{"_txlock": {"immediate"}, "_pragma": {
		"busy_timeout(5000)", "journal_mode(WAL)", "foreign_keys(1)", "synchronous(FULL)"}}
	db, err := sql.Open("sqlite", "file:"+(&url.URL{Path: filepath.Join(dir, Name)}).EscapedPath()+"?"+query.Encode())
	if err != nil {
		return nil, err
	}
	db.SetMaxOpenConns(4)
	if err := migrate(ctx, db); err != nil {
		return nil, errors.Join(fmt.Errorf("%s: %w", filepath.Join(dir, Name), err), db.Close())
	}
	return &DB{db}, nil
}

func migrate(ctx context.Context, db *sql.DB) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, db, files)
	if err != nil {
		return err
	}
	has, known, err := versions(ctx, p)
	if err != nil {
		return err
	}
	if has > known {
		return fmt.Errorf("this shop was written by a later version of Diadrom (%d, this one knows %d); it is left as it is", has, known)
	}
	_, err = p.Up(ctx)
	return err
}

func versions(ctx context.Context, p *goose.Provider) (has, known int64, err error) {
	sources := p.ListSources()
	known = sources[len(sources)-1].Version
	has, err = p.GetDBVersion(ctx)
	return has, known, err
}

// Close closes the shop.
func (db *DB) Close() error { return db.sql.Close() }

// Load reads the draft with its revision; a shop without one gets nil.
func (db *DB) Load(ctx context.Context) (*store.File, int64, error) {
	tx, err := db.sql.BeginTx(ctx, &sql.TxOptions{ReadOnly: true})
	if err != nil {
		return nil, 0, err
	}
	defer tx.Rollback()
	var settings string
	var revision int64
	err = tx.QueryRowContext(ctx, "SELECT settings, revision FROM draft").Scan(&settings, &revision)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, 0, nil
	}
	if err != nil {
		return nil, 0, err
	}
	rows, err := tx.QueryContext(ctx, "SELECT list, id, body FROM item ORDER BY list, position")
	if err != nil {
		return nil, 0, err
	}
	defer rows.Close()
	parts := &store.Parts{Settings: []byte(settings), Lists: map[string][]store.Entry{}}
	for rows.Next() {
		var list, id, body string
		if err := rows.Scan(&list, &id, &body); err != nil {
			return nil, 0, err
		}
		parts.Lists[list] = append(parts.Lists[list], store.Entry{ID: id, Body: []byte(body)})
	}
	if err := rows.Err(); err != nil {
		return nil, 0, err
	}
	f, faults := parts.Join()
	if len(faults) > 0 {
		return nil, 0, fmt.Errorf("the draft in the database has faults: %w", faults)
	}
	return f, revision, nil
}

// Kinds of edits, for taking them back.
const (
	EditDone   = "edit"   // can be taken back
	EditUndone = "undone" // was taken back, and can be done again
	EditGone   = "gone"   // was taken back, and another was made since
)

// Edit says what an edit is to the history.
type Edit struct {
	What   string // in the owner's words
	Undoes int64  // the revision that it takes back; 0 for none
	Redoes int64  // the revision that it makes again; 0 for none
}

// Save replaces the draft before, of the given revision, with after, and returns the new revision. Only what differs is
// written, and what it was is kept in the history. before is nil where there is no draft yet.
func (db *DB) Save(ctx context.Context, revision int64, before, after *store.Parts, e Edit) (int64, error) {
	changes := after.Changes(before)
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return 0, err
	}
	defer tx.Rollback()
	if err := advance(ctx, tx, revision, string(after.Settings), before == nil); err != nil {
		return 0, err
	}
	if err := write(ctx, tx, changes); err != nil {
		return 0, err
	}
	if before != nil {
		if err := remember(ctx, tx, revision+1, changes, e); err != nil {
			return 0, err
		}
	}
	return revision + 1, tx.Commit()
}

func advance(ctx context.Context, tx *sql.Tx, revision int64, settings string, first bool) error {
	var result sql.Result
	var err error
	if first {
		result, err = tx.ExecContext(ctx, "INSERT INTO draft (id, revision, settings) VALUES (1, ?, ?) ON CONFLICT DO NOTHING", revision+1, settings)
	} else {
		result, err = tx.ExecContext(ctx, "UPDATE draft SET revision = revision + 1, settings = ? WHERE revision = ?", settings, revision)
	}
	if err != nil {
		return err
	}
	n, err := result.RowsAffected()
	if err == nil && n == 0 {
		err = ErrConflict
	}
	return err
}

type progressKey struct{}

// WithProgress has Save tell how many of how many changes are written, now and then.
func WithProgress(ctx context.Context, told func(done, total int)) context.Context {
	return context.WithValue(ctx, progressKey{}, told)
}

func write(ctx context.Context, tx *sql.Tx, changes []store.Change) error {
	progress, _ := ctx.Value(progressKey{}).(func(done, total int))
	statements := map[string]*sql.Stmt{}
	exec := func(query string, args ...any) error {
		s := statements[query]
		if s == nil {
			var err error
			if s, err = tx.PrepareContext(ctx, query); err != nil {
				return err
			}
			statements[query] = s
		}
		_, err := s.ExecContext(ctx, args...)
		return err
	}
	put := make([]any, 0, 4*putRows) // entries to be written, in one statement once they are many enough
	flush := func(most int) error {
		for len(put) >= 4*most {
			n := min(len(put)/4, putRows)
			if n < putRows {
				n = 1
			}
			if err := exec(putItems(n), put[:4*n]...); err != nil {
				return err
			}
			put = put[:copy(put, put[4*n:])]
			if len(put) == 0 {
				return nil
			}
		}
		return nil
	}
	for i := range changes {
		if progress != nil && i%1000 == 0 {
			progress(i, len(changes))
		}
		var err error
		switch c := &changes[i]; {
		case c.List == "":
		case c.Is < 0:
			err = exec("DELETE FROM item WHERE list = ? AND id = ?", c.List, c.ID)
		case c.After == nil:
			err = exec("UPDATE item SET position = ? WHERE list = ? AND id = ?", c.Is, c.List, c.ID)
		default:
			put = append(put, c.List, c.ID, c.Is, string(c.After))
			err = flush(putRows)
		}
		if err != nil {
			return err
		}
	}
	if err := flush(1); err != nil {
		return err
	}
	for _, s := range statements {
		if err := s.Close(); err != nil {
			return err
		}
	}
	return nil
}

// putRows is how many entries one statement writes where there are so many.
const putRows = 40

// putItems is the statement that writes so many entries.
func putItems(rows int) string {
	return "INSERT INTO item (list, id, position, body) VALUES " + strings.TrimSuffix(strings.Repeat("(?, ?, ?, ?), ", rows), ", ") +
		" ON CONFLICT (list, id) DO UPDATE SET position = excluded.position, body = excluded.body"
}
