package methods

import (
	"net/http"

	"diadrom/internal/review/policy"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// policyPage shows the shipping policy as buyers would read it.
func (s *Screens) policyPage(c *gin.Context) {
	s.Show(c, shell.Page{Here: "/methods", Title: "Shipping policy", Template: "policy"}, map[string]any{"Page": policy.Of(s.draft.State().Engine)})
}

func (s *Screens) policyMarkdown(c *gin.Context) {
	c.Header("Content-Disposition", `attachment; filename="shipping.md"`)
	c.Data(http.StatusOK, "text/markdown; charset=utf-8", []byte(policy.Of(s.draft.State().Engine).Markdown()))
}

func (s *Screens) policyHTML(c *gin.Context) {
	c.Header("Content-Disposition", `attachment; filename="shipping.html"`)
	s.HTML(c, http.StatusOK, s.Render("policy-page", policy.Of(s.draft.State().Engine)))
}
