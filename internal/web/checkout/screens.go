// Package checkout has the page of checkout as a buyer meets it, and the owner's choices of how it asks.
package checkout

import (
	"embed"

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
}

// New makes the page of checkout.
func New(sh *shell.Shell, d Draft, db samples.Source) *Screens { return &Screens{sh, d, db} }

// Routes registers the addresses of these screens.
func (s *Screens) Routes(r gin.IRouter) {
	r.GET("/checkout", s.checkout)
	r.GET("/checkout/goods", s.checkoutGoods)
	r.POST("/checkout/choices", s.editCheckout)
}
