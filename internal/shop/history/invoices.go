package history

import (
	"context"
	"errors"
	"fmt"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/orderlist"
)

// Invoices reads a carrier's invoices and gives orders what they cost. The columns are found by their heads: the
// order's or the parcel's number, and the sum without tax.
func (h *History) Invoices(
	ctx context.Context,
	data []byte,
) (out sqlite.Invoiced, refused []orderlist.Refused, err error) {
	t, err := grid.ReadTable(h.source(ctx, data))
	if err != nil {
		return out, nil, err
	}
	columns := orderlist.Guess(t.Rows[0].Cells)
	at := map[orderlist.Field]int{}
	for i, f := range columns {
		if f != "" {
			at[f] = i
		}
	}
	sum, ok := at[orderlist.Cost]
	if !ok {
		if sum, ok = at[orderlist.Price]; !ok {
			sum, ok = at[orderlist.Paid]
		}
	}
	number, byOrder := at[orderlist.OrderID]
	tracking, byTracking := at[orderlist.Tracking]
	if !ok || !byOrder && !byTracking {
		return out, nil, errors.New(
			"the first line has to name the columns: the number of the order or of the parcel, " +
				"such as “Order” or “Tracking number”, and the sum without tax, such as “Cost”",
		)
	}
	var cells [][]string
	for _, r := range t.Rows[1:] {
		cells = append(cells, r.Cells)
	}
	sample := orderlist.Look(cells, costColumn(len(columns), sum))
	if sample.Numbers.Decimal == 0 {
		return out, nil, fmt.Errorf("%s is a thousand or one: write the sums with two decimals", sample.TwoWays)
	}
	var list []sqlite.Invoice
	for _, r := range t.Rows[1:] {
		cell := func(i int, ok bool) string {
			if !ok || i >= len(r.Cells) {
				return ""
			}
			return r.Cells[i]
		}
		one := sqlite.Invoice{Order: cell(number, byOrder), Tracking: cell(tracking, byTracking), Line: r.Line}
		cost, why := billed(cell(sum, true), sample.Numbers)
		if why == "" && one.Order == "" && one.Tracking == "" {
			why = "it names no order and no parcel"
		}
		if why != "" {
			refused = append(refused, orderlist.Refused{Line: r.Line, Text: cell(sum, true), Reason: why})
			continue
		}
		one.Cost = cost
		list = append(list, one)
	}
	if out, err = h.db.AddInvoices(ctx, list); err == nil {
		h.changed()
	}
	return out, refused, err
}

// costColumn are columns of which one has sums.
func costColumn(n, at int) []orderlist.Field {
	columns := make([]orderlist.Field, n)
	columns[at] = orderlist.Cost
	return columns
}

// billed reads a sum of an invoice, which may be a credit.
func billed(text string, numbers measure.Column) (decimal.Decimal, string) {
	if text == "" {
		return decimal.Zero, "it has no sum"
	}
	bare, credit := text, false
	for _, sign := range []string{"-", "−"} {
		if len(text) > len(sign) && text[:len(sign)] == sign {
			bare, credit = text[len(sign):], true
		}
	}
	d, _, err := numbers.Parse(bare)
	if err != nil {
		return d, err.Error()
	}
	if credit {
		d = d.Neg()
	}
	return d, ""
}
