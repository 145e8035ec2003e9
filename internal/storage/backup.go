package storage

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"modernc.org/sqlite"
)

// Backups are kept in this folder beside the shop's file.
const backupFolder = "backups"

// How many backups are kept, and of how many bytes together: the oldest go, but never the newest few.
const (
	mostBackups     = 20
	mostBackupBytes = 1 << 30
	leastBackups    = 3
)

// Backup copies the shop while it is open, by SQLite's online backup, and says in its name why. What stands there under a backup's name
// is whole: it is written under another name first.
func (db *DB) Backup(ctx context.Context, why string) error {
	dir := filepath.Join(db.dir, backupFolder)
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	stamp := time.Now().UTC().Format("20060102T150405.000")
	name := filepath.Join(dir, stamp+"-"+why+".db")
	part := name + ".part"
	if err := db.copyTo(ctx, part); err != nil {
		return errors.Join(err, os.Remove(part))
	}
	if err := os.Rename(part, name); err != nil {
		return err
	}
	return rotate(dir)
}

func (db *DB) copyTo(ctx context.Context, path string) error {
	if err := private(path); err != nil {
		return err
	}
	conn, err := db.sql.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	if err := conn.Raw(func(driver any) error {
		source, ok := driver.(interface {
			NewBackup(string) (*sqlite.Backup, error)
		})
		if !ok {
			return errors.New("this driver makes no backups")
		}
		b, err := source.NewBackup(path)
		if err != nil {
			return err
		}
		for more := true; more; {
			if more, err = b.Step(-1); err != nil {
				return errors.Join(err, b.Finish())
			}
		}
		return b.Finish()
	}); err != nil {
		return err
	}
	f, err := os.OpenFile(path, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	return errors.Join(f.Sync(), f.Close())
}

// rotate keeps the newest backups.
func rotate(dir string) error {
	list, err := backups(dir)
	if err != nil {
		return err
	}
	var errs error
	var kept int
	var bytes int64
	for _, name := range slices.Backward(list) {
		path := filepath.Join(dir, name)
		info, err := os.Stat(path)
		if err != nil {
			errs = errors.Join(errs, err)
			continue
		}
		bytes += info.Size()
		if kept++; kept > mostBackups || kept > leastBackups && bytes > mostBackupBytes {
			errs = errors.Join(errs, os.Remove(path))
		}
	}
	return errs
}

// Backups lists the names of a shop's backups, the oldest first.
func Backups(dir string) ([]string, error) { return backups(filepath.Join(dir, backupFolder)) }

func backups(dir string) (list []string, err error) {
	entries, err := os.ReadDir(dir)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	for _, e := range entries {
		if strings.HasSuffix(e.Name(), ".db") {
			list = append(list, e.Name())
		}
	}
	slices.SortFunc(list, cmp.Compare[string])
	return list, err
}

// Restore puts a backup, by its name, in the place of a shop's file, which is kept beside the backups. A shop that is being served is left
// alone ([ErrServed]), and so is one whose backup is not whole.
func Restore(ctx context.Context, dir, backup string) error {
	lock, err := Lock(dir, true)
	if err != nil {
		return err
	}
	defer lock.Close()
	from := filepath.Join(dir, backupFolder, filepath.Base(backup))
	if err := check(ctx, from); err != nil {
		return fmt.Errorf("%s: %w", from, err)
	}
	body, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	path := filepath.Join(dir, Name)
	part := path + ".part"
	if err := os.WriteFile(part, body, 0o600); err != nil {
		return errors.Join(err, os.Remove(part))
	}
	aside := filepath.Join(dir, backupFolder, time.Now().UTC().Format("20060102T150405.000")+"-before-restoring")
	for _, suffix := range []string{"", "-wal", "-shm"} {
		if err := os.Rename(path+suffix, aside+".replaced"+suffix); err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
	}
	return os.Rename(part, path)
}
