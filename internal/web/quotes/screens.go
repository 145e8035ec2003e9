// Package quotes has the Quotes station: a cart quoted over destinations, quantities, weights and sums.
package quotes

import (
	"embed"

	"diadrom/internal/core/quote"
	"diadrom/internal/shop/draft"
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
	draft Draft
	db    samples.Source
}

// Draft is what these screens look at: the draft and what is live.
type Draft interface {
	shell.Editor
	Live() *draft.Live
}

// live quotes from the edition that is live; nil where none is.
func (s *Screens) live() *quote.Engine {
	if live := s.draft.Live(); live != nil {
		return live.Engine
	}
	return nil
}

// New makes the screens of the station.
func New(sh *shell.Shell, d Draft, db samples.Source) *Screens { return &Screens{sh, d, db} }

// Routes registers the addresses of these screens.
func (s *Screens) Routes(r gin.IRouter) {
	r.GET("/quotes", s.quotes)
	r.GET("/quotes/why", s.why)
	r.GET("/quotes/parcels", s.parcels)
	r.GET("/quotes/parcels/till", s.tillParcels)
	r.POST("/quotes/parcels/drawn", s.drawnParcels)
	r.GET("/quotes.csv", s.exportQuotes)
}
