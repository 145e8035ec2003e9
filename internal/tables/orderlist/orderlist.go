// Package orderlist reads past orders from a table with a line for each product of an order, however long it is.
//
// Lines of the same order that follow one another are one order. What belongs to the order as a whole (when, where to,
// by which method, what was paid, what the carrier billed) may stand in each of its lines or in some; where two lines
// say different things, the order is refused. An order of which a line cannot be read is refused as a whole, because
// without that line it would be another order. An order with a number below zero is a refund and is kept apart.
//
// The text is cut into blocks of whole orders, which are read on several goroutines:
//
//	order,at,country,postcode,sku,quantity,method,paid
//	1001,2026-03-02T10:15:00+02:00,FI,21100,LADLE,2,parcel,6.90
//	1001,,,,SOAP,1,,
package orderlist

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/past"
	"diadrom/internal/tables/destination"
)

// Field is what a column holds.
type Field string

// The fields. Weight and Class say what goods are that the store does not have; Tracking is the number by which a
// carrier's invoice names a parcel.
const (
	OrderID  Field = "order"
	At       Field = "at"
	Country  Field = "country"
	Region   Field = "region"
	City     Field = "city"
	Postcode Field = "postcode"
	Street   Field = "street" // read only where Options say so
	SKU      Field = "sku"
	Quantity Field = "quantity"
	Price    Field = "price"
	Weight   Field = "weight"
	Class    Field = "class"
	Customer Field = "customer"
	Group    Field = "group"
	Coupon   Field = "coupon"
	Method   Field = "method"
	Paid     Field = "paid"
	Cost     Field = "cost"
	Currency Field = "currency"
	Tracking Field = "tracking"
)

// The fields of lists with a line for each order, and of the state of an order. They are of the order as a whole.
const (
	Value       Field = "value"        // of its goods
	TotalWeight Field = "total_weight" // of its goods
	Items       Field = "items"        // how many goods it has
	Status      Field = "status"
	Cancelled   Field = "cancelled" // when it was, "" for one that was not
)

// Fields lists them.
var Fields = []Field{
	OrderID,
	At,
	Country,
	Region,
	City,
	Postcode,
	Street,
	SKU,
	Quantity,
	Price,
	Weight,
	Class,
	Customer,
	Group,
	Coupon,
	Method,
	Paid,
	Cost,
	Currency,
	Tracking,
	Value,
	TotalWeight,
	Items,
	Status,
	Cancelled,
}

// inContract is how many of the fields, from the first on, the lists of docs/model.md have.
const inContract = 20

// whole are the fields that belong to an order as a whole.
var whole = []Field{
	At,
	Country,
	Region,
	City,
	Postcode,
	Street,
	Customer,
	Group,
	Method,
	Paid,
	Cost,
	Currency,
	Tracking,
	Value,
	TotalWeight,
	Items,
	Status,
	Cancelled,
}

// DateOrder is how dates of digits alone are written, such as 03/04/2026.
type DateOrder string

// The orders. Dates such as 2026-04-03 and 3.4.2026 are read by their form, whatever is chosen.
const (
	DatesUnknown DateOrder = "" // dates that may be read in two ways are refused
	DayFirst     DateOrder = "day"
	MonthFirst   DateOrder = "month"
)

// Options say how a table is read.
type Options struct {
	Columns   []Field // what each column holds, "" for one that is not used
	Separator byte
	Numbers   measure.Column // how numbers are written
	Dates     DateOrder
	Location  *time.Location    // of times that name no zone
	Currency  string            // of the store; other orders are refused
	Methods   map[string]string // ids of methods by the names that the table has for them, folded; others stay as they are
	Country   string            // of orders of which no line says it, alpha-2; "": they are refused
	Skip      int               // lines before the first order
	Streets   bool              // whether streets are read, which agreed charges look at
	// Private keeps what is not used of a line, and streets and customers, out of what is listed as refused.
	Private bool
	// Export says that the list is as a shop exports it, and not as docs/model.md has it: lines for sending say what was paid,
	// and codes that are one digit short are looked at.
	Export  bool
	Unit    string // of the weights of the list; "" for the store's
	Weights string // the store's unit of weight
	Zeros   destination.Zeros
	States  map[string]bool         // whether orders in a state count, by the folded states that this package does not know
	Lacks   func(*past.Line) string // why a line's goods cannot be rated, "" where they can; nil: all are taken
}

// Refused is a line that was not read, with the reason.
type Refused struct {
	Line   int    `json:"line"` // from 1, as a spreadsheet counts rows
	Text   string `json:"text"`
	Reason string `json:"reason"`
}

// MaxListed is how many refused lines are listed.
const MaxListed = 1000

// Result is what became of a table's lines.
type Result struct {
	Orders       int // that were read, without refunds
	Lines        int // with something in them, the header aside
	RefusedLines int
	Refused      []Refused // the first MaxListed, in the table's order
	Refunds      int       // orders with a number below zero
	Refunded     decimal.Decimal
}

func (r *Result) merge(o *Result) {
	r.Orders += o.Orders
	r.Lines += o.Lines
	r.RefusedLines += o.RefusedLines
	r.Refunds += o.Refunds
	r.Refunded = r.Refunded.Add(o.Refunded)
	r.Refused = append(r.Refused, o.Refused...)
	if len(r.Refused) > 2*MaxListed {
		r.cut()
	}
}

// cut leaves the first refused lines, in the table's order.
func (r *Result) cut() {
	slices.SortFunc(r.Refused, func(a, b Refused) int { return a.Line - b.Line })
	r.Refused = r.Refused[:min(len(r.Refused), MaxListed)]
}

// Contract finds the columns of a table whose head has the names of docs/model.md. ignored are heads that are none of
// them.
func Contract(head []string) (columns []Field, ignored []string, err error) {
	for _, cell := range head {
		field := Field(strings.ToLower(strings.TrimSpace(cell)))
		switch {
		case !slices.Contains(Fields[:inContract], field):
			if cell != "" {
				ignored = append(ignored, cell)
			}
			field = ""
		case slices.Contains(columns, field):
			return nil, nil, fmt.Errorf("there are two columns %q", string(field))
		}
		columns = append(columns, field)
	}
	for _, f := range []Field{OrderID, Country, Quantity} {
		if !slices.Contains(columns, f) {
			return nil, nil, fmt.Errorf("there is no column %q: the first line names the columns, such as "+
				"order,country,postcode,sku,quantity", string(f))
		}
	}
	if !slices.Contains(columns, SKU) && !slices.Contains(columns, Price) && !slices.Contains(columns, Weight) {
		return nil, nil, fmt.Errorf("there is no column %q: nothing says what was ordered", string(SKU))
	}
	return columns, ignored, nil
}
