package products

import (
	"html/template"
	"strings"
	"sync"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/packing"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// boxColumns are the heads of the table of boxes.
var boxColumns = map[edit.BoxField]string{
	edit.BoxName:      "Box",
	edit.BoxLength:    "Long",
	edit.BoxWidth:     "Wide",
	edit.BoxHeight:    "High",
	edit.BoxWeight:    "Weighs empty",
	edit.BoxMaxWeight: "Carries at most",
	edit.BoxCost:      "Costs",
}

type boxRow struct {
	ID, Name string
	Cells    []cell
	Used     string // in which methods
	Slip     string
}

// fitRow is how many of a product go into each box.
type fitRow struct {
	SKU, Name, Size string
	Counts          []fitCount
	Why             string // nothing is packed
}

type fitCount struct {
	Text     string
	ByWeight bool // weight, not room, is what limits
	Most     bool // no other box takes more
	None     bool
}

type boxesView struct {
	Boxes          int
	Boxed          bool
	Columns        []column
	Rows           []boxRow
	Heads          []string
	Fits           []fitRow
	More           int
	Usual          []edit.UsualBox
	Unit, Currency string
	LengthUnit     string
	Note           string
	OOB            bool

	Typed edit.NewBox
	Slip  string
}

// maxFits is of how many products it is shown what goes in.
const maxFits = 50

func (s *Screens) boxesView(state *draft.State) boxesView {
	f := state.File
	v := boxesView{Boxes: len(f.Boxes), Boxed: true, Unit: f.Store.WeightUnit, LengthUnit: f.Store.LengthUnit,
		Currency: f.Store.Currency}
	for _, field := range edit.BoxFields {
		col := column{Field: string(field), Name: boxColumns[field], Words: field == edit.BoxName}
		switch field {
		case edit.BoxLength, edit.BoxWidth, edit.BoxHeight:
			col.Unit = f.Store.LengthUnit
		case edit.BoxWeight, edit.BoxMaxWeight:
			col.Unit = f.Store.WeightUnit
		case edit.BoxCost:
			col.Unit = f.Store.Currency
		}
		v.Columns = append(v.Columns, col)
	}
	for i := range f.Boxes {
		b := &f.Boxes[i]
		row := boxRow{ID: b.ID, Name: f.BoxName(b.ID), Used: strings.Join(edit.BoxUses(f, b.ID, true), ", ")}
		for _, field := range edit.BoxFields {
			row.Cells = append(row.Cells, boxCell(f, b, field))
		}
		v.Rows = append(v.Rows, row)
		v.Heads = append(v.Heads, f.BoxName(b.ID))
	}
	for _, u := range edit.UsualBoxes {
		if len(f.BoxesCalled(u.Name)) == 0 {
			v.Usual = append(v.Usual, u)
		}
	}
	s.fitting(&v, f)
	return v
}

func boxCell(f *store.File, b *store.Box, field edit.BoxField) cell {
	text := edit.BoxText(f, b, field)
	c := cell{SKU: b.ID, Field: string(field), Text: text, Was: text, Number: field != edit.BoxName,
		Label: boxColumns[field] + " of " + f.BoxName(b.ID)}
	switch field {
	case edit.BoxWeight, edit.BoxCost:
		c.Hint = "0"
	case edit.BoxMaxWeight:
		c.Hint = "no limit"
	}
	return c
}

// fitting says how many of each product go into each box.
func (s *Screens) fitting(v *boxesView, f *store.File) {
	if len(f.Boxes) == 0 {
		return
	}
	for i := range f.Products {
		p := &f.Products[i]
		if !p.NeedsShipping {
			continue
		}
		if len(v.Fits) == maxFits {
			v.More++
			continue
		}
		row := fitRow{SKU: p.SKU, Name: p.Name}
		switch {
		case p.OwnParcel:
			row.Why = "a parcel of its own"
		case !p.Sized():
			row.Why = "no size: it takes no room"
		default:
			row.Size = p.Length.String() + " × " + p.Width.String() + " × " + p.Height.String()
			row.Counts = s.counts(f, p)
		}
		v.Fits = append(v.Fits, row)
	}
}

func (s *Screens) counts(f *store.File, p *store.Product) (list []fitCount) {
	most, counts := int64(0), make([]fit, len(f.Boxes))
	for i := range f.Boxes {
		counts[i] = s.fits.of(f, &f.Boxes[i], p)
		most = max(most, counts[i].count)
	}
	for _, n := range counts {
		c := fitCount{Text: plural.Number(int(n.count)), ByWeight: n.byWeight, Most: n.count == most && most > 0,
			None: n.count == 0}
		if n.count >= maxCounted {
			c.Text = plural.Number(maxCounted) + "+"
		}
		list = append(list, c)
	}
	return list
}

// maxCounted is up to how many are counted.
const maxCounted = 9999

// fits remembers how many of a product go into a box, by their sizes and weights.
type fits struct {
	mu    sync.Mutex
	known map[string]fit
}

type fit struct {
	count    int64
	byWeight bool
}

func (m *fits) of(f *store.File, b *store.Box, p *store.Product) fit {
	goods, box := quote.GoodsToPack(&f.Store, p, 1), quote.BoxToPack(b)
	var key []byte
	for _, d := range []decimal.Decimal{b.Length, b.Width, b.Height, *p.Length, *p.Width, *p.Height, goods.Weight} {
		key = d.AppendKey(key)
	}
	if b.MaxWeight != nil {
		key = b.MaxWeight.AppendKey(key)
	}
	if p.Upright {
		key = append(key, 'u')
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if known, ok := m.known[string(key)]; ok {
		return known
	}
	n := fit{count: packing.New([]packing.Box{box}, nil).Most(goods, maxCounted)[0]}
	if b.MaxWeight != nil {
		box.MaxWeight = nil
		n.byWeight = packing.New([]packing.Box{box}, nil).Most(goods, maxCounted)[0] > n.count
	}
	if m.known == nil || len(m.known) > 1<<16 {
		m.known = map[string]fit{}
	}
	m.known[string(key)] = n
	return n
}

func (s *Screens) boxes(c *gin.Context) {
	s.Show(c, shell.Page{Here: "/goods", Title: "Boxes", Template: "boxes"}, s.boxesView(s.draft.State()))
}

func (s *Screens) editBoxes(c *gin.Context, change func(*store.File) error, slipped func(*boxesView, string)) {
	shell.EditWorkAt(s.Shell, c, "/goods", "boxes", s.boxesView, change, slipped)
}

func (s *Screens) editBox(c *gin.Context) {
	id, field := c.PostForm("sku"), edit.BoxField(c.PostForm("field"))
	typed, was := c.PostForm("text"), c.PostForm("was")
	cell := cell{SKU: id, Field: string(field), Text: typed, Was: was, Label: boxColumns[field],
		Number: field != edit.BoxName}
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		return edit.SetBox(f, id, field, was, typed)
	})
	if err != nil {
		s.RefusedCell(c, err, "box-cell", &cell)
		return
	}
	v := s.boxesView(state)
	v.OOB = true
	parts := []template.HTML{s.Render("box-cell", boxCell(state.File, state.File.Box(id), field)),
		s.Render("box-fits", v)}
	s.Answer(c, "/goods", state, parts...)
}

func (s *Screens) addBox(c *gin.Context) {
	typed := edit.NewBox{Name: c.PostForm("name"), Size: c.PostForm("size"), Weight: c.PostForm("weight"),
		MaxWeight: c.PostForm("max_weight"), Cost: c.PostForm("cost")}
	s.editBoxes(c, func(f *store.File) error { return edit.AddBox(f, typed) },
		func(v *boxesView, text string) { v.Typed, v.Slip = typed, text })
}

func (s *Screens) addUsualBox(c *gin.Context) {
	id := c.PostForm("id")
	s.editBoxes(c, func(f *store.File) error {
		if id != "" {
			return edit.AddUsualBox(f, id)
		}
		for _, u := range edit.UsualBoxes {
			if len(f.BoxesCalled(u.Name)) == 0 {
				if err := edit.AddUsualBox(f, u.ID); err != nil {
					return err
				}
			}
		}
		return nil
	}, func(v *boxesView, text string) { v.Slip = text })
}

func (s *Screens) removeBox(c *gin.Context) {
	id := c.PostForm("id")
	s.editBoxes(c, func(f *store.File) error { return edit.RemoveBox(f, id) }, func(v *boxesView, text string) {
		for i := range v.Rows {
			if v.Rows[i].ID == id {
				v.Rows[i].Slip = text
				return
			}
		}
		v.Slip = text
	})
}

// pasteBoxes takes a block of cells from a spreadsheet; rows below the last box become new ones.
func (s *Screens) pasteBoxes(c *gin.Context) {
	at := edit.BoxCell{Box: c.PostForm("sku"), Field: edit.BoxField(c.PostForm("field"))}
	var pasted edit.PastedBoxes
	show := func(state *draft.State) boxesView {
		v := s.boxesView(state)
		for i := range v.Rows {
			for j := range v.Rows[i].Cells {
				cell := &v.Rows[i].Cells[j]
				if slip, ok := pasted.Slips[edit.BoxCell{Box: cell.SKU, Field: edit.BoxField(cell.Field)}]; ok {
					cell.Text, cell.Slip = slip.Text, slip.Slip
				}
			}
		}
		v.Note = plural.Count(pasted.Taken, "cell") + " taken, " + boxCount(pasted.Added) + " added"
		if len(pasted.Refused) > 0 {
			v.Note += "; not added: " + strings.Join(pasted.Refused, "; ")
		}
		return v
	}
	shell.EditWorkAt(s.Shell, c, "/goods", "boxes", show, func(f *store.File) (err error) {
		pasted, err = edit.PasteBoxes(f, at, c.PostForm("block"))
		return err
	}, func(v *boxesView, text string) { v.Note = text })
}

func boxCount(n int) string {
	if n == 1 {
		return "1 box"
	}
	return plural.Number(n) + " boxes"
}
