package screen

import (
	"html/template"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/draft"
	"diadrom/internal/exact"
	"diadrom/internal/measure"
	"diadrom/internal/oneline"
	"diadrom/internal/productlist"
	"diadrom/internal/store"

	"github.com/gin-gonic/gin"
)

func (s *Server) editGoods(c *gin.Context, change func(*store.File) error, slipped func(*goodsView, string)) {
	editWork(s, c, "goods", func(state *draft.State) goodsView { return s.goodsView(c, state) }, change, slipped)
}

// typeField is productlist.Type with what is wrong as a slip.
func typeField(f *store.File, p *store.Product, field productlist.Field, typed string) error {
	if err := productlist.Type(f, p, field, typed); err != nil {
		return slipf("%s", err.Error())
	}
	return nil
}

func (s *Server) editProduct(c *gin.Context) {
	sku, field, typed, was := c.PostForm(
		"sku",
	), productlist.Field(
		c.PostForm("field"),
	), c.PostForm(
		"text",
	), c.PostForm(
		"was",
	)
	cell := goodsCell{
		SKU:    sku,
		Field:  string(field),
		Text:   typed,
		Was:    was,
		Label:  field.String() + " of " + sku,
		Number: field != productlist.Name && field != productlist.Class,
	}
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		p := f.Product(sku)
		if p == nil {
			return slipf("this product was removed meanwhile")
		}
		if now := productlist.Text(f, p, field); now != was {
			wanted := *p
			if typeField(f, &wanted, field, typed) == nil && productlist.Text(f, &wanted, field) == now {
				return nil // it is so already
			}
			cell.Was = now
			return slipf("this was changed to %s in another window meanwhile; press Enter again to set yours", now)
		}
		return typeField(f, p, field, typed)
	})
	if err != nil {
		s.refused(c, err, func(text string) template.HTML {
			cell.Slip = text
			return s.render("goods-cell", cell)
		})
		return
	}
	v := s.goodsView(c, state)
	v.OOB = true
	parts := []template.HTML{
		s.render("goods-cell", goodsCellOf(state.File, state.File.Product(sku), field)),
		s.render("lacks", v),
	}
	for _, class := range v.Classes {
		class.OOB = true
		parts = append(parts, s.render("class-of", class))
	}
	s.answer(c, "/goods", state, parts...)
}

func (s *Server) addProduct(c *gin.Context) {
	sku, name, price, weight := strings.TrimSpace(
		c.PostForm("sku"),
	), c.PostForm(
		"name",
	), c.PostForm(
		"price",
	), c.PostForm(
		"weight",
	)
	s.editGoods(c, func(f *store.File) error {
		p := store.Product{SKU: sku, NeedsShipping: true, Price: exact.Zero}
		switch n := len([]rune(sku)); {
		case n == 0:
			return slipf("a product needs a sku, the shop's own number for it")
		case n > MaxName:
			return slipf("a sku has at most %d letters", MaxName)
		case strings.ContainsFunc(sku, oneline.Hidden):
			return slipf("there is a character in the sku that cannot be seen: type it anew")
		case f.Product(sku) != nil:
			return slipf("there is a product %s already", sku)
		}
		for _, field := range []struct {
			name  productlist.Field
			typed string
		}{{productlist.Name, name}, {productlist.Price, price}, {productlist.Weight, weight}} {
			if err := typeField(f, &p, field.name, field.typed); err != nil {
				return err
			}
		}
		f.Products = append(f.Products, p)
		return nil
	}, func(v *goodsView, text string) {
		v.SKU, v.Name, v.Price, v.Grams, v.Slip = sku, name, price, weight, text
	})
}

// slips are cells that were pasted and not taken, by sku and field.
type cellSlips map[[2]string]goodsCell

// put shows the cells as they were pasted, with what is wrong.
func (slips cellSlips) put(v *goodsView) {
	for i := range v.Rows {
		for j := range v.Rows[i].Cells {
			cell := &v.Rows[i].Cells[j]
			if slip, ok := slips[[2]string{cell.SKU, cell.Field}]; ok {
				cell.Text, cell.Slip, cell.Switch = slip.Text, slip.Slip, false
			}
		}
	}
}

// pasteGoods takes a block of cells from a spreadsheet, from one cell on to the right and down, in the order in
// which the goods are shown, also beyond the page. Cells that cannot be taken stay as they were pasted and say
// why; all others are taken.
func (s *Server) pasteGoods(c *gin.Context) {
	sku, first := c.PostForm("sku"), slices.Index(goodsColumns, productlist.Field(c.PostForm("field")))
	block := strings.Split(strings.TrimRight(strings.ReplaceAll(c.PostForm("block"), "\r\n", "\n"), "\n"), "\n")
	query := goodsQueryOf(viewed(c))
	slips, taken, beyond := cellSlips{}, 0, 0
	show := func(state *draft.State) goodsView {
		v := s.goodsView(c, state)
		slips.put(&v)
		v.Note = pasteNote(taken, len(slips), beyond)
		return v
	}
	editWork(s, c, "goods", show, func(f *store.File) error {
		clear(slips)
		taken, beyond = 0, 0
		list := query.list(f)
		from := slices.IndexFunc(list, func(i int) bool { return f.Products[i].SKU == sku })
		if from < 0 || first < 0 {
			return slipf("this product was removed meanwhile")
		}
		for i, line := range block {
			if from+i >= len(list) {
				beyond = len(block) - i
				break
			}
			p := &f.Products[list[from+i]]
			for j, text := range strings.Split(line, "\t") {
				if first+j >= len(goodsColumns) {
					break
				}
				field := goodsColumns[first+j]
				if err := productlist.Type(f, p, field, text); err != nil {
					slips[[2]string{p.SKU, string(field)}] = goodsCell{
						Text: strings.TrimSpace(text),
						Slip: err.Error(),
					}
				} else {
					taken++
				}
			}
		}
		if taken == 0 {
			return slipf("none of the pasted cells can be taken")
		}
		return nil
	}, func(v *goodsView, text string) { v.Note = text })
}

func pasteNote(taken, slips, beyond int) string {
	note := plural(taken, "cell") + " taken"
	if slips > 0 {
		note += ", " + strconv.Itoa(slips) + " not"
	}
	if beyond > 0 {
		note += "; " + plural(beyond, "row") + " of what was pasted lie below the last product"
	}
	return note
}

// setGoods gives all selected goods the same class, weight or yes or no, or removes them. With all, these are
// all that are found.
func (s *Server) setGoods(c *gin.Context) {
	field, typed := productlist.Field(c.PostForm("field")), c.PostForm("value")
	query := goodsQueryOf(viewed(c))
	count := 0
	show := func(state *draft.State) goodsView {
		v := s.goodsView(c, state)
		v.Note = plural(count, "product") + " changed"
		if field == "remove" {
			v.Note = plural(count, "product") + " removed"
		}
		return v
	}
	editWork(s, c, "goods", show, func(f *store.File) error {
		selected := map[string]bool{}
		for _, sku := range c.PostFormArray("selected") {
			selected[sku] = true
		}
		if c.PostForm("all") == "on" {
			for _, i := range query.list(f) {
				selected[f.Products[i].SKU] = true
			}
		}
		count = 0
		if field == "remove" {
			before := len(f.Products)
			f.Products = slices.DeleteFunc(f.Products, func(p store.Product) bool { return selected[p.SKU] })
			count = before - len(f.Products)
		} else {
			for i := range f.Products {
				if p := &f.Products[i]; selected[p.SKU] {
					if err := typeField(f, p, field, typed); err != nil {
						return err
					}
					count++
				}
			}
		}
		if count == 0 {
			return slipf("select the products first, in the column before the sku")
		}
		return nil
	}, func(v *goodsView, text string) {
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

var thousands = regexp.MustCompile(`^[1-9][0-9]{0,2}(,[0-9]{3})+$`)

// setting sets what holds for all goods: the assumed weight and the volumetric divisor.
func (s *Server) goodsSetting(c *gin.Context) {
	name, typed := c.PostForm("setting"), strings.TrimSpace(c.PostForm("value"))
	s.editGoods(c, func(f *store.File) error {
		switch {
		case name == "assumed" && typed == "":
			f.Store.AssumedWeight = nil
		case name == "assumed":
			d, err := measure.Parse(measure.Weight, typed, f.Store.WeightUnit)
			if err != nil {
				return slipf("%s", err.Error())
			}
			f.Store.AssumedWeight = &d
		case name == "divisor" && typed == "":
			f.Store.Volumetric = nil
		case name == "divisor":
			plain := strings.ReplaceAll(typed, " ", "")
			if thousands.MatchString(plain) { // no divisor is 6.000 cm³
				plain = strings.ReplaceAll(plain, ",", "")
			}
			d, err := measure.Number(plain, "")
			switch {
			case err != nil && strings.Contains(typed, ","):
				return slipf("%s", err.Error())
			case err != nil || d.Sign() <= 0:
				return slipf("the divisor is how many cm³ count as 1 kg, such as 5000 or 6000; %.20q is not", typed)
			}
			f.Store.Volumetric = &d
		}
		return nil
	}, func(v *goodsView, text string) {
		v.SettingSlip = text
		if name == "assumed" {
			v.Assumed = typed
		} else {
			v.Divisor = typed
		}
	})
}

func (s *Server) addClass(c *gin.Context) {
	typed := c.PostForm("name")
	s.editGoods(c, func(f *store.File) error {
		name, err := typedName(typed)
		if err != nil {
			return err
		}
		if id, err := productlist.ClassOf(f, name); err == nil {
			return slipf("there is a class called %s already", nameOr(classByID(f, id).Name, id))
		}
		id := store.NewID(name, "class", func(id string) bool { return classByID(f, id) != nil })
		f.Classes = append(f.Classes, store.Class{ID: id, Name: name})
		return nil
	}, func(v *goodsView, text string) { v.NewClass, v.ClassSlip = typed, text })
}

func classByID(f *store.File, id string) *store.Class {
	for i := range f.Classes {
		if f.Classes[i].ID == id {
			return &f.Classes[i]
		}
	}
	return nil
}

// editClass changes a class; what is wrong stands in its row.
func (s *Server) editClass(c *gin.Context, typed string, change func(*store.File, *store.Class) error) {
	id := c.Param("class")
	s.editGoods(c, func(f *store.File) error {
		class := classByID(f, id)
		if class == nil {
			return slipf("this class was removed meanwhile; nothing was changed")
		}
		return change(f, class)
	}, func(v *goodsView, text string) {
		for i := range v.Classes {
			if v.Classes[i].ID == id {
				v.Classes[i].Slip, v.Classes[i].Typed = text, typed
				return
			}
		}
		v.ClassSlip = text
	})
}

func (s *Server) nameClass(c *gin.Context) {
	typed := c.PostForm("value")
	s.editClass(c, typed, func(f *store.File, class *store.Class) error {
		if c.PostForm("field") == "note" {
			note, err := oneLine(typed)
			if err != nil {
				return err
			}
			if n := len([]rune(note)); n > 200 {
				return slipf("a note has at most 200 letters; this has %d", n)
			}
			class.Note = note
			return nil
		}
		name, err := typedName(typed)
		if err != nil {
			return err
		}
		if other, err := productlist.ClassOf(f, name); err == nil && other != class.ID {
			return slipf("another class is called %s already", name)
		}
		class.Name = name
		return nil
	})
}

func (s *Server) removeClass(c *gin.Context) {
	s.editClass(c, "", func(f *store.File, class *store.Class) error {
		for i := range f.Methods {
			m := &f.Methods[i]
			named := m.Needs != nil &&
				(slices.Contains(m.Needs.OnlyClasses, class.ID) || slices.Contains(m.Needs.WithoutClasses, class.ID))
			for j := range m.Tables {
				named = named || slices.Contains(m.Tables[j].Classes, class.ID)
			}
			for _, t := range m.Terms {
				named = named ||
					t.Needs != nil &&
						(slices.Contains(t.Needs.OnlyClasses, class.ID) || slices.Contains(t.Needs.WithoutClasses, class.ID))
			}
			if named {
				return slipf("%s names this class: take it out there first", nameOr(m.Name, m.ID))
			}
		}
		for i := range f.Products {
			if f.Products[i].Class == class.ID {
				f.Products[i].Class = ""
			}
		}
		f.Classes = slices.DeleteFunc(f.Classes, func(o store.Class) bool { return o.ID == class.ID })
		return nil
	})
}
