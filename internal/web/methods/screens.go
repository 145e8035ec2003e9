// Package methods has the Methods station: delivery methods, their terms, when orders leave, and the delivery policy
// in words.
package methods

import (
	"context"
	"embed"
	"html/template"

	"diadrom/internal/core/store"
	"diadrom/internal/review/policy"
	"diadrom/internal/shop/services"
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
	draft    shell.Editor
	carriers Carriers
	glances  shell.Memo[glanced, policy.Glance]
	rows     shell.Memo[drawnAs, template.HTML]
}

// Carriers tell what services they have.
type Carriers interface {
	Listed(c *store.Carrier) (services.Fetched, bool)
	Fetch(ctx context.Context, c *store.Carrier) services.Fetched
}

// New makes the screens of the station.
func New(sh *shell.Shell, d shell.Editor, c Carriers) *Screens {
	return &Screens{Shell: sh, draft: d, carriers: c}
}

// Routes registers the addresses of these screens.
func (s *Screens) Routes(r gin.IRouter) {
	r.GET("/methods", s.methods)
	r.POST("/methods", s.addMethod)
	r.POST("/methods/:method/name", s.nameMethod)
	r.GET("/methods/:method", s.method)
	r.GET("/methods/:method/row", shell.PartOf("/methods"), s.methodRow)
	r.POST("/methods/:method/term", s.editTerm)
	r.POST("/methods/:method/switch", s.switchMethod)
	r.POST("/methods/:method/move", s.moveMethod)
	r.POST("/methods/:method/copy", s.copyMethod)
	r.POST("/methods/:method/remove", s.removeMethod)
	r.POST("/methods/:method/asks", s.editAsks)
	r.POST("/methods/:method/services", s.addService)
	r.POST("/methods/:method/services/fetch", s.fetchServices)
	r.POST("/methods/:method/service", s.editService)
	r.GET("/policy", s.policyPage)
	r.GET("/policy/:method", shell.PartOf("/policy"), s.policySection)
	r.GET("/policy.md", s.policyMarkdown)
	r.GET("/policy.html", s.policyHTML)
}
