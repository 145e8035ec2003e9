package productlist

import (
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/sheet"
)

// Choices are what somebody who looks at a list sets otherwise than it was made out. The zero value leaves all as it
// was found.
type Choices struct {
	grid.Options
	Head        int            // the line of the heads; 0 as found
	Columns     map[int]Field  // by column, from 0
	Units       map[int]string // of columns whose numbers have none
	OnlyColumns bool           // columns that are not among Columns are not used
	Decimal     byte           // '.' or ','; 0 as each column shows
	Rate        *decimal.Decimal
	Settled     []string // codes of questions that are answered by leaving things as they are
	MakeClasses bool     // shipping classes that the shop does not have are made
}

// Codes of questions.
const (
	AskSheet    = "sheet"    // several sheets have products
	AskCurrency = "currency" // prices in another currency than the shop's
	AskColumns  = "columns"  // two columns that look like the same
	AskDecimal  = "decimal"  // numbers that may be a thousand or one
	AskUnit     = "unit"     // weights or sides far from those that are known
	AskTax      = "tax"      // prices with tax where the shop's are without it, or the other way round
	AskZero     = "zero"     // goods that weigh 0
	AskPrices   = "prices"   // prices far from those that are known
	AskClasses  = "classes"  // shipping classes that the shop does not have
	AskLacking  = "lacking"  // new products without a name or a price
	AskHidden   = "hidden"   // lines and columns that the workbook hides
	AskNote     = "note"     // a title, a note or a cell that is not used
)

// Reading is what was made of a file.
type Reading struct {
	Grid     *grid.Grid
	Ledger   *grid.Ledger
	Head     int // the line of the heads
	Table    *sheet.Table
	Mapping  Mapping
	Found    []string // in sentences, what had to be made out
	Skipped  []grid.Skipped
	Asks     []grid.Ask
	Missing  string // what the columns lack; "" where there are rows
	Currency string // of the prices
	Rows     []Row
	Classes  []store.Class // that are made
	Unknown  []string      // classes that the shop does not have, and are not made
}

// Open reads a file with products for a store. progress is told how many rows are read, now and then. Its errors are
// those of [grid.Read].
func Open(source grid.Source, f *store.File, c Choices, progress func(int)) (*Reading, error) {
	usable := func(g *grid.Grid) bool {
		_, n := headOf(g, &f.Store)
		return n > 1
	}
	g, with, err := grid.Choose(source, c.Options, usable)
	if err != nil {
		return nil, err
	}
	o := &opening{f: f, c: c, asks: grid.NewAsks(c.Settled), r: &Reading{Grid: g, Currency: f.Store.Currency}}
	o.asks.Opened(g, with, "products")
	o.table()
	o.unitColumns()
	o.mapping()
	if o.r.Missing = o.r.Mapping.Missing(); o.r.Missing == "" && !o.currency() {
		o.r.Rows = Read(o.r.Table, o.r.Mapping, o.classes(), progress)
		o.jumps()
		o.lacking()
	}
	o.account()
	o.r.Asks = o.asks.List
	return o.r, nil
}

// Apply makes the classes that are to be made, and changes the products of a store.
func (r *Reading) Apply(f *store.File) {
	for _, c := range r.Classes {
		if f.Class(c.ID) == nil {
			f.Classes = append(f.Classes, c)
		}
	}
	Apply(f, r.Rows)
}

// classes is the store with the classes of the list that it does not have, where they are to be made; else it is asked
// about them.
func (o *opening) classes() *store.File {
	o.r.Classes, o.r.Unknown = nil, nil
	at := slices.Index(o.r.Mapping.Columns, Class)
	if at < 0 {
		return o.f
	}
	more := *o.f
	more.Classes = slices.Clone(o.f.Classes)
	seen := map[string]bool{}
	for i := range o.r.Table.Rows[1:] {
		name := strings.TrimSpace(cell(o.r.Table.Rows[i+1].Cells, at))
		if name == "" || seen[world.Fold(name)] {
			continue
		}
		seen[world.Fold(name)] = true
		if _, err := ClassOf(&more, name); err == nil {
			continue
		}
		if !o.c.MakeClasses {
			o.r.Unknown = append(o.r.Unknown, name)
			continue
		}
		c := store.Class{ID: store.NewID(name, "class", func(id string) bool { return more.Class(id) != nil }), Name: name}
		more.Classes, o.r.Classes = append(more.Classes, c), append(o.r.Classes, c)
	}
	if len(o.r.Unknown) > 0 {
		o.asks.Add(AskClasses, fmt.Sprintf("This shop has no shipping class called %s. Add them, or leave those lines out.",
			grid.Cut(strings.Join(o.r.Unknown, ", "))))
	}
	return &more
}

// lacking asks about new products that would have no name, or cost nothing, because no column says it and others are
// not understood.
func (o *opening) lacking() {
	added := Count(o.r.Rows)[New]
	if added == 0 {
		return
	}
	var lack, unused []string
	if !slices.Contains(o.r.Mapping.Columns, Name) {
		lack = append(lack, "no name")
	}
	if !slices.Contains(o.r.Mapping.Columns, Price) {
		lack = append(lack, "a price of 0")
	}
	for i, head := range o.r.Table.Rows[0].Cells {
		if o.r.Mapping.Columns[i] == "" && head != "" && o.r.Mapping.twice[i] == "" {
			unused = append(unused, head)
		}
	}
	if len(lack) == 0 || len(unused) == 0 || o.c.OnlyColumns {
		return
	}
	o.asks.Add(AskLacking,
		fmt.Sprintf("%s would have %s: no column has it. Columns that are not used: %s. Choose what they hold.",
			plural.Count(added, "new product"), strings.Join(lack, " and "), grid.Cut(strings.Join(unused, ", "))))
}

// DecimalSign is the decimal sign of the list: as it was set, or as its numbers show it; "" where none does.
func (r *Reading) DecimalSign() string {
	if r.Mapping.Decimal != 0 {
		return string(r.Mapping.Decimal)
	}
	for i, field := range r.Mapping.Columns {
		if _, measured := kinds[field]; !measured && field != Price || field == Size {
			continue
		}
		cells := make([]string, 0, len(r.Table.Rows))
		for _, row := range r.Table.Rows[1:] {
			if !row.Number(i) {
				cells = append(cells, cell(row.Cells, i))
			}
		}
		if c := measure.Numbers(cells, func(int) int { return 0 }); c.Decimal != 0 {
			return string(c.Decimal)
		}
	}
	return ""
}

// Again reads the rows of a file anew for a store that has changed since.
func (r *Reading) Again(f *store.File, c Choices) *Reading {
	again := *r
	o := &opening{f: f, c: c, asks: grid.NewAsks(c.Settled), r: &again}
	again.Skipped, again.Rows, again.Asks = nil, nil, nil
	o.mapping()
	if again.Missing = again.Mapping.Missing(); again.Missing == "" && !o.currency() {
		again.Rows = Read(again.Table, again.Mapping, o.classes(), func(int) {})
		o.jumps()
		o.lacking()
	}
	o.account()
	again.Skipped, again.Asks = r.Skipped, o.asks.List
	return &again
}

// Shown are the fields whose values a preview shows: those that the list has, with the sides of a size for it.
func Shown(m Mapping) (list []Field) {
	for _, field := range Fields {
		side := field == Length || field == Width || field == Height
		if field != SKU && (slices.Contains(m.Columns, field) || side && slices.Contains(m.Columns, Size) ||
			field == Name && slices.Contains(m.Columns, Variant)) {
			list = append(list, field)
		}
	}
	return list
}

// Before is the product of a store that a row changes; nil for a new one.
func (r *Row) Before(f *store.File) *store.Product {
	if r.at < 0 || r.at >= len(f.Products) {
		return nil
	}
	return &f.Products[r.at]
}

// opening is a file while it is read.
type opening struct {
	f    *store.File
	c    Choices
	asks *grid.Asks
	r    *Reading

	usedUnits []int // columns with the units of others
}

// headOf is the index of the row with the heads, and how many fields it names: the row that names most, among those
// that name the sku where one does.
func headOf(g *grid.Grid, s *store.Settings) (at, named int) {
	at = g.Head()
	for i := range g.Rows[:min(len(g.Rows), grid.MaxTitles)] {
		cells := make([]string, len(g.Rows[i].Cells))
		for j := range cells {
			cells[j] = g.Rows[i].Cells[j].Text
		}
		m := Guess(&sheet.Table{Rows: []sheet.Row{{Cells: cells}}}, s)
		n := 0
		for _, field := range m.Columns {
			if field != "" {
				n++
			}
		}
		if n > named && slices.Contains(m.Columns, SKU) {
			at, named = i, n
		}
	}
	return at, named
}

// table takes the rows of the list from the sheet: below the heads, without titles between them and heads that come
// again.
func (o *opening) table() {
	g := o.r.Grid
	head, _ := headOf(g, &o.f.Store)
	for i := range g.Rows {
		if g.Rows[i].Line == o.c.Head {
			head = i
		}
	}
	o.r.Head = g.Rows[head].Line
	t := g.Table(head)
	o.r.Found = g.Found()
	for i := range g.Rows[:head] {
		o.skip(&g.Rows[i], "a title")
	}
	if head > 0 {
		o.r.Found = append(o.r.Found, fmt.Sprintf("The column headings are in line %d.", o.r.Head))
	}
	rows := t.Rows[:1]
	width := g.Rows[head].Filled()
	for i := 1; i < len(t.Rows); i++ {
		row := &g.Rows[head+i]
		switch {
		case width > 2 && row.Filled() == 1 && g.Format != "":
			o.skip(row, "a title or a note")
		case slices.Equal(t.Rows[i].Cells, t.Rows[0].Cells):
			o.skip(row, "it repeats the headings")
		case row.Sum():
			o.skip(row, "a sum")
		default:
			rows = append(rows, t.Rows[i])
		}
	}
	t.Rows = rows
	o.r.Table = t
}

func (o *opening) skip(row *grid.Row, why string) {
	o.r.Skipped = append(o.r.Skipped, grid.Skipped{Line: row.Line, Text: row.Said(), Why: why})
}

// mapping is what the columns hold: as their heads say, or as somebody chose.
func (o *opening) mapping() {
	t, s := o.r.Table, &o.f.Store
	m := Guess(t, s)
	for i, head := range t.Rows[0].Cells {
		field, ok := o.c.Columns[i]
		if (ok || o.c.OnlyColumns) && field != m.Columns[i] {
			m.Columns[i], m.Units[i] = field, HeadUnit(field, head)
		}
		m.Told[i] = HeadUnit(m.Columns[i], head) != ""
		if unit := o.c.Units[i]; unit != "" && m.Columns[i] != "" {
			m.Units[i], m.Told[i] = unit, true
		}
		if m.Columns[i] != "" && m.Units[i] == "" {
			m.Units[i] = unitOf(m.Columns[i], s)
		}
	}
	if o.c.Decimal != 0 {
		m.Decimal = o.c.Decimal
	}
	m.Rate = o.c.Rate
	o.r.Mapping = m
	for i, head := range t.Rows[0].Cells {
		if _, chosen := o.c.Columns[i]; m.Columns[i] == "" && m.twice[i] != "" && !chosen && !o.c.OnlyColumns {
			o.asks.Add(AskColumns, fmt.Sprintf("Two columns look like the %s. “%s” is not used. Choose it instead "+
				"if it is the right one.", m.twice[i], head))
		}
		if m.Columns[i] == "" && head != "" {
			o.r.Skipped = append(o.r.Skipped, grid.Skipped{Line: o.r.Head, Text: head, Why: "the column is not used"})
		}
		if m.Columns[i] == Price {
			o.tax(head)
			if told := "The prices of “" + head + "” are in hundredths of the currency."; m.Minor[i] &&
				!slices.Contains(o.r.Found, told) {
				o.r.Found = append(o.r.Found, told)
			}
		}
	}
}

// currency asks about prices in another currency than the shop's; true where they cannot be read until it is answered.
func (o *opening) currency() (stops bool) {
	s := &o.f.Store
	at := slices.Index(o.r.Mapping.Columns, Price)
	if at < 0 {
		return false
	}
	other := world.OtherCurrency(o.r.Table.Rows[0].Cells[at], s.Currency)
	if other == "" {
		return false
	}
	o.r.Currency = other
	if o.c.Rate != nil {
		return false
	}
	o.asks.Add(AskCurrency,
		fmt.Sprintf("The column “%s” is in %s, this shop's prices are in %s. Say what 1 %s is in %s, or "+
			"leave the column out.", o.r.Table.Rows[0].Cells[at], other, s.Currency, other, s.Currency))
	return true
}

// tax asks about prices whose head says that they are with or without tax, where the shop's are not so.
func (o *opening) tax(head string) {
	folded := " " + strings.Join(strings.Fields(headParts.ReplaceAllString(world.Fold(head), " ")), " ") + " "
	says := func(words ...string) bool {
		return slices.ContainsFunc(words, func(w string) bool { return strings.Contains(folded, " "+w+" ") })
	}
	named := says("vat", "tax", "mwst", "ust", "tva", "iva", "alv", "moms")
	without := says("ht", "netto", "nettopreis", "alv 0", "veroton") ||
		named && says("excl", "excluding", "ex", "exkl", "zzgl", "ohne", "hors", "sin", "utan")
	with := says("ttc", "brutto", "bruttopreis", "verollinen") ||
		named && says("incl", "including", "inc", "inkl", "con", "sis", "med")
	switch includes := o.f.Store.Tax.PricesIncludeTax; {
	case without && includes:
		o.asks.Add(AskTax,
			fmt.Sprintf("The column “%s” has prices without tax, this shop's include it. They are read as they "+
				"stand.", head))
	case with && !includes && len(o.f.Store.Tax.Rates) > 0:
		o.asks.Add(AskTax,
			fmt.Sprintf("The column “%s” has prices with tax, this shop's are without. They are read as they "+
				"stand.", head))
	}
}

// SaidUnit is the unit of a column as the list names it, "" where it names none.
func (m Mapping) SaidUnit(i int) string {
	if !m.Told[i] {
		return ""
	}
	return m.Units[i]
}

// Unit is a field's unit in a store; "" for a field without one.
func Unit(f Field, s *store.Settings) string { return unitOf(f, s) }

// UnitsOf are the units that a column with a field may be in; none for a field without.
func UnitsOf(f Field) []string {
	switch kind, ok := kinds[f]; {
	case !ok:
		return nil
	case kind == measure.Weight:
		return []string{"g", "kg", "oz", "lb"}
	}
	return []string{"mm", "cm", "m", "in", "ft"}
}
