// Package setup has the Shop station, with what holds for all of a shop: its name and units, its places, tax, when
// orders leave and usual destinations; and the extras beside price lists: surcharges and agreed charges.
package setup

import (
	"context"
	"embed"
	"net/http"

	"diadrom/internal/auth"
	"diadrom/internal/shop/samples"
	"diadrom/internal/shop/services"
	"diadrom/internal/shop/shipped"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/addresslist"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
)

// Files are the templates of these screens.
//
//go:embed templates/*.html
var Files embed.FS

// Store is what these screens keep beside the draft.
type Store interface {
	samples.Source
	UpdateSamples(
		ctx context.Context,
		change func(carts []sqlite.SampleCart, destinations []string) ([]sqlite.SampleCart, []string, error),
	) error
	upload.Store
	Book(ctx context.Context, text string, most int) (list []addresslist.Entry, total int, err error)
	BookEntry(ctx context.Context, name string) (e addresslist.Entry, ok bool, err error)
	SaveBook(ctx context.Context, entries []addresslist.Entry) error
	ReplaceInBook(ctx context.Context, name string, e addresslist.Entry) error
	RemoveFromBook(ctx context.Context, name string) error
}

// Screens are the screens of the station.
type Screens struct {
	*shell.Shell
	draft shell.Editor
	db    Store
	lists shipped.Importer

	services *services.Services
	notes    Notes
}

// Notes keep what happens to the shop's locks, and to what its live quotes rest on.
type Notes interface {
	Note(r *http.Request, event auth.Event, p auth.Person, detail string)
}

// New makes the screens of the station.
func New(
	sh *shell.Shell,
	d shell.Editor,
	db Store,
	lists shipped.Importer,
	outside *services.Services,
	n Notes,
) *Screens {
	return &Screens{sh, d, db, lists, outside, n}
}

// Routes registers the addresses of these screens; owners lets only owners of the shop through.
func (s *Screens) Routes(r gin.IRouter, owners gin.HandlerFunc) {
	r.POST("/shop/distances", s.editDistances)
	r.POST("/shop/services/:service", owners, s.setService)
	r.POST("/shop/services/:service/test", owners, s.testService)
	r.GET("/shop", s.shop)
	r.POST("/shop", s.editShop)
	r.POST("/shop/begin", s.begin)
	r.POST("/shop/places", s.addPlace)
	r.POST("/shop/places/:place", s.editPlace)
	r.POST("/shop/places/:place/remove", s.removePlace)
	r.POST("/shop/sells", s.addSellsTo)
	r.POST("/shop/sells/remove", s.removeSellsTo)
	r.POST("/shop/tax", s.addTax)
	r.POST("/shop/tax/included", s.taxIncluded)
	r.POST("/shop/tax/rate", s.editTax)
	r.POST("/shop/tax/remove", s.removeTax)
	r.POST("/shop/dispatch", s.editDispatch)
	r.POST("/shop/destinations", s.addDestination)
	r.POST("/shop/destinations/remove", s.removeDestination)
	r.POST("/shop/destinations/up", s.moveDestination)
	r.GET("/extras", s.extras)
	r.GET("/book", s.book)
	r.GET("/book.csv", s.exportBook)
	r.POST("/book", s.addToBook)
	r.POST("/book/entry", s.editBook)
	r.POST("/book/remove", s.removeFromBook)
	r.POST("/book/paste", s.pasteBook)
	s.books().Routes(r)
	r.POST("/extras/surcharges", s.addSurcharge)
	r.POST("/extras/surcharges/:id", s.editSurcharge)
	r.POST("/extras/surcharges/:id/remove", s.removeSurcharge)
	r.POST("/extras/agreed", s.addAgreed)
	r.POST("/extras/agreed/:id", s.editAgreed)
	r.POST("/extras/agreed/:id/remove", s.removeAgreed)
}
