// Package propose makes price lists of what orders of the past have cost: the rows that fit the costs best, with prices
// that cover them. Which rows fit best is the split of least squares (W. D. Fisher, On grouping for maximum
// homogeneity, Journal of the American Statistical Association 53, 1958).
//
// Prices and sums are exact. The choice of rows compares sums of squares in floating point: the sum of the rows that
// are chosen is above the least by no more than 10⁻⁹ of the sum that one row has.
package propose

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
)

// Order is an order of the past with a cost.
type Order struct {
	ID      string
	Measure decimal.Decimal // by which the list has its rows
	Cost    decimal.Decimal // what the carrier billed, without tax
	Tax     decimal.Decimal // percent that its price includes; 0 for none
}

// MaxRows is how many rows a proposed list has at most.
const MaxRows = 100

// Options say what list is wanted.
type Options struct {
	Rows    int              // at most; 1 to [MaxRows]
	Margin  decimal.Decimal  // percent on top of the costs
	Cover   *decimal.Decimal // the percentage of a row's orders whose costs its price covers; nil: prices cover their mean
	Endings []Ending         // how prices end; none: any sum
	Digits  int              // minor digits of the currency
}

// Ending is how prices end: with 0.90 as 0.90, 1.90, 2.90, …, with 9.90 as 9.90, 19.90, ….
type Ending struct{ end, step decimal.Decimal }

// ParseEnding reads an ending such as 0.90.
func ParseEnding(text string, digits int) (Ending, error) {
	d, err := decimal.Parse(strings.TrimSpace(text))
	if err != nil || d.Sign() < 0 {
		return Ending{}, fmt.Errorf("%.20q is no ending such as 0.90", text)
	}
	if d.Decimals() > digits {
		return Ending{}, fmt.Errorf("%.20q has more than the %d decimals of the currency", text, digits)
	}
	step := decimal.One
	for !d.Less(step) {
		step = step.Mul(decimal.FromInt(10))
	}
	return Ending{d, step}, nil
}

// ParseEndings reads endings parted by commas or spaces; "" is none.
func ParseEndings(text string, digits int) (list []Ending, err error) {
	for part := range strings.FieldsFuncSeq(text, func(r rune) bool { return r == ',' || r == ' ' || r == ';' }) {
		e, err := ParseEnding(part, digits)
		if err != nil {
			return nil, err
		}
		list = append(list, e)
	}
	return list, nil
}

// Up is the least sum that is not below d and ends so.
func (e Ending) Up(d decimal.Decimal) decimal.Decimal {
	steps := d.Sub(e.end).Quo(e.step).Ceil()
	if steps.Sign() < 0 {
		steps = decimal.Zero
	}
	return e.end.Add(steps.Mul(e.step))
}

// RoundUp is the least sum that is not below d and ends as one of some endings; without any, the least of the currency.
func RoundUp(d decimal.Decimal, endings []Ending, digits int) decimal.Decimal {
	if len(endings) == 0 {
		unit := decimal.New(1, digits)
		return d.Quo(unit).Ceil().Mul(unit)
	}
	least := endings[0].Up(d)
	for _, e := range endings[1:] {
		if up := e.Up(d); up.Less(least) {
			least = up
		}
	}
	return least
}

// Row is a row of a proposed list, with what it would have earned.
type Row struct {
	At     decimal.Decimal // its largest measure
	Price  decimal.Decimal
	Orders int
	Mean   decimal.Decimal // of their costs
	Charge decimal.Decimal
	Tax    decimal.Decimal // in the charge
	Cost   decimal.Decimal
	Margin decimal.Decimal // charge − tax − cost
	Losing int             // orders whose margin is below 0
}

// Proposal is a proposed list.
type Proposal struct {
	Rows    []Row
	Orders  int
	Charge  decimal.Decimal
	Tax     decimal.Decimal
	Cost    decimal.Decimal
	Margin  decimal.Decimal
	Squares decimal.Decimal // the sum of squared differences of the costs from their row's mean
	Worst   Worst
}

// Worst is the order that would have lost most, or earned least.
type Worst struct {
	ID                           string
	Measure, Price, Cost, Margin decimal.Decimal
}

// Loss is what the worst order would have lost; 0 where it would have earned.
func (w *Worst) Loss() decimal.Decimal {
	if w.Margin.Sign() < 0 {
		return w.Margin.Neg()
	}
	return decimal.Zero
}

// ErrNoOrders is the error where no order has a cost.
var ErrNoOrders = errors.New("no order has a cost to make a list of")

// List proposes a list. The orders are sorted by their measure in place.
func List(orders []Order, o Options) (*Proposal, error) {
	switch {
	case len(orders) == 0:
		return nil, ErrNoOrders
	case o.Rows < 1 || o.Rows > MaxRows:
		return nil, fmt.Errorf("a list has 1 to %d rows, not %d", MaxRows, o.Rows)
	case o.Margin.Cmp(decimal.FromInt(-100)) < 0:
		return nil, fmt.Errorf("a margin of %s %% makes prices below 0", o.Margin)
	case o.Cover != nil && (o.Cover.Sign() <= 0 || decimal.Hundred.Less(*o.Cover)):
		return nil, fmt.Errorf("prices cover more than 0 and up to 100 %% of the orders, not %s", o.Cover)
	}
	slices.SortStableFunc(orders, func(a, b Order) int { return a.Measure.Cmp(b.Measure) })
	ends, groups := grouped(orders)
	p := &Proposal{Orders: len(orders)}
	first := newSplitter(groups).split(o.Rows)
	for i, g := range first {
		from, to := 0, len(orders)
		if g > 0 {
			from = ends[g-1]
		}
		if i+1 < len(first) {
			to = ends[first[i+1]-1]
		}
		p.row(orders[from:to], &o)
	}
	return p, nil
}

// grouped puts orders of one measure together; ends are the indexes behind each group. Costs are taken less the mean of
// all, which changes no difference and keeps the squares small.
func grouped(orders []Order) (ends []int, groups []group) {
	total := decimal.Zero
	for i := range orders {
		total = total.Add(orders[i].Cost)
	}
	mean := total.QuoRound(decimal.FromInt(int64(len(orders))), 6)
	for i := range orders {
		if i == 0 || orders[i].Measure.Cmp(orders[i-1].Measure) != 0 {
			groups, ends = append(groups, group{}), append(ends, 0)
		}
		g, cost := &groups[len(groups)-1], orders[i].Cost.Sub(mean).Float64()
		g.n, g.sum, g.sumSq = g.n+1, g.sum+cost, g.sumSq+cost*cost
		ends[len(ends)-1] = i + 1
	}
	return ends, groups
}

// row adds a row for some orders.
func (p *Proposal) row(orders []Order, o *Options) {
	n := decimal.FromInt(int64(len(orders)))
	r := Row{At: orders[len(orders)-1].Measure, Orders: len(orders)}
	share := decimal.Hundred.Add(o.Margin)
	wanted := make([]decimal.Decimal, len(orders)) // the price that each order needs
	needed := decimal.Zero
	for i := range orders {
		x := &orders[i]
		r.Cost = r.Cost.Add(x.Cost)
		wanted[i] = x.Cost.Percent(share).Percent(decimal.Hundred.Add(x.Tax))
		needed = needed.Add(wanted[i])
	}
	r.Mean = r.Cost.Quo(n)
	price := needed.Quo(n)
	if o.Cover != nil {
		slices.SortFunc(wanted, decimal.Decimal.Cmp)
		covered := n.Percent(*o.Cover).Ceil().Whole(0, false, math.MaxInt64)
		price = wanted[covered-1]
	}
	r.Price = RoundUp(price, o.Endings, o.Digits)
	for i := range orders {
		x := &orders[i]
		tax := decimal.Zero
		if !x.Tax.IsZero() {
			tax = r.Price.Mul(x.Tax).QuoRound(decimal.Hundred.Add(x.Tax), o.Digits)
		}
		r.Charge, r.Tax = r.Charge.Add(r.Price), r.Tax.Add(tax)
		margin := r.Price.Sub(tax).Sub(x.Cost)
		if margin.Sign() < 0 {
			r.Losing++
		}
		if first := len(p.Rows) == 0 && i == 0; first || margin.Less(p.Worst.Margin) {
			p.Worst = Worst{x.ID, x.Measure, r.Price, x.Cost, margin}
		}
	}
	p.Squares = p.Squares.Add(squaresOf(orders))
	r.Margin = r.Charge.Sub(r.Tax).Sub(r.Cost)
	p.Charge, p.Tax, p.Cost = p.Charge.Add(r.Charge), p.Tax.Add(r.Tax), p.Cost.Add(r.Cost)
	p.Margin = p.Margin.Add(r.Margin)
	p.Rows = append(p.Rows, r)
}

// squaresOf is the sum of squared differences of costs from their mean: Σc² − (Σc)² ÷ n.
func squaresOf(orders []Order) decimal.Decimal {
	sum, squares := decimal.Zero, decimal.Zero
	for i := range orders {
		c := orders[i].Cost
		sum, squares = sum.Add(c), squares.Add(c.Mul(c))
	}
	return squares.Sub(sum.Mul(sum).Quo(decimal.FromInt(int64(len(orders)))))
}

// Table is the proposal as a price list of a method, with one price for some zones, by their ids.
func (p *Proposal) Table(id string, zones []string, by rate.By) rate.Table {
	t := rate.Table{ID: id, Zones: zones, Classes: []string{}, By: by, Edges: rate.UpTo}
	for i := range p.Rows {
		at, price := p.Rows[i].At, p.Rows[i].Price
		charge := &rate.Charge{Base: &price}
		row := rate.Row{At: &at}
		for range zones {
			row.Charges = append(row.Charges, charge)
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}

// Measures are what the rows of a proposed list may go by.
var Measures = []rate.By{rate.ByWeight, rate.BySubtotal, rate.ByQuantity, rate.ByDistance}
