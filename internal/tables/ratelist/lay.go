package ratelist

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
)

// piece is what a line covers: from one bound to another, nil for no end.
type piece struct {
	line     int
	from, to *decimal.Decimal
	given    bounds // as the list has them
}

// bounds are those of a line as the list has them, in its unit; nil where it has none.
type bounds struct{ from, to *decimal.Decimal }

// table lays the lines of each zone out along the measure, finds what contradicts and what no line covers, and
// makes the rows.
func (b *builder) table() {
	p := b.p
	for i := range p.Zones {
		p.Table.Zones = append(p.Table.Zones, p.Zones[i].ID)
	}
	pieces := make([][]piece, len(p.Zones))
	for i := range p.Lines {
		if l := &p.Lines[i]; l.Status == Taken {
			pieces[l.zone] = append(pieces[l.zone], piece{i, l.from, l.to, l.given})
		}
	}
	if b.m.By == rate.ByOrder {
		b.oneRow(pieces)
		return
	}
	var breaks []decimal.Decimal
	seen := map[decimal.Decimal]bool{} // as they are written: most zones have the same
	add := func(d decimal.Decimal) {
		if !seen[d] {
			seen[d] = true
			breaks = append(breaks, d)
		}
	}
	open := false
	for z := range pieces {
		pieces[z] = b.lay(pieces[z], p.Zones[z].Name)
		for _, one := range pieces[z] {
			if one.to == nil {
				open = true
			} else {
				add(*one.to)
			}
			if !one.from.IsZero() {
				add(*one.from)
			}
		}
	}
	slices.SortFunc(breaks, decimal.Decimal.Cmp)
	breaks = slices.CompactFunc(breaks, func(x, y decimal.Decimal) bool { return x.Cmp(y) == 0 })
	b.rows(pieces, breaks, open)
}

// rows makes the rows between the breaks, and one above the last where lines are open.
func (b *builder) rows(pieces [][]piece, breaks []decimal.Decimal, open bool) {
	t := &b.p.Table
	low := decimal.Zero
	for i := range breaks {
		at := breaks[i]
		if b.m.Edges == rate.From {
			at = low
		}
		t.Rows = append(t.Rows, rate.Row{At: &at, Charges: make([]*rate.Charge, len(pieces))})
		low = breaks[i]
	}
	switch {
	case b.m.Edges == rate.From:
		t.Rows = append(t.Rows, rate.Row{At: &low, Charges: make([]*rate.Charge, len(pieces))})
	case open:
		t.Rows = append(t.Rows, rate.Row{Charges: make([]*rate.Charge, len(pieces))})
	}
	// Row i reaches from the break before it to its own, the one behind the last break to no end.
	for z := range pieces {
		for _, one := range pieces[z] {
			first, exact := slices.BinarySearchFunc(breaks, *one.from, decimal.Decimal.Cmp)
			if exact {
				first++
			}
			last := len(t.Rows)
			if one.to != nil {
				at, _ := slices.BinarySearchFunc(breaks, *one.to, decimal.Decimal.Cmp)
				last = at + 1
			}
			for i := first; i < min(last, len(t.Rows)); i++ {
				t.Rows[i].Charges[z] = b.p.Lines[one.line].charge
			}
		}
	}
}

// oneRow makes the row of a table that goes by nothing.
func (b *builder) oneRow(pieces [][]piece) {
	row := rate.Row{Charges: make([]*rate.Charge, len(pieces))}
	for z := range pieces {
		for _, one := range pieces[z] {
			if b.clash(one, pieces[z][0]) {
				row.Charges[z] = b.p.Lines[one.line].charge
			}
		}
	}
	b.p.Table.Rows = []rate.Row{row}
}

// clash marks a line that says the same as another of its piece, or something else; true where it is the first.
func (b *builder) clash(one, other piece) bool {
	if one.line == other.line {
		return true
	}
	p, w := b.p, b.f.Words()
	l, first := &p.Lines[one.line], &p.Lines[other.line]
	if charge.Format(l.charge, w) == charge.Format(first.charge, w) {
		l.Status, l.Says = Repeats, fmt.Sprintf("says the same as line %d", first.Line)
	} else {
		l.Status = Contradicts
		l.Says = fmt.Sprintf("line %d says %s for the same, this one %s", first.Line, charge.Format(first.charge, w),
			charge.Format(l.charge, w))
		p.Usable = false
	}
	return false
}

// lay orders the pieces of a zone and gives each both ends: what a line leaves out is the bound of its
// neighbour. Ends that lie next to one another (1.99 and 2) meet.
func (b *builder) lay(list []piece, zone string) (laid []piece) {
	fromGiven := slices.ContainsFunc(list, func(p piece) bool { return p.from != nil })
	order(list, fromGiven)
	steps := stepwise(list)
	zero := decimal.Zero
	for _, one := range list {
		if one.from == nil {
			one.from = &zero
			if n := len(laid); n > 0 && !fromGiven {
				if last := laid[n-1]; last.to == nil || one.to != nil && last.to.Cmp(*one.to) == 0 {
					b.clash(one, last)
					continue
				}
				one.from = laid[n-1].to
			}
		}
		if len(laid) == 0 {
			b.lowest(&one, zone, steps)
		} else if !b.join(&laid[len(laid)-1], &one, zone) {
			continue
		}
		laid = append(laid, one)
	}
	return laid
}

// lowest has a list that begins at its least step (0.01, or 1 item) begin at 0. One that begins higher leaves a gap.
// 1 is the least step of whole numbers where the list counts in them: 1–5, 6–10, and not 1–5, 5–10.
func (b *builder) lowest(one *piece, zone string, steps bool) {
	given := one.from
	if one.given.from != nil {
		given = one.given.from
	}
	switch {
	case given.IsZero():
	case given.Cmp(least(*given)) <= 0 && (steps || b.m.By == rate.ByQuantity || given.Less(decimal.One)):
		if b.m.Edges == rate.UpTo || b.m.By == rate.ByQuantity || given.Less(decimal.One) {
			zero := decimal.Zero
			one.from = &zero
		}
	default:
		b.p.Gaps = append(b.p.Gaps, fmt.Sprintf("%s: no line covers what lies below %s (line %d)", zone, one.from,
			b.p.Lines[one.line].Line))
	}
}

// stepwise says whether a piece begins one step behind the end of the one before it.
func stepwise(list []piece) bool {
	for i := 1; i < len(list); i++ {
		last, one := &list[i-1], &list[i]
		if last.given.to != nil && one.given.from != nil && !one.given.from.Less(*last.given.to) &&
			last.given.to.Cmp(*one.given.from) != 0 && meets(*last.given.to, *one.given.from) {
			return true
		}
	}
	return false
}

// least is one of the last decimal in which a number is written.
func least(d decimal.Decimal) decimal.Decimal {
	if _, decimals, ok := strings.Cut(d.String(), "."); ok {
		return decimal.MustParse("0." + strings.Repeat("0", len(decimals)-1) + "1")
	}
	return decimal.One
}

// order sorts the pieces of a zone: by their lower bounds, or where none is given by their upper ones, one without any
// above all.
func order(list []piece, fromGiven bool) {
	lowersOnly := !slices.ContainsFunc(list, func(p piece) bool { return p.to != nil })
	key := func(p piece) decimal.Decimal {
		switch {
		case p.from != nil:
			return *p.from
		case p.to != nil && !lowersOnly:
			return *p.to
		}
		return decimal.Zero
	}
	slices.SortStableFunc(list, func(x, y piece) int {
		switch {
		case fromGiven:
			return key(x).Cmp(key(y))
		case x.to == nil || y.to == nil:
			return cmp.Compare(btoi(x.to == nil), btoi(y.to == nil))
		}
		return x.to.Cmp(*y.to)
	})
}

// join fits a piece to the one before it, and says whether it can stand there: not where both begin alike or overlap.
// What neither covers is a gap.
func (b *builder) join(last, one *piece, zone string) bool {
	switch {
	case last.from.Cmp(*one.from) == 0:
		b.clash(*one, *last)
		return false
	case last.to == nil || b.meet(last, one):
		last.to = one.from
		if b.m.Edges == rate.UpTo && b.p.Lines[last.line].to != nil {
			last.to = b.p.Lines[last.line].to
			one.from = last.to
		}
	case one.from.Less(*last.to):
		b.overlap(*one, *last)
		return false
	default:
		gap := fmt.Sprintf("%s: no line covers what lies between %s (line %d) and %s (line %d)", zone, last.to,
			b.p.Lines[last.line].Line, one.from, b.p.Lines[one.line].Line)
		b.p.Gaps = append(b.p.Gaps, gap)
	}
	return true
}

func (b *builder) overlap(one, other piece) {
	l, first := &b.p.Lines[one.line], &b.p.Lines[other.line]
	l.Status = Contradicts
	l.Says = fmt.Sprintf("it begins at %s, where line %d still reaches to %s", one.from, first.Line, other.to)
	b.p.Usable = false
}

// meet says whether a piece ends where another begins, by the ends as the list has them where it has both. Where "under
// 1" leaves 1 out and "2 and up" has 2 in, or "up to 2" is before "over 3", what lies between whole numbers is in
// neither.
func (b *builder) meet(last, one *piece) bool {
	to, from := last.to, one.from
	if last.given.to != nil && one.given.from != nil {
		to, from = last.given.to, one.given.from
	}
	if to.Cmp(*from) == 0 {
		if b.m.By == rate.ByQuantity && !slices.Contains(b.both, to.String()) {
			b.both = append(b.both, to.String())
		}
		return true
	}
	if b.m.By != rate.ByQuantity && least(*to).Cmp(decimal.One) == 0 && (b.m.Edges == rate.From || b.overs) ||
		!meets(*to, *from) {
		return false
	}
	b.next(*to, *from)
	return true
}

// next notes two ends that are next to one another.
func (b *builder) next(to, from decimal.Decimal) {
	if pair := to.String() + " and " + from.String(); !slices.Contains(b.nexts, pair) {
		b.nexts = append(b.nexts, pair)
	}
}

// meets says whether two ends are the same, or neighbours by the decimals in which the first is written.
func meets(to, from decimal.Decimal) bool {
	if to.Cmp(from) == 0 {
		return true
	}
	gap := from.Sub(to)
	return gap.Sign() > 0 && gap.Cmp(least(to)) <= 0
}

func btoi(b bool) int {
	if b {
		return 1
	}
	return 0
}
