package draft

import (
	"context"
	"fmt"
	"log/slog"
	"testing"
	"time"

	"diadrom/internal/core/store"
	"diadrom/internal/sqlite"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// at is a day of December 2026.
func at(day int) time.Time { return time.Date(2026, 12, day, 0, 0, 0, 0, time.UTC) }

// later schedules the draft with another price.
func later(t *testing.T, d *Draft, text string, from, until time.Time) (sqlite.Scheduled, error) {
	t.Helper()
	_, err := d.Edit(t.Context(), func(f *store.File) error { return price(f, text) })
	require.NoError(t, err)
	return d.PublishLater(t.Context(), sqlite.Stamp{Revision: d.State().Revision}, text, Later{from, until}, at(1))
}

// shop is the demo shop with its first edition live.
func shop(t *testing.T, dir string) *Draft {
	t.Helper()
	d := lauha(t, dir)
	_, err := d.Publish(t.Context(), sqlite.Stamp{Revision: d.State().Revision}, "")
	require.NoError(t, err)
	return d
}

// live says which edition is live after what is due at a time.
func liveAt(t *testing.T, d *Draft, now time.Time) int64 {
	t.Helper()
	_, err := d.Due(t.Context(), now)
	require.NoError(t, err)
	return d.Live().Number
}

func TestAScheduledEditionGoesLiveAndGivesWay(t *testing.T) {
	dir := t.TempDir()
	d := shop(t, dir)
	s, err := later(t, d, "7.20", at(10), at(20))
	require.NoError(t, err)
	assert.EqualValues(t, 2, s.Edition)
	_, err = later(t, d, "8.20", time.Time{}, time.Time{})
	assert.ErrorIs(t, err, ErrPast)
	assert.EqualValues(t, 1, liveAt(t, d, at(10).Add(-time.Second)), "not a second before")
	next, err := d.Due(t.Context(), at(2))
	require.NoError(t, err)
	assert.Equal(t, at(10), next)
	assert.EqualValues(t, 2, liveAt(t, d, at(10)))
	assert.EqualValues(t, 2, lauha(t, dir).Live().Number, "after a restart too")
	assert.EqualValues(t, 2, liveAt(t, d, at(20).Add(-time.Second)))
	again := lauha(t, dir) // a server that was not running when it was due
	assert.EqualValues(t, 1, liveAt(t, again, at(25)))
	list, err := again.Schedules(t.Context())
	require.NoError(t, err)
	assert.Equal(t, sqlite.Ended, list[0].State)
	events, err := again.db.Events(t.Context(), 0, 2)
	require.NoError(t, err)
	assert.Equal(t, "edition 1 again, as scheduled", events[0].Detail)
	assert.Equal(t, "edition 2, as scheduled", events[1].Detail)
}

func TestWhatIsEditedLaterIsNotInAScheduledEdition(t *testing.T) {
	d := shop(t, t.TempDir())
	_, err := later(t, d, "7.20", at(10), time.Time{})
	require.NoError(t, err)
	_, err = d.Edit(t.Context(), func(f *store.File) error { return price(f, "9.90") })
	require.NoError(t, err)
	require.EqualValues(t, 2, liveAt(t, d, at(11)))
	assert.Len(t, d.Ahead(), 1, "7.20 is live, 9.90 is in the draft")
}

func TestAScheduledEditionThatWasReplacedStaysAway(t *testing.T) {
	d := shop(t, t.TempDir())
	_, err := later(t, d, "7.20", at(10), at(20))
	require.NoError(t, err)
	require.EqualValues(t, 2, liveAt(t, d, at(10)))
	_, err = d.Edit(t.Context(), func(f *store.File) error { return price(f, "9.90") })
	require.NoError(t, err)
	_, err = d.Publish(t.Context(), sqlite.Stamp{Revision: d.State().Revision, Turn: d.Live().Turn}, "")
	require.NoError(t, err)
	assert.EqualValues(t, 3, liveAt(t, d, at(21)), "what was published by hand is not taken back")
	list, err := d.Schedules(t.Context())
	require.NoError(t, err)
	assert.Equal(t, sqlite.Replaced, list[0].State)
}

func TestAScheduledEditionIsCalledOff(t *testing.T) {
	d := shop(t, t.TempDir())
	s, err := later(t, d, "7.20", at(10), at(20))
	require.NoError(t, err)
	require.NoError(t, d.CallOff(t.Context(), s.ID))
	assert.ErrorIs(t, d.CallOff(t.Context(), s.ID), sqlite.ErrNotScheduled)
	assert.EqualValues(t, 1, liveAt(t, d, at(15)))
	s, err = later(t, d, "7.30", at(16), at(20))
	require.NoError(t, err)
	require.EqualValues(t, 3, liveAt(t, d, at(16)))
	require.NoError(t, d.CallOff(t.Context(), s.ID), "it stays")
	assert.EqualValues(t, 3, liveAt(t, d, at(25)))
}

func TestAScheduleThatPassedWhileNothingRanIsMissed(t *testing.T) {
	d := shop(t, t.TempDir())
	_, err := later(t, d, "7.20", at(10), at(20))
	require.NoError(t, err)
	assert.EqualValues(t, 1, liveAt(t, d, at(21)))
	list, err := d.Schedules(t.Context())
	require.NoError(t, err)
	assert.Equal(t, sqlite.Missed, list[0].State)
}

func TestTimesOfSchedules(t *testing.T) {
	d := shop(t, t.TempDir())
	_, err := later(t, d, "7.20", at(10), at(20))
	require.NoError(t, err)
	never := time.Time{}
	for i, c := range []struct {
		from, until time.Time
		want        string // "" where it can be
	}{
		{at(1), never, "passed"},
		{at(3), at(3), "before it goes live"},
		{at(30).AddDate(3, 0, 0), never, "two years"},
		{at(10), never, "cross"},
		{at(5), at(15), "cross"},
		{at(15), at(25), "cross"},
		{at(15), at(20), "cross"},
		{at(5), at(10), ""},
		{at(12), at(14), ""},
		{at(20), at(25), ""},
		{at(16), never, ""},
	} {
		s, err := later(t, d, fmt.Sprintf("8.%02d", i), c.from, c.until)
		if c.want != "" {
			assert.ErrorContains(t, err, c.want, i)
			continue
		}
		require.NoError(t, err, i)
		require.NoError(t, d.CallOff(context.Background(), s.ID))
	}
	// One within another, and one that follows at once.
	_, err = later(t, d, "9.01", at(12), at(14))
	require.NoError(t, err)
	_, err = later(t, d, "9.02", at(20), at(25))
	require.NoError(t, err)
	var seen []int64
	for day := 9; day <= 26; day++ {
		if n := liveAt(t, d, at(day)); len(seen) == 0 || seen[len(seen)-1] != n {
			seen = append(seen, n)
		}
	}
	list, err := d.db.Editions(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []int64{1, 2, list[1].Number, 2, list[0].Number, 1}, seen)
}

func TestASecondDraftCannotBeScheduledUnseen(t *testing.T) {
	d := shop(t, t.TempDir())
	seen := sqlite.Stamp{Revision: d.State().Revision}
	_, err := d.PublishLater(t.Context(), seen, "", Later{At: at(10)}, at(1))
	assert.ErrorIs(t, err, ErrSame)
	_, err = d.Edit(t.Context(), func(f *store.File) error { return price(f, "7.20") })
	require.NoError(t, err)
	_, err = d.PublishLater(t.Context(), seen, "", Later{At: at(10)}, at(1))
	assert.ErrorIs(t, err, sqlite.ErrConflict)
	fresh := lauha(t, t.TempDir())
	_, err = fresh.PublishLater(t.Context(), sqlite.Stamp{Revision: fresh.State().Revision}, "", Later{at(10), at(20)},
		at(1))
	assert.ErrorIs(t, err, ErrNoFormer)
}

// A server that runs puts an edition live at its time, and takes it back at its end, by itself.
func TestAServerKeepsTheSchedule(t *testing.T) {
	d := shop(t, t.TempDir())
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() { defer close(done); d.KeepSchedule(ctx, slog.New(slog.DiscardHandler)) }()
	defer func() { stop(); <-done }()
	_, err := d.Edit(t.Context(), func(f *store.File) error { return price(f, "7.20") })
	require.NoError(t, err)
	now := time.Now()
	_, err = d.PublishLater(t.Context(), sqlite.Stamp{Revision: d.State().Revision}, "",
		Later{now.Add(2 * time.Second), now.Add(4 * time.Second)}, now)
	require.NoError(t, err)
	assert.EqualValues(t, 1, d.Live().Number)
	require.Eventually(t, func() bool { return d.Live().Number == 2 }, 10*time.Second, 20*time.Millisecond)
	require.Eventually(t, func() bool { return d.Live().Number == 1 }, 10*time.Second, 20*time.Millisecond)
	assert.GreaterOrEqual(t, time.Since(now), 3*time.Second, "times are kept in whole seconds")
}
