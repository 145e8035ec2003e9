package ratelist

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"diadrom/internal/core/measure"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/sheet"
)

// Unfold makes a list with one price a line of a list in another shape: zones across and bands down, the other way
// round,
// or bands in one column ("0–1 kg") of a list of lines. A list that has one price a line already stays as it is. What
// had
// to be made out is added to what is told of the table.
func Unfold(t *sheet.Table, f *store.File) *sheet.Table {
	if Lists(t) != nil || len(t.Rows) < 2 {
		return t
	}
	u := unfolding{t: t, f: f, mapping: Guess(t)}
	u.notes()
	switch {
	case slices.Contains(u.mapping.Columns, Price):
		return u.lines()
	case u.pairs():
		return u.paired()
	case u.down():
		return u.matrix()
	case u.across():
		return u.turned()
	}
	return t
}

// unfolding is a table while its shape is made out.
type unfolding struct {
	t       *sheet.Table
	f       *store.File
	mapping Mapping
	body    []sheet.Row
	found   []string
	empty   bool // some cells of the list say nothing
}

// mostly is the share of cells, in tenths, that have to be of a kind for a column or a row to be of it.
const mostly = 7

// notes parts the rows of the list from those that only say something: a single cell in a table of several columns.
func (u *unfolding) notes() {
	width := count(u.t.Rows[0].Cells)
	for _, row := range u.t.Rows[1:] {
		if _, band := ParseBand(cell(row.Cells, 0)); width > 2 && count(row.Cells) == 1 && !band {
			u.found = append(u.found, fmt.Sprintf("Line %d is a note: %s.", row.Line,
				strings.TrimSuffix(firstOf(row.Cells),
					".")))
			continue
		}
		u.body = append(u.body, row)
	}
}

// count is how many cells say something.
func count(cells []string) (n int) {
	for _, c := range cells {
		if c != "" {
			n++
		}
	}
	return n
}

func firstOf(cells []string) string {
	for _, c := range cells {
		if c != "" {
			return c
		}
	}
	return ""
}

// bands says whether most cells of a list are bands, and whether some of them say so themselves.
func bands(cells []string) (most, told bool) {
	filled, are := 0, 0
	for _, text := range cells {
		if text == "" {
			continue
		}
		filled++
		if b, ok := ParseBand(text); ok {
			are++
			told = told || !b.Bare || b.Unit != ""
		}
	}
	return filled > 0 && are*10 >= filled*mostly, told
}

// prices says whether most cells of the body behind the first column begin with a number, or say that there is no
// price.
func (u *unfolding) prices() bool {
	filled, are := 0, 0
	for _, row := range u.body {
		for _, text := range row.Cells[min(1, len(row.Cells)):] {
			if text == "" {
				continue
			}
			if filled++; strings.ContainsAny(text, "0123456789") || unpriced(text) {
				are++
			}
		}
	}
	return filled > 0 && are*10 >= filled*mostly
}

// noPrice are the cells that say that nothing is offered; common practice, no source.
var noPrice = []string{"-", "–", "—", "x", "no", "n/a", "na", "none", "not available", "not offered", "on request",
	"auf anfrage",
	"nein", "sur demande", "non", "a consultar", "ei", "pyydettaessa", "nej", "pa begaran", "/"}

func unpriced(text string) bool { return slices.Contains(noPrice, bandText(text)) }

// column is a column of the body.
func (u *unfolding) column(i int) []string {
	cells := make([]string, len(u.body))
	for j := range u.body {
		cells[j] = cell(u.body[j].Cells, i)
	}
	return cells
}

// down says whether bands go down the first column and zones across.
func (u *unfolding) down() bool {
	heads := u.t.Rows[0].Cells
	if len(heads) < 2 || count(heads[1:]) == 0 || !u.prices() {
		return false
	}
	most, told := bands(u.column(0))
	across, _ := bands(heads[1:])
	return most && (told || u.measured(heads[0])) && (!across || u.zonesAre(heads[1:]))
}

// across says whether bands go across and zones down.
func (u *unfolding) across() bool {
	heads := u.t.Rows[0].Cells
	if len(heads) < 2 || !u.prices() {
		return false
	}
	most, told := bands(heads[1:])
	return most && (told || u.measured(heads[0]))
}

// zonesAre says whether all texts are names of zones of the shop, such as numbers that look like bands.
func (u *unfolding) zonesAre(names []string) bool {
	for _, name := range names {
		if !slices.ContainsFunc(u.f.Zones, func(z store.Zone) bool {
			return world.Fold(z.Name) == world.Fold(name) || z.ID == name
		}) {
			return false
		}
	}
	return true
}

// measured says whether a head names a measure or a unit: "Weight", "kg", "Paino (kg)".
func (u *unfolding) measured(head string) bool {
	if _, by := meaning(head); by != "" {
		return true
	}
	folded := foldedHead(head)
	for _, word := range strings.Fields(folded) {
		if _, is := measure.Unit(measure.Weight, word); is || slices.Contains(weightWords, word) {
			return true
		}
	}
	return false
}

// weightWords are what the weight is called in the languages of the lists that are read.
var weightWords = []string{"weight", "gewicht", "poids", "peso", "paino", "vikt", "vekt", "vaegt"}

// line is a line of an unfolded list.
func (u *unfolding) line(number int, zone string, b *Band, text, price string) sheet.Row {
	row := sheet.Row{Line: number, Cells: []string{zone, "", "", price}}
	switch {
	case b == nil:
		row.Cells[2] = text // which refuses the line, and says why
	default:
		row.Cells[1], row.Cells[2] = withUnit(b.From, b.Unit), withUnit(b.To, b.Unit)
	}
	if price == "" {
		u.empty = true
	}
	if price == "" || unpriced(price) {
		row.Cells[3] = "no"
	}
	return row
}

// begins says whether a band of a list says where it begins: then all are to.
func begins(cells []string) bool {
	return slices.ContainsFunc(cells, func(text string) bool {
		b, ok := ParseBand(text)
		return ok && b.From != ""
	})
}

// begin has a band that does not say where it begins do so at the end of the one before it.
func (b *Band) begin(last string) {
	if b == nil || b.From != "" || b.Every != "" {
		return
	}
	number, unit, _, ok := leading(bandText(last))
	switch {
	case !ok:
		b.From = "0"
	case unit == b.Unit:
		b.From = number
	}
}

func withUnit(number, unit string) string {
	if number == "" || unit == "" {
		return number
	}
	return number + " " + unit
}

// head is the first row of an unfolded list: its bounds are in what the head of the bands says, its prices in the
// currency that the table names.
func (u *unfolding) head(bounds string) sheet.Row {
	price := "price"
	for _, text := range append(slices.Clone(u.t.Found), u.t.Rows[0].Cells...) {
		if other := world.OtherCurrency(text, u.f.Store.Currency); other != "" {
			price = "price " + other
			break
		}
	}
	bounds = unitIn(bounds)
	return sheet.Row{Line: u.t.Rows[0].Line, Cells: []string{"zone", strings.TrimSpace("from " + bounds),
		strings.TrimSpace("to " + bounds), price}}
}

// made is the unfolded table.
func (u *unfolding) made(head sheet.Row, rows []sheet.Row) *sheet.Table {
	out := *u.t
	out.Rows = append([]sheet.Row{head}, rows...)
	if u.empty {
		u.found = append(u.found, "Cells without a price are not offered.")
	}
	out.Found = append(slices.Clone(u.t.Found), u.found...)
	return &out
}

// bareTold says once that a number alone was taken for the upper bound.
func (u *unfolding) bareTold(told *bool) {
	if !*told {
		*told = true
		u.found = append(u.found, "A number alone counts as “up to”.")
	}
}

// matrix reads bands down and zones across.
func (u *unfolding) matrix() *sheet.Table {
	heads, told := u.t.Rows[0].Cells, false
	u.found = append(u.found, "Zones stand across, and weights down.")
	var rows []sheet.Row
	before := map[int]string{} // the last price of a column
	last := ""                 // the last upper bound
	begin := begins(u.column(0))
	for _, row := range u.body {
		text := cell(row.Cells, 0)
		var b *Band
		if read, ok := ParseBand(text); ok {
			if b = &read; b.Bare {
				u.bareTold(&told)
			}
		}
		if begin {
			b.begin(last)
		}
		for j := 1; j < len(heads); j++ {
			price := cell(row.Cells, j)
			if heads[j] == "" || price == "" && b != nil && b.Every != "" {
				continue
			}
			if b != nil && b.Every != "" {
				rows = append(rows, u.step(row.Line, u.zoneIn(heads[j]), b, last, before[j], price, begin))
				continue
			}
			rows = append(rows, u.line(row.Line, u.zoneIn(heads[j]), b, text, price))
			before[j] = price
		}
		if b != nil && b.To != "" {
			last = withUnit(b.To, b.Unit)
		}
	}
	return u.made(u.head(heads[0]), rows)
}

// step is a line of what each further unit costs above the last bound: the last price, and so much for each.
func (u *unfolding) step(line int, zone string, b *Band, last, before, price string, begin bool) sheet.Row {
	row := sheet.Row{Line: line, Cells: []string{zone, "", "", price}}
	if begin {
		row.Cells[1] = last
	}
	above, unit := last, u.f.Store.WeightUnit
	if number, _, _, ok := leading(bandText(last)); ok {
		above = number
	}
	if last == "" || before == "" || b.Unit != unit || bare(before) == "" || bare(price) == "" {
		row.Cells[3] = price + " for each further " + withUnit(b.Every, b.Unit) // which refuses the line
		return row
	}
	every := ""
	if b.Every != "1" {
		every = signedAs(b.Every, price) + " "
	}
	above = signedAs(above, price)
	row.Cells[3] = fmt.Sprintf("%s + %s per started %s%s above %s", bare(before), bare(price), every, unit, above)
	return row
}

// signedAs is a number with the decimal sign of another, where it has one that nobody takes for thousands.
func signedAs(number, as string) string {
	whole, rest, ok := strings.Cut(strings.Replace(number, ",", ".", 1), ".")
	switch {
	case !ok || strings.ContainsAny(rest, ".,") || len(rest) == 3 || rest == "":
		return number
	case strings.Contains(as, ","):
		return whole + "," + rest
	}
	return whole + "." + rest
}

// bare is the number of a price, without its currency; "" where there is none.
func bare(price string) string {
	text := strings.Trim(price, "€$£ \u00a0\u202fABCDEFGHIJKLMNOPQRSTUVWXYZkr")
	if text == "" || strings.Trim(text, "0123456789.,") != "" {
		return ""
	}
	return text
}

// turned reads bands across and zones down.
func (u *unfolding) turned() *sheet.Table {
	heads, told := u.t.Rows[0].Cells, false
	begin := begins(heads[1:])
	u.found = append(u.found, "Weights stand across, and zones down.")
	var rows []sheet.Row
	for _, row := range u.body {
		zone := cell(row.Cells, 0)
		before, last := "", ""
		for j := 1; j < len(heads); j++ {
			price := cell(row.Cells, j)
			b, ok := ParseBand(heads[j])
			if heads[j] == "" || price == "" && b.Every != "" {
				continue
			}
			switch {
			case !ok:
				rows = append(rows, u.line(row.Line, zone, nil, heads[j], price))
				continue
			case b.Every != "":
				rows = append(rows, u.step(row.Line, zone, &b, last, before, price, begin))
				continue
			case b.Bare:
				u.bareTold(&told)
			}
			if begin {
				b.begin(last)
			}
			rows = append(rows, u.line(row.Line, zone, &b, heads[j], price))
			if before = price; b.To != "" {
				last = withUnit(b.To, b.Unit)
			}
		}
	}
	return u.made(u.head(heads[0]), rows)
}

// pairs says whether bands stand in two columns, from and to, and zones across behind them.
func (u *unfolding) pairs() bool {
	c := u.mapping.Columns
	return len(c) > 2 && (c[0] == From && c[1] == To || c[0] == To && c[1] == From) && u.prices()
}

// paired reads bands in two columns and zones across.
func (u *unfolding) paired() *sheet.Table {
	heads := u.t.Rows[0].Cells
	u.found = append(u.found, "Zones stand across, and weights down.")
	head := u.head(heads[0])
	from, to := 0, 1
	if u.mapping.Columns[0] == To {
		from, to = 1, 0
	}
	head.Cells[1], head.Cells[2] = heads[from], heads[to]
	var rows []sheet.Row
	for _, row := range u.body {
		for j := 2; j < len(heads); j++ {
			price := cell(row.Cells, j)
			if heads[j] == "" {
				continue
			}
			line := u.line(row.Line, u.zoneIn(heads[j]), &Band{}, "", price)
			line.Cells[1], line.Cells[2] = cell(row.Cells, from), cell(row.Cells, to)
			rows = append(rows, line)
		}
	}
	return u.made(head, rows)
}

// currencyIn is a currency that a head names beside a zone: "Finland (EUR)".
var currencyIn = regexp.MustCompile(`\s*[(\[]?\b(?:[A-Z]{3}|[A-Z]{0,3}\p{Sc})[)\]]?\s*$|` +
	`\s*[(\[]\p{Sc}[)\]]\s*$|\s+\p{Sc}\s*$`)

// zoneIn is the zone that a head names, without a currency beside it.
func (u *unfolding) zoneIn(head string) string {
	at := currencyIn.FindStringIndex(head)
	if at == nil || at[0] == 0 {
		return head
	}
	if beside := head[at[0]:]; world.CurrencyIn(beside) == "" && !strings.ContainsFunc(beside, isSign) {
		return head
	}
	return strings.TrimSpace(head[:at[0]])
}

func isSign(r rune) bool { return unicode.Is(unicode.Sc, r) }

// lines reads a list with one price a line whose bounds stand in one column.
func (u *unfolding) lines() *sheet.Table {
	at := -1
	for i, field := range u.mapping.Columns {
		if field != "" && field != From && field != To {
			continue
		}
		if most, told := bands(u.column(i)); most && told && slices.ContainsFunc(u.column(i), func(text string) bool {
			b, ok := ParseBand(text)
			return ok && !b.Bare
		}) {
			at = i
			break
		}
	}
	if at < 0 || slices.Contains(u.mapping.Columns, From) && slices.Contains(u.mapping.Columns, To) {
		if len(u.found) == 0 {
			return u.t
		}
		return u.made(u.t.Rows[0], u.body)
	}
	heads := u.t.Rows[0].Cells
	name := strings.TrimSpace(heads[at])
	u.found = append(u.found, fmt.Sprintf("The column “%s” has bands, which are read as from and to.", name))
	split := func(cells []string, from, to string) []string {
		out := append(slices.Clone(cells[:min(at, len(cells))]), make([]string, max(0, at-len(cells)))...)
		out = append(out, from, to)
		return append(out, cells[min(at+1, len(cells)):]...)
	}
	unit := unitIn(name)
	head := u.t.Rows[0]
	head.Cells = split(heads, strings.TrimSpace("from "+unit), strings.TrimSpace("to "+unit))
	told := false
	var rows []sheet.Row
	for _, row := range u.body {
		text := cell(row.Cells, at)
		one := row
		one.Cells = split(row.Cells, "", text)
		if b, ok := ParseBand(text); ok && b.Every == "" {
			if b.Bare {
				u.bareTold(&told)
			}
			one.Cells = split(row.Cells, withUnit(b.From, b.Unit), withUnit(b.To, b.Unit))
		}
		rows = append(rows, one)
	}
	return u.made(head, rows)
}

// unitIn is the unit or measure that a head names, which the heads of the bounds that are made of it keep.
func unitIn(head string) string {
	for _, word := range strings.Fields(foldedHead(head)) {
		if unit, is := measure.Unit(measure.Weight, word); is && word != "t" {
			return unit
		}
	}
	if _, by := meaning(head); by != "" {
		return string(by)
	}
	return ""
}
