// Package sqlite keeps a shop in an SQLite file: its draft, the Till's cart and destination, and the sample carts.
//
// Every change is one transaction, in the write-ahead log and synced to disk before it is answered (synchronous
// = FULL): what was said to be saved is there after the process is killed or the power goes.
package sqlite

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"hash/crc32"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"

	"diadrom/internal/core/store"

	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the driver, without cgo
)

//go:embed migrations/*.sql
var migrations embed.FS

// Name is the file's name within a shop's folder.
const Name = "diadrom.db"

// ErrConflict is returned when another edit changed the draft in the meantime.
var ErrConflict = errors.New("the draft was changed elsewhere meanwhile")

// DB is an open shop.
type DB struct {
	sql     *sql.DB
	dir     string
	samples sync.Mutex // held while samples are read, changed and saved
	backups sync.Mutex // held while a backup is made: each has a number of its own
}

// Open opens the shop in a folder, which it makes where it is missing, and brings its tables up to date. A new
// shop is empty.
func Open(ctx context.Context, dir string) (*DB, error) {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	return openWith(ctx, dir, files)
}

// openWith is Open of a program that knows some migrations.
func openWith(ctx context.Context, dir string, known fs.FS) (*DB, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	if err := lost(dir); err != nil {
		return nil, err
	}
	if err := private(filepath.Join(dir, Name)); err != nil {
		return nil, err
	}
	query := url.Values{"_txlock": {"immediate"}, "_pragma": {
		"busy_timeout(5000)", "journal_mode(WAL)", "foreign_keys(1)", "synchronous(FULL)"}}
	db, err := sql.Open(
		"sqlite",
		"file:"+(&url.URL{Path: filepath.Join(dir, Name)}).EscapedPath()+"?"+query.Encode(),
	)
	if err != nil {
		return nil, err
	}
	db.SetMaxOpenConns(4)
	shop := &DB{sql: db, dir: dir}
	if err := shop.migrate(ctx, known); err != nil {
		return nil, errors.Join(fmt.Errorf("%s: %w", filepath.Join(dir, Name), err), db.Close())
	}
	return shop, nil
}

// lost refuses a folder whose database is gone, though there are backups of it: to begin again there would lose
// the shop without a word.
func lost(dir string) error {
	if _, err := os.Stat(filepath.Join(dir, Name)); !errors.Is(err, os.ErrNotExist) {
		return err
	}
	list, err := backups(filepath.Join(dir, backupFolder))
	if err == nil && len(list) > 0 {
		err = fmt.Errorf(
			"%s is gone from %s, where there are %d backups of it: put one in place with diadrom restore, or "+
				"move the folder %s away to begin anew",
			Name,
			dir,
			len(list),
			backupFolder,
		)
	}
	return err
}

// private has a file that SQLite keeps, made here where it is missing, and what it keeps beside it be read by
// nobody else: they hold hashes of passphrases and keys. SQLite gives the files beside it the same mode.
func private(path string) error {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return err
	}
	if err := f.Close(); err != nil {
		return err
	}
	for _, suffix := range []string{"", "-wal", "-shm"} {
		if err := os.Chmod(path+suffix, 0o600); err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
	}
	return nil
}

// migrate checks the file and brings its tables up to date, after a backup where there is something to lose. A
// damaged or a later file is left as it is.
func (db *DB) migrate(ctx context.Context, files fs.FS) error {
	if err := sound(ctx, db.sql); err != nil {
		return fmt.Errorf("%w; it is left as it is: restore a backup with diadrom restore", err)
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, db.sql, files)
	if err != nil {
		return err
	}
	has, known, err := versions(ctx, p)
	if err != nil {
		return err
	}
	if has > known {
		return fmt.Errorf(
			"this shop was written by a later version of Diadrom (%d, this one knows %d); it is left as it is",
			has,
			known,
		)
	}
	if has > 0 && has < known {
		if err := db.Backup(ctx, fmt.Sprintf("before-version-%d", known)); err != nil {
			return fmt.Errorf("no backup could be made, so nothing was changed: %w", err)
		}
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

// Loaded is a draft as it is kept.
type Loaded struct {
	File     *store.File // nil where there is none
	Revision int64       // counts edits
	State    int64       // the same for revisions of the same content
}

// Load reads the draft.
func (db *DB) Load(ctx context.Context) (Loaded, error) {
	tx, err := db.sql.BeginTx(ctx, &sql.TxOptions{ReadOnly: true})
	if err != nil {
		return Loaded{}, err
	}
	defer tx.Rollback()
	var settings, sum string
	var l Loaded
	err = tx.QueryRowContext(ctx, "SELECT settings, revision, state, sum FROM draft").Scan(
		&settings,
		&l.Revision,
		&l.State,
		&sum,
	)
	if errors.Is(err, sql.ErrNoRows) {
		return Loaded{}, nil
	}
	if err != nil {
		return Loaded{}, err
	}
	if sum != "" && sum != sumOf(settings) {
		return Loaded{}, fmt.Errorf("the settings of the draft: %w", ErrDamaged)
	}
	rows, err := tx.QueryContext(ctx, "SELECT list, id, body, sum FROM item ORDER BY list, position")
	if err != nil {
		return Loaded{}, err
	}
	defer rows.Close()
	parts := &store.Parts{Settings: []byte(settings), Lists: map[string][]store.Entry{}}
	for rows.Next() {
		var list, id, body string
		if err := rows.Scan(&list, &id, &body, &sum); err != nil {
			return Loaded{}, err
		}
		if sum != "" && sum != sumOf(list, id, body) {
			return Loaded{}, fmt.Errorf("%s of the draft, %q: %w", list, id, ErrDamaged)
		}
		parts.Lists[list] = append(parts.Lists[list], store.Entry{ID: id, Body: []byte(body)})
	}
	if err := rows.Err(); err != nil {
		return Loaded{}, err
	}
	f, faults := parts.Join()
	l.File = f
	if len(faults) > 0 {
		return Loaded{}, fmt.Errorf("the draft in the database has faults: %w", faults)
	}
	return l, nil
}

// Save replaces the draft before, of the given revision, with after, and returns the new revision. Only what
// differs is written, and what it was is kept in the history. before is nil where there is no draft yet.
func (db *DB) Save(ctx context.Context, revision int64, before, after *store.Parts, e Edit) (int64, error) {
	changes := after.Changes(before)
	remembered := encode(changes) // while the entries are written
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return 0, err
	}
	defer tx.Rollback()
	if e.State == 0 {
		e.State = revision + 1
	}
	n := counted{Revision: revision + 1, After: e.State}
	n.Before, err = advance(ctx, tx, n, string(after.Settings), before == nil)
	if err != nil {
		return 0, err
	}
	if err := write(ctx, tx, changes); err != nil {
		return 0, err
	}
	if before != nil {
		if err := remember(ctx, tx, n, remembered, e); err != nil {
			return 0, err
		}
	}
	return revision + 1, tx.Commit()
}

// counted is an edit by the revision that it makes, and the states before and after it.
type counted struct{ Revision, Before, After int64 }

// advance counts an edit and gives the state before it.
func advance(ctx context.Context, tx *sql.Tx, n counted, settings string, first bool) (was int64, err error) {
	var result sql.Result
	if first {
		result, err = tx.ExecContext(
			ctx,
			"INSERT INTO draft (id, revision, settings, state, sum) VALUES (1, ?, ?, ?, ?) ON CONFLICT DO NOTHING",
			n.Revision,
			settings,
			n.After,
			sumOf(settings),
		)
	} else {
		if err := tx.QueryRowContext(ctx, "SELECT state FROM draft").Scan(&was); err != nil {
			return 0, err
		}
		result, err = tx.ExecContext(
			ctx,
			"UPDATE draft SET revision = revision + 1, settings = ?, state = ?, sum = ? WHERE revision = ?",
			settings,
			n.After,
			sumOf(settings),
			n.Revision-1,
		)
	}
	if err != nil {
		return 0, err
	}
	changed, err := result.RowsAffected()
	if err == nil && changed == 0 {
		err = ErrConflict
	}
	return was, err
}

type progressKey struct{}

// WithProgress has Save tell how many of how many changes are written, now and then.
func WithProgress(ctx context.Context, told func(done, total int)) context.Context {
	return context.WithValue(ctx, progressKey{}, told)
}

func write(ctx context.Context, tx *sql.Tx, changes []store.Change) error {
	progress, _ := ctx.Value(progressKey{}).(func(done, total int))
	w := writer{ctx: ctx, tx: tx, statements: map[string]*sql.Stmt{}, put: make([]any, 0, putColumns*putRows)}
	for i := range changes {
		if progress != nil && i%1000 == 0 {
			progress(i, len(changes))
		}
		var err error
		switch c := &changes[i]; {
		case c.List == "":
		case c.Is < 0:
			err = w.exec("DELETE FROM item WHERE list = ? AND id = ?", c.List, c.ID)
		case c.After == nil:
			err = w.exec("UPDATE item SET position = ? WHERE list = ? AND id = ?", c.Is, c.List, c.ID)
		default:
			w.put = append(w.put, c.List, c.ID, c.Is, string(c.After), sumOf(c.List, c.ID, string(c.After)))
			err = w.flush(putRows)
		}
		if err != nil {
			return err
		}
	}
	if err := w.flush(1); err != nil {
		return err
	}
	return w.close()
}

// writer writes entries in statements that are prepared once.
type writer struct {
	ctx        context.Context
	tx         *sql.Tx
	statements map[string]*sql.Stmt
	put        []any // entries to be written, in one statement once they are many enough
}

func (w *writer) exec(query string, args ...any) error {
	s := w.statements[query]
	if s == nil {
		var err error
		if s, err = w.tx.PrepareContext(w.ctx, query); err != nil {
			return err
		}
		w.statements[query] = s
	}
	_, err := s.ExecContext(w.ctx, args...)
	return err
}

// flush writes entries while there are at least as many as most.
func (w *writer) flush(most int) error {
	for len(w.put) >= putColumns*most {
		n := min(len(w.put)/putColumns, putRows)
		if n < putRows {
			n = 1
		}
		if err := w.exec(putItems(n), w.put[:putColumns*n]...); err != nil {
			return err
		}
		w.put = w.put[:copy(w.put, w.put[putColumns*n:])]
		if len(w.put) == 0 {
			return nil
		}
	}
	return nil
}

func (w *writer) close() error {
	for _, s := range w.statements {
		if err := s.Close(); err != nil {
			return err
		}
	}
	return nil
}

// ErrDamaged is returned when content is not what was written.
var ErrDamaged = errors.New(
	"it is not what was saved, a part of the disk is damaged: restore a backup with diadrom restore",
)

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

// sumOf is the CRC-32C of some texts, which tells a bit that flipped on the disk.
func sumOf(texts ...string) string {
	sum := uint32(0)
	for _, text := range texts {
		sum = crc32.Update(sum, castagnoli, []byte(text))
		sum = crc32.Update(sum, castagnoli, []byte{0})
	}
	return strconv.FormatUint(uint64(sum), 16)
}

// putColumns is how many values an entry is written with.
const putColumns = 5

// putRows is how many entries one statement writes where there are so many.
const putRows = 40

// putItems is the statement that writes so many entries.
func putItems(rows int) string {
	return "INSERT INTO item (list, id, position, body, sum) VALUES " + strings.TrimSuffix(
		strings.Repeat("(?, ?, ?, ?, ?), ", rows),
		", ",
	) +
		" ON CONFLICT (list, id) DO UPDATE SET position = excluded.position, body = excluded.body, sum = excluded.sum"
}
