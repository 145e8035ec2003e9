// Package signin has signing in, the people of a shop and its API keys, and the events about its locks.
package signin

import (
	"context"
	"embed"
	"net/http"
	"sync/atomic"

	"diadrom/internal/auth"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/held"
	"diadrom/internal/shop/secrets"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/visitor"
	"time"

	"github.com/gin-gonic/gin"
)

// Files are the templates of these screens.
//
//go:embed templates/*.html
var Files embed.FS

// Draft is what signing in refreshes: a request sees what another process published.
type Draft interface {
	State() *draft.State
	Refresh(ctx context.Context) error
}

// Notes keeps what happens to the locks.
type Notes interface {
	Note(r *http.Request, kind auth.Event, p auth.Person, detail string)
}

// Screens are the screens of signing in and of people.
type Screens struct {
	*shell.Shell
	draft    Draft
	db       *sqlite.DB
	notes    Notes
	visitors *visitor.Options
	Options
	attempts *auth.Attempts
	sure     sure
	keys     atomic.Pointer[map[string]*heldKey] // those that hold, by what is kept of them
	// when those were read because one was not known, in nanoseconds since 1970
	reloaded atomic.Int64
}

// Options say who may sign in.
type Options struct {
	Demo      bool   // everybody is signed in as the owner: only for loopback
	StartCode string // what the first owner must know; "" for nothing
	// Vault seals the secrets of second factors.
	Vault *secrets.Vault
	// Holds are the keys with which quotes are held, nil for none.
	Holds Holds
}

// Holds are the keys with which quotes are held.
type Holds interface {
	List() []held.Info
	Roll(ctx context.Context) error
}

// DemoOwner is who is signed in where everybody is.
var DemoOwner = auth.Person{Name: "the demo's owner", Role: auth.Owner}

// New makes the screens of signing in and of people, with the API keys that hold.
func New(
	ctx context.Context,
	sh *shell.Shell,
	d Draft,
	db *sqlite.DB,
	n Notes,
	v *visitor.Options,
	o Options,
) (*Screens, error) {
	s := &Screens{Shell: sh, draft: d, db: db, notes: n, visitors: v, Options: o, attempts: auth.NewAttempts(),
		sure: sure{until: map[string]time.Time{}}}
	return s, s.loadKeys(ctx)
}

// OpenRoutes registers what somebody needs who is not signed in.
func (s *Screens) OpenRoutes(r gin.IRouter) {
	r.GET("/start", s.startPage)
	r.POST("/start", signing, s.start)
	r.GET("/sign-in", s.signInPage)
	r.POST("/sign-in", signing, s.signIn)
	r.GET("/sign-in/code", s.codePage)
	r.POST("/sign-in/code", signing, s.code)
	r.POST("/sign-out", s.signOut)
}

// Routes registers what is for people who are signed in.
func (s *Screens) Routes(r gin.IRouter) {
	r.GET("/people", s.people)
	r.GET("/people/events.csv", s.Owners, s.eventsFile)
	r.POST("/people/confirm", s.confirm)
	r.POST("/people", s.Owners, s.asksAgain, s.addPerson)
	r.POST("/people/passphrase", s.asksCodeAgain, s.changePassphrase)
	r.POST("/people/factor", s.asksAgain, s.offerFactor)
	r.POST("/people/factor/confirm", s.asksAgain, s.confirmFactor)
	r.POST("/people/factor/remove", s.asksAgain, s.removeFactor)
	r.POST("/people/sessions/:session/end", s.endSession)
	r.POST("/people/:person", s.Owners, s.asksAgain, s.switchPerson)
	r.POST("/people/:person/factor", s.Owners, s.asksAgain, s.resetFactor)
	r.POST("/keys", s.Owners, s.asksAgain, s.addKey)
	r.POST("/keys/signing", s.Owners, s.asksAgain, s.replaceSigning)
	r.POST("/keys/:key/revoke", s.Owners, s.revokeKey)
}
