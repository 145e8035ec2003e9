package quote

import (
	"cmp"
	"slices"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// MaxSweep is how many quotes a sweep makes at most; breaks beyond it are left out.
const MaxSweep = 300

// Swept is a quote of a sweep: of a measure at, just under or just over a break.
type Swept struct {
	At     decimal.Decimal // the measure of the goods
	Break  decimal.Decimal
	Side   int // −1 just under, 0 on, 1 just over the break
	Answer *Answer
}

// Breaks are the values at which prices may change as a measure grows (quantity, weight or subtotal), each once
// and ascending: the rows of the price lists, from where units count, bounds of the terms, and sums and numbers
// from which delivery is free. Billed weights count as weights, and those of parcels as what goods weigh in each of
// the boxes. Methods that are switched off have none.
func (e *Engine) Breaks(by rate.By) []decimal.Decimal {
	b := breaks{by: by}
	for i := range e.methods {
		m, before := e.methods[i].Method, len(b.list)
		b.terms(m.Everywhere())
		for _, t := range m.Terms {
			b.terms(t)
		}
		for j := range m.Tables {
			b.table(&m.Tables[j])
		}
		if plan := e.methods[i].plan; plan >= 0 && by == rate.ByWeight {
			b.parcels(e.plans[plan], before)
		}
	}
	slices.SortFunc(b.list, decimal.Decimal.Cmp)
	return slices.CompactFunc(b.list, func(a, b decimal.Decimal) bool { return a.Cmp(b) == 0 })
}

// breaks collects where prices and conditions change by a measure.
type breaks struct {
	by   rate.By
	list []decimal.Decimal
}

func (b *breaks) add(values ...*decimal.Decimal) {
	for _, v := range values {
		if v != nil && v.Sign() > 0 {
			b.list = append(b.list, *v)
		}
	}
}

func (b *breaks) terms(t store.Terms) {
	if n := t.Needs; n != nil {
		bounds := map[rate.By][]*store.Bounds{
			rate.ByQuantity: {n.Quantity},
			rate.ByWeight:   {n.Weight, n.BilledWeight, n.ParcelWeight},
			rate.BySubtotal: {n.Subtotal},
		}
		for _, bound := range bounds[b.by] {
			if bound != nil {
				b.add(bound.From, bound.To)
			}
		}
	}
	switch f := t.Free; {
	case f == nil:
	case b.by == rate.BySubtotal:
		b.add(f.Subtotal)
	case b.by == rate.ByQuantity && f.Quantity != nil:
		n := decimal.FromInt(*f.Quantity)
		b.add(&n)
	}
}

// parcels adds what goods weigh where their parcel comes to a break: less by the weight of the box.
func (b *breaks) parcels(p *plan, from int) {
	b.add(p.limit)
	list := slices.Clone(b.list[from:])
	for i := range p.boxes {
		for _, v := range list {
			if v = v.Sub(p.boxes[i].weight); v.Sign() > 0 {
				b.list = append(b.list, v)
			}
		}
		b.add(p.boxes[i].MaxWeight)
	}
}

func (b *breaks) table(t *rate.Table) {
	rows := t.By == b.by || t.By == rate.ByBilled && b.by == rate.ByWeight
	for i := range t.Rows {
		if rows {
			b.add(t.Rows[i].At)
		}
		for _, c := range t.Rows[i].Charges {
			if c != nil && c.PerWeight != nil && b.by == rate.ByWeight {
				b.add(c.PerWeight.Above)
			}
		}
	}
}

// costBreaks are the values at which what sending costs the shop may change as a measure grows.
func (e *Engine) costBreaks(by rate.By) []decimal.Decimal {
	b := breaks{by: by}
	for _, c := range e.costings {
		for j := range c.Tables {
			b.table(&c.Tables[j])
		}
	}
	return b.list
}

// unit is the step that is just under and just over a break: one of the goods, the least amount of money, a
// gram or a thousandth of a larger unit.
func (e *Engine) unit(by rate.By) decimal.Decimal {
	switch {
	case by == rate.BySubtotal:
		return decimal.New(1, e.units.Digits)
	case by == rate.ByWeight && e.file.Store.WeightUnit != "g":
		return decimal.New(1, 3)
	}
	return decimal.FromInt(1)
}

// Sweep quotes a request over a run of one measure, with each of its [Engine.Breaks] tested just under, on and just
// over it, and those of what sending costs the shop where the request asks for that. Of quantities it is the cart's
// first product, so many of it, and the breaks of weights and sums are tested as well, with the last number under and
// the first over them, and those from which another box is needed; of weights and sums it is one parcel of that
// measure which is like the cart in all others, its class that of the first product. A cart without goods is one of
// nothing.
func (e *Engine) Sweep(q *Request, by rate.By) []Swept {
	points := around(e.Breaks(by), e.unit(by))
	if q.Costs {
		points = append(points, around(e.costBreaks(by), e.unit(by))...)
	}
	if i := firstShipped(q); i >= 0 && by == rate.ByQuantity {
		p := &q.Lines[i].Product
		points = append(points, e.counts(rate.ByWeight, e.weight(p))...)
		points = append(points, e.counts(rate.BySubtotal, p.Price)...)
		points = append(points, around(e.filling(p), decimal.One)...)
	}
	// What is a break itself is no neighbour of another.
	slices.SortStableFunc(
		points,
		func(a, b Swept) int { return cmp.Or(a.At.Cmp(b.At), cmp.Compare(a.Side*a.Side, b.Side*b.Side)) },
	)
	points = slices.CompactFunc(points, func(a, b Swept) bool { return a.At.Cmp(b.At) == 0 })
	out := points[:0]
	var requests []Request
	for _, p := range points {
		lines, ok := e.sweptLines(q, by, p.At)
		if !ok {
			continue
		}
		asked := *q
		asked.Lines = lines
		requests = append(requests, asked)
		if out = append(out, p); len(out) == MaxSweep {
			break
		}
	}
	if e.AsksCarriers() {
		e = e.AheadOf(requests)
	}
	for i := range out {
		out[i].Answer = e.Quote(&requests[i])
	}
	return out
}

// around are the points just under, on and just over breaks.
func around(breaks []decimal.Decimal, unit decimal.Decimal) (points []Swept) {
	for _, b := range breaks {
		points = append(
			points,
			Swept{At: b.Sub(unit), Break: b, Side: -1},
			Swept{At: b, Break: b},
			Swept{At: b.Add(unit), Break: b, Side: 1},
		)
	}
	return points
}

// counts are the numbers of goods, of a measure each, around the breaks of that measure.
func (e *Engine) counts(by rate.By, each decimal.Decimal) (points []Swept) {
	if each.Sign() <= 0 {
		return nil
	}
	one := decimal.FromInt(1)
	for _, b := range e.Breaks(by) {
		n := b.Quo(each).Neg().Ceil().Neg() // the last number that is not over it
		if n.Mul(each).Cmp(b) == 0 {
			points = append(points, around([]decimal.Decimal{n}, one)...)
			continue
		}
		points = append(points, Swept{At: n, Break: n, Side: -1}, Swept{At: n.Add(one), Break: n, Side: 1})
	}
	return points
}

// boxesSwept is up to how many full parcels of a product are points of a sweep.
const boxesSwept = 10

// filling are the numbers of a product that fill boxes: as many as each kind of box takes, and several of the one that
// takes most; by weight alone, as many as parcels may hold.
func (e *Engine) filling(p *store.Product) (numbers []decimal.Decimal) {
	if p.OwnParcel {
		return nil
	}
	add := func(n int64) {
		if n > 0 && n < MaxQuantity {
			numbers = append(numbers, decimal.FromInt(n))
		}
	}
	for _, plan := range e.plans {
		most := int64(0)
		if plan.packer != nil {
			for _, n := range plan.packer.Most(GoodsToPack(&e.file.Store, p, 1), MaxQuantity) {
				add(n)
				most = max(most, n)
			}
		} else if weight := e.weight(p); weight.Sign() > 0 {
			if n := plan.limit.Quo(weight).Neg().Ceil().Neg(); n.Less(decimal.FromInt(MaxQuantity)) {
				most = int64(n.Float64())
				add(most)
			}
		}
		for i := int64(2); i <= boxesSwept; i++ {
			add(i * most)
		}
	}
	return numbers
}

// firstShipped is the first line whose product is shipped; −1 for none.
func firstShipped(q *Request) int {
	return slices.IndexFunc(q.Lines, func(l Line) bool { return l.Product.NeedsShipping })
}

// sweptLines are the goods of a measure; false where there are none such.
func (e *Engine) sweptLines(q *Request, by rate.By, at decimal.Decimal) ([]Line, bool) {
	if at.Sign() <= 0 {
		return nil, false
	}
	like := store.Product{Name: "goods", NeedsShipping: true}
	if i := firstShipped(q); i >= 0 {
		first := q.Lines[i].Product
		if by == rate.ByQuantity {
			like = first
		}
		like.Class = first.Class
	}
	if by == rate.ByQuantity {
		n := at.Float64() // whole and far below 2⁵³, or refused here
		if at.Cmp(at.Round(0)) != 0 || n > MaxQuantity {
			return nil, false
		}
		return []Line{{like, int64(n)}}, true
	}
	var whole cart
	e.measure(&whole, q.Lines)
	weight := whole.weight
	like.Price, like.Weight = whole.subtotal, &weight
	if by == rate.ByWeight {
		like.Weight = &at
	} else {
		like.Price = at
	}
	return []Line{{like, 1}}, true
}
