package sqlite

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// draftIn is the settings and the revision of the draft in a database's file.
func draftIn(t *testing.T, dir string) string {
	db := opened(t, dir)
	defer db.Close()
	require.NoError(t, db.Check(context.Background()))
	l, err := db.Load(context.Background())
	require.NoError(t, err)
	return fmt.Sprint(l.Revision, string(l.File.Write()))
}

// Backups before publishing keep what has changed since the first of the day: each restores the shop as it was then, and
// takes a small part of its size. So do encrypted ones.
func TestBackupsKeepWhatHasChanged(t *testing.T) {
	for _, sealed := range []bool{false, true} {
		ctx, dir := context.Background(), t.TempDir()
		db := opened(t, dir)
		if sealed {
			_, _, err := MakeBackupKey(dir)
			require.NoError(t, err)
		}
		f := medium.Store()
		parts := f.Split()
		_, err := db.Save(ctx, 0, nil, parts, Edit{})
		require.NoError(t, err)
		want := map[string]string{}
		for n := range 8 {
			before := parts
			f, parts = priced(t, f, parts, n+100)
			_, err := db.Save(ctx, int64(n+1), before, parts, Edit{What: "a price"})
			require.NoError(t, err)
			require.NoError(t, db.BackupChanges(ctx, "before-publishing"))
			list, err := Backups(dir)
			require.NoError(t, err)
			require.Len(t, list, n+1)
			want[list[n]] = fmt.Sprint(n+2, string(f.Write()))
		}
		list, err := backups(filepath.Join(dir, backupFolder))
		require.NoError(t, err)
		size := func(b backup) int64 {
			info, err := os.Stat(filepath.Join(dir, backupFolder, b.name))
			require.NoError(t, err)
			return info.Size()
		}
		assert.Zero(t, list[0].on, "the first of the day is whole")
		for _, b := range list[1:] {
			assert.Equal(t, list[0].number, b.on, b.name)
			assert.Less(t, size(b), size(list[0])*2/3, b.name)
			assert.Equal(t, sealed, b.encrypted)
		}
		for name, draft := range want {
			into := t.TempDir()
			require.NoError(t, Unpack(dir, name, into))
			assert.Equal(t, draft, draftIn(t, into), name)
		}
		require.NoError(t, db.Close())
		_, err = Restore(ctx, dir, list[3].name, RestoreOptions{})
		require.NoError(t, err)
		assert.Equal(t, want[list[3].name], draftIn(t, dir))

		base := filepath.Join(dir, backupFolder, list[0].name)
		body, err := os.ReadFile(base)
		require.NoError(t, err)
		body[len(body)/2]++
		require.NoError(t, os.WriteFile(base, body, 0o600))
		assert.ErrorContains(t, Unpack(dir, list[5].name, t.TempDir()), "damaged")
		require.NoError(t, os.Remove(base))
		assert.ErrorContains(t, Unpack(dir, list[5].name, t.TempDir()), "is gone")
	}
}

// The backup on which a kept one rests is kept too, however old it is; with the last that rests on it, it goes.
func TestWhatABackupRestsOnIsKept(t *testing.T) {
	dir := t.TempDir()
	now := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	put := func(name string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte("x"), 0o600))
	}
	put("000001-20261110T080000.000-before-publishing.db.zst")
	put("000001-20261110T080000.000-before-publishing.db.zst.sums")
	put("000002-20261110T090000.000-before-publishing.on-000001.db.diff.zst")
	put("000003-20261110T100000.000-before-publishing.on-000001.db.diff.zst.age")
	put("000004-20261111T080000.000-before-publishing.db.zst")
	put("000005-20261112T080000.000-by-hand.db.zst")
	put("000006-20261127T080000.000-before-publishing.db.zst")
	require.NoError(t, thin(dir, now))
	names := func() (list []string) {
		entries, err := os.ReadDir(dir)
		require.NoError(t, err)
		for _, e := range entries {
			number, rest, _ := strings.Cut(e.Name(), "-")
			list = append(
				list,
				strings.TrimLeft(number, "0")+map[bool]string{true: " sums"}[strings.HasSuffix(rest, sumsSuffix)],
			)
		}
		return list
	}
	assert.Equal(t, []string{"1", "1 sums", "3", "4", "5", "6"}, names(), "of a day the last, and what it rests on")
	require.NoError(
		t,
		os.Remove(filepath.Join(dir, "000003-20261110T100000.000-before-publishing.on-000001.db.diff.zst.age")),
	)
	put("000007-20261110T110000.000-by-hand.db.zst") // a clock that was wrong
	require.NoError(t, thin(dir, now))
	assert.Equal(t, []string{"4", "5", "6", "7"}, names())
}
