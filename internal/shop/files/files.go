// Package files reads files from outside: tables, drawn areas, store files, promises, past orders and tariffs. Each is
// read in a child process (package confined), by the same code that the command line runs in its own.
//
// A kind of file has both of its sides in one place: the [confined.Work] that the child does, and the method of
// [Reader] that asks for it. What a file says of itself is checked and counted in the child. Store files, promises and
// tariffs are then read once more here, since a file that the child could read within its limits can be read here too.
package files

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"log/slog"
	"os"

	"diadrom/internal/core/fault"
	"diadrom/internal/core/store"
	"diadrom/internal/outside/carriers"
	"diadrom/internal/review/promise"
	"diadrom/internal/shop/confined"
)

// Reader reads files in child processes. It is safe for many goroutines.
type Reader struct{ *confined.Places }

// New makes a reader that starts the running program again, whose main function calls [confined.Main] with [Kinds] for
// [confined.Command].
func New(log *slog.Logger) (*Reader, error) {
	path, err := os.Executable()
	if err != nil {
		return nil, err
	}
	if _, err := os.Stat(running); err == nil {
		path = running
	}
	return &Reader{confined.New(path, log)}, nil
}

// running is the program that runs, on Linux: also where another was put in its place meanwhile, as an upgrade does.
const running = "/proc/self/exe"

// Kinds are the works of this package.
var Kinds = map[string]confined.Work{
	"table":    readTable,
	"areas":    readAreas,
	"store":    checking(func(data []byte) fault.List { _, faults := store.Read(data); return faults }),
	"promises": checking(func(data []byte) fault.List { _, faults := promise.Read(data); return faults }),
	"tariff": func(_ []byte, in io.Reader, _ *confined.Out) error {
		data, err := io.ReadAll(in)
		if err != nil {
			return err
		}
		return carriers.Tariff(data)
	},
}

// checking is the work of reading a file whole and telling its faults.
func checking(read func(data []byte) fault.List) confined.Work {
	return func(_ []byte, in io.Reader, out *confined.Out) error {
		data, err := io.ReadAll(in)
		if err != nil {
			return err
		}
		return json.NewEncoder(out).Encode(read(data))
	}
}

// check has a child read a file, and gives the faults that it found.
func (r *Reader) check(ctx context.Context, kind string, data []byte) (faults fault.List, err error) {
	err = r.Run(ctx, kind, nil, bytes.NewReader(data), int64(len(data)), func(in io.Reader) error {
		return json.NewDecoder(io.LimitReader(in, maxFaults)).Decode(&faults)
	})
	return faults, err
}

// maxFaults is how many bytes of faults are taken.
const maxFaults = 32 << 20

// Store reads a store file. The error is that of [confined.Places.Run].
func (r *Reader) Store(ctx context.Context, data []byte) (*store.File, fault.List, error) {
	faults, err := r.check(ctx, "store", data)
	if err != nil || len(faults) > 0 {
		return nil, faults, err
	}
	f, faults := store.Read(data)
	return f, faults, nil
}

// Promises reads a file of promises. The error is that of [confined.Places.Run].
func (r *Reader) Promises(ctx context.Context, data []byte) ([]promise.Promise, fault.List, error) {
	faults, err := r.check(ctx, "promises", data)
	if err != nil || len(faults) > 0 {
		return nil, faults, err
	}
	list, faults := promise.Read(data)
	return list, faults, nil
}

// Tariff says whether a carrier's tariff file can be read. Its errors go on after the carrier's name.
func (r *Reader) Tariff(ctx context.Context, data []byte) error {
	ctx = confined.As(ctx, "tariffs")
	err := r.Run(ctx, "tariff", nil, bytes.NewReader(data), int64(len(data)), func(in io.Reader) error {
		_, err := io.Copy(io.Discard, in)
		return err
	})
	var failure *confined.Failure
	if text, ok := Told(err); ok && !errors.As(err, &failure) {
		return errors.New("has a tariff file that was not read: " + text)
	}
	return err
}

// Told is what is wrong with a file, in words for whoever sent it: what the file is, or why it was not read to its end.
// ok is false where the fault is not the file's.
func Told(err error) (text string, ok bool) {
	var failure *confined.Failure
	switch {
	case errors.As(err, &failure):
		return failure.Message, true
	case errors.Is(err, confined.ErrMemory), errors.Is(err, confined.ErrTime), errors.Is(err, confined.ErrBroken):
		return err.Error(), true
	}
	return "", false
}
