package storage

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"syscall"
)

// ErrServed is the error of wanting a shop for oneself that is being served.
var ErrServed = errors.New("this shop is being served at the moment: stop that first")

// Lock says that a shop is in use, by many or by one alone, until it is closed. The system ends it with the process.
func Lock(dir string, alone bool) (io.Closer, error) {
	f, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	how := syscall.LOCK_SH
	if alone {
		how = syscall.LOCK_EX
	}
	if err := syscall.Flock(int(f.Fd()), how|syscall.LOCK_NB); err != nil {
		if errors.Is(err, syscall.EWOULDBLOCK) {
			err = ErrServed
			if !alone {
				err = errors.New("this shop is being restored at the moment")
			}
		}
		return nil, errors.Join(err, f.Close())
	}
	return f, nil
}

// check says whether a file is a whole database.
func check(ctx context.Context, path string) error {
	if _, err := os.Stat(path); err != nil {
		return err
	}
	db, err := sql.Open("sqlite", "file:"+(&url.URL{Path: path}).EscapedPath()+"?mode=ro")
	if err != nil {
		return err
	}
	defer db.Close()
	return sound(ctx, db)
}

// sound has SQLite look through the whole file.
func sound(ctx context.Context, db *sql.DB) error {
	rows, err := db.QueryContext(ctx, "PRAGMA quick_check(3)")
	if err != nil {
		return fmt.Errorf("this is not a whole SQLite database: %w", err)
	}
	defer rows.Close()
	var wrong []string
	for rows.Next() {
		var line string
		if err := rows.Scan(&line); err != nil {
			return err
		}
		if line != "ok" {
			wrong = append(wrong, line)
		}
	}
	if err := rows.Err(); err != nil {
		return fmt.Errorf("this is not a whole SQLite database: %w", err)
	}
	if len(wrong) > 0 {
		return fmt.Errorf("the database is damaged: %s", strings.Join(wrong, "; "))
	}
	return nil
}

// Check has SQLite look through the whole file and all of its indexes.
func (db *DB) Check(ctx context.Context) error {
	var said string
	if err := db.sql.QueryRowContext(ctx, "PRAGMA integrity_check").Scan(&said); err != nil {
		return err
	}
	if said != "ok" {
		return fmt.Errorf("the database is damaged: %s", said)
	}
	return nil
}
