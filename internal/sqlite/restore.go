package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"time"
)

// Restored says what became of the locks of a shop whose backup was put in its place: they are not turned back
// with it.
type Restored struct {
	Keys       []string // names of keys that hold in the backup and were revoked since: they stay revoked
	People     []string // who is active in the backup and was deactivated since: they stay so
	Unreadable bool     // what was in place could not be read, so nobody knows what was revoked since
}

// RestoreOptions say what of the locks is turned back.
type RestoreOptions struct {
	Locks bool // keys and people are those of the backup, also where they were revoked or deactivated since
}

// Restore puts a backup, by its name, in the place of a shop's file, which is kept beside the backups. Keys
// that were revoked since, people who were deactivated and events stay as they are now, unless the options say
// otherwise; everybody signs in anew. A shop that is being served is left alone ([ErrServed]), and so is one
// whose backup is not whole.
func Restore(ctx context.Context, dir, backup string, o RestoreOptions) (r Restored, err error) {
	if _, err := os.Stat(dir); err != nil {
		return r, err
	}
	lock, err := Lock(dir, "diadrom restore")
	if err != nil {
		return r, err
	}
	defer func() { err = errors.Join(err, lock.Close()) }()
	from := filepath.Join(dir, backupFolder, filepath.Base(backup))
	path := filepath.Join(dir, Name)
	part := path + ".part"
	defer func() {
		for _, suffix := range []string{"", "-wal", "-shm"} {
			if removeErr := os.Remove(part + suffix); removeErr != nil && !errors.Is(removeErr, os.ErrNotExist) {
				err = errors.Join(err, removeErr)
			}
		}
	}()
	if err := unpack(from, part); err != nil {
		return r, fmt.Errorf("%s: %w", from, err)
	}
	if err := check(ctx, part); err != nil {
		return r, fmt.Errorf("%s: %w", from, err)
	}
	if r, err = carryLocks(ctx, path, part, o); err != nil {
		return r, err
	}
	aside := filepath.Join(dir, backupFolder, time.Now().UTC().Format(stampFormat)+"-before-restoring")
	for _, suffix := range []string{"", "-wal", "-shm"} {
		if err := os.Rename(path+suffix, aside+".replaced"+suffix); err != nil && !errors.Is(err, os.ErrNotExist) {
			return r, err
		}
	}
	if err := os.Rename(part, path); err != nil {
		return r, err
	}
	return r, errors.Join(syncFolder(dir), syncFolder(filepath.Join(dir, backupFolder)))
}

// carryLocks brings what was revoked since into a backup that is about to be put in place, and what happened
// since into its events.
func carryLocks(ctx context.Context, now, then string, o RestoreOptions) (r Restored, err error) {
	next, err := sql.Open(
		"sqlite",
		"file:"+(&url.URL{Path: then}).EscapedPath()+"?_pragma=journal_mode(DELETE)&_pragma=synchronous(FULL)",
	)
	if err != nil {
		return r, err
	}
	defer func() { err = errors.Join(err, next.Close()) }()
	has := func(table string) (there bool) {
		return next.QueryRowContext(
			ctx,
			"SELECT count(*) > 0 FROM sqlite_schema WHERE type = 'table' AND name = ?",
			table,
		).Scan(&there) == nil &&
			there
	}
	if has("session") {
		if _, err := next.ExecContext(ctx, "DELETE FROM session"); err != nil {
			return r, err
		}
	}
	if _, err := os.Stat(now); errors.Is(err, os.ErrNotExist) {
		r.Unreadable = true
		return r, nil
	}
	if check(ctx, now) != nil {
		r.Unreadable = true
		return r, nil
	}
	if _, err := next.ExecContext(ctx, "ATTACH DATABASE ? AS now", now); err != nil {
		r.Unreadable = true
		return r, nil
	}
	nowHas := func(table string) (there bool) {
		return next.QueryRowContext(
			ctx,
			"SELECT count(*) > 0 FROM now.sqlite_schema WHERE type = 'table' AND name = ?",
			table,
		).Scan(&there) == nil &&
			there
	}
	names := func(query string) (list []string, err error) {
		rows, err := next.QueryContext(ctx, query)
		if err != nil {
			return nil, err
		}
		defer rows.Close()
		for rows.Next() {
			var name string
			if err := rows.Scan(&name); err != nil {
				return nil, err
			}
			list = append(list, name)
		}
		return list, rows.Err()
	}
	if has("api_key") && nowHas("api_key") {
		const revoked = "FROM now.api_key AS k WHERE k.hash = api_key.hash AND k.revoked_at <> ''"
		if r.Keys, err = names(
			"SELECT name FROM main.api_key WHERE revoked_at = '' AND EXISTS (SELECT 1 " + revoked + ")",
		); err != nil {
			return r, err
		}
		if r.People, err = names(
			"SELECT name FROM main.person WHERE active = 1 AND EXISTS (SELECT 1 FROM now.person AS p WHERE " +
				"p.id = person.id AND p.active = 0)",
		); err != nil {
			return r, err
		}
		if !o.Locks {
			if _, err := next.ExecContext(
				ctx,
				"UPDATE main.api_key SET revoked_at = (SELECT k.revoked_at "+revoked+") WHERE revoked_at = '' AND EXISTS (SELECT 1 "+revoked+")",
			); err != nil {
				return r, err
			}
			if _, err := next.ExecContext(
				ctx,
				"UPDATE main.person SET active = 0 WHERE active = 1 AND EXISTS (SELECT 1 FROM now.person AS p "+
					"WHERE p.id = person.id AND p.active = 0)",
			); err != nil {
				return r, err
			}
		}
	}
	if has("audit") && nowHas("audit") {
		if _, err := next.ExecContext(
			ctx,
			"INSERT INTO main.audit SELECT * FROM now.audit WHERE id > (SELECT coalesce(max(id), 0) FROM main.audit)",
		); err != nil {
			return r, err
		}
	}
	return r, nil
}
