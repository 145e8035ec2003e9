package draft

import (
	"context"
	"database/sql"
	"path/filepath"
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/review/changes"
	"diadrom/internal/sqlite"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestBuyersAreQuotedFromWhatIsLive(t *testing.T) {
	ctx, dir := By(context.Background(), 7), t.TempDir()
	d := lauha(t, dir)
	assert.Nil(t, d.Live(), "nothing is live at first")
	assert.NotEmpty(t, d.Ahead(), "all of the draft is ahead of nothing")
	first, err := d.Publish(ctx, sqlite.Stamp{Revision: d.State().Revision, Turn: 0}, "to begin with")
	require.NoError(t, err)
	assert.EqualValues(t, 1, first.Number)
	assert.Empty(t, d.Ahead())
	_, err = d.Publish(ctx, sqlite.Stamp{Revision: d.State().Revision, Turn: first.Turn}, "")
	assert.ErrorIs(t, err, ErrSame)

	_, err = d.Edit(ctx, func(f *store.File) error { return price(f, "7.20") })
	require.NoError(t, err)
	assert.Equal(
		t,
		[]string{"Parcel to the door, Finland, up to and including 2 kg: 6.90 → 7.20"},
		changes.Sentences(d.Ahead()),
	)
	assert.Same(t, first, d.Live(), "an edit is of the draft")

	_, err = d.Publish(ctx, sqlite.Stamp{Revision: d.State().Revision - 1, Turn: first.Turn}, "")
	assert.ErrorIs(t, err, sqlite.ErrConflict, "the draft was edited since it was compared")
	_, err = d.Publish(ctx, sqlite.Stamp{Revision: d.State().Revision, Turn: first.Turn - 1}, "")
	assert.ErrorIs(t, err, sqlite.ErrLiveChanged)
	other := lauha(t, dir) // another process
	require.NoError(t, other.Refresh(ctx))
	second, err := other.Publish(ctx, sqlite.Stamp{Revision: other.State().Revision, Turn: first.Turn}, "dearer")
	require.NoError(t, err)
	_, err = d.Publish(ctx, sqlite.Stamp{Revision: d.State().Revision, Turn: first.Turn}, "")
	assert.ErrorIs(t, err, sqlite.ErrLiveChanged, "two publish at once: the second is told")
	require.NoError(t, d.Refresh(ctx))
	assert.Equal(t, second.Hash, d.Live().Hash)
	assert.Empty(t, d.Ahead())

	third, err := d.PublishAgain(ctx, 1, sqlite.Stamp{Turn: second.Turn})
	require.NoError(t, err)
	assert.EqualValues(t, 1, third.Number)
	assert.Equal(t, first.Hash, third.Hash)
	assert.Len(t, d.Ahead(), 1)
	_, err = d.PublishAgain(ctx, 9, sqlite.Stamp{Turn: third.Turn})
	assert.ErrorIs(t, err, sqlite.ErrNoEdition)

	again := lauha(t, dir)
	assert.EqualValues(t, 1, again.Live().Number, "after a restart")
	assert.Equal(t, first.Hash, Hash(again.Live().File.Write()))
	list, err := d.db.Editions(ctx)
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Equal(t, "dearer", list[0].Note)
	assert.EqualValues(t, 7, list[1].By)
}

// Where the live edition is damaged on the disk, buyers are quoted from the last one before it that is what it was.
func TestADamagedEditionIsNotQuotedFrom(t *testing.T) {
	ctx, dir := By(context.Background(), 7), t.TempDir()
	d := lauha(t, dir)
	first, err := d.Publish(ctx, sqlite.Stamp{Revision: d.State().Revision, Turn: 0}, "")
	require.NoError(t, err)
	_, err = d.Edit(ctx, func(f *store.File) error { return price(f, "7.20") })
	require.NoError(t, err)
	_, err = d.Publish(ctx, sqlite.Stamp{Revision: d.State().Revision, Turn: first.Turn}, "")
	require.NoError(t, err)
	raw, err := sql.Open("sqlite", "file:"+filepath.Join(dir, sqlite.Name)+"?_pragma=busy_timeout(5000)")
	require.NoError(t, err)
	defer raw.Close()
	for _, query := range []string{"DROP TRIGGER edition_unchanged",
		"UPDATE edition SET pieces = zeroblob(length(pieces)) WHERE number = 2"} {
		_, err = raw.Exec(query)
		require.NoError(t, err)
	}
	again := lauha(t, dir)
	require.NotNil(t, again.Live())
	assert.Equal(t, []int64{1, 2}, []int64{again.Live().Number, again.Live().Damaged})
	assert.Equal(t, first.Hash, again.Live().Hash)
	_, _, err = again.Edition(ctx, 2)
	assert.ErrorContains(t, err, "a piece of it is missing")
	_, err = again.EditAt(ctx, again.State().Revision-1, func(*store.File) error { return nil })
	assert.ErrorIs(t, err, ErrMoved)
}
