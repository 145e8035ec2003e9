package rates

import (
	"bytes"
	"cmp"
	"html/template"
	"net/http"
	"strconv"
	"strings"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/ratelist"
	"diadrom/internal/tables/sheet"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
)

// exportRates answers with price lists as a table: all of them, or a method's, with a line for each cell, or
// one as it looks.
func (s *Screens) exportRates(c *gin.Context) {
	f := s.draft.State().File
	rows, name := ratelist.Cells(f, f.Methods), "rates"
	if id := c.Query("method"); id != "" {
		m := f.Method(id)
		if m == nil {
			s.Problem(c, http.StatusNotFound, "There is no method of that name. It may have been removed.")
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
		s.Internal(c, err)
		return
	}
	upload.CSV(c, name+".csv", b.Bytes())
}

// ratesFileView is what a foreign price list would become.
type ratesFileView struct {
	ID, Name, Method string
	Problem, Missing string
	Found            []string // what of the file had to be made out
	Columns          []upload.Column
	By, Edges        []shell.Choice
	Lists            []shell.Choice // of a table that was written here
	Decimal          string
	Zones            []shell.ZoneHead
	Rows             []fileGridRow
	Lines            []upload.Row
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

// tables imports price lists.
func (s *Screens) tables() *upload.Import {
	return &upload.Import{
		Shell:   s.Shell,
		Store:   s.db,
		Kind:    "rates",
		Path:    "/rates-file",
		Page:    shell.Page{Here: "/rates", Title: "Rates", Template: "rates-file"},
		What:    "a table",
		Max:     upload.MaxTable,
		Refuse:  func(text string) any { return ratesFileView{Problem: text} },
		Preview: s.previewRates,
		Apply:   s.applyRates,
	}
}

// ratesPlan makes of a table what the columns, as they are put right by hand, say.
func ratesPlan(
	c *gin.Context,
	state *draft.State,
	body []byte,
) (*sheet.Table, ratelist.Mapping, *ratelist.Plan, error) {
	t, err := grid.ReadTable(body)
	if err != nil {
		return nil, ratelist.Mapping{}, nil, shell.Refusef("%s", err.Error())
	}
	t = ratelist.Unfold(t, state.File)
	query := c.Request.URL.Query()
	m := ratelist.Guess(t)
	for i := range m.Columns {
		if key := "c" + strconv.Itoa(i); query.Has(key) {
			m.Columns[i] = ratelist.Field(query.Get(key))
		}
	}
	if by := rate.By(query.Get("by")); by.Words() != "" {
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
	return t, m, ratelist.Make(t, m, state.File, state.Reader()), nil
}

// previewRates shows what a list would become; slip is what was wrong with the name that was typed for it.
func (s *Screens) previewRates(c *gin.Context, u *sqlite.Upload, slip string) (any, int, error) {
	typed := c.PostForm("name")
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
		v.Problem, _ = shell.Told(err)
		return v, http.StatusOK, nil
	}
	v.Found = t.Found
	for i, head := range t.Rows[0].Cells {
		col := upload.Column{Index: i, Head: head, NotMapped: m.Columns[i] == ""}
		for _, row := range t.Rows[1:min(len(t.Rows), 20)] {
			if i < len(row.Cells) && row.Cells[i] != "" {
				col.Example = row.Cells[i]
				break
			}
		}
		for _, f := range ratelist.Fields {
			col.Fields = append(col.Fields, shell.Choice{ID: string(f), Name: string(f), Chosen: f == m.Columns[i]})
		}
		v.Columns = append(v.Columns, col)
	}
	v.By = measureChoices(m.By)
	v.Edges = []shell.Choice{
		{ID: string(rate.UpTo), Name: "up to and including the bound", Chosen: m.Edges == rate.UpTo},
		{ID: string(rate.From), Name: "from the bound on", Chosen: m.Edges == rate.From},
	}
	if lists := ratelist.Lists(t); lists != nil {
		v.Columns, v.By, v.Edges = nil, nil, nil
		for _, name := range lists {
			v.Lists = append(v.Lists, shell.Choice{ID: name, Name: name, Chosen: name == m.List})
		}
	}
	if v.Missing = m.Missing(t); plan != nil {
		v.plan(state.File, plan)
	}
	return v, http.StatusOK, nil
}

func (v *ratesFileView) plan(f *store.File, plan *ratelist.Plan) {
	v.Usable, v.Gaps = plan.Usable && len(plan.Zones) > 0, plan.Gaps
	for i, z := range plan.Zones {
		col := shell.ZoneHead{ID: z.ID, Name: cmp.Or(z.Name, z.ID)}
		if plan.New[i] {
			col.Colour = "new"
		}
		v.Zones = append(v.Zones, col)
	}
	for i := range plan.Table.Rows {
		row := fileGridRow{Head: plan.Table.RowWords(i, f.Store.Units())}
		for _, ch := range plan.Table.Rows[i].Charges {
			row.Cells = append(row.Cells, charge.Format(ch, f.Words()))
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
			if len(v.Lines) == upload.MaxRows {
				v.More++
				continue
			}
			v.Lines = append(v.Lines, upload.Row{Line: l.Line, Status: names[l.Status], Name: l.Zone, What: l.Says})
		}
	}
}

// applyRates makes the zones and a method with the list.
func (s *Screens) applyRates(c *gin.Context, u *sqlite.Upload) (upload.Applied, error) {
	id := ""
	_, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		name, err := edit.Name(c.PostForm("name"))
		if err != nil {
			return err
		}
		t, m, plan, err := ratesPlan(c, s.draft.State(), u.Body)
		switch {
		case err != nil:
			return err
		case plan == nil:
			return shell.Refusef("%s", m.Missing(t))
		case !plan.Usable:
			return shell.Refusef("some lines are refused or contradict each other: mend them first")
		}
		id = plan.Apply(f, name).ID
		return nil
	})
	return upload.Applied{To: "/rates/" + id}, err
}
