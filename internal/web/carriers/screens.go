// Package carriers has the page of the carriers that a shop asks: where they are, their secrets, a test of each, and
// how
// they answered.
package carriers

import (
	"embed"
	"net/http"

	"diadrom/internal/auth"
	"diadrom/internal/shop/samples"
	"diadrom/internal/shop/services"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// Files are the templates of these screens.
//
//go:embed templates/*.html
var Files embed.FS

// Notes keep what happens to the shop's secrets.
type Notes interface {
	Note(r *http.Request, event auth.Event, p auth.Person, detail string)
}

// Screens are the screens of carriers.
type Screens struct {
	*shell.Shell
	draft    shell.Editor
	db       samples.Source
	services *services.Services
	notes    Notes
}

// New makes the screens.
func New(sh *shell.Shell, d shell.Editor, db samples.Source, of *services.Services, n Notes) *Screens {
	return &Screens{sh, d, db, of, n}
}

// Routes registers the addresses of these screens; owners lets only owners of the shop through.
func (s *Screens) Routes(r gin.IRouter, owners gin.HandlerFunc) {
	r.GET("/carriers", s.carriers)
	r.POST("/carriers", s.add)
	r.POST("/carriers/key", owners, s.keepKey)
	r.POST("/carriers/:carrier/set", s.set)
	r.POST("/carriers/:carrier/remove", s.remove)
	r.POST("/carriers/:carrier/secret", owners, s.setSecret)
	r.POST("/carriers/:carrier/confirm", owners, s.confirm)
	r.POST("/carriers/:carrier/test", s.test)
	r.POST("/carriers/:carrier/method", s.addMethod)
	r.POST("/carriers/:carrier/mood", s.setMood)
}
