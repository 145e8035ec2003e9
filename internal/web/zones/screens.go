// Package zones has the Zones station: zones with their places, tables of zones and lists of
// places.
package zones

import (
	"context"
	"embed"
	"io"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/place"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
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
	upload.Store
	SkippedLines(ctx context.Context, list int64, most int) ([]gazetteer.LineError, error)
}

// Till knows which zone takes the Till's address.
type Till interface {
	Zone(ctx context.Context, state *draft.State) (zone int, typed string, to place.Address)
}

// Lists takes lists of places in.
type Lists interface {
	Lists(ctx context.Context) ([]sqlite.PlaceList, error)
	Add(ctx context.Context, name string, body io.Reader) (sqlite.PlaceList, error)
	Remove(ctx context.Context, id int64) error
	Refresh(ctx context.Context) error
}

// Screens are the screens of the station.
type Screens struct {
	*shell.Shell
	draft shell.Editor
	db    Store
	till  Till
	lists Lists
}

// New makes the screens of the station.
func New(sh *shell.Shell, d shell.Editor, db Store, t Till, l Lists) *Screens {
	return &Screens{Shell: sh, draft: d, db: db, till: t, lists: l}
}

// Routes registers the addresses of these screens.
func (s *Screens) Routes(r gin.IRouter) {
	r.GET("/zones", s.zones)
	r.POST("/zones", s.addZone)
	r.POST("/zones/:zone/name", s.nameZone)
	r.POST("/zones/:zone/places", s.addPlaces)
	r.POST("/zones/:zone/remove-place", s.removePlace)
	r.POST("/zones/:zone/enabled", s.enableZone)
	r.POST("/zones/:zone/pinned", s.pinZone)
	r.POST("/zones/:zone/only", s.onlyZone)
	r.POST("/zones/:zone/remove", s.removeZone)
	r.GET("/zones/file", s.exportZones)
	s.tables().Routes(r)
	r.GET("/zones/areas", s.exportAreas)
	s.areas().Routes(r)
	r.GET("/lists", shell.PartOf("/zones"), s.showLists)
	r.POST("/lists", s.addList)
	r.POST("/lists/:list/remove", s.removeList)
}
