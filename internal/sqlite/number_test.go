package sqlite

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// published publishes the draft of a shop and gives the edition's number.
func published(t *testing.T, dir string) int64 {
	t.Helper()
	ctx, db := context.Background(), opened(t, dir)
	defer db.Close()
	stamp, err := db.Stamp(ctx)
	require.NoError(t, err)
	loaded, err := db.Load(ctx)
	require.NoError(t, err)
	pieces := loaded.File.Split().Pieces(nil)
	l, err := db.Publish(ctx, Publication{Seen: stamp, Hash: HashOf(pieces), Pieces: pieces})
	require.NoError(t, err)
	return l.Edition
}

// Whoever keeps the number of an edition means one edition: a backup that is restored takes no number back, whether
// what was in place can be read, cannot, or is on a machine that is gone.
func TestNoNumberOfAnEditionIsGivenTwice(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	db := opened(t, dir)
	_, err := save(t, db, 0, nil, shop(t, 3))
	require.NoError(t, err)
	require.NoError(t, db.Close())
	require.EqualValues(t, 1, published(t, dir))
	db = opened(t, dir)
	require.NoError(t, db.Backup(ctx, "kept"))
	require.NoError(t, db.Close())
	list, err := Backups(dir)
	require.NoError(t, err)
	kept := list[len(list)-1]
	restore := func(dir string) Restored {
		t.Helper()
		r, err := Restore(ctx, dir, kept, RestoreOptions{})
		require.NoError(t, err)
		return r
	}
	require.EqualValues(t, 2, published(t, dir))
	assert.EqualValues(t, 3, restore(dir).Next)
	require.EqualValues(t, 3, published(t, dir))

	require.NoError(t, os.Remove(filepath.Join(dir, lastEditionName)), "a shop of an earlier version")
	assert.EqualValues(t, 4, restore(dir).Next, "the database in place knows")
	require.EqualValues(t, 4, published(t, dir))

	require.NoError(t, os.WriteFile(filepath.Join(dir, Name), []byte("no database"), 0o600))
	r := restore(dir)
	assert.True(t, r.Unreadable)
	assert.EqualValues(t, 5, r.Next, "the file beside it knows")
	require.EqualValues(t, 5, published(t, dir))

	elsewhere := t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(elsewhere, backupFolder), os.DirFS(filepath.Join(dir, backupFolder))))
	r = restore(elsewhere)
	assert.True(t, r.Nothing)
	assert.EqualValues(t, 1001, r.Next, "nobody knows which were given: some are left out")
	require.EqualValues(t, 1001, published(t, elsewhere))

	require.NoError(t, os.WriteFile(filepath.Join(dir, lastEditionName), []byte("many\n"), 0o600))
	db = opened(t, dir)
	_, err = db.nextEditionAlone(ctx)
	assert.ErrorContains(t, err, "last-edition does not have the number of an edition")
}

// nextEditionAlone is nextEdition in a transaction of its own, which is given up.
func (db *DB) nextEditionAlone(ctx context.Context) (int64, error) {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return 0, err
	}
	defer tx.Rollback()
	return db.nextEdition(ctx, tx)
}

// Webhooks and what was sent to them are not turned back with a backup: one that was removed since stays removed.
func TestRestoringTurnsNoWebhookBack(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	db := opened(t, dir)
	_, err := save(t, db, 0, nil, shop(t, 3))
	require.NoError(t, err)
	removed, err := db.AddWebhook(ctx, Webhook{URL: "https://old.example", Types: []string{"edition.live"}})
	require.NoError(t, err)
	require.NoError(t, db.Backup(ctx, "kept"))
	require.NoError(t, db.RemoveWebhook(ctx, removed))
	_, err = db.AddWebhook(ctx, Webhook{URL: "https://new.example", Types: []string{"edition.live"}})
	require.NoError(t, err)
	require.NoError(t, db.Notify(ctx, Notice{Type: "edition.live", Data: []byte(`{}`)}))
	require.NoError(t, db.Close())
	list, err := Backups(dir)
	require.NoError(t, err)
	_, err = Restore(ctx, dir, list[0], RestoreOptions{})
	require.NoError(t, err)
	db = opened(t, dir)
	hooks, err := db.Webhooks(ctx)
	require.NoError(t, err)
	require.Len(t, hooks, 1)
	assert.Equal(t, "https://new.example", hooks[0].URL)
	sent, err := db.LastDeliveries(ctx, 10)
	require.NoError(t, err)
	assert.Len(t, sent, 1)
	_, last, err := db.NoticeNumbers(ctx)
	require.NoError(t, err)
	assert.EqualValues(t, 1, last)
	require.NoError(t, db.Close())
	// Restored on another machine, to look at it say, it sends nothing before somebody says that it may.
	elsewhere := t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(elsewhere, backupFolder), os.DirFS(filepath.Join(dir, backupFolder))))
	r, err := Restore(ctx, elsewhere, list[0], RestoreOptions{})
	require.NoError(t, err)
	assert.EqualValues(t, 1, r.Paused)
	hooks, err = opened(t, elsewhere).Webhooks(ctx)
	require.NoError(t, err)
	assert.Contains(t, hooks[0].Paused, "another machine may be the shop still")
}
