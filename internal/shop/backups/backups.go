// Package backups makes backups of a shop by themselves: after an edition went live, an hour after the last change, and
// once a day.
package backups

import (
	"context"
	"log/slog"
	"strconv"
	"time"

	"diadrom/internal/sqlite"
)

// Daily is how often a backup is made whether something has changed or not, unless it is set otherwise.
const Daily = 24 * time.Hour

// Times of making backups.
const (
	// lookEvery is how often it is looked whether an edition went live, and changesEvery for other changes
	lookEvery    = 2 * time.Second
	changesEvery = 30 * time.Second
	// afterChange is how long after the last change a backup is made
	afterChange = time.Hour
	// quiet is for how long no edition went live when a backup has the last one, and atMost how long that may take where
	// one after the other does
	quiet  = 5 * time.Second
	atMost = 10 * time.Minute
	// againAfter is when a backup that failed is tried again
	againAfter = 15 * time.Minute
)

// Names of settings of the program: what the shop was like at the last backup, how often an edition had been published
// then, and when and why the last one failed; "" where it did not.
const (
	stampSetting  = "backup_stamp"
	turnSetting   = "backup_turn"
	failedSetting = "backup_failed"
)

// Keeper makes the backups of a shop.
type Keeper struct {
	db    *sqlite.DB
	every time.Duration
	log   *slog.Logger

	looked    time.Time // when the shop was looked at last
	stamp     string    // as it was then
	turn      int64
	changed   time.Time // when it was first seen like that
	published time.Time // the first publication that no backup has; zero for none
	last      time.Time // the last one
	tried     time.Time // the last attempt, where it failed; zero where it did not
}

// New makes the keeper of a shop. every is how often a backup is made at least; 0 for only after changes.
func New(db *sqlite.DB, every time.Duration, log *slog.Logger) *Keeper {
	return &Keeper{db: db, every: every, log: log}
}

// Run makes backups until the context ends.
func (k *Keeper) Run(ctx context.Context) {
	for every := time.NewTicker(lookEvery); ; {
		k.Look(ctx, time.Now())
		select {
		case <-ctx.Done():
			every.Stop()
			return
		case <-every.C:
		}
	}
}

// Look makes a backup where it is time for one.
func (k *Keeper) Look(ctx context.Context, now time.Time) {
	why, err := k.due(ctx, now)
	if err != nil || why == "" {
		if err != nil && ctx.Err() == nil {
			k.failed(ctx, now, err)
		}
		return
	}
	if since := now.Sub(k.tried); since >= 0 && since < againAfter {
		return
	}
	stamp, turn := k.stamp, strconv.FormatInt(k.turn, 10)
	if err := k.db.BackupChanges(ctx, why); err != nil {
		k.failed(ctx, now, err)
		return
	}
	k.published, k.tried = time.Time{}, time.Time{}
	for name, value := range map[string]string{stampSetting: stamp, turnSetting: turn, failedSetting: ""} {
		if err := k.db.SaveSetting(ctx, name, value); err != nil {
			k.log.Error("that a backup was made was not kept", "error", err)
		}
	}
}

// due says why it is time for a backup; "" where it is not.
func (k *Keeper) due(ctx context.Context, now time.Time) (why string, err error) {
	live, err := k.db.Live(ctx)
	if err != nil {
		return "", err
	}
	if k.stamp == "" { // the program may have ended between a publication and its backup
		settings, err := k.db.Settings(ctx)
		if err != nil {
			return "", err
		}
		k.turn, _ = strconv.ParseInt(settings[turnSetting], 10, 64) // "" for none
	}
	if live.Turn != k.turn {
		k.last = now
		if k.published.IsZero() {
			k.published = now
		}
	}
	k.turn = live.Turn
	wants := !k.published.IsZero() && (now.Sub(k.last) >= quiet || now.Sub(k.published) >= atMost)
	if since := now.Sub(k.looked); !wants && since >= 0 && since < changesEvery {
		return "", nil
	}
	stamp, err := k.db.Changed(ctx)
	if err != nil {
		return "", err
	}
	k.looked = now
	if stamp != k.stamp || now.Before(k.changed) {
		k.stamp, k.changed = stamp, now
	}
	if wants {
		return "after-publishing", nil
	}
	settings, err := k.db.Settings(ctx)
	if err != nil {
		return "", err
	}
	if settings[stampSetting] != stamp && now.Sub(k.changed) >= afterChange {
		return "after-changes", nil
	}
	last, count, err := sqlite.LastBackup(k.db.Dir())
	if err != nil {
		return "", err
	}
	if k.every > 0 && count > 0 && now.Sub(last.At) >= k.every {
		return "daily", nil
	}
	return "", nil
}

// failed keeps that a backup failed.
func (k *Keeper) failed(ctx context.Context, now time.Time, err error) {
	if since := now.Sub(k.tried); since >= 0 && since < againAfter {
		return
	}
	k.tried = now
	k.log.Error("no backup could be made, which is tried again in a quarter of an hour", "error", err)
	text := now.UTC().Format(time.RFC3339) + " " + err.Error()
	if err := k.db.SaveSetting(ctx, failedSetting, text); err != nil {
		k.log.Error("that no backup could be made was not kept", "error", err)
	}
}

// Failed says when the last backup failed, and why; the zero time where it did not.
func Failed(ctx context.Context, db *sqlite.DB) (at time.Time, why string, err error) {
	settings, err := db.Settings(ctx)
	if err != nil {
		return at, "", err
	}
	at, why = sqlite.Moment(settings[failedSetting])
	return at, why, nil
}
