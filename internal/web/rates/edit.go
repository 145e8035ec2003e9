package rates

import (
	"html/template"
	"net/http"

	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/review/policy"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/till"

	"github.com/gin-gonic/gin"
)

// tableAt finds the table of the address in a file.
func tableAt(c *gin.Context, f *store.File) (*store.Method, *rate.Table, error) {
	return edit.Table(f, c.Param("method"), c.Param("table"))
}

// editCell sets a charge. The screen says which text it started from, so that two tabs do not overwrite one another.
func (s *Screens) editCell(c *gin.Context) {
	typed, was, at, zone := c.PostForm("text"), c.PostForm("was"), c.PostForm("at"), c.PostForm("zone")
	cell := cellView{
		DOM:   c.PostForm("dom"),
		At:    at,
		Zone:  zone,
		Text:  typed,
		Was:   was,
		Label: c.PostForm("label"),
	}
	row, column := -1, -1
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		_, t, err := tableAt(c, f)
		if err != nil {
			return err
		}
		row, column, err = edit.SetCell(f, t, edit.Cell{At: at, Zone: zone}, was, typed)
		return err
	})
	if err != nil {
		f := s.draft.State().File
		if b, ok := edit.BoundsTyped(f, typed); ok && row >= 0 && column >= 0 {
			cell.Offer = &boundsOffer{b, "/rates/" + c.Param("method") + "/" + c.Param("table") + "/bounds",
				f.ZoneName(zone)}
			err = shell.Refusef("a cell has no minimum or maximum: they are terms of the method, for the whole zone")
		}
		s.RefusedCell(c, err, "cell", &cell)
		return
	}
	f := state.File
	m, t, err := tableAt(c, f)
	if err != nil {
		s.Internal(c, err)
		return
	}
	quoted, err := s.till.View(c.Request.Context(), state, till.Slips{})
	if err != nil {
		s.Internal(c, err)
		return
	}
	parts := []template.HTML{s.Render("cell", cellOf(f, m, t, row, column, tillHits(quoted.Answer)))}
	if len(t.Rows)*len(t.Zones) > maxAtOnce { // the page asks for the rest
		c.Header("HX-Trigger", "list-changed")
		s.AnswerWith(c, "/rates", state, append(parts, s.till.Draw(&quoted, true))...)
		return
	}
	parts = append(parts, s.beside(state, m, t, &quoted)...)
	s.AnswerWith(c, "/rates", state, append(parts, s.till.Draw(&quoted, true))...)
}

// setBounds sets a lowest and a highest price that were typed into a cell as terms of its zone.
func (s *Screens) setBounds(c *gin.Context) {
	typed := edit.Bounds{Rest: c.PostForm("rest"), Minimum: c.PostForm("minimum"), Maximum: c.PostForm("maximum")}
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		m, t, err := tableAt(c, f)
		if err != nil {
			return err
		}
		return edit.SetBounds(f, m, t, edit.Cell{At: c.PostForm("at"), Zone: c.PostForm("zone")}, c.PostForm("was"),
			typed)
	})
	if err != nil {
		text, ok := shell.Told(err)
		if !ok {
			s.Internal(c, err)
			return
		}
		s.Problem(c, http.StatusUnprocessableEntity, text)
		return
	}
	s.answerTable(c, state, nil)
}

// maxAtOnce is up to how many cells of a list an edit's answer has its curve and what it says of itself; of
// larger lists the page asks for them a moment later, so that typing goes on without a wait.
const maxAtOnce = 240

// aside answers with a list's curve and what it says of itself.
func (s *Screens) aside(c *gin.Context) {
	state := s.draft.State()
	m, t, err := tableAt(c, state.File)
	if err != nil {
		s.HTML(c, http.StatusOK)
		return
	}
	quoted := s.quoted(c, state)
	s.HTML(c, http.StatusOK, s.beside(state, m, t, &quoted)...)
}

// beside is what stands beside a list: its warnings, what is said of its method, and its curve.
func (s *Screens) beside(state *draft.State, m *store.Method, t *rate.Table, quoted *till.View) []template.HTML {
	parts := []template.HTML{s.listWarnings(state, m, t)}
	if !isCost(state.File, m.ID) {
		say := policy.Brief(state.Engine, state.Coverage(), m)
		parts = append(parts, s.Render("said", ratesView{Say: say, OOB: true}))
	}
	if curve := curveOf(state, m, t, quoted); curve != nil {
		curve.OOB = true
		parts = append(parts, s.Render("curve", curve))
	}
	return parts
}

func (s *Screens) editBreak(c *gin.Context) {
	typed, was := c.PostForm("at"), c.PostForm("was")
	row := -1
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		_, t, err := tableAt(c, f)
		if err != nil {
			return err
		}
		row, err = edit.MoveBreak(f, t, was, typed)
		return err
	})
	if err != nil {
		text, ok := shell.Told(err)
		if !ok {
			s.Internal(c, err)
			return
		}
		f := s.draft.State().File
		m, t, gone := tableAt(c, f)
		if gone != nil || row < 0 {
			s.Problem(c, http.StatusUnprocessableEntity, text)
			return
		}
		if c.PostForm("whole") != "" { // moved on the curve: there is no field to tell it at
			v, _ := s.ratesView(c, s.draft.State(), c.Param("method"))
			v.note(t.ID, text)
			s.HTML(c, http.StatusUnprocessableEntity, s.Render("rates", v))
			return
		}
		h := headOf(f, m, t, row)
		h.At, h.Slip = typed, text
		s.HTML(c, http.StatusUnprocessableEntity, s.Render("head", h))
		return
	}
	s.answerTable(c, state, nil)
}

// answerTable answers an edit that changed a table's shape with all of the work; told, which may be nil, adds to
// what is shown.
func (s *Screens) answerTable(c *gin.Context, state *draft.State, told func(*ratesView)) {
	v, ok := s.ratesView(c, state, c.Param("method"))
	if told != nil {
		told(&v)
	}
	if !ok {
		s.Problem(c, http.StatusNotFound, "This method was removed meanwhile.")
		return
	}
	c.Header("HX-Retarget", "#work")
	c.Header("HX-Reswap", "innerHTML")
	s.Answer(c, "/rates", state, s.Render("rates", v))
}

// editTable makes an edit of a table's shape; a slip is told above the table, with what was typed kept.
func (s *Screens) editTable(c *gin.Context, typed string, change func(*store.File, *rate.Table) error) {
	s.editTableTelling(c, typed, change, func(*ratesView) {})
}

// editTableTelling is editTable; told adds to what is shown, whether the edit was made or not.
func (s *Screens) editTableTelling(
	c *gin.Context,
	typed string,
	change func(*store.File, *rate.Table) error,
	told func(*ratesView),
) {
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		_, t, err := tableAt(c, f)
		if err != nil {
			return err
		}
		return change(f, t)
	})
	if err == nil {
		s.answerTable(c, state, func(v *ratesView) {
			told(v)
			for i := range v.Tables {
				v.Tables[i].NewZone = ""
			}
		})
		return
	}
	s.refuseRates(c, err, func(v *ratesView, text string) {
		told(v)
		for i := range v.Tables {
			if v.Tables[i].ID == c.Param("table") {
				v.Tables[i].Slip, v.Tables[i].NewAt, v.Tables[i].Note = text, typed, ""
			}
		}
	})
}

// refuseRates answers an edit of lists that did not come about: the page with what was typed, and why beside it.
func (s *Screens) refuseRates(c *gin.Context, err error, say func(v *ratesView, text string)) {
	text, ok := shell.Told(err)
	if !ok {
		s.Internal(c, err)
		return
	}
	v, ok := s.ratesView(c, s.draft.State(), c.Param("method"))
	if !ok {
		s.Problem(c, http.StatusUnprocessableEntity, text)
		return
	}
	say(&v, text)
	c.Header("HX-Retarget", "#work")
	c.Header("HX-Reswap", "innerHTML")
	s.HTML(c, http.StatusUnprocessableEntity, s.Render("rates", v))
}

// addRow adds a break point where it belongs; its charges are those of the row that covered it until now.
func (s *Screens) addRow(c *gin.Context) {
	typed := c.PostForm("at")
	s.editTable(c, typed, func(f *store.File, t *rate.Table) error { return edit.AddRow(f, t, typed) })
}

func (s *Screens) removeRow(c *gin.Context) {
	s.editTable(
		c,
		"",
		func(_ *store.File, t *rate.Table) error { return edit.RemoveRow(t, c.PostForm("at")) },
	)
}

func (s *Screens) addColumn(c *gin.Context) {
	s.editTableTelling(c, "", func(f *store.File, t *rate.Table) error {
		return edit.AddColumn(f, t, c.PostForm("zone"))
	}, func(v *ratesView) {
		for i := range v.Tables {
			t := &v.Tables[i]
			if t.ID != c.Param("table") {
				continue
			}
			t.NewZone = c.PostForm("zone") // kept where it is refused
			if t.Across != nil && t.Across.To < t.Across.Of {
				t.Note = "The new column stands behind the last one"
			}
		}
	})
}

// removeColumn removes a zone's column. Where a broader zone's prices would count for its addresses then, it
// asks first.
func (s *Screens) removeColumn(c *gin.Context) {
	zone := c.PostForm("zone")
	if ask := s.opens(c, zone); ask != "" && c.PostForm("agreed") != "yes" {
		s.refuseRates(c, shell.Refusef("%s", ask), func(v *ratesView, text string) {
			for i := range v.Tables {
				if v.Tables[i].ID == c.Param("table") {
					v.Tables[i].Opens, v.Tables[i].OpensZone = text, zone
				}
			}
		})
		return
	}
	s.editTable(c, "", func(f *store.File, t *rate.Table) error {
		return edit.RemoveColumn(edit.Owner(f, c.Param("method")), t, zone)
	})
}

// opens says which prices count for a zone's addresses once its column in a table is gone, "" where none do.
func (s *Screens) opens(c *gin.Context, zone string) string {
	state := s.draft.State()
	m, table, err := tableAt(c, state.File)
	if err != nil || isCost(state.File, m.ID) {
		return ""
	}
	for _, through := range state.Coverage().Through(state.Engine, edit.WithoutColumn(m, table.ID, zone)) {
		if through.Zone == zone {
			name, by := state.File.ZoneName(zone), state.File.ZoneName(through.By)
			return "Without this column, buyers in " + name + " are offered this method at the prices of " + by
		}
	}
	return ""
}

// closeColumn writes "no" into every row of a column: the method is not offered to its zone, whatever broader
// zones have.
func (s *Screens) closeColumn(c *gin.Context) {
	s.editTable(
		c,
		"",
		func(_ *store.File, t *rate.Table) error { return edit.CloseColumn(t, c.PostForm("zone")) },
	)
}
