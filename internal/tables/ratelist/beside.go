package ratelist

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/notes"
)

// prepare finds the unit and the currency of a list, and what stands beside it.
func (o *opening) prepare(l *list, k key) {
	if l.headless && len(o.c.Columns) == 0 {
		o.asks.Add(AskColumns, "This list has no column headings. Check what its columns hold.")
	}
	l.said = stated(o.beside(l.block), o.f.Store.Currency)
	if l.said.per == nil && l.per != "" {
		l.said.per = &perSaid{size: "1", unit: l.per, line: l.head.Line}
	}
	if l.mapping.has(PerWeight) || l.mapping.By == rate.ByOrder && !l.mapping.has(Price, Prices) {
		l.said.per = nil // a column says so
	}
	o.currencies(l)
	o.unitFor(l)
	if p := l.said.per; p != nil && p.size != "1" {
		o.asks.Add(AskSteps,
			fmt.Sprintf("Line %d says “%s”. Each price is read as one for the whole weight, in parts of %s %s.", p.line,
				p.text, p.size, p.unit))
	}
	if l.mapping.has(Zone) && l.mapping.has(Country) { // the list is its own key
		z := l.mapping.at(Zone)
		for i := range l.rows {
			if name := l.rows[i].Cells[z].Text; name != "" && !o.isZone(name) {
				k.note(name, o.placesOf(l, &l.rows[i]), l.rows[i].Line)
			}
		}
	}
	for i := range l.mapping.Columns {
		o.head(l, i)
		if f := l.mapping.Columns[i]; f == From || f == To || f == Bands || i == 0 && f == "" {
			o.whole(l, i)
		}
	}
}

// placesOf are the places that a row names beside its zone: countries, or what is narrower in one.
func (o *opening) placesOf(l *list, row *grid.Row) []string {
	to := l.destination(row, 0)
	country, region, city, codes := to[1], to[2], to[3], to[4]
	if from, end := to[5], to[6]; codes == "" && from != "" {
		if codes = from; end != "" && end != from {
			codes += "-" + end
		}
	}
	code, err := destination.Country(country)
	if err != nil || destination.Wild(region) && destination.Wild(city) && destination.Wild(codes) {
		return destination.Places(country)
	}
	if padded, err := o.zeros(l, row, code, codes); err == nil {
		codes = padded
	}
	return strings.Split(destination.Within(code, region, city, codes), ", ")
}

// whole asks about the heading of a bound that has words which are not understood: they may say that something else
// counts.
func (o *opening) whole(l *list, i int) {
	if _, chosen := o.c.Columns[l.at+i]; chosen || l.headless {
		return
	}
	if words := strangeIn(l.headText(i)); len(words) > 0 {
		o.asks.Add(AskHead, fmt.Sprintf("I do not understand “%s” in the heading “%s”. It is read as %s: choose what the column holds if "+
			"that is wrong.", strings.Join(words, " "), l.headText(i), l.mapping.Columns[i].Says()))
	}
}

// head tells a column that is not used, and asks about what the head of one that is says of its prices.
func (o *opening) head(l *list, i int) {
	field, head := l.mapping.Columns[i], l.headText(i)
	switch {
	case field == "" && l.services != nil && l.services[i] != "": // of another service
	case field == "" && l.twice[i] != "":
		if _, chosen := o.c.Columns[l.at+i]; !chosen && !o.c.OnlyColumns {
			o.asks.Add(AskColumns, fmt.Sprintf("Two columns look like the %s. “%s” is not used. Choose it instead "+
				"if it is the right one.", l.twice[i].Says(), head))
		}
		o.aside(l, i, head)
	case field == "" && i == l.least && !l.headless:
		values := slices.DeleteFunc(l.column(i), func(s string) bool { return s == "" })
		o.asks.Add(AskMinimum,
			fmt.Sprintf("The column “%s” has a minimum price for each line: %s. It is not imported: set the method's minimum "+
				"under Methods afterwards.", head, grid.Cut(strings.Join(values, ", "))))
		o.aside(l, i, head)
	case field == "" && head != "":
		o.aside(l, i, head)
	case field == "":
		for j := range l.rows {
			if text := l.rows[j].Cells[i].Text; text != "" && !l.rows[j].Cells[i].Carried {
				o.asks.AddOnce(AskColumns,
					fmt.Sprintf("Line %d has “%s” in a column without a heading. Is the decimal sign also the "+
						"separator? Choose what the column holds, or leave it out.", l.rows[j].Line, text))
				break
			}
		}
	case field == Price, i == 0, field == Prices && taxBehind.MatchString(head):
		o.note(l.head.Line, head)
	}
}

// unitFor finds the unit of the bounds of a list that name none.
func (o *opening) unitFor(l *list) {
	unit, ok := l.unitOf(l.mapping)
	switch by := l.mapping.By; {
	case o.c.Unit != "":
		l.unit = o.c.Unit
	case !ok:
		o.asks.Add(AskUnit, "A column heading names several units: choose one.")
	case by == rate.ByWeight, by == rate.ByBilled:
		if l.unit = unit; unit == "" {
			l.unit = l.said.unit
		}
	case by == rate.BySubtotal:
		l.unit = l.currency
	case by == rate.ByDistance:
		for i, field := range l.mapping.Columns {
			if field != Bands && field != From && field != To {
				continue
			}
			for _, word := range strings.Fields(foldedHead(l.headText(i))) {
				if notes.DistanceUnit(word) != "" {
					l.unit = notes.DistanceUnit(word)
				}
			}
		}
	}
}

// minor are the words for the hundredth of a currency in the heads of prices; common practice, no source.
var minor = regexp.MustCompile(`(?i)\s*[(\[](?:in )?(?:cents?|ct|cts|pence|p|senttia|snt|[oö]re|øre|c[eé]ntimos|` +
	`centimes)[)\]]|\s+(?:in )?(?:cents|pence|senttia|c[eé]ntimos|centimes)\b`)

// currencies finds the currency of a list and of its columns, and asks about one that is not the shop's.
func (o *opening) currencies(l *list) {
	own := o.f.Store.Currency
	l.currency, l.currencies = o.currencyOf(l), map[int]string{}
	l.minor = l.said.minor
	if l.said.currency != "" && l.said.currency != own && l.currency == "" {
		l.currency = l.said.currency
	}
	others := map[string]bool{}
	for i, field := range l.mapping.Columns {
		if field != Price && field != Prices && field != PerWeight {
			continue
		}
		l.currencies[i] = l.currency
		if minor.MatchString(l.headText(i)) {
			l.minor = true
		} else if m := minorIn.FindStringSubmatch(world.Fold(l.headText(i))); m != nil { // "Preis in Cent"
			of, known := minorOf[m[1]], true
			if m[1] == "ore" {
				of, known = oreOf(l.headText(i), own)
			}
			if l.minor = known; !known {
				o.asks.Add(AskNote, fmt.Sprintf("“%s” may be of several currencies. Write which one in the heading.", l.headText(i)))
			}
			if of != "" && of != own {
				l.currencies[i] = of
			}
		}
		if named := currencyBeside(l.headText(i), own); named != "" {
			l.currencies[i] = named
		} else if currencyBeside(l.headText(i), "XXX") != "" { // the shop's own
			l.currencies[i] = ""
		}
		if l.currencies[i] != "" {
			others[l.currencies[i]] = true
		}
	}
	l.own = own
	if at := l.mapping.at(Currency); at >= 0 {
		for _, text := range l.column(at) {
			if text = strings.TrimSpace(text); text != "" && !world.NamesCurrency(text, own) {
				others[text] = true
			}
		}
	}
	switch {
	case len(others) > 1:
		names := slices.Sorted(maps.Keys(others))
		o.r.Currency, l.currency = names[0], names[0]
		o.mixed = true
		o.asks.Add(AskCurrencies,
			fmt.Sprintf("The prices are in several currencies: %s. Read the columns of one at a time.",
				strings.Join(names, ", ")))
	case len(others) == 1:
		for other := range others {
			o.r.Currency, l.currency = other, other
			if o.c.Rate == nil {
				o.asks.Add(AskCurrency,
					fmt.Sprintf("The prices are in %s, this shop's are in %s. Say what 1 %s is in %s.", other,
						own, other, own))
			}
		}
	default:
		l.currency = ""
	}
}

// aside tells a column that is not used, and asks about one with what comes on top.
func (o *opening) aside(l *list, column int, head string) {
	if percentColumn(head) {
		values := slices.Compact(slices.DeleteFunc(l.column(column), func(s string) bool { return s == "" }))
		if len(values) > 3 {
			values = append(values[:3:3], "…")
		}
		o.asks.Add(AskSurcharge,
			fmt.Sprintf("The column “%s” has surcharges or discounts: %s. Add a percentage to the "+
				"prices, or leave them as they are.", head, strings.Join(values, ", ")))
		for _, value := range values {
			o.percentIn(value)
		}
	}
	o.r.Skipped = append(o.r.Skipped, grid.Skipped{Line: l.head.Line, Text: head,
		Why: "the column is not used"})
}

var percentage = regexp.MustCompile(`([0-9]+(?:[.,][0-9]+)?)\s*%?`)

// percentIn notes a percentage that comes on top of the prices.
func (o *opening) percentIn(text string) {
	m := percentage.FindStringSubmatch(text)
	if m == nil {
		return
	}
	p, err := decimal.Parse(strings.Replace(m[1], ",", ".", 1))
	if err == nil && !slices.ContainsFunc(o.r.Percents, func(d decimal.Decimal) bool { return d.Cmp(p) == 0 }) {
		o.r.Percents = append(o.r.Percents, p)
	}
}

// currencyOf is the currency of a list where it is not the shop's: that of the heads of its prices, of its titles, or
// of its prices themselves.
func (o *opening) currencyOf(l *list) string {
	own := o.f.Store.Currency
	var heads []string
	for i, field := range l.mapping.Columns {
		if field == Price || field == Prices || field == PerWeight || i == 0 {
			heads = append(heads, l.headText(i))
		}
	}
	for i := range l.titles {
		heads = append(heads, l.titles[i].Said())
	}
	for i := range l.asides {
		heads = append(heads, l.asides[i].Said())
	}
	for _, head := range heads {
		if slices.Contains([]string{"", "iso", "all"}, strings.ToLower(head)) {
			continue
		}
		if other := currencyBeside(head, own); other != "" {
			return other
		}
	}
	return l.currencyOfCells(own)
}

// currencyOfCells is the currency that the prices of a list name themselves; "" where one names the shop's, or none
// does.
func (l *list) currencyOfCells(own string) (other string) {
	for i := range l.rows[:min(len(l.rows), grid.MaxTitles)] {
		for j, field := range l.mapping.Columns {
			text := l.rows[i].Cells[j].Text
			if field != Price && field != Prices || simple(text) || unpriced(text) {
				continue
			}
			named := currencyBeside(text, own)
			if named == "" && currencyBeside(text, "XXX") != "" { // the shop's own
				return ""
			}
			if other == "" {
				other = named
			}
		}
	}
	return other
}

// currencyBeside is another currency than one's own that a text names: by a sign, or a code in capitals.
func currencyBeside(text, own string) string {
	var codes []string
	for _, word := range strings.FieldsFunc(text, func(r rune) bool { return !isLetter(r) }) {
		if len(word) == 3 && strings.ToUpper(word) == word && world.CurrencyName(word) != "" {
			codes = append(codes, word)
		}
	}
	if slices.Contains(codes, own) {
		return ""
	}
	for _, code := range codes {
		if _, country := world.CountryByCode(code); !country || len(codes) == 1 {
			return code
		}
	}
	if strings.ContainsFunc(text, notes.IsSign) {
		return world.OtherCurrency(text, own)
	}
	return ""
}

// describe tells what had to be made out of the sheet.
func (o *opening) describe(l *layout) {
	for _, text := range o.r.Grid.Found() {
		o.found("%s", text)
	}
	for _, b := range l.blocks {
		var above []string
		for i := range b.titles {
			above = append(above, b.titles[i].Said())
			o.skip(&b.titles[i], "a title")
		}
		if len(above) > 0 && !b.keyish() {
			o.found("The column headings are in line %d. Above them: %s.", b.head.Line,
				strings.TrimSuffix(grid.Cut(strings.Join(above, " · ")), "."))
		}
		for i := range b.sections {
			o.skip(&b.sections[i].row, "a title")
		}
		for i := range b.asides {
			o.found("Line %d is a note: %s.", b.asides[i].Line, strings.TrimSuffix(grid.Cut(b.asides[i].Said()), "."))
			o.skip(&b.asides[i], "a note")
		}
	}
	for i := range l.skipped {
		if l.skipped[i].Why == "a note" || l.skipped[i].Why == "a title" {
			o.note(l.skipped[i].Line, l.skipped[i].Text)
		}
	}
}

// skip tells a row beside a list, and asks about what it says.
func (o *opening) skip(row *grid.Row, why string) {
	o.r.Skipped = append(o.r.Skipped, grid.Skipped{Line: row.Line, Text: row.Said(), Why: why})
	o.note(row.Line, row.Said())
}
