// Package checkout has the page of checkout as a buyer meets it, the owner's choices of how it asks, and the element for
// the shop's own pages as the owner chooses it.
package checkout

import (
	"embed"
	"net/http"

	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/samples"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// Files are the templates of these screens.
//
//go:embed templates/*.html
var Files embed.FS

// Draft is what this page shows and edits.
type Draft interface {
	shell.Editor
	Live() *draft.Live
}

// Screens are the page of checkout.
type Screens struct {
	*shell.Shell
	draft Draft
	db    samples.Source
	home  func(*http.Request) string // where the shop is reached, as whoever asks has it
}

// New makes the page of checkout.
func New(sh *shell.Shell, d Draft, db samples.Source, home func(*http.Request) string) *Screens {
	return &Screens{sh, d, db, home}
}

// Routes registers the addresses of these screens.
func (s *Screens) Routes(r gin.IRouter) {
	r.GET("/checkout", s.checkout)
	r.GET("/checkout/element", s.element)
	r.GET("/checkout/goods", s.checkoutGoods)
	r.POST("/checkout/choices", s.editCheckout)
}
