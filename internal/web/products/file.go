package products

import (
	"bytes"
	"cmp"
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"diadrom/internal/core/store"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/productlist"
	"diadrom/internal/tables/sheet"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
)

// fileView is what a table of products would change.
type fileView struct {
	ID, Name               string
	Problem                string   // why it is no table
	Missing                string   // what its columns lack
	Found                  []string // what of the file had to be made out
	Columns                []upload.Column
	Decimal                string
	Heads                  []string // of the values that are read
	Rows                   []productRow
	More                   int // rows that are not shown
	Source                 upload.Source
	Skipped                []grid.Skipped
	Asks                   []upload.Ask
	OK                     []string // the questions that were settled
	Classes                string   // "make": those that the shop does not have are made
	Rate, RateOf, Currency string
	units                  []string // that the columns are read in
	Blocked                string   // why it cannot be imported yet
	Slip                   string
	Show                   string
	Counts                 map[string]int
	Query                  template.URL // of this view, for the form that takes it
	Tabs                   []fileTab
	Usable                 bool
}

// productRow is a row of a table and what was read of it.
type productRow struct {
	Line    int
	SKU     string
	Cells   []productCell
	What    string
	Refused bool
}

type productCell struct {
	Is, Was string
	Changed bool
	Words   bool // it is no number
}

type fileTab struct {
	Name, Path string
	Count      int
	Here       bool
}

var statusNames = map[productlist.Status]string{
	productlist.New:     "new",
	productlist.Changed: "changed",
	productlist.Same:    "same",
	productlist.Refused: "refused",
}

func (s *Screens) exportGoods(c *gin.Context) {
	var b bytes.Buffer
	if err := sheet.Write(&b, productlist.Write(s.draft.State().File)); err != nil {
		s.Internal(c, err)
		return
	}
	upload.CSV(c, "products.csv", b.Bytes())
}

// tables imports tables of products.
func (s *Screens) tables() *upload.Import {
	return &upload.Import{
		Shell:   s.Shell,
		Store:   s.db,
		Kind:    "goods",
		Path:    "/goods/file",
		Page:    shell.Page{Here: "/goods", Title: "Products", Template: "goods-file"},
		What:    "a table",
		Max:     upload.MaxTable,
		Refuse:  func(text string) any { return fileView{Problem: text} },
		Preview: s.previewProducts,
		Apply:   s.applyProducts,
	}
}

// choices are what somebody set on the preview of a table; slip is what of it cannot be read.
func choices(query url.Values) (c productlist.Choices, slip string) {
	c = productlist.Choices{Columns: map[int]productlist.Field{}, Units: map[int]string{}, Settled: query["ok"]}
	c.Options, c.Head = upload.Chosen(query)
	if d := query.Get("decimal"); d == "." || d == "," {
		c.Decimal = d[0]
	}
	c.MakeClasses = query.Get("classes") == "make"
	c.Rate, slip = upload.TypedNumber(query.Get("rate"), 0, "write the exchange rate as 0.92")
	// What was chosen for the columns of one sheet says nothing of those of another.
	if !upload.AsShown(query, "sheet") || !upload.AsShown(query, "head") {
		return c, slip
	}
	for name := range query {
		i, err := strconv.Atoi(strings.TrimLeft(name, "cu"))
		if err != nil || len(name) < 2 {
			continue
		}
		switch key := strconv.Itoa(i); name {
		case "c" + key:
			if !upload.Chose(query, name) {
				continue
			}
			c.Columns[i] = productlist.Field(query.Get(name))
		case "u" + key: // of the field that it was chosen for
			if query.Get("f"+key) == query.Get("c"+key) || !query.Has("f"+key) {
				c.Units[i] = query.Get(name)
			}
		}
	}
	return c, slip
}

func (s *Screens) previewProducts(c *gin.Context, u *sqlite.Upload, notDone string) (any, int, error) {
	state, query := s.draft.State(), upload.Query(c)
	v := &fileView{
		ID:       strconv.FormatInt(u.ID, 10),
		Name:     u.Name,
		Decimal:  query.Get("decimal"),
		Show:     query.Get("show"),
		Rate:     query.Get("rate"),
		Currency: state.File.Store.Currency,
		Query:    template.URL(query.Encode()),
		Slip:     notDone,
		OK:       query["ok"],
		Classes:  query.Get("classes"),
	}
	set, slip := choices(query)
	if slip != "" {
		v.Slip = slip
	}
	r, err := productlist.Open(s.Files.Table(c.Request.Context(), u.Body), state.File, set, func(int) {})
	if err != nil {
		v.Problem = err.Error()
		return v, http.StatusOK, nil
	}
	v.Found, v.Skipped, v.Missing = r.Found, r.Skipped, r.Missing
	v.Source = upload.SourceOf(r.Grid, r.Head, query, r.Ledger)
	v.columns(r, set.Columns)
	if r.Mapping.Decimal != 0 {
		v.Decimal = string(r.Mapping.Decimal)
	}
	if r.Currency != v.Currency {
		v.RateOf = r.Currency
	}
	for _, a := range r.Asks {
		v.Asks = append(v.Asks, v.question(a))
	}
	if r.Rows != nil {
		v.rows(state.File, r, query)
	}
	if v.Blocked = blocked(r); slip != "" {
		v.Blocked = slip
	}
	return v, http.StatusOK, nil
}

// question is a question with what answers it.
func (v *fileView) question(a grid.Ask) upload.Ask {
	one := upload.Ask{Code: a.Code, Message: a.Message}
	answer := func(label string, pairs ...string) {
		one.Answers = append(one.Answers, upload.NewAnswer(label, "", pairs...))
	}
	switch a.Code {
	case productlist.AskCurrency:
		one.Open = true
	case productlist.AskDecimal:
		one.Open = true
		answer("Decimal point", "decimal", ".")
		answer("Decimal comma", "decimal", ",")
	case productlist.AskNote, productlist.AskColumns:
		one.Leave = "Leave it out"
	case productlist.AskHidden:
		one.Leave = "They are meant"
	case productlist.AskClasses:
		answer("Add the classes", "classes", "make")
	case productlist.AskSheet:
		for _, sheet := range v.Source.Sheets {
			answer(sheet.Name, "sheet", sheet.ID)
		}
	case productlist.AskUnit:
		for _, column := range v.Columns {
			if !column.Measured || column.Unit != "" {
				continue
			}
			key := strconv.Itoa(column.Index)
			for _, unit := range column.Units[1:] {
				if unit.ID == v.units[column.Index] { // which it is read in
					continue
				}
				answer(column.Head+" in "+unit.ID, "c"+key, column.Field, "f"+key, column.Field, "u"+key, unit.ID)
			}
		}
	}
	return one
}

// blocked says why a list cannot be imported yet; "" where it can. Questions about the decimal sign and about
// classes refuse their rows alone.
func blocked(r *productlist.Reading) string {
	if r.Missing != "" {
		return r.Missing
	}
	for _, a := range r.Asks {
		if a.Code != productlist.AskDecimal && a.Code != productlist.AskClasses {
			return "a question is open: answer it first"
		}
	}
	return ""
}

// columns says what each column of the table holds, to be put right.
func (v *fileView) columns(r *productlist.Reading, chosen map[int]productlist.Field) {
	m := r.Mapping
	v.units = m.Units
	for i, head := range r.Table.Rows[0].Cells {
		col := upload.Column{
			Index:     i,
			Head:      head,
			Field:     string(m.Columns[i]),
			Unit:      m.SaidUnit(i),
			NotMapped: m.Columns[i] == "",
		}
		_, col.Chosen = chosen[i]
		for _, row := range r.Table.Rows[1:min(len(r.Table.Rows), 20)] {
			if i < len(row.Cells) && row.Cells[i] != "" {
				col.Example = row.Cells[i]
				break
			}
		}
		for _, f := range productlist.Readable {
			col.Fields = append(col.Fields, shell.Choice{ID: string(f), Name: f.String(), Chosen: f == m.Columns[i]})
		}
		units := productlist.UnitsOf(m.Columns[i])
		if col.Measured = len(units) > 0; col.Measured {
			col.Units = append(col.Units, shell.Choice{Name: m.Units[i] + ", as the shop", Chosen: col.Unit == ""})
			if col.Unit != "" {
				col.Units[0].Name = "as the shop"
			}
		}
		for _, unit := range units {
			col.Units = append(col.Units, shell.Choice{ID: unit, Name: unit, Chosen: unit == col.Unit})
		}
		v.Columns = append(v.Columns, col)
	}
}

// rows shows what becomes of the rows, those first that are refused or change something.
func (v *fileView) rows(f *store.File, reading *productlist.Reading, query url.Values) {
	rows := reading.Rows
	counts := productlist.Count(rows)
	shown := productlist.Shown(reading.Mapping)
	for _, field := range shown {
		head := strings.ToUpper(field.String()[:1]) + field.String()[1:]
		if unit := productlist.Unit(field, &f.Store); unit != "" {
			head += ", " + unit
		}
		v.Heads = append(v.Heads, head)
	}
	for _, status := range []productlist.Status{productlist.Refused, productlist.Changed, productlist.New,
		productlist.Same} {
		name := statusNames[status]
		q := url.Values{}
		for k, values := range query {
			q[k] = values
		}
		q.Set("show", name)
		if counts[status] > 0 && v.Show == "" {
			v.Show = name
		}
		v.Tabs = append(
			v.Tabs,
			fileTab{name, "/goods/file/" + v.ID + "?" + q.Encode(), counts[status], v.Show == name},
		)
	}
	v.Usable = counts[productlist.New]+counts[productlist.Changed] > 0
	for i := range rows {
		r := &rows[i]
		if statusNames[r.Status] != v.Show {
			continue
		}
		if len(v.Rows) == upload.MaxRows {
			v.More++
			continue
		}
		row := productRow{Line: r.Line, SKU: r.Product.SKU, What: r.What, Refused: r.Status == productlist.Refused}
		if !row.Refused {
			row.Cells = valuesOf(f, r, shown)
		}
		v.Rows = append(v.Rows, row)
	}
	v.Counts = map[string]int{
		"new":     counts[productlist.New],
		"changed": counts[productlist.Changed],
		"refused": counts[productlist.Refused],
	}
}

// valuesOf are the values that were read of a row, with those that they replace.
func valuesOf(f *store.File, r *productlist.Row, shown []productlist.Field) []productCell {
	var cells []productCell
	before := r.Before(f)
	for _, field := range shown {
		cell := productCell{Is: productlist.Text(f, &r.Product, field), Words: productlist.UnitsOf(field) == nil &&
			field != productlist.Price}
		if before != nil {
			if was := productlist.Text(f, before, field); was != cell.Is && r.Status == productlist.Changed {
				cell.Changed, cell.Was = true, cmp.Or(was, "none")
			}
		}
		cells = append(cells, cell)
	}
	return cells
}

// refusedGoods gives the refused rows back, to be mended: of a table that was taken, or of one that is looked at.
func (s *Screens) refusedGoods(c *gin.Context) {
	u, err := s.tables().Find(c)
	if err != nil {
		s.tables().Refused(c, err)
		return
	}
	var back [][]string
	if job, ok := s.taking.Load(u.ID); ok {
		job.(*takingGoods).set(func(j *takingGoods) { back = j.refused })
	} else {
		set, _ := choices(c.Request.URL.Query())
		r, err := productlist.Open(s.Files.Table(c.Request.Context(), u.Body), s.draft.State().File, set, func(int) {})
		switch {
		case err != nil:
			s.tables().Refused(c, shell.Refusef("%s", err.Error()))
			return
		case r.Rows == nil:
			s.tables().Refused(c, shell.Refusef("%s", cmp.Or(r.Missing, blocked(r))))
			return
		}
		back = productlist.Back(r.Table, r.Rows)
	}
	var b bytes.Buffer
	if err := sheet.Write(&b, back); err != nil {
		s.Internal(c, err)
		return
	}
	upload.CSV(c, "refused.csv", b.Bytes())
}
