package sqlite

import (
	"context"
	"crypto/rand"
	"database/sql"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/store"

	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAnEditionIsKeptForGood(t *testing.T) {
	ctx := context.Background()
	db := opened(t, t.TempDir())
	_, err := save(t, db, 0, nil, shop(t, 1))
	require.NoError(t, err)
	l, err := db.Live(ctx)
	require.NoError(t, err)
	assert.Zero(t, l, "nothing is live at first")
	l, err = db.Publish(ctx, Publication{Seen: Stamp{Revision: 1}, Hash: "hash", Pieces: store.Cut([]byte("body")), Note: "first", By: 3})
	require.NoError(t, err)
	assert.EqualValues(t, 1, l.Edition)
	for _, query := range []string{"UPDATE edition SET body = 'other'", "UPDATE edition SET note = ''",
		"DELETE FROM edition"} {
		_, err := db.sql.ExecContext(ctx, query)
		assert.Error(t, err, query)
	}
	body, hash, err := db.EditionFile(ctx, 1)
	require.NoError(t, err)
	assert.Equal(t, "body hash", string(body)+" "+hash)
	_, _, err = db.EditionFile(ctx, 2)
	assert.ErrorIs(t, err, ErrNoEdition)
	stamp, err := db.Stamp(ctx)
	require.NoError(t, err)
	assert.Equal(t, Stamp{Revision: 1, Turn: 1}, stamp)
}

func TestABackupIsMadeWhileTheShopIsEdited(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	db := opened(t, dir)
	f := shop(t, 300)
	revision, err := save(t, db, 0, nil, f)
	require.NoError(t, err)
	var writing sync.WaitGroup
	stop := make(chan struct{})
	writing.Go(func() {
		for {
			select {
			case <-stop:
				return
			default:
			}
			next := shop(t, 300)
			next.Store.Name = fmt.Sprint("Edit ", revision)
			if revision, err = save(t, db, revision, f, next); err != nil {
				t.Error(err)
				return
			}
			f = next
		}
	})
	for range 23 {
		require.NoError(t, db.Backup(ctx, "by-hand"))
	}
	close(stop)
	writing.Wait()
	list, err := Backups(dir)
	require.NoError(t, err)
	assert.Len(t, list, 23, "all of today are kept")
	for _, name := range list {
		out := filepath.Join(t.TempDir(), "out.db")
		require.NoError(t, unpack(filepath.Join(dir, backupFolder, name), out))
		require.NoError(t, check(ctx, out), name)
	}
	last := list[len(list)-1]
	require.NoError(t, db.Close())
	_, err = Restore(ctx, dir, last, RestoreOptions{})
	require.NoError(t, err)
	again := opened(t, dir)
	l, err := again.Load(ctx)
	require.NoError(t, err)
	assert.Len(t, l.File.Products, 300)
	require.NoError(t, again.Close())
	_, err = Restore(ctx, dir, "../../etc/passwd", RestoreOptions{})
	assert.Error(t, err, "a backup is named, not a path")

	broken := filepath.Join(dir, backupFolder, "20200101T000000.000-broken.db")
	require.NoError(t, os.WriteFile(broken, []byte(strings.Repeat("no database ", 500)), 0o600))
	_, err = Restore(ctx, dir, filepath.Base(broken), RestoreOptions{})
	assert.ErrorContains(t, err, "not a whole SQLite database")
	assert.NoError(t, opened(t, dir).Check(ctx), "and what is there stays")
}

// older makes a shop as a version before had it.
func older(t *testing.T, dir string, version int64) {
	t.Helper()
	sqlite, err := sql.Open("sqlite", "file:"+filepath.Join(dir, Name))
	require.NoError(t, err)
	files, err := fs.Sub(migrations, "migrations")
	require.NoError(t, err)
	p, err := goose.NewProvider(goose.DialectSQLite3, sqlite, files)
	require.NoError(t, err)
	_, err = p.UpTo(context.Background(), version)
	require.NoError(t, err)
	_, err = sqlite.Exec("INSERT INTO destination (line, position) VALUES ('22100 Mariehamn', 0)")
	require.NoError(t, err)
	require.NoError(t, sqlite.Close())
}

func TestABackupIsMadeBeforeTheTablesChange(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	older(t, dir, 5)
	db := opened(t, dir)
	_, destinations, err := db.Samples(ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"22100 Mariehamn"}, destinations)
	list, err := Backups(dir)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Contains(t, list[0], "before-version-")
	unpacked := filepath.Join(t.TempDir(), "backup.db")
	require.NoError(t, unpack(filepath.Join(dir, backupFolder, list[0]), unpacked))
	backup, err := sql.Open("sqlite", "file:"+unpacked+"?mode=ro")
	require.NoError(t, err)
	defer backup.Close()
	var version int
	require.NoError(t, backup.QueryRow("SELECT max(version_id) FROM goose_db_version").Scan(&version))
	assert.Equal(t, 5, version, "it is as it was")
	require.NoError(t, db.Close())
	opened(t, dir)
	list, err = Backups(dir)
	require.NoError(t, err)
	assert.Len(t, list, 1, "nothing changes at another start")
}

func TestMigrationsHaveTheirWayBack(t *testing.T) {
	sqlite, err := sql.Open("sqlite", "file:"+filepath.Join(t.TempDir(), Name))
	require.NoError(t, err)
	defer sqlite.Close()
	files, err := fs.Sub(migrations, "migrations")
	require.NoError(t, err)
	p, err := goose.NewProvider(goose.DialectSQLite3, sqlite, files)
	require.NoError(t, err)
	for range 2 {
		_, err = p.Up(t.Context())
		require.NoError(t, err)
		_, err = p.DownTo(t.Context(), 0)
		require.NoError(t, err)
	}
}

func TestADamagedShopIsLeftAsItIs(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	db := opened(t, dir)
	_, err := save(t, db, 0, nil, shop(t, 2000))
	require.NoError(t, err)
	require.NoError(t, db.Close())
	path := filepath.Join(dir, Name)
	body, err := os.ReadFile(path)
	require.NoError(t, err)
	rand.Read(body[len(body)/2 : len(body)/2+3*4096]) // some pages in the middle
	require.NoError(t, os.WriteFile(path, body, 0o600))
	_, err = Open(ctx, dir)
	require.ErrorContains(t, err, "restore a backup with diadrom restore")
	kept, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, body, kept)
}

func TestPeopleSessionsAndKeys(t *testing.T) {
	ctx := context.Background()
	db := opened(t, t.TempDir())
	aino, err := db.AddPerson(ctx, "Aino", auth.Owner, "hash", true)
	require.NoError(t, err)
	_, err = db.AddPerson(ctx, "Mallory", auth.Owner, "hash", true)
	assert.ErrorIs(t, err, ErrStarted)
	_, err = db.AddPerson(ctx, "AINO", auth.Helper, "hash", false)
	assert.ErrorIs(t, err, ErrTaken)
	require.NoError(t, db.AddSession(ctx, "one", Session{Person: aino.ID, Until: time.Now().Add(time.Hour)}))
	require.NoError(t, db.AddSession(ctx, "over", Session{Person: aino.ID, Until: time.Now().Add(-time.Hour)}))
	p, ok, err := db.Session(ctx, "one")
	require.NoError(t, err)
	assert.True(t, ok)
	assert.Equal(t, aino, p)
	_, ok, err = db.Session(ctx, "over")
	require.NoError(t, err)
	assert.False(t, ok, "a session ends")
	require.NoError(t, db.EndSession(ctx, "one"))
	_, ok, _ = db.Session(ctx, "one")
	assert.False(t, ok)
	assert.ErrorIs(t, db.SetActive(ctx, aino.ID, false), ErrLastOwner)
	until := time.Date(2027, 1, 31, 22, 0, 0, 0, time.UTC)
	pages := auth.Key{Name: "Web", Publishable: true, Origins: []string{"https://a.example", "http://localhost:3000"},
		Expires: until}
	require.NoError(t, db.AddAPIKey(ctx, pages, "kept", aino.ID))
	assert.Error(t, db.AddAPIKey(ctx, pages, "kept", aino.ID), "a key is one's own")
	require.NoError(t, db.AddAPIKey(ctx, auth.Key{Name: "Stock", Rights: []auth.Right{auth.Costs, auth.ProductsLive}},
		"other", aino.ID))
	require.NoError(t, db.RevokeAPIKey(ctx, 1))
	require.NoError(t, db.UseAPIKey(ctx, 2, until))
	keys, err := db.APIKeys(ctx)
	require.NoError(t, err)
	require.Len(t, keys, 2)
	assert.False(t, keys[0].Revoked.IsZero())
	pages.ID = 1
	assert.Equal(t, pages, keys[0].Key)
	assert.True(t, keys[0].Used.IsZero())
	assert.Equal(t, until, keys[1].Used)
	assert.True(t, keys[1].May(auth.Products), "who may change what is live may change the draft")
	assert.False(t, keys[1].May(auth.Setup))
}
