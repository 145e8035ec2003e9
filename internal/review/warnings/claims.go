package warnings

import (
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/quote"
)

// Claims hold names and numbers alone: a warning that is taken over from one reading to the next keeps nothing of the
// store that it was found in.

// option is a method among those that are offered; nil where it is not.
func option(a *quote.Answer, method string) *quote.Option {
	for i := range a.Options {
		if a.Options[i].Method == method {
			return &a.Options[i]
		}
	}
	return nil
}

// refusal is why a method is not offered; nil where it is.
func refusal(a *quote.Answer, method string) *quote.Refused {
	for i := range a.Refused {
		if a.Refused[i].Method == method {
			return &a.Refused[i]
		}
	}
	return nil
}

// takenBy says where a zone stands among those that take the address; -1 where it does not.
func takenBy(a *quote.Answer, zone string) int {
	return slices.IndexFunc(a.Zones, func(z quote.Zone) bool { return z.Zone == zone })
}

// isFree says whether an option is free by a rule of free delivery.
func isFree(o *quote.Option) bool {
	return o != nil && slices.ContainsFunc(o.Steps, func(s quote.Step) bool { return s.Kind == quote.StepFree })
}

// always is the claim of a warning that needs none.
func always(_, _ *quote.Answer) bool { return true }

// nothing is the claim that nothing is offered.
func nothing(a, _ *quote.Answer) bool { return a.NeedsShipping && len(a.Options) == 0 }

// refuses is the claim that a method is not offered.
func refuses(method string) claim {
	return func(a, _ *quote.Answer) bool { return refusal(a, method) != nil }
}

// noRate is the claim that a method is refused because no row has a price.
func noRate(method string) claim {
	return func(a, _ *quote.Answer) bool {
		refused := refusal(a, method)
		return refused != nil && refused.Code == quote.NoRate
	}
}

// offersBy is the claim that a method is offered at the prices of a zone.
func offersBy(method, zone string) claim {
	return func(a, _ *quote.Answer) bool {
		o := option(a, method)
		return o != nil && o.Zone == zone
	}
}

// paidTwice is the claim that a price list charges something for several parcels of an order.
func paidTwice(method, zone, table string) claim {
	return func(a, _ *quote.Answer) bool {
		o := option(a, method)
		return o != nil && o.Zone == zone && len(o.Parcels) > 1 && !isFree(o) &&
			slices.ContainsFunc(o.Steps, func(s quote.Step) bool {
				return s.Kind == quote.StepTable && s.Table == table && strings.ContainsAny(s.Amount, "123456789")
			})
	}
}

// through is the claim that a method is offered at the prices of one zone where another takes the address first.
func through(method, first, by string) claim {
	return func(a, _ *quote.Answer) bool {
		o := option(a, method)
		return o != nil && o.Zone == by && takenBy(a, first) == 0
	}
}

// without is the claim that a zone takes an address first and that nothing is offered at prices of its own.
func without(zone string) claim {
	return func(a, _ *quote.Answer) bool {
		return takenBy(a, zone) == 0 &&
			!slices.ContainsFunc(a.Options, func(o quote.Option) bool { return o.Zone == zone })
	}
}

// takes is the claim that a zone takes an address, behind is the one that others come before it.
func takes(zone string) claim {
	return func(a, _ *quote.Answer) bool { return takenBy(a, zone) >= 0 }
}

func behind(zone string) claim {
	return func(a, _ *quote.Answer) bool { return takenBy(a, zone) > 0 }
}

// before is the claim that a zone comes before another that takes the address too.
func before(zone, other string) claim {
	return func(a, _ *quote.Answer) bool {
		x, y := takenBy(a, zone), takenBy(a, other)
		return x >= 0 && y > x
	}
}

// free is the claim that a method is free by a rule of free delivery, unfree the one that it is not.
func free(method string) claim {
	return func(a, _ *quote.Answer) bool { return isFree(option(a, method)) }
}

func unfree(method string) claim {
	return func(a, _ *quote.Answer) bool { return !isFree(option(a, method)) }
}

// charges is the claim that a method is offered and costs something.
func charges(method string) claim {
	return func(a, _ *quote.Answer) bool {
		o := option(a, method)
		return o != nil && o.Amounts.Charge.Sign() > 0
	}
}

// untaxed is the claim that a method costs something and has no tax in its price.
func untaxed(method string) claim {
	return func(a, _ *quote.Answer) bool {
		o := option(a, method)
		return o != nil && o.Amounts.Charge.Sign() > 0 && o.Amounts.Tax.IsZero()
	}
}

// less is the claim that a method costs less than in the answer beside.
func less(method string) claim {
	return func(a, beside *quote.Answer) bool {
		x, y := option(a, method), option(beside, method)
		return x != nil && y != nil && x.Amounts.Charge.Less(y.Amounts.Charge)
	}
}

// more is the claim that a method costs more than in the answer beside, by more than a sum.
func more(method string, sum decimal.Decimal) claim {
	return func(a, beside *quote.Answer) bool {
		x, y := option(a, method), option(beside, method)
		return x != nil && y != nil && sum.Less(x.Amounts.Charge.Sub(y.Amounts.Charge))
	}
}

// share is the claim that a method costs at least a percentage of the goods; with a maximum, that it is offered.
func share(method string, percent decimal.Decimal, digits int, bounded bool) claim {
	return func(a, _ *quote.Answer) bool {
		o := option(a, method)
		if o == nil {
			return false
		}
		sum, err := decimal.Parse(a.Measures.Subtotal)
		return err == nil && (bounded || !o.Amounts.Charge.Less(sum.Percent(percent).Round(digits)))
	}
}

// lack is the claim that an answer warns of goods by a code of its own; "" that they are shipped.
func lack(code string) claim {
	return func(a, _ *quote.Answer) bool {
		return a.NeedsShipping && (code == "" ||
			slices.ContainsFunc(a.Warnings, func(w quote.Warning) bool { return w.Code == code }))
	}
}

// boxless is the claim that a parcel of a method has no box.
func boxless(method string) claim {
	return func(a, _ *quote.Answer) bool {
		o := option(a, method)
		return o != nil && slices.ContainsFunc(o.Parcels, func(p quote.Parcel) bool { return p.Box == nil })
	}
}

// belowBoxes is the claim that a method that is not free costs less than its boxes, by what these cost.
func belowBoxes(method string, costs map[string]decimal.Decimal) claim {
	return func(a, _ *quote.Answer) bool {
		o := option(a, method)
		if o == nil || isFree(o) || o.Amounts.Charge.Sign() <= 0 {
			return false
		}
		var sum decimal.Decimal
		for i := range o.Parcels {
			if b := o.Parcels[i].Box; b != nil {
				sum = sum.Add(costs[*b])
			}
		}
		return o.Amounts.Charge.Less(sum)
	}
}

// belowItsCost is the claim that what is left of a method's charge does not pay what sending costs, though it is not
// free.
func belowItsCost(method string) claim {
	return func(a, _ *quote.Answer) bool {
		o := option(a, method)
		return o != nil && !isFree(o) && o.Costs != nil && o.Costs.Margin.Sign() < 0
	}
}

// worse is the claim that a method is dearer and slower than another.
func worse(method, than string) claim {
	return func(a, _ *quote.Answer) bool {
		x, y := option(a, method), option(a, than)
		return x != nil && y != nil && y.Amounts.Charge.Less(x.Amounts.Charge) && slower(x.Days, y.Days)
	}
}

// unused is the claim that no coupon of the request made a method free.
func unused(method string) claim {
	return func(a, _ *quote.Answer) bool {
		o := option(a, method)
		return o == nil || !slices.ContainsFunc(o.Steps, func(s quote.Step) bool {
			return s.Kind == quote.StepFree && strings.Contains(s.Text, "coupon")
		})
	}
}
