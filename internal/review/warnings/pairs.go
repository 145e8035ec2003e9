package warnings

import (
	"math/bits"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// pairs compares each two methods that deliver and have delivery times. Where goods are collected, buyers choose the
// place.
func (r *reader) pairs(p prints) {
	for i, a := range r.methods {
		if a.m.Kind != store.Delivery || !hasDays(a.m) {
			continue
		}
		for _, b := range r.methods[i+1:] {
			if b.m.Kind != a.m.Kind || !hasDays(b.m) {
				continue
			}
			print := p.bodies[a.m.ID] ^ bits.RotateLeft64(p.bodies[b.m.ID], 1) ^ p.paired
			r.part("pair "+a.m.ID+" "+b.m.ID, print, func() any { r.pair(a, b); return nil })
		}
	}
}

func hasDays(m *store.Method) bool {
	has := m.Days != nil
	for _, t := range m.Terms {
		has = has || t.Days != nil
	}
	return has
}

// meeting is where two methods serve the same addresses, each by a zone.
type meeting struct {
	a, b int32
	spot int
}

// maxMeetings is how many places of two methods are compared.
const maxMeetings = 20

// meetings lists where two methods serve the same addresses; same says whether neither serves others.
func (r *reader) meetings(a, b *methodFacts) (list []meeting, same bool) {
	seen := map[[2]int32]bool{}
	same = true
	for i := range a.spots {
		x, y := a.spots[i], b.spots[i]
		same = same && (x >= 0) == (y >= 0)
		if x < 0 || y < 0 || len(list) == maxMeetings || seen[[2]int32{x, y}] || r.ground.spots[i].Bare {
			continue
		}
		seen[[2]int32{x, y}] = true
		list = append(list, meeting{x, y, i})
	}
	return list, same
}

// slower says whether days are longer than others: none of their ends earlier, and one later.
func slower(a, b *store.Days) bool {
	return a != nil && b != nil && a.Business == b.Business && a.Min >= b.Min && a.Max >= b.Max && *a != *b
}

// pair finds out whether of two methods one is dearer and slower than the other wherever both are offered, or at some
// places.
func (r *reader) pair(a, b *methodFacts) {
	list, same := r.meetings(a, b)
	if len(list) == 0 {
		return
	}
	days := func(m *methodFacts, zone int32) *store.Days { return m.m.TermsIn(r.f.Zones[zone].ID).Days }
	for _, turn := range []struct {
		dear, cheap *methodFacts
		zones       func(meeting) (int32, int32)
	}{
		{a, b, func(m meeting) (int32, int32) { return m.a, m.b }},
		{b, a, func(m meeting) (int32, int32) { return m.b, m.a }},
	} {
		var at []meeting
		for _, m := range list {
			if x, y := turn.zones(m); slower(days(turn.dear, x), days(turn.cheap, y)) {
				at = append(at, m)
			}
		}
		if len(at) > 0 {
			r.compare(turn.dear, turn.cheap, at, turn.zones, same && len(at) == len(list))
		}
	}
}

// compare tries carts at the places where one method is slower than another. A place counts where it is dearer for
// every cart that both take.
func (r *reader) compare(dear, cheap *methodFacts, at []meeting, zones func(meeting) (int32, int32), everywhere bool) {
	tried, first := 0, -1
	var witness *quote.Request
	all := everywhere
	for _, m := range at {
		x, y := zones(m)
		lines := r.tries(dear.m, cheap.m, x, y)
		if !r.likely(dear, cheap, x, y, lines) {
			all = false
			continue
		}
		if tried >= maxAsked { // enough to say it of these places
			all = false
			break
		}
		q, n := r.dearer(dear, cheap, m.spot, lines)
		tried += n
		if q == nil {
			all = false
			continue
		}
		if witness == nil {
			witness, first = q, m.spot
		}
	}
	if witness == nil {
		return
	}
	other := methodName(cheap.m)
	w := Warning{Code: DaysInverted, Severity: Untidy, About: "methods/" + dear.m.ID + "/days", Method: dear.m.ID,
		thing: cheap.m.ID, Other: cheap.m.ID, Tried: tried, Witness: witness,
		Text: "to " + r.where(&r.ground.spots[first]) + " it is dearer than " + other + " and takes longer"}
	if all {
		w.Code, w.About = MethodDominated, "methods/"+dear.m.ID
		w.Text = "it is dearer and slower than " + other + " wherever both are offered, so no buyer has " +
			"a reason to choose it"
	}
	r.sayIf(w, worse(dear.m.ID, cheap.m.ID))
}

// maxAsked is how many carts are asked of the engine for two methods.
const maxAsked = 24

// likely says whether one method may be dearer than another for all carts that both take, as far as their price lists
// tell without the engine: most pairs of methods are told apart so.
func (r *reader) likely(dear, cheap *methodFacts, x, y int32, lines []quote.Line) bool {
	if unlisted(dear) || unlisted(cheap) {
		return true
	}
	d, c := r.listed(dear.m, x), r.listed(cheap.m, y)
	for i := range lines {
		a, takes := d.price(r, &lines[i])
		b, taken := c.price(r, &lines[i])
		if takes != taken && takes || takes && !b.Less(a) {
			return false
		}
	}
	return true
}

// unlisted says whether more than the price list tells what a method costs.
func unlisted(m *methodFacts) bool { return m.far || m.m.Parcels != nil || m.m.Volumetric != nil }

// listing is a method's price list in a zone.
type listing struct {
	m     *store.Method
	zone  string
	terms store.Terms
}

func (r *reader) listed(m *store.Method, zone int32) listing {
	id := r.f.Zones[zone].ID
	return listing{m, id, m.TermsIn(id)}
}

// price is what a list makes of goods of one line, with free delivery, minimum and maximum; false where the method does
// not take them.
func (l *listing) price(r *reader, goods *quote.Line) (decimal.Decimal, bool) {
	p, count := &goods.Product, decimal.FromInt(goods.Quantity)
	weight, sum := r.f.Store.WeightOf(p).Mul(count), p.Price.Mul(count)
	if n := l.terms.Needs; n != nil {
		if !takesClass(n, p.Class) || len(n.Coupons)+len(n.Groups) > 0 || outside(n.Weight, weight) ||
			outside(n.Subtotal, sum) || outside(n.Quantity, count) || !r.fits(p, n) {
			return decimal.Zero, false
		}
	}
	t, column := tableFor(l.m, l.zone, p.Class)
	if t == nil {
		return decimal.Zero, false
	}
	g := rate.Goods{Weight: weight, Quantity: goods.Quantity, Subtotal: sum}
	amount, _, outcome := t.Price(column, &g)
	if outcome != rate.Priced {
		return decimal.Zero, false
	}
	if least := l.terms.Minimum; least != nil && amount.Less(*least) {
		amount = *least
	}
	if most := l.terms.Maximum; most != nil && most.Less(amount) {
		amount = *most
	}
	if h := l.terms.Handling; h != nil && h.Amount != nil {
		amount = amount.Add(*h.Amount)
	}
	if f := l.terms.Free; f != nil && f.Require != store.RequireAll && f.Subtotal != nil && !sum.Less(*f.Subtotal) {
		amount = decimal.Zero
	}
	return amount, true
}

func outside(b *store.Bounds, d decimal.Decimal) bool {
	return b != nil && (b.To != nil && b.To.Less(d) || b.From != nil && d.Less(*b.From))
}

// dearer tries carts to one place; the first of them where one method is dearer than the other for all that both take,
// nil where that is not so.
func (r *reader) dearer(dear, cheap *methodFacts, spot int, lines []quote.Line) (first *quote.Request, tried int) {
	e := r.e.Only(dear.m.ID, cheap.m.ID)
	for _, l := range lines {
		q := r.dated(&quote.Request{To: r.ground.spots[spot].At, Lines: []quote.Line{l}})
		a := e.Quote(q)
		d, c := option(a, dear.m.ID), option(a, cheap.m.ID)
		if tried++; d == nil && c == nil {
			continue
		}
		if c == nil || d != nil && !c.Amounts.Charge.Less(d.Amounts.Charge) { // it takes what the other does not
			return nil, tried
		}
		if d != nil && first == nil {
			first = q
		}
	}
	return first, tried
}

// How many carts are tried for two methods at one place: goods of the shop, and rows of each list.
const (
	maxGoods = 12
	maxRows  = 8
)

// tries are carts that may tell two methods apart: in rows of both lists, and the shop's own goods.
func (r *reader) tries(a, b *store.Method, x, y int32) (list []quote.Line) {
	for i := range r.f.Products {
		if p := &r.f.Products[i]; p.NeedsShipping && !p.ShipsFree && len(list) < maxGoods {
			list = append(list, quote.Line{Product: *p, Quantity: 1})
		}
	}
	for _, of := range []struct {
		m    *store.Method
		zone int32
	}{{a, x}, {b, y}} {
		tables, _ := tablesOf(of.m, r.f.Zones[of.zone].ID)
		for _, t := range tables {
			step := max(1, (len(t.Rows)+maxRows-1)/maxRows)
			for row := 0; row < len(t.Rows); row += step {
				low, high := spanOf(t, row)
				list = append(list, lineOf(t, low.Add(high.Sub(low).Quo(decimal.FromInt(2)).Round(3))))
			}
		}
	}
	if len(list) == 0 {
		list = append(list, usualGoods())
	}
	return list
}

// lineOf is goods that measure so much of what a list looks at.
func lineOf(t *rate.Table, x decimal.Decimal) quote.Line {
	l := usualGoods()
	if len(t.Classes) > 0 {
		l.Product.Class = t.Classes[0]
	}
	switch t.By {
	case rate.ByWeight, rate.ByBilled:
		l.Product.Weight = &x
		l.Product.OwnParcel = true
	case rate.BySubtotal:
		l.Product.Price = x.Round(2)
	case rate.ByQuantity:
		l.Quantity = max(x.Whole(0, true, quote.MaxQuantity), 1)
	}
	return l
}
