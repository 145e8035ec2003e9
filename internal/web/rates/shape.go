package rates

import (
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/plural"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// putSlips shows pasted cells that were not taken as they were pasted, with what is wrong.
func putSlips(v *ratesView, table string, slips map[edit.Cell]edit.Typed) {
	for i := range v.Tables {
		if v.Tables[i].ID != table {
			continue
		}
		for j := range v.Tables[i].Rows {
			for k := range v.Tables[i].Rows[j].Cells {
				cell := &v.Tables[i].Rows[j].Cells[k]
				if slip, ok := slips[edit.Cell{At: cell.At, Zone: cell.Zone}]; ok {
					cell.Text, cell.Slip = slip.Text, slip.Slip
				}
			}
		}
	}
}

// pasteCells takes a block of cells from a spreadsheet. Pasted into a cell it goes on to the right and down;
// pasted into a break point its first column are break points, which make rows where they are new. What cannot
// be taken stays in its cell and says why.
func (s *Screens) pasteCells(c *gin.Context) {
	var pasted edit.Pasted
	s.editTableTelling(c, "", func(f *store.File, t *rate.Table) (err error) {
		at := edit.Cell{At: c.PostForm("at"), Zone: c.PostForm("zone")}
		pasted, err = edit.Paste(f, t, at, c.PostForm("beside"), c.PostForm("block"))
		return err
	}, func(v *ratesView) {
		note := pastedNote(&pasted)
		if beside := v.unseen(c.Param("table"), &pasted, s.draft.State().File.ZoneName); beside != "" {
			note += "; " + beside
		}
		putSlips(v, c.Param("table"), pasted.Slips)
		v.note(c.Param("table"), note)
	})
}

// pastedNote says what became of a pasted block.
func pastedNote(p *edit.Pasted) string {
	note := plural.Count(p.Taken, "cell") + " taken"
	if n := len(p.Slips); n > 0 {
		note += ", " + plural.Count(n, "cell") + " not"
	}
	if p.Beside > 0 {
		note += "; " + plural.Count(p.Beside, "column") + " of what was pasted lie right of the last zone"
	}
	if p.Below > 0 {
		below := plural.Count(p.Below, "row")
		note += "; " + below + " lie below the last row: paste into a break point to bring rows along"
	}
	return note
}

// unseen says what became of pasted cells in columns and rows that the page does not show; "" for none.
func (v *ratesView) unseen(table string, p *edit.Pasted, name func(string) string) string {
	i := slices.IndexFunc(v.Tables, func(t tableView) bool { return t.ID == table })
	if i < 0 || v.Tables[i].Across == nil && v.Tables[i].Down == nil {
		return ""
	}
	shown, seen := map[edit.Cell]bool{}, map[string]bool{}
	for _, row := range v.Tables[i].Rows {
		for j := range row.Cells {
			shown[edit.Cell{At: row.Cells[j].At, Zone: row.Cells[j].Zone}] = true
			seen[row.Cells[j].Zone] = true
		}
	}
	var says []string
	hidden := 0
	for zone, n := range p.Zones {
		if !seen[zone] {
			hidden += n
		}
	}
	if hidden > 0 {
		says = append(says, plural.Count(hidden, "cell")+" of them in zones that are not shown here")
	}
	var slips []string
	for cell, slip := range p.Slips {
		if !shown[cell] {
			at := "the last row"
			if cell.At != "" {
				at = "row " + cell.At
			}
			slips = append(slips, fmt.Sprintf("%s, %s: “%s”, %s", name(cell.Zone), at, slip.Text, slip.Slip))
		}
	}
	slices.Sort(slips)
	if len(slips) > 0 {
		says = append(says, "not taken where it is not shown: "+strings.Join(slips, "; "))
	}
	return strings.Join(says, "; ")
}

// note tells something above a table.
func (v *ratesView) note(table, text string) {
	for i := range v.Tables {
		if v.Tables[i].ID == table {
			v.Tables[i].Note = text
		}
	}
}

// columnAs makes a column as another is, with a change.
func (s *Screens) columnAs(c *gin.Context) {
	zone, from, typed := c.PostForm("zone"), c.PostForm("from"), c.PostForm("change")
	s.editTableTelling(c, "", func(f *store.File, t *rate.Table) error {
		return edit.CopyColumn(f, t, zone, from, typed)
	}, func(v *ratesView) {
		for i := range v.Tables {
			if v.Tables[i].ID == c.Param("table") {
				v.Tables[i].AsZone, v.Tables[i].AsFrom, v.Tables[i].AsChange = zone, from, typed
			}
		}
	})
}

// moveColumn moves a column to the left or the right.
func (s *Screens) moveColumn(c *gin.Context) {
	s.editTable(c, "", func(_ *store.File, t *rate.Table) error {
		return edit.MoveColumn(t, c.PostForm("zone"), c.PostForm("step") == "right")
	})
}

// shapeTable sets what a table measures, on which side of a break its rows lie, whether it is graduated,
// whether it prices the whole order, its name and its classes.
func (s *Screens) shapeTable(c *gin.Context) {
	field, typed := c.PostForm("field"), c.PostForm("value")
	s.editTable(c, "", func(f *store.File, t *rate.Table) error {
		switch field {
		case "name":
			return edit.NameTable(t, typed)
		case "edges":
			edit.SetEdges(t, rate.Edges(typed))
		case "by":
			return edit.SetBy(edit.Owner(f, c.Param("method")), t, rate.By(typed))
		case "graduated":
			t.Graduated = typed == "on"
		case "per":
			edit.SetPer(edit.Owner(f, c.Param("method")), t, typed == "on")
		case "classes":
			return edit.SetClasses(f, t, typed)
		}
		return nil
	})
}

// editLists makes an edit of a method's lists as a whole.
func (s *Screens) editLists(c *gin.Context, change func(*store.File, *store.Method) error) {
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		return edit.Lists(f, c.Param("method"), func(m *store.Method) error { return change(f, m) })
	})
	if err == nil {
		s.answerTable(c, state, nil)
		return
	}
	s.refuseRates(c, err, func(v *ratesView, text string) {
		v.Slip, v.NewClasses = text, c.PostForm("classes")
		if by := rate.By(c.PostForm("by")); by.Words() != "" {
			v.Measure = measureChoices(by)
		}
	})
}

// addTable adds a list for goods of some classes, over the zones of the first list.
func (s *Screens) addTable(c *gin.Context) {
	s.editLists(c, func(f *store.File, m *store.Method) error {
		return edit.AddTable(f, m, rate.By(c.PostForm("by")), c.PostForm("classes"))
	})
}

// removeTable removes a list. Where a broader zone's prices would count then for addresses that had their own,
// it asks first.
func (s *Screens) removeTable(c *gin.Context) {
	state := s.draft.State()
	if m, table, err := tableAt(c, state.File); err == nil && c.PostForm("agreed") != "yes" &&
		!isCost(state.File, m.ID) {
		after := *m
		after.Tables = slices.DeleteFunc(
			slices.Clone(m.Tables),
			func(t rate.Table) bool { return t.ID == table.ID },
		)
		var opens []string
		for _, through := range state.Coverage().Through(state.Engine, &after) {
			if slices.Contains(table.Zones, through.Zone) {
				zone, by := state.File.ZoneName(through.Zone), state.File.ZoneName(through.By)
				opens = append(opens, "buyers in "+zone+" are offered this method at the prices of "+by)
			}
		}
		if len(opens) > 0 {
			s.refuseRates(
				c,
				shell.Refusef("Without this list, %s", strings.Join(opens, "; ")),
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
		edit.RemoveTable(m, c.Param("table"))
		return nil
	})
}

// combineTables says how the lists of a method come together.
func (s *Screens) combineTables(c *gin.Context) {
	s.editLists(c, func(_ *store.File, m *store.Method) error {
		return edit.SetCombine(m, store.Combine(c.PostForm("how")))
	})
}
