package quote

import (
	"slices"
	"strings"

	"diadrom/internal/exact"
	"diadrom/internal/rate"
	"diadrom/internal/store"
)

// needs checks a method's conditions; the reason says which one failed first and by how much. A distance that is unknown
// counts last, as it is not the cart's fault.
func (a *asked) needs(m *method, n *store.Needs, distance *exact.Decimal) refusal {
	if n == nil {
		return refusal{}
	}
	c, u := &a.cart, a.e.units
	for _, b := range [...]struct {
		bounds *store.Bounds
		have   exact.Decimal
		write  func(exact.Decimal) string
		verb   string
	}{
		{n.Subtotal, c.subtotal, u.Money, "comes to "},
		{n.Weight, c.weight, func(d exact.Decimal) string { return u.Measure(rate.ByWeight, d) }, "weighs "},
		{n.Quantity, exact.FromInt(c.quantity), func(d exact.Decimal) string { return u.Measure(rate.ByQuantity, d) }, "has "},
		{n.LongestSide, c.longestSide, func(d exact.Decimal) string { return d.String() + " " + a.e.file.Store.LengthUnit }, "has a longest side of "},
	} {
		if reason := outOfBounds(b.bounds, b.have, b.write, b.verb); reason != "" {
			return refusal{Needs, reason}
		}
	}
	if n.BilledWeight != nil {
		write := func(d exact.Decimal) string { return u.Measure(rate.ByBilled, d.Round(3)) }
		if reason := outOfBounds(n.BilledWeight, a.e.billedOf(c, a.e.divisor(m.Method)), write, "is billed as "); reason != "" {
			return refusal{Needs, reason}
		}
	}
	if n.Distance != nil && distance != nil {
		write := func(d exact.Decimal) string { return u.Measure(rate.ByDistance, d) }
		if reason := outOfBounds(n.Distance, *distance, write, "goes "); reason != "" {
			return refusal{Needs, reason}
		}
	}
	if len(n.Coupons) > 0 && !usesCoupon(a.q.Coupons, n.Coupons) {
		return refusal{Needs, "needs one of the coupons " + strings.Join(n.Coupons, ", ")}
	}
	if len(n.Groups) > 0 && !slices.Contains(n.Groups, a.q.Group) {
		return refusal{Needs, "is for customers of the group " + strings.Join(n.Groups, ", ")}
	}
	for _, class := range c.classes {
		if len(n.OnlyClasses) > 0 && !slices.Contains(n.OnlyClasses, class) {
			return refusal{Needs, "has goods " + a.e.ofClass(class) + ", this method takes only " + a.e.classNames(n.OnlyClasses)}
		}
		if class != "" && slices.Contains(n.WithoutClasses, class) {
			return refusal{Needs, "has goods " + a.e.ofClass(class) + ", which this method does not take"}
		}
	}
	if n.Distance != nil && distance == nil {
		return refusal{NoDistance, "this method looks at the distance, and " + a.whyNoDistance(m)}
	}
	return refusal{}
}

func outOfBounds(b *store.Bounds, have exact.Decimal, write func(exact.Decimal) string, verb string) string {
	switch {
	case b == nil:
	case b.To != nil && b.To.Less(have):
		return verb + write(have) + ", this method takes up to " + write(*b.To) + " (" + write(have.Sub(*b.To)) + " too much)"
	case b.From != nil && have.Less(*b.From):
		return verb + write(have) + ", this method takes " + write(*b.From) + " and over (" + write(b.From.Sub(have)) + " short)"
	}
	return ""
}

// usesCoupon compares without case and spaces around: buyers type coupons.
func usesCoupon(used, wanted []string) bool {
	for _, u := range used {
		for _, w := range wanted {
			if strings.EqualFold(strings.TrimSpace(u), strings.TrimSpace(w)) {
				return true
			}
		}
	}
	return false
}

func (e *Engine) className(id string) string {
	for _, c := range e.file.Classes {
		if c.ID == id {
			return nameOr(c.Name, c.ID)
		}
	}
	return id
}

func (e *Engine) classNames(ids []string) string {
	names := make([]string, len(ids))
	for i, id := range ids {
		names[i] = e.className(id)
	}
	return strings.Join(names, ", ")
}

func (e *Engine) ofClass(id string) string {
	if id == "" {
		return "without a class"
	}
	return "of class " + e.className(id)
}

// isFree says whether a free rule holds, and which of its parts it was.
func (a *asked) isFree(f *store.Free) (because string, free bool) {
	if f == nil {
		return "", false
	}
	u := a.e.units
	met, given := 0, 0
	check := func(holds bool, words func() string) {
		given++
		if holds {
			if met++; because != "" {
				because += " and "
			}
			because += words()
		}
	}
	if f.Subtotal != nil {
		check(!a.cart.subtotal.Less(*f.Subtotal), func() string {
			return "from " + u.Money(*f.Subtotal) + ", the goods come to " + u.Money(a.cart.subtotal)
		})
	}
	if f.Quantity != nil {
		check(a.cart.quantity >= *f.Quantity, func() string {
			return "from " + u.Measure(rate.ByQuantity, exact.FromInt(*f.Quantity)) + ", the order has " + exact.FromInt(a.cart.quantity).String()
		})
	}
	if len(f.Coupons) > 0 {
		check(usesCoupon(a.q.Coupons, f.Coupons), func() string { return "with a coupon" })
	}
	if f.Require == "all" {
		return because, met == given
	}
	return because, met > 0
}
