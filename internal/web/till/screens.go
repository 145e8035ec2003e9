// Package till has the Till: a cart, an address and a buyer, quoted from the draft beside every screen.
package till

import (
	"context"
	"embed"
	"html/template"
	"net/http"

	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/samples"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/addresslist"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// Files are the templates of these screens.
//
//go:embed templates/*.html
var Files embed.FS

// Draft is what the Till quotes from.
type Draft interface {
	State() *draft.State
	Live() *draft.Live
}

// Store is what is kept of the Till.
type Store interface {
	samples.Source
	SaveTill(ctx context.Context, t sqlite.Till) error
	UpdateSamples(
		ctx context.Context,
		change func(carts []sqlite.SampleCart, destinations []string) ([]sqlite.SampleCart, []string, error),
	) error
	RecentDestinations(ctx context.Context) ([]string, error)
	Book(ctx context.Context, text string, most int) (list []addresslist.Entry, total int, err error)
	BookEntry(ctx context.Context, name string) (e addresslist.Entry, ok bool, err error)
}

// Screens are the Till.
type Screens struct {
	*shell.Shell
	draft Draft
	db    Store
}

// New makes the Till.
func New(sh *shell.Shell, d Draft, db Store) *Screens { return &Screens{sh, d, db} }

// Routes registers the addresses of these screens.
func (s *Screens) Routes(r gin.IRouter) {
	r.GET("/till/options", shell.PartOf("/quotes"), s.tillOptions)
	r.GET("/till/breakdown", shell.PartOf("/quotes"), s.tillBreakdown)
	r.POST("/till/destination", s.tillDestination)
	r.POST("/till/cart", s.tillCart)
	r.POST("/till/carts", s.keepCart)
	r.POST("/till/carts/:cart/forget", s.forgetCart)
	r.POST("/till/line", s.tillLine)
	r.POST("/till/add", s.tillAdd)
	r.POST("/till/buyer", s.tillBuyer)
	r.GET("/suggest/places", shell.PartOf("/zones"), s.suggestPlaces)
	r.GET("/suggest/zones", shell.PartOf("/zones"), s.suggestZones)
	r.GET("/suggest/addresses", shell.PartOf("/zones"), s.suggestAddresses)
	r.GET("/suggest/book", shell.PartOf("/book"), s.suggestBook)
	r.GET("/suggest/goods", shell.PartOf("/goods"), s.suggestGoods)
}

// Part draws the Till as it quotes a state of the draft.
func (s *Screens) Part(ctx context.Context, state *draft.State, outOfBand bool) (template.HTML, error) {
	v, err := s.View(ctx, state, Slips{})
	if err != nil {
		return "", err
	}
	return s.Draw(&v, outOfBand), nil
}

// tillOptions draws the options of the Till once its carriers have answered.
func (s *Screens) tillOptions(c *gin.Context) {
	v, err := s.view(c.Request.Context(), s.draft.State(), Slips{}, true)
	if err != nil {
		s.Internal(c, err)
		return
	}
	v.Answered = true
	if c.Query("all") == "" {
		v.fold()
	}
	promised, err := s.Promised(c.Request.Context())
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.HTML(c, http.StatusOK, s.Render("till-options", v), promised)
}

// tillBreakdown draws the breakdown of one option.
func (s *Screens) tillBreakdown(c *gin.Context) {
	v, err := s.view(c.Request.Context(), s.draft.State(), Slips{}, false)
	if err != nil {
		s.Internal(c, err)
		return
	}
	for i := range v.Options {
		if v.Options[i].Key == c.Query("option") {
			s.HTML(c, http.StatusOK, s.Render("till-breakdown", v.Options[i]))
			return
		}
	}
	s.HTML(c, http.StatusOK)
}

// Draw draws a Till that is quoted.
func (s *Screens) Draw(v *View, outOfBand bool) template.HTML {
	v.OOB = outOfBand
	v.fold()
	return s.Render("till", v)
}
