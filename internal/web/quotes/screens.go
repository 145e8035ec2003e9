// Package quotes has the Quotes station: a cart quoted over destinations, quantities, weights and sums.
package quotes

import (
	"embed"

	"diadrom/internal/shop/samples"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// Files are the templates of these screens.
//
//go:embed templates/*.html
var Files embed.FS

// Screens are the screens of the station.
type Screens struct {
	*shell.Shell
	draft shell.Editor
	db    samples.Source
}

// New makes the screens of the station.
func New(sh *shell.Shell, d shell.Editor, db samples.Source) *Screens { return &Screens{sh, d, db} }

// Routes registers the addresses of these screens.
func (s *Screens) Routes(r gin.IRouter) {
	r.GET("/quotes", s.quotes)
	r.GET("/quotes/why", s.why)
	r.GET("/quotes.csv", s.exportQuotes)
}
