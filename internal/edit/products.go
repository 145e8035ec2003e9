package edit

import (
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/oneline"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/tables/productlist"
)

// setField is productlist.Type, whose errors are problems.
func setField(f *store.File, p *store.Product, field productlist.Field, typed string) error {
	if err := productlist.Type(f, p, field, typed); err != nil {
		return Problemf("%s", err.Error())
	}
	return nil
}

// SetProduct sets a field of a product as it is typed. was is what the owner saw there; where it is something
// else by now, and not what is typed, the error is a [*Conflict].
func SetProduct(f *store.File, sku string, field productlist.Field, was, typed string) error {
	p := f.Product(sku)
	if p == nil {
		return Problemf("this product was removed meanwhile")
	}
	if now := productlist.Text(f, p, field); now != was {
		wanted := *p
		if setField(f, &wanted, field, typed) == nil && productlist.Text(f, &wanted, field) == now {
			return nil // it is so already
		}
		return &Conflict{now}
	}
	return setField(f, p, field, typed)
}

// NewProduct is a product as it is typed.
type NewProduct struct{ SKU, Name, Price, Weight, Class string }

// AddProduct adds a product that needs shipping.
func AddProduct(f *store.File, typed NewProduct) error {
	p := store.Product{SKU: strings.TrimSpace(typed.SKU), NeedsShipping: true, Price: decimal.Zero}
	if p.SKU == "" && strings.TrimSpace(typed.Name) != "" {
		p.SKU = nextSKU(f)
	}
	switch n := len([]rune(p.SKU)); {
	case n == 0:
		return Problemf("a product needs a sku, the shop's own number for it, or a name")
	case n > MaxName:
		return Problemf("a sku has at most %d letters", MaxName)
	case !oneline.Is(p.SKU):
		return Problemf("there is a character in the sku that cannot be seen: type it anew")
	case f.Product(p.SKU) != nil:
		return Problemf("there is a product %s already", p.SKU)
	}
	for _, field := range []struct {
		name  productlist.Field
		typed string
	}{
		{productlist.Name, typed.Name}, {productlist.Price, typed.Price}, {productlist.Weight, typed.Weight},
		{productlist.Class, typed.Class},
	} {
		if err := setField(f, &p, field.name, field.typed); err != nil {
			return err
		}
	}
	f.Products = append(f.Products, p)
	return nil
}

// nextSKU is a number for a product that has none of its own: P-1, P-2, never one that is taken.
func nextSKU(f *store.File) string {
	for n := len(f.Products) + 1; ; n++ {
		if sku := "P-" + strconv.Itoa(n); f.Product(sku) == nil {
			return sku
		}
	}
}

// ProductCell is a field of a product.
type ProductCell struct {
	SKU   string
	Field productlist.Field
}

// PastedProducts is what became of a block of cells.
type PastedProducts struct {
	Taken int
	Below int                   // rows that lie below the last product
	Slips map[ProductCell]Typed // cells that were not taken
}

// Grid is the products of a file, by their places in it, and their fields, as they are shown.
type Grid struct {
	Products []int
	Fields   []productlist.Field
}

// PasteProducts takes a block of cells, parted by tabs and line ends, from a cell of a grid on to the right and
// down. What cannot be taken is told of; where nothing can, that is the error.
func PasteProducts(f *store.File, g Grid, at ProductCell, block string) (p PastedProducts, err error) {
	p.Slips = map[ProductCell]Typed{}
	lines := lines(block)
	row := slices.IndexFunc(g.Products, func(i int) bool { return f.Products[i].SKU == at.SKU })
	column := slices.Index(g.Fields, at.Field)
	if row < 0 || column < 0 {
		return p, Problemf("this product was removed meanwhile")
	}
	p.Below = max(0, row+len(lines)-len(g.Products))
	for i, line := range lines[:len(lines)-p.Below] {
		product := &f.Products[g.Products[row+i]]
		cells := strings.Split(line, "\t")
		for j, text := range cells[:min(len(cells), len(g.Fields)-column)] {
			field := g.Fields[column+j]
			if err := productlist.Type(f, product, field, text); err != nil {
				p.Slips[ProductCell{product.SKU, field}] = Typed{strings.TrimSpace(text), err.Error()}
			} else {
				p.Taken++
			}
		}
	}
	if p.Taken == 0 {
		return p, Problemf("none of the pasted cells can be taken")
	}
	return p, nil
}

const noneSelected = "select the products first, in the column before the sku"

// SetProducts sets a field of the given products as it is typed, and says of how many.
func SetProducts(
	f *store.File,
	skus map[string]bool,
	field productlist.Field,
	typed string,
) (n int, err error) {
	for i := range f.Products {
		if p := &f.Products[i]; skus[p.SKU] {
			if err := setField(f, p, field, typed); err != nil {
				return 0, err
			}
			n++
		}
	}
	if n == 0 {
		return 0, Problemf(noneSelected)
	}
	return n, nil
}

// RemoveProducts removes the given products, and says how many.
func RemoveProducts(f *store.File, skus map[string]bool) (n int, err error) {
	before := len(f.Products)
	f.Products = slices.DeleteFunc(f.Products, func(p store.Product) bool { return skus[p.SKU] })
	if n = before - len(f.Products); n == 0 {
		return 0, Problemf(noneSelected)
	}
	return n, nil
}

// SetSubtotalCounts sets which goods make the order value.
func SetSubtotalCounts(f *store.File, typed string) error {
	is := store.SubtotalCounts(typed)
	if is != store.Shipped && is != store.All {
		return Problemf("choose which goods the order value counts")
	}
	f.Store.SubtotalCounts = is
	return nil
}

// SetAssumedWeight sets the weight of products without one, as it is typed; "" for none.
func SetAssumedWeight(f *store.File, typed string) error {
	f.Store.AssumedWeight = nil
	if typed = strings.TrimSpace(typed); typed == "" {
		return nil
	}
	d, err := measure.Parse(measure.Weight, typed, f.Store.WeightUnit)
	if err != nil {
		return Problemf("%s", err.Error())
	}
	f.Store.AssumedWeight = &d
	return nil
}

// SetDivisor sets the volumetric divisor, as it is typed; "" for none.
func SetDivisor(f *store.File, typed string) error {
	d, err := terms.ParseDivisor(typed)
	if err != nil {
		return Problemf("%s", err.Error())
	}
	f.Store.Volumetric = d
	return nil
}
