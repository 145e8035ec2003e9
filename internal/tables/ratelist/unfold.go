package ratelist

import (
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/world"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/notes"
)

// text is a cell with what is known of it.
type text struct {
	said   string
	number bool   // a number of a workbook, whose point is its decimal sign
	unit   string // of a bound, where the cell does not name one
}

// price is a line that a list has for one destination and one band: all that is known of it before it is read.
type price struct {
	line     int
	in       *list
	to       [7]string // by destinations
	column   int       // of the sum, in the sheet
	currency string    // of the sum where it is not the shop's; "" where it is
	from, up text
	sum, per text
	head     string // of the column of the price
	step     *step  // of a band of steps
	strange  string // a band that cannot be read
	bare     bool   // its band is a number alone
	row      *grid.Row
}

// step is what a band of steps adds: so much for each, above the bound of the price before it.
type step struct {
	each  string
	unit  string
	whole bool // the cell does not say that only what is further counts
	prior int  // the index of the price before it; −1 for none
}

// list is a block with what it takes to read it.
type list struct {
	*block
	minor      bool       // its prices are in hundredths of the currency
	said       statement  // what stands beside it
	own        string     // the currency of the shop
	from       bool       // a band says where it begins: then all are to
	unit       string     // of bounds that name none; "" for the shop's
	currency   string     // of prices that name none; "" for the shop's
	carried    []int      // lines that say no destination, and have that of the line above
	surcharges []grid.Row // rows that are no bands: what comes on top
	// currencies are those of columns, where their heads name one, or else that of the list.
	currencies map[int]string
}

// unfold makes the prices of a list, one for each destination and band.
func (l *list) unfold(out []price) []price {
	m := l.mapping
	l.from = l.begins()
	n := len(l.rows)
	for _, field := range m.Columns {
		if field == Prices {
			n += len(l.rows)
		}
	}
	u := unfolding{l: l, out: slices.Grow(out, n), before: map[[7]string]int{}}
	across := m.has(Prices) && !m.has(Bands, From, To) // bands stand across
	lasts := map[[7]string]string{}                    // the last upper bound, by destination
	zones := make([]string, len(m.Columns))
	for j := range zones {
		zones[j] = zoneIn(l.headText(j))
	}
	for i := range l.rows {
		row := &l.rows[i]
		if at := max(m.at(Bands), m.at(From), m.at(To)); at >= 0 && !row.Cells[at].Number {
			if u.read(row.Cells[at].Text); !u.isBand && surcharge.MatchString(world.Fold(row.Said())) {
				u.l.surcharges = append(u.l.surcharges, *row)
				continue
			}
		}
		if across {
			u.turned(row)
			continue
		}
		where := u.below(l.destination(row, i), row.Line)
		if m.has(Price) || m.has(PerWeight) && !m.has(Prices) {
			u.one(row, where, -1, lasts)
			continue
		}
		for j, field := range m.Columns {
			if field == Prices {
				at := where
				at[0] = zones[j]
				u.one(row, at, j, lasts)
			}
		}
	}
	return u.out
}

// unfolding is a list while its prices are made.
type unfolding struct {
	l      *list
	out    []price
	before map[[7]string]int // the index of the last price, by destination
	cell   string            // the band that is read
	b      Band
	isBand bool
	above  [7]string // the destination of the row above
}

// read reads a band, the same one once.
func (u *unfolding) read(cell string) {
	if cell != u.cell || cell == "" {
		u.cell = cell
		u.b, u.isBand = ParseBand(cell)
	}
}

// below is the destination of a row, or that of the row above where it says none: lists say it once for several rows.
func (u *unfolding) below(to [7]string, line int) [7]string {
	if to == ([7]string{}) && u.l.mapping.has(destinations...) && u.above != to {
		if len(u.l.carried) == 0 || u.l.carried[len(u.l.carried)-1] != line {
			u.l.carried = append(u.l.carried, line)
		}
		return u.above
	}
	u.above = to
	return to
}

// destination is where the parcels of a row go.
func (l *list) destination(row *grid.Row, i int) (to [7]string) {
	for k, field := range destinations {
		if at := l.mapping.at(field); at >= 0 {
			to[k] = row.Cells[at].Text
		}
	}
	if !l.mapping.has(destinations...) {
		to[0] = l.titleOf(i)
	}
	return to
}

// titleOf is the title that a row without a destination stands under: the last section above it, or the title of the
// list.
func (b *block) titleOf(row int) (title string) {
	for i := range b.titles {
		title = b.titles[i].Said()
	}
	for i := range b.sections {
		if b.sections[i].before <= row {
			title = b.sections[i].row.Said()
		}
	}
	return title
}

// titleLine is the line of that title; 0 for none.
func (b *block) titleLine(row int) (line int) {
	for i := range b.titles {
		line = b.titles[i].Line
	}
	for i := range b.sections {
		if b.sections[i].before <= row {
			line = b.sections[i].row.Line
		}
	}
	return line
}

// one makes the price of a row in a column, −1 for its own.
func (u *unfolding) one(row *grid.Row, to [7]string, column int, lasts map[[7]string]string) {
	m, l := u.l.mapping, u.l
	p := price{line: row.Line, in: l, to: to, row: row}
	if column < 0 {
		column = m.at(Price)
	}
	if column >= 0 {
		c := &row.Cells[column]
		p.sum, p.head = text{said: c.Text, number: c.Number}, l.headText(column)
		p.column, p.currency = l.at+column, l.currencies[column]
	}
	if at := m.at(Currency); at >= 0 {
		if p.currency = strings.TrimSpace(row.Cells[at].Text); world.NamesCurrency(p.currency, l.own) {
			p.currency = ""
		}
	}
	if at := m.at(PerWeight); at >= 0 {
		c := &row.Cells[at]
		p.per = text{said: c.Text, number: c.Number, unit: l.headText(at)}
	}
	switch at := m.at(Bands); {
	case at >= 0:
		u.band(&p, row.Cells[at].Text, lasts)
		if p.step != nil && p.sum.said == "" {
			return
		}
	default:
		for _, side := range []struct {
			field Field
			into  *text
		}{{From, &p.from}, {To, &p.up}} {
			if at := m.at(side.field); at >= 0 {
				c := &row.Cells[at]
				*side.into = text{said: c.Text, number: c.Number, unit: l.unit}
			}
		}
	}
	u.add(p)
}

func (u *unfolding) add(p price) {
	if p.step == nil {
		u.before[p.to] = len(u.out)
	}
	u.out = append(u.out, p)
}

// band reads the band of a price.
func (u *unfolding) band(p *price, cell string, lasts map[[7]string]string) {
	u.read(cell)
	b, ok, key := u.b, u.isBand, p.to
	switch {
	case !ok && strings.TrimSpace(cell) == "" || !ok && open(cell):
	case !ok:
		p.strange = cell
	case b.Every != "" && b.From != "" && lasts[key] != "" && !sameBound(lasts[key], b.From, b.Unit):
		p.strange = cell // it counts from another bound than that of the line before it
	case b.Every != "":
		p.step = &step{each: b.Every, unit: b.Unit, whole: b.Whole, prior: -1}
		if p.step.unit == "" {
			p.step.unit = u.l.unit
		}
		if at, ok := u.before[key]; ok {
			p.step.prior = at
		}
	default:
		unit := b.Unit
		if unit == "" {
			unit = u.l.unit
		}
		if u.l.from && b.From == "" {
			b.From = lasts[key]
			if b.From == "" {
				b.From = "0"
			}
		}
		p.bare = b.Bare
		p.from, p.up = text{said: b.From, unit: unit}, text{said: b.To, unit: unit}
		if b.FromUnit != "" {
			p.from.unit = b.FromUnit
		}
		if b.To != "" {
			lasts[key] = b.To
			if b.Unit != "" {
				lasts[key] = b.To + " " + b.Unit
			}
		}
	}
}

// sameBound says whether the last bound of a list, which may have a unit behind it, is the number above which steps
// count.
func sameBound(last, from, unit string) bool {
	number, lastUnit, _ := strings.Cut(last, " ")
	trim := func(s string) string {
		if s = strings.ReplaceAll(s, ",", "."); strings.Contains(s, ".") {
			s = strings.TrimRight(strings.TrimRight(s, "0"), ".")
		}
		return s
	}
	return trim(number) == trim(from) && (lastUnit == "" || unit == "" || lastUnit == unit)
}

// begins says whether a band of the list says where it begins: then all are to.
func (b *block) begins() bool {
	var cells []string
	for i, field := range b.mapping.Columns {
		switch {
		case field == Bands:
			cells = b.column(i)
		case field == Prices && !b.mapping.has(Bands):
			cells = append(cells, b.headText(i))
		}
	}
	for _, text := range cells {
		if one, ok := ParseBand(text); ok && one.From != "" {
			return true
		}
	}
	return false
}

// turned makes the prices of a row whose bands stand across.
func (u *unfolding) turned(row *grid.Row) {
	l := u.l
	to := u.below(l.destination(row, 0), row.Line)
	lasts := map[[7]string]string{}
	delete(u.before, to)
	for j, field := range l.mapping.Columns {
		c := &row.Cells[j]
		if field != Prices {
			continue
		}
		p := price{line: row.Line, in: l, to: to, row: row, head: l.headText(j), column: l.at + j,
			currency: l.currencies[j], sum: text{said: c.Text, number: c.Number}}
		if u.band(&p, l.headText(j), lasts); p.step != nil && c.Text == "" {
			continue
		}
		u.add(p)
	}
}

// currencyIn is a currency that a head names beside a zone: "Finland (EUR)".
var currencyIn = regexp.MustCompile(`\s*[(\[]?\b(?:[A-Z]{3}|[A-Z]{0,3}\p{Sc})[)\]]?\s*$|` +
	`\s*[(\[]\p{Sc}[)\]]\s*$|\s+\p{Sc}\s*$`)

// taxBehind is what a head says of the tax behind a zone: "France HT", "Finland (incl. VAT)".
var taxBehind = regexp.MustCompile(`(?i)\s*[(\[]?\b(?:ht|ttc|netto|brutto|(?:excl|incl|exkl|inkl|zzgl|sis|ex|inc)\.?\s*` +
	`(?:vat|mwst|tva|iva|alv|moms|tax))\.?[)\]]?\s*$`)

// priceWord is the word for a price beside a zone: "Price Finland".
var priceWord = regexp.MustCompile(`(?i)^(?:price|rate|preis|prix|precio|hinta|pris)s?\s*[:–-]?\s+|` +
	`\s+(?:price|rate)$`)

// zoneIn is the zone that a head names, without a currency or the word for a price beside it.
func zoneIn(head string) string {
	if rest := strings.TrimSpace(taxBehind.ReplaceAllString(head, "")); rest != "" {
		head = rest
	}
	if rest := minor.ReplaceAllString(head, ""); rest != "" {
		head = rest
	}
	at := currencyIn.FindStringIndex(head)
	if at != nil && at[0] > 0 {
		if beside := head[at[0]:]; world.CurrencyIn(beside) != "" || strings.ContainsFunc(beside, notes.IsSign) {
			head = strings.TrimSpace(head[:at[0]])
		}
	}
	if rest := priceWord.ReplaceAllString(head, ""); rest != "" {
		head = rest
	}
	return head
}
