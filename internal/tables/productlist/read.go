package productlist

import (
	"errors"
	"fmt"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/oneline"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/notes"
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
	Line      int
	Status    Status
	Product   store.Product // as it is to be
	What      string        // what changes, or why the row is refused
	at        int           // of the product in the store
	sku, name string        // as the row has them; "" of a row whose sku is none
	ambiguous string        // a number of it that may be a thousand or one
}

// Read reads the rows for a store. progress is told how many are read, now and then.
func Read(t *sheet.Table, m Mapping, f *store.File, progress func(int)) []Row {
	r := &reader{
		m:       m,
		f:       f,
		at:      make(map[string]int, len(f.Products)),
		classes: map[string]string{},
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
		if _, measured := kinds[field]; !measured && field != Price || field == Size {
			continue
		}
		if m.Decimal != 0 {
			r.numbers[i] = measure.Column{Decimal: m.Decimal}
			continue
		}
		cells := make([]string, len(body))
		for j := range body {
			if cells[j] = cell(body[j].Cells, i); body[j].Number(i) || field == Size {
				cells[j] = "" // shows nothing of how the column writes numbers
			}
		}
		r.numbers[i] = measure.Numbers(cells, func(j int) int { return body[j].Line })
	}
	r.names(body)
	rows := make([]Row, len(body))
	var done atomic.Int64
	inParts(len(body), func(from, to int) {
		one := *r
		for i := from; i < to; i++ {
			rows[i] = one.row(&body[i], i)
			if n := done.Add(1); n%1000 == 999 {
				progress(int(n) + 1)
			}
		}
	})
	r.twice(rows)
	return rows
}

// fewRows is up to how many rows are not worth reading in parts.
const fewRows = 2000

// inParts has the parts of a long list be read at the same time.
func inParts(n int, read func(from, to int)) {
	parts := runtime.GOMAXPROCS(0)
	if n <= fewRows {
		parts = 1
	}
	var all sync.WaitGroup
	for i := range parts {
		all.Go(func() { read(n*i/parts, n*(i+1)/parts) })
	}
	all.Wait()
}

// twice refuses rows whose sku stands in an earlier one.
func (r *reader) twice(rows []Row) {
	seen := make(map[string]int, len(rows))
	for i := range rows {
		row := &rows[i]
		if row.sku == "" {
			continue
		}
		if line, twice := seen[row.sku]; twice {
			row.Status, row.What, row.ambiguous = Refused, fmt.Sprintf("the sku %.40s stands in line %d already",
				row.sku,
				line), ""
			row.at, row.Product = -1, store.Product{SKU: row.sku, Name: row.name, NeedsShipping: true}
			continue
		}
		seen[row.sku] = row.Line
	}
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
	numbers []measure.Column  // by column
	row1    *sheet.Row        // that is read
	bases   []string          // the names of the rows before their variants; nil where no column tells variants apart
	shared  map[string]int    // how many rows have a name
}

// longest is the longest name or sku, in letters.
const longest = 400

// row reads a row, the one of an index.
func (r *reader) row(in *sheet.Row, index int) Row {
	out := Row{Line: in.Line, Status: New, at: -1, Product: store.Product{NeedsShipping: true}}
	refuse := func(format string, args ...any) Row {
		out.Status, out.What = Refused, fmt.Sprintf(format, args...)
		return out
	}
	sku := cell(in.Cells, slices.Index(r.m.Columns, SKU))
	if in.Formula == slices.Index(r.m.Columns, SKU)+1 {
		return refuse("sku: %.20s is a formula, not a value", sku)
	}
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
	r.row1 = in
	if i := slices.Index(r.m.Columns, Name); i >= 0 {
		out.Product.Name = cell(in.Cells, i)
	}
	out.sku, out.name, out.Product.Name = sku, out.Product.Name, ""
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
			if strings.HasSuffix(reason, choose) {
				out.ambiguous = reason
			}
			return refuse("%s: %s", field, reason)
		}
	}
	r.variant(&out.Product, in.Cells, index)
	if out.at >= 0 {
		if changes := r.changes(&r.f.Products[out.at], &out.Product); len(changes) > 0 {
			out.Status, out.What = Changed, strings.Join(changes, "; ")
		} else {
			out.Product = r.f.Products[out.at] // numbers written otherwise are the same
		}
	}
	return out
}

// choose is how the reason ends that a number may be a thousand or one.
const choose = "choose the decimal sign"

// names counts the rows of each name, where a column tells variants apart. A row without a name has that of the row
// above.
func (r *reader) names(body []sheet.Row) {
	if !slices.Contains(r.m.Columns, Variant) {
		return
	}
	r.shared, r.bases = map[string]int{}, make([]string, len(body))
	at, last := slices.Index(r.m.Columns, Name), ""
	for i := range body {
		if name := cell(body[i].Cells, at); name != "" {
			last = name
		}
		r.bases[i] = last
		r.shared[last]++
	}
}

// variant has the name of a product that has variants say which it is: "Linen towel, 70 × 140". Where only the first
// row of the variants has the name, the others have it too.
func (r *reader) variant(p *store.Product, cells []string, index int) {
	if r.bases == nil || r.shared[r.bases[index]] < 2 {
		return
	}
	name := r.bases[index]
	for i, field := range r.m.Columns {
		text := cell(cells, i)
		if field == Variant && text != "" && text != "-" && !names(name, text) {
			name = strings.TrimPrefix(name+", "+text, ", ")
		}
	}
	if clean, err := oneline.Read(name); err == nil && len([]rune(clean)) <= longest && clean != "" {
		p.Name = clean
	}
}

// names says whether a name has a text in it, as words of its own.
func names(name, text string) bool {
	words := func(s string) string { return " " + strings.Join(headParts.Split(world.Fold(s), -1), " ") + " " }
	return strings.Contains(words(name), words(text))
}

// unknown are the cells that say that a weight or a side is not known; common practice, no source.
var unknown = []string{"-", "–", "n/a", "na", "?", "unknown", "none", "tbd", "unbekannt", "k.a.", "inconnu",
	"desconocido",
	"ei tiedossa", "okand"}

// parse reads a number of a cell: of a workbook as it stands there, of a text as its column writes numbers.
func (r *reader) parse(text string, column int) (decimal.Decimal, string, error) {
	if r.row1.Number(column) {
		return measure.Column{Decimal: '.'}.Parse(text)
	}
	return r.numbers[column].Parse(text)
}

var side = regexp.MustCompile(`(?i)\s*[x×*]\s*`)

// sidesOf are the sides in a cell with all of them: "10 × 20 × 5 cm", "100x200x50", "10 cm x 20 cm x 5 cm". A unit
// behind the last one holds for all that have none.
func sidesOf(text string) []string {
	text = strings.TrimSpace(text)
	if text == "" || len(text) > maxSize {
		return nil
	}
	sides := side.Split(text, -1)
	unit := ""
	if last := sideUnit.FindString(sides[len(sides)-1]); last != "" {
		unit = last
	}
	for i := range sides {
		if !sideNumber.MatchString(sides[i]) {
			return nil
		}
		if unit != "" && sideUnit.FindString(sides[i]) == "" {
			sides[i] += " " + strings.TrimSpace(unit)
		}
	}
	return sides
}

var (
	sideUnit   = regexp.MustCompile(`\s*[a-zA-Z"'″′]+\.?$`)
	sideNumber = regexp.MustCompile(`^(?:[LWHBTDlwhbtd][:. ]?\s*)?[0-9]+(?:[.,][0-9]+)?\s*(?:[a-zA-Z"'″′]+\.?)?$`)
	sideLetter = regexp.MustCompile(`^[LWHBTDlwhbtd][:. ]?\s*`)
)

// maxSize is the longest cell with all sides, in bytes.
const maxSize = 80

// size reads all sides of a cell.
func (r *reader) size(p *store.Product, text string, column int) (reason string) {
	p.Length, p.Width, p.Height = nil, nil, nil
	if text == "" || slices.Contains(unknown, world.Fold(text)) {
		return ""
	}
	sides := sidesOf(text)
	if len(sides) != 3 {
		return fmt.Sprintf("%.40q is no size: write length × width × height", text)
	}
	for i, into := range []**decimal.Decimal{&p.Length, &p.Width, &p.Height} {
		one := strings.Replace(sideLetter.ReplaceAllString(sides[i], ""), ",", ".", 1)
		d, in, err := measure.Column{Decimal: '.'}.Parse(one)
		if err != nil {
			return err.Error()
		}
		if in == "" {
			in = r.m.Units[column]
		}
		own, ok := measure.Unit(measure.Length, in)
		if !ok {
			return fmt.Sprintf("%.20q is no unit of length", in)
		}
		d = measure.Convert(measure.Length, d, own, r.f.Store.LengthUnit)
		*into = &d
	}
	return ""
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
		return r.price(p, text, column)
	case Size:
		return r.size(p, text, column)
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

// hundredth is one of a hundred.
var hundredth = decimal.MustParse("0.01")

// price reads a price, in the shop's currency or at the rate that somebody gave.
func (r *reader) price(p *store.Product, text string, column int) (reason string) {
	if text == "" {
		return ""
	}
	d, around, err := r.parse(text, column)
	if err != nil {
		return err.Error()
	}
	if column < len(r.m.Minor) && r.m.Minor[column] {
		d = d.Mul(hundredth)
		if notes.Hundredths(around) {
			around = ""
		}
	}
	code := r.f.Store.Currency
	switch own := around != "" && world.NamesCurrency(around, code); {
	case around != "" && !own && r.m.Rate == nil:
		return fmt.Sprintf("%.30q is not in %s, the currency of this shop", text, code)
	case r.m.Rate != nil && !own:
		d = d.Mul(*r.m.Rate).Round(r.f.Store.Digits())
	}
	p.Price = d
	return ""
}

// measured reads a weight or a size, in the unit that it carries or else its column's.
func (r *reader) measured(into **decimal.Decimal, field Field, text string, column int) (reason string) {
	*into = nil
	if text == "" || slices.Contains(unknown, world.Fold(text)) {
		return ""
	}
	kind, unit := kinds[field], unitOf(field, &r.f.Store)
	d, in, err := r.parse(text, column)
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
	var two *measure.TwoWays
	if errors.As(err, &two) { // 1.200 g is not to be 1.2 g by the way
		return err.Error()
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
	switch folded := world.Fold(text); {
	case folded == "":
	case isYes(folded):
		*into = true
	case isNo(folded):
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
