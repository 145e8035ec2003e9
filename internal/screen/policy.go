package screen

import (
	"net/http"

	"diadrom/internal/policy"

	"github.com/gin-gonic/gin"
)

// policyPage shows the shipping policy as buyers would read it.
func (s *Server) policyPage(c *gin.Context) {
	s.page(c, "/methods", "Shipping policy", "policy", map[string]any{"Page": policy.Of(s.draft.State().Engine)})
}

func (s *Server) policyMarkdown(c *gin.Context) {
	c.Header("Content-Disposition", `attachment; filename="shipping.md"`)
	c.Data(http.StatusOK, "text/markdown; charset=utf-8", []byte(policy.Of(s.draft.State().Engine).Markdown()))
}

func (s *Server) policyHTML(c *gin.Context) {
	c.Header("Content-Disposition", `attachment; filename="shipping.html"`)
	s.html(c, http.StatusOK, s.render("policy-page", policy.Of(s.draft.State().Engine)))
}
