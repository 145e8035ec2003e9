package quote

import (
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// needs checks a method's conditions; the reason says which one failed first and by how much. A distance that
// is unknown counts last, as it is not the cart's fault. The distance is that from the usual place.
func (a *asked) needs(m *method, n *store.Needs, usual *decimal.Decimal) Refusal {
	if n == nil {
		return Refusal{}
	}
	c := &a.cart
	distance, unknown := usual, ""
	if n.Distance != nil {
		distance, unknown = a.farthest(usual)
	}
	for _, b := range [...]struct {
		bounds *store.Bounds
		have   decimal.Decimal
		by     rate.By
	}{
		{n.Subtotal, c.subtotal, rate.BySubtotal},
		{n.Weight, c.weight, rate.ByWeight},
		{n.Quantity, decimal.FromInt(c.quantity), rate.ByQuantity},
		{n.LongestSide, c.longestSide, LongestSide},
	} {
		if r := outOfBounds(b.bounds, b.have, b.by); r.Code != "" {
			return r
		}
	}
	if n.BilledWeight != nil {
		if r := outOfBounds(n.BilledWeight, a.e.billedOf(c, a.e.divisor(m.Method)), rate.ByBilled); r.Code != "" {
			return r
		}
	}
	if r := a.parcelNeeds(m, n); r.Code != "" {
		return r
	}
	if n.Distance != nil && distance != nil {
		if r := outOfBounds(n.Distance, *distance, rate.ByDistance); r.Code != "" {
			return r
		}
	}
	if len(n.Coupons) > 0 && !usesCoupon(a.q.Coupons, n.Coupons) {
		return Refusal{Code: Needs, Cause: CouponNeeded, Names: n.Coupons}
	}
	if len(n.Groups) > 0 && !slices.Contains(n.Groups, a.q.Group) {
		return Refusal{Code: Needs, Cause: GroupNeeded, Names: n.Groups}
	}
	for _, class := range c.classes {
		if len(n.OnlyClasses) > 0 && !slices.Contains(n.OnlyClasses, class) {
			return Refusal{
				Code:  Needs,
				Cause: ClassNotTaken,
				Class: a.e.file.ClassName(class),
				Names: a.e.classNames(n.OnlyClasses),
			}
		}
		if class != "" && slices.Contains(n.WithoutClasses, class) {
			return Refusal{Code: Needs, Cause: ClassNotTaken, Class: a.e.file.ClassName(class)}
		}
	}
	if n.Distance != nil && distance == nil {
		return a.noDistance(m, unknown)
	}
	return Refusal{}
}

func outOfBounds(b *store.Bounds, have decimal.Decimal, by rate.By) Refusal {
	switch {
	case b == nil:
	case b.To != nil && b.To.Less(have):
		return Refusal{Code: Needs, Cause: OverLimit, By: by, Have: have, Limit: *b.To}
	case b.From != nil && have.Less(*b.From):
		return Refusal{Code: Needs, Cause: UnderLimit, By: by, Have: have, Limit: *b.From}
	}
	return Refusal{}
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

func (e *Engine) classNames(ids []string) []string {
	names := make([]string, len(ids))
	for i, id := range ids {
		names[i] = e.file.ClassName(id)
	}
	return names
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
			return "from " + u.Measure(
				rate.ByQuantity,
				decimal.FromInt(*f.Quantity),
			) + ", the order has " + decimal.FromInt(a.cart.quantity).String()
		})
	}
	if len(f.Coupons) > 0 {
		check(usesCoupon(a.q.Coupons, f.Coupons), func() string { return "with a coupon" })
	}
	if f.Require == store.RequireAll {
		return because, met == given
	}
	return because, met > 0
}
