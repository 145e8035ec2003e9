package secrets

import (
	"context"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"diadrom/internal/sqlite"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWhatIsSealedOpensForItsPurposeAlone(t *testing.T) {
	dir := t.TempDir()
	v := New(dir)
	_, err := v.Open("AAAA", "x")
	require.ErrorIs(t, err, ErrUnreadable, "before there is a key")
	sealed, err := v.Seal("s3cret", "carrier post at https://post.example")
	require.NoError(t, err)
	assert.NotContains(t, sealed, "s3cret")
	again, err := v.Seal("s3cret", "carrier post at https://post.example")
	require.NoError(t, err)
	assert.NotEqual(t, sealed, again, "nobody sees that two secrets are the same")

	other := New(dir) // after a start
	text, err := other.Open(sealed, "carrier post at https://post.example")
	require.NoError(t, err)
	assert.Equal(t, "s3cret", text)
	for name, bad := range map[string][2]string{
		"another purpose": {sealed, "carrier post at https://elsewhere.example"},
		"changed": {sealed[:len(sealed)-8] + "AAAA" + sealed[len(sealed)-4:],
			"carrier post at https://post.example"},
		"cut":        {sealed[:8], "carrier post at https://post.example"},
		"no base 64": {"!" + sealed, "carrier post at https://post.example"},
	} {
		_, err := other.Open(bad[0], bad[1])
		require.ErrorIs(t, err, ErrUnreadable, name)
	}
	elsewhere := New(t.TempDir())
	_, err = elsewhere.Seal("x", "y")
	require.NoError(t, err)
	_, err = elsewhere.Open(sealed, "carrier post at https://post.example")
	require.ErrorIs(t, err, ErrUnreadable, "with another key")
	if runtime.GOOS != "windows" {
		info, err := os.Stat(filepath.Join(dir, sqlite.KeyName))
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, sqlite.KeyName), []byte("short"), 0o600))
	_, err = New(dir).Seal("x", "y")
	require.ErrorContains(t, err, "is not a key of 32 bytes", "a damaged key is not replaced without a word")
}

// The key lies with the backups only where that is asked for, and is restored from there only where it is missing.
func TestTheKeyAndTheBackups(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	db, err := sqlite.Open(ctx, dir)
	require.NoError(t, err)
	v := New(dir)
	sealed, err := v.Seal("s3cret", "p")
	require.NoError(t, err)
	require.NoError(t, db.SaveSetting(ctx, "carrier_secret:post", sealed))
	require.NoError(t, db.Backup(ctx, "test"))
	require.NoError(t, db.Close())
	key, err := os.ReadFile(filepath.Join(dir, sqlite.KeyName))
	require.NoError(t, err)
	held := func() (names []string) {
		require.NoError(t, filepath.WalkDir(filepath.Join(dir, "backups"), func(path string, d os.DirEntry,
			err error) error {
			require.NoError(t, err)
			if body, err := os.ReadFile(path); err == nil {
				assert.NotContains(t, string(body), "s3cret")
				if strings.Contains(string(body), string(key)) {
					names = append(names, d.Name())
				}
			}
			return nil
		}))
		return names
	}
	assert.Empty(t, held())
	require.NoError(t, sqlite.KeepKeyWithBackups(dir, true))
	assert.Equal(t, []string{sqlite.KeyName}, held())
	names, err := sqlite.Backups(dir)
	require.NoError(t, err)

	require.NoError(t, os.Remove(filepath.Join(dir, sqlite.KeyName)))
	_, err = sqlite.Restore(ctx, dir, names[0], sqlite.RestoreOptions{})
	require.NoError(t, err)
	text, err := New(dir).Open(sealed, "p")
	require.NoError(t, err)
	assert.Equal(t, "s3cret", text)

	require.NoError(t, sqlite.KeepKeyWithBackups(dir, false))
	require.NoError(t, sqlite.KeepKeyWithBackups(dir, false), "twice")
	assert.Empty(t, held())
	require.NoError(t, os.Remove(filepath.Join(dir, sqlite.KeyName)))
	_, err = sqlite.Restore(ctx, dir, names[0], sqlite.RestoreOptions{})
	require.NoError(t, err)
	_, err = New(dir).Open(sealed, "p")
	require.ErrorIs(t, err, ErrUnreadable)
	require.NoError(t, sqlite.KeepKeyWithBackups(dir, true), "before there is a key")
}
