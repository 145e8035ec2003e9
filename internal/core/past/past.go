// Package past rates orders of the past anew: what a store would have charged for them, what they would have cost the
// shop, and what would have been left, added up by method, zone, month and more. The rules are those of docs/model.md,
// "Past orders". Sums are exact.
package past

import (
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
)

// Order is an order of the past.
type Order struct {
	ID       string
	Row      int64         // where it is kept, for whoever keeps it
	At       time.Time     // zero where it is not known
	To       place.Address // without names and streets
	Lines    []Line
	Customer string
	Group    string
	Coupons  []string
	Method   string           // id of the method by which it went, "" where it is not known
	Paid     *decimal.Decimal // what the buyer paid for delivery; nil where it is not known
	Cost     *decimal.Decimal // what the carrier billed, without tax; nil where it is not known
	Tracking string           // by which a carrier names the parcel
}

// Line is some of one product: one of the store by its sku, or what the line says of it.
type Line struct {
	SKU      string
	Quantity int64            // 1 to [quote.MaxQuantity]
	Price    *decimal.Decimal // of a unit, as it was sold; nil: the product's own
	Weight   *decimal.Decimal // of a unit, in the store's unit; nil: the product's own
	Class    string           // id; "": the product's own
}

// Outcome is by what an order is charged.
type Outcome uint8

// The outcomes.
const (
	ByItsMethod Outcome = iota // which is offered
	ByOther                    // the cheapest option, because its own is not offered or it names none
	NotOffered                 // nothing is offered
	Unrated                    // it has goods that the store does not know and the order does not describe
)

// Rated is what a store makes of an order.
type Rated struct {
	Outcome       Outcome
	Method        string // that charges; the order's own where none is offered
	Service       string // of a carrier that was asked
	Zone          string // that charges; the narrowest that takes the address where none is offered; "" for none
	NeedsShipping bool
	Charge, Tax   decimal.Decimal
	Total         decimal.Decimal // what the buyer pays
	Cost, Margin  decimal.Decimal
	CostKnown     bool
	Weight        decimal.Decimal // of the goods that are shipped, in the store's unit
	Classes       string          // ids of their shipping classes, in order, joined by +
	Unknown       string          // the sku of goods that could not be rated
}

// Charged says whether an option was offered.
func (r *Rated) Charged() bool { return r.Outcome <= ByOther }
