package products

import (
	"html/template"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/tables/productlist"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

func (s *Screens) editGoods(c *gin.Context, change func(*store.File) error, slipped func(*view, string)) {
	shell.EditWork(
		s.Shell,
		c,
		"goods",
		func(state *draft.State) view { return s.goodsView(c, state) },
		change,
		slipped,
	)
}

func (s *Screens) editProduct(c *gin.Context) {
	sku, field := c.PostForm("sku"), productlist.Field(c.PostForm("field"))
	typed, was := c.PostForm("text"), c.PostForm("was")
	cell := cell{
		SKU:    sku,
		Field:  string(field),
		Text:   typed,
		Was:    was,
		Label:  field.String() + " of " + sku,
		Number: field != productlist.Name && field != productlist.Class && field != productlist.From,
	}
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		return edit.SetProduct(f, sku, field, was, typed)
	})
	if err != nil {
		s.RefusedCell(c, err, "goods-cell", &cell)
		return
	}
	v := s.goodsView(c, state)
	v.OOB = true
	parts := []template.HTML{
		s.Render("goods-cell", cellOf(state.File, state.File.Product(sku), field)),
		s.Render("lacks", v),
	}
	for _, class := range v.Classes {
		class.OOB = true
		parts = append(parts, s.Render("class-of", class))
	}
	s.Answer(c, "/goods", state, parts...)
}

func (s *Screens) addProduct(c *gin.Context) {
	typed := edit.NewProduct{
		SKU: strings.TrimSpace(c.PostForm("sku")), Name: c.PostForm("name"),
		Price: c.PostForm("price"), Weight: c.PostForm("weight"), Class: c.PostForm("class"),
	}
	s.editGoods(
		c,
		func(f *store.File) error { return edit.AddProduct(f, typed) },
		func(v *view, text string) {
			v.SKU, v.Name, v.Price, v.Grams, v.Slip = typed.SKU, typed.Name, typed.Price, typed.Weight, text
			v.InClass = typed.Class
		},
	)
}

// putCellSlips shows cells that were not taken as they were pasted, with what is wrong.
func putCellSlips(v *view, slips map[edit.ProductCell]edit.Typed) {
	for i := range v.Rows {
		for j := range v.Rows[i].Cells {
			cell := &v.Rows[i].Cells[j]
			at := edit.ProductCell{SKU: cell.SKU, Field: productlist.Field(cell.Field)}
			if slip, ok := slips[at]; ok {
				cell.Text, cell.Slip, cell.Switch = slip.Text, slip.Slip, false
			}
		}
	}
}

// pasteGoods takes a block of cells from a spreadsheet, from one cell on to the right and down, in the order in
// which the goods are shown, also beyond the page. Cells that cannot be taken stay as they were pasted and say
// why; all others are taken.
func (s *Screens) pasteGoods(c *gin.Context) {
	query := queryOf(shell.Viewed(c))
	at := edit.ProductCell{SKU: c.PostForm("sku"), Field: productlist.Field(c.PostForm("field"))}
	var pasted edit.PastedProducts
	show := func(state *draft.State) view {
		v := s.goodsView(c, state)
		putCellSlips(&v, pasted.Slips)
		v.Note = pasteNote(&pasted)
		return v
	}
	shell.EditWork(s.Shell, c, "goods", show, func(f *store.File) (err error) {
		grid := edit.Grid{Products: query.list(f), Fields: columns}
		pasted, err = edit.PasteProducts(f, grid, at, c.PostForm("block"))
		return err
	}, func(v *view, text string) { v.Note = text })
}

func pasteNote(p *edit.PastedProducts) string {
	note := plural.Count(p.Taken, "cell") + " taken"
	if n := len(p.Slips); n > 0 {
		note += ", " + strconv.Itoa(n) + " not"
	}
	if p.Below > 0 {
		note += "; " + plural.Count(p.Below, "row") + " of what was pasted lie below the last product"
	}
	return note
}

// setGoods gives all selected goods the same class, weight or yes or no, or removes them. With all, these are
// all that are found.
func (s *Screens) setGoods(c *gin.Context) {
	field, typed := productlist.Field(c.PostForm("field")), c.PostForm("value")
	query := queryOf(shell.Viewed(c))
	count := 0
	show := func(state *draft.State) view {
		v := s.goodsView(c, state)
		v.Note = plural.Count(count, "product") + " changed"
		if field == "remove" {
			v.Note = plural.Count(count, "product") + " removed"
		}
		return v
	}
	shell.EditWork(s.Shell, c, "goods", show, func(f *store.File) (err error) {
		selected := map[string]bool{}
		for _, sku := range c.PostFormArray("selected") {
			selected[sku] = true
		}
		if c.PostForm("all") == "on" {
			for _, i := range query.list(f) {
				selected[f.Products[i].SKU] = true
			}
		}
		if field == "remove" {
			count, err = edit.RemoveProducts(f, selected)
		} else {
			count, err = edit.SetProducts(f, selected, field, typed)
		}
		return err
	}, func(v *view, text string) {
		v.Note, v.SetSlip, v.SetValue, v.SetAll = "", text, typed, c.PostForm("all") == "on"
		v.SetFields = slices.Clone(settable)
		for i := range v.SetFields {
			v.SetFields[i].Chosen = v.SetFields[i].ID == string(field)
		}
		for i := range v.Rows {
			v.Rows[i].Picked = slices.Contains(c.PostFormArray("selected"), v.Rows[i].SKU)
		}
	})
}

// setting sets what holds for all goods: the assumed weight, the volumetric divisor and which goods make the order
// value.
func (s *Screens) goodsSetting(c *gin.Context) {
	name, typed := c.PostForm("setting"), strings.TrimSpace(c.PostForm("value"))
	s.editGoods(c, func(f *store.File) error {
		switch name {
		case "assumed":
			return edit.SetAssumedWeight(f, typed)
		case "divisor":
			return edit.SetDivisor(f, typed)
		case "counts":
			return edit.SetSubtotalCounts(f, typed)
		}
		return nil
	}, func(v *view, text string) {
		v.SettingSlip = text
		switch name {
		case "assumed":
			v.Assumed = typed
		case "divisor":
			v.Divisor = typed
		}
	})
}

func (s *Screens) addClass(c *gin.Context) {
	typed := c.PostForm("name")
	s.editGoods(
		c,
		func(f *store.File) error { return edit.AddClass(f, typed) },
		func(v *view, text string) { v.NewClass, v.ClassSlip = typed, text },
	)
}

// editClass changes a class; what is wrong stands in its row.
func (s *Screens) editClass(c *gin.Context, typed string, change func(*store.File, *store.Class) error) {
	id := c.Param("class")
	s.editGoods(c, func(f *store.File) error {
		class := f.Class(id)
		if class == nil {
			return shell.Refusef("this class was removed meanwhile; nothing was changed")
		}
		return change(f, class)
	}, func(v *view, text string) {
		for i := range v.Classes {
			if v.Classes[i].ID == id {
				v.Classes[i].Slip, v.Classes[i].Typed = text, typed
				return
			}
		}
		v.ClassSlip = text
	})
}

func (s *Screens) nameClass(c *gin.Context) {
	typed := c.PostForm("value")
	s.editClass(c, typed, func(f *store.File, class *store.Class) error {
		if c.PostForm("field") == "note" {
			return edit.NoteClass(class, typed)
		}
		return edit.NameClass(f, class, typed)
	})
}

func (s *Screens) removeClass(c *gin.Context) {
	s.editClass(c, "", func(f *store.File, class *store.Class) error { return edit.RemoveClass(f, class.ID) })
}
