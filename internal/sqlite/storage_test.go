package sqlite

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func shop(t *testing.T, products int) *store.File {
	t.Helper()
	list := ""
	for i := range products {
		if i > 0 {
			list += ","
		}
		list += fmt.Sprintf(`{"sku":"P%d","price":"%d.00","weight":"1"}`, i, i)
	}
	f, faults := store.Read(
		[]byte(
			`{"format":"diadrom-store/1","store":{"currency":"EUR"},"products":[` + list +
				`],"zones":[{"id":"fi","places":[{"country":"FI"}]}]}`,
		),
	)
	require.Empty(t, faults)
	return f
}

// save is Save for whole files.
func save(t *testing.T, db *DB, revision int64, before, after *store.File) (int64, error) {
	t.Helper()
	split := func(f *store.File) *store.Parts {
		if f == nil {
			return nil
		}
		return f.Split()
	}
	return db.Save(context.Background(), revision, split(before), split(after), Edit{What: "a change"})
}

func opened(t *testing.T, dir string) *DB {
	t.Helper()
	db, err := Open(context.Background(), dir)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	return db
}

func TestADraftIsKeptAsItIs(t *testing.T) {
	ctx, dir := context.Background(), filepath.Join(t.TempDir(), "new", "shop")
	db := opened(t, dir)
	l, err := db.Load(ctx)
	require.NoError(t, err)
	require.Nil(t, l.File, "a new shop is empty")
	first := shop(t, 30)
	revision, err := save(t, db, 0, nil, first)
	require.NoError(t, err)
	assert.EqualValues(t, 1, revision)
	second := shop(t, 29)
	second.Products[0], second.Products[28] = second.Products[28], second.Products[0] // moved
	second.Store.Name = "Lauha"
	second.Zones = nil
	revision, err = save(t, db, revision, first, second)
	require.NoError(t, err)
	require.NoError(t, db.Close())

	again, err := opened(t, dir).Load(ctx)
	require.NoError(t, err)
	assert.Equal(t, revision, again.Revision)
	assert.Equal(t, string(second.Write()), string(again.File.Write()))
}

func TestAnEditOfAnOldRevisionIsRefused(t *testing.T) {
	ctx := context.Background()
	db := opened(t, t.TempDir())
	one, two := shop(t, 1), shop(t, 2)
	_, err := save(t, db, 0, nil, one)
	require.NoError(t, err)
	_, err = save(t, db, 1, one, two)
	require.NoError(t, err)
	_, err = save(t, db, 1, one, shop(t, 3))
	assert.ErrorIs(t, err, ErrConflict)
	_, err = save(t, db, 0, nil, shop(t, 3))
	assert.ErrorIs(t, err, ErrConflict)
	l, err := db.Load(ctx)
	require.NoError(t, err)
	assert.Len(t, l.File.Products, 2, "nothing of the refused edits is there")
}

func TestTheFileIsSyncedAndChecked(t *testing.T) {
	db := opened(t, t.TempDir())
	for pragma, want := range map[string]string{"journal_mode": "wal", "synchronous": "2", "foreign_keys": "1",
		"busy_timeout": "5000"} {
		var got string
		require.NoError(t, db.sql.QueryRow("PRAGMA "+pragma).Scan(&got))
		assert.Equal(t, want, got, pragma)
	}
}

func TestALaterOrDamagedFileIsLeftAsItIs(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	db := opened(t, dir)
	_, err := db.sql.Exec("INSERT INTO goose_db_version (version_id, is_applied) VALUES (99999, 1)")
	require.NoError(t, err)
	require.NoError(t, db.Close())
	_, err = Open(ctx, dir)
	assert.ErrorContains(t, err, "later version")

	damaged := t.TempDir()
	noise := []byte("this is no database, but somebody's letter of more than sixteen bytes")
	require.NoError(t, os.WriteFile(filepath.Join(damaged, Name), noise, 0o600))
	_, err = Open(ctx, damaged)
	require.Error(t, err)
	kept, err := os.ReadFile(filepath.Join(damaged, Name))
	require.NoError(t, err)
	assert.Equal(t, noise, kept)
}

func TestPromisesAreKeptWithWhatBecameOfThem(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	db := opened(t, dir)
	list := []KeptPromise{{ID: "b", Body: []byte(`{"id":"b"}`), Was: "6.90"}, {ID: "a", Body: []byte(`{}`)}}
	for _, p := range list {
		require.NoError(t, db.AddPromises(ctx, p))
	}
	require.NoError(t, db.AddPromises(ctx, list[0]), "an id stands once, in its place")
	double := KeptPromise{ID: "c", Body: []byte(`{}`)}
	cancelled, cancel := context.WithCancel(ctx)
	cancel()
	require.Error(t, db.AddPromises(cancelled, double))
	list[0].Was, list[0].BrokenBy = "6.90", "method Parcel changed"
	require.NoError(t, db.MarkPromises(ctx, list[:1]))
	require.NoError(t, db.Close())
	db = opened(t, dir)
	got, err := db.Promises(ctx)
	require.NoError(t, err)
	assert.Equal(t, list, got)
	require.NoError(t, db.RemovePromise(ctx, "b"))
	require.NoError(t, db.RemovePromise(ctx, "b"))
	got, err = db.Promises(ctx)
	require.NoError(t, err)
	assert.Equal(t, list[1:], got)
}

func TestTheTillAndItsSamples(t *testing.T) {
	ctx := context.Background()
	db := opened(t, t.TempDir())
	_, ok, err := db.LoadTill(ctx)
	require.NoError(t, err)
	assert.False(t, ok)
	till := Till{
		Cart:        []CartLine{{SKU: "A", Quantity: 2}, {Name: "Own", Price: "1.00", Weight: "2", Quantity: 1}},
		Destination: "21160 Merimasku",
		Coupons:     "LÖYLY",
		Customer:    "C-1",
		Group:       "trade",
	}
	require.NoError(t, db.SaveTill(ctx, Till{}))
	require.NoError(t, db.SaveTill(ctx, till))
	got, ok, err := db.LoadTill(ctx)
	require.NoError(t, err)
	assert.True(t, ok)
	assert.Equal(t, till, got)
	samples := []SampleCart{{"one", "One", till.Cart[:1]}, {"two", "Two", till.Cart}}
	require.NoError(t, db.SaveSamples(ctx, samples[:1], []string{"x"}))
	require.NoError(t, db.SaveSamples(ctx, samples, []string{"Norway", "Estonia"}))
	carts, destinations, err := db.Samples(ctx)
	require.NoError(t, err)
	assert.Equal(t, samples, carts)
	assert.Equal(t, []string{"Norway", "Estonia"}, destinations)
}

// The shop's files hold hashes of passphrases and keys: nobody else on the machine reads them.
func TestTheFilesAreOnesOwn(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, Name), nil, 0o644))
	db, err := Open(t.Context(), dir)
	require.NoError(t, err)
	defer db.Close()
	require.NoError(t, db.Backup(t.Context(), "test"))
	found := 0
	require.NoError(t, filepath.WalkDir(dir, func(path string, e os.DirEntry, err error) error {
		if err != nil || e.IsDir() || path == dir {
			return err
		}
		info, err := e.Info()
		found++
		assert.Zero(t, info.Mode().Perm()&0o077, "%s is %s", path, info.Mode())
		return err
	}))
	assert.GreaterOrEqual(t, found, 3)
}
