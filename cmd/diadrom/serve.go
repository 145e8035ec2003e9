package main

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"os/signal"
	"runtime/debug"
	"strings"
	"syscall"
	"time"

	"diadrom/internal/core/store"
	"diadrom/internal/shop/demo"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/files"
	"diadrom/internal/shop/held"
	"diadrom/internal/shop/history"
	"diadrom/internal/shop/importer"
	"diadrom/internal/shop/rehearsal"
	"diadrom/internal/shop/services"
	"diadrom/internal/sqlite"
	"diadrom/internal/web"
	"diadrom/internal/web/metrics"
	"diadrom/internal/web/signin"
	"diadrom/internal/web/visitor"

	"github.com/KimMachineGun/automemlimit/memlimit"
	"github.com/spf13/cobra"
)

const defaultListen = "127.0.0.1:8080"

func serveCommand() *cobra.Command {
	var dir, listen, public string
	var trusted []string
	var asks outsideFlags
	var printConfig bool
	var watch watchFlags
	var nodes brokerFlags
	cmd := &cobra.Command{
		Use:   "serve --data DIR",
		Short: "Serve a shop, empty at first",
		Long: "Serve a shop, empty at first. Each flag may also come from the environment (--public-url as " +
			"DIADROM_PUBLIC_URL) or from a file of settings (public-url = \"…\", TOML): --config FILE, else diadrom.toml in " +
			"the folder of the shop. A flag counts before the environment, and that before the file.",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			from, err := readSettings(cmd)
			if err != nil {
				return err
			}
			if printConfig {
				return from.print(cmd.OutOrStdout(), cmd.Flags())
			}
			if dir == "" {
				return errors.New("say where the shop is kept: --data DIR, or DIADROM_DATA")
			}
			if err := nodes.check(); err != nil {
				return fmt.Errorf("--nodes-shop: %w", err)
			}
			s := shop{dir: dir, listen: listen, first: draft.Empty(), watch: watch, nodes: nodes}
			if s.public, s.trusted, err = behind(public, trusted); err != nil {
				return err
			}
			s.asks.Local = asks.local
			if s.asks.Fixed, err = asks.read(); err != nil {
				return err
			}
			return serve(cmd, s)
		},
	}
	cmd.Flags().StringVar(&dir, "data", "", "the folder of the shop; made where it is missing")
	listenFlag(cmd, &listen)
	asks.register(cmd)
	cmd.Flags().StringVar(
		&public,
		"public-url",
		"",
		"the address under which a proxy in front shows the shop, such as https://shipping.example",
	)
	cmd.Flags().StringSliceVar(
		&trusted,
		"trusted-proxy",
		nil,
		"address or network (CIDR) of a proxy whose X-Forwarded-For and X-Forwarded-Proto are believed "+
			"(default with --public-url: this machine)",
	)
	watch.register(cmd)
	nodes.register(cmd)
	cmd.Flags().String("config", "", "a file of settings (TOML)")
	cmd.Flags().
		BoolVar(&printConfig, "print-config", false, "print the settings that count, with where each is from, and end")
	return cmd
}

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
	server := &http.Server{Handler: m.Handler(), ReadHeaderTimeout: 5 * time.Second, WriteTimeout: 30 * time.Second}
	go func() {
		if err := server.Serve(l); !errors.Is(err, http.ErrServerClosed) {
			log.Error("metrics", "error", err)
		}
	}()
	context.AfterFunc(ctx, func() { server.Close() })
	log.Info("metrics", "address", "http://"+l.Addr().String()+"/metrics")
	return m, nil
}

// behind reads what is said of a proxy in front.
func behind(public string, trusted []string) (u *url.URL, list []netip.Prefix, err error) {
	if public != "" {
		u, err = url.Parse(public)
		if err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" ||
			strings.Trim(u.Path, "/") != "" ||
			u.RawQuery != "" ||
			u.User != nil {
			return nil, nil, fmt.Errorf(
				"--public-url %q: write scheme and host, such as https://shipping.example",
				public,
			)
		}
		if len(trusted) == 0 {
			trusted = []string{"127.0.0.0/8", "::1"}
		}
	}
	for _, text := range trusted {
		p, err := netip.ParsePrefix(text)
		if err != nil {
			ip, addressErr := netip.ParseAddr(text)
			if addressErr != nil {
				return nil, nil, fmt.Errorf(
					"--trusted-proxy %q: write an address or a network, such as 10.0.0.2 or 10.0.0.0/24",
					text,
				)
			}
			p = netip.PrefixFrom(ip.Unmap(), ip.Unmap().BitLen())
		}
		list = append(list, p)
	}
	return u, list, nil
}

func demoCommand() *cobra.Command {
	var dir, listen string
	var watch watchFlags
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
			s := shop{dir: dir, listen: listen, first: first, fill: demo.Fill, demo: true}
			s.orders = func(ctx context.Context, h *history.History, f *store.File) error {
				return demo.FillOrders(ctx, h, f, time.Now())
			}
			s.asks.Local, s.watch = true, watch
			stop, err := s.standIns()
			if err != nil {
				return err
			}
			defer stop()
			return serve(cmd, s)
		},
	}
	cmd.Flags().StringVar(&dir, "data", "", "the folder of the demo shop, to come back to it")
	listenFlag(cmd, &listen)
	watch.register(cmd)
	return cmd
}

func listenFlag(cmd *cobra.Command, listen *string) {
	cmd.Flags().StringVar(
		listen,
		"listen",
		"",
		"address and port (default "+defaultListen+", or a free port where that is taken)",
	)
}

// shop is what is served.
type shop struct {
	dir, listen string
	first       *store.File // of a folder without a shop
	fill        func(ctx context.Context, db *sqlite.DB, dir string) error
	// orders fills in past orders where there are none.
	orders  func(ctx context.Context, h *history.History, f *store.File) error
	demo    bool // everybody is signed in as the owner
	public  *url.URL
	trusted []netip.Prefix
	asks    services.Options
	watch   watchFlags
	nodes   brokerFlags
	files   *files.Reader
}

func serve(cmd *cobra.Command, s shop) (err error) {
	ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	log, flush, err := s.watch.log(cmd.ErrOrStderr())
	if err != nil {
		return err
	}
	defer flush()
	limitMemory(log)
	if s.files, err = files.New(log); err != nil {
		return err
	}
	if err := os.MkdirAll(s.dir, 0o700); err != nil {
		return err
	}
	lock, err := sqlite.Lock(s.dir, "diadrom, starting")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, lock.Close()) }()
	if err := sqlite.Tidy(s.dir); err != nil {
		log.Warn("leftovers", "error", err)
	}
	db, err := sqlite.Open(ctx, s.dir)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	people, err := s.people(ctx, db)
	if err != nil {
		return err
	}
	version, err := db.PlacesVersion(ctx)
	if err != nil {
		return err
	}
	d, err := s.open(ctx, db)
	if err != nil {
		return err
	}
	catchUp(ctx, d, log)
	in := importer.New(db, s.dir, version, d.SetGazetteer)
	in.Log = log
	orders, err := sqlite.OpenPast(ctx, s.dir)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, orders.Close()) }()
	past := history.New(orders, s.dir, s.files)
	past.Log = log
	if s.orders != nil {
		if err := s.orders(ctx, past, d.State().File); err != nil {
			return err
		}
	}
	keys, err := held.Open(ctx, db, s.dir, log, time.Now)
	if err != nil {
		return err
	}
	wait := background(ctx, in, past, d, keys, log)
	rehearsed, shared := make(chan struct{}), make(chan struct{})
	go func() { defer close(rehearsed); rehearsal.Keep(ctx, db, s.dir, log) }()
	go func() {
		defer close(shared)
		if err := db.ShareEditions(ctx, log); err != nil && ctx.Err() == nil {
			log.Error("editions of an earlier version could not be moved, and stay as they are", "error", err)
		}
	}()
	defer func() {
		stop()
		err = errors.Join(err, wait())
		<-rehearsed
		<-shared
	}()
	l, err := listen(cmd, s.listen)
	if err != nil {
		return err
	}
	if err := lock.Say("diadrom at http://" + l.Addr().String()); err != nil {
		return errors.Join(err, l.Close())
	}
	options, path, err := s.options(l.Addr(), people == 0)
	options.Asks, options.Asks.Dir, options.History, options.Holds = s.asks, s.dir, past, keys
	if err != nil {
		return errors.Join(err, l.Close())
	}
	if options.Metrics, err = s.watch.serve(ctx, log); err != nil {
		return errors.Join(err, l.Close())
	}
	handler, err := web.New(d, db, in, log, options)
	if err != nil {
		return errors.Join(err, l.Close())
	}
	sent, sending, err := s.nodes.send(ctx, db, handler.Services(), log)
	if err != nil {
		return errors.Join(err, l.Close())
	}
	defer func() { stop(); sending() }()
	handler.Sending(sent)
	told := make(chan struct{})
	go func() { defer close(told); handler.Tell(ctx) }()
	defer func() { stop(); <-told }()
	s.say(cmd.OutOrStdout(), "http://"+l.Addr().String(), path)
	return run(ctx, l, handler, handler.Wait, log)
}

// catchUp does what came due while nothing ran: buyers are quoted from what should be live from the first on.
func catchUp(ctx context.Context, d *draft.Draft, log *slog.Logger) {
	if _, err := d.Due(ctx, time.Now()); err != nil {
		log.Error("a scheduled edition could not go live, and is tried again", "error", err)
	}
}

// background imports lists of places and past orders, keeps the schedule and turns keys until the context ends; wait
// waits for the end of all.
func background(ctx context.Context, in *importer.Importer, past *history.History, d *draft.Draft, keys *held.Keys,
	log *slog.Logger) (wait func() error) {
	taking, orders, kept, turned := make(chan error, 1), make(chan error, 1), make(chan struct{}), make(chan struct{})
	go func() { taking <- in.Run(ctx) }()
	go func() { orders <- past.Run(ctx) }()
	go func() { defer close(kept); d.KeepSchedule(ctx, log) }()
	go func() { defer close(turned); keys.Keep(ctx) }()
	return func() error {
		<-kept
		<-turned
		return errors.Join(<-taking, <-orders)
	}
}

// say tells where the shop is.
func (s *shop) say(out io.Writer, at, path string) {
	if s.public != nil {
		at = strings.TrimSuffix(s.public.String(), "/")
	}
	fmt.Fprintf(out, "The shop is kept in %s\nOpen %s%s\n", s.dir, at, path)
	if s.demo {
		fmt.Fprintln(out, "The demo signs itself in as the owner of the shop.")
	}
	fmt.Fprintln(out, "Ctrl+C stops it. Nothing that was saved is lost.")
}

// people counts the people of the shop; a demo has none.
func (s *shop) people(ctx context.Context, db *sqlite.DB) (int, error) {
	people, err := db.People(ctx)
	if err == nil && s.demo && len(people) > 0 {
		err = errors.New("this folder has a shop with people of its own: serve it with diadrom serve, where they " +
			"sign in")
	}
	return len(people), err
}

// open opens the draft of a shop, filled where that is asked for and it was never changed.
func (s *shop) open(ctx context.Context, db *sqlite.DB) (*draft.Draft, error) {
	if s.fill != nil {
		if _, filled, err := db.LoadTill(ctx); err != nil {
			return nil, err
		} else if !filled {
			if err := s.fill(ctx, db, s.dir); err != nil {
				return nil, err
			}
		}
	}
	places, err := db.LoadPlaces(ctx)
	if err != nil {
		return nil, err
	}
	d, err := draft.Open(ctx, db, places, s.first)
	if err != nil {
		return nil, err
	}
	if s.demo && d.Live() == nil {
		_, err = d.Publish(ctx, sqlite.Stamp{Revision: d.State().Revision, Turn: 0}, "The shop as it begins")
	}
	return d, err
}

// options say how the shop is served under an address, and the path on which people begin. empty is whether it has no
// people yet.
func (s *shop) options(at net.Addr, empty bool) (o web.Options, path string, err error) {
	o = web.Options{
		Options: visitor.Options{Hosts: hosts(at), PublicURL: s.public, TrustedProxies: s.trusted},
		SignIn:  signin.Options{Demo: s.demo},
		Files:   s.files,
	}
	switch local := len(o.Hosts) > 0; {
	case s.demo && !local:
		return o, "", errors.New(
			"the demo signs everybody in as its owner: it listens on this machine only, such as on " + defaultListen,
		)
	case s.demo: // for people who work on Diadrom itself: make dev
		o.Dev = os.Getenv("DIADROM_DEV")
	case empty: // whoever comes first would own the shop, also through a proxy that nobody knows of
		o.SignIn.StartCode = rand.Text()
		path = "/start?code=" + o.SignIn.StartCode
	}
	return o, path, nil
}

// collectAt is by how many per cent memory may grow before garbage is collected, far from the limit: a shop takes some
// tens of MB, and collecting less often is worth a tenth of all quotes.
const collectAt = 300

// limitMemory has the runtime collect garbage sooner as the memory nears nine tenths of what this process may
// have: of its control group, or else of the machine.
func limitMemory(log *slog.Logger) {
	if _, set := os.LookupEnv("GOMEMLIMIT"); set {
		return
	}
	if _, set := os.LookupEnv("GOGC"); !set {
		debug.SetGCPercent(collectAt)
	}
	limit, err := memlimit.Set(memlimit.WithRatio(0.9), memlimit.WithLogger(slog.New(slog.DiscardHandler)),
		memlimit.WithProvider(memlimit.ApplyFallback(memlimit.FromCgroup, memlimit.FromSystem)))
	if err != nil {
		log.Warn("memory limit", "error", err)
		return
	}
	log.Info("memory limit", "bytes", limit)
}

// listen listens where it is told, or else on the default address or, where that is taken, on a free port of
// loopback.
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

func run(ctx context.Context, l net.Listener, handler http.Handler, wait func(), log *slog.Logger) error {
	server := &http.Server{
		Handler:           handler,
		ReadHeaderTimeout: 5 * time.Second,
		ReadTimeout:       20 * time.Second,
		WriteTimeout:      30 * time.Second,
		IdleTimeout:       time.Minute,
		MaxHeaderBytes:    64 << 10,
		ErrorLog:          slog.NewLogLogger(log.Handler(), slog.LevelWarn),
	}
	if h, ok := handler.(interface{ End() }); ok {
		server.RegisterOnShutdown(h.End)
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
	defer wait()
	return server.Shutdown(grace)
}
