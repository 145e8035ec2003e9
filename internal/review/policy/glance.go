package policy

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/core/world"
)

// Glance is a method in a line: what people look for when they scan a list of methods.
type Glance struct {
	Where []string // names of the zones that it is offered to
	// from the lowest to the highest price in its price lists: "€4.90–€14.90"; "" where it offers nothing
	Prices  string
	Carrier string // whose prices it has; "" for its own
	More    bool   // prices grow with what is sent: "€4.90–€14.90+"
	Days    string // its delivery time, over all of its zones; "" where none is said
	Free    string // what makes it free, "" for nothing; "by zone" where that differs
}

// GlanceAt sums up a method. The prices are those of the price lists with the handling fee, within the method's lowest
// and highest price: what is charged by weight, item, distance or value beside them is "+".
func GlanceAt(f *store.File, m *store.Method) Glance {
	var g Glance
	var span priceSpan
	var days, free []string
	asks := m.Kind == store.CarrierKind && m.Carrier != nil &&
		slices.ContainsFunc(m.Carrier.Services, func(s store.Service) bool { return s.Enabled })
	for _, zone := range m.ServedZones() {
		own, _ := m.OwnTerms(zone)
		if !own.Enabled {
			continue
		}
		hold, offered := m.TermsIn(zone), false
		for i := range m.Tables {
			if column := slices.Index(m.Tables[i].Zones, zone); column >= 0 {
				offered = span.add(&m.Tables[i], column, &hold) || offered
			}
		}
		if !offered && !asks {
			continue
		}
		g.Where = append(g.Where, f.ZoneName(zone))
		days, free = append(days, shortDays(hold.Days)), append(free, shortFree(f, hold.Free))
	}
	g.Prices, g.More = span.text(f), span.more
	g.Days, g.Free = same(days), same(free)
	if m.Kind == store.CarrierKind {
		g.Prices, g.More, g.Days = "", false, cmp.Or(g.Days, "by carrier")
		if c := f.Carrier(carrierOf(m)); c != nil && asks {
			g.Carrier = cmp.Or(c.Name, c.ID)
		}
	}
	return g
}

// carrierOf is the id of the carrier that a method asks.
func carrierOf(m *store.Method) string {
	if m.Carrier == nil {
		return ""
	}
	return m.Carrier.ID
}

// same is what all texts of a list say; "by zone" where they differ.
func same(list []string) string {
	switch list = slices.Compact(slices.Sorted(slices.Values(list))); len(list) {
	case 0:
		return ""
	case 1:
		return list[0]
	}
	return "by zone"
}

// priceSpan is from the lowest to the highest price.
type priceSpan struct {
	low, high *decimal.Decimal
	more      bool // some prices are higher, by what is charged for each unit
}

// add takes a column in; false where it offers nothing.
func (s *priceSpan) add(t *rate.Table, column int, hold *store.Terms) (offered bool) {
	for i := range t.Rows {
		c := t.Rows[i].Charges[column]
		if c == nil {
			continue
		}
		offered = true
		fixed, more := fixedPart(c)
		if h := hold.Handling; h != nil {
			if h.Amount != nil {
				fixed = fixed.Add(*h.Amount)
			}
			more = more || h.Percent != nil
		}
		if hold.Minimum != nil && fixed.Less(*hold.Minimum) {
			fixed = *hold.Minimum
		}
		high := fixed
		if hold.Maximum != nil {
			if more || hold.Maximum.Less(fixed) {
				high = *hold.Maximum
			}
			if hold.Maximum.Less(fixed) {
				fixed = *hold.Maximum
			}
			more = false
		}
		if s.low == nil || fixed.Less(*s.low) {
			s.low = &fixed
		}
		if s.high == nil || s.high.Less(high) {
			s.high = &high
		}
		s.more = s.more || more
	}
	return offered
}

// fixedPart is what a charge is for the first item of no weight over no distance; more says whether it grows.
func fixedPart(c *rate.Charge) (fixed decimal.Decimal, more bool) {
	for _, d := range []*decimal.Decimal{c.Base, c.PerItem, c.FirstItem} {
		if d != nil {
			fixed = fixed.Add(*d)
		}
	}
	return fixed, c.PerItem != nil || c.NextItem != nil || c.PerWeight != nil || c.PerDistance != nil ||
		c.Percent != nil
}

func (s *priceSpan) text(f *store.File) string {
	if s.low == nil {
		return ""
	}
	price := func(d *decimal.Decimal) string {
		return world.DeliveryPrice(f.Store.Units().Money(*d), f.Store.Currency)
	}
	text := price(s.low)
	if s.low.Cmp(*s.high) != 0 {
		text += "–" + price(s.high)
	}
	if s.more {
		text += "+"
	}
	return text
}

// shortDays writes a delivery time for a narrow column: "2–4 working days".
func shortDays(d *store.Days) string {
	text := terms.FormatDays(d)
	if d == nil || d.Min == 0 || d.Min == d.Max {
		return text
	}
	span := strconv.FormatInt(d.Min, 10) + " to " + strconv.FormatInt(d.Max, 10)
	return strings.Replace(text, span, strings.Replace(span, " to ", "–", 1), 1)
}

// shortFree writes free delivery for a narrow column: "from €75.00", else as the terms have it.
func shortFree(f *store.File, free *store.Free) string {
	if free == nil {
		return ""
	}
	text := terms.FormatFree(free, f.Words())
	if free.Subtotal != nil {
		sum := f.Words().Money(*free.Subtotal)
		text = strings.Replace(text, sum, world.Price(sum, f.Store.Currency), 1)
	}
	return text
}
