package methods

import (
	"net/http"

	"diadrom/internal/core/store"
	"diadrom/internal/review/policy"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// policyPage shows the shipping policy as buyers would read it.
func (s *Screens) policyPage(c *gin.Context) {
	state := s.draft.State()
	v := policyView{}
	if v.Long = pricesOf(state.File) > maxSaid; v.Long {
		v.Page = policy.Heads(state.File)
		for i := range state.File.Methods {
			if m := &state.File.Methods[i]; m.Enabled && len(m.Tables) > 0 {
				v.Methods = append(v.Methods, shell.Choice{ID: m.ID, Name: m.BuyersLabel()})
			}
		}
	} else {
		v.Page = page(state)
	}
	s.Show(c, shell.Page{Here: "/methods", Title: "Shipping policy", Template: "policy"}, v)
}

// policyView is the shipping policy on its page.
type policyView struct {
	policy.Page
	Long    bool           // what is said of a method is fetched when it is opened
	Methods []shell.Choice // where it is long
}

// maxSaid is up to how many prices all are said at once.
const maxSaid = 1500

func pricesOf(f *store.File) (n int) {
	for i := range f.Methods {
		for j := range f.Methods[i].Tables {
			t := &f.Methods[i].Tables[j]
			n += len(t.Zones) * len(t.Rows)
		}
	}
	return n
}

// policySection answers with what is said of one method.
func (s *Screens) policySection(c *gin.Context) {
	state := s.draft.State()
	m := state.File.Method(c.Param("method"))
	if m == nil {
		s.HTML(c, http.StatusOK, "<p>This method was removed meanwhile.</p>")
		return
	}
	s.HTML(c, http.StatusOK, s.Render("policy-says", policy.Buyers(state.Engine, state.Coverage(), m)))
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
