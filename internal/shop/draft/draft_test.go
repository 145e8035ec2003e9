package draft

import (
	"context"
	"errors"
	"flag"
	"os"
	"testing"

	"diadrom/internal/core/fault"
	"diadrom/internal/core/store"
	"diadrom/internal/sqlite"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestMain has properties drawn less often: each draw syncs a real database to disk dozens of times.
func TestMain(m *testing.M) {
	flag.Parse()
	if f := flag.Lookup("rapid.checks"); f.Value.String() == f.DefValue {
		f.Value.Set("25")
	}
	os.Exit(m.Run())
}

func opened(t *testing.T, dir string) *Draft {
	t.Helper()
	db, err := sqlite.Open(context.Background(), dir)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	d, err := Open(context.Background(), db, nil, Empty())
	require.NoError(t, err)
	return d
}

func addZone(id string) func(*store.File) error {
	return func(f *store.File) error {
		f.Zones = append(f.Zones, store.Zone{ID: id, Enabled: true})
		return nil
	}
}

func TestAnEditIsKeptOrNothingChanges(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	d := opened(t, dir)
	state, err := d.Edit(ctx, addZone("fi"))
	require.NoError(t, err)
	assert.Len(t, state.File.Zones, 1)
	assert.NotNil(t, state.Before)

	_, err = d.Edit(ctx, addZone("fi"))
	var faults fault.List
	require.ErrorAs(t, err, &faults, "a store that would not hold together")
	assert.Equal(t, "/zones/1/id", faults[0].Path)

	stop := errors.New("stop")
	_, err = d.Edit(ctx, func(f *store.File) error {
		f.Zones[0].Name = "half-way"
		return stop
	})
	assert.ErrorIs(t, err, stop)
	assert.Empty(t, d.State().File.Zones[0].Name, "an edit works on a copy")
	assert.Equal(t, state, d.State())
	assert.Equal(t, string(state.File.Write()), string(opened(t, dir).State().File.Write()))
}

func TestTwoProcessesOnOneShop(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	one, two := opened(t, dir), opened(t, dir)
	_, err := one.Edit(ctx, addZone("a"))
	require.NoError(t, err)
	state, err := two.Edit(ctx, addZone("b"))
	require.NoError(t, err, "takes over what the other wrote, then edits")
	assert.Len(t, state.File.Zones, 2)
	_, err = two.Edit(ctx, addZone("a"))
	assert.Error(t, err, "the other's zone is there")
}

func TestEditsAreTakenBackAndDoneAgain(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	d := opened(t, dir)
	states := []string{string(d.State().File.Write())}
	for _, id := range []string{"a", "b", "c"} {
		state, err := d.Edit(ctx, addZone(id))
		require.NoError(t, err)
		states = append(states, string(state.File.Write()))
	}
	step := func(d *Draft, turn func(context.Context) (*State, string, error), what, want string) {
		t.Helper()
		state, said, err := turn(ctx)
		require.NoError(t, err)
		assert.Equal(t, what, said)
		assert.Equal(t, want, string(state.File.Write()))
	}
	step(d, d.Undo, "c: new, a zone without places", states[2])
	step(d, d.Undo, "b: new, a zone without places", states[1])
	again := opened(t, dir) // after a restart
	step(again, again.Redo, "b: new, a zone without places", states[2])
	step(again, again.Redo, "c: new, a zone without places", states[3])
	_, _, err := again.Redo(ctx)
	assert.ErrorIs(t, err, ErrNothing)
	step(again, again.Undo, "c: new, a zone without places", states[2])
	_, err = again.Edit(ctx, func(f *store.File) error {
		f.Zones[0].Name, f.Zones[1].Name = "A", "B"
		return nil
	})
	require.NoError(t, err)
	_, _, err = again.Redo(ctx)
	assert.ErrorIs(t, err, ErrNothing, "another edit was made since")
	step(again, again.Undo, "A, name: nothing → “A”, and 1 more", states[2])
	step(d, d.Undo, "b: new, a zone without places", states[1]) // the other window takes over what was done here
	step(d, d.Undo, "a: new, a zone without places", states[0])
	_, _, err = d.Undo(ctx)
	assert.ErrorIs(t, err, ErrNothing)
}
