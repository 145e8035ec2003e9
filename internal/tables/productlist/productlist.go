// Package productlist reads and writes products as a table for spreadsheets, and takes the product list of any shop:
//
//	sku,name,price (EUR),weight (kg),length (cm),width (cm),height (cm),class,needs shipping,ships free,own
//
// parcel,upright,from
//
//	STONE-20,"Sauna stones, 20 kg",39.00,20,40,30,20,,yes,no,yes,no,
//
// Columns are found by their heads, which may carry the unit of what stands under them, and can be put right by
// a [Mapping]. Numbers are written with a decimal point or comma, as the column shows; cells may carry a unit
// of their own ("450 g"). Classes, and places of the shop that goods leave from, are named by their name or id; yes
// and no also by true, false, 1, 0, x, y and n, and by the words of other languages. The lists of others may have all
// sides in one cell ("10 × 20 × 5 cm"), rows of variants, titles between the rows, and heads in six languages: see
// [Open].
//
// A row is a product of the store, by its sku, or a new one. In a column that is used, an empty weight, size, class or
// place is none; an empty name, price, yes or no leaves what was. Writing what was read gives the same table.
package productlist

import (
	"cmp"
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/heads"
	"diadrom/internal/tables/notes"
	"diadrom/internal/tables/sheet"
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
	Upright       Field = "upright"
	From          Field = "from" // the place that it leaves from
)

// Fields that only stand in the lists of others.
const (
	Size    Field = "size"    // all three sides in one cell: "10 × 20 × 5 cm"
	Variant Field = "variant" // what tells products of one name apart
)

// Fields lists them.
var Fields = []Field{SKU, Name, Price, Weight, Length, Width, Height, Class, NeedsShipping, ShipsFree, OwnParcel,
	Upright, From}

// Readable lists the fields that a list may have: those of a product, and those that only stand in the lists of others.
var Readable = append(slices.Clone(Fields), Size, Variant)

// olderFields is how many of them tables had that were written before there were more.
const olderFields = 11

// String is the head of its column.
func (f Field) String() string { return strings.ReplaceAll(string(f), "_", " ") }

// kinds are the fields that have a unit.
var kinds = map[Field]measure.Kind{
	Weight: measure.Weight,
	Length: measure.Length,
	Width:  measure.Length,
	Height: measure.Length,
	Size:   measure.Length,
}

// unitOf is the store's unit of a field.
func unitOf(f Field, s *store.Settings) string {
	switch f {
	case Weight:
		return s.WeightUnit
	case Length, Width, Height, Size:
		return s.LengthUnit
	}
	return ""
}

// Mapping says what the columns of a table hold.
type Mapping struct {
	Columns  []Field          // by column; "" is not used
	Units    []string         // by column: what numbers without a unit of their own are in
	Told     []bool           // by column: its unit is as the list says, or as somebody chose
	Decimal  byte             // '.' or ','; 0: as each column shows
	Rate     *decimal.Decimal // what one unit of the prices' currency is in the shop's; nil where it is the shop's
	Minor    []bool           // by column: prices are in hundredths of the currency
	twice    map[int]Field    // columns whose heads name what an earlier one has
	sizeUnit bool             // cells of the size have a unit of their own
}

var headParts = regexp.MustCompile(`[^a-z0-9"']+`)

// Guess finds what the columns of a table hold by their heads. Of several columns for a field the first counts.
func Guess(t *sheet.Table, s *store.Settings) Mapping {
	width := len(t.Rows[0].Cells)
	m := Mapping{Columns: make([]Field, width), Units: make([]string, width), Told: make([]bool, width),
		Minor: make([]bool, width), twice: map[int]Field{}}
	// What Write wrote has points.
	if cells, own := t.Rows[0].Cells, head(s); len(cells) >= olderFields && len(cells) <= len(own) &&
		slices.Equal(cells, own[:len(cells)]) {
		m.Decimal = '.'
	}
	for i, cell := range t.Rows[0].Cells {
		m.Minor[i] = notes.Hundredths(cell)
		f := fieldOf(cell, m.Columns)
		if again := fieldOf(cell, nil); f == "" && (again == Price || again == SKU || unitOf(again, s) != "") {
			m.twice[i] = again
		}
		if f != "" {
			m.Columns[i], m.Units[i] = f, cmp.Or(HeadUnit(f, cell), unitOf(f, s))
		}
	}
	m.sizes(t)
	return m
}

// fieldOf is the field that the head of a column names, unless another column has it; "" for none.
func fieldOf(cell string, taken []Field) Field {
	if heads.Is(cell, heads.WeightUnit) || heads.Is(cell, heads.LengthUnit) {
		return "" // the unit of another column
	}
	words := strings.Fields(headParts.ReplaceAllString(world.Fold(cell), " "))
	if len(words) > 1 && words[0] == "variant" && headings[strings.Join(words, " ")] == "" { // "Variant price"
		words = words[1:]
	}
	for n := len(words); n > 0; n-- {
		f, ok := headings[strings.Join(words[:n], " ")]
		if !ok || f != Variant && slices.Contains(taken, f) {
			continue
		}
		rest := slices.DeleteFunc(slices.Clone(words[n:]), func(w string) bool { return slices.Contains(besides, w) })
		if len(rest) > 1 && (rest[0] == "in" || rest[0] == "en" || rest[0] == "i") { // "weight in g"
			rest = rest[1:]
		}
		_, measured := kinds[f]
		switch {
		case len(rest) == 0, len(rest) == 1 && f == Price && (notes.IsCurrency(rest[0]) || notes.Hundredths(rest[0])), len(rest) == 1 && measured && HeadUnit(f, cell) != "":
			return f
		}
	}
	return ""
}

// sizes has a column that is called a size, but has other things, tell variants apart: "S", "M", "L".
func (m *Mapping) sizes(t *sheet.Table) {
	for i, field := range m.Columns {
		if field != Size {
			continue
		}
		filled, are := 0, 0
		for _, row := range t.Rows[1:min(len(t.Rows), maxLooked)] {
			if text := cell(row.Cells, i); text != "" {
				if filled++; len(sidesOf(text)) == 3 {
					are++
				}
				m.sizeUnit = m.sizeUnit || strings.ContainsAny(text, "mMnNfF\"'")
			}
		}
		if filled > 0 && are*2 < filled {
			m.Columns[i], m.Units[i] = Variant, ""
		}
	}
}

// maxLooked is in how many rows a column is looked at.
const maxLooked = 200

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

// Missing says what a mapping lacks, "" where it can be used.
func (m Mapping) Missing() string {
	seen := map[Field]bool{}
	for _, f := range m.Columns {
		if f != "" && f != Variant && seen[f] {
			return "two columns are the " + f.String() + ": choose one"
		}
		seen[f] = true
	}
	if seen[Size] && (seen[Length] || seen[Width] || seen[Height]) {
		return "one column is the size and others are sides of it: choose one of both"
	}
	if !seen[SKU] {
		return "no column is the sku, by which products are known: choose which one is"
	}
	return ""
}
