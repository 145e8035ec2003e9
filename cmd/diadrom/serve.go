package main

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"syscall"
	"time"

	"diadrom/internal/demo"
	"diadrom/internal/draft"
	"diadrom/internal/intake"
	"diadrom/internal/screen"
	"diadrom/internal/storage"
	"diadrom/internal/store"

	"github.com/spf13/cobra"
)

const defaultListen = "127.0.0.1:8080"

func serveCommand() *cobra.Command {
	var dir, listen string
	cmd := &cobra.Command{
		Use:   "serve --data DIR",
		Short: "Serve a shop, empty at first",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return serve(cmd, shop{dir: dir, listen: listen, first: draft.Empty()})
		},
	}
	cmd.Flags().StringVar(&dir, "data", "", "the folder of the shop; made where it is missing")
	listenFlag(cmd, &listen)
	cmd.MarkFlagRequired("data")
	return cmd
}

func demoCommand() *cobra.Command {
	var dir, listen string
	cmd := &cobra.Command{
		Use:   "demo [--data DIR]",
		Short: "Serve the demo shop, in a new folder unless one is named",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if dir == "" {
				var err error
				if dir, err = os.MkdirTemp("", "diadrom-demo-"); err != nil {
					return err
				}
			}
			first, err := demo.Store()
			if err != nil {
				return err
			}
			return serve(cmd, shop{dir: dir, listen: listen, first: first, fill: demo.Fill, demo: true})
		},
	}
	cmd.Flags().StringVar(&dir, "data", "", "the folder of the demo shop, to come back to it")
	listenFlag(cmd, &listen)
	return cmd
}

func listenFlag(cmd *cobra.Command, listen *string) {
	cmd.Flags().StringVar(listen, "listen", "", "address and port (default "+defaultListen+", or a free port where that is taken)")
}

// shop is what is served.
type shop struct {
	dir, listen string
	first       *store.File // of a folder without a shop
	fill        func(ctx context.Context, db *storage.DB, dir string) error
	demo        bool // everybody is signed in as the owner
}

func serve(cmd *cobra.Command, s shop) (err error) {
	ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	log := slog.New(slog.NewTextHandler(cmd.ErrOrStderr(), nil))
	if err := os.MkdirAll(s.dir, 0o700); err != nil {
		return err
	}
	lock, err := storage.Lock(s.dir, false)
	if err != nil {
		return err
	}
	defer lock.Close()
	db, err := storage.Open(ctx, s.dir)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	people, err := db.People(ctx)
	if err != nil {
		return err
	}
	if s.demo && len(people) > 0 {
		return errors.New("this folder has a shop with people of its own: serve it with diadrom serve, where they sign in")
	}
	if s.fill != nil {
		if _, filled, err := db.LoadTill(ctx); err != nil {
			return err
		} else if !filled {
			if err := s.fill(ctx, db, s.dir); err != nil {
				return err
			}
		}
	}
	version, err := db.PlacesVersion(ctx)
	if err != nil {
		return err
	}
	places, err := db.LoadPlaces(ctx)
	if err != nil {
		return err
	}
	d, err := draft.Open(ctx, db, places, s.first)
	if err != nil {
		return err
	}
	if s.demo && d.Live() == nil {
		if _, err := d.PutLive(ctx, d.State().Revision, 0, "The shop as it begins"); err != nil {
			return err
		}
	}
	in := intake.New(db, s.dir, version, d.SetGazetteer)
	taking := make(chan error, 1)
	go func() { taking <- in.Run(ctx) }()
	defer func() {
		stop()
		err = errors.Join(err, <-taking)
	}()
	l, err := listen(cmd, s.listen)
	if err != nil {
		return err
	}
	options := screen.Options{Hosts: hosts(l.Addr()), Demo: s.demo}
	path := ""
	switch local := len(options.Hosts) > 0; {
	case s.demo && !local:
		return errors.Join(errors.New("the demo signs everybody in as its owner: it listens on this machine only, such as on "+defaultListen), l.Close())
	case !s.demo && !local && len(people) == 0: // whoever comes first would own the shop
		options.StartCode = rand.Text()
		path = "/start?code=" + options.StartCode
	}
	handler, err := screen.New(d, db, in, log, options)
	if err != nil {
		return errors.Join(err, l.Close())
	}
	fmt.Fprintf(cmd.OutOrStdout(), "The shop is kept in %s\nOpen http://%s%s\n", s.dir, l.Addr(), path)
	if s.demo {
		fmt.Fprintln(cmd.OutOrStdout(), "The demo signs itself in as the owner of the shop.")
	}
	return run(ctx, l, handler, log)
}

// listen listens where it is told, or else on the default address or, where that is taken, on a free port of loopback.
func listen(cmd *cobra.Command, address string) (net.Listener, error) {
	if address != "" {
		return net.Listen("tcp", address)
	}
	l, err := net.Listen("tcp", defaultListen)
	if errors.Is(err, syscall.EADDRINUSE) {
		if l, err = net.Listen("tcp", "127.0.0.1:0"); err == nil {
			fmt.Fprintf(cmd.OutOrStdout(), "Something else uses %s: taking %s instead\n", defaultListen, l.Addr())
		}
	}
	return l, err
}

// hosts are the names of loopback; a server on another address answers under any.
func hosts(a net.Addr) []string {
	if tcp, ok := a.(*net.TCPAddr); ok && tcp.IP.IsLoopback() {
		return []string{"127.0.0.1", "localhost", "[::1]"}
	}
	return nil
}

func run(ctx context.Context, l net.Listener, handler *screen.Server, log *slog.Logger) error {
	server := &http.Server{
		Handler:           handler,
		ReadHeaderTimeout: 5 * time.Second,
		ReadTimeout:       20 * time.Second,
		WriteTimeout:      30 * time.Second,
		IdleTimeout:       time.Minute,
		MaxHeaderBytes:    64 << 10,
		ErrorLog:          slog.NewLogLogger(log.Handler(), slog.LevelWarn),
	}
	done := make(chan error, 1)
	go func() { done <- server.Serve(l) }()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	grace, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	defer handler.Wait()
	return server.Shutdown(grace)
}
