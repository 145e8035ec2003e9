package history

import (
	"context"
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"time"

	"diadrom/internal/sqlite"
	"diadrom/internal/tables/orderlist"
)

// Begin has a file be taken in as it was looked at.
func (h *History) Begin(ctx context.Context, id int64, c Choices) error {
	options, err := json.Marshal(c)
	if err != nil {
		return err
	}
	if err := h.db.SetState(ctx, id, sqlite.PastWaiting, string(options), ""); err != nil {
		return err
	}
	select {
	case h.wake <- struct{}{}:
	default:
	}
	return nil
}

// Stop stops taking a file in. What has been taken in stays.
func (h *History) Stop(ctx context.Context, id int64) error {
	h.mu.Lock()
	stop := h.stop[id]
	h.mu.Unlock()
	if stop != nil {
		stop()
	}
	f, ok, err := h.db.File(ctx, id)
	if err != nil || !ok {
		return err
	}
	if f.State == sqlite.PastWaiting || f.State == sqlite.PastPreview {
		err = h.db.SetState(ctx, id, sqlite.PastStopped, f.Options, "")
	}
	return errors.Join(err, h.drop(id))
}

// drop removes a file that is not needed any more.
func (h *History) drop(id int64) error {
	err := os.Remove(h.file(id))
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	return err
}

// keptFor is how long a file is kept that nobody has said how to read: it may have names and streets.
const keptFor = 24 * time.Hour

// clean throws away files that nobody needs: previews of the day before, and what a process that was killed left.
func (h *History) clean(ctx context.Context, now time.Time) error {
	files, err := h.db.Files(ctx)
	if err != nil {
		return err
	}
	needed := map[string]bool{}
	for i := range files {
		f := &files[i]
		switch {
		case f.State == sqlite.PastWaiting, f.State == sqlite.PastPreview && now.Sub(f.Added) < keptFor:
			needed[h.file(f.ID)] = true
		case f.State == sqlite.PastPreview:
			err = errors.Join(err, h.db.RemoveFile(ctx, f.ID))
		}
	}
	lying, readErr := os.ReadDir(h.dir)
	if errors.Is(readErr, os.ErrNotExist) {
		return err
	}
	for _, f := range lying {
		if name := filepath.Join(h.dir, f.Name()); !needed[name] {
			err = errors.Join(err, os.Remove(name))
		}
	}
	return errors.Join(err, readErr)
}

// Run takes in what is waiting and what is added, until ctx is done.
func (h *History) Run(ctx context.Context) error {
	if err := h.clean(ctx, time.Now()); err != nil {
		h.log("leftovers of past orders", err)
	}
	for {
		files, err := h.db.Files(ctx)
		if err != nil && ctx.Err() == nil {
			h.log("past orders", err)
		}
		for i := len(files) - 1; i >= 0 && ctx.Err() == nil; i-- {
			if f := &files[i]; f.State == sqlite.PastWaiting {
				if err := h.take(ctx, f); err != nil && ctx.Err() == nil {
					h.log(f.Name, err)
				}
			}
		}
		select {
		case <-ctx.Done():
			return nil
		case <-h.wake:
		}
	}
}

func (h *History) log(what string, err error) {
	if h.Log != nil {
		h.Log.Error("taking past orders in", "what", what, "error", err)
	}
}

// Take takes a file in before it returns.
func (h *History) Take(ctx context.Context, f *sqlite.PastFile, c Choices) error {
	options, err := json.Marshal(c)
	if err != nil {
		return err
	}
	f.Options = string(options)
	return h.take(ctx, f)
}

// take takes a file in from where it was left.
func (h *History) take(ctx context.Context, f *sqlite.PastFile) (err error) {
	running, stop := context.WithCancel(ctx)
	defer stop()
	h.mu.Lock()
	h.stop[f.ID], h.known = stop, nil
	h.mu.Unlock()
	defer func() {
		h.mu.Lock()
		delete(h.stop, f.ID)
		h.mu.Unlock()
		h.changed()
	}()
	err = h.parts(running, f)
	switch {
	case err == nil:
		return errors.Join(h.db.SetState(ctx, f.ID, sqlite.PastDone, f.Options, ""), h.drop(f.ID))
	case ctx.Err() != nil: // the program ends; it goes on when it runs again
		return err
	case running.Err() != nil: // somebody stopped it, and has said so
		return nil
	}
	text := "it could not be read to its end"
	if errors.Is(err, orderlist.ErrLong) {
		text = err.Error()
	}
	return errors.Join(err, h.db.SetState(ctx, f.ID, sqlite.PastFailed, f.Options, text), h.drop(f.ID))
}

// parts takes in the parts of a file that have not been.
func (h *History) parts(ctx context.Context, f *sqlite.PastFile) error {
	var a ordersArgs
	if err := json.Unmarshal([]byte(f.Options), &a.Choices); err != nil {
		return err
	}
	a.Taken, a.Line = f.Taken, f.Line
	in, err := os.Open(h.file(f.ID))
	if err != nil {
		return err
	}
	defer in.Close()
	add := func(part *sqlite.PastPart) error { return h.db.AddPart(ctx, f, part) }
	if h.files == nil {
		return orders(ctx, &a, in, add)
	}
	return h.read(ctx, &a, in, add)
}
