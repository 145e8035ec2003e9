// Package web serves Diadrom over HTTP: the screens, which the server writes as HTML and htmx changes in place, and the
// API.
//
// A page is the frame (package shell) around the work of one station. An edit is a POST; its answer carries the part
// that was edited and, out of band, the Till requoted and the course line, so that what a change does is seen in the
// same exchange. An edit that is refused answers 422 with the field as it was typed and what is wrong. Each station
// is a package that registers its own routes; this one puts them together, behind what every request goes through.
package web

import (
	"context"
	"io/fs"
	"log/slog"
	"maps"
	"net/http"
	"sync"
	"sync/atomic"
	"time"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/review/warnings"
	"diadrom/internal/shop/deliveries"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/feed"
	"diadrom/internal/shop/files"
	"diadrom/internal/shop/held"
	"diadrom/internal/shop/history"
	"diadrom/internal/shop/importer"
	"diadrom/internal/shop/notices"
	"diadrom/internal/shop/outbox"
	"diadrom/internal/shop/secrets"
	"diadrom/internal/shop/services"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/api"
	"diadrom/internal/web/assets"
	"diadrom/internal/web/carriers"
	"diadrom/internal/web/checkout"
	"diadrom/internal/web/defaults"
	"diadrom/internal/web/find"
	"diadrom/internal/web/ground"
	"diadrom/internal/web/languages"
	"diadrom/internal/web/live"
	"diadrom/internal/web/methods"
	"diadrom/internal/web/metrics"
	"diadrom/internal/web/past"
	"diadrom/internal/web/products"
	"diadrom/internal/web/promises"
	"diadrom/internal/web/quotes"
	"diadrom/internal/web/rates"
	"diadrom/internal/web/review"
	"diadrom/internal/web/safety"
	"diadrom/internal/web/setup"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/shifts"
	"diadrom/internal/web/signin"
	"diadrom/internal/web/strip"
	"diadrom/internal/web/till"
	"diadrom/internal/web/visitor"
	"diadrom/internal/web/webhooks"
	"diadrom/internal/web/widget"
	"diadrom/internal/web/zones"

	"github.com/gin-gonic/gin"
)

// Options say how a shop is served.
type Options struct {
	visitor.Options
	SignIn signin.Options
	Asks   services.Options // services outside, as the program was started
	// Holds are the keys with which quotes are held.
	Holds *held.Keys
	// Metrics counts what is asked, nil for nothing.
	Metrics *metrics.Metrics
	// History is the shop's past orders.
	History *history.History
	// Files reads the files that people send.
	Files *files.Reader
	// folder of this package, whose templates and assets are read from disk; "" where they are built in
	Dev string
}

// Server serves one shop.
type Server struct {
	log      *slog.Logger
	visitors *visitor.Options
	products *products.Screens
	shell    *shell.Shell
	handler  http.Handler
	router   *gin.Engine
	asks     *services.Services
	live     *live.Screens
	offered  *api.API
	notices  *notices.Watcher
	sender   *deliveries.Sender
}

// Services are those that quotes of the shop ask.
func (s *Server) Services() *services.Services { return s.asks }

// Sending has the page of what is live say what was sent to the nodes of the shop; nil for a shop without nodes.
func (s *Server) Sending(sent func() outbox.Sent) { s.live.Sending(sent) }

// templates are those of the stations, by their folders.
var templates = map[string]fs.FS{
	"carriers":  carriers.Files,
	"checkout":  checkout.Files,
	"defaults":  defaults.Files,
	"find":      find.Files,
	"ground":    ground.Files,
	"languages": languages.Files,
	"live":      live.Files,
	"methods":   methods.Files,
	"products":  products.Files,
	"promises":  promises.Files,
	"quotes":    quotes.Files,
	"past":      past.Files,
	"rates":     rates.Files,
	"review":    review.Files,
	"safety":    safety.Files,
	"setup":     setup.Files,
	"shell":     shell.Files,
	"shifts":    shifts.Files,
	"signin":    signin.Files,
	"strip":     strip.Files,
	"till":      till.Files,
	"webhooks":  webhooks.Files,
	"zones":     zones.Files,
}

// figures are the figures beside Undo.
type figures struct {
	*live.Screens
	promises *promises.Screens
	review   *review.Screens
}

func (f figures) Warnings(ctx context.Context, state *draft.State) ([]warnings.Warning, bool, error) {
	return f.review.Warnings(ctx, state)
}

func (f figures) Promises(ctx context.Context) (said string, broken bool, err error) {
	return f.promises.Promises(ctx)
}

// New makes the server of a shop.
func New(d *draft.Draft, db *sqlite.DB, in *importer.Importer, log *slog.Logger, o Options) (*Server, error) {
	read, files, err := o.templates()
	if err != nil {
		return nil, err
	}
	o.Asks.Files = o.Files
	asks, err := services.Open(context.Background(), db, o.Asks)
	if err != nil {
		return nil, err
	}
	d.Ask(asks.Outside, asks.Carriers)
	nobody := ""
	if o.SignIn.Demo {
		nobody = signin.DemoOwner.Name
	}
	sh := shell.New(d, db, log, o.Files, read, nobody)
	notes := visitor.NewNotes(&o.Options, db, log)
	if o.Holds != nil {
		o.SignIn.Holds = o.Holds
	}
	vault := secrets.New(o.Asks.Dir)
	o.SignIn.Vault = vault
	people, err := signin.New(context.Background(), sh, d, db, notes, &o.Options, o.SignIn)
	if err != nil {
		return nil, err
	}
	theTill := till.New(sh, d, db)
	kept := promises.New(sh, d, db, theTill)
	publish := live.New(sh, d, db, kept, asks, notes)
	found := review.New(sh, d, db, theTill, asks.Carriers, kept, publish.Ahead)
	sh.Join(theTill, figures{publish, kept, found})
	s := &Server{
		log:      log,
		visitors: &o.Options,
		products: products.New(sh, d, db),
		shell:    sh,
		asks:     asks,
		live:     publish,
		notices: notices.New(db, d, asks.Carriers, func(ctx context.Context) error {
			_, err := kept.All(ctx)
			return err
		}, log),
		sender: deliveries.New(db, vault, o.Asks.Local, log),
	}

	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	shops := s.shops(d, asks, people, found, o.Holds)
	shops.Kept, shops.Feed, shops.Note = db, feed.New(d), notes.Note
	shops.Feed.Published = notes.Published
	if o.Metrics != nil {
		shops.Count = o.Metrics
		o.Metrics.Watch(metrics.Shop{Draft: d, DB: db, Carriers: asks.Carriers})
		r.Use(o.Metrics.Count)
	}
	shops.Notices = told{db, s.notices}
	offered := api.New(shops)
	s.offered = offered
	r.Use(identified, s.logged, s.recovered, headers(asks.TilesOrigin), offered.Unknown)
	offered.Routes(r)
	alive(r, d, db)
	widget.Routes(r, s.visitors.Home)
	api.ProblemPages(r)
	r.Use(limited, finished)
	r.GET(assets.Root+"*file", gin.WrapH(assets.Handler(files)))
	people.OpenRoutes(r)
	r.Use(people.Signed, sending)
	r.GET("/", func(c *gin.Context) { c.Redirect(http.StatusSeeOther, first(d.State().File)) })
	sh.Routes(r)
	people.Routes(r)
	theTill.Routes(r)
	setup.New(sh, d, db, in, asks, notes).Routes(r, people.Owners)
	publish.Routes(r, people.Owners)
	carriers.New(sh, d, db, asks, notes).Routes(r, people.Owners)
	for _, station := range []interface{ Routes(r gin.IRouter) }{
		zones.New(sh, d, db, theTill, in), ground.New(sh, d, theTill, asks), s.products, methods.New(sh, d, asks),
		rates.New(sh, d, db, theTill), quotes.New(sh, d, db), kept, checkout.New(sh, d, db, s.visitors.Home),
		defaults.New(sh, d, db, kept), found, languages.New(sh, d),
		find.New(sh, d),
	} {
		station.Routes(r)
	}
	past.New(sh, d, db, o.History).Routes(r, people.Owners)
	safety.New(sh, db, notes).Routes(r, people.Owners)
	webhooks.New(sh, db, s.sender, notes).Routes(r, people.Owners)
	r.NoRoute(func(c *gin.Context) { sh.Problem(c, http.StatusNotFound, "There is no such page here.") })
	if o.Dev != "" {
		devRoutes(r, o.Dev)
	}
	s.router = r
	s.handler, err = notes.Guard(r)
	return s, err
}

// told is what programs are told of, and when there is more of it.
type told struct {
	*sqlite.DB
	*notices.Watcher
}

// Tell tells programs what changes, until the context ends.
func (s *Server) Tell(ctx context.Context) {
	var telling sync.WaitGroup
	telling.Go(func() { s.notices.Run(ctx) })
	telling.Go(func() { s.sender.Run(ctx) })
	telling.Wait()
}

// End ends what would go on for as long as its client wants: streams of events.
func (s *Server) End() { s.offered.End() }

// shops are what the API quotes from: what buyers are shown where a carrier fails is counted.
func (s *Server) shops(d *draft.Draft, asks *services.Services, people *signin.Screens, found *review.Screens,
	keys *held.Keys) api.Shops {
	var now atomic.Pointer[api.Edition]
	return api.Shops{
		Live: func() *api.Edition {
			live := d.Live()
			if live == nil {
				return nil
			}
			e := now.Load()
			if e == nil || e.Kept != live.Engine || e.Number != live.Number {
				e = &api.Edition{Engine: live.Engine.AskingCarriers(asks.Carriers.Buyers()), Kept: live.Engine,
					Number: live.Number, Hash: live.Hash}
				now.Store(e)
			}
			return e
		},
		Pinned: s.pinned(d, asks),
		Draft:  func() *quote.Engine { return d.State().Engine },
		Store:  d,
		Asker:  people.Asker,
		Sites:  people.Origins,
		Holds:  func() *held.Keys { return keys },
		Review: found.Wire,
		Log:    s.log,
		Files:  s.shell.Files,
		Moves:  asks.MovesAny,
	}
}

// pinned gives editions that gave way a short time ago, each read once.
func (s *Server) pinned(d *draft.Draft, asks *services.Services) func(int64) *api.Edition {
	type pinned struct {
		e     *api.Edition
		until time.Time
	}
	var mu sync.Mutex
	known := map[int64]pinned{}
	return func(number int64) *api.Edition {
		mu.Lock()
		defer mu.Unlock()
		now := time.Now()
		if p, ok := known[number]; ok && now.Before(p.until) {
			return p.e
		}
		ctx, stop := context.WithTimeout(context.Background(), 5*time.Second)
		defer stop()
		f, hash, until, err := d.Former(ctx, number, now.Add(-outbox.Pinned), outbox.MaxFormer)
		if err != nil {
			s.log.Error("a former edition cannot be read", "edition", number, "error", err)
		}
		if f == nil {
			return nil
		}
		maps.DeleteFunc(known, func(_ int64, p pinned) bool { return !now.Before(p.until) })
		engine := d.Engine(f).AskingCarriers(asks.Carriers.Buyers())
		known[number] = pinned{&api.Edition{Engine: engine, Kept: engine, Number: number, Hash: hash},
			until.Add(outbox.Pinned)}
		return known[number].e
	}
}

// ServeHTTP answers a request.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.handler.ServeHTTP(w, r) }

// Wait waits for what goes on after its request was answered.
func (s *Server) Wait() { s.products.Wait() }

// first is the page that work begins on: a shop without zones is asked about itself.
func first(f *store.File) string {
	if len(f.Zones) == 0 {
		return "/shop"
	}
	return "/zones"
}
