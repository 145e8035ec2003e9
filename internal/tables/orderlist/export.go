package orderlist

import (
	"cmp"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/past"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/destination"
	"fmt"
	"slices"
)

// What shops export and the columns of docs/model.md do not have: lines for sending, orders that say only what their goods
// come to, states, and codes that have lost a zero.

// sendingSKUs are what lists of orders call a line that is no goods, but what was paid for sending them, folded; common
// practice, no source.
var sendingSKUs = []string{"shipping", "delivery", "freight", "postage", "carriage", "shipping costs", "delivery charge",
	"versand", "versandkosten", "porto", "fracht", "lieferung", "livraison", "frais de port", "port", "envio",
	"gastos de envio", "portes", "toimitus", "toimituskulu", "toimituskulut", "rahti", "postikulut", "frakt",
	"fraktkostnad", "leverans"}

// sending reads a line with what was paid for sending; false for one with goods.
func (p *parser) sending(cells []string) (is bool, reason string) {
	if !p.o.Export || p.at[fSKU] < 0 || p.at[fPrice] < 0 {
		return false, ""
	}
	sku := p.cell(cells, fSKU)
	if sku == "" || !slices.Contains(sendingSKUs, world.Fold(sku)) {
		return false, ""
	}
	n, reason := p.quantity(p.cell(cells, fQuantity))
	if reason != "" {
		return true, reason
	}
	price, reason := p.number(p.cell(cells, fPrice), Price)
	if reason != "" || price == nil {
		return true, cmp.Or(reason, "it does not say what was paid for sending")
	}
	paid := price.Mul(decimal.FromInt(n))
	if n < 0 || paid.Sign() < 0 {
		p.refund = true
	}
	if p.sent != nil {
		paid = paid.Add(*p.sent)
	}
	p.sent = &paid
	return true, ""
}

// totals makes the goods of an order that says what they come to, and not what they are: one that has their value and
// weight, and others of nothing, so that their number, their weight and their value are those of the order.
func (p *parser) totals() (reason string) {
	if len(p.order.Lines) > 0 || p.said[fValue] == "" && p.said[fTotalWeight] == "" {
		return ""
	}
	value, reason := p.number(p.said[fValue], Value)
	if reason != "" {
		return reason
	}
	weight, reason := p.number(p.said[fTotalWeight], TotalWeight)
	if reason != "" {
		return reason
	}
	n := int64(1)
	if text := p.said[fItems]; text != "" {
		if n, reason = p.quantity(text); reason != "" {
			return reason
		}
	}
	switch {
	case n < 0 || value != nil && value.Sign() < 0:
		p.refund = true
		n = 1
	case weight != nil && weight.Sign() < 0:
		return fmt.Sprintf("total weight: %q is below 0", p.said[fTotalWeight])
	}
	zero := decimal.Zero
	if value == nil {
		value = &zero
	}
	if weight == nil {
		weight = &zero
	}
	p.order.Lines = append(p.order.Lines, past.Line{Quantity: 1, Price: value, Weight: p.inStore(weight)})
	if n > 1 {
		p.order.Lines = append(p.order.Lines, past.Line{Quantity: n - 1, Price: &zero, Weight: &zero})
	}
	return ""
}

// inStore is a weight of the list in the store's unit.
func (p *parser) inStore(weight *decimal.Decimal) *decimal.Decimal {
	if weight == nil || p.o.Unit == "" || p.o.Unit == p.o.Weights {
		return weight
	}
	d := measure.Convert(measure.Weight, *weight, p.o.Unit, p.o.Weights)
	return &d
}

// postcode is the postcode of the order, with the zero that a program has taken from it.
func (p *parser) postcode(country string) (code, reason string) {
	code = p.said[fPostcode]
	short, whole := destination.LostZeros(country, code)
	switch {
	case !p.o.Export || short == "" || short != code:
		return code, ""
	case p.o.Zeros == destination.ZerosLost:
		return whole, ""
	case p.o.Zeros == destination.ZerosNone:
		return code, ""
	}
	return "", fmt.Sprintf("postcode: %s has %d digits; those of %s have %d", code, len(code), world.CountryName(country),
		len(code)+1)
}

// isGone says whether the order was cancelled or refunded.
func (p *parser) isGone() (gone bool, reason string) {
	if text := p.said[fCancelled]; text != "" && !slices.Contains(notCancelled, world.Fold(text)) {
		return true, ""
	}
	state := p.said[fStatus]
	if state == "" {
		return false, ""
	}
	counts, known := StateCounts(state)
	if !known {
		counts, known = p.o.States[world.Fold(state)]
	}
	if !known {
		return false, fmt.Sprintf("status: nothing says whether orders that are %q count", cut(state))
	}
	return !counts, ""
}
