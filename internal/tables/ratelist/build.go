package ratelist

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/tables/grid"
)

// missing says what a mapping lacks; "" where it can be used.
func (o *opening) missing(m Mapping, b *block) string {
	seen := map[Field]bool{}
	for _, f := range m.Columns {
		if f != "" && f != Prices && seen[f] {
			return "two columns are the " + f.String() + ": choose one"
		}
		seen[f] = true
	}
	bounded := seen[From] || seen[To]
	priced := seen[Price] || seen[Prices] || seen[PerWeight]
	switch {
	case !priced:
		return "no column is the price: choose which one is"
	case seen[Price] && seen[Prices]:
		return "one column is the price of the line and others are prices for their headings: choose one of both"
	case seen[Bands] && bounded:
		return "one column has bands and another a bound: choose one of both"
	case m.By == rate.ByOrder || bounded || seen[Bands] || seen[Prices] || seen[PerWeight]:
		return ""
	}
	return "no column is a bound, from or to: choose which one is, or that every order has one price"
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
	b.hundredths = first.minor
	b.unbounded()
	b.overs = first.overs()
	b.columns(o.c.Decimal)
	b.p.Lines = make([]Line, 0, len(prices))
	for i := range prices {
		b.p.Lines = append(b.p.Lines, b.line(i))
	}
	o.r.Plan, o.r.Decimal, o.made = b.p, b.sums.Decimal, prices
	b.asksStrange()
	b.overlaps()
	b.blank()
	b.table()
	b.jumps()
	if o.c.Percent != nil {
		b.percent(*o.c.Percent)
	}
	o.tell(b, first)
	if o.into != nil {
		o.r.Updates = append(o.r.Updates, o.onto(b.p))
	}
}

// blank asks about lines of a list with one price a line that have none: what they offer, nobody can tell.
func (b *builder) blank() {
	if !b.m.has(Price) || b.m.has(PerWeight) {
		return
	}
	var lines []string
	for i := range b.prices {
		if p := &b.prices[i]; p.sum.said == "" && p.per.said == "" && p.step == nil {
			lines = append(lines, strconv.Itoa(p.line))
		}
	}
	if len(lines) > 0 {
		b.o.asks.Add(AskBlank, fmt.Sprintf("No price in %s %s. Is the method not offered there, or is a price missing?",
			plural.Noun(int64(len(lines)), "line"), grid.Cut(strings.Join(lines, ", "))))
	}
}

// jump is how many times a price is its neighbours, above and below, where it is asked about: a decimal sign that was
// lost makes ten times or a hundred times of it, and a cell that was not filled in 0.
const jump = 5

// fixedOf is a price of a table that is a sum alone; nil for another one, or none.
func fixedOf(t *rate.Table, row, zone int) *decimal.Decimal {
	if c := t.Rows[row].Charges[zone]; c != nil {
		return fixed(c)
	}
	return nil
}

// jumps asks about prices that are far from both of their neighbours in the same column, where those are near one
// another.
func (b *builder) jumps() {
	t, told := &b.p.Table, 0
	far := func(a, c decimal.Decimal) bool { return c.Mul(decimal.FromInt(jump)).Less(a) }
	for z := range b.p.Zones {
		for i := 1; i+1 < len(t.Rows) && told < maxLeft; i++ {
			before, one, after := fixedOf(t, i-1, z), fixedOf(t, i, z), fixedOf(t, i+1, z)
			if before == nil || one == nil || after == nil || before.IsZero() || after.IsZero() ||
				far(*before, *after) || far(*after, *before) {
				continue
			}
			x, y, w := *before, *one, *after
			if far(y, x) && far(y, w) || far(x, y) && far(w, y) {
				told++
				b.o.asks.Add(AskJump, fmt.Sprintf("The price for %s in the row at %s is %s, between %s and %s. Is it right?",
					b.p.Zones[z].Name,
					t.Rows[i].At, y, x, w))
			}
		}
	}
}

// overs says whether lower bounds are outside of their bands: the heading says over, or the bands do.
func (l *list) overs() bool {
	for i, f := range l.mapping.Columns {
		name := " " + plainly(foldedHead(l.headText(i))) + " "
		switch f {
		case From:
			if slices.ContainsFunc(overOnly, func(w string) bool { return strings.Contains(name, " "+w+" ") }) {
				return true
			}
		case Bands:
			for _, text := range l.column(i) {
				if one, ok := ParseBand(text); ok && one.Over {
					return true
				}
			}
		case Prices:
			if !l.mapping.has(Bands) {
				if one, ok := ParseBand(l.headText(i)); ok && one.Over {
					return true
				}
			}
		}
	}
	return false
}

// unbounded asks about lines that say no bound and have others of their destination below them that do: a list leaves
// out the last bound alone.
func (b *builder) unbounded() {
	if b.m.By == rate.ByOrder || !b.m.has(Bands, To) {
		return
	}
	bounded := map[[7]string]bool{}
	told := map[int]bool{}
	for i := len(b.prices) - 1; i >= 0; i-- {
		p := &b.prices[i]
		if p.step != nil || p.strange != "" {
			continue
		}
		if p.up.said != "" || p.from.said != "" {
			bounded[p.to] = true
		} else if bounded[p.to] && !told[p.line] {
			told[p.line] = true
			b.o.asks.Add(AskBound,
				fmt.Sprintf("Line %d has a price but no bound, and is not the last line of its destination. It is read as the "+
					"row above all others.", p.line))
		}
	}
}

// overlaps asks about places that are in two zones of the list, or in a new one of it and another of the list that it
// updates: zones of the shop without a price there do not count.
func (b *builder) overlaps() {
	at := map[string]int{}
	told := map[[2]int]bool{}
	for z := range b.p.Zones {
		for _, words := range strings.Split(wordsOf(b.p.Zones[z].Places), "|") {
			other, twice := at[words]
			if !twice {
				at[words] = z
				continue
			}
			if told[[2]int{other, z}] {
				continue
			}
			told[[2]int{other, z}] = true
			b.o.asks.Add(AskOverlap,
				fmt.Sprintf("%s is in two zones of this list: %s and %s. The most specific zone is used, or else the first.",
					words, b.p.Zones[other].Name, b.p.Zones[z].Name))
		}
	}
	for z := range b.p.Zones {
		if !b.p.New[z] || b.o.into == nil {
			continue
		}
		mine := strings.Split(wordsOf(b.p.Zones[z].Places), "|")
		for i := range b.f.Zones {
			other := &b.f.Zones[i]
			if !slices.Contains(b.o.into.Zones, other.ID) || slices.ContainsFunc(b.p.Zones,
				func(o store.Zone) bool { return o.ID == other.ID }) {
				continue
			}
			for _, words := range strings.Split(wordsOf(other.Places), "|") {
				if slices.Contains(mine, words) {
					b.o.asks.Add(AskOverlap, fmt.Sprintf("%s is in the new zone %s and in this shop's zone %s.", words,
						b.p.Zones[z].Name,
						other.Name))
					break
				}
			}
		}
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
	o.shape(b, first)
	if b.most != nil && o.c.Unit == "" && o.r.Unit == "" && hardly(*b.most, o.f.Store.WeightUnit) {
		o.asks.Add(AskUnit, fmt.Sprintf("Nothing says in which unit the weights are. They reach to %s, which would be "+
			"%s %s: choose the unit.", b.most, b.most, o.f.Store.WeightUnit))
	}
	for _, gap := range b.p.Gaps {
		o.asks.Add(AskGap, gap+".")
	}
	for z := range b.p.Zones {
		if allFree(&b.p.Table, z) {
			o.asks.Add(AskFree, fmt.Sprintf("All prices for %s are 0. Is delivery free there, or not offered?",
				b.p.Zones[z].Name))
		}
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
		place := (&price{to: to}).place()
		if one.err != nil && !slices.Contains(o.r.Unknown, place) {
			o.r.Unknown = append(o.r.Unknown, place)
		}
	}
	slices.Sort(o.r.Unknown)
}

// allFree says whether a zone has several prices and all are numbers of 0.
func allFree(t *rate.Table, zone int) bool {
	for i := range t.Rows {
		if c := t.Rows[i].Charges[zone]; c == nil || fixed(c) == nil || !c.Base.IsZero() {
			return false
		}
	}
	return len(t.Rows) > 1
}

// hardly says whether the greatest bound of a list is hardly in a unit.
func hardly(most decimal.Decimal, unit string) bool {
	limit := unlikely[unit]
	return limit.most != "" && decimal.MustParse(limit.most).Cmp(most) <= 0 ||
		limit.least != "" && most.Less(decimal.MustParse(limit.least))
}

// shape says in which shape the list was read, and what was made of its units, its currency and its empty cells.
func (o *opening) shape(b *builder, first *list) {
	m := first.mapping
	switch {
	case m.has(Prices) && m.has(Bands, From, To):
		o.found("Zones are in columns, and %s in rows.", rows(m.By))
	case m.has(Prices):
		o.found("%s are in columns, and zones in rows.", strings.ToUpper(rows(m.By)[:1])+rows(m.By)[1:])
	case m.has(Bands):
		o.found("The column “%s” has bands, which are read as from and to.", first.headText(m.at(Bands)))
	}
	if first.unsaid && o.c.By == "" && m.By == rate.ByWeight {
		o.found("The list does not say what it goes by. It is read by weight.")
	}
	if b.most != nil && o.c.Unit == "" {
		o.found("Weights without a unit are in %s, as in this shop.", o.f.Store.WeightUnit)
	}
	if m.By == rate.ByOrder {
		o.found("Every order has one price.")
	}
	if m.Edges == rate.UpTo && slices.ContainsFunc(b.prices, func(p price) bool { return p.bare }) {
		o.found("A number alone counts as “up to”.")
	}
	if shop := o.f.Store.WeightUnit; o.r.Unit != "" && o.r.Unit != shop {
		o.found("Weights in %s were converted to %s.", o.r.Unit, shop)
	}
	if first.currency != "" && o.c.Rate != nil {
		o.found("Prices in %s were converted to %s: 1 %s is %s %s.", first.currency, o.f.Store.Currency, first.currency,
			o.c.Rate, o.f.Store.Currency)
	}
	if b.hundredths {
		o.found("Prices in hundredths of the currency were converted.")
	}
	if len(b.nexts) > 0 && m.By != rate.ByQuantity {
		o.found("%s are neighbours: what lies between them has the price of the line that begins there.",
			grid.Cut(strings.Join(b.nexts,
				", ")))
	}
	if len(b.both) > 0 {
		o.found("%s items are in two lines: the price of the line that ends there is used.",
			grid.Cut(strings.Join(b.both, ", ")))
	}
	if b.empty {
		o.found("Cells without a price are not offered.")
	}
}
