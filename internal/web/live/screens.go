// Package live has the Live station: what the draft would change for buyers, publishing, editions, and whole store
// files.
package live

import (
	"context"
	"embed"
	"net/http"
	"sync/atomic"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/outbox"
	"diadrom/internal/shop/samples"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/promises"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
)

// Files are the templates of these screens.
//
//go:embed templates/*.html
var Files embed.FS

// Draft is what these screens do with the draft and what is live.
type Draft interface {
	shell.Editor
	Live() *draft.Live
	Edition(ctx context.Context, number int64) (*store.File, []byte, error)
	Publish(ctx context.Context, seen sqlite.Stamp, note string) (*draft.Live, error)
	PublishAgain(ctx context.Context, edition int64, seen sqlite.Stamp) (*draft.Live, error)
	PublishLater(
		ctx context.Context,
		seen sqlite.Stamp,
		note string,
		when draft.Later,
		now time.Time,
	) (sqlite.Scheduled, error)
	Schedules(ctx context.Context) ([]sqlite.Scheduled, error)
	CallOff(ctx context.Context, id int64) error
	Refresh(ctx context.Context) error
}

// Store is what these screens keep and read beside the draft.
type Store interface {
	upload.Store
	samples.Source
	Editions(ctx context.Context) ([]sqlite.Edition, error)
	Removable(ctx context.Context, keep int, since time.Time) ([]int64, error)
	RemoveEditions(ctx context.Context, keep int, since time.Time) ([]int64, error)
	Edits(ctx context.Context, after int64) ([]sqlite.Remembered, error)
}

// Promises are the promises that publishing may break.
type Promises interface {
	All(ctx context.Context) ([]promises.Kept, error)
}

// Notes keeps who published what.
type Notes interface {
	Note(r *http.Request, kind auth.Event, p auth.Person, detail string)
}

// Screens are the screens of the station.
type Screens struct {
	*shell.Shell
	draft    Draft
	db       Store
	promises Promises
	carriers Carriers
	notes    Notes
	differs  differs
	sent     atomic.Pointer[func() outbox.Sent] // nil where the shop has no nodes
}

// Sending has the page say what was sent to the nodes of the shop; nil for a shop without nodes.
func (s *Screens) Sending(sent func() outbox.Sent) {
	if sent != nil {
		s.sent.Store(&sent)
	}
}

// Carriers tell what they have changed themselves.
type Carriers interface {
	// MovesAny names a carrier with a secret that one store asks at another origin than the other; "" for none.
	MovesAny(was, is *store.File) string
	Moved(f *store.File, since time.Time) []string
}

// New makes the screens of the station.
func New(sh *shell.Shell, d Draft, db Store, p Promises, c Carriers, n Notes) *Screens {
	return &Screens{Shell: sh, draft: d, db: db, promises: p, carriers: c, notes: n}
}

// Routes registers the addresses of these screens; owners lets in owners only.
func (s *Screens) Routes(r gin.IRouter, owners gin.HandlerFunc) {
	r.GET("/live", s.livePage)
	r.POST("/live", owners, s.publish)
	r.POST("/live/later", owners, s.publishLater)
	r.POST("/live/call-off/:id", owners, s.callOff)
	r.GET("/live/changes", shell.PartOf("/live"), s.aheadList)
	r.GET("/live/old", shell.PartOf("/live"), owners, s.askOld)
	r.POST("/live/old", owners, s.removeOld)
	r.GET("/live/warnings", shell.PartOf("/live"), s.newWarningsPart)
	r.POST("/live/put-back", s.putBack)
	s.files().Routes(r)
	r.GET("/live/:edition", s.downloadEdition)
	r.GET("/live/:edition/again", shell.PartOf("/live"), owners, s.askAgain)
	r.POST("/live/:edition/again", owners, s.publishAgain)
	r.POST("/live/:edition/draft", s.bringBack)
}
