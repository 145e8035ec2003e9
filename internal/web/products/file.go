package products

import (
	"bytes"
	"context"
	"errors"
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"sync"

	"diadrom/internal/core/store"
	"diadrom/internal/shop/draft"
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
	ID, Name string
	Problem  string // why it is no table
	Missing  string // what its columns lack
	Encoding string
	Found    []string // what of the file had to be made out
	Columns  []upload.Column
	Decimal  string
	Rows     []upload.Row
	More     int // rows that are not shown
	Show     string
	Counts   map[string]int
	Query    template.URL // of this view, for the form that takes it
	Tabs     []fileTab
	Usable   bool
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

// mapped is what the columns hold: as they were put right by hand, or else as their heads say.
func mapped(t *sheet.Table, s *store.Settings, query url.Values) productlist.Mapping {
	m := productlist.Guess(t, s)
	for i := range m.Columns {
		key := strconv.Itoa(i)
		if chosen := productlist.Field(query.Get("c" + key)); query.Has("c"+key) && chosen != m.Columns[i] {
			m.Columns[i], m.Units[i] = chosen, productlist.HeadUnit(chosen, t.Rows[0].Cells[i])
		}
		if unit := query.Get("u" + key); unit != "" &&
			query.Get("f"+key) == string(m.Columns[i]) { // of the field that it was chosen for
			m.Units[i] = unit
		}
		if m.Columns[i] != "" && m.Units[i] == "" {
			m.Units[i] = storeUnit(m.Columns[i], s)
		}
	}
	if d := query.Get("decimal"); d == "." || d == "," {
		m.Decimal = d[0]
	}
	return m
}

// notUsable says why a table cannot be read as its columns are set, "" where it can.
func notUsable(t *sheet.Table, m productlist.Mapping, s *store.Settings) string {
	if missing := m.Missing(); missing != "" {
		return missing
	}
	return m.Foreign(t, s)
}

func storeUnit(f productlist.Field, s *store.Settings) string {
	switch f {
	case productlist.Weight:
		return s.WeightUnit
	case productlist.Length, productlist.Width, productlist.Height:
		return s.LengthUnit
	}
	return ""
}

func (s *Screens) previewProducts(c *gin.Context, u *sqlite.Upload, _ string) (any, int, error) {
	state, query := s.draft.State(), c.Request.URL.Query()
	v := fileView{
		ID:      strconv.FormatInt(u.ID, 10),
		Name:    u.Name,
		Decimal: query.Get("decimal"),
		Show:    query.Get("show"),
		Query:   template.URL(query.Encode()),
	}
	t, err := grid.ReadTable(u.Body)
	if err != nil {
		v.Problem = err.Error()
		return v, http.StatusOK, nil
	}
	m := mapped(t, &state.File.Store, query)
	v.Found = t.Found
	v.columns(t, m)
	if m.Decimal != 0 {
		v.Decimal = string(m.Decimal)
	}
	if t.Encoding != "UTF-8" {
		v.Encoding = t.Encoding
	}
	if v.Missing = notUsable(t, m, &state.File.Store); v.Missing == "" {
		v.rows(productlist.Read(t, m, state.File, func(int) {}), query)
	}
	return v, http.StatusOK, nil
}

// columns says what each column of the table holds, to be put right.
func (v *fileView) columns(t *sheet.Table, m productlist.Mapping) {
	for i, head := range t.Rows[0].Cells {
		col := upload.Column{
			Index:     i,
			Head:      head,
			Field:     string(m.Columns[i]),
			Unit:      m.Units[i],
			NotMapped: m.Columns[i] == "",
		}
		for _, row := range t.Rows[1:min(len(t.Rows), 20)] {
			if i < len(row.Cells) && row.Cells[i] != "" {
				col.Example = row.Cells[i]
				break
			}
		}
		for _, f := range productlist.Fields {
			col.Fields = append(col.Fields, shell.Choice{ID: string(f), Name: f.String(), Chosen: f == m.Columns[i]})
		}
		var units []string
		switch m.Columns[i] {
		case productlist.Weight:
			units = []string{"g", "kg", "oz", "lb"}
		case productlist.Length, productlist.Width, productlist.Height:
			units = []string{"mm", "cm", "m", "in", "ft"}
		}
		for _, unit := range units {
			col.Units = append(col.Units, shell.Choice{ID: unit, Name: unit, Chosen: unit == m.Units[i]})
		}
		col.Measured = len(units) > 0
		v.Columns = append(v.Columns, col)
	}
}

// rows shows what becomes of the rows, those first that are refused or change something.
func (v *fileView) rows(rows []productlist.Row, query url.Values) {
	counts := productlist.Count(rows)
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
		v.Rows = append(v.Rows, upload.Row{Line: r.Line, Status: statusNames[r.Status], SKU: r.Product.SKU,
			Name: r.Product.Name, What: r.What})
	}
	v.Counts = map[string]int{
		"new":     counts[productlist.New],
		"changed": counts[productlist.Changed],
		"refused": counts[productlist.Refused],
	}
}

// takingGoods is a table of products on its way into the draft. Its rows are read while the draft waits for it;
// what is shown of it is read from elsewhere.
type takingGoods struct {
	mu      sync.Mutex
	stage   string
	done    int
	total   int
	counts  map[productlist.Status]int
	problem string
	ended   bool
	refused [][]string
}

func (j *takingGoods) set(change func(*takingGoods)) {
	j.mu.Lock()
	defer j.mu.Unlock()
	change(j)
}

func (j *takingGoods) hasEnded() (ended bool) {
	j.set(func(j *takingGoods) { ended = j.ended })
	return ended
}

// applyProducts makes the rows of a table the shop's products, in one edit, in the background.
func (s *Screens) applyProducts(c *gin.Context, u *sqlite.Upload) (upload.Applied, error) {
	applied := upload.Applied{To: s.tables().Address(u) + "/progress", Keep: true}
	job := &takingGoods{stage: "reading", total: 1}
	if before, was := s.taking.LoadOrStore(u.ID, job); was &&
		!(before.(*takingGoods).hasEnded() && s.taking.CompareAndSwap(u.ID, before, job)) {
		return applied, nil
	}
	query := c.Request.URL.Query()
	ctx := context.WithoutCancel(c.Request.Context())
	s.background.Go(func() {
		err := takeGoodsRows(ctx, s.draft, u.Body, query, job)
		job.set(func(j *takingGoods) {
			if j.ended = true; err != nil {
				text, ok := shell.Told(err)
				if !ok {
					s.Log.Error("products", "error", err)
					text = "they could not be saved; nothing was changed"
				}
				j.problem = text
			}
		})
	})
	return applied, nil
}

// takeGoodsRows reads a table and edits the draft with it.
func takeGoodsRows(ctx context.Context, d Draft, body []byte, query url.Values, job *takingGoods) error {
	t, err := grid.ReadTable(body)
	if err != nil {
		return shell.Refusef("%s", err.Error())
	}
	job.set(func(j *takingGoods) { j.total = len(t.Rows) })
	ctx = sqlite.WithProgress(ctx, func(done, total int) {
		job.set(func(j *takingGoods) { j.stage, j.done, j.total = "saving", done, total })
	})
	// The rows are read while others go on editing; where somebody did meanwhile they are read again, the last
	// time with all others waiting.
	var rows []productlist.Row
	read := func(f *store.File) error {
		m := mapped(t, &f.Store, query)
		if missing := notUsable(t, m, &f.Store); missing != "" {
			return shell.Refusef("%s", missing)
		}
		rows = productlist.Read(t, m, f, func(done int) { job.set(func(j *takingGoods) { j.done = done }) })
		return nil
	}
	take := func(f *store.File) error {
		counts := productlist.Count(rows)
		job.set(func(j *takingGoods) {
			j.counts, j.stage = counts, "checking"
			if counts[productlist.Refused] > 0 {
				j.refused = productlist.Back(t, rows)
			}
		})
		if counts[productlist.New]+counts[productlist.Changed] == 0 {
			return shell.Refusef("none of its rows changes anything")
		}
		productlist.Apply(f, rows)
		return nil
	}
	for range 3 {
		now := d.State()
		if err := read(now.File); err != nil {
			return err
		}
		if _, err = d.EditAt(ctx, now.Revision, take); !errors.Is(err, draft.ErrMoved) {
			return err
		}
	}
	_, err = d.Edit(ctx, func(f *store.File) error {
		if err := read(f); err != nil {
			return err
		}
		return take(f)
	})
	return err
}

// goodsProgressView is how far a table has come.
type goodsProgressView struct {
	ID, Name     string
	Stage        string
	Percent      int
	Ended        bool
	Problem      string
	New, Changed int
	Refused      int
}

func (s *Screens) goodsProgress(c *gin.Context) {
	id, _ := strconv.ParseInt(c.Param("file"), 10, 64)
	running, ok := s.taking.Load(id)
	if !ok { // the process was restarted: it is all there, or nothing is
		c.Redirect(http.StatusSeeOther, "/goods/file/"+c.Param("file"))
		return
	}
	v := goodsProgressView{ID: c.Param("file")}
	running.(*takingGoods).set(func(j *takingGoods) {
		v.Stage, v.Percent, v.Ended, v.Problem = j.stage, 100*j.done/max(j.total, 1), j.ended, j.problem
		v.New, v.Changed, v.Refused = j.counts[productlist.New], j.counts[productlist.Changed],
			j.counts[productlist.Refused]
	})
	if shell.IsHTMX(c) {
		if v.Ended {
			s.Answer(c, "/goods", s.draft.State(), s.Render("goods-progress", v))
		} else {
			s.HTML(c, http.StatusOK, s.Render("goods-progress", v))
		}
		return
	}
	s.Show(c, shell.Page{Here: "/goods", Title: "Products", Template: "goods-progress"}, v)
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
	} else if t, err := grid.ReadTable(u.Body); err == nil {
		state := s.draft.State()
		m := mapped(t, &state.File.Store, c.Request.URL.Query())
		if missing := notUsable(t, m, &state.File.Store); missing != "" {
			s.tables().Refused(c, shell.Refusef("%s", missing))
			return
		}
		back = productlist.Back(t, productlist.Read(t, m, state.File, func(int) {}))
	}
	var b bytes.Buffer
	if err := sheet.Write(&b, back); err != nil {
		s.Internal(c, err)
		return
	}
	upload.CSV(c, "refused.csv", b.Bytes())
}
