// Package screen serves Diadrom's screens: HTML by the server, changed in place through htmx.
//
// A page is the shell (the course line of stations and the Till) around the work of one station. An edit is a
// POST; its answer carries the part that was edited and, out of band, the Till requoted and the course line, so
// that what a change does is seen in the same exchange. An edit that is refused answers 422 with the field as
// it was typed and what is wrong.
package screen

import (
	"bytes"
	"context"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"log/slog"
	"net/http"
	"net/netip"
	"net/url"
	"runtime/debug"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"diadrom/internal/api"
	"diadrom/internal/auth"
	"diadrom/internal/draft"
	"diadrom/internal/importer"
	"diadrom/internal/quote"
	"diadrom/internal/storage"

	"github.com/gin-gonic/gin"
)

//go:embed templates/*.html
var templateFiles embed.FS

//go:embed assets
var assetFiles embed.FS

// MaxBody is the largest body of a request to a screen, in bytes.
const MaxBody = 1 << 20

// Server serves the screens of one shop.
type Server struct {
	draft     *draft.Draft
	db        *storage.DB
	importer  *importer.Importer
	templates *template.Template
	log       *slog.Logger
	handler   http.Handler
	router    *gin.Engine

	options    Options
	keeper     keeper
	differs    differs
	attempts   *auth.Attempts
	notes      *notes
	reading    chan struct{}                   // of tables: one for each that is read
	keys       atomic.Pointer[map[string]bool] // API keys, by what is kept of them: whether they hold
	taking     sync.Map                        // of uploads' ids to *takingGoods
	background sync.WaitGroup                  // what goes on after its request was answered
}

// Options say how a shop is served.
type Options struct {
	Hosts     []string // the names under which it answers; none means any, but for PublicURL's
	PublicURL *url.URL // under which buyers and people reach it through a proxy: scheme and host; nil where there is none
	// TrustedProxies are the addresses of proxies whose X-Forwarded-For and X-Forwarded-Proto are believed.
	TrustedProxies []netip.Prefix
	Demo           bool   // everybody is signed in as the owner: only for loopback
	StartCode      string // what the first owner must know; "" for nothing
	Dev            string // folder of this package, whose templates and assets are read from disk; "" where they are built in
}

// New makes a shop's screens.
func New(d *draft.Draft, db *storage.DB, in *importer.Importer, log *slog.Logger, o Options) (*Server, error) {
	s := &Server{
		draft:    d,
		db:       db,
		importer: in,
		log:      log,
		options:  o,
		attempts: auth.NewAttempts(),
		notes:    newNotes(),
		reading:  make(chan struct{}, maxHeavy),
	}
	err := s.loadKeys(context.Background())
	if err != nil {
		return nil, err
	}
	var assets fs.FS
	if s.templates, assets, err = s.options.read(); err != nil {
		return nil, err
	}
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	r.Use(s.logged, s.recovered, headers, api.Unknown)
	api.Route(
		r,
		api.Shops{Live: s.liveEngine, Draft: func() *quote.Engine { return d.State().Engine }, Asker: s.asker},
	)
	r.Use(limited)
	r.GET("/assets/*file", func(c *gin.Context) {
		c.Header("Cache-Control", "no-cache")
		http.StripPrefix("/assets/", http.FileServerFS(assets)).ServeHTTP(c.Writer, c.Request)
	})
	r.GET("/start", s.startPage)
	r.POST("/start", signing, s.start)
	r.GET("/sign-in", s.signInPage)
	r.POST("/sign-in", signing, s.signIn)
	r.POST("/sign-out", s.signOut)
	r.Use(s.signed, s.heavy)
	s.routes(r)
	if o.Dev != "" {
		s.devRoutes(r)
	}
	s.router = r
	if s.handler, err = s.guarded(r); err != nil {
		return nil, err
	}
	return s, nil
}

// liveEngine is what buyers are quoted from; nil where nothing is live.
func (s *Server) liveEngine() *quote.Engine {
	if live := s.draft.Live(); live != nil {
		return live.Engine
	}
	return nil
}

// ServeHTTP answers a request.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.handler.ServeHTTP(w, r) }

// Wait waits for what goes on after its request was answered.
func (s *Server) Wait() { s.background.Wait() }

func (s *Server) routes(r *gin.Engine) {
	r.GET("/", func(c *gin.Context) { c.Redirect(http.StatusSeeOther, "/zones") })
	r.GET("/zones", s.zones)
	r.POST("/zones", s.addZone)
	r.POST("/zones/:zone/name", s.nameZone)
	r.POST("/zones/:zone/places", s.addPlaces)
	r.POST("/zones/:zone/remove-place", s.removePlace)
	r.POST("/zones/:zone/enabled", s.enableZone)
	r.POST("/zones/:zone/pinned", s.pinZone)
	r.POST("/zones/:zone/remove", s.removeZone)
	r.GET("/zones/file", s.exportZones)
	r.POST("/zones/file", s.sendZones)
	r.GET("/zones/file/:file", s.zonesFile)
	r.POST("/zones/file/:file", s.takeZones)
	r.GET("/lists", s.lists)
	r.POST("/lists", s.addList)
	r.POST("/lists/:list/remove", s.removeList)
	r.GET("/suggest/places", s.suggestPlaces)
	r.GET("/suggest/addresses", s.suggestAddresses)
	r.GET("/goods", s.goods)
	r.POST("/goods", s.addProduct)
	r.POST("/goods/cell", s.editProduct)
	r.POST("/goods/paste", s.pasteGoods)
	r.POST("/goods/set", s.setGoods)
	r.POST("/goods/setting", s.goodsSetting)
	r.POST("/goods/classes", s.addClass)
	r.POST("/goods/classes/:class", s.nameClass)
	r.POST("/goods/classes/:class/remove", s.removeClass)
	r.GET("/goods/file", s.exportGoods)
	r.POST("/goods/file", s.sendGoods)
	r.GET("/goods/file/:file", s.goodsFile)
	r.POST("/goods/file/:file", s.takeGoods)
	r.GET("/goods/file/:file/progress", s.goodsProgress)
	r.GET("/goods/file/:file/refused", s.refusedGoods)
	r.GET("/suggest/goods", s.suggestGoods)
	r.POST("/undo", s.undo)
	r.POST("/redo", s.redo)
	r.GET("/methods", s.methods)
	r.POST("/methods", s.addMethod)
	r.POST("/methods/:method/name", s.nameMethod)
	r.POST("/methods/dispatch", s.editDispatch)
	r.GET("/methods/:method", s.method)
	r.POST("/methods/:method/term", s.editTerm)
	r.POST("/methods/:method/switch", s.switchMethod)
	r.POST("/methods/:method/move", s.moveMethod)
	r.POST("/methods/:method/copy", s.copyMethod)
	r.POST("/methods/:method/remove", s.removeMethod)
	r.GET("/policy", s.policyPage)
	r.GET("/policy.md", s.policyMarkdown)
	r.GET("/policy.html", s.policyHTML)
	r.GET("/rates", s.firstRates)
	r.GET("/rates/:method", s.rates)
	r.POST("/rates/:method/:table/cell", s.editCell)
	r.POST("/rates/:method/:table/at", s.editBreak)
	r.POST("/rates/:method/:table/rows", s.addRow)
	r.POST("/rates/:method/:table/remove-row", s.removeRow)
	r.GET("/rates/:method/:table/read", s.readCurve)
	r.GET("/rates/:method/:table/aside", s.aside)
	r.POST("/rates/:method/:table/paste", s.pasteCells)
	r.POST("/rates/:method/:table/column-as", s.columnAs)
	r.POST("/rates/:method/:table/move-column", s.moveColumn)
	r.POST("/rates/:method/:table/shape", s.shapeTable)
	r.POST("/rates/:method/:table/remove", s.removeTable)
	r.POST("/rates/:method/lists", s.addTable)
	r.POST("/rates/:method/combine", s.combineTables)
	r.POST("/rates/:method/:table/columns", s.addColumn)
	r.POST("/rates/:method/:table/remove-column", s.removeColumn)
	r.POST("/rates/:method/:table/close-column", s.closeColumn)
	r.GET("/rates-file", s.exportRates)
	r.POST("/rates-file", s.sendRates)
	r.GET("/rates-file/:file", s.ratesFile)
	r.POST("/rates-file/:file", s.takeRates)
	r.GET("/quotes", s.quotes)
	r.GET("/quotes.csv", s.exportQuotes)
	r.GET("/promises", s.promisesPage)
	r.POST("/promises", s.keepPromise)
	r.POST("/promises/file", s.importPromises)
	r.GET("/promises.json", s.exportPromises)
	r.POST("/promises/:promise/forget", s.forgetPromise)
	r.POST("/promises/:promise/try", s.tryPromise)
	r.GET("/checkout", s.checkout)
	r.GET("/checkout/goods", s.checkoutGoods)
	r.POST("/checkout/choices", s.editCheckout)
	r.GET("/live", s.livePage)
	r.POST("/live", s.owners, s.putLive)
	r.GET("/live/changes", s.aheadList)
	r.POST("/live/put-back", s.putBack)
	r.POST("/live/file", s.sendStore)
	r.GET("/live/file/:file", s.storeFile)
	r.POST("/live/file/:file", s.takeStore)
	r.GET("/live/:edition", s.downloadEdition)
	r.GET("/live/:edition/again", s.owners, s.askAgain)
	r.POST("/live/:edition/again", s.owners, s.putAgain)
	r.POST("/live/:edition/draft", s.bringBack)
	r.GET("/people", s.people)
	r.GET("/people/events.csv", s.owners, s.eventsFile)
	r.POST("/people", s.owners, s.addPerson)
	r.POST("/people/passphrase", s.changePassphrase)
	r.POST("/people/:person", s.owners, s.switchPerson)
	r.POST("/keys", s.owners, s.addKey)
	r.POST("/keys/:key/revoke", s.owners, s.revokeKey)
	r.POST("/shop", s.editShop)
	r.POST("/till/destination", s.tillDestination)
	r.POST("/till/cart", s.tillCart)
	r.POST("/till/carts", s.keepCart)
	r.POST("/till/carts/:cart/forget", s.forgetCart)
	r.POST("/till/line", s.tillLine)
	r.POST("/till/add", s.tillAdd)
	r.POST("/till/buyer", s.tillBuyer)
	r.NoRoute(func(c *gin.Context) { s.problem(c, http.StatusNotFound, "There is no such page here.") })
}

// headers sends the security headers: everything comes from here, nothing is inline.
func headers(c *gin.Context) {
	h := c.Writer.Header()
	h.Set(
		"Content-Security-Policy",
		"default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src 'self' data:; "+
			"connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'",
	)
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	c.Next()
}

// files are the addresses that take a file, which may be larger than other requests; they say so by themselves.
var files = map[string]bool{
	"/zones/file":    true,
	"/goods/file":    true,
	"/rates-file":    true,
	"/lists":         true,
	"/promises/file": true,
	"/live/file":     true,
}

// maxHeavy is how many tables are read at once: each may take some hundred MB meanwhile.
const maxHeavy = 2

// heavy has requests that read a whole table wait for their turn.
func (s *Server) heavy(c *gin.Context) {
	path := c.Request.URL.Path
	if !files[path] && !strings.HasPrefix(path, "/goods/file/") && !strings.HasPrefix(path, "/rates-file/") &&
		!strings.HasPrefix(path, "/zones/file/") &&
		!strings.HasPrefix(path, "/live/file/") ||
		strings.HasSuffix(path, "/progress") ||
		path == "/lists" ||
		c.Request.Method == http.MethodGet && files[path] {
		c.Next()
		return
	}
	select {
	case s.reading <- struct{}{}:
		defer func() { <-s.reading }()
		c.Next()
	case <-c.Request.Context().Done():
		c.Abort()
	}
}

func limited(c *gin.Context) {
	if files[c.Request.URL.Path] {
		c.Next()
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, MaxBody)
	if c.Request.ContentLength > MaxBody {
		c.String(
			http.StatusRequestEntityTooLarge,
			"That is more than %d KB; nothing was changed. Long lists are taken in as files.",
			MaxBody>>10,
		)
		c.Abort()
		return
	}
	if c.Request.Method == http.MethodPost {
		if err := c.Request.ParseForm(); err != nil {
			status, text := http.StatusBadRequest, "The browser sent something that cannot be read; nothing "+
				"was changed."
			var tooLarge *http.MaxBytesError
			if errors.As(err, &tooLarge) {
				status = http.StatusRequestEntityTooLarge
				text = fmt.Sprintf("That is more than %d KB; nothing was changed. Long lists are taken in as files.", MaxBody>>10)
			}
			c.String(status, "%s", text)
			c.Abort()
			return
		}
	}
	c.Next()
}

func (s *Server) logged(c *gin.Context) {
	start := time.Now()
	c.Next()
	if strings.HasPrefix(c.Request.URL.Path, "/assets/") {
		return
	}
	s.log.Info(
		"request",
		"method",
		c.Request.Method,
		"path",
		c.Request.URL.Path,
		"status",
		c.Writer.Status(),
		"from",
		s.options.from(c.Request),
		"person",
		who(c.Request.Context()).ID,
		"took",
		time.Since(start),
	)
}

// recovered answers a panic without telling the browser more than that.
func (s *Server) recovered(c *gin.Context) {
	defer func() {
		if p := recover(); p != nil {
			s.log.Error("panic", "path", c.Request.URL.Path, "panic", fmt.Sprint(p), "stack", string(debug.Stack()))
			c.Abort()
			if !c.Writer.Written() {
				s.problem(
					c,
					http.StatusInternalServerError,
					"Something went wrong here. Nothing that was saved is lost; please try again.",
				)
			}
		}
	}()
	c.Next()
}

// part makes a part of a page. A panic is logged and makes it false: a part that cannot be shown does not take
// the page with it.
func (s *Server) part(name string, make func()) (ok bool) {
	defer func() {
		if p := recover(); p != nil {
			s.log.Error("panic", "part", name, "panic", fmt.Sprint(p), "stack", string(debug.Stack()))
			ok = false
		}
	}()
	make()
	return true
}

// render executes a template; what fails is logged, never shown.
func (s *Server) render(name string, data any) template.HTML {
	templates := s.templates
	if s.options.Dev != "" {
		var err error
		if templates, _, err = s.options.read(); err != nil {
			return template.HTML(template.HTMLEscapeString(err.Error()))
		}
	}
	var b bytes.Buffer
	if err := templates.ExecuteTemplate(&b, name, data); err != nil {
		panic(err)
	}
	return template.HTML(b.String())
}

func isHTMX(c *gin.Context) bool { return c.GetHeader("HX-Request") == "true" }

// problem answers with a sentence.
func (s *Server) problem(c *gin.Context, status int, text string) {
	if isHTMX(c) {
		c.Header("HX-Retarget", "#notice")
		c.Header("HX-Reswap", "innerHTML")
		s.html(c, status, s.render("problem", text))
		return
	}
	s.html(c, status, s.render("bare", text))
}

func (s *Server) html(c *gin.Context, status int, body ...template.HTML) {
	c.Status(status)
	c.Header("Content-Type", "text/html; charset=utf-8")
	for _, b := range body {
		if _, err := c.Writer.WriteString(string(b)); err != nil {
			return
		}
	}
}

// internal answers an error that is not the owner's.
func (s *Server) internal(c *gin.Context, err error) {
	if errors.Is(err, context.Canceled) {
		return
	}
	if storage.Full(err) {
		s.log.Error("full", "path", c.Request.URL.Path, "error", err)
		s.problem(
			c,
			http.StatusInsufficientStorage,
			"The disk is full. Nothing was changed, and nothing is lost: make room and try again.",
		)
		return
	}
	s.log.Error("internal", "path", c.Request.URL.Path, "error", err)
	s.problem(c, http.StatusInternalServerError, "This could not be saved. Nothing was changed; please try again.")
}
