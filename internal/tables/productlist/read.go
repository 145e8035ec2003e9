package productlist

import (
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/oneline"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/sheet"
)

// Status is what becomes of a row.
type Status uint8

// What can become of a row.
const (
	New Status = iota + 1
	Changed
	Same
	Refused
)

// Row is a row of the table.
type Row struct {
	Line    int
	Status  Status
	Product store.Product // as it is to be
	What    string        // what changes, or why the row is refused
	at      int           // of the product in the store
}

// Read reads the rows for a store. progress is told how many are read, now and then.
func Read(t *sheet.Table, m Mapping, f *store.File, progress func(int)) []Row {
	r := &reader{
		m:       m,
		f:       f,
		at:      make(map[string]int, len(f.Products)),
		classes: map[string]string{},
		seen:    map[string]int{},
	}
	for i := range f.Products {
		r.at[f.Products[i].SKU] = i
	}
	for i := len(f.Classes) - 1; i >= 0; i-- { // of two with one name the first counts
		r.classes[world.Fold(f.Classes[i].Name)] = f.Classes[i].ID
	}
	for i := range f.Classes {
		r.classes[world.Fold(f.Classes[i].ID)] = f.Classes[i].ID
	}
	body := t.Rows[1:]
	r.numbers = make([]measure.Column, len(m.Columns))
	for i, field := range m.Columns {
		if _, measured := kinds[field]; !measured && field != Price {
			continue
		}
		if m.Decimal != 0 {
			r.numbers[i] = measure.Column{Decimal: m.Decimal}
			continue
		}
		cells := make([]string, len(body))
		for j := range body {
			cells[j] = cell(body[j].Cells, i)
		}
		r.numbers[i] = measure.Numbers(cells, func(j int) int { return body[j].Line })
	}
	rows := make([]Row, len(body))
	for i := range body {
		rows[i] = r.row(body[i])
		if i%1000 == 999 {
			progress(i + 1)
		}
	}
	return rows
}

func cell(cells []string, i int) string {
	if i >= 0 && i < len(cells) {
		return cells[i]
	}
	return ""
}

type reader struct {
	m       Mapping
	f       *store.File
	at      map[string]int    // products by sku
	classes map[string]string // ids by folded name and id
	seen    map[string]int    // lines by sku
	numbers []measure.Column  // by column
}

// longest is the longest name or sku, in letters.
const longest = 400

func (r *reader) row(in sheet.Row) Row {
	out := Row{Line: in.Line, Status: New, at: -1, Product: store.Product{NeedsShipping: true}}
	refuse := func(format string, args ...any) Row {
		out.Status, out.What = Refused, fmt.Sprintf(format, args...)
		return out
	}
	sku := cell(in.Cells, slices.Index(r.m.Columns, SKU))
	switch n := len([]rune(sku)); {
	case n == 0:
		return refuse("it has no sku")
	case n > longest:
		return refuse("a sku has at most %d letters", longest)
	}
	if _, err := oneline.Read(sku); err != nil {
		return refuse("sku: %s", err.Error())
	}
	out.Product.SKU = sku
	if i := slices.Index(r.m.Columns, Name); i >= 0 {
		out.Product.Name = cell(in.Cells, i)
	}
	if line, twice := r.seen[sku]; twice {
		return refuse("the sku %.40s stands in line %d already", sku, line)
	}
	r.seen[sku], out.Product.Name = in.Line, ""
	if at, ok := r.at[sku]; ok {
		out.at, out.Product, out.Status = at, r.f.Products[at], Same
	}
	for i, field := range r.m.Columns {
		if field == "" || field == SKU {
			continue
		}
		text := cell(in.Cells, i)
		if in.Formula == i+1 {
			return refuse("%s: %.20s is a formula, not a value", field, text)
		}
		if reason := r.set(&out.Product, field, text, i); reason != "" {
			return refuse("%s: %s", field, reason)
		}
	}
	if out.at >= 0 {
		if changes := r.changes(&r.f.Products[out.at], &out.Product); len(changes) > 0 {
			out.Status, out.What = Changed, strings.Join(changes, "; ")
		} else {
			out.Product = r.f.Products[out.at] // numbers written otherwise are the same
		}
	} else {
		out.What = r.says(&out.Product)
	}
	return out
}

// set takes a cell in; the reason says why it cannot be.
func (r *reader) set(p *store.Product, field Field, text string, column int) (reason string) {
	switch field {
	case Name:
		if len([]rune(text)) > longest {
			return fmt.Sprintf("a name has at most %d letters", longest)
		}
		if text != "" {
			name, err := oneline.Read(text)
			if err != nil {
				return err.Error()
			}
			p.Name = name
		}
	case Price:
		if text == "" {
			return ""
		}
		d, around, err := r.numbers[column].Parse(text)
		if err != nil {
			return err.Error()
		}
		if code := r.f.Store.Currency; around != "" && !world.NamesCurrency(around, code) {
			return fmt.Sprintf("%.30q is not in %s, the currency of this shop", text, code)
		}
		p.Price = d
	case Weight:
		return r.measured(&p.Weight, field, text, column)
	case Length:
		return r.measured(&p.Length, field, text, column)
	case Width:
		return r.measured(&p.Width, field, text, column)
	case Height:
		return r.measured(&p.Height, field, text, column)
	case Class:
		p.Class = ""
		if text != "" {
			id, ok := r.classes[world.Fold(text)]
			if !ok {
				return fmt.Sprintf("there is no class %.40q: make it first, or mend the cell", text)
			}
			p.Class = id
		}
	case NeedsShipping:
		return yesNo(&p.NeedsShipping, text)
	case ShipsFree:
		return yesNo(&p.ShipsFree, text)
	case OwnParcel:
		return yesNo(&p.OwnParcel, text)
	case Upright:
		return yesNo(&p.Upright, text)
	case From:
		id, err := terms.LocationCalled(r.f, text)
		if err != nil {
			return err.Error()
		}
		p.From = id
	}
	return ""
}

// measured reads a weight or a size, in the unit that it carries or else its column's.
func (r *reader) measured(into **decimal.Decimal, field Field, text string, column int) (reason string) {
	*into = nil
	if text == "" {
		return ""
	}
	kind, unit := kinds[field], unitOf(field, &r.f.Store)
	d, in, err := r.numbers[column].Parse(text)
	if err == nil && in == "" {
		in = r.m.Units[column]
	}
	if err == nil {
		if own, ok := measure.Unit(kind, in); ok {
			d = measure.Convert(kind, d, own, unit)
			*into = &d
			return ""
		}
	}
	if d, several := measure.Parse(kind, text, unit); several == nil &&
		strings.ContainsAny(text, "abcdefghijklmnopqrstuvwxyz'\"") { // 2 lb 3 oz
		*into = &d
		return ""
	}
	if err != nil {
		return err.Error()
	}
	return fmt.Sprintf("%.20q is no unit of %s", in, field)
}

func yesNo(into *bool, text string) (reason string) {
	switch world.Fold(text) {
	case "":
	case "yes", "y", "true", "1", "x", "on":
		*into = true
	case "no", "n", "false", "0", "-", "off":
		*into = false
	default:
		return fmt.Sprintf("%.20q is neither yes nor no", text)
	}
	return ""
}

// changes says in words how a product differs from what it was.
func (r *reader) changes(was, is *store.Product) (list []string) {
	if alike(was, is) {
		return nil
	}
	for _, field := range Fields {
		before, after := Text(r.f, was, field), Text(r.f, is, field)
		if before == after {
			continue
		}
		list = append(list, field.String()+" "+orNone(before)+" → "+orNone(after)+r.unit(field, after))
	}
	return list
}

// unit is the unit or currency behind a value, with a space before it; "" behind none.
func (r *reader) unit(field Field, value string) string {
	unit := unitOf(field, &r.f.Store)
	if field == Price {
		unit = r.f.Store.Currency
	}
	if unit == "" || value == "" {
		return ""
	}
	return " " + unit
}

// says are the values that were read for a new product, with their units.
func (r *reader) says(p *store.Product) string {
	var list []string
	for _, field := range Fields[2:] {
		value := Text(r.f, p, field)
		if slices.Contains(r.m.Columns, field) && value != "" {
			list = append(list, field.String()+" "+value+r.unit(field, value))
		}
	}
	return strings.Join(list, "; ")
}

// alike says whether two products have the same values, however their numbers are written.
func alike(a, b *store.Product) bool {
	same := func(x, y *decimal.Decimal) bool { return (x == nil) == (y == nil) && (x == nil || x.Cmp(*y) == 0) }
	return a.Name == b.Name && a.Price.Cmp(b.Price) == 0 && same(a.Weight, b.Weight) &&
		same(a.Length, b.Length) && same(a.Width, b.Width) && same(a.Height, b.Height) &&
		a.Class == b.Class && a.NeedsShipping == b.NeedsShipping &&
		a.ShipsFree == b.ShipsFree &&
		a.OwnParcel == b.OwnParcel && a.Upright == b.Upright && a.From == b.From
}

func orNone(s string) string {
	if s == "" {
		return "none"
	}
	return s
}
