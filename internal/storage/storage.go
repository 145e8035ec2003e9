// Package storage keeps a shop in an SQLite file: its draft, the Till's cart and destination, and the sample carts.
//
// Every change is one transaction, in the write-ahead log and synced to disk before it is answered (synchronous = FULL):
// what was said to be saved is there after the process is killed or the power goes.
package storage

import (
	"bytes"
	"context"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"

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

// lists are the lists of a store file that are kept as items.
var lists = []string{"locations", "classes", "products", "zones", "methods", "surcharges", "agreed"}

// Parts is a store file taken apart as it is kept: its settings, and the entries of each list, as JSON.
type Parts struct {
	file     *store.File
	settings json.RawMessage
	entries  map[string][]json.RawMessage
}

// Split takes a file apart; written is what the file's Write gives.
func Split(f *store.File, written []byte) (*Parts, error) {
	var whole map[string]json.RawMessage
	if err := json.Unmarshal(written, &whole); err != nil {
		return nil, err
	}
	p := &Parts{file: f, settings: whole["store"], entries: map[string][]json.RawMessage{}}
	for _, list := range lists {
		var entries []json.RawMessage
		if err := json.Unmarshal(whole[list], &entries); err != nil {
			return nil, err
		}
		for i := range entries {
			var b bytes.Buffer
			if err := json.Compact(&b, entries[i]); err != nil {
				return nil, err
			}
			entries[i] = b.Bytes()
		}
		p.entries[list] = entries
	}
	return p, nil
}

func idOf(f *store.File, list string, i int) string {
	switch list {
	case "locations":
		return f.Locations[i].ID
	case "classes":
		return f.Classes[i].ID
	case "products":
		return f.Products[i].SKU
	case "zones":
		return f.Zones[i].ID
	case "methods":
		return f.Methods[i].ID
	case "surcharges":
		return f.Surcharges[i].ID
	}
	return f.Agreed[i].ID
}

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
	rows, err := tx.QueryContext(ctx, "SELECT list, body FROM item ORDER BY list, position")
	if err != nil {
		return nil, 0, err
	}
	defer rows.Close()
	file := map[string]any{"format": store.Format, "store": json.RawMessage(settings)}
	byList := map[string][]json.RawMessage{}
	for rows.Next() {
		var list, body string
		if err := rows.Scan(&list, &body); err != nil {
			return nil, 0, err
		}
		byList[list] = append(byList[list], json.RawMessage(body))
	}
	if err := rows.Err(); err != nil {
		return nil, 0, err
	}
	for list, entries := range byList {
		file[list] = entries
	}
	data, err := json.Marshal(file)
	if err != nil {
		return nil, 0, err
	}
	f, faults := store.Read(data)
	if len(faults) > 0 {
		return nil, 0, fmt.Errorf("the draft in the database has faults: %w", faults)
	}
	return f, revision, nil
}

// Save replaces the draft before, of the given revision, with after, and returns the new revision. Only what differs is
// written. before is nil where there is no draft yet.
func (db *DB) Save(ctx context.Context, revision int64, before, after *Parts) (int64, error) {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return 0, err
	}
	defer tx.Rollback()
	if err := advance(ctx, tx, revision, string(after.settings), before == nil); err != nil {
		return 0, err
	}
	for _, list := range lists {
		if err := saveList(ctx, tx, list, before, after); err != nil {
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

func saveList(ctx context.Context, tx *sql.Tx, list string, before, after *Parts) error {
	type was struct {
		position int
		body     json.RawMessage
	}
	had := map[string]was{}
	if before != nil {
		for i, body := range before.entries[list] {
			had[idOf(before.file, list, i)] = was{i, body}
		}
	}
	now := after.entries[list]
	for i := range now {
		id := idOf(after.file, list, i)
		w, ok := had[id]
		delete(had, id)
		if ok && w.position == i && bytes.Equal(w.body, now[i]) {
			continue
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO item (list, id, position, body) VALUES (?, ?, ?, ?)
			ON CONFLICT (list, id) DO UPDATE SET position = excluded.position, body = excluded.body`, list, id, i, string(now[i])); err != nil {
			return err
		}
	}
	for id := range had {
		if _, err := tx.ExecContext(ctx, "DELETE FROM item WHERE list = ? AND id = ?", list, id); err != nil {
			return err
		}
	}
	return nil
}
