package screen

import (
	"errors"
	"html/template"
	"net/http"
	"slices"
	"strings"

	"diadrom/internal/charge"
	"diadrom/internal/draft"
	"diadrom/internal/exact"
	"diadrom/internal/measure"
	"diadrom/internal/policy"
	"diadrom/internal/rate"
	"diadrom/internal/store"

	"github.com/gin-gonic/gin"
)

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
	cell := cellView{DOM: c.PostForm("dom"), At: at, Zone: zone, Text: typed, Was: was, Label: c.PostForm("label")}
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
			if wanted, err := charge.Parse(typed, w); err == nil && charge.Format(wanted, w) == now {
				return nil // it is so already
			}
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
		s.refused(c, err, func(text string) template.HTML {
			cell.Slip = text
			return s.render("cell", cell)
		})
		return
	}
	f := state.File
	m, t, err := tableAt(c, f)
	if err != nil {
		s.internal(c, err)
		return
	}
	till, err := s.till(c.Request.Context(), state, tillSlips{})
	if err != nil {
		s.internal(c, err)
		return
	}
	parts := []template.HTML{s.render("cell", cellOf(f, m, t, row, column, tillHits(till.answer)))}
	if len(t.Rows)*len(t.Zones) > mostAtOnce { // the page asks for the rest
		c.Header("HX-Trigger", "list-changed")
		s.answerWith(c, "/rates", state, till, parts...)
		return
	}
	if curve := curveOf(f, m, t, &till); curve != nil {
		curve.OOB = true
		parts = append(parts, s.render("curve", curve))
	}
	parts = append(
		parts,
		s.render("list-odd", tableView{ID: t.ID, Odd: oddInList(f, m, t), OOB: true}),
		s.render("said", ratesView{Say: policy.Method(state.Engine, m), OOB: true}),
	)
	s.answerWith(c, "/rates", state, till, parts...)
}

// mostAtOnce is up to how many cells of a list an edit's answer has its curve and what it says of itself; of
// larger lists the page asks for them a moment later, so that typing goes on without a wait.
const mostAtOnce = 240

// aside answers with a list's curve and what it says of itself.
func (s *Server) aside(c *gin.Context) {
	state := s.draft.State()
	m, t, err := tableAt(c, state.File)
	if err != nil {
		s.html(c, http.StatusOK)
		return
	}
	till := s.tillOf(c, state)
	parts := []template.HTML{
		s.render("list-odd", tableView{ID: t.ID, Odd: oddInList(state.File, m, t), OOB: true}),
		s.render("said", ratesView{Say: policy.Method(state.Engine, m), OOB: true}),
	}
	if curve := curveOf(state.File, m, t, &till); curve != nil {
		curve.OOB = true
		parts = append(parts, s.render("curve", curve))
	}
	s.html(c, http.StatusOK, parts...)
}

// measureTyped reads a break point: a number, with its unit or without.
func measureTyped(typed, unit string) (*exact.Decimal, error) {
	text := strings.TrimSpace(typed)
	if len(text) > 40 {
		return nil, slipf("that is too long for a break point")
	}
	d, err := measure.Number(strings.TrimPrefix(text, "-"), unit)
	switch {
	case strings.HasPrefix(text, "-"):
		return nil, slipf("a break point cannot be below 0")
	case errors.Is(err, exact.ErrLong), err != nil && strings.Contains(text, ","):
		return nil, slipf("%s", err.Error())
	case err != nil:
		return nil, slipf("%q is not a number: write the break point as 5 or 2.5", strings.TrimSpace(typed))
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
		if c.PostForm("whole") != "" { // moved on the curve: there is no field to tell it at
			v, _ := s.ratesView(c, s.draft.State(), c.Param("method"))
			v.note(t.ID, text)
			s.html(c, http.StatusUnprocessableEntity, s.render("rates", v))
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
	ratesTold(c, state, &v)
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
	s.refuseRates(c, err, func(v *ratesView, text string) {
		for i := range v.Tables {
			if v.Tables[i].ID == c.Param("table") {
				v.Tables[i].Slip, v.Tables[i].NewAt, v.Tables[i].Note = text, typed, ""
			}
		}
	})
}

// refuseRates answers an edit of lists that did not come about: the page with what was typed, and why beside it.
func (s *Server) refuseRates(c *gin.Context, err error, say func(v *ratesView, text string)) {
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
	ratesTold(c, s.draft.State(), &v)
	say(&v, text)
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
		insertRow(t, rate.Row{At: at})
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

// removeColumn removes a zone's column. Where a broader zone's prices would count for its addresses then, it
// asks first.
func (s *Server) removeColumn(c *gin.Context) {
	zone := c.PostForm("zone")
	if ask := s.opens(c, zone); ask != "" && c.PostForm("agreed") != "yes" {
		s.refuseRates(c, slipf("%s", ask), func(v *ratesView, text string) {
			for i := range v.Tables {
				if v.Tables[i].ID == c.Param("table") {
					v.Tables[i].Opens, v.Tables[i].OpensZone = text, zone
				}
			}
		})
		return
	}
	s.editTable(c, "", func(f *store.File, t *rate.Table) error {
		if !withoutColumn(t, zone) {
			return slipf("this column is not there any more")
		}
		m := methodByID(f, c.Param("method"))
		if !slices.Contains(m.ServedZones(), zone) { // another list may price it
			delete(m.Terms, zone)
		}
		return nil
	})
}

func withoutColumn(t *rate.Table, zone string) bool {
	j := slices.Index(t.Zones, zone)
	if j < 0 {
		return false
	}
	t.Zones = slices.Delete(slices.Clone(t.Zones), j, j+1)
	for i := range t.Rows {
		t.Rows[i].Charges = slices.Delete(slices.Clone(t.Rows[i].Charges), j, j+1)
	}
	return true
}

// opens says which prices count for a zone's addresses once its column in a table is gone, "" where none do.
func (s *Server) opens(c *gin.Context, zone string) string {
	state := s.draft.State()
	m, table, err := tableAt(c, state.File)
	if err != nil {
		return ""
	}
	after := *m
	after.Tables = slices.Clone(m.Tables)
	for i := range after.Tables {
		if after.Tables[i].ID == table.ID {
			after.Tables[i].Rows = slices.Clone(table.Rows)
			withoutColumn(&after.Tables[i], zone)
		}
	}
	for _, through := range state.Engine.Through(&after) {
		if through.Zone == zone {
			name, by := state.File.ZoneName(zone), state.File.ZoneName(through.By)
			return "Without this column, buyers in " + name + " are offered this method at the prices of " + by
		}
	}
	return ""
}

// closeColumn writes "no" into every row of a column: the method is not offered to its zone, whatever broader
// zones have.
func (s *Server) closeColumn(c *gin.Context) {
	zone := c.PostForm("zone")
	s.editTable(c, "", func(_ *store.File, t *rate.Table) error {
		j := slices.Index(t.Zones, zone)
		if j < 0 {
			return slipf("this column is not there any more")
		}
		for i := range t.Rows {
			t.Rows[i].Charges[j] = nil
		}
		return nil
	})
}
