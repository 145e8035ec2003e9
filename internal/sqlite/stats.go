package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"

	"github.com/pressly/goose/v3"
)

// Version gives the version of the tables of a shop's file, and the one that this program knows, without changing
// anything: what is read is not brought up to date.
func Version(ctx context.Context, dir string) (has, known int64, err error) {
	path := filepath.Join(dir, Name)
	if _, err := os.Stat(path); err != nil {
		return 0, 0, err
	}
	db, err := sql.Open("sqlite", "file:"+(&url.URL{Path: path}).EscapedPath()+"?mode=ro&_pragma=busy_timeout(5000)")
	if err != nil {
		return 0, 0, err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	if err := db.QueryRowContext(ctx, "SELECT max(version_id) FROM goose_db_version WHERE is_applied = 1").Scan(&has); err != nil {
		return 0, 0, err
	}
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return 0, 0, err
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, db, files)
	if err != nil {
		return 0, 0, err
	}
	sources := p.ListSources()
	return has, sources[len(sources)-1].Version, nil
}

// Handle is the database for those who count its connections; nothing is asked or changed through it.
func (db *DB) Handle() *sql.DB { return db.sql }

// Sizes are the bytes of the database's file and of its write-ahead log, 0 where one is not there.
func (db *DB) Sizes() (database, wal int64) {
	of := func(name string) int64 {
		info, err := os.Stat(name)
		if err != nil {
			return 0
		}
		return info.Size()
	}
	name := filepath.Join(db.dir, Name)
	return of(name), of(name + "-wal")
}

// Dir is the folder of the shop.
func (db *DB) Dir() string { return db.dir }
