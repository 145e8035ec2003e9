package quote

import (
	"diadrom/internal/core/decimal"
)

// Priced is what an option charges, without the words of its breakdown.
type Priced struct {
	Method, Service, Zone string
	Amounts
	Costs
	CostKnown bool // else Costs is the zero value
}

// Prices are what the options of a quote charge, behind what is in a list already: those of one method, by its id, or
// with "" of all that are enabled, in the order of the store file. It is [Engine.Quote] without its words, for many
// orders at once.
func (e *Engine) Prices(q *Request, method string, into []Priced) []Priced {
	a := scratch.Get().(*asked)
	defer a.release()
	a.e, a.q, a.silent = e, q, true
	a.to = a.resolve(&q.To)
	a.zones = e.rank(e.zones.Match(&a.to, a.zones))
	e.measure(&a.cart, q.Lines)
	if !a.cart.shipped {
		return into
	}
	a.nearest = a.fromNearest()
	a.prepare()
	a.askCarriers()
	for i := range e.methods {
		if m := &e.methods[i]; method == "" || m.ID == method {
			a.method(m)
		}
	}
	for i := range a.options {
		n := &a.options[i]
		p := Priced{Method: n.m.ID, Service: n.service, Zone: n.zone, Amounts: n.amounts, CostKnown: n.costKnown}
		if n.costKnown {
			p.Costs = Costs{n.cost, a.margin(&n.amounts, n.cost)}
		}
		into = append(into, p)
	}
	return into
}

// margin is what is left of a charge without the tax in it after a cost.
func (a *asked) margin(of *Amounts, cost decimal.Decimal) decimal.Decimal {
	left := of.Charge.Sub(cost)
	if a.e.file.Store.Tax.PricesIncludeTax {
		left = left.Sub(of.Tax)
	}
	return left
}

// Margin is what is left of a charge after a cost, without the tax that is in the charge where prices include it.
func (e *Engine) Margin(of *Amounts, cost decimal.Decimal) decimal.Decimal {
	return (&asked{e: e}).margin(of, cost)
}

// Measured are the measures of a request's shipped goods, as tables and conditions look at them.
type Measured struct {
	Subtotal, Weight decimal.Decimal
	Quantity         int64
	Distance         *decimal.Decimal // from the nearest place that ships; nil where it is not known
	Zone             string           // the narrowest that takes the address, "" for none
	Shipped          bool
}

// Measure measures a request without pricing it.
func (e *Engine) Measure(q *Request) Measured {
	a := scratch.Get().(*asked)
	defer a.release()
	a.e, a.q, a.silent = e, q, true
	a.to = a.resolve(&q.To)
	a.zones = e.rank(e.zones.Match(&a.to, a.zones))
	e.measure(&a.cart, q.Lines)
	a.nearest = a.fromNearest()
	m := Measured{Subtotal: a.cart.subtotal, Weight: a.cart.weight, Quantity: a.cart.quantity, Distance: a.nearest.length,
		Shipped: a.cart.shipped}
	if len(a.zones) > 0 {
		m.Zone = e.file.Zones[a.zones[0].Owner].ID
	}
	return m
}
