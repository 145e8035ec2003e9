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
// and no also by true, false, 1, 0, x, y and n.
//
// A row is a product of the store, by its sku, or a new one. In a column that is used, an empty weight, size, class or
// place is none; an empty name, price, yes or no leaves what was. Writing what was read gives the same table.
package productlist

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/measure"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
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

// Fields lists them.
var Fields = []Field{SKU, Name, Price, Weight, Length, Width, Height, Class, NeedsShipping, ShipsFree, OwnParcel,
	Upright, From}

// olderFields is how many of them tables had that were written before there were more.
const olderFields = 11

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
	"upright":            Upright,
	"stays upright":      Upright,
	"this way up":        Upright,
	"from":               From,
	"leaves from":        From,
	"ships from":         From,
	"warehouse":          From,
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
	// What Write wrote has points.
	if cells, own := t.Rows[0].Cells, head(s); len(cells) >= olderFields && len(cells) <= len(own) &&
		slices.Equal(cells, own[:len(cells)]) {
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
		if code := world.OtherCurrency(head, s.Currency); i < len(m.Columns) && m.Columns[i] == Price && code != "" {
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
