// Package promises has the promises: quotes that must stay as they are, checked again at each edit.
package promises

import (
	"context"
	"embed"

	"diadrom/internal/core/store"
	"diadrom/internal/shop/samples"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/till"

	"github.com/gin-gonic/gin"
)

// Files are the templates of these screens.
//
//go:embed templates/*.html
var Files embed.FS

// Store is what is kept of promises.
type Store interface {
	samples.Source
	Promises(ctx context.Context) ([]sqlite.KeptPromise, error)
	AddPromises(ctx context.Context, list ...sqlite.KeptPromise) error
	MarkPromises(ctx context.Context, list []sqlite.KeptPromise, told ...sqlite.Notice) error
	RemovePromise(ctx context.Context, id string) error
}

// Till is changed to what a promise is about.
type Till interface {
	Change(c *gin.Context, change func(*store.File, *sqlite.Till) error, slipped func(*till.Slips, string))
}

// Screens are the screens of promises.
type Screens struct {
	*shell.Shell
	draft  shell.Editor
	db     Store
	till   Till
	keeper keeper
}

// New makes the screens of promises.
func New(sh *shell.Shell, d shell.Editor, db Store, t Till) *Screens {
	return &Screens{Shell: sh, draft: d, db: db, till: t}
}

// Routes registers the addresses of these screens.
func (s *Screens) Routes(r gin.IRouter) {
	r.GET("/promises", s.promisesPage)
	r.POST("/promises", s.keepPromise)
	r.POST("/promises/file", s.importPromises)
	r.GET("/promises.json", s.exportPromises)
	r.POST("/promises/:promise/forget", s.forgetPromise)
	r.POST("/promises/:promise/try", s.tryPromise)
}
