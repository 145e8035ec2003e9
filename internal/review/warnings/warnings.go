// Package warnings finds warnings about a store's methods and price lists: none of it is a fault, and all of
// it has cost shops money (common practice, no source).
package warnings

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// Warning is something that may lose money or buyers though it is no fault.
type Warning struct {
	Table string // id of the list, "" of the method itself
	Zone  string // of the column, "" of all
	Row   int    // −1 of none
	Text  string
}

// Method lists the warnings about a method.
func Method(f *store.File, m *store.Method) []Warning {
	list := append(free(f, m), unpriced(f, m)...)
	list = append(list, parcels(f, m)...)
	list = append(list, standsIn(f, m)...)
	for i := range m.Tables {
		t := &m.Tables[i]
		list = append(list, falls(f, t)...)
		list = append(list, jumps(f, t)...)
		list = append(list, outOfReach(f, m, t)...)
		list = append(list, percents(f, m, t)...)
		if !asks(m) {
			list = append(list, empty(f, t)...)
		}
	}
	return list
}

// limit is up to where a list's curve is looked at: well past its last break.
func limit(t *rate.Table) decimal.Decimal {
	for i := len(t.Rows) - 1; i >= 0; i-- {
		if at := t.Rows[i].At; at != nil && !at.IsZero() {
			return at.Mul(decimal.FromInt(2))
		}
	}
	return decimal.FromInt(10)
}

// falls finds prices that fall as the parcel grows: a heavier one, one with more goods, one that goes farther.
// In a list by the sum of the goods that is a reward and meant.
func falls(f *store.File, t *rate.Table) (list []Warning) {
	if t.By == rate.ByOrder || t.By == rate.BySubtotal {
		return nil
	}
	w := f.Words()
	grows := map[rate.By]string{
		rate.ByWeight:   "a heavier parcel",
		rate.ByBilled:   "a larger parcel",
		rate.ByQuantity: "an order of more goods",
		rate.ByDistance: "a longer way",
	}[t.By]
	for j, zone := range t.Zones {
		curve := t.Curve(j, rate.Goods{Quantity: 1}, limit(t))
		for i := 1; i < len(curve); i++ {
			a, b := &curve[i-1], &curve[i]
			if from, to := a.Y2.Round(w.Digits), b.Y1.Round(w.Digits); b.Row != a.Row && to.Less(from) {
				list = append(
					list,
					Warning{
						t.ID,
						zone,
						b.Row,
						fmt.Sprintf(
							"%s: at %s the price falls from %s to %s, so that %s costs less",
							f.ZoneName(zone),
							w.Measure(t.By, b.X1),
							w.Money(from),
							w.Money(to),
							grows,
						),
					},
				)
				break
			}
		}
	}
	return list
}

// jumps finds sums of goods at which a little more of them costs more delivery than it is worth.
func jumps(f *store.File, t *rate.Table) (list []Warning) {
	if t.By != rate.BySubtotal {
		return nil
	}
	w := f.Words()
	little := decimal.MustParse("0.10")
	if w.Digits == 0 {
		little = decimal.One
	}
	for j, zone := range t.Zones {
		curve := t.Curve(j, rate.Goods{Quantity: 1}, limit(t))
		for i := 1; i < len(curve); i++ {
			a, b := &curve[i-1], &curve[i]
			if jump := b.Y1.Sub(a.Y2); b.Row != a.Row && little.Less(jump) {
				list = append(
					list,
					Warning{
						t.ID,
						zone,
						b.Row,
						fmt.Sprintf(
							"%s: a buyer who adds %s of goods at %s pays %s more",
							f.ZoneName(zone),
							w.Money(little),
							w.Money(b.X1),
							w.Money(jump.Round(w.Digits)),
						),
					},
				)
				break
			}
		}
	}
	return list
}

// outOfReach finds rows that no cart within the method's conditions gets to. Lower bounds do not count: a list
// may price less than all goods of an order.
func outOfReach(f *store.File, m *store.Method, t *rate.Table) (list []Warning) {
	if t.By == rate.ByOrder || len(t.Zones) == 0 {
		return nil
	}
	u := f.Store.Units()
	for i := range t.Rows {
		var low decimal.Decimal // the row covers what is above it, or from it on
		if t.Edges == rate.UpTo {
			if i == 0 {
				continue
			}
			low = *t.Rows[i-1].At
		} else {
			low = *t.Rows[i].At
		}
		reason := ""
		for _, zone := range t.Zones {
			b := boundOf(m.TermsIn(zone).Needs, t.By)
			if b == nil || b.To == nil || low.Less(*b.To) || t.Edges == rate.From && low.Cmp(*b.To) == 0 {
				reason = ""
				break
			}
			reason = "this method takes up to " + u.Measure(t.By, *b.To)
		}
		if reason != "" {
			list = append(list, Warning{t.ID, "", i, "no order gets to the row " + t.RowWords(i, u) + ": " + reason})
		}
	}
	return list
}

func boundOf(n *store.Needs, by rate.By) *store.Bounds {
	if n == nil {
		return nil
	}
	switch by {
	case rate.ByWeight:
		return n.Weight
	case rate.ByBilled:
		return n.BilledWeight
	case rate.BySubtotal:
		return n.Subtotal
	case rate.ByQuantity:
		return n.Quantity
	case rate.ByDistance:
		return n.Distance
	}
	return nil
}

// percents finds percentages without a bound, and those above a hundred.
func percents(f *store.File, m *store.Method, t *rate.Table) (list []Warning) {
	for j, zone := range t.Zones {
		maximum := m.TermsIn(zone).Maximum
		for i := range t.Rows {
			c := t.Rows[i].Charges[j]
			if c == nil || c.Percent == nil {
				continue
			}
			if decimal.Hundred.Less(*c.Percent) {
				list = append(
					list,
					Warning{
						t.ID,
						zone,
						i,
						fmt.Sprintf(
							"%s: %s %% of goods is more than the goods cost: is that meant?",
							f.ZoneName(zone),
							c.Percent,
						),
					},
				)
				break
			}
			if maximum == nil && bare(t, i) {
				list = append(
					list,
					Warning{
						t.ID,
						zone,
						i,
						fmt.Sprintf(
							"%s: %s %% of goods has no bound: set what it costs at most",
							f.ZoneName(zone),
							c.Percent,
						),
					},
				)
				break
			}
		}
	}
	return list
}

// bare says whether the goods in a row can come to any sum.
func bare(t *rate.Table, i int) bool { return t.By != rate.BySubtotal || i == len(t.Rows)-1 }

// empty finds columns in which nothing is offered, beside others that have prices: no broader zone stands in
// for them.
func empty(f *store.File, t *rate.Table) (list []Warning) {
	for j, zone := range t.Zones {
		if !slices.ContainsFunc(t.Rows, func(r rate.Row) bool { return r.Charges[j] != nil }) {
			list = append(
				list,
				Warning{
					t.ID,
					zone,
					-1,
					f.ZoneName(zone) + ": nothing is offered in this column, and no broader zone stands in for it",
				},
			)
		}
	}
	if len(list) == len(t.Zones) {
		return nil
	}
	return list
}

// free finds a free sum that every order reaches.
func free(f *store.File, m *store.Method) (list []Warning) {
	var cheapest *decimal.Decimal
	for i := range f.Products {
		if p := &f.Products[i]; p.NeedsShipping && !p.ShipsFree && (cheapest == nil || p.Price.Less(*cheapest)) {
			cheapest = &p.Price
		}
	}
	w := f.Words()
	look := func(r *store.Free, zone string) {
		if r == nil || r.Subtotal == nil || cheapest == nil || cheapest.Less(*r.Subtotal) ||
			r.Require == store.RequireAll && (r.Quantity != nil || len(r.Coupons) > 0) {
			return
		}
		where := ""
		if zone != "" {
			where = f.ZoneName(zone) + ": "
		}
		list = append(
			list,
			Warning{
				"",
				zone,
				-1,
				where + "free from " + w.Money(
					*r.Subtotal,
				) + " is always free: the cheapest product costs " + w.Money(*cheapest),
			},
		)
	}
	look(m.Free, "")
	for _, zone := range slices.Sorted(maps.Keys(m.Terms)) {
		look(m.Terms[zone].Free, zone)
	}
	return list
}

// unpriced finds terms of zones to which the method has no price, so that they count for nobody.
func unpriced(f *store.File, m *store.Method) (list []Warning) {
	for _, zone := range m.TermZones()[len(m.ServedZones()):] {
		list = append(
			list,
			Warning{
				"",
				zone,
				-1,
				f.ZoneName(zone) + ": this method has terms here and no price, so they count for nobody",
			},
		)
	}
	return list
}

// Nobody says why no one can be offered a method that is switched on; "" where somebody may.
func Nobody(f *store.File, m *store.Method) string {
	if !m.Enabled {
		return ""
	}
	if len(m.Tables) == 0 {
		return "it has no price list"
	}
	if asks(m) {
		if why := unasked(f, m); why != "" {
			return why
		}
	}
	off := map[string]bool{}
	for i := range f.Zones {
		off[f.Zones[i].ID] = !f.Zones[i].Enabled || len(f.Zones[i].Places) == 0
	}
	columns, priced, open := 0, false, false
	for i := range m.Tables {
		t := &m.Tables[i]
		for j, zone := range t.Zones {
			columns++
			has := hasPrice(m, t, j)
			priced = priced || has
			open = open || has && !off[zone] && m.TermsIn(zone).Enabled
		}
	}
	switch {
	case columns == 0:
		return "its list has no zone"
	case !priced:
		return "its list has no price yet"
	case !open:
		return "all zones with a price are switched off, or take no place"
	}
	if n := m.Needs; n != nil && len(n.OnlyClasses) > 0 {
		allowed := slices.DeleteFunc(
			slices.Clone(n.OnlyClasses),
			func(c string) bool { return slices.Contains(n.WithoutClasses, c) },
		)
		if len(allowed) == 0 {
			return "it takes only classes that it leaves out"
		}
		if len(f.Products) > 0 &&
			!slices.ContainsFunc(
				f.Products,
				func(p store.Product) bool { return p.NeedsShipping && slices.Contains(allowed, p.Class) },
			) {
			return "no product is of the classes that it takes (" + strings.Join(allowed, ", ") + ")"
		}
	}
	return ""
}
