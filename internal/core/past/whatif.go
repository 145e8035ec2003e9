package past

import (
	"slices"
	"sort"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/quote"
)

// Free is what free delivery of a method from an order value on would have given away on orders of the past. Each order
// is charged as if no rule made it free, and then nothing from the threshold on. It is of orders that went by the
// method and whose cost is known.
type Free struct {
	orders []freeOrder // by their value
	// margins[i] is what is left where the first i orders pay and the others do not.
	margins []decimal.Decimal
}

type freeOrder struct {
	subtotal decimal.Decimal
	net      decimal.Decimal // the charge without the tax in it
	cost     decimal.Decimal
}

// FreeRater rates orders by a method as if nothing made it free.
type FreeRater struct {
	method string
	holds  func(zone string) bool
	rater  *Rater
}

// WithoutFree makes a rater of an engine whose method, by its id, is free for no order; nil where the store has no such
// method, or it is switched off. holds says of which zones orders are looked at; nil: of all.
func WithoutFree(e *quote.Engine, method string, holds func(zone string) bool) *FreeRater {
	f := e.Store().Clone()
	m := f.Method(method)
	if m == nil || !m.Enabled {
		return nil
	}
	m.Free = nil
	for zone, t := range m.Terms {
		t.Free = nil
		m.Terms[zone] = t
	}
	return &FreeRater{method, holds, NewRater(quote.Compile(f, e.Gazetteer()))}
}

// Again is the same rater for another goroutine.
func (r *FreeRater) Again() *FreeRater { return &FreeRater{r.method, r.holds, r.rater.Again()} }

// Add takes an order where it goes by the method.
func (r *FreeRater) Add(into *Free, o *Order) {
	if o.Method != "" && r.rater.Own(o.Method) != r.method {
		return
	}
	asked := *o
	asked.Method = r.method
	is := r.rater.Rate(&asked)
	if is.Outcome != ByItsMethod || !is.CostKnown || r.holds != nil && !r.holds(is.Zone) {
		return
	}
	q, unknown := r.rater.Request(&asked)
	if unknown != "" {
		return
	}
	into.orders = append(into.orders, freeOrder{r.rater.engine.Subtotal(&q), is.Margin.Add(is.Cost), is.Cost})
}

// Merge adds the orders of another.
func (f *Free) Merge(o *Free) { f.orders = append(f.orders, o.orders...) }

// Settle makes it ready to be asked.
func (f *Free) Settle() {
	slices.SortFunc(f.orders, func(a, b freeOrder) int { return a.subtotal.Cmp(b.subtotal) })
	f.margins = make([]decimal.Decimal, len(f.orders)+1)
	for i := range f.orders {
		f.margins[0] = f.margins[0].Sub(f.orders[i].cost)
	}
	for i := range f.orders {
		f.margins[i+1] = f.margins[i].Add(f.orders[i].net)
	}
}

// Orders is how many orders it is of.
func (f *Free) Orders() int { return len(f.orders) }

// FreeAt is what a threshold would have done.
type FreeAt struct {
	Threshold decimal.Decimal
	Orders    int             // of which it is
	Free      int             // that would have been free
	JustUnder int             // whose value lies below the threshold by no more than a fifth of it
	Margin    decimal.Decimal // that would have been left
	Forgone   decimal.Decimal // charges without tax that would not have been paid
}

// below is how many orders have a value below a sum.
func (f *Free) below(sum decimal.Decimal) int {
	return sort.Search(len(f.orders), func(i int) bool { return !f.orders[i].subtotal.Less(sum) })
}

var fourFifths = decimal.MustParse("0.8")

// At says what a threshold would have done.
func (f *Free) At(threshold decimal.Decimal) FreeAt {
	paying, n := f.below(threshold), len(f.orders)
	return FreeAt{threshold, n, n - paying, paying - f.below(threshold.Mul(fourFifths)), f.margins[paying],
		f.margins[n].Sub(f.margins[paying])}
}

// Never says what is left where delivery is free for nobody.
func (f *Free) Never() decimal.Decimal { return f.margins[len(f.orders)] }

// Smallest is the smallest threshold, in whole least sums of the currency, at which the margin is not negative; false
// where it is negative even if nobody has free delivery. Charges are not below 0, so that what is left does not fall as
// the threshold rises: the least number of paying orders is found, and the smallest sum with which so many pay.
func (f *Free) Smallest(digits int) (decimal.Decimal, bool) {
	paying := sort.Search(len(f.margins), func(i int) bool { return f.margins[i].Sign() >= 0 })
	if paying == len(f.margins) {
		return decimal.Zero, false
	}
	if paying == 0 {
		return decimal.Zero, true
	}
	// The order that has to pay last lies below the threshold, and with it all of the same value.
	unit := decimal.New(1, digits)
	return f.orders[paying-1].subtotal.Quo(unit).Add(decimal.One).Neg().Ceil().Neg().Mul(unit), true
}
