package ratelist

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/grid"
)

// Choices are what somebody who looks at a list sets otherwise than it was made out. The zero value leaves all as it
// was
// found.
type Choices struct {
	grid.Options
	Head    int           // the line of the heads; 0 as found
	List    int           // which of several lists of the sheet, from 1; 0 for all that go together
	Columns map[int]Field // by the column of the sheet, from 0
	// OnlyColumns says that columns that are not among Columns are not used.
	OnlyColumns bool
	By          rate.By    // "" as found
	Edges       rate.Edges // "" as found
	Decimal     byte       // '.' or ','; 0 as each column shows
	Unit        string     // of bounds that name none
	Country     string     // of codes that name none; "" for the shop's
	// Places are for zones, by their names in the list as [ZoneKey] has them, a zone's id or places as they are typed.
	Places  map[string]string
	Rate    *decimal.Decimal // what one unit of the list's currency is in the shop's
	Percent *decimal.Decimal // what is added to all prices, above −100
	Settled []string         // codes of questions that are answered by leaving things as they are
	Key     []byte           // a file that says where the zones of the list are
	Into    string           // the method whose list is updated; "" for none
	Table   string           // the id of that list; "" where the method has one alone
}

// Reading is what was made of a file.
type Reading struct {
	Grid     *grid.Grid
	Head     int      // the line of the heads
	Lists    []string // what the lists of the sheet are called
	At       int      // the first column of the list in the sheet
	Mapping  Mapping
	Heads    []string // of the columns
	Unit     string   // of the bounds, as the list names it; "" for the shop's
	Decimal  byte     // of the prices; 0 where none shows it
	Currency string   // of the prices
	Found    []string // in sentences, what had to be made out
	Skipped  []grid.Skipped
	Asks     []grid.Ask
	Missing  string // what the columns lack; "" where there is a plan
	Plan     *Plan  // nil where something is missing
	Updates  []Update
	New      []Own             // lists of a table that Diadrom wrote for methods that the shop does not have
	fault    string            // what makes the store no store file; "" where nothing does
	Unknown  []string          // the names of zones that nothing explains
	Percents []decimal.Decimal // that the file says come on top of its prices
}

// opening is a file while it is read.
type opening struct {
	f     *store.File
	typed typed.Reader
	c     Choices
	r     *Reading
	into  *rate.Table
	asks  *grid.Asks
	zones map[string]bool // the folded names and the ids of the shop's zones
	mixed bool            // prices are in several other currencies
	units []string
}

// Open reads a file with price lists for a store: one price a line, zones across and bands down or the other way round,
// several lists side by side or beneath one another, or a table that [Cells] or [Grid] wrote. What is not certain is
// asked. Its errors are those of [grid.Read], and [*grid.Error] where the choices cannot be.
func Open(data []byte, f *store.File, reader typed.Reader, c Choices) (*Reading, error) {
	g, err := grid.Read(data, c.Options)
	if err != nil {
		return nil, err
	}
	o := &opening{f: f, typed: reader, c: c, r: &Reading{Grid: g, Currency: f.Store.Currency}, asks: grid.NewAsks(c.Settled)}
	if c.Country != "" {
		o.typed.Home = c.Country
	}
	if o.into, err = target(f, c); err != nil {
		return nil, err
	}
	defer func() { o.r.Asks = o.asks.List }()
	if o.own(g) {
		return o.r, nil
	}
	l := blocksOf(g, c.Head)
	lists := o.lists(l)
	if c.Sheet == "" && len(g.Sheets) > 1 {
		if g, l, lists, err = o.sheets(data, g, l, lists); err != nil {
			return nil, err
		}
		o.r.Grid = g
	}
	if len(c.Key) > 0 {
		if err := o.keyFile(c.Key, l); err != nil {
			return nil, err
		}
	}
	o.r.Skipped = l.skipped
	o.read(l, lists)
	return o.r, nil
}

// ZoneKey is the key of [Choices.Places] for a zone as the list calls it.
func ZoneKey(name string) string { return world.Fold(strings.TrimSpace(name)) }

// target is the list that a file updates; nil for none.
func target(f *store.File, c Choices) (*rate.Table, error) {
	if c.Into == "" {
		return nil, nil
	}
	m := f.Method(c.Into)
	switch {
	case m == nil:
		return nil, &grid.Error{Reason: fmt.Sprintf("this shop has no delivery method %.40q", c.Into)}
	case len(m.Tables) == 0:
		return nil, nil
	case c.Table == "" && len(m.Tables) == 1:
		return &m.Tables[0], nil
	}
	for i := range m.Tables {
		if m.Tables[i].ID == c.Table {
			return &m.Tables[i], nil
		}
	}
	var names []string
	for i := range m.Tables {
		names = append(names, m.ID+"/"+m.Tables[i].ID)
	}
	return nil, &grid.Error{Reason: fmt.Sprintf("%s has several rate tables: name one of %s", m.Name,
		strings.Join(names, ", "))}
}

// unit notes a unit that the list names.
func (o *opening) unit(in string) {
	if o.r.Unit == "" {
		o.r.Unit = in
	}
}

func (o *opening) found(format string, values ...any) {
	if text := fmt.Sprintf(format, values...); !slices.Contains(o.r.Found, text) {
		o.r.Found = append(o.r.Found, text)
	}
}

// isZone says whether a text is the name of a zone of the shop.
func (o *opening) isZone(name string) bool {
	if o.zones == nil {
		o.zones = map[string]bool{}
		for i := range o.f.Zones {
			o.zones[world.Fold(o.f.Zones[i].Name)], o.zones[o.f.Zones[i].ID] = true, true
		}
	}
	return name != "" && (o.zones[name] || o.zones[world.Fold(name)])
}

// lists are the blocks of a sheet that have prices.
func (o *opening) lists(l *layout) (lists []*list) {
	for _, b := range l.blocks {
		b.mapping = b.guess(o.isZone)
		changed := false
		for i := range b.mapping.Columns {
			if field, ok := o.c.Columns[b.at+i]; ok || o.c.OnlyColumns {
				changed = changed || b.mapping.Columns[i] != field
				b.mapping.Columns[i] = field
			}
		}
		if changed {
			b.mapping.Edges = b.edges(b.mapping)
		}
		if o.c.By != "" {
			b.mapping.By = o.c.By
		}
		switch {
		case o.into != nil && o.into.Edges != "" && o.into.Edges != b.mapping.Edges &&
			b.mapping.has(Price, Prices, PerWeight):
			b.bend(o)
		case o.c.Edges != "":
			b.mapping.Edges = o.c.Edges
		}
		switch {
		case b.mapping.has(Price, Prices, PerWeight) && len(b.rows) > 0:
			lists = append(lists, (&list{block: b}).apart()...)
		case len(l.blocks) == 1:
		case len(b.rows) == 0 && !b.keyish():
			l.orphans = append(l.orphans, b.head)
			l.skipped = append(l.skipped, grid.Skipped{Line: b.head.Line, Text: b.head.Said(),
				Why: "no prices stand below it"})
		default:
			for i := range b.rows {
				l.skipped = append(l.skipped, grid.Skipped{Line: b.rows[i].Line, Text: b.rows[i].Said(), Why: "no price is in it"})
			}
		}
	}
	return lists
}

// bend has the bounds of a list that is to update another count as in that.
func (b *block) bend(o *opening) {
	b.mapping.Edges = o.into.Edges
	o.asks.Add(AskEdges,
		fmt.Sprintf("By its words this file counts its bounds as “%s”, and the list that it updates as “%s”. "+
			"They are taken as in the list.", edgeWords(b.edges(b.mapping)), edgeWords(o.into.Edges)))
}

func edgeWords(e rate.Edges) string {
	return map[rate.Edges]string{rate.UpTo: "up to and including", rate.From: "from the bound on"}[e]
}

// maxOtherSheets is how many further sheets are looked into.
const maxOtherSheets = 20

// sheets looks into the other sheets of a workbook: for prices, where the first sheet has none, and for where zones
// are.
func (o *opening) sheets(data []byte, g *grid.Grid, l *layout, lists []*list) (*grid.Grid, *layout, []*list, error) {
	var with []string
	usable := func(lists []*list) bool {
		return slices.ContainsFunc(lists, func(one *list) bool { return o.missing(one.mapping, one.block) == "" })
	}
	ok := usable(lists)
	if ok {
		with = append(with, g.Sheet)
	}
	others := key{}
	for _, name := range g.Sheets[:min(len(g.Sheets), maxOtherSheets)] {
		if name == g.Sheet {
			continue
		}
		other, err := grid.Read(data, grid.Options{Sheet: name})
		if err != nil {
			continue // an empty sheet
		}
		otherLayout := blocksOf(other, 0)
		if otherLists := o.lists(otherLayout); usable(otherLists) {
			with = append(with, name)
			if !ok {
				others.join(l.key)
				g, l, lists, ok = other, otherLayout, otherLists, true
				continue
			}
		}
		others.join(otherLayout.key)
	}
	l.key.join(others)
	if len(with) > 1 {
		o.asks.Add(AskSheet,
			fmt.Sprintf("The sheets %s have prices. The sheet %s was read: choose another where it is the one.",
				strings.Join(with, ", "), g.Sheet))
	}
	if rest := slices.DeleteFunc(slices.Clone(g.Sheets), func(n string) bool { return n == g.Sheet }); len(rest) > 0 {
		o.found("The sheet “%s” was read; the workbook has %s too.", g.Sheet, strings.Join(rest, ", "))
	}
	return g, l, lists, nil
}

// keyFile reads a file that says where the zones are.
func (o *opening) keyFile(data []byte, l *layout) error {
	g, err := grid.Read(data, grid.Options{})
	if err != nil {
		return err
	}
	before := len(l.key)
	l.key.join(blocksOf(g, 0).key)
	if len(l.key) == before {
		return &grid.Error{Reason: "the second file does not say where zones are: it needs a column with zones and one " +
			"with countries"}
	}
	return nil
}

// read reads the lists of a sheet.
func (o *opening) read(l *layout, lists []*list) {
	o.describe(l)
	for i := range l.orphans {
		o.asks.Add(AskColumns, fmt.Sprintf("Line %d looks like heads, and no prices stand below it: %s.",
			l.orphans[i].Line, l.orphans[i].Said()))
	}
	if len(lists) == 0 {
		b := o.widest(l)
		if b == nil {
			o.r.Missing = "it has no prices"
			return
		}
		o.show(b)
		o.r.Missing = o.missing(b.mapping, b)
		return
	}
	for i, one := range lists {
		o.r.Lists = append(o.r.Lists, one.name(i))
	}
	lists = o.together(lists)
	first := lists[0]
	o.show(first.block)
	if o.r.Missing = o.missing(first.mapping, first.block); o.r.Missing != "" {
		return
	}
	for _, one := range lists {
		o.prepare(one, l.key)
	}
	if slices.ContainsFunc(lists, func(one *list) bool { return one.currency != "" }) && (o.c.Rate == nil || o.mixed) {
		return
	}
	for _, one := range lists {
		one.surcharges = nil
	}
	prices := o.prices(lists)
	for _, one := range lists {
		for i := range one.surcharges {
			o.r.Skipped = append(o.r.Skipped, grid.Skipped{Line: one.surcharges[i].Line, Text: one.surcharges[i].Said(),
				Why: "a surcharge"})
			o.asks.Add(AskSurcharge, fmt.Sprintf("Line %d is a surcharge: %s. It is no part of the rate table.",
				one.surcharges[i].Line, one.surcharges[i].Said()))
		}
	}
	if len(prices) == 0 {
		o.r.Missing = "it has no prices"
		return
	}
	o.build(first, prices, l.key)
}

// widest is the block with the most rows; nil where there is none.
func (o *opening) widest(l *layout) (best *block) {
	for _, b := range l.blocks {
		if best == nil || len(b.rows) > len(best.rows) {
			best = b
		}
	}
	return best
}

// show has a block's columns be those that the reading shows.
func (o *opening) show(b *block) {
	o.r.Head, o.r.At, o.r.Mapping, o.r.Heads = b.head.Line, b.at, b.mapping, nil
	for i := range b.head.Cells {
		o.r.Heads = append(o.r.Heads, b.head.Cells[i].Text)
	}
}

// name is what a list is called.
func (l *list) name(i int) string {
	if n := len(l.titles); n > 0 {
		return l.titles[n-1].Said()
	}
	return fmt.Sprintf("List %d, line %d", i+1, l.head.Line)
}

// together are the lists that are read together: all, the one that was chosen, or the first where they do not go
// together.
func (o *opening) together(lists []*list) []*list {
	if n := o.c.List; n > 0 && n <= len(lists) {
		return lists[n-1 : n]
	}
	if len(lists) < 2 {
		return lists
	}
	apart := ""
	seen := map[string]struct {
		list int
		sum  string
	}{}
	for i, one := range lists {
		if one.mapping.By != lists[0].mapping.By || one.mapping.Edges != lists[0].mapping.Edges {
			apart = "measure different things"
		}
		for _, p := range one.unfold(nil) {
			at := p.where()
			before, twice := seen[at]
			if twice && before.list != i && before.sum != p.sum.said {
				apart = "have different prices for the same"
			}
			if !twice {
				seen[at] = struct {
					list int
					sum  string
				}{i, p.sum.said}
			}
		}
	}
	if apart == "" {
		o.found("%s were read together: %s.", plural.Count(len(lists), "list"), strings.Join(o.r.Lists, "; "))
		return lists
	}
	o.asks.Add(AskList, fmt.Sprintf("This sheet has %s that %s: %s. The first was read: choose another where it is the one.",
		plural.Count(len(lists), "list"), apart, strings.Join(o.r.Lists, "; ")))
	return lists[:1]
}

// prepare finds the unit and the currency of a list, and what stands beside it.
func (o *opening) prepare(l *list, k key) {
	unit, ok := l.unitOf(l.mapping)
	switch {
	case o.c.Unit != "":
		l.unit = o.c.Unit
	case !ok:
		o.asks.Add(AskUnit, "A head of this list names several units: choose one.")
	case l.mapping.By == rate.ByWeight || l.mapping.By == rate.ByBilled:
		l.unit = unit
	}
	if l.mapping.By == rate.ByDistance && l.unit == "" {
		for i, field := range l.mapping.Columns {
			for _, word := range strings.Fields(foldedHead(l.headText(i))) {
				if (field == Bands || field == From || field == To) && distances[word] != "" {
					l.unit = distances[word]
				}
			}
		}
	}
	if l.headless && len(o.c.Columns) == 0 {
		o.asks.Add(AskColumns, "This list has no heads. Check what its columns hold.")
	}
	o.currencies(l)
	if l.mapping.By == rate.BySubtotal {
		l.unit = l.currency
	}
	if l.mapping.has(Zone) && l.mapping.has(Country) { // the list is its own key
		z, c := l.mapping.at(Zone), l.mapping.at(Country)
		for i := range l.rows {
			if name := l.rows[i].Cells[z].Text; name != "" && !o.isZone(name) {
				k.add(name, l.rows[i].Cells[c].Text, l.rows[i].Line)
			}
		}
	}
	for i, field := range l.mapping.Columns {
		switch head := l.headText(i); {
		case field == "" && l.twice[i] != "":
			if _, chosen := o.c.Columns[l.at+i]; !chosen && !o.c.OnlyColumns {
				o.asks.Add(AskColumns, fmt.Sprintf("Two columns look like the %s. “%s” is not used: choose it where it is the one.",
					l.twice[i].Says(), head))
			}
			o.aside(l, i, head)
		case field == "" && head != "":
			o.aside(l, i, head)
		case field == Price || i == 0:
			o.note(l.head.Line, head)
		}
	}
}

// currencies finds the currency of a list and of its columns, and asks about one that is not the shop's.
func (o *opening) currencies(l *list) {
	own := o.f.Store.Currency
	l.currency, l.currencies = o.currencyOf(l), map[int]string{}
	others := map[string]bool{}
	for i, field := range l.mapping.Columns {
		if field != Price && field != Prices && field != PerWeight {
			continue
		}
		l.currencies[i] = l.currency
		if named := currencyBeside(l.headText(i), own); named != "" {
			l.currencies[i] = named
		} else if currencyBeside(l.headText(i), "XXX") != "" { // the shop's own
			l.currencies[i] = ""
		}
		if l.currencies[i] != "" {
			others[l.currencies[i]] = true
		}
	}
	switch {
	case len(others) > 1:
		names := slices.Sorted(maps.Keys(others))
		o.r.Currency, l.currency = names[0], names[0]
		o.mixed = true
		o.asks.Add(AskCurrencies, fmt.Sprintf("The prices are in several currencies: %s. Read the columns of one at a time.",
			strings.Join(names, ", ")))
	case len(others) == 1:
		for other := range others {
			o.r.Currency, l.currency = other, other
			if o.c.Rate == nil {
				o.asks.Add(AskCurrency, fmt.Sprintf("The prices are in %s, this shop's are in %s. Say what 1 %s is in %s.", other,
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
			fmt.Sprintf("The column “%s” has what comes on top of the prices: %s. Add a percentage to the "+
				"prices, or leave them as they are.", head, strings.Join(values, ", ")))
		for _, value := range values {
			o.percentIn(value)
		}
	}
	o.r.Skipped = append(o.r.Skipped, grid.Skipped{Line: l.head.Line, Text: head, Why: "the column is no part of a price"})
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
// of
// its prices themselves.
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
	other := ""
	for i := range l.rows[:min(len(l.rows), maxTitles)] {
		for j, field := range l.mapping.Columns {
			if field != Price && field != Prices {
				continue
			}
			text := l.rows[i].Cells[j].Text
			if text == "" || unpriced(text) || !strings.ContainsFunc(text, func(r rune) bool {
				return isLetter(r) || isSign(r)
			}) {
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
	if strings.ContainsFunc(text, isSign) {
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
			o.found("The heads of the columns stand in line %d. Above them: %s.", b.head.Line,
				strings.TrimSuffix(cut(strings.Join(above, " · ")), "."))
		}
		for i := range b.sections {
			o.skip(&b.sections[i].row, "a title")
		}
		for i := range b.asides {
			o.found("Line %d is a note: %s.", b.asides[i].Line, strings.TrimSuffix(cut(b.asides[i].Said()), "."))
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

// cut bounds a text that is told.
func cut(text string) string {
	if letters := []rune(text); len(letters) > maxTold {
		return string(letters[:maxTold]) + "…"
	}
	return text
}

const maxTold = 200

// missing says what a mapping lacks; "" where it can be used.
func (o *opening) missing(m Mapping, b *block) string {
	seen := map[Field]bool{}
	for _, f := range m.Columns {
		if f != "" && f != Prices && seen[f] {
			return "two columns are the " + f.String() + ": choose one"
		}
		seen[f] = true
	}
	across := seen[Prices] && !seen[From] && !seen[To] && !seen[Bands]
	switch {
	case !seen[Price] && !seen[Prices] && !seen[PerWeight]:
		return "no column is the price: choose which one is"
	case seen[Price] && seen[Prices]:
		return "one column is the price of the line and others are prices for their heads: choose one of both"
	case seen[Bands] && (seen[From] || seen[To]):
		return "one column has bands and another a bound: choose one of both"
	case m.By != rate.ByOrder && !seen[From] && !seen[To] && !seen[Bands] && !across:
		if seen[PerWeight] {
			return ""
		}
		return "no column is a bound, from or to: choose which one is, or that every order has one price"
	}
	return ""
}

// prices are those of all lists.
func (o *opening) prices(lists []*list) (out []price) {
	for _, one := range lists {
		out = one.unfold(out)
	}
	return out
}

// build makes the plan of prices.
func (o *opening) build(first *list, prices []price, k key) {
	b := &builder{
		p:        &Plan{Usable: true},
		o:        o,
		m:        first.mapping,
		f:        o.f,
		reader:   o.typed,
		key:      k,
		byPlaces: map[string]int{},
		known:    map[boundKey]knownBound{},
		seen:     map[[7]string]found{},
		prices:   prices,
		foreign:  first.currency,
	}
	if b.m.has(PerWeight) && !b.m.has(From, To, Bands, Prices) {
		b.m.By = rate.ByOrder
	}
	b.p.Table = rate.Table{ID: "list", Name: "Price list", Classes: []string{}, By: b.m.By, Edges: b.m.Edges}
	if b.m.By == rate.ByOrder {
		b.p.Table.Edges = ""
	}
	if o.c.Rate != nil {
		b.exchange = charge.Times(*o.c.Rate)
	}
	b.columns(o.c.Decimal)
	b.p.Lines = make([]Line, 0, len(prices))
	for i := range prices {
		b.p.Lines = append(b.p.Lines, b.line(i))
	}
	o.r.Plan, o.r.Decimal = b.p, b.sums.Decimal
	if b.table(); o.c.Percent != nil {
		b.percent(*o.c.Percent)
	}
	o.tell(b, first)
	if o.into != nil {
		o.r.Updates = append(o.r.Updates, o.onto(b.p))
	}
}

// percent adds a percentage to all prices.
func (b *builder) percent(p decimal.Decimal) {
	change := charge.Times(decimal.One.Add(decimal.One.Percent(p)))
	done := map[*rate.Charge]*rate.Charge{}
	for i := range b.p.Table.Rows {
		charges := b.p.Table.Rows[i].Charges
		for j, c := range charges {
			if c == nil {
				continue
			}
			if done[c] == nil {
				changed, err := change.Apply(c, b.f.Words())
				if err != nil {
					changed = c
				}
				done[c] = changed
			}
			charges[j] = done[c]
		}
	}
}

// unlikely is the bound from which a list without a unit is hardly in the shop's: parcels above 250 kg are rare, and a
// price list by grams ends at 500 or more. Below least, weights in a shop that counts grams are hardly grams. Common
// practice, no source.
var unlikely = map[string]struct{ most, least string }{
	"kg": {"250", ""}, "lb": {"550", ""}, "g": {"", "60"}, "oz": {"", "4"},
}

// rows are what the rows of a list go by.
func rows(by rate.By) string {
	return map[rate.By]string{rate.ByWeight: "weights", rate.ByBilled: "billed weights",
		rate.BySubtotal: "order values",
		rate.ByQuantity: "numbers of items", rate.ByDistance: "distances", rate.ByOrder: "prices"}[by]
}

// tell says what the plan rests on, and asks what it leaves open.
func (o *opening) tell(b *builder, first *list) {
	m := first.mapping
	switch {
	case m.has(Prices) && m.has(Bands, From, To):
		o.found("Zones stand across, and %s down.", rows(m.By))
	case m.has(Prices):
		o.found("%s stand across, and zones down.", strings.ToUpper(rows(m.By)[:1])+rows(m.By)[1:])
	case m.has(Bands):
		o.found("The column “%s” has bands, which are read as from and to.", first.headText(m.at(Bands)))
	}
	if m.By == rate.ByOrder {
		o.found("Every order has one price.")
	}
	if slices.ContainsFunc(b.prices, func(p price) bool { return p.bare }) && m.Edges == rate.UpTo {
		o.found("A number alone counts as “up to”.")
	}
	if shop := o.f.Store.WeightUnit; o.r.Unit != "" && o.r.Unit != shop {
		o.found("Weights are in %s, and made %s.", o.r.Unit, shop)
	}
	if first.currency != "" && o.c.Rate != nil {
		o.found("Prices are in %s, and made %s: 1 %s is %s %s.", first.currency, o.f.Store.Currency, first.currency, o.c.Rate,
			o.f.Store.Currency)
	}
	if b.empty {
		o.found("Cells without a price are not offered.")
	}
	if limit, ok := unlikely[o.f.Store.WeightUnit]; ok && b.most != nil && o.c.Unit == "" && o.r.Unit == "" &&
		(limit.most != "" && decimal.MustParse(limit.most).Cmp(*b.most) <= 0 ||
			limit.least != "" && b.most.Less(decimal.MustParse(limit.least))) {
		o.asks.Add(AskUnit,
			fmt.Sprintf("Nothing says in which unit the weights are. They reach to %s, which would be %s %s: "+
				"choose the unit.", b.most, b.most, o.f.Store.WeightUnit))
	}
	for _, gap := range b.p.Gaps {
		o.asks.Add(AskGap, gap+".")
	}
	for i := range b.p.Lines {
		l := &b.p.Lines[i]
		if l.Text == "" && l.Status != Taken {
			l.Text = b.prices[i].row.Said()
		}
		if l.Status == Repeats {
			o.r.Skipped = append(o.r.Skipped, grid.Skipped{Line: l.Line, Text: l.Text, Why: "it " + l.Says})
		}
	}
	for to, one := range b.seen {
		if one.err != nil && !slices.Contains(o.r.Unknown, to[0]) {
			o.r.Unknown = append(o.r.Unknown, to[0])
		}
	}
	slices.Sort(o.r.Unknown)
}
