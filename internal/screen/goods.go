package screen

import (
	"html/template"
	"slices"
	"strings"

	"diadrom/internal/draft"
	"diadrom/internal/exact"
	"diadrom/internal/store"

	"github.com/gin-gonic/gin"
)

type goodsCell struct {
	SKU, Field, Text, Was string
	Label, Slip           string
	Number, Missing       bool
}

type goodsRow struct {
	SKU                 string
	Name, Price, Weight goodsCell
	Class, Ships        string
}

type goodsView struct {
	Rows                    []goodsRow
	Unweighed               int
	Unit, Currency          string
	SKU, Name, Price, Grams string
	Slip                    string
}

// goodsField finds the text of a field that can be typed.
func goodsField(f *store.File, p *store.Product, field string) string {
	switch field {
	case "price":
		return p.Price.Fixed(f.Store.Digits())
	case "weight":
		if p.Weight == nil {
			return ""
		}
		return p.Weight.String()
	}
	return p.Name
}

func goodsCellOf(f *store.File, p *store.Product, field string) goodsCell {
	text := goodsField(f, p, field)
	return goodsCell{SKU: p.SKU, Field: field, Text: text, Was: text, Label: field + " of " + p.SKU, Number: field != "name",
		Missing: field == "weight" && p.Weight == nil && p.NeedsShipping}
}

func (s *Server) goodsView(state *draft.State) goodsView {
	f := state.File
	v := goodsView{Unit: f.Store.WeightUnit, Currency: f.Store.Currency}
	names := map[string]string{}
	for _, c := range f.Classes {
		names[c.ID] = nameOr(c.Name, c.ID)
	}
	for i := range f.Products {
		p := &f.Products[i]
		row := goodsRow{SKU: p.SKU, Name: goodsCellOf(f, p, "name"), Price: goodsCellOf(f, p, "price"), Weight: goodsCellOf(f, p, "weight"), Class: names[p.Class]}
		if row.Weight.Missing {
			v.Unweighed++
		}
		var ships []string
		if !p.NeedsShipping {
			ships = append(ships, "not sent")
		}
		if p.ShipsFree {
			ships = append(ships, "ships free")
		}
		if p.OwnParcel {
			ships = append(ships, "own parcel")
		}
		row.Ships = strings.Join(ships, ", ")
		v.Rows = append(v.Rows, row)
	}
	return v
}

func (s *Server) goods(c *gin.Context) {
	s.page(c, "/goods", "Goods", "goods", s.goodsView(s.draft.State()))
}

func (s *Server) editGoods(c *gin.Context, change func(*store.File) error, slipped func(*goodsView, string)) {
	editWork(s, c, "goods", s.goodsView, change, slipped)
}

func setField(f *store.File, p *store.Product, field, typed string) error {
	switch field {
	case "name":
		name, err := typedName(typed)
		if err != nil {
			return err
		}
		p.Name = name
	case "price":
		d, err := measureTyped(typed, f.Store.Currency)
		if err != nil {
			return slipf("%q is not a price: write it as 12.50", strings.TrimSpace(typed))
		}
		p.Price = *d
	case "weight":
		if strings.TrimSpace(typed) == "" {
			p.Weight = nil
			return nil
		}
		d, err := measureTyped(typed, f.Store.WeightUnit)
		if err != nil {
			return slipf("%q is not a weight: write it as 0.45, in %s", strings.TrimSpace(typed), f.Store.WeightUnit)
		}
		p.Weight = d
	default:
		return slipf("this field cannot be changed here")
	}
	return nil
}

func (s *Server) editProduct(c *gin.Context) {
	sku, field, typed, was := c.PostForm("sku"), c.PostForm("field"), c.PostForm("text"), c.PostForm("was")
	cell := goodsCell{SKU: sku, Field: field, Text: typed, Was: was, Label: field + " of " + sku, Number: field != "name"}
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		p := productBySKU(f, sku)
		if p == nil {
			return slipf("this product was removed meanwhile")
		}
		if now := goodsField(f, p, field); now != was {
			cell.Was = now
			return slipf("this was changed to %s in another window meanwhile; press Enter again to set yours", now)
		}
		return setField(f, p, field, typed)
	})
	if err != nil {
		s.refused(c, err, func(text string) template.HTML {
			cell.Slip = text
			return s.render("goods-cell", cell)
		})
		return
	}
	s.answer(c, "/goods", state, s.render("goods-cell", goodsCellOf(state.File, productBySKU(state.File, sku), field)))
}

func (s *Server) addProduct(c *gin.Context) {
	sku, name, price, weight := strings.TrimSpace(c.PostForm("sku")), c.PostForm("name"), c.PostForm("price"), c.PostForm("weight")
	s.editGoods(c, func(f *store.File) error {
		p := store.Product{SKU: sku, NeedsShipping: true, Price: exact.Zero}
		switch n := len([]rune(sku)); {
		case n == 0:
			return slipf("a product needs a sku, the shop's own number for it")
		case n > MaxName:
			return slipf("a sku has at most %d letters", MaxName)
		case productBySKU(f, sku) != nil:
			return slipf("there is a product %s already", sku)
		}
		for _, field := range []struct{ name, typed string }{{"name", name}, {"price", price}, {"weight", weight}} {
			if err := setField(f, &p, field.name, field.typed); err != nil {
				return err
			}
		}
		f.Products = append(f.Products, p)
		return nil
	}, func(v *goodsView, text string) {
		v.SKU, v.Name, v.Price, v.Grams, v.Slip = sku, name, price, weight, text
	})
}

func (s *Server) removeProduct(c *gin.Context) {
	sku := c.PostForm("sku")
	s.editGoods(c, func(f *store.File) error {
		i := slices.IndexFunc(f.Products, func(p store.Product) bool { return p.SKU == sku })
		if i < 0 {
			return slipf("%s was removed already", sku)
		}
		f.Products = slices.Delete(f.Products, i, i+1)
		return nil
	}, func(v *goodsView, text string) { v.Slip = text })
}
