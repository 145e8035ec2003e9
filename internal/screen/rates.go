package screen

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/charge"
	"diadrom/internal/draft"
	"diadrom/internal/exact"
	"diadrom/internal/quote"
	"diadrom/internal/rate"
	"diadrom/internal/store"

	"github.com/gin-gonic/gin"
)

// cellView is a cell of a price list: the charge of a row in a zone, as text.
type cellView struct {
	DOM           string // its id
	Method, Table string
	At, Zone      string // which row (its break point) and column
	Text          string // as typed, or canonical
	Was           string // the canonical text that the edit starts from
	Label         string // for those who do not see the heads
	No            bool
	Hit           bool // the Till's cart is priced here
	Slip          string
	Quiet         string // something to know that is no fault
}

type headView struct {
	DOM           string
	Method, Table string
	Index         int
	Before, After string // words around the break point: "up to and including", "and over"
	At            string
	Unit          string
	Was           string
	Fixed         bool // the break point cannot be changed
	Words         string
	Slip          string
	Last          bool
	OOB           bool
}

type rowView struct {
	Head  headView
	Cells []cellView
}

type columnView struct{ ID, Name, Colour string }

type tableView struct {
	Method, ID, Name string
	Title            string
	Measures         string // "Order weighs"
	Columns          []columnView
	Rows             []rowView
	Others           []columnView // zones that could be added
	Extends          bool         // whether a row can be added
	NewAt            string
	NewUnit          string
	Slip             string
	For              string // which goods
}

type ratesView struct {
	Methods []tab
	Method  string
	Label   string
	Say     string
	Tables  []tableView
	None    bool
}

type tab struct {
	ID, Name string
	Here     bool
}

func wordsOf(f *store.File) charge.Words {
	return charge.Words{Units: f.Store.Units(), Currency: f.Store.Currency}
}

var measureHeads = map[rate.By]string{
	rate.ByOrder: "Each order", rate.ByWeight: "Order weighs", rate.BySubtotal: "Goods come to",
	rate.ByQuantity: "Order has", rate.ByDistance: "Goes",
}

func unitOf(f *store.File, by rate.By) string {
	switch by {
	case rate.ByWeight:
		return f.Store.WeightUnit
	case rate.ByDistance:
		return f.Store.DistanceUnit
	case rate.BySubtotal:
		return f.Store.Currency
	case rate.ByQuantity:
		return "items"
	}
	return ""
}

func atText(at *exact.Decimal) string {
	if at == nil {
		return ""
	}
	return at.String()
}

// tillHits finds the cells that price the Till's cart.
func tillHits(a *quote.Answer) map[string]bool {
	hits := map[string]bool{}
	if a == nil {
		return hits
	}
	for _, o := range a.Options {
		for _, step := range o.Steps {
			for _, row := range step.Rows {
				hits[hitKey(o.Method, step.Table, row, o.Zone)] = true
			}
		}
	}
	return hits
}

func hitKey(method, table string, row int, zone string) string {
	return strings.Join([]string{method, table, strconv.Itoa(row), zone}, "/")
}

func cellOf(f *store.File, m *store.Method, t *rate.Table, row, column int, hits map[string]bool) cellView {
	z, _ := zoneByID(f, t.Zones[column])
	text := charge.Format(t.Rows[row].Charges[column], wordsOf(f))
	return cellView{
		DOM:    fmt.Sprintf("c-%s-%d-%d", t.ID, row, column),
		Method: m.ID, Table: t.ID, At: atText(t.Rows[row].At), Zone: t.Zones[column],
		Text: text, Was: text, No: text == "no",
		Label: nameOr(z.Name, z.ID) + ", " + t.RowWords(row, f.Store.Units()),
		Hit:   hits[hitKey(m.ID, t.ID, row, t.Zones[column])],
	}
}

func headOf(f *store.File, m *store.Method, t *rate.Table, row int) headView {
	u := f.Store.Units()
	h := headView{DOM: fmt.Sprintf("h-%s-%d", t.ID, row), Method: m.ID, Table: t.ID, Index: row, Unit: unitOf(f, t.By),
		At: atText(t.Rows[row].At), Words: t.RowWords(row, u), Last: row+1 == len(t.Rows)}
	h.Was = h.At
	switch {
	case t.By == rate.ByOrder:
		h.Fixed = true
	case t.Edges == rate.UpTo:
		h.Before = "up to and including"
		h.Fixed = t.Rows[row].At == nil
	default:
		h.Before, h.Fixed = "from", row == 0
	}
	return h
}

func (s *Server) tableView(f *store.File, m *store.Method, t *rate.Table, hits map[string]bool) tableView {
	v := tableView{Method: m.ID, ID: t.ID, Name: nameOr(t.Name, t.ID), Measures: measureHeads[t.By], Extends: t.By != rate.ByOrder, NewUnit: unitOf(f, t.By)}
	v.Title = nameOr(m.Name, m.ID) + ", " + measureWords[t.By]
	if len(m.Tables) > 1 {
		v.Title = v.Name + ", " + measureWords[t.By]
	}
	if len(t.Classes) > 0 {
		names := make([]string, len(t.Classes))
		for i, id := range t.Classes {
			names[i] = id
			for _, c := range f.Classes {
				if c.ID == id {
					names[i] = nameOr(c.Name, id)
				}
			}
		}
		v.For = "for goods of class " + strings.Join(names, ", ")
	} else if m.Classes != "together" {
		v.For = "for all other goods"
	}
	for _, id := range t.Zones {
		z, i := zoneByID(f, id)
		v.Columns = append(v.Columns, columnView{id, nameOr(z.Name, z.ID), colour(i)})
	}
	for i := range f.Zones {
		if z := &f.Zones[i]; !slices.Contains(t.Zones, z.ID) {
			v.Others = append(v.Others, columnView{z.ID, nameOr(z.Name, z.ID), colour(i)})
		}
	}
	for i := range t.Rows {
		row := rowView{Head: headOf(f, m, t, i)}
		for j := range t.Zones {
			row.Cells = append(row.Cells, cellOf(f, m, t, i, j, hits))
		}
		v.Rows = append(v.Rows, row)
	}
	return v
}

func (s *Server) ratesView(c *gin.Context, state *draft.State, id string) (ratesView, bool) {
	f := state.File
	v := ratesView{Method: id, None: len(f.Methods) == 0}
	for i := range f.Methods {
		m := &f.Methods[i]
		v.Methods = append(v.Methods, tab{m.ID, nameOr(m.Name, m.ID), m.ID == id})
	}
	m := methodByID(f, id)
	if m == nil {
		return v, v.None
	}
	v.Label, v.Say = m.BuyersLabel(), methodSentence(f, m)
	hits := s.hits(c, state)
	for i := range m.Tables {
		v.Tables = append(v.Tables, s.tableView(f, m, &m.Tables[i], hits))
	}
	return v, true
}

func (s *Server) hits(c *gin.Context, state *draft.State) map[string]bool {
	till, err := s.till(c.Request.Context(), state, tillSlips{})
	if err != nil {
		return nil
	}
	return tillHits(till.answer)
}

// methodSentence says what a method does, in short.
func methodSentence(f *store.File, m *store.Method) string {
	var parts []string
	if d := m.Days; d != nil {
		parts = append(parts, daysText(d))
	}
	w := wordsOf(f)
	if m.Free != nil && m.Free.Subtotal != nil {
		parts = append(parts, "Free from "+w.Money(*m.Free.Subtotal))
	}
	if m.Minimum != nil {
		parts = append(parts, "At least "+w.Money(*m.Minimum))
	}
	if m.Maximum != nil {
		parts = append(parts, "At most "+w.Money(*m.Maximum))
	}
	if n := m.Needs; n != nil {
		if n.Weight != nil && n.Weight.To != nil {
			parts = append(parts, "Up to "+w.Measure(rate.ByWeight, *n.Weight.To))
		}
		if n.LongestSide != nil && n.LongestSide.To != nil {
			parts = append(parts, "Longest side up to "+n.LongestSide.To.String()+" "+f.Store.LengthUnit)
		}
		if n.Distance != nil && n.Distance.To != nil {
			parts = append(parts, "Up to "+w.Measure(rate.ByDistance, *n.Distance.To)+" away")
		}
	}
	if len(parts) == 0 {
		return ""
	}
	return strings.Join(parts, ". ") + "."
}

func daysText(d *store.Days) string {
	unit := "days"
	if d.Business {
		unit = "working days"
	}
	switch {
	case d.Max == 0:
		return "The same day"
	case d.Min == d.Max && d.Max == 1:
		return "1 " + strings.TrimSuffix(unit, "s")
	case d.Min == 0 && d.Max == 1:
		return "Within 1 " + strings.TrimSuffix(unit, "s")
	case d.Min == 0:
		return fmt.Sprintf("Within %d %s", d.Max, unit)
	case d.Min == d.Max:
		return fmt.Sprintf("%d %s", d.Max, unit)
	}
	return fmt.Sprintf("%d to %d %s", d.Min, d.Max, unit)
}

func (s *Server) firstRates(c *gin.Context) {
	widest, columns := "", -1 // the method with the most to see
	for _, m := range s.draft.State().File.Methods {
		n := 0
		for _, t := range m.Tables {
			n = max(n, len(t.Zones)*len(t.Rows))
		}
		if n > columns {
			widest, columns = m.ID, n
		}
	}
	if widest != "" {
		c.Redirect(http.StatusSeeOther, "/rates/"+widest)
		return
	}
	v, _ := s.ratesView(c, s.draft.State(), "")
	s.page(c, "/rates", "Rates", "rates", v)
}

func (s *Server) rates(c *gin.Context) {
	v, ok := s.ratesView(c, s.draft.State(), c.Param("method"))
	if !ok {
		s.problem(c, http.StatusNotFound, "There is no method of that name. It may have been removed.")
		return
	}
	s.page(c, "/rates", "Rates: "+v.Label, "rates", v)
}

// tableAt finds the table of the address in a file.
func tableAt(c *gin.Context, f *store.File) (*store.Method, *rate.Table, error) {
	m := methodByID(f, c.Param("method"))
	if m == nil {
		return nil, nil, slipf("this method was removed meanwhile; nothing was changed")
	}
	for i := range m.Tables {
		if m.Tables[i].ID == c.Param("table") {
			return m, &m.Tables[i], nil
		}
	}
	return nil, nil, slipf("this price list was removed meanwhile; nothing was changed")
}

// rowAt finds a row by the break point that the screen showed.
func rowAt(t *rate.Table, at string) int {
	return slices.IndexFunc(t.Rows, func(r rate.Row) bool { return atText(r.At) == at })
}

// editCell sets a charge. The screen says which text it started from, so that two tabs do not overwrite one another.
func (s *Server) editCell(c *gin.Context) {
	typed, was, at, zone := c.PostForm("text"), c.PostForm("was"), c.PostForm("at"), c.PostForm("zone")
	cell := cellView{DOM: c.PostForm("dom"), Method: c.Param("method"), Table: c.Param("table"), At: at, Zone: zone, Text: typed, Was: was, Label: c.PostForm("label")}
	row, column := -1, -1
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		_, t, err := tableAt(c, f)
		if err != nil {
			return err
		}
		if row = rowAt(t, at); row < 0 {
			return slipf("the row %s is not there any more; reload to see the list as it is now", at)
		}
		if column = slices.Index(t.Zones, zone); column < 0 {
			return slipf("this zone's column was taken out meanwhile; reload to see the list as it is now")
		}
		w := wordsOf(f)
		if now := charge.Format(t.Rows[row].Charges[column], w); now != was {
			cell.Was = now
			return slipf("this was changed to %s in another window meanwhile; press Enter again to set yours", now)
		}
		parsed, err := charge.Parse(typed, w)
		if err != nil {
			return slipf("%s", err.Error())
		}
		t.Rows[row].Charges[column] = parsed
		return nil
	})
	if err != nil {
		text, ok := told(err)
		if !ok {
			s.internal(c, err)
			return
		}
		cell.Slip = text
		s.html(c, http.StatusUnprocessableEntity, s.render("cell", cell))
		return
	}
	f := state.File
	m, t, err := tableAt(c, f)
	if err != nil {
		s.internal(c, err)
		return
	}
	s.answer(c, "/rates", state, s.render("cell", cellOf(f, m, t, row, column, s.hits(c, state))))
}

// measureTyped reads a break point: a number, with its unit or without.
func measureTyped(typed, unit string) (*exact.Decimal, error) {
	text := strings.TrimSpace(typed)
	if len(text) > 40 {
		return nil, slipf("that is too long for a break point")
	}
	if cut := strings.TrimSpace(strings.TrimSuffix(strings.ToLower(text), strings.ToLower(unit))); unit != "" {
		text = cut
	}
	if strings.Count(text, ",") == 1 && !strings.Contains(text, ".") {
		text = strings.Replace(text, ",", ".", 1)
	}
	d, err := exact.Parse(text)
	switch {
	case errors.Is(err, exact.ErrLong):
		return nil, slipf("%s", err.Error())
	case err != nil:
		return nil, slipf("%q is not a number: write the break point as 5 or 2.5", strings.TrimSpace(typed))
	case d.Sign() < 0:
		return nil, slipf("a break point cannot be below 0")
	}
	return &d, nil
}

// otherAt refuses a break point that a row, but for the given one, has already.
func otherAt(t *rate.Table, row int, at *exact.Decimal) error {
	for i := range t.Rows {
		if other := t.Rows[i].At; i != row && other != nil && other.Cmp(*at) == 0 {
			return slipf("there is a row at %s already", at)
		}
	}
	return nil
}

// betweenNeighbours refuses a break point of a row that would leave its place.
func betweenNeighbours(t *rate.Table, row int, at *exact.Decimal) error {
	if row > 0 && t.Rows[row-1].At != nil && at.Less(*t.Rows[row-1].At) {
		return slipf("rows ascend: %s lies below the row before (%s)", at, t.Rows[row-1].At)
	}
	if row+1 < len(t.Rows) && t.Rows[row+1].At != nil && t.Rows[row+1].At.Less(*at) {
		return slipf("rows ascend: %s lies above the next row (%s)", at, t.Rows[row+1].At)
	}
	return nil
}

func (s *Server) editBreak(c *gin.Context) {
	typed, was := c.PostForm("at"), c.PostForm("was")
	row := -1
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		_, t, err := tableAt(c, f)
		if err != nil {
			return err
		}
		if row = rowAt(t, was); row < 0 || was == "" {
			return slipf("the row %s is not there any more; reload to see the list as it is now", was)
		}
		at, err := measureTyped(typed, unitOf(f, t.By))
		if err != nil {
			return err
		}
		if err := otherAt(t, row, at); err != nil {
			return err
		}
		if err := betweenNeighbours(t, row, at); err != nil {
			return err
		}
		t.Rows[row].At = at
		return nil
	})
	if err != nil {
		text, ok := told(err)
		if !ok {
			s.internal(c, err)
			return
		}
		f := s.draft.State().File
		m, t, gone := tableAt(c, f)
		if gone != nil || row < 0 {
			s.problem(c, http.StatusUnprocessableEntity, text)
			return
		}
		h := headOf(f, m, t, row)
		h.At, h.Slip = typed, text
		s.html(c, http.StatusUnprocessableEntity, s.render("head", h))
		return
	}
	s.answerTable(c, state)
}

// answerTable answers an edit that changed a table's shape with all of the work.
func (s *Server) answerTable(c *gin.Context, state *draft.State) {
	v, ok := s.ratesView(c, state, c.Param("method"))
	if !ok {
		s.problem(c, http.StatusNotFound, "This method was removed meanwhile.")
		return
	}
	c.Header("HX-Retarget", "#work")
	c.Header("HX-Reswap", "innerHTML")
	s.answer(c, "/rates", state, s.render("rates", v))
}

// editTable makes an edit of a table's shape; a slip is told above the table, with what was typed kept.
func (s *Server) editTable(c *gin.Context, typed string, change func(*store.File, *rate.Table) error) {
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		_, t, err := tableAt(c, f)
		if err != nil {
			return err
		}
		return change(f, t)
	})
	if err == nil {
		s.answerTable(c, state)
		return
	}
	text, ok := told(err)
	if !ok {
		s.internal(c, err)
		return
	}
	v, ok := s.ratesView(c, s.draft.State(), c.Param("method"))
	if !ok {
		s.problem(c, http.StatusUnprocessableEntity, text)
		return
	}
	for i := range v.Tables {
		if v.Tables[i].ID == c.Param("table") {
			v.Tables[i].Slip, v.Tables[i].NewAt = text, typed
		}
	}
	c.Header("HX-Retarget", "#work")
	c.Header("HX-Reswap", "innerHTML")
	s.html(c, http.StatusUnprocessableEntity, s.render("rates", v))
}

// addRow adds a break point where it belongs; its charges are those of the row that covered it until now.
func (s *Server) addRow(c *gin.Context) {
	typed := c.PostForm("at")
	s.editTable(c, typed, func(f *store.File, t *rate.Table) error {
		at, err := measureTyped(typed, unitOf(f, t.By))
		if err != nil {
			return err
		}
		if err := otherAt(t, -1, at); err != nil {
			return err
		}
		covering, ok := t.Row(*at)
		if !ok {
			covering = len(t.Rows) - 1
		}
		row := rate.Row{At: at, Charges: slices.Clone(t.Rows[covering].Charges)}
		i := slices.IndexFunc(t.Rows, func(r rate.Row) bool { return r.At == nil || at.Less(*r.At) })
		if i < 0 {
			i = len(t.Rows)
		}
		t.Rows = slices.Insert(t.Rows, i, row)
		return nil
	})
}

func (s *Server) removeRow(c *gin.Context) {
	s.editTable(c, "", func(f *store.File, t *rate.Table) error {
		i := rowAt(t, c.PostForm("at"))
		switch {
		case i < 0:
			return slipf("this row is not there any more")
		case len(t.Rows) == 1:
			return slipf("a price list keeps one row; to stop offering a method switch it off")
		}
		t.Rows = slices.Delete(t.Rows, i, i+1)
		if t.Edges == rate.From {
			zero := exact.Zero
			t.Rows[0].At = &zero
		}
		return nil
	})
}

func (s *Server) addColumn(c *gin.Context) {
	zone := c.PostForm("zone")
	s.editTable(c, "", func(f *store.File, t *rate.Table) error {
		if z, _ := zoneByID(f, zone); z == nil {
			return slipf("choose a zone")
		}
		if slices.Contains(t.Zones, zone) {
			return slipf("this zone has a column already")
		}
		t.Zones = append(t.Zones, zone)
		for i := range t.Rows {
			t.Rows[i].Charges = append(t.Rows[i].Charges, nil)
		}
		return nil
	})
}

func (s *Server) removeColumn(c *gin.Context) {
	zone := c.PostForm("zone")
	s.editTable(c, "", func(f *store.File, t *rate.Table) error {
		j := slices.Index(t.Zones, zone)
		if j < 0 {
			return slipf("this column is not there any more")
		}
		t.Zones = slices.Delete(t.Zones, j, j+1)
		for i := range t.Rows {
			t.Rows[i].Charges = slices.Delete(t.Rows[i].Charges, j, j+1)
		}
		m := methodByID(f, c.Param("method"))
		delete(m.Terms, zone)
		return nil
	})
}
