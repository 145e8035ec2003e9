package past

import (
	"cmp"
	"maps"
	"slices"

	"diadrom/internal/core/decimal"
)

// Loss is an order with what is left of it.
type Loss struct {
	Order Order
	Rated Rated
}

// Losses are the orders that lose most, the worst first, up to so many.
type Losses struct {
	most int
	list []Loss
}

// NewLosses makes an empty list for at most so many.
func NewLosses(most int) *Losses { return &Losses{most: most} }

// Add takes an order where it is among the worst. What the order points to is copied.
func (l *Losses) Add(o *Order, is *Rated) {
	if !is.Charged() || !is.CostKnown || is.Margin.Sign() >= 0 ||
		len(l.list) == l.most && !worse(o, is, &l.list[len(l.list)-1]) {
		return
	}
	kept := *o
	kept.Lines, kept.Coupons = slices.Clone(o.Lines), slices.Clone(o.Coupons)
	at, _ := slices.BinarySearchFunc(l.list, Loss{kept, *is}, func(a, b Loss) int {
		return cmp.Or(a.Rated.Margin.Cmp(b.Rated.Margin), cmp.Compare(a.Order.ID, b.Order.ID))
	})
	l.list = slices.Insert(l.list, at, Loss{kept, *is})
	l.list = l.list[:min(len(l.list), l.most)]
}

// worse says whether an order stands before another: it loses more, or the same and has the lower number.
func worse(o *Order, is *Rated, than *Loss) bool {
	return cmp.Or(is.Margin.Cmp(than.Rated.Margin), cmp.Compare(o.ID, than.Order.ID)) < 0
}

// Merge adds what another list has.
func (l *Losses) Merge(o *Losses) {
	for i := range o.list {
		l.Add(&o.list[i].Order, &o.list[i].Rated)
	}
}

// List gives them, the worst first.
func (l *Losses) List() []Loss { return l.list }

// Differences counts orders by how much more the buyer pays under another store: in steps of one unit of money.
type Differences struct {
	Step   decimal.Decimal
	counts map[string]Difference
}

// Difference is how many orders cost so much more, rounded to whole steps away from 0; 0 for those that cost the same.
type Difference struct {
	At    decimal.Decimal
	Count int
}

// NewDifferences counts in steps.
func NewDifferences(step decimal.Decimal) *Differences {
	return &Differences{Step: step, counts: map[string]Difference{}}
}

// Add counts an order that both stores charge.
func (d *Differences) Add(is, against *Rated) { d.count(is, against, 1) }

// Replace has an order count as another result of the other store.
func (d *Differences) Replace(is, was, against *Rated) {
	d.count(is, was, -1)
	d.count(is, against, 1)
}

// Clone is a copy.
func (d *Differences) Clone() *Differences { return &Differences{d.Step, maps.Clone(d.counts)} }

func (d *Differences) count(is, against *Rated, n int) {
	if !is.Charged() || !against.Charged() {
		return
	}
	steps := against.Total.Sub(is.Total).Quo(d.Step)
	if steps.Sign() < 0 {
		steps = steps.Neg().Ceil().Neg()
	} else {
		steps = steps.Ceil()
	}
	at := steps.Mul(d.Step)
	key := at.String()
	if d.counts[key] = (Difference{at, d.counts[key].Count + n}); d.counts[key].Count == 0 {
		delete(d.counts, key)
	}
}

// Merge adds what another count has.
func (d *Differences) Merge(o *Differences) {
	for key, one := range o.counts {
		d.counts[key] = Difference{one.At, d.counts[key].Count + one.Count}
	}
}

// List gives them by their size.
func (d *Differences) List() []Difference {
	list := make([]Difference, 0, len(d.counts))
	for _, one := range d.counts {
		list = append(list, one)
	}
	slices.SortFunc(list, func(a, b Difference) int { return a.At.Cmp(b.At) })
	return list
}

// Point is an order in a drawing of costs over charges.
type Point struct {
	ID           string
	Charge, Cost decimal.Decimal // the charge without the tax in it
	Zone         string
}

// Points are some of the orders whose cost is known: every one of few, every so many-th of many, the same each time.
type Points struct {
	most, seen, every int
	list              []Point
}

// NewPoints makes an empty list for at most so many.
func NewPoints(most int) *Points { return &Points{most: most, every: 1} }

// Add takes an order where its turn has come. net is its charge without tax.
func (p *Points) Add(o *Order, is *Rated) {
	if !is.Charged() || !is.CostKnown {
		return
	}
	if p.seen++; p.seen%p.every != 0 {
		return
	}
	p.list = append(p.list, Point{o.ID, is.Margin.Add(is.Cost), is.Cost, is.Zone})
	if len(p.list) >= 2*p.most {
		kept := p.list[:0]
		for i := 1; i < len(p.list); i += 2 {
			kept = append(kept, p.list[i])
		}
		p.list, p.every = kept, 2*p.every
	}
}

// Merge adds what another list has.
func (p *Points) Merge(o *Points) { p.list = append(p.list, o.list...) }

// List gives them; more than were wanted only where several lists were merged.
func (p *Points) List() []Point { return p.list }
