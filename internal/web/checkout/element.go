package checkout

import (
	"encoding/json"

	"diadrom/internal/core/quote"
	"diadrom/internal/shop/samples"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/widget"

	"github.com/gin-gonic/gin"
)

// elementView is the page on which an owner sees the element for pages, and chooses how it looks.
type elementView struct {
	Live                    bool
	Home, Script, Integrity string
	Lines                   string // of the Till's cart, as JSON
	Country, Postcode       string
	Colours, Languages      []shell.Choice
}

// element shows the element as it is in the pages of the shop, quoted from the live edition.
func (s *Screens) element(c *gin.Context) {
	v := elementView{Home: s.home(c.Request), Script: widget.Path(), Integrity: widget.Integrity(widget.Script)}
	for _, l := range [][2]string{{"accent", "Chosen option"}, {"text", "Text"}, {"muted", "Dates and hints"},
		{"border", "Borders"}, {"background", "Fields and options"}, {"error", "Errors"}} {
		v.Colours = append(v.Colours, shell.Choice{ID: l[0], Name: l[1]})
	}
	for _, l := range [][2]string{{"en", "English"}, {"fi", "suomi"}, {"sv", "svenska"}, {"de", "Deutsch"},
		{"fr", "français"}, {"es", "español"}} {
		v.Languages = append(v.Languages, shell.Choice{ID: l[0], Name: l[1]})
	}
	live := s.draft.Live()
	if v.Live = live != nil; !v.Live {
		s.Show(c, shell.Page{Title: "Delivery in your pages", Template: "element"}, v)
		return
	}
	t, err := samples.Till(c.Request.Context(), s.db, live.File)
	if err != nil {
		s.Internal(c, err)
		return
	}
	lines := []map[string]any{}
	q, _, err := samples.Request(live.Engine, t)
	if err == nil {
		v.Country, v.Postcode = q.To.Country, q.To.Postcode
		for i := range q.Lines {
			if sku := q.Lines[i].Product.SKU; sku != "" {
				lines = append(lines, map[string]any{"sku": sku, "quantity": q.Lines[i].Quantity})
			}
		}
	}
	if len(lines) == 0 {
		lines = sampleLines(live.Engine)
	}
	body, err := json.Marshal(lines)
	if err != nil {
		s.Internal(c, err)
		return
	}
	v.Lines = string(body)
	s.Show(c, shell.Page{Title: "Delivery in your pages", Template: "element"}, v)
}

// sampleLines are one of the first product that needs shipping; without products nothing is in the cart.
func sampleLines(e *quote.Engine) []map[string]any {
	for i := range e.Store().Products {
		if p := &e.Store().Products[i]; p.NeedsShipping {
			return []map[string]any{{"sku": p.SKU, "quantity": 1}}
		}
	}
	return []map[string]any{}
}
