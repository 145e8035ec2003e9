// Package productlist reads and writes products as a table for spreadsheets, and takes the product list of any shop:
//
//	sku,name,price (EUR),weight (kg),length (cm),width (cm),height (cm),class,needs shipping,ships free,own parcel
//	STONE-20,"Sauna stones, 20 kg",39.00,20,40,30,20,,yes,no,yes
//
// Columns are found by their heads, which may carry the unit of what stands under them, and can be put right by
// a [Mapping]. Numbers are written with a decimal point or comma, as the column shows; cells may carry a unit
// of their own ("450 g"). Classes are named by their name or id; yes and no also by true, false, 1, 0, x, y and
// n.
//
// A row is a product of the store, by its sku, or a new one. In a column that is used, an empty weight, size or
// class is none; an empty name, price, yes or no leaves what was. Writing what was read gives the same table.
package productlist

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/exact"
	"diadrom/internal/measure"
	"diadrom/internal/oneline"
	"diadrom/internal/sheet"
	"diadrom/internal/store"
	"diadrom/internal/world"
)

// Field is what a column holds.
type Field string

// Fields of a product, in the order in which they are written.
const (
	SKU           Field = "sku"
	Name          Field = "name"
	Price         Field = "price"
	Weight        Field = "weight"
	Length        Field = "length"
	Width         Field = "width"
	Height        Field = "height"
	Class         Field = "class"
	NeedsShipping Field = "needs_shipping"
	ShipsFree     Field = "ships_free"
	OwnParcel     Field = "own_parcel"
)

// Fields lists them.
var Fields = []Field{SKU, Name, Price, Weight, Length, Width, Height, Class, NeedsShipping, ShipsFree, OwnParcel}

// String is the head of its column.
func (f Field) String() string { return strings.ReplaceAll(string(f), "_", " ") }

// heads are the folded heads, without units, that stand for a field.
var heads = map[string]Field{
	"sku":                SKU,
	"sku code":           SKU,
	"article":            SKU,
	"article number":     SKU,
	"article no":         SKU,
	"item number":        SKU,
	"item no":            SKU,
	"item":               SKU,
	"product code":       SKU,
	"code":               SKU,
	"product number":     SKU,
	"stock keeping unit": SKU,
	"name":               Name,
	"title":              Name,
	"product":            Name,
	"product name":       Name,
	"description":        Name,
	"price":              Price,
	"unit price":         Price,
	"sales price":        Price,
	"net price":          Price,
	"retail price":       Price,
	"weight":             Weight,
	"unit weight":        Weight,
	"gross weight":       Weight,
	"shipping weight":    Weight,
	"length":             Length,
	"depth":              Length,
	"width":              Width,
	"breadth":            Width,
	"height":             Height,
	"class":              Class,
	"shipping class":     Class,
	"needs shipping":     NeedsShipping,
	"shipping":           NeedsShipping,
	"shippable":          NeedsShipping,
	"physical":           NeedsShipping,
	"ships free":         ShipsFree,
	"free shipping":      ShipsFree,
	"own parcel":         OwnParcel,
	"separate parcel":    OwnParcel,
}

// kinds are the fields that have a unit.
var kinds = map[Field]measure.Kind{
	Weight: measure.Weight,
	Length: measure.Length,
	Width:  measure.Length,
	Height: measure.Length,
}

// unitOf is the store's unit of a field.
func unitOf(f Field, s *store.Settings) string {
	switch f {
	case Weight:
		return s.WeightUnit
	case Length, Width, Height:
		return s.LengthUnit
	}
	return ""
}

// Mapping says what the columns of a table hold.
type Mapping struct {
	Columns []Field  // by column; "" is not used
	Units   []string // by column: what numbers without a unit of their own are in
	Decimal byte     // '.' or ','; 0: as each column shows
}

var headParts = regexp.MustCompile(`[^a-z0-9"']+`)

// Guess finds what the columns of a table hold by their heads. Of several columns for a field the first counts.
func Guess(t *sheet.Table, s *store.Settings) Mapping {
	m := Mapping{Columns: make([]Field, len(t.Rows[0].Cells)), Units: make([]string, len(t.Rows[0].Cells))}
	if slices.Equal(t.Rows[0].Cells, head(s)) { // what Write wrote has points
		m.Decimal = '.'
	}
	for i, cell := range t.Rows[0].Cells {
		words := strings.Fields(headParts.ReplaceAllString(world.Fold(cell), " "))
		for n := len(words); n > 0; n-- {
			f, ok := heads[strings.Join(words[:n], " ")]
			if !ok || slices.Contains(m.Columns, f) {
				continue
			}
			_, measured := kinds[f]
			rest := words[n:]
			if len(rest) > 1 && rest[0] == "in" { // "weight in g"
				rest = rest[1:]
			}
			if len(rest) > 1 || len(rest) == 1 && !measured && f != Price ||
				len(rest) == 1 && measured && HeadUnit(f, cell) == "" {
				continue
			}
			m.Columns[i], m.Units[i] = f, unitOf(f, s)
			if len(rest) == 1 && measured {
				m.Units[i] = HeadUnit(f, cell)
			}
			break
		}
	}
	return m
}

// HeadUnit is the unit of a field that the head of a column names: "g" for "Grams" and "Weight in g"; "" where
// it names none, or several.
func HeadUnit(f Field, head string) (unit string) {
	kind, measured := kinds[f]
	if !measured {
		return ""
	}
	words := strings.Fields(headParts.ReplaceAllString(world.Fold(head), " "))
	for i, word := range words {
		named, ok := measure.Unit(kind, word)
		if !ok || word == "in" && i < len(words)-1 { // "length in cm"
			continue
		}
		if unit != "" && unit != named {
			return ""
		}
		unit = named
	}
	return unit
}

// Foreign says which column of a table is a price in another currency than the store's, "" where none is.
func (m Mapping) Foreign(t *sheet.Table, s *store.Settings) string {
	for i, head := range t.Rows[0].Cells {
		if code := world.CurrencyIn(head); i < len(m.Columns) && m.Columns[i] == Price && code != "" &&
			code != s.Currency {
			return fmt.Sprintf(
				"the column %.40q is in %s, this shop's prices are in %s: change the list, or leave that column out",
				head,
				code,
				s.Currency,
			)
		}
	}
	return ""
}

// Missing says what a mapping lacks, "" where it can be used.
func (m Mapping) Missing() string {
	seen := map[Field]bool{}
	for _, f := range m.Columns {
		if f != "" && seen[f] {
			return "two columns are the " + f.String() + ": choose one"
		}
		seen[f] = true
	}
	if !seen[SKU] {
		return "no column is the sku, by which products are known: choose which one is"
	}
	return ""
}

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
	}
	return ""
}

// measured takes in a weight or a size, in the unit that it carries or else its column's.
func (r *reader) measured(into **exact.Decimal, field Field, text string, column int) (reason string) {
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
	same := func(x, y *exact.Decimal) bool { return (x == nil) == (y == nil) && (x == nil || x.Cmp(*y) == 0) }
	return a.Name == b.Name && a.Price.Cmp(b.Price) == 0 && same(a.Weight, b.Weight) &&
		same(a.Length, b.Length) && same(a.Width, b.Width) && same(a.Height, b.Height) &&
		a.Class == b.Class && a.NeedsShipping == b.NeedsShipping &&
		a.ShipsFree == b.ShipsFree &&
		a.OwnParcel == b.OwnParcel
}

func orNone(s string) string {
	if s == "" {
		return "none"
	}
	return s
}

// Text is a field of a product as it is written, in the store's units.
func Text(f *store.File, p *store.Product, field Field) string {
	number := func(d *exact.Decimal) string {
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
			(world.Fold(f.Classes[i].Name) == world.Fold(f.Classes[named].Name) || world.Fold(f.Classes[i].ID) == world.Fold(f.Classes[named].Name)) {
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
