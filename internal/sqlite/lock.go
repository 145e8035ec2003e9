package sqlite

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/gofrs/flock"
)

// ErrServed is the error of wanting a shop for oneself that is in use.
var ErrServed = errors.New("this shop is in use")

// Held is a shop that somebody has for themselves. The system ends that with the process.
type Held struct {
	lock *flock.Flock
	path string
}

// Lock takes a shop's folder for oneself: a second server would quote old prices and take keys that were
// revoked. Where another process has it the error is [ErrServed], with what that process says of itself. holder
// is what this one says.
func Lock(dir, holder string) (*Held, error) {
	h := &Held{
		flock.New(filepath.Join(dir, "lock"), flock.SetFlag(os.O_CREATE|os.O_RDWR), flock.SetPermissions(0o600)),
		filepath.Join(dir, "lock"),
	}
	ok, err := h.lock.TryLock()
	if err != nil {
		return nil, err
	}
	if !ok {
		said, _ := os.ReadFile(h.path)
		return nil, fmt.Errorf(
			"%w: %s has %s; stop that first",
			ErrServed,
			cmp.Or(strings.TrimSpace(string(said)), "another process"),
			dir,
		)
	}
	return h, h.Say(holder)
}

// Say keeps what the holder is, for those who want the shop too.
func (h *Held) Say(holder string) error {
	return os.WriteFile(
		h.path,
		fmt.Appendf(nil, "%s (process %d, since %s)\n", holder, os.Getpid(), time.Now().UTC().Format(time.RFC3339)),
		0o600,
	)
}

// Close gives the shop back.
func (h *Held) Close() error {
	return errors.Join(os.Truncate(h.path, 0), h.lock.Unlock())
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
