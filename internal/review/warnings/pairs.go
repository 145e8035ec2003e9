package warnings

import (
	"math/bits"
	"strconv"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// pairs compares each two methods that deliver and have delivery times. Where goods are collected, buyers choose the place.
func (r *reader) pairs(p prints) {
	for i, a := range r.methods {
		if a.m.Kind != store.Delivery || !hasDays(a.m) {
			continue
		}
		for _, b := range r.methods[i+1:] {
			if b.m.Kind != a.m.Kind || !hasDays(b.m) {
				continue
			}
			print := p.methods[a.m.ID] ^ bits.RotateLeft64(p.methods[b.m.ID], 1)
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

// meetings lists where two methods serve the same addresses.
func (r *reader) meetings(a, b *methodFacts) (list []meeting, same bool) {
	seen := map[[2]int32]bool{}
	same = true
	for i := range a.spots {
		x, y := a.spots[i], b.spots[i]
		same = same && (x >= 0) == (y >= 0)
		if x < 0 || y < 0 || r.ground.spots[i].Bare || seen[[2]int32{x, y}] {
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
	}{{a, b, func(m meeting) (int32, int32) { return m.a, m.b }}, {b, a, func(m meeting) (int32, int32) { return m.b, m.a }}} {
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

// compare tries carts at the places where one method is slower than another. A place counts where it is dearer for every
// cart that both take.
func (r *reader) compare(dear, cheap *methodFacts, at []meeting, zones func(meeting) (int32, int32), everywhere bool) {
	tried, first := 0, -1
	var witness *quote.Request
	all := everywhere
	for _, m := range at {
		x, y := zones(m)
		q, n := r.dearer(dear, cheap, x, y, m.spot)
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
	shows := func(a, _ *quote.Answer) bool {
		x, y := option(a, dear.m.ID), option(a, cheap.m.ID)
		return x != nil && y != nil && y.Amounts.Charge.Less(x.Amounts.Charge) && slower(x.Days, y.Days)
	}
	other := methodName(cheap.m)
	w := Warning{Code: DaysInverted, Severity: Untidy, About: "methods/" + dear.m.ID + "/days", Method: dear.m.ID,
		thing: cheap.m.ID, Tried: tried, Witness: witness,
		Text: "to " + r.where(&r.ground.spots[first]) + " it is dearer than " + other + " and takes longer"}
	if all {
		w.Code, w.About = MethodDominated, "methods/"+dear.m.ID
		w.Text = "it is dearer and slower than " + other + " wherever both are offered, so no buyer has a reason to choose it"
	}
	if r.shown(witness, shows) {
		r.say(w, shows)
	}
}

// dearer tries carts to one place; the first of them where one method is dearer than the other for all that both take,
// nil where that is not so.
func (r *reader) dearer(dear, cheap *methodFacts, x, y int32, spot int) (first *quote.Request, tried int) {
	for _, l := range r.tries(dear.m, cheap.m, x, y) {
		q := r.dated(&quote.Request{To: r.ground.spots[spot].At, Lines: []quote.Line{l}})
		a := r.quoted(spot, q)
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

// quoted is the answer to an order of one product at a spot, which other pairs of methods ask for too.
func (r *reader) quoted(spot int, q *quote.Request) *quote.Answer {
	sku := q.Lines[0].Product.SKU
	if sku == "" {
		return r.e.Quote(q)
	}
	key := strconv.Itoa(spot) + " " + sku
	a := r.answers[key]
	if a == nil {
		if r.answers == nil {
			r.answers = map[string]*quote.Answer{}
		}
		a = r.e.Quote(q)
		r.answers[key] = a
	}
	return a
}

// maxCarts is how many carts are tried for two methods at one place.
const maxCarts = 60

// tries are carts that may tell two methods apart: at the breaks of both lists, and the shop's own goods.
func (r *reader) tries(a, b *store.Method, x, y int32) (list []quote.Line) {
	add := func(l quote.Line) {
		if len(list) < maxCarts {
			list = append(list, l)
		}
	}
	for i := range r.f.Products {
		if p := &r.f.Products[i]; p.NeedsShipping && !p.ShipsFree && i < maxCarts/3 {
			add(quote.Line{Product: *p, Quantity: 1})
		}
	}
	for _, of := range []struct {
		m    *store.Method
		zone int32
	}{{a, x}, {b, y}} {
		tables, _ := tablesOf(of.m, r.f.Zones[of.zone].ID)
		for _, t := range tables {
			for row := range t.Rows {
				low, high := spanOf(t, row)
				add(lineOf(t, low.Add(high.Sub(low).Quo(decimal.FromInt(2)).Round(3))))
			}
		}
	}
	if len(list) == 0 {
		add(usualGoods())
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
