package sqlite

import (
	"diadrom/internal/core/store"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whoever restores a backup asks for the shop as it was then: an edition that waited in it does not go live by itself.
func TestARestoredShopGoesLiveWithNothingByItself(t *testing.T) {
	dir := t.TempDir()
	db := opened(t, dir)
	_, err := save(t, db, 0, nil, shop(t, 1))
	require.NoError(t, err)
	at := time.Date(2026, 12, 1, 0, 0, 0, 0, time.UTC)
	s, err := db.Schedule(t.Context(), Publication{Seen: Stamp{Revision: 1}, Hash: "hash", Pieces: store.Cut([]byte("body"))}, at,
		at.AddDate(0, 0, 7))
	require.NoError(t, err)
	_, err = db.Schedule(t.Context(), Publication{Seen: Stamp{Revision: 7}, Hash: "hash", Pieces: store.Cut([]byte("body"))}, at, at)
	assert.ErrorIs(t, err, ErrConflict)
	list, err := db.Schedules(t.Context())
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, []any{s.ID, int64(1), at, at.AddDate(0, 0, 7), Waiting},
		[]any{list[0].ID, list[0].Edition, list[0].At, list[0].Until, list[0].State})
	require.NoError(t, db.Backup(t.Context(), "by-hand"))
	require.NoError(t, db.Close())
	names, err := Backups(dir)
	require.NoError(t, err)
	r, err := Restore(t.Context(), dir, names[len(names)-1], RestoreOptions{})
	require.NoError(t, err)
	assert.Equal(t, []string{"1"}, r.Scheduled)
	again := opened(t, dir)
	list, err = again.Schedules(t.Context())
	require.NoError(t, err)
	assert.Equal(t, CalledOff, list[0].State)
	assert.ErrorIs(t, again.StartScheduled(t.Context(), list[0]), ErrNotScheduled)
}
