package screen

import (
	"slices"
	"strings"

	"diadrom/internal/charge"
	"diadrom/internal/draft"
	"diadrom/internal/exact"
	"diadrom/internal/productlist"
	"diadrom/internal/rate"
	"diadrom/internal/store"
	"diadrom/internal/terms"

	"github.com/gin-gonic/gin"
)

// pastedCells are cells that were pasted and not taken, by row (its break point) and zone.
type pastedCells map[[2]string]cellView

// put shows the cells as they were pasted, with what is wrong.
func (p pastedCells) put(v *ratesView, table string) {
	for i := range v.Tables {
		if v.Tables[i].ID != table {
			continue
		}
		for j := range v.Tables[i].Rows {
			for k := range v.Tables[i].Rows[j].Cells {
				cell := &v.Tables[i].Rows[j].Cells[k]
				if slip, ok := p[[2]string{cell.At, cell.Zone}]; ok {
					cell.Text, cell.Slip = slip.Text, slip.Slip
				}
			}
		}
	}
}

// pasteCells takes a block of cells from a spreadsheet. Pasted into a cell it goes on to the right and down;
// pasted into a break point its first column are break points, which make rows where they are new. What cannot
// be taken stays in its cell and says why.
func (s *Server) pasteCells(c *gin.Context) {
	at, zone := c.PostForm("at"), c.PostForm("zone")
	block := strings.Split(strings.TrimRight(strings.ReplaceAll(c.PostForm("block"), "\r\n", "\n"), "\n"), "\n")
	slips, note := pastedCells{}, ""
	s.editTableNoted(c, func(f *store.File, t *rate.Table) error {
		clear(slips)
		taken, below, beside := 0, 0, 0
		w := wordsOf(f)
		first := slices.Index(t.Zones, zone)
		row := rowAt(t, at)
		if row < 0 || first < 0 && zone != "" {
			return slipf("this row or column is not there any more; reload to see the list as it is now")
		}
		for i, line := range block {
			cells := strings.Split(line, "\t")
			column := first
			if zone == "" { // break points in front
				column = 0
				var err error
				if row, err = breakRow(f, t, cells[0]); err != nil {
					return slipf("line %d of what was pasted: %s", i+1, err.Error())
				}
				cells = cells[1:]
			}
			if row >= len(t.Rows) {
				below = len(block) - i
				break
			}
			for j, text := range cells {
				if column+j >= len(t.Zones) {
					beside = max(beside, len(cells)-j)
					break
				}
				parsed, err := charge.Parse(text, w)
				if strings.TrimSpace(text) == "" {
					parsed, err = nil, nil
				}
				if err != nil {
					slips[[2]string{atText(t.Rows[row].At), t.Zones[column+j]}] = cellView{
						Text: strings.TrimSpace(text),
						Slip: err.Error(),
					}
					continue
				}
				t.Rows[row].Charges[column+j] = parsed
				taken++
			}
			if zone != "" {
				row++
			}
		}
		note = plural(taken, "cell") + " taken"
		if n := len(slips); n > 0 {
			note += ", " + plural(n, "cell") + " not"
		}
		if beside > 0 {
			note += "; " + plural(beside, "column") + " of what was pasted lie right of the last zone"
		}
		if below > 0 {
			note += "; " + plural(
				below,
				"row",
			) + " lie below the last row: paste into a break point to bring rows along"
		}
		if taken == 0 {
			return slipf("none of the pasted cells can be taken")
		}
		return nil
	}, func(v *ratesView) {
		slips.put(v, c.Param("table"))
		v.note(c.Param("table"), note)
	})
}

// breakRow is the row of a break point as it is typed, made where there is none; its charges are those of the
// row that covered it.
func breakRow(f *store.File, t *rate.Table, typed string) (int, error) {
	if t.By == rate.ByOrder {
		return 0, slipf("a list with one price for every order has no break points")
	}
	typed = strings.TrimSpace(typed)
	for _, words := range []string{"up to and including", "up to", "from", "and over"} {
		typed = strings.TrimSpace(strings.TrimSuffix(strings.TrimPrefix(strings.ToLower(typed), words), words))
	}
	at, err := measureTyped(typed, unitOf(f, t.By))
	if err != nil {
		return 0, err
	}
	if i := slices.IndexFunc(t.Rows, func(r rate.Row) bool { return r.At != nil && r.At.Cmp(*at) == 0 }); i >= 0 {
		return i, nil
	}
	return insertRow(t, rate.Row{At: at}), nil
}

// insertRow puts a row where its break point belongs, with the charges of the row that covered it until now,
// and says where.
func insertRow(t *rate.Table, row rate.Row) int {
	covering, ok := t.Row(*row.At)
	if !ok {
		covering = len(t.Rows) - 1
	}
	row.Charges = slices.Clone(t.Rows[covering].Charges)
	i := slices.IndexFunc(t.Rows, func(r rate.Row) bool { return r.At == nil || row.At.Less(*r.At) })
	if i < 0 {
		i = len(t.Rows)
	}
	t.Rows = slices.Insert(t.Rows, i, row)
	return i
}

// note tells something above a table.
func (v *ratesView) note(table, text string) {
	for i := range v.Tables {
		if v.Tables[i].ID == table {
			v.Tables[i].Note = text
		}
	}
}

// editTableNoted makes an edit of a table; told adds to what is shown, whether it was made or not.
func (s *Server) editTableNoted(
	c *gin.Context,
	change func(*store.File, *rate.Table) error,
	told func(*ratesView),
) {
	c.Set("rates-told", told)
	s.editTable(c, "", change)
}

// columnAs makes a column as another is, with a change.
func (s *Server) columnAs(c *gin.Context) {
	zone, from, typed := c.PostForm("zone"), c.PostForm("from"), c.PostForm("change")
	s.editTableNoted(c, func(f *store.File, t *rate.Table) error {
		to, as := slices.Index(t.Zones, zone), slices.Index(t.Zones, from)
		if to < 0 || as < 0 {
			return slipf("choose two columns of this list")
		}
		w := wordsOf(f)
		change, err := charge.ParseChange(typed, w)
		if err != nil {
			return slipf("%s", err.Error())
		}
		for i := range t.Rows {
			made, err := change.Apply(t.Rows[i].Charges[as], w)
			if err != nil {
				return slipf("%s", err.Error())
			}
			t.Rows[i].Charges[to] = made
		}
		return nil
	}, func(v *ratesView) {
		for i := range v.Tables {
			if v.Tables[i].ID == c.Param("table") {
				v.Tables[i].AsZone, v.Tables[i].AsFrom, v.Tables[i].AsChange = zone, from, typed
			}
		}
	})
}

// moveColumn moves a column to the left or the right.
func (s *Server) moveColumn(c *gin.Context) {
	zone, step := c.PostForm("zone"), c.PostForm("step")
	s.editTable(c, "", func(_ *store.File, t *rate.Table) error {
		i := slices.Index(t.Zones, zone)
		j := i - 1
		if step == "right" {
			j = i + 1
		}
		if i < 0 || j < 0 || j >= len(t.Zones) {
			return slipf("this column cannot go further")
		}
		t.Zones[i], t.Zones[j] = t.Zones[j], t.Zones[i]
		for r := range t.Rows {
			t.Rows[r].Charges[i], t.Rows[r].Charges[j] = t.Rows[r].Charges[j], t.Rows[r].Charges[i]
		}
		return nil
	})
}

// shapeTable sets what a table measures, on which side of a break its rows lie, whether it is graduated, its
// name and its classes.
func (s *Server) shapeTable(c *gin.Context) {
	field, typed := c.PostForm("field"), c.PostForm("value")
	s.editTable(c, "", func(f *store.File, t *rate.Table) error {
		switch field {
		case "name":
			name, err := typedName(typed)
			if err != nil {
				return err
			}
			t.Name = name
		case "edges":
			setEdges(t, rate.Edges(typed))
		case "by":
			return setBy(t, rate.By(typed))
		case "graduated":
			t.Graduated = typed == "on"
		case "classes":
			var ids []string
			for _, name := range terms.ParseList(typed) {
				id, err := productlist.ClassOf(f, name)
				if err != nil {
					return slipf("there is no class %.40q: add it under Products", name)
				}
				ids = append(ids, id)
			}
			t.Classes = ids
		}
		return nil
	})
}

// setEdges has the rows lie on the other side of their breaks: a list "up to 2, up to 10, above" becomes "from
// 0, from 2, from 10" and back, with the same charges.
func setEdges(t *rate.Table, edges rate.Edges) {
	if t.Edges == edges || t.By == rate.ByOrder {
		return
	}
	n := len(t.Rows)
	switch edges {
	case rate.From:
		zero := exact.Zero
		next := &zero
		for i := range t.Rows {
			at := t.Rows[i].At
			t.Rows[i].At = next
			next = at
		}
		if next != nil { // what lay above the last row was not offered
			t.Rows = append(t.Rows, rate.Row{At: next, Charges: make([]*rate.Charge, len(t.Zones))})
		}
	case rate.UpTo:
		for i := range t.Rows {
			t.Rows[i].At = nil
			if i+1 < n {
				t.Rows[i].At = t.Rows[i+1].At
			}
		}
		if n > 1 && !slices.ContainsFunc(t.Rows[n-1].Charges, func(c *rate.Charge) bool { return c != nil }) {
			t.Rows = t.Rows[:n-1]
		}
	default:
		return
	}
	t.Edges = edges
}

// setBy has a list measure something else; its numbers stay.
func setBy(t *rate.Table, by rate.By) error {
	switch {
	case by == t.By:
		return nil
	case measureWords[by] == "":
		return slipf("choose what the price goes by")
	case by == rate.ByOrder && len(t.Rows) > 1:
		return slipf("one price for every order is a list of one row: remove the others first")
	case by == rate.ByOrder:
		t.Edges, t.Rows[0].At, t.Graduated = "", nil, false
	case t.By == rate.ByOrder:
		empty := emptyTable("", "", by)
		t.Edges, t.Rows[0].At = empty.Edges, empty.Rows[0].At
	}
	if by == rate.BySubtotal {
		t.Graduated = false
	}
	t.By = by
	return nil
}

// editLists makes an edit of a method's lists as a whole.
func (s *Server) editLists(c *gin.Context, change func(*store.File, *store.Method) error) {
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		m := methodByID(f, c.Param("method"))
		if m == nil {
			return slipf("this method was removed meanwhile; nothing was changed")
		}
		return change(f, m)
	})
	if err == nil {
		s.answerTable(c, state)
		return
	}
	s.refuseRates(c, err, func(v *ratesView, text string) {
		v.Slip, v.NewClasses = text, c.PostForm("classes")
		if by := rate.By(c.PostForm("by")); measureWords[by] != "" {
			v.Measure = measureChoices(by)
		}
	})
}

// addTable adds a list for goods of some classes, over the zones of the first list.
func (s *Server) addTable(c *gin.Context) {
	by := rate.By(c.PostForm("by"))
	s.editLists(c, func(f *store.File, m *store.Method) error {
		if measureWords[by] == "" {
			return slipf("choose what the price goes by")
		}
		var ids []string
		for _, name := range terms.ParseList(c.PostForm("classes")) {
			id, err := productlist.ClassOf(f, name)
			if err != nil {
				return slipf("there is no class %.40q: add it under Products", name)
			}
			ids = append(ids, id)
		}
		if len(ids) == 0 && len(m.Tables) > 0 {
			return slipf("say for goods of which class the new list is")
		}
		name := "Price list"
		if len(ids) > 0 {
			name = nameOr(classByID(f, ids[0]).Name, ids[0])
		}
		id := store.NewID(name, "list", func(id string) bool {
			return slices.ContainsFunc(m.Tables, func(t rate.Table) bool { return t.ID == id })
		})
		t := emptyTable(id, name, by)
		t.Classes = ids
		if len(m.Tables) > 0 {
			t.Zones = slices.Clone(m.Tables[0].Zones)
		} else {
			for i := range f.Zones {
				t.Zones = append(t.Zones, f.Zones[i].ID)
			}
		}
		t.Rows[0].Charges = make([]*rate.Charge, len(t.Zones))
		m.Tables = slices.Insert(m.Tables, 0, t)
		if m.Classes == "together" && len(m.Tables) > 1 {
			m.Classes = "add"
		}
		return nil
	})
}

// removeTable removes a list. Where a broader zone's prices would count then for addresses that had their own,
// it asks first.
func (s *Server) removeTable(c *gin.Context) {
	state := s.draft.State()
	if m, table, err := tableAt(c, state.File); err == nil && c.PostForm("agreed") != "yes" {
		after := *m
		after.Tables = slices.DeleteFunc(
			slices.Clone(m.Tables),
			func(t rate.Table) bool { return t.ID == table.ID },
		)
		var opens []string
		for _, through := range state.Engine.Through(&after) {
			if slices.Contains(table.Zones, through.Zone) {
				opens = append(
					opens,
					"buyers in "+state.File.ZoneName(
						through.Zone,
					)+" are offered this method at the prices of "+state.File.ZoneName(
						through.By,
					),
				)
			}
		}
		if len(opens) > 0 {
			s.refuseRates(
				c,
				slipf("Without this list, %s", strings.Join(opens, "; ")),
				func(v *ratesView, text string) {
					for i := range v.Tables {
						if v.Tables[i].ID == table.ID {
							v.Tables[i].Opens = text
						}
					}
				},
			)
			return
		}
	}
	s.editLists(c, func(_ *store.File, m *store.Method) error {
		m.Tables = slices.DeleteFunc(m.Tables, func(t rate.Table) bool { return t.ID == c.Param("table") })
		if len(m.Tables) == 1 && len(m.Tables[0].Classes) == 0 {
			m.Classes = "together"
		}
		for zone := range m.Terms {
			if !slices.Contains(m.ServedZones(), zone) {
				delete(m.Terms, zone)
			}
		}
		return nil
	})
}

// combineTables says how the lists of a method come together.
func (s *Server) combineTables(c *gin.Context) {
	s.editLists(c, func(_ *store.File, m *store.Method) error {
		if how := c.PostForm("how"); how == "add" || how == "dearest" {
			m.Classes = how
		}
		return nil
	})
}

// ratesTold adds to a view what an edit has to tell.
func ratesTold(c *gin.Context, _ *draft.State, v *ratesView) {
	if told, ok := c.Get("rates-told"); ok {
		told.(func(*ratesView))(v)
	}
}
