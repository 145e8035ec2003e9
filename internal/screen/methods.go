package screen

import (
	"html/template"
	"slices"
	"time"

	"diadrom/internal/draft"
	"diadrom/internal/edit"
	"diadrom/internal/findings"
	"diadrom/internal/policy"
	"diadrom/internal/rate"
	"diadrom/internal/store"
	"diadrom/internal/terms"

	"github.com/gin-gonic/gin"
)

type methodRow struct {
	ID, Name, Label, Kind string
	Enabled               bool
	Say                   []string
	Tables                int
	Slip                  string
	Rename, Relabel       string
	Nobody                string // why no one can be offered it
	Odd                   []string
}

type methodsView struct {
	Rows       []methodRow
	ZonesKnown bool
	Typed      string
	By, Kind   string
	Slip       string
	Measures   []choice
	Open       *methodView
	Dispatch   dispatchView
}

var measureWords = map[rate.By]string{
	rate.ByOrder:    "one price for every order",
	rate.ByWeight:   "by weight",
	rate.ByBilled:   "by billed weight",
	rate.BySubtotal: "by order value",
	rate.ByQuantity: "by number of items",
	rate.ByDistance: "by distance",
}

var kindWords = map[string]string{store.Delivery: "delivered", store.Pickup: "collected", store.Carrier: "carrier"}

func (s *Server) methodsView(c *gin.Context, state *draft.State) methodsView {
	f := state.File
	v := methodsView{
		ZonesKnown: len(f.Zones) > 0,
		By:         string(rate.ByWeight),
		Kind:       store.Delivery,
		Dispatch:   dispatchViewOf(f, time.Now()),
	}
	for _, by := range rate.Measures {
		v.Measures = append(v.Measures, choice{ID: string(by), Name: measureWords[by]})
	}
	for i := range f.Methods {
		m := &f.Methods[i]
		row := methodRow{
			ID:      m.ID,
			Name:    nameOr(m.Name, m.ID),
			Label:   m.BuyersLabel(),
			Enabled: m.Enabled,
			Say:     policy.Method(state.Engine, m),
			Tables:  len(m.Tables),
			Nobody:  findings.Nobody(f, m),
			Odd:     oddOf(f, m),
		}
		if m.Kind != store.Delivery {
			row.Kind = kindWords[m.Kind]
		}
		v.Rows = append(v.Rows, row)
	}
	if m := edit.Method(f, c.Param("method")); m != nil {
		v.Open = methodViewOf(f, m)
	}
	return v
}

// oddOf says what is odd about a method's terms; what is odd in a list stands there.
func oddOf(f *store.File, m *store.Method) (list []string) {
	for _, o := range findings.Method(f, m) {
		if o.Table == "" {
			list = append(list, o.Text)
		}
	}
	return list
}

// methodView is a method with its terms, for everywhere and by zone.
type methodView struct {
	ID, Name, Label, Kind string
	Taxable, Preselected  bool
	Tells                 bool
	RefusedText           string
	Kinds                 []choice
	Zones                 []columnView
	Rows                  []termRow
}

type termRow struct {
	Field, Name, Hint string
	Cells             []termCell
}

type termCell struct {
	DOM, Method, Zone, Field string
	Text, As                 string // its own, and what it has from everywhere
	Was, Label, Slip         string
	None                     bool // the field does not exist there
}

var termNames = map[terms.Field][2]string{
	terms.Offered: {
		"Offered",
		"yes or no",
	},
	terms.Days:     {"Delivery time", "2 to 4 working days"},
	terms.FreeFrom: {"Free delivery", "from 120.00 or with coupon NAME"},
	terms.Minimum:  {"Minimum price", "4.00"},
	terms.Maximum: {
		"Maximum price",
		"60.00",
	},
	terms.Handling:     {"Handling fee", "1.00 + 5 % of goods"},
	terms.Weight:       {"Weight", "up to 15 kg"},
	terms.BilledWeight: {"Billed weight", "up to 30 kg"},
	terms.LongestSide: {
		"Longest side",
		"up to 120 cm",
	},
	terms.Subtotal: {"Order value", "from 10.00"},
	terms.Quantity: {"Number of items", "up to 9 items"},
	terms.Distance: {"Distance", "up to 80 km"},
	terms.OnlyClasses: {
		"Only these classes",
		"Soft, Small",
	},
	terms.Without: {"Not these classes", "Bulky"},
	terms.Coupons: {"Needs a coupon", "NAME"},
	terms.Groups:  {"Customer groups", "trade"},
}

func methodViewOf(f *store.File, m *store.Method) *methodView {
	v := &methodView{
		ID:          m.ID,
		Name:        nameOr(m.Name, m.ID),
		Label:       m.BuyersLabel(),
		Kind:        m.Kind,
		Taxable:     m.Taxable,
		Preselected: m.Preselected,
		Tells:       m.WhenRefused == "tell",
		RefusedText: m.RefusedText,
	}
	for _, kind := range []string{store.Delivery, store.Pickup} {
		v.Kinds = append(v.Kinds, choice{kind, kindWords[kind], m.Kind == kind})
	}
	zones, served := m.TermZones(), m.ServedZones()
	for _, id := range zones {
		z, i := zoneByID(f, id)
		name := nameOr(z.Name, z.ID)
		if !slices.Contains(served, id) {
			name += ", without a price"
		}
		v.Zones = append(v.Zones, columnView{id, name, colour(i)})
	}
	for _, field := range terms.Fields {
		row := termRow{Field: string(field), Name: termNames[field][0], Hint: termNames[field][1]}
		row.Cells = append(row.Cells, termCellOf(f, m, "", field))
		for _, zone := range zones {
			row.Cells = append(row.Cells, termCellOf(f, m, zone, field))
		}
		v.Rows = append(v.Rows, row)
	}
	return v
}

func termCellOf(f *store.File, m *store.Method, zone string, field terms.Field) termCell {
	text, own := terms.Text(f, m, zone, field)
	where := "everywhere"
	if z, _ := zoneByID(f, zone); z != nil {
		where = nameOr(z.Name, z.ID)
	}
	c := termCell{
		DOM:    "t-" + string(field) + "-" + zone,
		Method: m.ID,
		Zone:   zone,
		Field:  string(field),
		Label:  termNames[field][0] + ", " + where,
		None:   zone == "" && field == terms.Offered,
	}
	if zone == "" || own {
		c.Text = text
	} else {
		c.As = text
	}
	c.Was = c.Text
	return c
}

func (s *Server) methods(c *gin.Context) {
	s.page(c, "/methods", "Methods", "methods", s.methodsView(c, s.draft.State()))
}

// method shows one method with its terms.
func (s *Server) method(c *gin.Context) {
	state := s.draft.State()
	m := edit.Method(state.File, c.Param("method"))
	if m == nil {
		s.problem(c, 404, "There is no method of that name. It may have been removed.")
		return
	}
	s.page(c, "/methods", nameOr(m.Name, m.ID), "methods", s.methodsView(c, state))
}

// editTerm sets one of a method's terms as it is typed.
func (s *Server) editTerm(c *gin.Context) {
	zone, field, typed, was := c.PostForm(
		"zone",
	), terms.Field(
		c.PostForm("field"),
	), c.PostForm(
		"text",
	), c.PostForm(
		"was",
	)
	cell := termCell{
		DOM:    "t-" + string(field) + "-" + zone,
		Method: c.Param("method"),
		Zone:   zone,
		Field:  string(field),
		Text:   typed,
		Was:    was,
		Label:  termNames[field][0],
	}
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		m := edit.Method(f, c.Param("method"))
		if m == nil {
			return slipf("this method was removed meanwhile; nothing was changed")
		}
		if zone != "" && !slices.Contains(m.TermZones(), zone) {
			return slipf("this zone's column was taken out meanwhile; reload to see the terms as they are now")
		}
		now := termCellOf(f, m, zone, field)
		if now.Was != was {
			if whole := f.Clone(); terms.Set(whole, edit.Method(whole, m.ID), zone, field, typed) == nil &&
				termCellOf(whole, edit.Method(whole, m.ID), zone, field).Was == now.Was {
				return nil // it is so already
			}
			cell.Was = now.Was
			return slipf(
				"this was changed to %s in another window meanwhile; press Enter again to set yours",
				orNothing(now.Was),
			)
		}
		cell.As, cell.Label = now.As, now.Label
		if err := terms.Set(f, m, zone, field, typed); err != nil {
			return slipf("%s", err.Error())
		}
		return nil
	})
	if err != nil {
		s.refused(c, err, func(text string) template.HTML {
			cell.Slip = text
			return s.render("term-cell", cell)
		})
		return
	}
	if zone == "" || field.IsNeed() { // other cells have it too
		c.Header("HX-Retarget", "#work")
		c.Header("HX-Reswap", "innerHTML")
		s.answer(c, "/methods", state, s.render("methods", s.methodsView(c, state)))
		return
	}
	s.answer(
		c,
		"/methods",
		state,
		s.render("term-cell", termCellOf(state.File, edit.Method(state.File, c.Param("method")), zone, field)),
	)
}

func orNothing(text string) string {
	if text == "" {
		return "nothing"
	}
	return text
}

func (s *Server) editMethods(c *gin.Context, change func(*store.File) error, slipped func(*methodsView, string)) {
	editWork(
		s,
		c,
		"methods",
		func(state *draft.State) methodsView { return s.methodsView(c, state) },
		change,
		slipped,
	)
}

// addMethod adds a method with a price list over all zones in which nothing is offered yet.
func (s *Server) addMethod(c *gin.Context) {
	typed, by, kind := c.PostForm("name"), rate.By(c.PostForm("by")), c.PostForm("kind")
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
		if kind != store.Pickup {
			kind = store.Delivery
		}
		t := edit.EmptyTable("list", "Price list", by)
		for i := range f.Zones {
			t.Zones = append(t.Zones, f.Zones[i].ID)
			t.Rows[0].Charges = append(t.Rows[0].Charges, nil)
		}
		id := store.NewID(name, "method", func(id string) bool { return edit.Method(f, id) != nil })
		f.Methods = append(
			f.Methods,
			store.Method{ID: id, Name: name, Label: name, Kind: kind, Enabled: true, Taxable: true,
				Classes: "together", WhenRefused: "hide", Tables: []rate.Table{t}},
		)
		return nil
	}, func(v *methodsView, text string) { v.Typed, v.By, v.Kind, v.Slip = typed, string(by), kind, text })
}

// editMethod makes an edit of the method of the address.
func (s *Server) editMethod(
	c *gin.Context,
	change func(*store.File, *store.Method) error,
	slipped func(*methodRow, string),
) {
	id := c.Param("method")
	s.editMethods(c, func(f *store.File) error {
		m := edit.Method(f, id)
		if m == nil {
			return slipf("this method was removed meanwhile; nothing was changed")
		}
		return change(f, m)
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
	s.editMethod(c, func(_ *store.File, m *store.Method) error {
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

func slipInRow(r *methodRow, text string) { r.Slip = text }

// switchMethod sets what of a method is yes or no, its kind, and what is told where it does not fit.
func (s *Server) switchMethod(c *gin.Context) {
	on := c.PostForm("value") == "on"
	s.editMethod(c, func(f *store.File, m *store.Method) error {
		switch c.PostForm("field") {
		case "enabled":
			m.Enabled = on
		case "taxable":
			m.Taxable = on
		case "preselected": // one at most
			for i := range f.Methods {
				f.Methods[i].Preselected = false
			}
			m.Preselected = on
		case "kind":
			if kind := c.PostForm("value"); kind == store.Delivery || kind == store.Pickup {
				m.Kind = kind
			}
		case "tells":
			m.WhenRefused = "hide"
			if on {
				m.WhenRefused = "tell"
			}
		case "refused":
			text, err := oneLine(c.PostForm("value"))
			if err != nil {
				return err
			}
			if n := len([]rune(text)); n > 300 {
				return slipf("what buyers are told has at most 300 letters; this has %d", n)
			}
			m.RefusedText = text
		}
		return nil
	}, slipInRow)
}

// moveMethod gives a method another place in the order that buyers see.
func (s *Server) moveMethod(c *gin.Context) {
	before, step := c.PostForm("before"), c.PostForm("step")
	id := c.Param("method")
	s.editMethod(c, func(f *store.File, m *store.Method) error {
		from := slices.IndexFunc(f.Methods, func(o store.Method) bool { return o.ID == id })
		to := from
		switch {
		case step == "up":
			to = max(from-1, 0)
		case step == "down":
			to = min(from+1, len(f.Methods)-1)
		case before == id:
		case before == "":
			to = len(f.Methods) - 1
		default:
			if to = slices.IndexFunc(f.Methods, func(o store.Method) bool { return o.ID == before }); to < 0 {
				return slipf("the order was changed meanwhile; reload to see it")
			}
			if to > from {
				to--
			}
		}
		moved := *m
		f.Methods = slices.Insert(slices.Delete(f.Methods, from, from+1), to, moved)
		return nil
	}, slipInRow)
}

// copyMethod makes a whole copy of a method, switched off until it is wanted.
func (s *Server) copyMethod(c *gin.Context) {
	s.editMethod(c, func(f *store.File, m *store.Method) error {
		name := nameOr(m.Name, m.ID) + ", copy"
		if len([]rune(name)) > MaxName {
			name = "Copy"
		}
		id := store.NewID(name, "method", func(id string) bool { return edit.Method(f, id) != nil })
		whole := store.File{Methods: []store.Method{*m}}
		made := whole.Clone().Methods[0]
		made.ID, made.Name, made.Enabled, made.Preselected = id, name, false, false
		at := slices.IndexFunc(f.Methods, func(o store.Method) bool { return o.ID == m.ID })
		f.Methods = slices.Insert(f.Methods, at+1, made)
		return nil
	}, slipInRow)
}

func (s *Server) removeMethod(c *gin.Context) {
	s.editMethod(c, func(f *store.File, m *store.Method) error {
		id := m.ID
		for i := range f.Surcharges {
			if slices.Contains(f.Surcharges[i].Methods, id) {
				return slipf(
					"the surcharge %s names this method: take it out there first, or switch the method off",
					nameOr(f.Surcharges[i].Name, f.Surcharges[i].ID),
				)
			}
		}
		for i := range f.Agreed {
			if slices.Contains(f.Agreed[i].Methods, id) {
				return slipf(
					"the agreed charge %s names this method: take it out there first, or switch the method off",
					nameOr(f.Agreed[i].Name, f.Agreed[i].ID),
				)
			}
		}
		f.Methods = slices.DeleteFunc(f.Methods, func(o store.Method) bool { return o.ID == id })
		return nil
	}, slipInRow)
}
