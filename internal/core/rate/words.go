package rate

import (
	"strconv"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/plural"
)

// Units are how a store writes its measures.
type Units struct {
	Digits   int    // minor digits of the currency
	Weight   string // "kg"
	Distance string // "km"
}

// Money writes an amount with the currency's minor digits, and more only where it has more.
func (u Units) Money(d decimal.Decimal) string { return d.Fixed(u.Digits) }

// Measure writes a value of what a table measures, with its unit.
func (u Units) Measure(by By, d decimal.Decimal) string { return string(u.AppendMeasure(nil, by, d)) }

// AppendMeasure appends what Measure writes.
func (u Units) AppendMeasure(b []byte, by By, d decimal.Decimal) []byte {
	switch by {
	case BySubtotal:
		return d.Append(b, u.Digits)
	case ByWeight, ByBilled:
		return append(append(d.Append(b, 0), ' '), u.Weight...)
	case ByDistance:
		return append(append(d.Append(b, 0), ' '), u.Distance...)
	}
	b = d.Append(b, 0)
	if d.Cmp(decimal.One) == 0 {
		return append(b, " item"...)
	}
	return append(b, " items"...)
}

// RowWords says what row i covers: "up to and including 2 kg", "50.00 and over".
func (t *Table) RowWords(i int, u Units) string { return string(t.appendRow(nil, i, u)) }

func (t *Table) appendRow(b []byte, i int, u Units) []byte {
	at := t.Rows[i].At
	switch {
	case t.By == ByOrder:
		return append(b, "every order"...)
	case t.Edges == UpTo && at != nil:
		return u.AppendMeasure(append(b, "up to and including "...), t.By, *at)
	case t.Edges == UpTo && i > 0 && t.Rows[i-1].At != nil:
		return u.AppendMeasure(append(b, "above "...), t.By, *t.Rows[i-1].At)
	case t.Edges == UpTo || len(t.Rows) == 1:
		return append(append(b, "any "...), strings.ReplaceAll(string(t.By), "_", " ")...)
	case i+1 == len(t.Rows):
		return append(u.AppendMeasure(b, t.By, *at), " and over"...)
	case i == 0:
		return u.AppendMeasure(append(b, "under "...), t.By, *t.Rows[i+1].At)
	}
	b = append(u.AppendMeasure(b, t.By, *at), " to under "...)
	return u.AppendMeasure(b, t.By, *t.Rows[i+1].At)
}

// AppendReckoning writes how Price came to its amount, so that it can be followed with a pencil:
// "row up to and including 10 kg: 9.90 + 0.80 × 7 started kg above 10 = 15.50".
func (t *Table) AppendReckoning(b []byte, column, row int, g *Goods, amount decimal.Decimal, u Units) []byte {
	if t.By != ByOrder {
		b = append(b, "row "...)
	}
	b = t.appendRow(b, row, u)
	b = append(b, ": "...)
	w := terms{b: b, u: u}
	c := t.Rows[row].Charges[column]
	if t.Graduated {
		x, _ := g.measure(t.By)
		for i := 0; i <= row; i++ {
			if p := t.Rows[i].Charges[column].perUnit(t.By); p != nil {
				if part := t.part(i, x); !part.IsZero() {
					w.perUnit(p, part, t.By)
				}
			}
		}
		c = c.without(t.By)
	}
	w.charge(c, g)
	if w.n == 0 {
		return u.appendMoney(w.b, decimal.Zero)
	}
	if w.n > 1 || w.product {
		w.b = append(w.b, " = "...)
		w.b = u.appendMoney(w.b, amount)
	}
	return w.b
}

func (u Units) appendMoney(b []byte, d decimal.Decimal) []byte { return d.Append(b, u.Digits) }

// terms writes the terms of a charge as a sum.
type terms struct {
	b       []byte
	u       Units
	n       int
	product bool
}

func (w *terms) next() {
	if w.n > 0 {
		w.b = append(w.b, " + "...)
	}
	w.n++
}

func (w *terms) money(d decimal.Decimal) { w.b = w.u.appendMoney(w.b, d) }

func (w *terms) times(d decimal.Decimal, n int64, what string) {
	w.next()
	w.product = true
	w.money(d)
	w.b = append(w.b, " × "...)
	w.b = strconv.AppendInt(w.b, n, 10)
	w.b = append(w.b, what...)
}

func (w *terms) charge(c *Charge, g *Goods) {
	if c.Base != nil {
		w.next()
		w.money(*c.Base)
	}
	if c.PerItem != nil {
		w.times(*c.PerItem, g.Quantity, plural.Noun(g.Quantity, " item"))
	}
	if c.FirstItem != nil {
		w.next()
		w.money(*c.FirstItem)
		w.b = append(w.b, " first item"...)
	}
	if c.NextItem != nil && g.Quantity > 1 {
		w.times(*c.NextItem, g.Quantity-1, plural.Noun(g.Quantity-1, " more item"))
	}
	if c.PerWeight != nil {
		w.perUnit(c.PerWeight, g.Weight, ByWeight)
	}
	if c.PerDistance != nil && g.Distance != nil {
		w.perUnit(c.PerDistance, *g.Distance, ByDistance)
	}
	if c.Percent != nil {
		w.next()
		w.product = true
		w.b = c.Percent.Append(w.b, 0)
		w.b = append(w.b, " % of "...)
		w.money(g.Subtotal)
	}
}

func (w *terms) perUnit(p *PerUnit, x decimal.Decimal, by By) {
	w.next()
	w.product = true
	w.money(p.Amount)
	w.b = append(w.b, " × "...)
	w.b = p.units(x).Append(w.b, 0)
	whole := p.Every == nil || p.Every.Cmp(decimal.One) == 0
	if p.Started {
		w.b = append(w.b, " started "...)
		if !whole {
			w.b = p.Every.Append(w.b, 0)
			w.b = append(w.b, ' ')
		}
	} else {
		if !whole {
			w.b = append(w.b, '/')
			w.b = p.Every.Append(w.b, 0)
		}
		w.b = append(w.b, ' ')
	}
	switch by {
	case ByWeight, ByBilled:
		w.b = append(w.b, w.u.Weight...)
	case ByDistance:
		w.b = append(w.b, w.u.Distance...)
	default:
		w.b = append(w.b, "items"...)
	}
	if !p.above().IsZero() {
		w.b = append(w.b, " above "...)
		w.b = p.above().Append(w.b, 0)
	}
}
