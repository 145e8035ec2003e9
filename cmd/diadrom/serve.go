package main

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/netip"
	"net/url"
	"os"
	"os/signal"
	"runtime/debug"
	"strings"
	"sync"
	"syscall"
	"time"

	"diadrom/internal/core/store"
	"diadrom/internal/outside/carriers"
	"diadrom/internal/shop/backups"
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
	var backupEvery time.Duration
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
			s := shop{dir: dir, listen: listen, first: draft.Empty(), watch: watch, backupEvery: backupEvery}
			s.public, s.trusted, err = behind(public, trusted)
			s.asks.Local = asks.local
			fixed, wrong := asks.read()
			s.asks.Fixed = fixed
			if backupEvery < 0 {
				wrong = errors.Join(wrong, errors.New("--backup-every: write how often, such as 24h, or 0 for only after changes"))
			}
			if err := errors.Join(err, wrong, nodes.check(from), watch.check(), checkListen("--listen", listen)); err != nil {
				return err
			}
			s.nodes = nodes
			if printConfig {
				if s.public != nil && from["trusted-proxy"] == isDefault {
					err = cmd.Flags().Set("trusted-proxy", strings.Join(thisMachine, ","))
				}
				if listen == "" {
					err = errors.Join(err, cmd.Flags().Set("listen", defaultListen))
				}
				return errors.Join(err, from.print(cmd.OutOrStdout(), cmd.Flags()))
			}
			if dir == "" {
				return errors.New("say where the shop is kept: --data DIR, or DIADROM_DATA")
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
	cmd.Flags().DurationVar(&backupEvery, "backup-every", backups.Daily,
		"how often a backup is made at least, such as 24h; 0 for only after changes and publishing")
	cmd.Flags().String("config", "", "a file of settings (TOML)")
	cmd.Flags().
		BoolVar(&printConfig, "print-config", false, "print the settings that count, with where each is from, and end")
	return cmd
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
			s := shop{dir: dir, listen: listen, first: first, fill: demo.Fill, demo: true, backupEvery: backups.Daily}
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
	// backupEvery is how often a backup is made at least; 0 for only after changes
	backupEvery time.Duration
	files       *files.Reader
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
	for _, name := range stray(d) {
		log.Warn("the environment has the secret of a carrier that this shop does not have: is it spelt as its id?",
			"variable", name)
	}
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
	var keeping sync.WaitGroup
	keeping.Go(func() { rehearsal.Keep(ctx, db, s.dir, log) })
	keeping.Go(func() { backups.New(db, s.backupEvery, log).Run(ctx) })
	keeping.Go(func() {
		if err := db.ShareEditions(ctx, log); err != nil && ctx.Err() == nil {
			log.Error("editions of an earlier version could not be moved, and stay as they are", "error", err)
		}
	})
	defer func() {
		stop()
		err = errors.Join(err, wait())
		keeping.Wait()
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

// stray lists the variables of carriers' secrets that are of no carrier of the shop.
func stray(d *draft.Draft) []string {
	lists := [][]store.Carrier{d.State().File.Carriers}
	if live := d.Live(); live != nil {
		lists = append(lists, live.File.Carriers)
	}
	return carriers.Stray(os.Environ(), lists...)
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
