package sqlite

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"diadrom/internal/auth"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// earlier are the migrations that a program of an earlier version knew: those up to a number.
type earlier struct {
	fs.FS
	last string
}

// ReadDir implements [fs.ReadDirFS].
func (e earlier) ReadDir(name string) ([]fs.DirEntry, error) {
	list, err := fs.ReadDir(e.FS, name)
	return slices.DeleteFunc(list, func(d fs.DirEntry) bool { return d.Name()[:5] > e.last }), err
}

// openEarlier opens a shop as the program of version 19 did.
func openEarlier(t *testing.T, dir string) (*DB, error) {
	t.Helper()
	files, err := fs.Sub(migrations, "migrations")
	require.NoError(t, err)
	return openWith(context.Background(), dir, earlier{files, "00019"})
}

// A database that a program of version 19 has written, kept in testdata, is brought up to date; and where its owner
// goes back as docs/operate.md has it, the earlier program starts with what it knew, and nothing that was revoked since
// holds again.
func TestADowngradeGoesAsTheManualHasIt(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	packed, err := os.ReadFile("testdata/version-19.db.zst")
	require.NoError(t, err)
	z, err := zstd.NewReader(nil)
	require.NoError(t, err)
	defer z.Close()
	body, err := z.DecodeAll(packed, nil)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, Name), body, 0o600))

	was, err := openEarlier(t, dir)
	require.NoError(t, err, "the earlier program starts with what it has written")
	require.NoError(t, was.Close())
	list, err := Backups(dir)
	require.NoError(t, err)
	require.Empty(t, list)

	db := opened(t, dir) // the upgrade
	live, err := db.Live(ctx)
	require.NoError(t, err)
	assert.EqualValues(t, 1, live.Edition)
	list, err = Backups(dir)
	require.NoError(t, err)
	require.Len(t, list, 1)
	require.Contains(t, list[0], "before-version-")
	keys, err := db.APIKeys(ctx)
	require.NoError(t, err)
	require.NotEmpty(t, keys)
	require.True(t, keys[0].Revoked.IsZero())
	require.NoError(t, db.RevokeAPIKey(ctx, keys[0].ID))
	require.NoError(t, db.AddEvent(ctx, Event{Kind: auth.KeyRevoked}))
	require.NoError(t, db.Notify(ctx, Notice{Type: "edition.live", Data: []byte(`{}`)}))
	require.NoError(t, db.Close())
	require.EqualValues(t, 2, published(t, dir))

	_, err = openEarlier(t, dir)
	require.ErrorContains(t, err, "written by a later version of Diadrom")

	r, err := Restore(ctx, dir, list[0], RestoreOptions{})
	require.NoError(t, err)
	assert.EqualValues(t, 19, r.Version)
	assert.Greater(t, r.Known, r.Version)
	assert.Equal(t, []string{keys[0].Name}, r.Keys)
	has, _, err := Version(ctx, dir)
	require.NoError(t, err)
	assert.EqualValues(t, 19, has, "what was put back stays of its version")

	was, err = openEarlier(t, dir)
	require.NoError(t, err, "the earlier program starts with it")
	live, err = was.Live(ctx)
	require.NoError(t, err)
	assert.EqualValues(t, 1, live.Edition)
	keys, err = was.APIKeys(ctx)
	require.NoError(t, err)
	assert.False(t, keys[0].Revoked.IsZero(), "what was revoked stays revoked")
	events, err := was.Events(ctx, 0, 10)
	require.NoError(t, err)
	assert.Equal(t, auth.Restored, events[0].Kind)
	assert.True(t, slices.ContainsFunc(events, func(e Event) bool { return e.Kind == auth.KeyRevoked }))
	require.NoError(t, was.Close())
	list, err = Backups(dir)
	require.NoError(t, err)
	assert.False(t, slices.ContainsFunc(list, func(name string) bool {
		return strings.Contains(name,
			"before-version-19")
	}))

	require.EqualValues(t, 3, published(t, dir), "and upgraded again: 2 was another edition")
	if _, err := os.Stat(filepath.Join(dir, Name+".part")); !errors.Is(err, os.ErrNotExist) {
		assert.Fail(t, "nothing is left behind")
	}
}
