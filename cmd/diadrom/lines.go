package main

import (
	"bufio"
	"context"
	"io"
	"log/slog"
	"sync"
	"time"
)

// flushEvery is how long a line of the log waits at most: to write each by itself costs as much as a tenth of a quote.
const flushEvery = 200 * time.Millisecond

// lines writes lines of a log together. It is safe for many goroutines.
type lines struct {
	mu    sync.Mutex
	out   *bufio.Writer
	timer *time.Timer // runs where something waits
	waits bool
}

func newLines(out io.Writer) *lines {
	l := &lines{out: bufio.NewWriterSize(out, 64<<10)}
	l.timer = time.AfterFunc(time.Hour, l.Flush)
	l.timer.Stop()
	return l
}

// Write keeps a line.
func (l *lines) Write(b []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if !l.waits {
		l.waits = true
		l.timer.Reset(flushEvery)
	}
	return l.out.Write(b)
}

// Flush writes what waits.
func (l *lines) Flush() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.waits = false
	l.out.Flush() // nobody can be told that the log is not written
}

// flushing has warnings and errors be written at once.
type flushing struct {
	slog.Handler
	lines *lines
}

// Handle implements [slog.Handler].
func (f *flushing) Handle(ctx context.Context, r slog.Record) error {
	err := f.Handler.Handle(ctx, r)
	if r.Level >= slog.LevelWarn {
		f.lines.Flush()
	}
	return err
}

// WithAttrs implements [slog.Handler].
func (f *flushing) WithAttrs(attributes []slog.Attr) slog.Handler {
	return &flushing{f.Handler.WithAttrs(attributes), f.lines}
}

// WithGroup implements [slog.Handler].
func (f *flushing) WithGroup(name string) slog.Handler {
	return &flushing{f.Handler.WithGroup(name), f.lines}
}
