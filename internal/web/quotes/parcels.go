package quotes

import (
	"cmp"
	"io"
	"net/http"
	"slices"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/review/crate"
	"diadrom/internal/shop/samples"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// parcelsView is how a method packs an order.
type parcelsView struct {
	Runs     []shell.Choice
	Methods  []shell.Choice
	ID, Name string
	Shop     string
	To       string
	Slip     string
	Refused  string
	Summary  string
	Parcels  []crate.Parcel
	Warnings []string
	Nothing  bool // all goods ship free or need no shipping
	Packs    bool // the method packs into boxes
	Brief    bool // without what is for packing alone
}

// parcels shows what the Till's cart is packed into by a method, as a slip to pack by.
func (s *Screens) parcels(c *gin.Context) {
	state := s.draft.State()
	f := state.File
	v := parcelsView{Runs: slices.Clone(Runs), Shop: shell.ShopName(f)}
	t, err := samples.Till(c.Request.Context(), s.db, f)
	if err != nil {
		s.Internal(c, err)
		return
	}
	id := c.Query("method")
	if f.Method(id) == nil {
		id = packs(f)
	}
	for i := range f.Methods {
		m := &f.Methods[i]
		v.Methods = append(v.Methods, shell.Choice{ID: m.ID, Name: cmp.Or(m.Name, m.ID), Chosen: m.ID == id})
	}
	v.To = t.Destination
	q, _, err := samples.Request(state.Engine, t)
	if err != nil {
		v.Slip = err.Error()
		v.ID = id
	} else {
		v.fill(state.Engine, &q, id)
	}
	s.Show(c, shell.Page{Here: "/quotes", Title: "Parcels", Template: "parcels"}, v)
}

// packs is the first method that packs into boxes, or else the first; "" where there is none.
func packs(f *store.File) string {
	for i := range f.Methods {
		if f.Methods[i].Enabled && len(f.BoxesOf(&f.Methods[i])) > 0 {
			return f.Methods[i].ID
		}
	}
	if len(f.Methods) > 0 {
		return f.Methods[0].ID
	}
	return ""
}

// fill shows the parcels of a method for a request.
func (v *parcelsView) fill(e *quote.Engine, q *quote.Request, id string) {
	f := e.Store()
	m := f.Method(id)
	if m == nil {
		return
	}
	v.ID, v.Name, v.Packs = id, m.BuyersLabel(), len(f.BoxesOf(m)) > 0
	q.Parcels = true
	a := e.Quote(q)
	for _, w := range a.Warnings {
		if w.Code == quote.NoBox || w.Code == quote.NoSize || w.Code == quote.ParcelsCut {
			v.Warnings = append(v.Warnings, w.Message+".")
		}
	}
	for _, r := range a.Refused {
		if r.Method == id {
			v.Refused = r.Reason
		}
	}
	for i := range a.Options {
		if o := &a.Options[i]; o.Method == id {
			if v.Parcels = crate.Of(f, q, o); len(v.Parcels) > 0 {
				v.Summary = crate.Summary(v.Parcels)
			}
			v.Nothing = len(v.Parcels) == 0
		}
	}
}

// maxAsked is the longest request that is drawn, in bytes.
const maxAsked = 1 << 20

// drawnParcels shows the parcels of a method for a request as the API takes it: those of the draft, or of what is live.
func (s *Screens) drawnParcels(c *gin.Context) {
	engine := s.draft.State().Engine
	if live := s.live(); live != nil && c.Query("of") != "draft" {
		engine = live
	}
	body, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, maxAsked))
	if err != nil {
		c.Status(http.StatusRequestEntityTooLarge)
		return
	}
	requests, many, faults := engine.ReadRequest(body)
	if len(faults) > 0 || many || len(requests) != 1 {
		c.Status(http.StatusUnprocessableEntity)
		return
	}
	v := parcelsView{Brief: true}
	v.fill(engine, &requests[0], c.Query("method"))
	s.HTML(c, http.StatusOK, s.Render("parcels-drawn", v))
}

// tillParcels shows the parcels of a method for what lies in the Till, in short.
func (s *Screens) tillParcels(c *gin.Context) {
	state := s.draft.State()
	t, err := samples.Till(c.Request.Context(), s.db, state.File)
	if err != nil {
		s.Internal(c, err)
		return
	}
	v := parcelsView{Brief: true}
	if q, _, err := samples.Request(state.Engine, t); err == nil {
		v.fill(state.Engine, &q, c.Query("method"))
	}
	s.HTML(c, http.StatusOK, s.Render("parcels-drawn", v))
}
