// Package ground has the map: the zones of a shop on the ground, drawn and reshaped by hand, with the shop's places and
// the Till's address.
package ground

import (
	"context"
	"embed"
	"sync"

	"diadrom/internal/core/place"
	"diadrom/internal/review/ground"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/services"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// Files are the templates of these screens.
//
//go:embed templates/*.html
var Files embed.FS

// Draft is the draft with what is live.
type Draft interface {
	shell.Editor
	Live() *draft.Live
}

// Till knows which zone takes the Till's address.
type Till interface {
	Zone(ctx context.Context, state *draft.State) (zone int, typed string, to place.Address)
}

// Screens are the screens of the map.
type Screens struct {
	*shell.Shell
	draft    Draft
	till     Till
	services *services.Services

	mu     sync.Mutex
	state  *draft.State // that was laid out last
	laid   *ground.Map
	places *ground.Places
}

// New makes the screens of the map.
func New(sh *shell.Shell, d Draft, t Till, outside *services.Services) *Screens {
	return &Screens{Shell: sh, draft: d, till: t, services: outside}
}

// Routes registers the addresses of these screens.
func (s *Screens) Routes(r gin.IRouter) {
	r.GET("/map", s.show)
	r.GET("/map/now", s.now)
	r.GET("/map/land/:version/:z/:x/:y", s.land)
	r.GET("/map/over/:stamp/:z/:x/:y", s.over)
	r.POST("/map/shape", s.editShape)
	r.POST("/map/facts", s.facts)
}

// laidOut is the ground of the draft, and what tells it apart from that of other drafts.
func (s *Screens) laidOut() (*ground.Map, string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	state := s.draft.State()
	if s.state != state {
		if g := state.Engine.Gazetteer(); s.places == nil || !s.places.Of(g) {
			s.places = ground.NewPlaces(g)
		}
		s.state, s.laid = state, ground.Of(state.Engine, s.places)
	}
	return s.laid, stampOf(state)
}
