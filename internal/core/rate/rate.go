// Package rate evaluates rate tables: rows that are break points, columns that are zones, and in each cell a charge.
//
// Break points, unlike from–to pairs, leave no gaps and cannot overlap. Row i of a table with edges "from"
// covers at[i] ≤ x < at[i+1], the last one everything above; with edges "up_to" it covers at[i−1] < x ≤ at[i],
// the first one from 0 on, and a last row without a break point covers everything above.
package rate

import (
	"slices"

	"diadrom/internal/core/decimal"
)

// By is what a table measures.
type By string

// What a table can measure.
const (
	ByOrder    By = "order" // nothing: one row for every order
	ByWeight   By = "weight"
	BySubtotal By = "subtotal"
	ByQuantity By = "quantity"
	ByDistance By = "distance"
	// ByBilled measures the weight that carriers bill: the larger of weight and volumetric weight. Goods that
	// are priced by it carry it as their weight, so terms per weight count it too.
	ByBilled By = "billed_weight"
)

// Measures lists what a table can measure, in the order in which people meet it.
var Measures = []By{ByOrder, ByWeight, ByBilled, BySubtotal, ByQuantity, ByDistance}

// Words says what a table's rows go by: "by weight"; "" for what is no measure.
func (b By) Words() string {
	return map[By]string{
		ByOrder:    "one price for every order",
		ByWeight:   "by weight",
		ByBilled:   "by billed weight",
		BySubtotal: "by order value",
		ByQuantity: "by number of items",
		ByDistance: "by distance",
	}[b]
}

// Edges says on which side of its break point a row lies.
type Edges string

// The edges of rows.
const (
	From Edges = "from"
	UpTo Edges = "up_to"
)

// Per says what a table prices at a time.
type Per string

// What a table prices: each parcel by itself, or what the whole order comes to.
const (
	PerParcel Per = "" // written "parcel" or left out
	PerOrder  Per = "order"
)

// Table is one rate table of a method.
type Table struct {
	ID        string   `json:"id"`
	Name      string   `json:"name"`
	Zones     []string `json:"zones"`   // ids, the columns
	Classes   []string `json:"classes"` // ids; none means all goods that no other table of the method claims
	By        By       `json:"by"`
	Per       Per      `json:"per,omitempty"`
	Edges     Edges    `json:"edges,omitempty"`
	Graduated bool     `json:"graduated"`
	Rows      []Row    `json:"rows"`
}

// Words says what a table's rows go by, and whether it prices each parcel or the order: "by weight", "one price for each
// parcel", "by weight, for the whole order".
func (t *Table) Words() string {
	switch {
	case t.By == ByOrder && t.Per == PerParcel:
		return "one price for each parcel"
	case t.By != ByOrder && t.Per == PerOrder:
		return t.By.Words() + ", for the whole order"
	}
	return t.By.Words()
}

// Row is a break point with a charge for each column.
type Row struct {
	At      *decimal.Decimal `json:"at"`      // nil: everything above, or a table by order
	Charges []*Charge        `json:"charges"` // nil: not offered
}

// Charge is the price in a cell: its terms are added. Amounts are in the store's currency.
type Charge struct {
	Base        *decimal.Decimal `json:"base,omitempty"`
	PerItem     *decimal.Decimal `json:"per_item,omitempty"`
	FirstItem   *decimal.Decimal `json:"first_item,omitempty"`
	NextItem    *decimal.Decimal `json:"next_item,omitempty"`
	PerWeight   *PerUnit         `json:"per_weight,omitempty"`
	PerDistance *PerUnit         `json:"per_distance,omitempty"`
	Percent     *decimal.Decimal `json:"percent,omitempty"` // of the subtotal of the table's goods
}

// PerUnit is amount × (x − above) ÷ every, nothing where x ≤ above; with Started, started units are counted.
type PerUnit struct {
	Amount  decimal.Decimal  `json:"amount"`
	Every   *decimal.Decimal `json:"every,omitempty"` // nil: 1
	Above   *decimal.Decimal `json:"above,omitempty"` // nil: 0
	Started bool             `json:"-"`
}

// Goods are the measures of the goods that a table prices: those of one parcel.
type Goods struct {
	Weight   decimal.Decimal // by billed weight: that
	Quantity int64
	Subtotal decimal.Decimal
	Distance *decimal.Decimal // nil: unknown
}

func (g *Goods) measure(by By) (x decimal.Decimal, known bool) {
	switch by {
	case ByWeight, ByBilled:
		return g.Weight, true
	case BySubtotal:
		return g.Subtotal, true
	case ByQuantity:
		return decimal.FromInt(g.Quantity), true
	case ByDistance:
		if g.Distance == nil {
			return decimal.Zero, false
		}
		return *g.Distance, true
	}
	return decimal.Zero, true
}

// Outcome says whether a table has a price.
type Outcome uint8

// Outcomes, the more telling one greater.
const (
	Priced     Outcome = iota
	NoRate             // the cell says so, or no row reaches so far
	NoDistance         // a distance is needed and unknown
)

// Row finds the row that covers x; false where the table ends below it.
func (t *Table) Row(x decimal.Decimal) (int, bool) {
	if t.By == ByOrder {
		return 0, len(t.Rows) > 0
	}
	i, found := slices.BinarySearchFunc(t.Rows, x, func(r Row, x decimal.Decimal) int {
		if r.At == nil {
			return 1
		}
		return r.At.Cmp(x)
	})
	if t.Edges == From && !found {
		i--
	}
	return i, i >= 0 && i < len(t.Rows)
}

// Reach says up to where a column has prices below a row that has none, or below the end of the table (row −1):
// the break point of the last row that has one. It is false where no row below has a price, or where prices
// come again above.
func (t *Table) Reach(column, row int) (limit decimal.Decimal, ends bool) {
	if t.By == ByOrder {
		return limit, false
	}
	if row < 0 {
		row = len(t.Rows)
	}
	for i := row - 1; i >= 0; i-- {
		if t.Rows[i].Charges[column] == nil {
			continue
		}
		at := t.Rows[i].At
		if t.Edges == From {
			at = t.Rows[i+1].At
		}
		if at == nil {
			return limit, false
		}
		for _, r := range t.Rows[row:] {
			if r.Charges[column] != nil {
				return limit, false
			}
		}
		return *at, true
	}
	return limit, false
}

// Far says whether the price of a cell depends on the distance.
func (t *Table) Far(column, row int) bool {
	c := t.Rows[row].Charges[column]
	return t.By == ByDistance || c != nil && c.PerDistance != nil
}

// Price evaluates the table for the goods of one parcel in a column. Row is the row that counted, −1 where
// there is none.
func (t *Table) Price(column int, g *Goods) (amount decimal.Decimal, row int, outcome Outcome) {
	x, known := g.measure(t.By)
	if !known {
		return decimal.Zero, -1, NoDistance
	}
	row, ok := t.Row(x)
	if !ok {
		return decimal.Zero, -1, NoRate
	}
	c := t.Rows[row].Charges[column]
	if c == nil {
		return decimal.Zero, row, NoRate
	}
	if !t.Graduated {
		amount, known = c.price(g)
	} else {
		var gap bool
		if amount, gap = t.graduated(column, row, x); gap {
			return decimal.Zero, row, NoRate
		}
		var rest decimal.Decimal
		rest, known = c.without(t.By).price(g)
		amount = amount.Add(rest)
	}
	if !known {
		return decimal.Zero, row, NoDistance
	}
	return amount, row, Priced
}

// price adds the terms; false where one needs the distance and it is unknown.
func (c *Charge) price(g *Goods) (sum decimal.Decimal, known bool) {
	if c.Base != nil {
		sum = *c.Base
	}
	if c.PerItem != nil {
		sum = sum.Add(c.PerItem.Mul(decimal.FromInt(g.Quantity)))
	}
	if c.FirstItem != nil {
		sum = sum.Add(*c.FirstItem)
	}
	if c.NextItem != nil && g.Quantity > 1 {
		sum = sum.Add(c.NextItem.Mul(decimal.FromInt(g.Quantity - 1)))
	}
	if c.PerWeight != nil {
		sum = sum.Add(c.PerWeight.price(g.Weight))
	}
	if c.PerDistance != nil {
		if g.Distance == nil {
			return decimal.Zero, false
		}
		sum = sum.Add(c.PerDistance.price(*g.Distance))
	}
	if c.Percent != nil {
		sum = sum.Add(g.Subtotal.Percent(*c.Percent))
	}
	return sum, true
}

func (p *PerUnit) every() decimal.Decimal {
	if p.Every == nil {
		return decimal.One
	}
	return *p.Every
}

func (p *PerUnit) above() decimal.Decimal {
	if p.Above == nil {
		return decimal.Zero
	}
	return *p.Above
}

// units is how many units of x are charged. Pro rata it is (x − above), still to be divided by every.
func (p *PerUnit) units(x decimal.Decimal) decimal.Decimal {
	over := x.Sub(p.above())
	if over.Sign() <= 0 {
		return decimal.Zero
	}
	if p.Started {
		return over.Quo(p.every()).Ceil()
	}
	return over
}

func (p *PerUnit) price(x decimal.Decimal) decimal.Decimal {
	units := p.units(x)
	if p.Started || units.IsZero() {
		return p.Amount.Mul(units)
	}
	return p.Amount.Mul(units).Quo(p.every())
}

// perUnit is the term that a graduated table by this measure applies row by row.
func (c *Charge) perUnit(by By) *PerUnit {
	switch {
	case by == ByWeight || by == ByBilled:
		return c.PerWeight
	case by == ByDistance:
		return c.PerDistance
	case by == ByQuantity && c.PerItem != nil:
		return &PerUnit{Amount: *c.PerItem}
	}
	return nil
}

// without is the charge without that term.
func (c *Charge) without(by By) *Charge {
	rest := *c
	switch by {
	case ByWeight, ByBilled:
		rest.PerWeight = nil
	case ByDistance:
		rest.PerDistance = nil
	case ByQuantity:
		rest.PerItem = nil
	}
	return &rest
}

// graduated adds up, over the rows to the one in which x lies, each row's term for the part of x in that row. A
// row on the way that is not offered is a gap: x cannot be priced through it.
func (t *Table) graduated(column, row int, x decimal.Decimal) (sum decimal.Decimal, gap bool) {
	for i := 0; i <= row; i++ {
		c := t.Rows[i].Charges[column]
		if c == nil {
			return decimal.Zero, true
		}
		if p := c.perUnit(t.By); p != nil {
			sum = sum.Add(p.price(t.part(i, x)))
		}
	}
	return sum, false
}

// part is how much of x lies in row i.
func (t *Table) part(i int, x decimal.Decimal) decimal.Decimal {
	low, high := decimal.Zero, x
	next := i + 1
	if t.Edges == UpTo {
		next = i
		if i > 0 {
			low = *t.Rows[i-1].At
		}
	} else {
		low = *t.Rows[i].At
	}
	if next < len(t.Rows) && t.Rows[next].At != nil && t.Rows[next].At.Less(x) {
		high = *t.Rows[next].At
	}
	if high.Less(low) {
		return decimal.Zero
	}
	return high.Sub(low)
}
