package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"diadrom/internal/auth"
)

// ScheduleState says what became of an edition that was scheduled.
type ScheduleState string

// The states of a scheduled edition. It waits, and goes live at its time; one that gives way again is live until then.
const (
	Waiting   ScheduleState = "waiting"
	Running   ScheduleState = "live"
	Ended     ScheduleState = "done"
	Replaced  ScheduleState = "replaced"   // another edition was published before it was to give way
	Missed    ScheduleState = "missed"     // the server did not run from its time to its end
	CalledOff ScheduleState = "called off" // before its time
)

// Scheduled is an edition that goes live at a time.
type Scheduled struct {
	ID, Edition int64
	At          time.Time
	Until       time.Time // when the former edition goes live again; zero where it stays
	Former      int64     // the edition that was live before it, once it is live; 0 for none
	State       ScheduleState
	By          int64
	Changed     time.Time // when it came to be in that state
}

// ErrNotScheduled is returned where an edition is not waiting, or not live until a time, any more.
var ErrNotScheduled = errors.New("the edition is not scheduled any more")

// Schedule keeps a store file as the next edition, which goes live at a time, and gives way at another unless that is
// zero. Where the draft has changed since it was seen, the error is [ErrConflict].
func (db *DB) Schedule(ctx context.Context, p Publication, at, until time.Time) (s Scheduled, err error) {
	err = db.inOne(ctx, func(tx *sql.Tx) error {
		number, err := db.addEdition(ctx, tx, p)
		if err != nil {
			return err
		}
		s = Scheduled{Edition: number, At: at.UTC(), Until: until.UTC(), State: Waiting, By: p.By}
		end := ""
		if !until.IsZero() {
			end = s.Until.Format(time.RFC3339)
		}
		return tx.QueryRowContext(
			ctx,
			"INSERT INTO scheduled (edition, at, until, state, made_by, changed_at) VALUES (?, ?, ?, ?, ?, ?) "+
				"RETURNING id",
			number,
			s.At.Format(time.RFC3339),
			end,
			string(Waiting),
			p.By,
			now(),
		).Scan(&s.ID)
	})
	return s, err
}

// Schedules lists the scheduled editions that wait or are live until a time, by their times, and behind them those that
// came to an end, the last one first.
func (db *DB) Schedules(ctx context.Context) (list []Scheduled, err error) {
	rows, err := db.sql.QueryContext(
		ctx,
		"SELECT id, edition, at, until, former, state, made_by, changed_at FROM scheduled "+
			"ORDER BY state NOT IN ('waiting', 'live'), CASE WHEN state IN ('waiting', 'live') THEN at END, "+
			"changed_at DESC, id DESC",
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var s Scheduled
		var at, until, changed string
		if err := rows.Scan(&s.ID, &s.Edition, &at, &until, &s.Former, &s.State, &s.By, &changed); err != nil {
			return nil, err
		}
		if s.At, err = time.Parse(time.RFC3339, at); err != nil {
			return nil, err
		}
		if s.Changed, err = time.Parse(time.RFC3339, changed); err != nil {
			return nil, err
		}
		if until != "" {
			if s.Until, err = time.Parse(time.RFC3339, until); err != nil {
				return nil, err
			}
		}
		list = append(list, s)
	}
	return list, rows.Err()
}

// StartScheduled puts a waiting edition live.
func (db *DB) StartScheduled(ctx context.Context, s Scheduled) error {
	return db.inOne(ctx, func(tx *sql.Tx) error {
		was, err := live(ctx, tx)
		if err != nil {
			return err
		}
		to := Ended
		if !s.Until.IsZero() {
			to = Running
		}
		if err := turnScheduled(ctx, tx, s.ID, Waiting, to, was.Edition); err != nil {
			return err
		}
		return putLive(ctx, tx, was.Turn+1, s.Edition, s.By, fmt.Sprintf("edition %d, as scheduled", s.Edition))
	})
}

// EndScheduled puts the edition live that a scheduled one gives way to, unless another was published meanwhile: then it
// says false, and that stays.
func (db *DB) EndScheduled(ctx context.Context, s Scheduled) (back bool, err error) {
	err = db.inOne(ctx, func(tx *sql.Tx) error {
		was, err := live(ctx, tx)
		if err != nil {
			return err
		}
		if back = was.Edition == s.Edition && s.Former != 0; !back {
			return turnScheduled(ctx, tx, s.ID, Running, Replaced, s.Former)
		}
		if err := turnScheduled(ctx, tx, s.ID, Running, Ended, s.Former); err != nil {
			return err
		}
		return putLive(ctx, tx, was.Turn+1, s.Former, s.By, fmt.Sprintf("edition %d again, as scheduled", s.Former))
	})
	return back, err
}

// MissScheduled records that the time of a waiting edition passed, and its end too, while no server ran.
func (db *DB) MissScheduled(ctx context.Context, id int64) error {
	return db.inOne(ctx, func(tx *sql.Tx) error { return turnScheduled(ctx, tx, id, Waiting, Missed, 0) })
}

// CallOff has a waiting edition not go live, or one that is live until a time stay.
func (db *DB) CallOff(ctx context.Context, id int64) error {
	return db.inOne(ctx, func(tx *sql.Tx) error {
		err := turnScheduled(ctx, tx, id, Waiting, CalledOff, 0)
		if !errors.Is(err, ErrNotScheduled) {
			return err
		}
		if err := turnScheduled(ctx, tx, id, Running, Ended, 0); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, "UPDATE scheduled SET until = '' WHERE id = ?", id)
		return err
	})
}

func turnScheduled(ctx context.Context, tx *sql.Tx, id int64, from, to ScheduleState, former int64) error {
	done, err := tx.ExecContext(
		ctx,
		"UPDATE scheduled SET state = ?, former = ?, changed_at = ? WHERE id = ? AND state = ?",
		string(to),
		former,
		now(),
		id,
		string(from),
	)
	if err != nil {
		return err
	}
	if n, err := done.RowsAffected(); err != nil || n != 1 {
		return errors.Join(err, ErrNotScheduled)
	}
	return nil
}

// putLive has an edition be live from now on, and keeps the event.
func putLive(ctx context.Context, tx *sql.Tx, turn, edition, by int64, event string) error {
	if _, err := tx.ExecContext(
		ctx,
		"INSERT INTO put_live (turn, edition, at, by) VALUES (?, ?, ?, ?)",
		turn,
		edition,
		now(),
		by,
	); err != nil {
		return err
	}
	_, err := tx.ExecContext(
		ctx,
		"INSERT INTO audit (at, event, person, name, address, detail) "+
			"VALUES (?, ?, ?, coalesce((SELECT name FROM person WHERE id = ?), ''), '', ?)",
		now(),
		string(auth.Published),
		by,
		by,
		event,
	)
	return err
}

// inOne does what do does in one transaction.
func (db *DB) inOne(ctx context.Context, do func(*sql.Tx) error) error {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if err := do(tx); err != nil {
		return err
	}
	return tx.Commit()
}
