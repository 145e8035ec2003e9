package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log"
	"log/slog"
	"net"
	"net/http"
	"regexp"
	"strings"
	"time"

	"diadrom/internal/web/metrics"

	"github.com/spf13/cobra"
)

// watchFlags say what is told to whoever operates the program.
type watchFlags struct{ metrics, logFormat, logLevel string }

func (w *watchFlags) register(cmd *cobra.Command) {
	cmd.Flags().StringVar(&w.metrics, "metrics", "",
		"address and port of its own on which monitors read /metrics, such as 127.0.0.1:9464")
	cmd.Flags().StringVar(&w.logFormat, "log-format", "text", "text or json")
	cmd.Flags().
		StringVar(&w.logLevel, "log-level", "info", "debug, info, warn or error: from which on lines are written")
}

// log makes the log. Its lines are written in parts, at once where one warns; flush writes what is left.
func (w *watchFlags) log(to io.Writer) (log *slog.Logger, flush func(), err error) {
	out := newLines(to)
	log, err = w.logTo(out)
	if err != nil {
		return nil, nil, err
	}
	return slog.New(&flushing{log.Handler(), out}), out.Flush, nil
}

func (w *watchFlags) logTo(out io.Writer) (*slog.Logger, error) {
	options := &slog.HandlerOptions{}
	if w.logLevel != "" {
		var level slog.Level
		if err := level.UnmarshalText([]byte(w.logLevel)); err != nil {
			return nil, fmt.Errorf("--log-level %.40q: it is debug, info, warn or error", w.logLevel)
		}
		options.Level = level
	}
	switch w.logFormat {
	case "", "text":
		return slog.New(slog.NewTextHandler(out, options)), nil
	case "json":
		return slog.New(slog.NewJSONHandler(out, options)), nil
	}
	return nil, fmt.Errorf("--log-format %.40q: it is text or json", w.logFormat)
}

// serve answers monitors until the context ends; nil where nobody asked for that.
func (w *watchFlags) serve(ctx context.Context, log *slog.Logger) (*metrics.Metrics, error) {
	if w.metrics == "" {
		return nil, nil
	}
	l, err := net.Listen("tcp", w.metrics)
	if err != nil {
		return nil, fmt.Errorf("--metrics: %w", err)
	}
	m := metrics.New()
	server := &http.Server{Handler: m.Handler(), ReadHeaderTimeout: 5 * time.Second, WriteTimeout: 30 * time.Second,
		ErrorLog: errorLog(log)}
	go func() {
		if err := server.Serve(l); !errors.Is(err, http.ErrServerClosed) {
			log.Error("metrics", "error", err)
		}
	}()
	context.AfterFunc(ctx, func() { server.Close() })
	log.Info("metrics", "address", "http://"+l.Addr().String()+"/metrics")
	return m, nil
}

// check says what is wrong with what is set.
func (w *watchFlags) check() error {
	_, err := w.logTo(io.Discard)
	return errors.Join(err, checkListen("--metrics", w.metrics))
}

// addresses are those of IP with a port, as package net writes them.
var addresses = regexp.MustCompile(`(\d{1,3}(\.\d{1,3}){3}|\[[0-9a-fA-F:.%a-z]+\])(:\d+)?`)

// withoutAddresses is a log of what a server says of itself, without the addresses of those who ask.
type withoutAddresses struct{ log *slog.Logger }

// Write writes a line.
func (w withoutAddresses) Write(line []byte) (int, error) {
	w.log.Warn(strings.TrimSpace(string(addresses.ReplaceAll(line, []byte("(address)")))))
	return len(line), nil
}

// errorLog is what an HTTP server says of itself.
func errorLog(to *slog.Logger) *log.Logger { return log.New(withoutAddresses{to}, "", 0) }
