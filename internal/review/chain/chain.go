// Package chain explains where the price of a delivery method comes from: everything that could have decided it, in the
// order in which it is looked at, what each would give, and which of them did.
package chain

import (
	"slices"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// Chain is where the price of a method for a request comes from.
type Chain struct {
	Agreed []Agreed // in the order in which they are looked at
	Zones  []Zone   // that take the address, the most specific first
	Steps  []Step   // from the price list to the price; none where it is refused
	Extras []Extra  // surcharges that name the method and are not part of the steps

	Charge, Tax, Total string // "" where it is refused
	Refused            string // why it is not offered
	Service, Label     string // of its carrier, what is explained; "" where it asks none
}

// Agreed is an agreed charge that covers the method.
type Agreed struct {
	*store.Agreed
	Holds   bool
	Decides bool
}

// Zone is a zone that takes the address, with what the method costs there.
type Zone struct {
	ID, Because string
	Served      bool   // the method has prices there
	Decides     bool   // it is the first that has, so its prices count
	Charge      string // what its prices alone would give, without agreed charges; "" where it is refused or not served
	Refused     string // why its prices give none
	NoFallback  bool   // zones behind it are not looked at
}

// Step is a step with the sum up to it.
type Step struct {
	quote.Step
	Sum string
}

// Extra is a surcharge that does not apply, to this address.
type Extra struct{ ID, Name string }

// maxZones is how many zones are priced by themselves.
const maxZones = 50

// Of explains the price of a method, by its id, and of a service of its carrier, "" for the first that is offered;
// false
// where there is no such method.
func Of(e *quote.Engine, q *quote.Request, method, service string) (Chain, bool) {
	f := e.Store()
	m := f.Method(method)
	if m == nil {
		return Chain{}, false
	}
	var c Chain
	answer := e.Quote(q)
	c.Service = service
	c.price(f, answer, method)
	c.agreed(e, q, m)
	c.zones(e, q, m, answer)
	c.extras(f, m)
	return c, true
}

// price takes over what the engine says.
func (c *Chain) price(f *store.File, answer *quote.Answer, method string) {
	if o := c.option(answer, method); o != nil {
		c.Service, c.Label = o.Service, o.Label
		c.Charge, c.Tax, c.Total = o.Charge, o.Tax, o.Total
		sum := decimal.Zero
		for _, s := range o.Steps {
			amount, err := decimal.Parse(s.Amount)
			if err == nil {
				sum = sum.Add(amount)
			}
			c.Steps = append(c.Steps, Step{s, f.Store.Units().Money(sum)})
		}
	}
	for i := range answer.Refused {
		if answer.Refused[i].Method == method {
			c.Refused = answer.Refused[i].Reason
		}
	}
}

// option is that of a method in an answer, by the service that is explained; where no service is named, or the carrier
// failed, the first.
func (c *Chain) option(answer *quote.Answer, method string) *quote.Option {
	for i := range answer.Options {
		o := &answer.Options[i]
		if o.Method == method && (c.Service == "" || o.Service == "" || o.Service == c.Service) {
			return o
		}
	}
	return nil
}

// agreed lists the agreed charges that cover the method.
func (c *Chain) agreed(e *quote.Engine, q *quote.Request, m *store.Method) {
	decided := c.Charge == ""
	for _, a := range e.Agreements(q) {
		if len(a.Methods) > 0 && !slices.Contains(a.Methods, m.ID) {
			continue
		}
		c.Agreed = append(c.Agreed, Agreed{a.Agreed, a.Holds, a.Holds && !decided})
		decided = decided || a.Holds
	}
}

// zones prices the method in each zone that takes the address, as if that alone did.
func (c *Chain) zones(e *quote.Engine, q *quote.Request, m *store.Method, answer *quote.Answer) {
	f, served, decided, closed := e.Store(), m.ServedZones(), false, false
	for i, z := range answer.Zones {
		zone := Zone{ID: z.Zone, Because: z.Because, Served: slices.Contains(served, z.Zone),
			NoFallback: f.Zone(z.Zone).Only}
		zone.Decides = zone.Served && !decided && !closed
		decided, closed = decided || zone.Served, closed || zone.NoFallback
		if zone.Served && i < maxZones {
			alone := e.Again(only(f, m, z.Zone)).Quote(q)
			if o := c.option(alone, m.ID); o != nil {
				zone.Charge = o.Charge
			}
			for j := range alone.Refused {
				zone.Refused = alone.Refused[j].Reason
			}
		}
		c.Zones = append(c.Zones, zone)
	}
}

// only is a store of one zone and one method, without agreed charges.
func only(f *store.File, m *store.Method, zone string) *store.File {
	one := *f
	one.Zones, one.Agreed, one.Products = []store.Zone{*f.Zone(zone)}, nil, nil
	method := *m
	method.Tables = nil
	for i := range m.Tables {
		column := slices.Index(m.Tables[i].Zones, zone)
		if column < 0 {
			continue
		}
		t := m.Tables[i]
		t.Zones, t.Rows = []string{zone}, slices.Clone(t.Rows)
		for r := range t.Rows {
			t.Rows[r].Charges = []*rate.Charge{t.Rows[r].Charges[column]}
		}
		method.Tables = append(method.Tables, t)
	}
	method.Terms = nil
	if own, ok := m.OwnTerms(zone); ok {
		method.Terms = map[string]store.Terms{zone: own}
	}
	one.Methods = []store.Method{method}
	one.Surcharges = nil
	for _, s := range f.Surcharges {
		if len(s.Methods) == 0 || slices.Contains(s.Methods, m.ID) {
			s.Methods = nil
			one.Surcharges = append(one.Surcharges, s)
		}
	}
	return &one
}

// extras lists the surcharges of the method that are not part of the steps.
func (c *Chain) extras(f *store.File, m *store.Method) {
	for i := range f.Surcharges {
		s := &f.Surcharges[i]
		if len(s.Methods) > 0 && !slices.Contains(s.Methods, m.ID) {
			continue
		}
		name := s.Name
		if name == "" {
			name = s.ID
		}
		if !slices.ContainsFunc(c.Steps, func(step Step) bool {
			return step.Kind == quote.StepSurcharge && len(step.Text) > len(name) && step.Text[:len(name)+1] == name+":"
		}) {
			c.Extras = append(c.Extras, Extra{s.ID, name})
		}
	}
}
