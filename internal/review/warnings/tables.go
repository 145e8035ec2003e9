package warnings

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// tables reads the price lists of a method, in the zones by which it serves.
func (r *reader) tables(m *methodFacts) {
	for i := range m.m.Tables {
		t := &m.m.Tables[i]
		about := "methods/" + m.m.ID + "/tables/" + strconv.Itoa(i)
		r.outOfReach(m, t, about)
		r.ownTwice(m, t, about)
		if !asks(m.m) {
			r.empty(m, t, about)
		}
		for j, id := range t.Zones {
			zone := int32(r.zoneAt(id))
			if _, serves := m.zones[zone]; !serves {
				continue
			}
			c := cell{m: m.m, t: t, column: j, zone: zone, id: id, about: about}
			if class, ok := r.classOf(&c); ok {
				c.class = class
				if !asks(m.m) {
					r.gaps(&c)
				}
				r.falls(&c)
				r.jumps(&c)
				r.percents(&c)
				r.belowCosts(&c)
			}
		}
	}
}

// cell is a column of a price list that serves some address, with a class of goods that it prices.
type cell struct {
	m      *store.Method
	t      *rate.Table
	column int
	zone   int32
	id     string
	about  string
	class  string
}

func (c *cell) warning(code Code, s Severity, row int, text string) Warning {
	return Warning{Code: code, Severity: s, About: c.about + "/rows/" + strconv.Itoa(row) + "/charges/" +
		strconv.Itoa(c.column), Text: text, Method: c.m.ID, Table: c.t.ID, Zone: c.id, Row: row}
}

// classOf is a class of goods that the method takes in the zone and that this list prices; false where there is none.
func (r *reader) classOf(c *cell) (string, bool) {
	n := c.m.TermsIn(c.id).Needs
	classes := c.t.Classes
	if len(classes) == 0 {
		classes = []string{""}
		for i := range r.f.Classes {
			classes = append(classes, r.f.Classes[i].ID)
		}
	}
	for _, class := range classes {
		if t, _ := tableFor(c.m, c.id, class); t == c.t && takesClass(n, class) {
			return class, true
		}
	}
	return "", false
}

// little is the least that measures of a list are apart where two rows meet.
var little = decimal.MustParse("0.001")

// sides are what a list measures on both sides of the break between a row and the next: the last of the one, the first
// of the other, so far apart.
func sides(t *rate.Table, row int, apart decimal.Decimal) (low, high decimal.Decimal) {
	if t.By == rate.ByQuantity {
		apart = decimal.One
	}
	if t.Edges == rate.UpTo {
		at := *t.Rows[row].At
		return at, at.Add(apart)
	}
	at := *t.Rows[row+1].At
	return at.Sub(apart), at
}

// edge is where two rows meet that both have a price.
func (c *cell) edge(row int, apart decimal.Decimal) (low, high, from, to decimal.Decimal, ok bool) {
	if c.t.Rows[row].Charges[c.column] == nil || c.t.Rows[row+1].Charges[c.column] == nil {
		return low, high, from, to, false
	}
	low, high = sides(c.t, row, apart)
	if low.Sign() < 0 {
		return low, high, from, to, false
	}
	g := rate.Goods{Quantity: 1, Weight: decimal.One, Subtotal: usualSum, Distance: &decimal.Zero}
	from, ok1 := c.t.At(c.column, g, low)
	to, ok2 := c.t.At(c.column, g, high)
	return low, high, from, to, ok1 && ok2
}

var grows = map[rate.By]string{
	rate.ByWeight:   "a heavier parcel",
	rate.ByBilled:   "a larger parcel",
	rate.ByQuantity: "an order of more goods",
	rate.ByDistance: "a longer way",
}

// measured is an order that measures so much of what a list looks at.
func (r *reader) measured(c *cell, x decimal.Decimal, low, high decimal.Decimal) *quote.Request {
	want := goods{class: &c.class}
	switch c.t.By {
	case rate.ByWeight, rate.ByBilled:
		want.weight = &x
	case rate.BySubtotal:
		want.subtotal = &x
	case rate.ByQuantity:
		want.quantity = x.Whole(0, false, quote.MaxQuantity)
	case rate.ByDistance:
		to, ok := r.addressAt(c.m, c.zone, low, high)
		if !ok {
			return nil
		}
		want.to = &to
	}
	return r.order(c.m, c.zone, want)
}

// falls finds prices that fall as the parcel grows: a heavier one, one with more goods, one that goes farther. In a
// list by the sum of the goods that is a reward and meant.
func (r *reader) falls(c *cell) {
	if c.t.By == rate.ByOrder || c.t.By == rate.BySubtotal {
		return
	}
	for row := range max(len(c.t.Rows)-1, 0) {
		low, high, from, to, ok := c.edge(row, little)
		if !ok || !to.Round(r.u.Digits).Less(from.Round(r.u.Digits)) {
			continue
		}
		at := high
		if c.t.Edges == rate.UpTo {
			at = low
		}
		w := c.warning(
			PriceFalls,
			Loses,
			row+1,
			fmt.Sprintf("at %s the price falls from %s to %s, so that %s costs less",
				r.u.Measure(c.t.By, at), r.money(from.Round(r.u.Digits)), r.money(to.Round(r.u.Digits)), grows[c.t.By]),
		)
		share := at.Mul(little) // how far from the break an address may lie
		w.beside = r.measured(c, low, at.Sub(share), at)
		w.Witness = r.measured(c, high, at, at.Add(share))
		if w.Witness == nil || w.beside == nil {
			continue // no buyer lives so far away
		}
		if c.t.By != rate.ByDistance {
			w.beside.To = w.Witness.To
		}
		if r.sayIf(w, less(c.m.ID)) { // a minimum, or free delivery, may hide it
			return
		}
	}
}

// gaps finds rows in which nothing is offered although a row above and a row below in the same column have prices.
func (r *reader) gaps(c *cell) {
	priced := func(row int) bool { return c.t.Rows[row].Charges[c.column] != nil }
	first, last := len(c.t.Rows), -1
	for row := range c.t.Rows {
		if priced(row) {
			first, last = min(first, row), row
		}
	}
	for row := first + 1; row < last; row++ {
		if priced(row) {
			continue
		}
		low, high := spanOf(c.t, row)
		x := low
		if c.t.Edges == rate.UpTo {
			x = high // which belongs to the row
		}
		end := row
		for !priced(end + 1) {
			end++
		}
		_, to := spanOf(c.t, end)
		said := func(d decimal.Decimal) string {
			if c.t.By == rate.BySubtotal {
				return r.money(d)
			}
			return r.u.Measure(c.t.By, d)
		}
		w := c.warning(Gap, Deters, row, fmt.Sprintf("nothing is offered between %s and %s, although there are prices below and above",
			said(low), said(to)))
		if w.Witness = r.measured(c, x, low, high); w.Witness != nil && r.sayIf(w, noRate(c.m.ID)) {
			return
		}
	}
}

// ownTwice finds goods that travel each in a parcel of their own where the one price of a list is for a parcel: two of
// them are charged twice.
func (r *reader) ownTwice(m *methodFacts, t *rate.Table, about string) {
	if t.By != rate.ByOrder || t.Per != rate.PerParcel {
		return
	}
	method, table := m.m.ID, t.ID
	for i := range r.f.Products {
		p := &r.f.Products[i]
		if !p.NeedsShipping || !p.OwnParcel || p.ShipsFree {
			continue
		}
		for _, zone := range m.served() {
			id := r.f.Zones[zone].ID
			if in, column := tableFor(m.m, id, p.Class); in != t || t.Rows[0].Charges[column] == nil ||
				!takesClass(m.m.TermsIn(id).Needs, p.Class) {
				continue
			}
			w := Warning{Code: OwnParcelTwice, Severity: Deters, About: about + "/per", Method: method, Table: table, Zone: id,
				Text: "two of " + cmp.Or(p.Name, p.SKU) + " are charged its one price twice, because each travels in a parcel of " +
					"its own and the price is for a parcel, not for the order",
				Witness: r.product(p, 2, r.addressIn(m.m, zone)),
				Mend: &Mend{"Price the whole order in " + methodName(m.m), func(f *store.File) error {
					m, err := methodIn(f, method)
					if err != nil {
						return err
					}
					t := m.Table(table)
					if t == nil || t.By != rate.ByOrder || t.Per == rate.PerOrder {
						return ErrMoved
					}
					for i := range m.Tables {
						if &m.Tables[i] == t || m.Classes == store.Dearest { // of which all price the same
							m.Tables[i].Per = rate.PerOrder
						}
					}
					return nil
				}}}
			w.Witness.Parcels = true
			if r.sayIf(w, paidTwice(method, id, table)) {
				return
			}
		}
	}
}

// jumps finds breaks at which a little more of goods, or one item more, costs more delivery than it is worth.
func (r *reader) jumps(c *cell) {
	if c.t.By != rate.BySubtotal && c.t.By != rate.ByQuantity {
		return
	}
	step := decimal.MustParse("0.10")
	if r.u.Digits == 0 {
		step = decimal.One
	}
	var cheapest *store.Product
	if c.t.By == rate.ByQuantity {
		if cheapest = r.cheapest(c.m.TermsIn(c.id).Needs); cheapest == nil || cheapest.Price.Sign() <= 0 {
			return
		}
		step = cheapest.Price
	}
	for row := range max(len(c.t.Rows)-1, 0) {
		low, high, from, to, ok := c.edge(row, step)
		if !ok || !step.Less(to.Sub(from)) {
			continue
		}
		at := high
		if c.t.Edges == rate.UpTo {
			at = low
		}
		jump := r.money(to.Sub(from).Round(r.u.Digits))
		w := c.warning(
			PriceJumps,
			Deters,
			row+1,
			fmt.Sprintf("a buyer who adds %s of goods at %s pays %s more", r.money(step),
				r.money(at), jump),
		)
		w.Witness, w.beside = r.measured(c, high, high, high), r.measured(c, low, low, low)
		if cheapest != nil {
			w.Text = fmt.Sprintf("a buyer who adds %s at %s to %s pays %s more delivery for it", cmp.Or(cheapest.Name,
				cheapest.SKU), r.money(step), r.u.Measure(rate.ByQuantity, low), jump)
			for _, q := range []*quote.Request{w.Witness, w.beside} {
				q.Lines[0].Product = *cheapest
			}
		}
		if r.sayIf(w, more(c.m.ID, step)) {
			return
		}
	}
}

// percents finds percentages without a bound, and those above a hundred.
func (r *reader) percents(c *cell) {
	maximum := c.m.TermsIn(c.id).Maximum
	for i := range c.t.Rows {
		charge := c.t.Rows[i].Charges[c.column]
		if charge == nil || charge.Percent == nil {
			continue
		}
		high := decimal.Hundred.Less(*charge.Percent)
		if !high && (maximum != nil || c.t.By == rate.BySubtotal && i < len(c.t.Rows)-1) {
			continue
		}
		w := c.warning(
			PercentOpen,
			Deters,
			i,
			charge.Percent.String()+" % of goods has no bound. Set what it costs at most",
		)
		if high {
			w = c.warning(PercentHigh, Deters, i,
				charge.Percent.String()+" % of goods is more than the goods cost: is that meant?")
		}
		q := r.inRow(c, i)
		if q == nil {
			continue
		}
		w.Witness = q
		if r.sayIf(w, share(c.m.ID, *charge.Percent, r.u.Digits, maximum != nil)) {
			return
		}
	}
}

// dear is the sum of an order with which a percentage without a bound is shown.
var dear = decimal.FromInt(10_000)

// inRow is an order of dear goods that a row prices; nil where none can be made.
func (r *reader) inRow(c *cell, row int) *quote.Request {
	low, high := spanOf(c.t, row)
	x := low
	if c.t.Edges == rate.UpTo {
		x = low.Add(little)
		if c.t.By == rate.ByQuantity {
			x = low.Add(decimal.One)
		}
	}
	if c.t.By == rate.BySubtotal {
		q := r.measured(c, decimal.Zero, low, high)
		sum := clamp(&store.Bounds{From: &x}, dear)
		if row < len(c.t.Rows)-1 || c.t.Edges == rate.UpTo && c.t.Rows[row].At != nil { // it ends
			sum = low.Add(high.Sub(low).Quo(decimal.FromInt(2)).Round(r.u.Digits))
		}
		q.Lines[0].Product.Price = sum
		return q
	}
	q := r.measured(c, x, low, high)
	if q == nil {
		return nil
	}
	n := c.m.TermsIn(c.id).Needs
	sum := dear
	if n != nil {
		sum = clamp(n.Subtotal, dear)
	}
	l := &q.Lines[0]
	l.Product.Price = sum.Quo(decimal.FromInt(l.Quantity)).Round(r.u.Digits)
	return q
}

// spanOf is what a row covers; without an end, twice as far as it begins.
func spanOf(t *rate.Table, row int) (low, high decimal.Decimal) {
	if t.By == rate.ByOrder {
		return low, low
	}
	if t.Edges == rate.UpTo {
		if row > 0 {
			low = *t.Rows[row-1].At
		}
		if at := t.Rows[row].At; at != nil {
			return low, *at
		}
	} else {
		low = *t.Rows[row].At
		if row+1 < len(t.Rows) {
			return low, *t.Rows[row+1].At
		}
	}
	return low, low.Mul(decimal.FromInt(2)).Add(decimal.One)
}

// outOfReach finds rows that no order within the method's conditions gets to. Lower bounds do not count: a list may
// price less than all goods of an order.
func (r *reader) outOfReach(m *methodFacts, t *rate.Table, about string) {
	if t.By == rate.ByOrder {
		return
	}
	for i := range t.Rows {
		low, high := spanOf(t, i)
		if t.Edges == rate.UpTo && i == 0 {
			continue
		}
		zone, reason, all := int32(-1), "", true
		for _, id := range t.Zones {
			z := int32(r.zoneAt(id))
			if _, serves := m.zones[z]; !serves {
				all = false
				continue
			}
			limit, why := r.limitIn(m.m, id, t.By)
			if limit == nil || low.Less(*limit) || t.Edges == rate.From && low.Cmp(*limit) == 0 {
				zone, reason = -1, ""
				break
			}
			zone, reason = z, why
		}
		if reason == "" {
			continue
		}
		w := Warning{Code: RowUnreachable, Severity: Untidy, About: about + "/rows/" + strconv.Itoa(i), Method: m.m.ID,
			Table: t.ID, Row: i, Text: "no order gets to the row " + t.RowWords(i, r.u) + ": " + reason}
		if all { // prices of a zone that is off are kept
			w.Mend = r.removeRow(m.m, t, i)
		}
		c := cell{m: m.m, t: t, column: slices.Index(t.Zones, r.f.Zones[zone].ID), zone: zone, id: r.f.Zones[zone].ID}
		if class, ok := r.classOf(&c); ok {
			c.class = class
			x := low.Add(little)
			if t.By == rate.ByQuantity {
				x = low.Add(decimal.One)
			}
			w.Witness = r.measured(&c, x, low, high)
		}
		r.sayIf(w, refuses(m.m.ID))
	}
}

// limitIn is the most that a method takes in a zone of what a list measures, with the reason; nil for no limit.
func (r *reader) limitIn(m *store.Method, zone string, by rate.By) (*decimal.Decimal, string) {
	if b := boundOf(m.TermsIn(zone).Needs, by); b != nil && b.To != nil {
		return b.To, "this method takes up to " + r.u.Measure(by, *b.To)
	}
	if by == rate.ByWeight && m.Parcels != nil && m.Parcels.MaxWeight != nil {
		return m.Parcels.MaxWeight, "a parcel weighs at most " + r.u.Measure(by, *m.Parcels.MaxWeight)
	}
	return nil, ""
}

// removeRow is the mend that removes a row at the end of a list; nil for others, whose break says what the next row
// has, and for one with the only price of a column.
func (r *reader) removeRow(m *store.Method, t *rate.Table, row int) *Mend {
	if row != len(t.Rows)-1 || row == 0 {
		return nil
	}
	for j := range t.Zones {
		if t.Rows[row].Charges[j] != nil &&
			!slices.ContainsFunc(t.Rows[:row], func(other rate.Row) bool { return other.Charges[j] != nil }) {
			return nil
		}
	}
	id, list, words := m.ID, t.ID, t.RowWords(row, r.u)
	return &Mend{"Remove the row " + words + " from " + methodName(m), func(f *store.File) error {
		t, err := tableIn(f, id, list)
		if err != nil {
			return err
		}
		if n := len(t.Rows); n > 1 && t.RowWords(n-1, f.Store.Units()) == words {
			t.Rows = t.Rows[:n-1]
			return nil
		}
		return ErrMoved
	}}
}

// empty finds columns in which nothing is offered, beside others that have prices: no broader zone stands in for them.
func (r *reader) empty(m *methodFacts, t *rate.Table, about string) {
	var none []int
	for j := range t.Zones {
		if !slices.ContainsFunc(t.Rows, func(row rate.Row) bool { return row.Charges[j] != nil }) {
			none = append(none, j)
		}
	}
	if len(none) == len(t.Zones) || len(t.Rows) == 0 {
		return
	}
	for _, j := range none {
		zone := int32(r.zoneAt(t.Zones[j]))
		if _, counts := m.columns[zone]; !counts || !m.m.TermsIn(t.Zones[j]).Enabled {
			continue
		}
		w := Warning{Code: ColumnEmpty, Severity: Deters, About: about + "/zones/" + strconv.Itoa(j), Method: m.m.ID,
			Table: t.ID, Zone: t.Zones[j], Row: -1,
			Text: "nothing is offered in this column, and no broader zone stands in for it"}
		c := cell{m: m.m, t: t, column: j, zone: zone, id: t.Zones[j]}
		if class, ok := r.classOf(&c); ok {
			w.Witness = r.order(m.m, zone, goods{class: &class})
		}
		r.sayIf(w, refuses(m.m.ID))
	}
}
