// Package defaults has the screen on which a term is set for several methods or zones at once: as the shop's default,
// or for those that are chosen. What it would change is shown before it counts.
package defaults

import (
	"context"
	"embed"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/samples"
	"diadrom/internal/web/promises"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// Files are the templates of these screens.
//
//go:embed templates/*.html
var Files embed.FS

// Draft is what this screen does with the draft.
type Draft interface {
	shell.Editor
	Try(change func(*store.File) error) (*draft.State, error)
}

// Promises are those that a change may break.
type Promises interface {
	BrokenBy(ctx context.Context, e *quote.Engine) ([]promises.Row, error)
}

// Screens are this screen.
type Screens struct {
	*shell.Shell
	draft    Draft
	samples  samples.Source
	promises Promises
}

// New makes the screen.
func New(sh *shell.Shell, d Draft, db samples.Source, p Promises) *Screens {
	return &Screens{sh, d, db, p}
}

// Routes registers the addresses of this screen.
func (s *Screens) Routes(r gin.IRouter) {
	r.GET("/defaults", s.page)
	r.GET("/defaults/zones", shell.PartOf("/defaults"), s.zones)
	r.POST("/defaults", s.set)
	r.POST("/defaults/preview", s.preview)
}
