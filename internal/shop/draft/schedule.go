package draft

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"diadrom/internal/sqlite"
)

// Errors of scheduling an edition.
var (
	ErrPast      = errors.New("that time has passed")
	ErrEndsFirst = errors.New("it would give way before it goes live")
	ErrNoFormer  = errors.New("nothing is live yet, so there is nothing to go back to")
	ErrTooFar    = errors.New("an edition is scheduled for at most two years ahead")
)

// maxAhead is how far ahead an edition is scheduled at most.
const maxAhead = 2 * 366 * 24 * time.Hour

// OverlapError is returned where an edition would go live or give way between the times of another that is scheduled,
// so that nobody could say which of them counts.
type OverlapError struct{ With sqlite.Scheduled }

func (*OverlapError) Error() string { return "the times of two scheduled editions cross" }

// Later is when an edition goes live, and when it gives way to the one that was live before; zero where it stays.
type Later struct{ At, Until time.Time }

// PublishLater makes the next edition of the draft, which goes live by itself. The draft must still be as it was seen:
// else the error is [sqlite.ErrConflict].
func (d *Draft) PublishLater(
	ctx context.Context,
	seen sqlite.Stamp,
	note string,
	when Later,
	now time.Time,
) (sqlite.Scheduled, error) {
	d.edits.Lock()
	defer d.edits.Unlock()
	state, live := d.state.Load(), d.live.Load()
	switch {
	case state.Revision != seen.Revision:
		return sqlite.Scheduled{}, sqlite.ErrConflict
	case live != nil && len(Ahead(state, live)) == 0:
		return sqlite.Scheduled{}, ErrSame
	}
	list, err := d.db.Schedules(ctx)
	if err == nil {
		err = when.check(list, live != nil, now)
	}
	if err != nil {
		return sqlite.Scheduled{}, err
	}
	defer d.wakeUp()
	pieces := d.piecesOf(state.Parts)
	return d.db.Schedule(ctx, sqlite.Publication{
		Seen:   seen,
		Hash:   sqlite.HashOf(pieces),
		Pieces: pieces,
		Note:   note,
		By:     Person(ctx),
	}, when.At, when.Until)
}

// check says what is wrong with times, beside those of the editions that are scheduled already.
func (l Later) check(list []sqlite.Scheduled, published bool, now time.Time) error {
	switch {
	case !l.At.After(now):
		return ErrPast
	case l.At.After(now.Add(maxAhead)), l.Until.After(now.Add(maxAhead)):
		return ErrTooFar
	case !l.Until.IsZero() && !l.Until.After(l.At):
		return ErrEndsFirst
	}
	for i := range list {
		s := &list[i]
		if !Pending(s) {
			continue
		}
		if l.crosses(Later{s.At, s.Until}) {
			return &OverlapError{*s}
		}
		published = published || s.At.Before(l.At)
	}
	if !l.Until.IsZero() && !published {
		return ErrNoFormer
	}
	return nil
}

// crosses says whether one of two begins within the other and does not end within it too.
func (l Later) crosses(o Later) bool {
	if l.At.Equal(o.At) {
		return true
	}
	first, second := l, o
	if second.At.Before(first.At) {
		first, second = second, first
	}
	return first.Until.After(second.At) && !second.Until.IsZero() && !second.Until.Before(first.Until)
}

// Pending says whether a scheduled edition is still to go live, or to give way.
func Pending(s *sqlite.Scheduled) bool { return s.State == sqlite.Waiting || s.State == sqlite.Running }

// Schedules lists the editions that are scheduled, those that came to an end behind the others.
func (d *Draft) Schedules(ctx context.Context) ([]sqlite.Scheduled, error) {
	return d.db.Schedules(ctx)
}

// CallOff has a scheduled edition not go live, or one that is live until a time stay. Where it is neither the error is
// [sqlite.ErrNotScheduled].
func (d *Draft) CallOff(ctx context.Context, id int64) error {
	d.edits.Lock()
	defer d.edits.Unlock()
	err := d.db.CallOff(ctx, id)
	d.wakeUp()
	return err
}

// Due does what the schedule has for a time: editions go live, and give way. It says when the next is due, zero where
// none is.
func (d *Draft) Due(ctx context.Context, now time.Time) (next time.Time, err error) {
	d.edits.Lock()
	defer d.edits.Unlock()
	for {
		list, err := d.db.Schedules(ctx)
		if err != nil {
			return time.Time{}, err
		}
		s, at := earliest(list)
		if s == nil || at.After(now) {
			return at, nil
		}
		if err := d.turnScheduled(ctx, *s, now); err != nil {
			return time.Time{}, err
		}
	}
}

// earliest is the scheduled edition to which something happens first, and when.
func earliest(list []sqlite.Scheduled) (first *sqlite.Scheduled, at time.Time) {
	for i := range list {
		s := &list[i]
		if !Pending(s) {
			continue
		}
		t := s.At
		if s.State == sqlite.Running {
			t = s.Until
		}
		if first == nil || t.Before(at) {
			first, at = s, t
		}
	}
	return first, at
}

func (d *Draft) turnScheduled(ctx context.Context, s sqlite.Scheduled, now time.Time) (err error) {
	if err := d.backup(ctx); err != nil {
		return err
	}
	switch {
	case s.State == sqlite.Running:
		_, err = d.db.EndScheduled(ctx, s)
	case !s.Until.IsZero() && !s.Until.After(now):
		err = d.db.MissScheduled(ctx, s.ID)
	default:
		err = d.db.StartScheduled(ctx, s)
	}
	if err != nil {
		return err
	}
	if err := d.loadLive(ctx); err != nil {
		return err
	}
	settled := *d.state.Load()
	settled.Before = nil
	d.state.Store(&settled)
	return nil
}

// checkEvery is how often the schedule is looked at, however far away the next time is: the machine's clock may have
// been set, and it may have slept.
const checkEvery = 20 * time.Second

// KeepSchedule does what the schedule has until the context ends. What fails is logged and tried again.
func (d *Draft) KeepSchedule(ctx context.Context, log *slog.Logger) {
	for {
		wait := checkEvery
		next, err := d.Due(ctx, time.Now())
		switch {
		case err != nil && ctx.Err() == nil:
			log.Error("a scheduled edition could not go live, and is tried again", "error", err)
		case !next.IsZero():
			wait = min(wait, max(0, time.Until(next)))
		}
		timer := time.NewTimer(wait)
		select {
		case <-ctx.Done():
			timer.Stop()
			return
		case <-d.wake:
			timer.Stop()
		case <-timer.C:
		}
	}
}

// wakeUp has the schedule looked at anew.
func (d *Draft) wakeUp() {
	select {
	case d.wake <- struct{}{}:
	default:
	}
}
