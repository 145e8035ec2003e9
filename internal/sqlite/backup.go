package sqlite

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"time"

	"filippo.io/age"
	"github.com/gofrs/flock"
	"github.com/klauspost/compress/zstd"
	"modernc.org/sqlite"
)

// Backups are kept in this folder beside the shop's file.
const backupFolder = "backups"

// Which backups are kept: all of today, the last of each day of a month, the last of each month before; where
// they have more bytes than maxBackupBytes together the oldest go, but never the newest few.
const (
	maxBackupDays  = 31
	maxBackupBytes = 4 << 30
	minBackups     = 3
)

// backupName is how a backup is called: its number, the moment in UTC, and why it was made. Those of earlier
// versions had no number and were not compressed. One that rests on another names its number.
var backupName = regexp.MustCompile(
	`^(?:([0-9]{6,})-)?([0-9]{8}T[0-9]{6})\.[0-9]{3}-(.+?)(?:\.on-([0-9]{6,})\.db\.diff|\.db)(\.zst)?(\.age)?$`)

const stampFormat = "20060102T150405.000"

// backup is a backup by its name.
type backup struct {
	name   string
	number int64 // counts up, whatever the clock says; 0 for those of earlier versions
	at     time.Time
	on     int64 // the number of the backup on which it rests; 0 for a whole one

	encrypted bool
}

func parseBackup(name string) (backup, bool) {
	m := backupName.FindStringSubmatch(name)
	if m == nil {
		return backup{}, false
	}
	b := backup{name: name, encrypted: m[6] != ""}
	if m[4] != "" {
		n, err := strconv.ParseInt(m[4], 10, 64)
		if err != nil {
			return backup{}, false
		}
		b.on = n
	}
	if m[1] != "" {
		n, err := strconv.ParseInt(m[1], 10, 64)
		if err != nil {
			return backup{}, false
		}
		b.number = n
	}
	at, err := time.Parse("20060102T150405", m[2])
	b.at = at
	return b, err == nil
}

// Backup copies the shop while it is open, by SQLite's online backup, compresses the copy and says in its name
// why. What stands there under a backup's name is whole and on the disk: it is written and synced under another
// name first, and so is the folder then.
func (db *DB) Backup(ctx context.Context, why string) error {
	release, err := db.alone(ctx)
	if err != nil {
		return err
	}
	defer release()
	return db.backup(ctx, why, false)
}

// backupWithin is how long somebody else's backup of the same shop is waited for.
const backupWithin = time.Minute

// alone has nobody else make a backup of the shop, in this process or in another: each has a number of its own.
func (db *DB) alone(ctx context.Context) (release func(), err error) {
	db.backups.Lock()
	lock := flock.New(filepath.Join(db.dir, "backups.lock"), flock.SetFlag(os.O_CREATE|os.O_RDWR),
		flock.SetPermissions(0o600))
	ctx, stop := context.WithTimeout(ctx, backupWithin)
	defer stop()
	ok, err := lock.TryLockContext(ctx, 20*time.Millisecond)
	if err == nil && !ok {
		err = errors.New("another process makes a backup of this shop")
	}
	if err != nil {
		db.backups.Unlock()
		return nil, err
	}
	return func() {
		lock.Unlock() //nolint:errcheck // the system ends it with the process
		db.backups.Unlock()
	}, nil
}

// backupsSoFar gives the folder of backups, which is made where it is missing, with those that are there and the key
// with which they are encrypted, nil for none.
func (db *DB) backupsSoFar() (dir string, list []backup, identity *age.X25519Identity, err error) {
	dir = filepath.Join(db.dir, backupFolder)
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", nil, nil, err
	}
	if list, err = backups(dir); err != nil {
		return "", nil, nil, err
	}
	identity, err = backupKey(filepath.Join(db.dir, BackupKeyName))
	return dir, list, identity, err
}

// backup is Backup; where it is to be a base of others it has the sums of its blocks beside it.
func (db *DB) backup(ctx context.Context, why string, base bool) (err error) {
	dir, list, identity, err := db.backupsSoFar()
	if err != nil {
		return err
	}
	name := nextName(dir, list, why+".db.zst", identity)
	raw, packed := name+".raw.part", name+".part"
	defer func() {
		for _, part := range []string{raw, packed} {
			if removeErr := os.Remove(part); removeErr != nil && !errors.Is(removeErr, os.ErrNotExist) {
				err = errors.Join(err, removeErr)
			}
		}
	}()
	if err := db.copyTo(ctx, raw); err != nil {
		return err
	}
	if err := pack(raw, packed, identity); err != nil {
		return err
	}
	if base {
		if err := keepSums(raw, name+sumsSuffix, identity); err != nil {
			return err
		}
	}
	if err := os.Rename(packed, name); err != nil {
		return err
	}
	if err := syncFolder(dir); err != nil {
		return err
	}
	return thin(dir, time.Now().UTC())
}

// BackupAfter makes a backup where the last one is so old, or there is none.
func (db *DB) BackupAfter(ctx context.Context, why string, age time.Duration) error {
	list, err := backups(filepath.Join(db.dir, backupFolder))
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	now := time.Now()
	for _, b := range list {
		if since := now.Sub(b.at); since >= 0 && since < age {
			return nil
		}
	}
	return db.BackupChanges(ctx, why)
}

// pack compresses a file, encrypts it where there is a key, and syncs it.
func pack(from, to string, identity *age.X25519Identity) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	return packed(to, identity, func(out io.Writer) error {
		_, err := io.Copy(out, in)
		return err
	})
}

// keepSums writes the sums of a database's blocks to a file.
func keepSums(from, to string, identity *age.X25519Identity) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	sums, err := blockSums(in, blockSum(identity))
	if err != nil {
		return err
	}
	return os.WriteFile(to, sums, 0o600)
}

// unpack writes a backup's database to a file and syncs it.
func unpack(from, to string) error {
	if b, ok := parseBackup(filepath.Base(from)); ok && b.on != 0 {
		return unpackDiff(from, to, b.on)
	}
	return reading(from, func(body io.Reader) error {
		out, err := os.OpenFile(to, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
		if err != nil {
			return err
		}
		_, err = io.Copy(out, body)
		if err != nil {
			err = fmt.Errorf("this backup is damaged: %w", err)
		}
		return errors.Join(err, out.Sync(), out.Close())
	})
}

// reading has the content of a backup's file be read, decrypted and decompressed.
func reading(from string, read func(io.Reader) error) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	identity, err := backupKey(filepath.Join(filepath.Dir(filepath.Dir(from)), BackupKeyName))
	if err != nil {
		return err
	}
	body, err := decrypted(in, from, identity)
	if err != nil {
		return err
	}
	if strings.HasSuffix(strings.TrimSuffix(from, ".age"), ".zst") {
		z, err := zstd.NewReader(body, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(1<<30))
		if err != nil {
			return err
		}
		defer z.Close()
		body = z
	}
	return read(body)
}

// syncFolder has what was renamed in a folder be so after the power goes.
func syncFolder(dir string) error {
	if runtime.GOOS == "windows" { // which writes renames through by itself, and cannot sync a folder
		return nil
	}
	f, err := os.Open(dir)
	if err != nil {
		return err
	}
	return errors.Join(f.Sync(), f.Close())
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
	return conn.Raw(func(driver any) error {
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
	})
}

// thin removes the backups that are not kept. A clock that was wrong removes none of the newest: which those
// are is told by their numbers, and one that is dated after now counts as of today.
func thin(dir string, now time.Time) error {
	list, err := backups(dir)
	if err != nil {
		return err
	}
	today := now.Truncate(24 * time.Hour)
	seen, needed := map[string]bool{}, map[int64]bool{}
	kept := 0
	var bytes int64
	var errs error
	for _, b := range slices.Backward(list) {
		path := filepath.Join(dir, b.name)
		info, err := os.Stat(path)
		if err != nil {
			errs = errors.Join(errs, err)
			continue
		}
		slot := b.at.Format("month 2006-01")
		switch age := today.Sub(b.at.Truncate(24 * time.Hour)); {
		case age <= 0:
			slot = b.name
		case age <= maxBackupDays*24*time.Hour:
			slot = b.at.Format("day 2006-01-02")
		}
		bytes += info.Size()
		if kept >= minBackups && (seen[slot] || bytes > maxBackupBytes) && !(b.on == 0 && needed[b.number]) {
			errs = errors.Join(errs, os.Remove(path))
			if err := os.Remove(path + sumsSuffix); err != nil && !errors.Is(err, os.ErrNotExist) {
				errs = errors.Join(errs, err)
			}
			bytes -= info.Size()
			continue
		}
		seen[slot], needed[b.on] = true, true
		kept++
	}
	return errs
}

// Backups lists the names of a shop's backups, the oldest first.
func Backups(dir string) (names []string, err error) {
	list, err := backups(filepath.Join(dir, backupFolder))
	for _, b := range list {
		names = append(names, b.name)
	}
	return names, err
}

// Backup is a backup of a shop.
type Backup struct {
	Name string
	At   time.Time
	Size int64
}

// LastBackup gives the newest backup of a shop, and how many there are; the zero Backup where there is none.
func LastBackup(dir string) (last Backup, count int, err error) {
	list, err := backups(filepath.Join(dir, backupFolder))
	if err != nil || len(list) == 0 {
		return last, 0, err
	}
	b := list[len(list)-1]
	info, err := os.Stat(filepath.Join(dir, backupFolder, b.name))
	if err != nil {
		return last, len(list), err
	}
	return Backup{b.name, b.at, info.Size()}, len(list), nil
}

// Unpack writes the database of a backup, by its name, into an empty folder, from which it is opened as a shop.
func Unpack(dir, backup, into string) error {
	return unpack(filepath.Join(dir, backupFolder, filepath.Base(backup)), filepath.Join(into, Name))
}

func backups(dir string) (list []backup, err error) {
	entries, err := os.ReadDir(dir)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	for _, e := range entries {
		if b, ok := parseBackup(e.Name()); ok {
			list = append(list, b)
		}
	}
	slices.SortFunc(list, func(x, y backup) int {
		return cmp.Or(cmp.Compare(x.number, y.number), x.at.Compare(y.at), cmp.Compare(x.name, y.name))
	})
	return list, err
}

// Tidy removes what a process that was killed left half written. Whoever calls it has the shop for themselves.
func Tidy(dir string) error {
	var errs error
	backups := filepath.Join(dir, backupFolder)
	for _, pattern := range []string{
		filepath.Join(dir, "*.part"), filepath.Join(backups, "*.part"), filepath.Join(backups, "*.part-*"),
	} {
		names, err := filepath.Glob(pattern)
		errs = errors.Join(errs, err)
		for _, name := range names {
			errs = errors.Join(errs, os.Remove(name))
		}
	}
	tests, err := filepath.Glob(filepath.Join(dir, RestoreTests))
	errs = errors.Join(errs, err)
	for _, name := range tests {
		errs = errors.Join(errs, os.RemoveAll(name))
	}
	return errs
}

// RestoreTests is the pattern of the folders in which backups are restored for a test.
const RestoreTests = "restore-test-*"
