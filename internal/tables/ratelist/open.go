package ratelist

import (
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
)

// Choices are what somebody who looks at a list sets otherwise than it was made out. The zero value leaves all as it
// was found.
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
	Places map[string]string
	// Prices are what texts of the list that are no prices mean, by the folded text: [MeansNotOffered], or a price as one types
	// it.
	Prices map[string]string
	// Leave are the folded texts, of prices or of where parcels go, whose lines are left out.
	Leave   map[string]bool
	Rate    *decimal.Decimal  // what one unit of the list's currency is in the shop's
	Percent *decimal.Decimal  // what is added to all prices, above −100
	Zeros   destination.Zeros // what codes are that are one digit short
	Settled []string          // codes of questions that are answered by leaving things as they are
	Key     grid.Source       // a file that says where the zones of the list are
	Into    string            // the method whose list is updated; "" for none
	Table   string            // the id of that list; "" where the method has one alone
	Costs   bool              // the list says what sending costs the shop, which is without tax
}

// MeansNotOffered is what a text that stands for a price may mean.
const MeansNotOffered = "not offered"

// Strange is a text of a list that stands for a price and is none.
type Strange struct {
	Text, Reason string
	Lines        []int
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
	Unknown  []string          // the names of zones, and the places, that nothing explains
	Strange  []Strange         // texts that stand for prices and are none
	Percents []decimal.Decimal // that the file says come on top of its prices
	Ledger   *grid.Ledger      // what became of each cell; nil of a table that Diadrom wrote
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
	notes []noted         // texts of the sheet that stand beside no list
	made  []price         // that the plan was made of
}

// Open reads a file with price lists for a store: one price a line, zones across and bands down or the other way round,
// several lists side by side or beneath one another, or a table that [Cells] or [Grid] wrote. What is not certain is
// asked. Its errors are those of [grid.Read], and [*grid.Error] where the choices cannot be.
func Open(source grid.Source, f *store.File, reader typed.Reader, c Choices) (*Reading, error) {
	g, err := readGrid(source, c.Options)
	if err != nil {
		return nil, err
	}
	o := &opening{f: f, typed: reader, c: c, r: &Reading{Grid: g, Currency: f.Store.Currency},
		asks: grid.NewAsks(c.Settled)}
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
		if g, l, lists, err = o.sheets(source, g, l, lists); err != nil {
			return nil, err
		}
		o.r.Grid = g
	} else if len(g.Sheets) > 1 {
		o.zonesOfSheets(source, g, l)
	}
	if c.Key != nil {
		if err := o.keyFile(c.Key, l); err != nil {
			return nil, err
		}
	}
	if said := g.HiddenSaid(); said != "" {
		o.asks.Add(AskHidden, said)
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
	return nil, &grid.Error{Reason: fmt.Sprintf("%s has other rate tables: name one of %s", m.Name,
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
			lists = append(lists, b.byService()...)
		case len(l.blocks) == 1:
		case len(b.rows) == 0 && !b.keyish():
			l.orphans = append(l.orphans, b.head)
			l.skipped = append(l.skipped, grid.Skipped{Line: b.head.Line, Text: b.head.Said(),
				Why: "it has no prices below it"})
		default:
			for i := range b.rows {
				l.skipped = append(l.skipped, grid.Skipped{Line: b.rows[i].Line, Text: b.rows[i].Said(),
					Why: "no price is in it"})
			}
		}
	}
	return lists
}

// bend has the bounds of a list that is to update another count as in that.
func (b *block) bend(o *opening) {
	b.mapping.Edges = o.into.Edges
	o.asks.Add(AskEdges,
		fmt.Sprintf("The file's words mean “%s”, and the list that it updates counts “%s”. "+
			"The list's way is used.", edgeWords(b.edges(b.mapping)), edgeWords(o.into.Edges)))
}

func edgeWords(e rate.Edges) string {
	return map[rate.Edges]string{rate.UpTo: "up to and including", rate.From: "from the bound on"}[e]
}

// read reads the lists of a sheet.
func (o *opening) read(l *layout, lists []*list) {
	o.describe(l)
	for i := range l.orphans {
		o.asks.Add(AskColumns, fmt.Sprintf("Line %d looks like column headings, but has no prices below it: %s.",
			l.orphans[i].Line, l.orphans[i].Said()))
	}
	if len(lists) == 0 {
		b := o.widest(l)
		if b == nil {
			o.r.Missing = "it has no prices"
			return
		}
		o.show(b)
		if o.r.Missing = o.missing(b.mapping, b); o.r.Missing == "" {
			o.r.Missing = fmt.Sprintf("it has no prices below line %d, which was read as the column headings",
				b.head.Line)
		}
		return
	}
	for i, one := range lists {
		o.r.Lists = append(o.r.Lists, one.name(i))
	}
	o.r.Ledger = grid.NewLedger(o.r.Grid)
	all := lists
	lists = o.together(lists)
	first := lists[0]
	o.show(first.block)
	if o.r.Missing = o.missing(first.mapping, first.block); o.r.Missing != "" {
		return
	}
	for i := range l.skipped {
		if s := &l.skipped[i]; s.Why != whyKey && s.Why != whyHeads {
			o.notes = append(o.notes, noted{s.Line, s.Text, s.Why})
		}
	}
	for _, one := range lists {
		o.prepare(one, l.key)
	}
	defer func() {
		o.askNotes(l, lists)
		o.account(l, all, lists)
	}()
	if slices.ContainsFunc(lists, func(one *list) bool { return one.currency != "" }) && (o.c.Rate == nil || o.mixed) {
		return
	}
	for _, one := range lists {
		one.surcharges, one.carried = nil, nil
	}
	prices := o.prices(lists)
	for _, one := range lists {
		if n := len(one.carried); n > 0 {
			o.asks.Add(AskAbove, fmt.Sprintf("%s no destination, line %d first. They are read as those of the line "+
				"above.",
				map[bool]string{true: "1 line has", false: plural.Number(n) + " lines have"}[n == 1], one.carried[0]))
		}
		for i := range one.surcharges {
			o.r.Skipped = append(o.r.Skipped, grid.Skipped{Line: one.surcharges[i].Line, Text: one.surcharges[i].Said(),
				Why: "a surcharge"})
			if at := percentBehind.FindString(one.surcharges[i].Said()); at != "" {
				o.percentIn(at)
			}
			o.asks.Add(AskSurcharge, fmt.Sprintf("Line %d is a surcharge: %s. It is not in the rate table.",
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
	o.asks.Add(AskList,
		fmt.Sprintf("This sheet has %s that %s: %s. The first was read. If another is right, choose it.",
			plural.Count(len(lists), "list"), apart, strings.Join(o.r.Lists, "; ")))
	return lists[:1]
}
