package rate

import "diadrom/internal/core/decimal"

// Segment is a straight piece of a table's curve: the charge from X1 to X2. Whether its ends belong to it
// follows from the table's edges: a row "up to" has its upper end, a row "from" its lower.
type Segment struct {
	X1, X2, Y1, Y2 decimal.Decimal
	Row            int
}

// maxSteps is how many started units of a row are drawn as steps before a slope stands in for them.
const maxSteps = 120

// Curve is the charge of a column over what the table measures, from 0 to limit, for goods whose other measures
// stay as they are. Where nothing is offered, or a distance is unknown, there is no segment. A table by order
// has none.
func (t *Table) Curve(column int, goods Goods, limit decimal.Decimal) (curve []Segment) {
	if t.By == ByOrder {
		return nil
	}
	for i := range t.Rows {
		low, high := t.span(i, limit)
		if !low.Less(high) || t.Rows[i].Charges[column] == nil {
			continue
		}
		ends := append(t.steps(i, column, low, high), high)
		stepped := len(ends) > 1
		from := low
		for _, to := range ends {
			// A line through two points inside: at the ends themselves the neighbouring row may count.
			third := to.Sub(from).Quo(decimal.FromInt(3))
			y1, ok1 := t.at(column, goods, from.Add(third))
			y2, ok2 := t.at(column, goods, to.Sub(third))
			if !ok1 || !ok2 {
				break
			}
			slope := y2.Sub(y1) // over a third of the piece
			if stepped && slope.Sign() != 0 && t.onlySteps(i, column) {
				slope = decimal.Zero
			}
			curve = append(curve, Segment{from, to, y1.Sub(slope), y2.Add(slope), i})
			from = to
		}
	}
	return curve
}

// span is what row i covers, up to limit.
func (t *Table) span(i int, limit decimal.Decimal) (low, high decimal.Decimal) {
	low, high = decimal.Zero, limit
	if t.Edges == UpTo {
		if i > 0 {
			low = *t.Rows[i-1].At
		}
		if at := t.Rows[i].At; at != nil && at.Less(limit) {
			high = *at
		}
		return low, high
	}
	low = *t.Rows[i].At
	if i+1 < len(t.Rows) && t.Rows[i+1].At.Less(limit) {
		high = *t.Rows[i+1].At
	}
	return low, high
}

func (t *Table) started(i, column int) *PerUnit {
	c := t.Rows[i].Charges[column]
	var p *PerUnit
	switch t.By {
	case ByWeight, ByBilled:
		p = c.PerWeight
	case ByDistance:
		p = c.PerDistance
	}
	if p == nil || !p.Started {
		return nil
	}
	return p
}

func (t *Table) onlySteps(i, column int) bool { return t.started(i, column) != nil }

// steps lists where started units step between low and high.
func (t *Table) steps(i, column int, low, high decimal.Decimal) (at []decimal.Decimal) {
	p := t.started(i, column)
	if p == nil {
		return nil
	}
	if decimal.FromInt(maxSteps).Mul(p.every()).Less(high.Sub(low)) {
		return nil
	}
	x := p.above() // the first step that is not below the row
	if over := low.Sub(x); over.Sign() > 0 {
		x = x.Add(over.Quo(p.every()).Ceil().Mul(p.every()))
	}
	for ; x.Less(high); x = x.Add(p.every()) {
		if low.Less(x) {
			at = append(at, x)
		}
	}
	return at
}

// At is the charge of a column where the table measures x, for goods whose other measures stay as they are;
// false where nothing is offered.
func (t *Table) At(column int, goods Goods, x decimal.Decimal) (decimal.Decimal, bool) {
	return t.at(column, goods, x)
}

// at is the charge where the table measures x.
func (t *Table) at(column int, g Goods, x decimal.Decimal) (decimal.Decimal, bool) {
	switch t.By {
	case ByWeight, ByBilled:
		g.Weight = x
	case BySubtotal:
		g.Subtotal = x
	case ByDistance:
		g.Distance = &x
	case ByQuantity:
		g.Quantity = int64(x.Ceil().Float64())
	}
	row, ok := t.Row(x)
	if !ok || t.Rows[row].Charges[column] == nil {
		return decimal.Zero, false
	}
	amount, _, outcome := t.Price(column, &g)
	return amount, outcome == Priced
}
