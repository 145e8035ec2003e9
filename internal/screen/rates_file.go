package screen

import (
	"bytes"
	"html/template"
	"net/http"
	"strconv"
	"strings"

	"diadrom/internal/charge"
	"diadrom/internal/draft"
	"diadrom/internal/edit"
	"diadrom/internal/rate"
	"diadrom/internal/ratelist"
	"diadrom/internal/sheet"
	"diadrom/internal/store"

	"github.com/gin-gonic/gin"
)

// kindRates is the kind of an upload that is a price list.
const kindRates = "rates"

// exportRates answers with price lists as a table: all of them, or a method's, with a line for each cell, or
// one as it looks.
func (s *Server) exportRates(c *gin.Context) {
	f := s.draft.State().File
	rows, name := ratelist.Cells(f, f.Methods), "rates"
	if id := c.Query("method"); id != "" {
		m := edit.Method(f, id)
		if m == nil {
			s.problem(c, http.StatusNotFound, "There is no method of that name. It may have been removed.")
			return
		}
		rows, name = ratelist.Cells(f, []store.Method{*m}), id
		for i := range m.Tables {
			if m.Tables[i].ID == c.Query("grid") {
				rows = ratelist.Grid(f, &m.Tables[i])
			}
		}
	}
	var b bytes.Buffer
	if err := sheet.Write(&b, rows); err != nil {
		s.internal(c, err)
		return
	}
	c.Header("Content-Disposition", `attachment; filename="`+name+`.csv"`)
	c.Data(http.StatusOK, "text/csv; charset=utf-8", b.Bytes())
}

// ratesFileView is what a foreign price list would become.
type ratesFileView struct {
	ID, Name, Method string
	Problem, Missing string
	Columns          []fileColumn
	By, Edges        []choice
	Lists            []choice // of a table that was written here
	Decimal          string
	Zones            []columnView
	Rows             []fileGridRow
	Lines            []fileRow
	More             int
	Gaps             []string
	Usable           bool
	Refused          int
	Query            template.URL
	Slip             string
}

type fileGridRow struct {
	Head  string
	Cells []string
}

func (s *Server) sendRates(c *gin.Context) {
	name, body, err := readTable(c)
	var id int64
	if err == nil {
		id, err = s.db.AddUpload(c.Request.Context(), kindRates, name, body)
	}
	if err != nil {
		s.ratesFileProblem(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/rates-file/"+strconv.FormatInt(id, 10))
}

func (s *Server) ratesFileProblem(c *gin.Context, err error) {
	text, ok := told(err)
	if !ok {
		s.internal(c, err)
		return
	}
	s.pageStatus(c, http.StatusUnprocessableEntity, "/rates", "Rates", "rates-file", ratesFileView{Problem: text})
}

// ratesPlan makes of a table what the columns, as they are put right by hand, say.
func ratesPlan(
	c *gin.Context,
	state *draft.State,
	body []byte,
) (*sheet.Table, ratelist.Mapping, *ratelist.Plan, error) {
	t, err := sheet.Read(body)
	if err != nil {
		return nil, ratelist.Mapping{}, nil, slipf("%s", err.Error())
	}
	query := c.Request.URL.Query()
	m := ratelist.Guess(t)
	for i := range m.Columns {
		if key := "c" + strconv.Itoa(i); query.Has(key) {
			m.Columns[i] = ratelist.Field(query.Get(key))
		}
	}
	if by := rate.By(query.Get("by")); measureWords[by] != "" {
		m.By = by
	}
	if edges := rate.Edges(query.Get("edges")); edges == rate.From || edges == rate.UpTo {
		m.Edges = edges
	}
	if d := query.Get("decimal"); d == "." || d == "," {
		m.Decimal = d[0]
	}
	if list := query.Get("list"); list != "" {
		m.List = list
	}
	if m.Missing(t) != "" {
		return t, m, nil, nil
	}
	return t, m, ratelist.Make(t, m, state.File, state.Engine.Reader()), nil
}

func (s *Server) ratesFile(c *gin.Context) { s.showRatesFile(c, http.StatusOK, "", "") }

// showRatesFile shows what a list would become; slip is what was wrong with the name that was typed for it.
func (s *Server) showRatesFile(c *gin.Context, status int, typed, slip string) {
	u, err := s.uploaded(c, kindRates)
	if err != nil {
		s.ratesFileProblem(c, err)
		return
	}
	state := s.draft.State()
	v := ratesFileView{
		ID:      strconv.FormatInt(u.ID, 10),
		Name:    u.Name,
		Method:  typed,
		Slip:    slip,
		Query:   template.URL(c.Request.URL.Query().Encode()),
		Decimal: c.Query("decimal"),
	}
	if v.Method == "" {
		v.Method, _, _ = strings.Cut(u.Name, ".")
	}
	t, m, plan, err := ratesPlan(c, state, u.Body)
	if err != nil {
		v.Problem, _ = told(err)
		s.pageStatus(c, status, "/rates", "Rates", "rates-file", v)
		return
	}
	for i, head := range t.Rows[0].Cells {
		col := fileColumn{Index: i, Head: head, NotMapped: m.Columns[i] == ""}
		for _, row := range t.Rows[1:min(len(t.Rows), 20)] {
			if i < len(row.Cells) && row.Cells[i] != "" {
				col.Example = row.Cells[i]
				break
			}
		}
		for _, f := range ratelist.Fields {
			col.Fields = append(col.Fields, choice{string(f), string(f), f == m.Columns[i]})
		}
		v.Columns = append(v.Columns, col)
	}
	v.By = measureChoices(m.By)
	v.Edges = []choice{
		{string(rate.UpTo), "up to and including the bound", m.Edges == rate.UpTo},
		{string(rate.From), "from the bound on", m.Edges == rate.From},
	}
	if lists := ratelist.Lists(t); lists != nil {
		v.Columns, v.By, v.Edges = nil, nil, nil
		for _, name := range lists {
			v.Lists = append(v.Lists, choice{name, name, name == m.List})
		}
	}
	if v.Missing = m.Missing(t); plan != nil {
		v.plan(state.File, plan)
	}
	s.pageStatus(c, status, "/rates", "Rates", "rates-file", v)
}

func (v *ratesFileView) plan(f *store.File, plan *ratelist.Plan) {
	v.Usable, v.Gaps = plan.Usable && len(plan.Zones) > 0, plan.Gaps
	for i, z := range plan.Zones {
		col := columnView{ID: z.ID, Name: nameOr(z.Name, z.ID)}
		if plan.New[i] {
			col.Colour = "new"
		}
		v.Zones = append(v.Zones, col)
	}
	for i := range plan.Table.Rows {
		row := fileGridRow{Head: plan.Table.RowWords(i, f.Store.Units())}
		for _, ch := range plan.Table.Rows[i].Charges {
			row.Cells = append(row.Cells, charge.Format(ch, edit.Words(f)))
		}
		v.Rows = append(v.Rows, row)
	}
	wrong := func(l *ratelist.Line) bool { return l.Status == ratelist.Contradicts || l.Status == ratelist.Refused }
	names := map[ratelist.Status]string{
		ratelist.Taken:       "taken",
		ratelist.Repeats:     "repeats",
		ratelist.Contradicts: "contradicts",
		ratelist.Refused:     "refused",
	}
	for _, first := range []bool{true, false} { // what is wrong stands first
		for i := range plan.Lines {
			l := &plan.Lines[i]
			if wrong(l) != first {
				continue
			}
			if first {
				v.Refused++
			}
			if len(v.Lines) == mostFileRows {
				v.More++
				continue
			}
			v.Lines = append(v.Lines, fileRow{Line: l.Line, Status: names[l.Status], Name: l.Zone, What: l.Says})
		}
	}
}

// takeRates makes the zones and a method with the list.
func (s *Server) takeRates(c *gin.Context) {
	u, err := s.uploaded(c, kindRates)
	if err != nil {
		s.ratesFileProblem(c, err)
		return
	}
	typed, id := c.PostForm("name"), ""
	_, err = s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		name, err := edit.Name(typed)
		if err != nil {
			return err
		}
		t, m, plan, err := ratesPlan(c, s.draft.State(), u.Body)
		switch {
		case err != nil:
			return err
		case plan == nil:
			return slipf("%s", m.Missing(t))
		case !plan.Usable:
			return slipf("some lines are refused or contradict each other: mend them first")
		}
		id = plan.Apply(f, name).ID
		return nil
	})
	if err != nil {
		text, ok := told(err)
		if !ok {
			s.internal(c, err)
			return
		}
		s.showRatesFile(c, http.StatusUnprocessableEntity, typed, text)
		return
	}
	if err := s.db.RemoveUpload(c.Request.Context(), kindRates, u.ID); err != nil {
		s.log.Warn("upload", "error", err)
	}
	c.Redirect(http.StatusSeeOther, "/rates/"+id)
}
