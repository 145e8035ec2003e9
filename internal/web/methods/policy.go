package methods

import (
	"net/http"

	"diadrom/internal/review/policy"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// policyPage shows the shipping policy as buyers would read it.
func (s *Screens) policyPage(c *gin.Context) {
	s.Show(c, shell.Page{Here: "/methods", Title: "Shipping policy", Template: "policy"},
		map[string]any{"Page": page(s.draft.State())})
}

func (s *Screens) policyMarkdown(c *gin.Context) {
	c.Header("Content-Disposition", `attachment; filename="shipping.md"`)
	c.Data(http.StatusOK, "text/markdown; charset=utf-8", []byte(page(s.draft.State()).Markdown()))
}

func (s *Screens) policyHTML(c *gin.Context) {
	c.Header("Content-Disposition", `attachment; filename="shipping.html"`)
	s.HTML(c, http.StatusOK, s.Render("policy-page", page(s.draft.State())))
}

func page(state *draft.State) policy.Page { return policy.Of(state.Engine, state.Coverage()) }
