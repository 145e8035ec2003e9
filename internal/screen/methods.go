package screen

import (
	"strings"

	"diadrom/internal/draft"
	"diadrom/internal/exact"
	"diadrom/internal/rate"
	"diadrom/internal/store"

	"github.com/gin-gonic/gin"
)

type methodRow struct {
	ID, Name, Label, Kind string
	Enabled               bool
	Say                   string
	Zones                 string
	Tables                int
	Slip                  string
	Rename, Relabel       string
}

type methodsView struct {
	Rows       []methodRow
	ZonesKnown bool
	Typed      string
	By         string
	Slip       string
	Measures   []choice
}

var measureWords = map[rate.By]string{
	rate.ByOrder: "one price for every order", rate.ByWeight: "by weight", rate.ByBilled: "by the weight that carriers bill", rate.BySubtotal: "by the sum of the goods",
	rate.ByQuantity: "by the number of goods", rate.ByDistance: "by distance",
}

func (s *Server) methodsView(state *draft.State) methodsView {
	f := state.File
	v := methodsView{ZonesKnown: len(f.Zones) > 0, By: string(rate.ByWeight)}
	for _, by := range rate.Measures {
		v.Measures = append(v.Measures, choice{ID: string(by), Name: measureWords[by]})
	}
	for i := range f.Methods {
		m := &f.Methods[i]
		row := methodRow{ID: m.ID, Name: nameOr(m.Name, m.ID), Label: m.BuyersLabel(), Enabled: m.Enabled, Say: methodSentence(f, m), Tables: len(m.Tables)}
		switch m.Kind {
		case store.Pickup:
			row.Kind = "collected"
		case store.Carrier:
			row.Kind = "carrier"
		}
		var names []string
		seen := map[string]bool{}
		for _, t := range m.Tables {
			for _, id := range t.Zones {
				if z, _ := zoneByID(f, id); !seen[id] {
					names, seen[id] = append(names, nameOr(z.Name, z.ID)), true
				}
			}
		}
		row.Zones = strings.Join(names, ", ")
		v.Rows = append(v.Rows, row)
	}
	return v
}

func (s *Server) methods(c *gin.Context) {
	s.page(c, "/methods", "Methods", "methods", s.methodsView(s.draft.State()))
}

func (s *Server) editMethods(c *gin.Context, change func(*store.File) error, slipped func(*methodsView, string)) {
	editWork(s, c, "methods", s.methodsView, change, slipped)
}

// addMethod adds a method with a price list over all zones in which nothing is offered yet.
func (s *Server) addMethod(c *gin.Context) {
	typed, by := c.PostForm("name"), rate.By(c.PostForm("by"))
	s.editMethods(c, func(f *store.File) error {
		name, err := typedName(typed)
		if err != nil {
			return err
		}
		if len(f.Zones) == 0 {
			return slipf("make a zone first, so that there is somewhere to deliver to")
		}
		if measureWords[by] == "" {
			return slipf("choose what the price goes by")
		}
		t := rate.Table{ID: "list", Name: "Price list", By: by}
		row := rate.Row{}
		switch by {
		case rate.BySubtotal:
			zero := exact.Zero
			t.Edges, row.At = rate.From, &zero
		case rate.ByOrder:
		default:
			t.Edges = rate.UpTo
		}
		for i := range f.Zones {
			t.Zones = append(t.Zones, f.Zones[i].ID)
			row.Charges = append(row.Charges, nil)
		}
		t.Rows = []rate.Row{row}
		id := store.NewID(name, "method", func(id string) bool { return methodByID(f, id) != nil })
		f.Methods = append(f.Methods, store.Method{ID: id, Name: name, Label: name, Kind: store.Delivery, Enabled: true, Taxable: true,
			Classes: "together", WhenRefused: "hide", Tables: []rate.Table{t}})
		return nil
	}, func(v *methodsView, text string) { v.Typed, v.By, v.Slip = typed, string(by), text })
}

// editMethod makes an edit of the method of the address.
func (s *Server) editMethod(c *gin.Context, change func(*store.Method) error, slipped func(*methodRow, string)) {
	id := c.Param("method")
	s.editMethods(c, func(f *store.File) error {
		m := methodByID(f, id)
		if m == nil {
			return slipf("this method was removed meanwhile; nothing was changed")
		}
		return change(m)
	}, func(v *methodsView, text string) {
		for i := range v.Rows {
			if v.Rows[i].ID == id {
				slipped(&v.Rows[i], text)
				return
			}
		}
		v.Slip = text
	})
}

func (s *Server) nameMethod(c *gin.Context) {
	typed, ofLabel := c.PostForm("value"), c.PostForm("field") == "label"
	s.editMethod(c, func(m *store.Method) error {
		name, err := typedName(typed)
		if err != nil {
			return err
		}
		if ofLabel {
			m.Label = name
		} else {
			m.Name = name
		}
		return nil
	}, func(r *methodRow, text string) {
		r.Slip = text
		if ofLabel {
			r.Relabel = typed
		} else {
			r.Rename = typed
		}
	})
}

func (s *Server) enableMethod(c *gin.Context) {
	s.editMethod(c, func(m *store.Method) error {
		m.Enabled = c.PostForm("enabled") == "on"
		return nil
	}, func(r *methodRow, text string) { r.Slip = text })
}
