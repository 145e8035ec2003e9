package sqlite

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"diadrom/internal/auth"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func names(t *testing.T, dir string) (list []string) {
	t.Helper()
	all, err := backups(dir)
	require.NoError(t, err)
	for _, b := range all {
		list = append(list, b.name)
	}
	return list
}

// All of today, the last of each day of a month, the last of each month before; within a size, but never fewer
// than three.
func TestBackupsAreThinnedByAge(t *testing.T) {
	dir := t.TempDir()
	now := time.Date(2026, 11, 25, 18, 0, 0, 0, time.UTC)
	number := 0
	made := func(at time.Time, size int64) string {
		number++
		name := fmt.Sprintf("%06d-%s-made.db.zst", number, at.Format(stampFormat))
		f, err := os.Create(filepath.Join(dir, name))
		require.NoError(t, err)
		require.NoError(t, f.Truncate(size)) // nothing of it is written
		require.NoError(t, f.Close())
		return name
	}
	for day := range 200 { // three a day
		for hour := range 3 {
			made(now.AddDate(0, 0, day-200).Add(time.Duration(hour)*time.Hour), 10)
		}
	}
	var today []string
	for i := range 61 {
		today = append(today, made(now.Add(time.Duration(i)*time.Minute), 10))
	}
	require.NoError(t, thin(dir, now))
	list := names(t, dir)
	assert.Equal(t, today, list[len(list)-61:], "61 of today")
	days, months := 0, map[string]int{}
	for _, name := range list[:len(list)-61] {
		b, _ := parseBackup(name)
		assert.Equal(t, 20, b.at.Hour(), "the last of its day: %s", name)
		if now.Sub(b.at) < 31*24*time.Hour+18*time.Hour {
			days++
		} else {
			months[b.at.Format("2006-01")]++
		}
	}
	assert.Equal(t, 31, days)
	for month, n := range months {
		assert.Equal(t, 1, n, month)
	}
	assert.GreaterOrEqual(t, len(months), 5)

	// A clock that went back makes no backup the oldest.
	wrong := made(time.Date(1970, 1, 1, 0, 0, 0, 0, time.UTC), 10)
	require.NoError(t, thin(dir, now))
	assert.Equal(t, wrong, names(t, dir)[len(names(t, dir))-1])

	for _, name := range names(t, dir) {
		require.NoError(t, os.Truncate(filepath.Join(dir, name), 3<<30))
	}
	require.NoError(t, thin(dir, now))
	assert.Len(t, names(t, dir), 3, "the newest three stay, whatever their size")
}

func TestOneServerAFolder(t *testing.T) {
	dir := t.TempDir()
	one, err := Lock(dir, "diadrom at http://127.0.0.1:8080")
	require.NoError(t, err)
	_, err = Lock(dir, "another")
	require.ErrorIs(t, err, ErrServed)
	assert.ErrorContains(t, err, "diadrom at http://127.0.0.1:8080 (process "+fmt.Sprint(os.Getpid()))
	_, err = Restore(t.Context(), dir, "any", RestoreOptions{})
	require.ErrorIs(t, err, ErrServed)
	require.NoError(t, one.Close())
	two, err := Lock(dir, "another")
	require.NoError(t, err)
	require.NoError(t, two.Close())
}

// What was revoked since a backup stays revoked when it is restored, unless one asks for it; events are never
// turned back.
func TestRestoringBringsNoKeyBackWithoutAWord(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	db := opened(t, dir)
	_, err := save(t, db, 0, nil, shop(t, 3))
	require.NoError(t, err)
	aino, err := db.AddPerson(ctx, "Aino", auth.Owner, "hash", true)
	require.NoError(t, err)
	veli, err := db.AddPerson(ctx, "Veli", auth.Helper, "hash", false)
	require.NoError(t, err)
	require.NoError(t, db.AddAPIKey(ctx, auth.Key{Name: "Web"}, "kept", aino.ID))
	require.NoError(t, db.AddSession(ctx, "session", Session{Person: aino.ID, Until: time.Now().Add(time.Hour)}))
	require.NoError(t, db.AddEvent(ctx, Event{Kind: auth.KeyMade}))
	require.NoError(t, db.Backup(ctx, "before"))
	require.NoError(t, db.RevokeAPIKey(ctx, 1))
	require.NoError(t, db.SetActive(ctx, veli.ID, false))
	require.NoError(t, db.AddEvent(ctx, Event{Kind: auth.KeyRevoked}))
	require.NoError(t, db.Close())
	list, err := Backups(dir)
	require.NoError(t, err)
	for _, locks := range []bool{false, true} {
		r, err := Restore(ctx, dir, list[0], RestoreOptions{Locks: locks})
		require.NoError(t, err)
		assert.Equal(t, Restored{Keys: []string{"Web"}, People: []string{"Veli"}, Next: 1, Version: r.Known,
			Known: r.Known}, r)
		db := opened(t, dir)
		keys, err := db.APIKeys(ctx)
		require.NoError(t, err)
		assert.Equal(t, locks, keys[0].Revoked.IsZero())
		people, err := db.People(ctx)
		require.NoError(t, err)
		assert.Equal(t, locks, people[1].Active)
		_, ok, err := db.Session(ctx, "session")
		require.NoError(t, err)
		assert.False(t, ok, "everybody signs in again")
		events, err := db.Events(ctx, 0, 10)
		require.NoError(t, err)
		assert.GreaterOrEqual(t, len(events), 3, "what happened since is kept, and that it was restored")
		require.NoError(t, db.Close())
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, Name), []byte("no database"), 0o600))
	r, err := Restore(ctx, dir, list[0], RestoreOptions{})
	require.NoError(t, err)
	assert.True(t, r.Unreadable)
}

// A database that is gone is not taken for a shop that is to begin.
func TestAMissingDatabaseBesideBackupsIsSaid(t *testing.T) {
	dir := t.TempDir()
	db := opened(t, dir)
	require.NoError(t, db.Backup(t.Context(), "test"))
	require.NoError(t, db.Close())
	for _, suffix := range []string{"", "-wal", "-shm"} {
		os.Remove(filepath.Join(dir, Name+suffix))
	}
	_, err := Open(t.Context(), dir)
	require.ErrorContains(t, err, "there are 1 backups of it")
	_, err = os.Stat(filepath.Join(dir, Name))
	require.ErrorIs(t, err, os.ErrNotExist)
}

// A bit that flips on the disk is found: in the draft by its sums, in a backup by its checksum.
func TestAFlippedBitIsFound(t *testing.T) {
	dir := t.TempDir()
	db := opened(t, dir)
	f := shop(t, 5)
	_, err := save(t, db, 0, nil, f)
	require.NoError(t, err)
	require.NoError(t, db.Backup(t.Context(), "test"))
	flip := func(query string) {
		t.Helper()
		_, err := db.sql.Exec(query)
		require.NoError(t, err)
	}
	_, err = db.Load(t.Context())
	require.NoError(t, err)
	flip(
		"UPDATE item SET body = replace(body, '\"price\":\"', '\"price\":\"1') WHERE list = 'products' AND position " +
			"= 2",
	)
	_, err = db.Load(t.Context())
	require.ErrorIs(t, err, ErrDamaged)
	flip(
		"UPDATE item SET body = replace(body, '\"price\":\"1', '\"price\":\"') WHERE list = 'products' AND position " +
			"= 2",
	)
	_, err = db.Load(t.Context())
	require.NoError(t, err)
	flip("UPDATE draft SET settings = replace(settings, 'EUR', 'USD')")
	_, err = db.Load(t.Context())
	require.ErrorIs(t, err, ErrDamaged)
	require.NoError(t, db.Close())

	list, err := Backups(dir)
	require.NoError(t, err)
	path := filepath.Join(dir, backupFolder, list[0])
	body, err := os.ReadFile(path)
	require.NoError(t, err)
	body[len(body)/2] ^= 1
	require.NoError(t, os.WriteFile(path, body, 0o600))
	before, err := os.ReadFile(filepath.Join(dir, Name))
	require.NoError(t, err)
	_, err = Restore(t.Context(), dir, list[0], RestoreOptions{})
	require.ErrorContains(t, err, "damaged")
	after, err := os.ReadFile(filepath.Join(dir, Name))
	require.NoError(t, err)
	assert.Equal(t, before, after, "what is there stays")
	parts, err := filepath.Glob(filepath.Join(dir, "*.part*"))
	require.NoError(t, err)
	assert.Empty(t, parts)
}

func TestLeftoversGo(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, backupFolder), 0o700))
	for _, name := range []string{"diadrom.db.part", "backups/000001-20260101T000000.000-x.db.zst.raw.part",
		"backups/keep.txt"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte("x"), 0o600))
	}
	require.NoError(t, Tidy(dir))
	left, err := filepath.Glob(filepath.Join(dir, "*", "*"))
	require.NoError(t, err)
	assert.Equal(t, []string{filepath.Join(dir, "backups", "keep.txt")}, left)
	_, err = os.Stat(filepath.Join(dir, "diadrom.db.part"))
	assert.ErrorIs(t, err, os.ErrNotExist)
}

// A backup is no way round a second factor that was added since, and quotes that were held since still hold.
func TestRestoringKeepsSecondFactorsAndSigningKeys(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	db := opened(t, dir)
	_, err := save(t, db, 0, nil, shop(t, 3))
	require.NoError(t, err)
	aino, err := db.AddPerson(ctx, "Aino", auth.Owner, "hash", true)
	require.NoError(t, err)
	made := time.Now().Add(-time.Hour)
	require.NoError(t, db.AddSigningKey(ctx, SigningKey{ID: "old", Public: "a", Sealed: "b", Made: made}))
	require.NoError(t, db.Backup(ctx, "before"))
	require.NoError(t, db.OfferFactor(ctx, aino.ID, "sealed"))
	require.NoError(t, db.ConfirmFactor(ctx, aino.ID, 7, []string{"one", "two"}, ""))
	taken, err := db.TakeRecovery(ctx, aino.ID, "one")
	require.NoError(t, err)
	require.True(t, taken)
	require.NoError(t, db.AddSigningKey(ctx, SigningKey{ID: "new", Public: "c", Sealed: "d", Made: made.Add(time.Minute)}))
	require.NoError(t, db.Close())
	list, err := Backups(dir)
	require.NoError(t, err)
	_, err = Restore(ctx, dir, list[0], RestoreOptions{})
	require.NoError(t, err)
	db = opened(t, dir)
	f, ok, err := db.FactorOf(ctx, aino.ID)
	require.NoError(t, err)
	assert.True(t, ok && f.Confirmed)
	assert.Equal(t, int64(7), f.LastStep)
	left, err := db.RecoveryLeft(ctx, aino.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, left, "codes that were used stay used")
	keys, err := db.SigningKeys(ctx, time.Time{})
	require.NoError(t, err)
	require.Len(t, keys, 2)
	assert.Equal(t, "new", keys[0].ID)
	assert.True(t, keys[0].Retired.IsZero())
	assert.Equal(t, "d", keys[0].Sealed)
	assert.False(t, keys[1].Retired.IsZero(), "one key signs")
	require.NoError(t, db.Close())
}
