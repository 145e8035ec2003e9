package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"diadrom/internal/auth"
)

// Restored says what became of the locks of a shop whose backup was put in its place: they are not turned back
// with it.
type Restored struct {
	Keys       []string // names of keys that hold in the backup and were revoked since: they stay revoked
	People     []string // who is active in the backup and was deactivated since: they stay so
	Scheduled  []string // editions that wait in the backup, by their numbers: they were called off
	Unreadable bool     // what was in place could not be read, so nobody knows what was revoked since
	Nothing    bool     // nothing was in place, so nobody knows it either
	Paused     int64    // webhooks that were paused, where nothing was in place: another machine may be the shop still
	Next       int64    // the number of the next edition
	Version    int64    // of the tables of the backup
	Known      int64    // of the tables that this program makes of them when it is started
}

// RestoreOptions say what of the locks is turned back.
type RestoreOptions struct {
	Locks bool // keys and people are those of the backup, also where they were revoked or deactivated since
}

// Restore puts a backup, by its name, in the place of a shop's file, which is kept beside the backups. Keys
// that were revoked since, people who were deactivated and events stay as they are now, unless the options say
// otherwise; everybody signs in again. A shop that is being served is left alone ([ErrServed]), and so is one
// whose backup is not whole. The backup's tables stay of the version that they have, so that an earlier program may be
// started with them.
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
	now := filepath.Join(dir, Name)
	part := now + ".part"
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
	if r, err = carryLocks(ctx, now, part, filepath.Base(backup), o); err != nil {
		return r, err
	}
	aside := filepath.Join(dir, backupFolder, time.Now().UTC().Format(stampFormat)+"-before-restoring")
	for _, suffix := range []string{"", "-wal", "-shm"} {
		if err := os.Rename(now+suffix, aside+".replaced"+suffix); err != nil && !errors.Is(err, os.ErrNotExist) {
			return r, err
		}
	}
	if err := os.Rename(part, now); err != nil {
		return r, err
	}
	return r, errors.Join(restoreKey(dir), syncFolder(dir), syncFolder(filepath.Join(dir, backupFolder)))
}

// carryLocks brings what was revoked since into a backup that is about to be put in place, and what happened
// since into its events and notices.
func carryLocks(ctx context.Context, now, then, backup string, o RestoreOptions) (r Restored, err error) {
	next, err := sql.Open(
		"sqlite",
		"file:"+(&url.URL{Path: then}).EscapedPath()+"?_pragma=journal_mode(DELETE)&_pragma=synchronous(FULL)",
	)
	if err != nil {
		return r, err
	}
	next.SetMaxOpenConns(1) // what is attached is attached to one connection
	defer func() { err = errors.Join(err, next.Close()) }()
	b := backupBeside{ctx, next}
	if r.Version, r.Known, err = b.versions(); err != nil {
		return r, err
	}
	if b.has("main", "scheduled") {
		if r.Scheduled, err = b.callOff(); err != nil {
			return r, err
		}
	}
	if b.has("main", "session") {
		if err := b.do("DELETE FROM session"); err != nil {
			return r, err
		}
	}
	if _, err := os.Stat(now); errors.Is(err, os.ErrNotExist) {
		r.Nothing = true
	} else if check(ctx, now) != nil || b.do("ATTACH DATABASE ? AS now", now) != nil {
		r.Unreadable = true
	} else if err := b.carry(&r, o); err != nil {
		return r, err
	}
	if r.Nothing && b.has("main", "webhook") {
		result, err := b.sql.ExecContext(ctx, "UPDATE main.webhook SET paused = ? WHERE paused = ''",
			"a backup was restored here, and another machine may be the shop still")
		if err != nil {
			return r, err
		}
		if r.Paused, err = result.RowsAffected(); err != nil {
			return r, err
		}
	}
	if r.Next, err = b.giveNoNumberTwice(filepath.Dir(now), !r.Nothing && !r.Unreadable); err != nil {
		return r, err
	}
	if b.has("main", "noticed") { // programs are told what is live, whatever they were told before
		if err := b.do("UPDATE main.noticed SET turn = -1, revision = coalesce((SELECT revision FROM draft), 0)"); err != nil {
			return r, err
		}
	}
	if b.has("main", "audit") {
		err = b.do("INSERT INTO main.audit (at, event, person, name, address, detail) VALUES "+
			"(strftime('%Y-%m-%dT%H:%M:%SZ', 'now'), ?, 0, '', '', ?)", string(auth.Restored), backup)
	}
	return r, err
}

// carry brings what must not be turned back from the database in place into the backup.
func (b backupBeside) carry(r *Restored, o RestoreOptions) (err error) {
	if b.both("api_key") {
		if r.Keys, r.People, err = b.revoked(); err != nil {
			return err
		}
		if !o.Locks {
			if err := b.revoke(); err != nil {
				return err
			}
		}
	}
	if b.both("factor") && !o.Locks {
		if err := b.factors(); err != nil {
			return err
		}
	}
	if b.both("signing_key") {
		// What was held since the backup still holds; the keys of the backup sign no more.
		if err := b.do("UPDATE main.signing_key SET retired_at = strftime('%Y-%m-%dT%H:%M:%SZ', 'now'), sealed = '' WHERE " +
			"retired_at = '' AND EXISTS (SELECT 1 FROM now.signing_key WHERE retired_at = '')"); err != nil {
			return err
		}
		if err := b.take("signing_key", ""); err != nil {
			return err
		}
	}
	if b.both("audit") {
		if err := b.take("audit", "WHERE id > (SELECT coalesce(max(id), 0) FROM main.audit)"); err != nil {
			return err
		}
	}
	if b.both("webhook") { // what was sent was sent, and where nothing is sent any more, nothing is
		for _, table := range []string{"delivery", "webhook"} {
			if err := b.do("DELETE FROM main." + table); err != nil {
				return err
			}
		}
		for _, table := range []string{"webhook", "delivery"} {
			if err := b.take(table, ""); err != nil {
				return err
			}
		}
	}
	if b.both("notice") {
		if err := b.take("notice", "WHERE id > (SELECT coalesce(max(id), 0) FROM main.notice)"); err != nil {
			return err
		}
		return b.do("UPDATE main.sqlite_sequence SET seq = max(seq, coalesce((SELECT seq FROM now.sqlite_sequence AS n WHERE " +
			"n.name = sqlite_sequence.name), 0)) WHERE name = 'notice'")
	}
	return nil
}

// take copies rows of a table that is now in place, in the columns that both have: a backup may be of another version.
func (b backupBeside) take(table, where string) error {
	columns, err := b.names("SELECT name FROM pragma_table_info('" + table + "', 'main') WHERE name IN " +
		"(SELECT name FROM pragma_table_info('" + table + "', 'now'))")
	if err != nil {
		return err
	}
	list := `"` + strings.Join(columns, `", "`) + `"`
	return b.do("INSERT OR REPLACE INTO main." + table + " (" + list + ") SELECT " + list + " FROM now." + table + " " +
		where)
}

// versions are that of the backup's tables, and that which this program makes of them.
func (b backupBeside) versions() (has, known int64, err error) {
	files, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil {
		return 0, 0, err
	}
	last := path.Base(files[len(files)-1])
	if known, err = strconv.ParseInt(last[:5], 10, 64); err != nil {
		return 0, 0, err
	}
	err = b.sql.QueryRowContext(b.ctx, "SELECT coalesce(max(version_id), 0) FROM goose_db_version").Scan(&has)
	return has, known, err
}

// backupBeside is a backup, "main", with the database in whose place it is put, "now".
type backupBeside struct {
	ctx context.Context
	sql *sql.DB
}

func (b backupBeside) do(query string, args ...any) error {
	_, err := b.sql.ExecContext(b.ctx, query, args...)
	return err
}

// has says whether one of the two has a table.
func (b backupBeside) has(schema, table string) (there bool) {
	query := "SELECT count(*) > 0 FROM " + schema + ".sqlite_schema WHERE type = 'table' AND name = ?"
	return b.sql.QueryRowContext(b.ctx, query, table).Scan(&there) == nil && there
}

// both says whether both have a table.
func (b backupBeside) both(table string) bool { return b.has("main", table) && b.has("now", table) }

func (b backupBeside) names(query string) ([]string, error) { return namesOf(b.ctx, b.sql, query) }

// What was revoked, and who was deactivated, since the backup.
const (
	keyRevoked  = "FROM now.api_key AS k WHERE k.hash = api_key.hash AND k.revoked_at <> ''"
	deactivated = "active = 1 AND EXISTS (SELECT 1 FROM now.person AS p WHERE p.id = person.id AND p.active = 0)"
)

// revoked names the keys and the people that hold in the backup, and no more now.
func (b backupBeside) revoked() (keys, people []string, err error) {
	keys, err = b.names("SELECT name FROM main.api_key WHERE revoked_at = '' AND EXISTS (SELECT 1 " + keyRevoked + ")")
	if err != nil {
		return nil, nil, err
	}
	people, err = b.names("SELECT name FROM main.person WHERE " + deactivated)
	return keys, people, err
}

// revoke has them not hold in the backup either.
func (b backupBeside) revoke() error {
	err := b.do("UPDATE main.api_key SET revoked_at = (SELECT k.revoked_at " + keyRevoked + ") " +
		"WHERE revoked_at = '' AND EXISTS (SELECT 1 " + keyRevoked + ")")
	if err != nil {
		return err
	}
	return b.do("UPDATE main.person SET active = 0 WHERE " + deactivated)
}

// factors has people sign in with the second factors that they have now: a backup is no way round one that was added
// since, and codes that were used stay used.
func (b backupBeside) factors() error {
	for _, table := range []string{"factor", "recovery"} {
		if err := b.do("DELETE FROM main." + table); err != nil {
			return err
		}
		if err := b.take(table, "WHERE person IN (SELECT id FROM main.person)"); err != nil {
			return err
		}
	}
	return nil
}

// callOff has no edition go live by itself in a shop that was turned back: its owner asked for what was live then.
func (b backupBeside) callOff() (editions []string, err error) {
	editions, err = b.names("SELECT CAST(edition AS TEXT) FROM main.scheduled WHERE state IN ('waiting', 'live') " +
		"ORDER BY at")
	if err != nil {
		return nil, err
	}
	return editions, b.do("UPDATE main.scheduled SET state = 'called off' WHERE state IN ('waiting', 'live')")
}
