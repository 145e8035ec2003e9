// Package rehearsal restores the newest backup of a shop, apart from the shop, to know that it could be.
package rehearsal

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"time"

	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
)

// Every is how often a backup is restored for a test.
const Every = 24 * time.Hour

// checkEvery is how often it is looked whether it is time.
const checkEvery = 15 * time.Minute

// Names of settings of the program.
const (
	passedSetting = "restore_test_passed" // when, and which backup
	failedSetting = "restore_test_failed" // when, and why; "" where the last test passed
)

// ErrNone is returned where there is no backup yet.
var ErrNone = errors.New("there is no backup yet")

// Try restores the newest backup of the shop in a folder into another folder, opens it, checks every page of it and
// that its live edition is what was published, and removes it again. It gives the backup's name.
func Try(ctx context.Context, dir string) (name string, err error) {
	last, _, err := sqlite.LastBackup(dir)
	if err != nil {
		return "", err
	}
	if last.Name == "" {
		return "", ErrNone
	}
	into, err := os.MkdirTemp(dir, sqlite.RestoreTests)
	if err != nil {
		return last.Name, err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(into)) }()
	if err := sqlite.Unpack(dir, last.Name, into); err != nil {
		return last.Name, err
	}
	db, err := sqlite.Open(ctx, into)
	if err != nil {
		return last.Name, err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	if err := db.Check(ctx); err != nil {
		return last.Name, err
	}
	d, err := draft.Open(ctx, db, nil, draft.Empty())
	if err != nil {
		return last.Name, err
	}
	if live := d.Live(); live != nil && live.Damaged != 0 {
		return last.Name, fmt.Errorf("its edition %d is damaged", live.Damaged)
	}
	return last.Name, nil
}

// Result is what is known of tests.
type Result struct {
	Passed time.Time // the last one that passed; zero for none
	Backup string    // that was restored then
	Failed time.Time // the last test, where it failed; zero where it passed
	Why    string
}

// Last gives what is kept of the last tests.
func Last(ctx context.Context, db *sqlite.DB) (r Result, err error) {
	settings, err := db.Settings(ctx)
	if err != nil {
		return r, err
	}
	r.Passed, r.Backup = sqlite.Moment(settings[passedSetting])
	r.Failed, r.Why = sqlite.Moment(settings[failedSetting])
	return r, nil
}

// Test tries a restore and keeps what came of it. A shop without a backup keeps nothing.
func Test(ctx context.Context, db *sqlite.DB, dir string) error {
	name, err := Try(ctx, dir)
	if errors.Is(err, ErrNone) || ctx.Err() != nil {
		return err
	}
	now := time.Now().UTC().Format(time.RFC3339)
	if err != nil {
		return errors.Join(err, db.SaveSetting(ctx, failedSetting, now+" "+name+": "+err.Error()))
	}
	return errors.Join(db.SaveSetting(ctx, passedSetting, now+" "+name), db.SaveSetting(ctx, failedSetting, ""))
}

// Keep tests once in [Every] until the context ends: where the last test is so old, or there was none.
func Keep(ctx context.Context, db *sqlite.DB, dir string, log *slog.Logger) {
	wait := time.Minute // a shop that has just begun has other things to do
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(wait):
		}
		wait = checkEvery
		r, err := Last(ctx, db)
		if last := r.Passed; err == nil {
			if r.Failed.After(last) {
				last = r.Failed
			}
			if time.Since(last) < Every {
				continue
			}
			err = Test(ctx, db, dir)
		}
		if err != nil && !errors.Is(err, ErrNone) && ctx.Err() == nil {
			log.Error("the newest backup could not be restored for a test", "error", err)
		}
	}
}
