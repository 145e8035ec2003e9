package methods

import (
	"cmp"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/edit"
	"diadrom/internal/review/policy"
	"diadrom/internal/review/warnings"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

type methodRow struct {
	ID, Name, Label, Kind string
	Enabled               bool
	policy.Glance
	Where, WhereShort string        // names of the zones, of all and of the first
	Opened            bool          // it is told in words
	HTML              template.HTML // as it is drawn; "" where it is not drawn yet
	Say               []string
	Stops             []string // why nobody is offered it
	Warnings          []string // its other warnings
	Warned            string   // the first of them
	MoreSay           int      // sentences that are left out
	Terms             *methodView
	Tables            int
	Slip              string
	Rename, Relabel   string
	Unmeasured        string // why its distances cannot be measured
}

type methodsView struct {
	Rows       []methodRow
	ZonesKnown bool
	Typed      string
	By, Kind   string
	Slip       string
	Measures   []shell.Choice
	Carriers   int // that are connected
	OnCarriers bool
}

var kindWords = map[store.Kind]string{
	store.Delivery:    "delivered",
	store.Pickup:      "collected",
	store.CarrierKind: "delivered at a carrier’s price",
}

func (s *Screens) methodsView(c *gin.Context, state *draft.State) methodsView {
	f := state.File
	v := methodsView{
		ZonesKnown: len(f.Zones) > 0,
		By:         string(rate.ByWeight),
		Kind:       string(store.Delivery),
		Carriers:   len(f.Carriers),
	}
	for _, by := range rate.Measures {
		v.Measures = append(v.Measures, shell.Choice{ID: string(by), Name: by.Words()})
	}
	open := openTerms(c)
	for i := range f.Methods {
		if f.Methods[i].ID == open {
			v.Rows = append(v.Rows, s.opened(c, state, i))
			continue
		}
		row := s.methodRowOf(state, i, false)
		row.HTML = s.drawn(state, i, &row)
		v.Rows = append(v.Rows, row)
	}
	return v
}

// opened is a method, by its place, in a line of the list, with its terms below.
func (s *Screens) opened(c *gin.Context, state *draft.State, at int) methodRow {
	m := &state.File.Methods[at]
	row := s.methodRowOf(state, at, true)
	row.Terms = methodViewOf(state.File, m, shell.Viewed(c))
	row.Terms.Asks = s.asksView(state.File, m)
	return row
}

// openTerms is the id of the method whose terms are shown; an edit leaves open what was.
func openTerms(c *gin.Context) string {
	if path := shell.ViewedPath(c); path != "" {
		id, _ := strings.CutPrefix(path, "/methods/")
		return id
	}
	return c.Param("method")
}

// maxWarned is how many warnings of a method its mark says.
const maxWarned = 4

// How much is said of a method on the page of all: so many sentences, and so many letters.
const (
	maxSentences = 12
	maxLetters   = 4000
)

// short leaves out what is too much for the page, and says how many sentences those are.
func short(says []string) (list []string, more int) {
	letters := 0
	for i, s := range says {
		if letters += len(s); i == maxSentences || letters > maxLetters {
			return says[:i], len(says) - i
		}
	}
	return says, 0
}

// glanced tells what a method looks like at a glance: its entry, and what that refers to.
type glanced struct{ method, zones, carriers, settings any }

func (s *Screens) glanced(p *store.Parts, at int) glanced {
	return glanced{p.MarkOf("methods", at), p.Mark("zones"), p.Mark("carriers"), p.Mark("")}
}

// glance sums up a method, by its place; what was said of it is kept as long as it is the same.
func (s *Screens) glance(state *draft.State, at int) policy.Glance {
	return s.glances.Get(s.glanced(state.Parts, at), func() policy.Glance { return policy.GlanceAt(state.File, &state.File.Methods[at]) })
}

// drawnAs tells what a method's row looks like.
type drawnAs struct {
	glanced
	places any
	says   string
}

// drawn draws a method's row; it is kept as long as it looks the same.
func (s *Screens) drawn(state *draft.State, at int, row *methodRow) template.HTML {
	p := state.Parts
	key := drawnAs{s.glanced(p, at), p.Mark("locations"),
		strings.Join(append(append([]string{row.Unmeasured}, row.Stops...), row.Warnings...), "\n")}
	return s.rows.Get(key, func() template.HTML { return s.Render("method-row", row) })
}

// methodRowOf is a method, by its place, in a line of the list; opened has it told in words too.
func (s *Screens) methodRowOf(state *draft.State, at int, opened bool) methodRow {
	f := state.File
	m := &f.Methods[at]
	row := methodRow{
		ID:      m.ID,
		Name:    cmp.Or(m.Name, m.ID),
		Label:   m.BuyersLabel(),
		Enabled: m.Enabled,
		Glance:  s.glance(state, at),
		Opened:  opened,
		Tables:  len(m.Tables),

		Unmeasured: warnings.Unmeasured(f, state.Engine.Gazetteer(), m),
	}
	row.Where = strings.Join(row.Glance.Where, ", ")
	if n := len(row.Glance.Where); n > 0 {
		row.WhereShort = row.Glance.Where[0]
		if n > 1 {
			row.WhereShort += fmt.Sprintf(" + %d more", n-1)
		}
	}
	if row.Unmeasured != "" {
		row.Stops = append(row.Stops, "No price can be worked out: "+row.Unmeasured+".")
	}
	found := &warnings.Reading{}
	if soon, _ := state.Soon(); soon != nil {
		found = soon
	}
	for i := range found.Warnings { // those about a list stand with it
		w := &found.Warnings[i]
		switch {
		case w.Method != m.ID || w.Table != "" || w.Code == warnings.DistanceUnknown:
		case w.Code == warnings.MethodUnoffered || w.Code == warnings.CarrierMissing:
			row.Stops = append(row.Stops, warnings.Sentence(w.Text))
		default:
			row.Warnings = append(row.Warnings, warnings.Sentence(w.Beside(f)))
		}
	}
	row.Warned = strings.Join(row.Warnings[:min(len(row.Warnings), maxWarned)], " ")
	if n := len(row.Warnings) - maxWarned; n > 0 {
		row.Warned += fmt.Sprintf(" And %d more.", n)
	}
	if opened {
		row.Say, row.MoreSay = short(policy.Brief(state.Engine, state.Coverage(), m))
	}
	if m.Kind != store.Delivery {
		row.Kind = kindWords[m.Kind]
	}
	return row
}

// methodView is a method with its terms, for everywhere and by zone.
type methodView struct {
	ID, Name, Label, Kind string
	Taxable, Preselected  bool
	TaxDefault            bool // whether it is taxed is the shop's default
	Tells                 bool
	RefusedText           string
	Kinds                 []shell.Choice
	Asks                  *asksView        // nil where it asks no carrier
	Zones                 []shell.ZoneHead // those that are shown
	Across                *shell.Window    // nil for all
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
	From                     string // where it has it from
	None                     bool   // the field does not exist there
}

// Refuse is shell.Cell's.
func (v *termCell) Refuse(why string, was *string) {
	if v.Slip = why; was != nil {
		v.Was = *was
	}
}

// TermNames are the terms of methods as they are called, with what is typed for each.
var TermNames = map[terms.Field][2]string{
	terms.Offered:      {"Offered", "yes or no"},
	terms.Days:         {"Delivery time", "2 to 4 working days"},
	terms.FreeFrom:     {"Free delivery", "from 120.00 or with coupon NAME"},
	terms.Minimum:      {"Minimum price", "4.00"},
	terms.Maximum:      {"Maximum price", "60.00"},
	terms.Handling:     {"Handling fee", "1.00 + 5 % of goods"},
	terms.Weight:       {"Weight", "up to 15 kg"},
	terms.BilledWeight: {"Billed weight", "up to 30 kg"},
	terms.LongestSide:  {"Longest side", "up to 120 cm"},
	terms.Subtotal:     {"Order value", "from 10.00"},
	terms.Quantity:     {"Number of items", "up to 9 items"},
	terms.Distance:     {"Distance", "up to 80 km"},
	terms.OnlyClasses:  {"Only these classes", "Soft, Small"},
	terms.Without:      {"Not these classes", "Bulky"},
	terms.Coupons:      {"Needs a coupon", "NAME"},
	terms.Groups:       {"Customer groups", "trade"},
	terms.Available:    {"Available", "1 December 2026 to 24 December 2026"},
	terms.LeavesOn:     {"Leaves on", "fri"},
	terms.CutOff:       {"Cut-off", "09:30"},
	terms.LeadDays:     {"Lead time", "5 working days"},
	terms.From:         {"Leaves from", "the name of a place of the shop"},
	terms.Points:       {"Collected at", "names of places of the shop, with ; between them"},
	terms.Divisor:      {"Volumetric divisor", "5000"},
	terms.Boxes:        {"Packed into", "all, or names of boxes with ; between them"},
	terms.MaxParcel:    {"Heaviest parcel", "30 kg, its box included"},
	terms.ParcelWeight: {"Weight of each parcel", "up to 30 kg, its box included"},
	terms.Girth:        {"Length plus girth", "up to 300 cm: the longest side + 2 × the other two together"},
}

// maxZones is how many zones stand beside one another in the terms of a method.
const maxZones = 8

func methodViewOf(f *store.File, m *store.Method, query url.Values) *methodView {
	v := &methodView{
		ID:          m.ID,
		Name:        cmp.Or(m.Name, m.ID),
		Label:       m.BuyersLabel(),
		Kind:        string(m.Kind),
		Taxable:     m.Taxable,
		Preselected: m.Preselected,
		TaxDefault:  m.Inheriting(store.InheritTaxable),
		Tells:       m.WhenRefused == store.Tell,
		RefusedText: m.RefusedText,
	}
	kinds := []store.Kind{store.Delivery, store.Pickup}
	if len(f.Carriers) > 0 || m.Kind == store.CarrierKind {
		kinds = append(kinds, store.CarrierKind)
	}
	for _, kind := range kinds {
		v.Kinds = append(v.Kinds, shell.Choice{ID: string(kind), Name: kindWords[kind], Chosen: m.Kind == kind})
	}
	zones, served := m.TermZones(), m.ServedZones()
	v.Across = shell.WindowWith(query, "zones", maxZones, len(zones), slices.Index(zones, query.Get("zone")))
	first, last := v.Across.Bounds(len(zones))
	zones = zones[first:last]
	for _, id := range zones {
		z, i := f.Zone(id), f.ZoneIndex(id)
		name := cmp.Or(z.Name, z.ID)
		if !slices.Contains(served, id) {
			name += ", without a price"
		}
		v.Zones = append(v.Zones, shell.ZoneHead{ID: id, Name: name, Colour: shell.Colour(i)})
	}
	for _, field := range terms.Fields {
		if field == terms.Points && m.Kind != store.Pickup && len(m.Points) == 0 {
			continue
		}
		row := termRow{Field: string(field), Name: TermNames[field][0], Hint: TermNames[field][1]}
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
	term := field.Inherited()
	where := "everywhere"
	if z := f.Zone(zone); z != nil {
		where = cmp.Or(z.Name, z.ID)
	}
	c := termCell{
		DOM:    "t-" + string(field) + "-" + zone,
		Method: m.ID,
		Zone:   zone,
		Field:  string(field),
		Label:  TermNames[field][0] + ", " + where,
		None:   zone == "" && field == terms.Offered || zone != "" && field.IsWhole(),
	}
	if zone == "" && field.IsWhole() {
		c.As = inherited(f, field)
	}
	if zone == "" && term != "" && m.Inheriting(term) {
		c.As, c.From = text, "the shop's default"
		if text != "" {
			c.Label += ", from the shop's default"
		}
	} else if zone == "" || own {
		c.Text = edit.TermText(f, m, edit.Term{Zone: zone, Field: field})
	} else if c.As = text; text != "" && field != terms.Offered {
		c.From = "everywhere"
	}
	if field == terms.Offered && zone != "" && !own && !m.Priced(zone) {
		c.As = "no price yet"
	}
	c.Was = c.Text
	return c
}

// inherited is what a method as a whole has from the shop.
func inherited(f *store.File, field terms.Field) string {
	d := f.Store.Dispatch
	switch {
	case field == terms.Available:
		return "always"
	case field == terms.Divisor && f.Store.Volumetric != nil:
		return f.Store.Volumetric.String()
	case field == terms.From:
		return "the nearest that ships"
	case field == terms.Points:
		return "all places where buyers collect"
	case field == terms.Boxes:
		return "not packed: one parcel"
	case field == terms.MaxParcel:
		return "no limit"
	case d == nil:
		return ""
	case field == terms.LeavesOn:
		return strings.Join(edit.Workdays(d), ", ")
	case field == terms.CutOff:
		return d.CutOff
	case field == terms.LeadDays:
		return strconv.FormatInt(d.LeadDays, 10)
	}
	return ""
}

func (s *Screens) methods(c *gin.Context) {
	s.Show(c, shell.Page{Here: "/methods", Title: "Methods", Template: "methods"}, s.methodsView(c, s.draft.State()))
}

// method shows one method with its terms.
func (s *Screens) method(c *gin.Context) {
	state := s.draft.State()
	m := state.File.Method(c.Param("method"))
	if m == nil {
		s.Problem(c, http.StatusNotFound, "There is no method of that name. It may have been removed.")
		return
	}
	s.Show(c, shell.Page{Here: "/methods", Title: cmp.Or(m.Name, m.ID), Template: "methods"}, s.methodsView(c, state))
}

// methodRow shows one method in the list, told in words or not.
func (s *Screens) methodRow(c *gin.Context) {
	state := s.draft.State()
	m := state.File.Method(c.Param("method"))
	if m == nil {
		s.Problem(c, http.StatusNotFound, "There is no method of that name. It may have been removed.")
		return
	}
	s.HTML(c, http.StatusOK, s.Render("method-row",
		s.methodRowOf(state, state.File.MethodIndex(m.ID), c.Query("open") != "")))
}

// editTerm sets one of a method's terms as it is typed.
func (s *Screens) editTerm(c *gin.Context) {
	zone, field := c.PostForm("zone"), terms.Field(c.PostForm("field"))
	typed, was := c.PostForm("text"), c.PostForm("was")
	cell := termCell{
		DOM:    "t-" + string(field) + "-" + zone,
		Method: c.Param("method"),
		Zone:   zone,
		Field:  string(field),
		Text:   typed,
		Was:    was,
		Label:  TermNames[field][0],
	}
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		m := f.Method(c.Param("method"))
		if m == nil {
			return shell.Refusef("this method was removed meanwhile; nothing was changed")
		}
		now := termCellOf(f, m, zone, field)
		cell.As, cell.Label = now.As, now.Label
		return edit.SetTerm(f, m, edit.Term{Zone: zone, Field: field}, was, typed)
	})
	if err != nil {
		s.RefusedCell(c, err, "term-cell", &cell)
		return
	}
	if zone == "" || field.IsNeed() { // other cells have it too
		c.Header("HX-Retarget", "#method-"+c.Param("method"))
		c.Header("HX-Reswap", "outerHTML")
		row := s.opened(c, state, state.File.MethodIndex(c.Param("method")))
		s.Answer(c, "/methods", state, s.Render("method-row", row))
		return
	}
	s.Answer(
		c,
		"/methods",
		state,
		s.Render(
			"term-cell",
			termCellOf(state.File, state.File.Method(c.Param("method")), zone, field),
		),
	)
}

func (s *Screens) editMethods(
	c *gin.Context,
	change func(*store.File) error,
	slipped func(*methodsView, string),
) {
	shell.EditWork(
		s.Shell,
		c,
		"methods",
		func(state *draft.State) methodsView { return s.methodsView(c, state) },
		change,
		slipped,
	)
}

// addMethod adds a method with a price list over all zones in which nothing is offered yet.
func (s *Screens) addMethod(c *gin.Context) {
	typed, by, kind := c.PostForm("name"), rate.By(c.PostForm("by")), c.PostForm("kind")
	s.editMethods(c, func(f *store.File) error {
		if kind == string(store.CarrierKind) {
			if len(f.Carriers) == 0 {
				return edit.Problemf("connect a carrier first")
			}
			return edit.AddCarrierMethod(f, f.Carriers[0].ID, typed, nil)
		}
		return edit.AddMethod(f, typed, by, store.Kind(kind))
	}, func(v *methodsView, text string) { v.Typed, v.By, v.Kind, v.Slip = typed, string(by), kind, text })
}

// editMethod makes an edit of the method of the address.
func (s *Screens) editMethod(
	c *gin.Context,
	change func(*store.File, *store.Method) error,
	slipped func(*methodRow, string),
) {
	id := c.Param("method")
	s.editMethods(c, func(f *store.File) error {
		m := f.Method(id)
		if m == nil {
			return shell.Refusef("this method was removed meanwhile; nothing was changed")
		}
		return change(f, m)
	}, func(v *methodsView, text string) {
		for i := range v.Rows {
			if v.Rows[i].ID == id {
				v.Rows[i].HTML = "" // it is drawn with what was typed
				slipped(&v.Rows[i], text)
				return
			}
		}
		v.Slip = text
	})
}

func (s *Screens) nameMethod(c *gin.Context) {
	typed, ofLabel := c.PostForm("value"), c.PostForm("field") == "label"
	s.editMethod(c, func(_ *store.File, m *store.Method) error {
		if ofLabel {
			return edit.LabelMethod(m, typed)
		}
		return edit.NameMethod(m, typed)
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

// switchMethod sets what of a method is yes or no, its kind, and what buyers are told where it is unavailable.
func (s *Screens) switchMethod(c *gin.Context) {
	field, value := c.PostForm("field"), c.PostForm("value")
	s.editMethod(c, func(f *store.File, m *store.Method) error {
		switch field {
		case "kind":
			return edit.SetKind(f, m, store.Kind(value))
		case "refused":
			return edit.SetRefusedText(m, value)
		}
		edit.SetSwitch(f, m, edit.Switch(field), value == "on")
		return nil
	}, slipInRow)
}

// moveMethod gives a method another place in the order that buyers see.
func (s *Screens) moveMethod(c *gin.Context) {
	s.editMethod(c, func(f *store.File, m *store.Method) error {
		if step := c.PostForm("step"); step == "up" || step == "down" {
			edit.StepMethod(f, m.ID, step == "up")
			return nil
		}
		return edit.MoveMethod(f, m.ID, c.PostForm("before"))
	}, slipInRow)
}

// copyMethod makes a whole copy of a method, switched off until it is wanted.
func (s *Screens) copyMethod(c *gin.Context) {
	s.editMethod(c, func(f *store.File, m *store.Method) error {
		edit.CopyMethod(f, m)
		return nil
	}, slipInRow)
}

func (s *Screens) removeMethod(c *gin.Context) {
	s.editMethod(
		c,
		func(f *store.File, m *store.Method) error { return edit.RemoveMethod(f, m.ID) },
		slipInRow,
	)
}
