package draft

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/sqlite"

	"github.com/benbjohnson/litestream"
	"github.com/benbjohnson/litestream/file"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The set-up of docs/replication.md, with Litestream itself: it follows the shop's file while the shop is
// edited and published, and what it restores is the shop. Litestream is a general replication tool for SQLite;
// here it copies into a folder.
func TestAReplicaIsRestored(t *testing.T) {
	ctx, dir, into := context.Background(), t.TempDir(), t.TempDir()
	d := lauha(t, dir)
	defer d.db.Close()
	path := filepath.Join(dir, sqlite.Name)
	follower := litestream.NewDB(path)
	follower.Logger = slog.New(slog.NewTextHandler(io.Discard, nil))
	client := file.NewReplicaClient(into)
	follower.Replica = litestream.NewReplicaWithClient(follower, client)
	client.Replica = follower.Replica
	require.NoError(t, follower.Open())

	first, err := d.Publish(ctx, sqlite.Stamp{Revision: d.State().Revision, Turn: 0}, "followed")
	require.NoError(t, err)
	for i := range 60 {
		_, err := d.Edit(ctx, func(f *store.File) error { return price(f, fmt.Sprintf("%d.10", i+1)) })
		require.NoError(t, err)
		if i%10 == 0 {
			require.NoError(t, follower.SyncAndWait(ctx))
		}
	}
	require.NoError(t, follower.SyncAndWait(ctx))
	want := string(d.State().File.Write())
	require.NoError(t, follower.Close(ctx))

	restored := t.TempDir()
	options := litestream.NewRestoreOptions()
	options.OutputPath = filepath.Join(restored, sqlite.Name)
	options.IntegrityCheck = litestream.IntegrityCheckFull
	require.NoError(t, litestream.NewReplicaWithClient(nil, file.NewReplicaClient(into)).Restore(ctx, options))
	again := lauha(t, restored)
	defer again.db.Close()
	require.NoError(t, again.db.Check(ctx))
	assert.Equal(t, want, string(again.State().File.Write()), "every edit is there")
	assert.Equal(t, first.Hash, again.Live().Hash, "and so is what is live")
	entries, err := os.ReadDir(into)
	require.NoError(t, err)
	assert.NotEmpty(t, entries)
}
