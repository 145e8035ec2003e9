package productlist

import (
	"slices"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/sheet"
)

// Text is a field of a product as it is written, in the store's units.
func Text(f *store.File, p *store.Product, field Field) string {
	number := func(d *decimal.Decimal) string {
		if d == nil {
			return ""
		}
		return d.String()
	}
	yes := func(b bool) string {
		if b {
			return "yes"
		}
		return "no"
	}
	switch field {
	case SKU:
		return p.SKU
	case Name:
		return p.Name
	case Price:
		return p.Price.Fixed(f.Store.Digits())
	case Weight:
		return number(p.Weight)
	case Length:
		return number(p.Length)
	case Width:
		return number(p.Width)
	case Height:
		return number(p.Height)
	case Class:
		return className(f, p.Class)
	case NeedsShipping:
		return yes(p.NeedsShipping)
	case ShipsFree:
		return yes(p.ShipsFree)
	case OwnParcel:
		return yes(p.OwnParcel)
	case Upright:
		return yes(p.Upright)
	case From:
		if p.From != "" {
			return f.LocationText(p.From)
		}
	}
	return ""
}

// className is what stands for a class: its name, unless another class has it too.
func className(f *store.File, id string) string {
	named := -1
	for i := range f.Classes {
		if f.Classes[i].ID == id {
			named = i
		}
	}
	if named < 0 || f.Classes[named].Name == "" {
		return id
	}
	for i := range f.Classes {
		if i != named &&
			(world.Fold(f.Classes[i].Name) == world.Fold(f.Classes[named].Name) ||
				world.Fold(f.Classes[i].ID) == world.Fold(f.Classes[named].Name)) {
			return id
		}
	}
	return f.Classes[named].Name
}

// head is the first row that Write makes.
func head(s *store.Settings) []string {
	head := make([]string, len(Fields))
	for i, field := range Fields {
		head[i] = field.String()
		if unit := unitOf(field, s); unit != "" {
			head[i] += " (" + unit + ")"
		}
		if field == Price {
			head[i] += " (" + s.Currency + ")"
		}
	}
	return head
}

// Write makes the rows of a store's products, with the heads of the columns in front.
func Write(f *store.File) [][]string {
	rows := [][]string{head(&f.Store)}
	for i := range f.Products {
		row := make([]string, len(Fields))
		for j, field := range Fields {
			row[j] = Text(f, &f.Products[i], field)
		}
		rows = append(rows, row)
	}
	return rows
}

// Apply makes new and changed rows the store's products. The rows have been read for this very store.
func Apply(f *store.File, rows []Row) {
	f.Products = slices.Grow(f.Products, Count(rows)[New])
	for i := range rows {
		switch r := &rows[i]; r.Status {
		case New:
			f.Products = append(f.Products, r.Product)
		case Changed:
			f.Products[r.at] = r.Product
		}
	}
}

// Back gives the refused rows as a table to mend: as they were, with the reason in a last column.
func Back(t *sheet.Table, rows []Row) [][]string {
	width := len(t.Rows[0].Cells)
	out := [][]string{append(slices.Clone(t.Rows[0].Cells), "reason")}
	for i := range rows {
		if rows[i].Status == Refused {
			cells := make([]string, width, width+1)
			copy(cells, t.Rows[i+1].Cells)
			out = append(out, append(cells, rows[i].What))
		}
	}
	return out
}

// Count counts the rows by what becomes of them.
func Count(rows []Row) map[Status]int {
	counts := map[Status]int{}
	for i := range rows {
		counts[rows[i].Status]++
	}
	return counts
}
