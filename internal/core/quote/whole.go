package quote

import (
	"strconv"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// whole is what a table per order measures of all parcels that hold its goods: the sums of what it would measure in each,
// and the largest of their distances.
type whole struct {
	used    bool
	parcels int64
	goods   rate.Goods // its distance is nil where that of a parcel is not known
	unknown bool
	from    string // of the farthest parcel, or of the first whose distance is not known
	ways    []way
}

// add adds parcels that are alike.
func (w *whole) add(g *rate.Goods, count int64, from string, way *way) {
	n := decimal.FromInt(count)
	first := !w.used
	w.used, w.parcels = true, w.parcels+count
	w.goods.Weight = w.goods.Weight.Add(g.Weight.Mul(n))
	w.goods.Subtotal = w.goods.Subtotal.Add(g.Subtotal.Mul(n))
	w.goods.Quantity += g.Quantity * count
	w.ways = append(w.ways, *way)
	switch d := g.Distance; {
	case w.unknown:
	case d == nil:
		w.unknown, w.goods.Distance, w.from = true, nil, from
	case first || w.goods.Distance.Less(*d):
		w.goods.Distance, w.from = d, from
	}
}

// wholes has the tables per order price what the parcels come to: all of them, or the dearest.
func (p *pricing) wholes(results []priced) (worst Refusal) {
	type made struct {
		table, row int
		amount     decimal.Decimal
	}
	dearest, used := made{table: -1}, 0
	for i := range results {
		r := &results[i]
		if !r.whole.used {
			continue
		}
		used++
		c := p.s.tables[i]
		amount, row, outcome := c.table.Price(c.column, &r.whole.goods)
		switch {
		case outcome != rate.Priced:
			worst = graver(worst, p.unpriced(c, row, &r.whole.goods, outcome, r.whole.from))
		case p.m.Classes != store.Dearest:
			p.noteWhole(r, c, row, amount)
		case dearest.table < 0 || dearest.amount.Less(amount):
			dearest = made{i, row, amount}
		}
	}
	if worst.Code == "" && dearest.table >= 0 {
		r := &results[dearest.table]
		if p.noteWhole(r, p.s.tables[dearest.table], dearest.row, dearest.amount) && used > 1 {
			r.text = append(r.text, ", the dearest of "+strconv.Itoa(used)+" tables"...)
		}
	}
	return worst
}

// noteWhole writes a table's line; false where nobody reads it.
func (p *pricing) noteWhole(r *priced, c column, row int, amount decimal.Decimal) bool {
	r.amount = r.amount.Add(amount)
	if !p.open(r, c.table, row) {
		return false
	}
	if w := &r.whole; w.parcels > 1 {
		r.text = strconv.AppendInt(r.text, w.parcels, 10)
		r.text = p.e.units.AppendMeasure(append(r.text, " parcels together, "...), rate.ByWeight, w.goods.Weight)
		r.text = append(r.text, ": "...)
	}
	r.text = c.table.AppendReckoning(r.text, c.column, row, &r.whole.goods, amount, p.e.units)
	for i := range r.whole.ways {
		r.reached(c, row, &r.whole.ways[i])
	}
	return true
}
