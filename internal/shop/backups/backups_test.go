package backups

import (
	"context"
	"log/slog"
	"os"
	"path/filepath"
	"regexp"
	"testing"
	"time"

	"diadrom/internal/core/store"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// kept is a shop whose backups are made by a clock of the test, which begins at the time of now since backups are named
// by the machine's.
type kept struct {
	*Keeper
	t   *testing.T
	d   *draft.Draft
	now time.Time
}

func keeping(t *testing.T, every time.Duration) *kept {
	t.Helper()
	ctx := context.Background()
	db, err := sqlite.Open(ctx, t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	d, err := draft.Open(ctx, db, nil, storetest.Lauha(t))
	require.NoError(t, err)
	return &kept{New(db, every, slog.New(slog.DiscardHandler)), t, d, time.Now()}
}

// after lets time pass, looking as often as the keeper does, and gives why backups were made in it.
func (k *kept) after(d time.Duration) (why []string) {
	k.t.Helper()
	was := k.reasons()
	for end := k.now.Add(d); k.now.Before(end); k.now = k.now.Add(changesEvery) {
		k.Look(context.Background(), k.now)
	}
	return k.reasons()[len(was):]
}

var reason = regexp.MustCompile(`^\d+-[0-9T.]+-(.+?)\.(on-\d+\.)?db`)

func (k *kept) reasons() (why []string) {
	k.t.Helper()
	names, err := sqlite.Backups(k.db.Dir())
	require.NoError(k.t, err)
	for _, name := range names {
		why = append(why, reason.FindStringSubmatch(name)[1])
	}
	return why
}

func (k *kept) edit(name string) {
	k.t.Helper()
	_, err := k.d.Edit(context.Background(), func(f *store.File) error { f.Store.Name = name; return nil })
	require.NoError(k.t, err)
}

func (k *kept) publish() int64 {
	k.t.Helper()
	turn := int64(0)
	if live := k.d.Live(); live != nil {
		turn = live.Turn
	}
	l, err := k.d.Publish(context.Background(), sqlite.Stamp{Revision: k.d.State().Revision, Turn: turn}, "")
	require.NoError(k.t, err)
	return l.Number
}

func TestABackupIsMadeAnHourAfterTheLastChange(t *testing.T) {
	k := keeping(t, Daily)
	assert.Empty(t, k.after(59*time.Minute))
	k.edit("one")
	assert.Empty(t, k.after(59*time.Minute), "an edit begins the hour anew")
	assert.Equal(t, []string{"after-changes"}, k.after(2*time.Minute))
	assert.Empty(t, k.after(20*time.Hour), "nothing has changed since")
	k.edit("two")
	assert.Equal(t, []string{"after-changes"}, k.after(70*time.Minute))
}

func TestABackupIsMadeEachDay(t *testing.T) {
	k := keeping(t, Daily)
	require.Equal(t, []string{"after-changes"}, k.after(61*time.Minute))
	for range 3 { // backups have the machine's time, so from here on each look finds the last one a day old
		k.now = k.now.Add(24 * time.Hour)
		assert.Equal(t, []string{"daily"}, k.after(time.Second))
	}
	never := keeping(t, 0)
	require.Equal(t, []string{"after-changes"}, never.after(61*time.Minute))
	never.now = never.now.Add(100 * 24 * time.Hour)
	assert.Empty(t, never.after(time.Hour))
}

// The newest backup has the newest edition.
func TestABackupIsMadeAfterPublishing(t *testing.T) {
	ctx, k := context.Background(), keeping(t, Daily)
	k.Look(ctx, k.now)
	number := k.publish()
	look := func(after time.Duration) { k.now = k.now.Add(after); k.Look(ctx, k.now) }
	look(time.Second)
	assert.Equal(t, []string{"before-publishing"}, k.reasons())
	look(quiet + time.Second)
	assert.Equal(t, []string{"before-publishing", "after-publishing"}, k.reasons())
	last, _, err := sqlite.LastBackup(k.db.Dir())
	require.NoError(t, err)
	into := t.TempDir()
	require.NoError(t, sqlite.Unpack(k.db.Dir(), last.Name, into))
	db, err := sqlite.Open(ctx, into)
	require.NoError(t, err)
	defer db.Close()
	live, err := db.Live(ctx)
	require.NoError(t, err)
	assert.Equal(t, number, live.Edition)
	assert.Len(t, k.after(3*time.Hour), 0, "nothing has changed since")
	// A program that ends at once after a publication makes its backup when it is started again.
	k.edit("ends")
	k.publish()
	k.Keeper = New(k.db, Daily, slog.New(slog.DiscardHandler))
	before := len(k.reasons())
	look(time.Second)
	look(quiet + time.Second)
	assert.Equal(t, []string{"after-publishing"}, k.reasons()[before:])
	// Where one edition follows the other, a backup is made now and then all the same.
	made := len(k.reasons())
	for n := range 400 { // 20 minutes
		if n%40 == 0 {
			k.edit(string(rune('a' + n/40)))
			k.publish()
		}
		look(3 * time.Second)
		k.last = k.now // as if one had gone live just now
	}
	after := 0
	for _, why := range k.reasons()[made:] {
		if why == "after-publishing" {
			after++
		}
	}
	assert.GreaterOrEqual(t, after, 1)
	assert.LessOrEqual(t, after, 3)
}

// A backup that cannot be made is said, tried again, and said no more when it could.
func TestABackupThatCannotBeMadeIsSaid(t *testing.T) {
	ctx, k := context.Background(), keeping(t, Daily)
	folder := filepath.Join(k.db.Dir(), "backups")
	require.NoError(t, os.WriteFile(folder, []byte("no folder"), 0o600))
	for end := k.now.Add(62 * time.Minute); k.now.Before(end); k.now = k.now.Add(changesEvery) {
		k.Look(ctx, k.now)
	}
	at, why, err := Failed(ctx, k.db)
	require.NoError(t, err)
	assert.False(t, at.IsZero())
	assert.NotEmpty(t, why)
	require.NoError(t, os.Remove(folder))
	assert.Empty(t, k.after(5*time.Minute), "not at once")
	assert.Equal(t, []string{"after-changes"}, k.after(15*time.Minute))
	at, _, err = Failed(ctx, k.db)
	require.NoError(t, err)
	assert.True(t, at.IsZero())
}
