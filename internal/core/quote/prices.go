package quote

import (
	"slices"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
)

// Priced is what an option charges, without the words of its breakdown.
type Priced struct {
	Method, Service, Zone string
	Amounts
	Costs
	CostKnown bool // else Costs is the zero value
}

// Place is an address made ready for many quotes, of an engine that asks nobody outside.
type Place struct {
	to         place.Resolved
	zones      []place.Match
	surcharges []int
	taxPercent decimal.Decimal
	nearest    way
	// Like is the same only for addresses to which every cart costs the same.
	Like string
}

// Place makes an address ready.
func (e *Engine) Place(to *place.Address) *Place {
	a := scratch.Get().(*asked)
	defer a.release()
	a.e, a.q = e, &Request{To: *to}
	a.to = a.resolve(to)
	a.zones = e.rank(e.zones.Match(&a.to, a.zones))
	a.nearest = a.fromNearest()
	a.prepare()
	return &Place{
		a.to,
		slices.Clone(a.zones),
		slices.Clone(a.surcharges),
		a.taxPercent,
		a.nearest,
		string(a.likeness(nil)),
	}
}

// Narrowest is the narrowest zone that takes the address, by its id; "" for none.
func (p *Place) Narrowest(e *Engine) string {
	if len(p.zones) == 0 {
		return ""
	}
	return e.file.Zones[p.zones[0].Owner].ID
}

// Serving is the zone by which a method, by its id, serves the address, whether it has a price there or not; false
// where it does not, or is switched off.
func (p *Place) Serving(e *Engine, method string) (zone string, ok bool) {
	for i := range e.methods {
		m := &e.methods[i]
		if m.ID != method {
			continue
		}
		for j := range p.zones {
			if m.served[p.zones[j].Owner] != nil {
				return e.file.Zones[p.zones[j].Owner].ID, true
			}
		}
	}
	return "", false
}

// Prices are what the options of a quote charge, behind what is in a list already: those of one method, by its id, or
// with "" of all that are enabled, in the order of the store file. It is [Engine.Quote] without its words, for many
// orders at once. at is the request's address, made ready by the same engine; nil where it is not.
func (e *Engine) Prices(q *Request, at *Place, method string, into []Priced) []Priced {
	a := scratch.Get().(*asked)
	defer a.release()
	a.e, a.q, a.silent = e, q, true
	e.measure(&a.cart, q.Lines)
	if !a.cart.shipped {
		return into
	}
	if at != nil {
		a.to, a.nearest, a.taxPercent = at.to, at.nearest, at.taxPercent
		a.zones, a.surcharges = append(a.zones, at.zones...), append(a.surcharges, at.surcharges...)
		a.alone()
		a.agree()
	} else {
		a.to = a.resolve(&q.To)
		a.zones = e.rank(e.zones.Match(&a.to, a.zones))
		a.nearest = a.fromNearest()
		a.prepare()
	}
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

// Measured are the measures of a request's charged goods as the price lists of a method look at them, all parcels
// together.
type Measured struct {
	Zone             string // the narrowest that a list of the method serves, else the narrowest that takes the address
	Subtotal, Weight decimal.Decimal
	Quantity         int64
	Distance         *decimal.Decimal // from where the method's goods leave; nil where it is not known
	Parcels          int64
	Tax              decimal.Decimal // percent that the method's charge includes; 0 where it includes none
}

// Measure measures a request for a method, by its id, without pricing it; the zero value where the store has no such
// method or it is switched off.
func (e *Engine) Measure(q *Request, method string) (is Measured) {
	a := scratch.Get().(*asked)
	defer a.release()
	a.e, a.q, a.silent = e, q, true
	a.to = a.resolve(&q.To)
	a.zones = e.rank(e.zones.Match(&a.to, a.zones))
	e.measure(&a.cart, q.Lines)
	a.nearest = a.fromNearest()
	a.prepare()
	for i := range e.methods {
		m := &e.methods[i]
		if m.ID != method {
			continue
		}
		is.Zone = a.narrowest()
		if position, s := a.serving(m); s != nil {
			is.Zone = e.file.Zones[a.zones[position].Owner].ID
		}
		for j := range a.cart.together {
			is.add(&a.cart.together[j], 1)
		}
		for j := range a.cart.alone {
			is.add(&a.cart.alone[j].portion, a.cart.alone[j].count)
		}
		list := a.parcelled(m.plan, false).parcels
		for j := range list {
			is.Parcels += list[j].count
		}
		if is.Distance = a.nearest.length; m.ownFrom {
			is.Distance = a.wayFrom(m.from).length
		}
		if m.Taxable && e.file.Store.Tax.PricesIncludeTax {
			is.Tax = a.taxPercent
		}
	}
	return is
}

func (is *Measured) add(p *portion, count int64) {
	n := decimal.FromInt(count)
	is.Weight, is.Subtotal = is.Weight.Add(p.goods.Weight.Mul(n)), is.Subtotal.Add(p.goods.Subtotal.Mul(n))
	is.Quantity += p.goods.Quantity * count
}

// narrowest is the narrowest zone that takes the address; "" for none.
func (a *asked) narrowest() string {
	if len(a.zones) == 0 {
		return ""
	}
	return a.e.file.Zones[a.zones[0].Owner].ID
}

// Subtotal is the sum of a request's goods that conditions and free delivery look at.
func (e *Engine) Subtotal(q *Request) decimal.Decimal {
	a := scratch.Get().(*asked)
	defer a.release()
	e.measure(&a.cart, q.Lines)
	return a.cart.subtotal
}
