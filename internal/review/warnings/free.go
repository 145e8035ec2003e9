package warnings

import (
	"cmp"
	"maps"
	"regexp"
	"slices"
	"strings"
	"time"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// freeRule is a rule of free delivery of a method, where it stands, with a zone in which it counts.
type freeRule struct {
	*store.Free
	about string
	zone  string // "" for the method's own
	in    int32  // a zone by which the method serves and in which it counts
}

// freeRules lists the rules of free delivery that count somewhere: the method's own first.
func (r *reader) freeRules(m *methodFacts) (list []freeRule) {
	for _, z := range m.served() {
		id := r.f.Zones[z].ID
		own, _ := m.m.OwnTerms(id)
		switch {
		case own.Free != nil:
			list = append(list, freeRule{own.Free, "methods/" + m.m.ID + "/terms/" + id + "/free", id, z})
		case m.m.Free != nil && !slices.ContainsFunc(list, func(f freeRule) bool { return f.zone == "" }):
			list = slices.Insert(list, 0, freeRule{m.m.Free, "methods/" + m.m.ID + "/free", "", z})
		}
	}
	return list
}

func (f *freeRule) warning(m *methodFacts, code Code, s Severity, text string) Warning {
	return Warning{Code: code, Severity: s, About: f.about, Method: m.m.ID, Zone: f.zone, Row: -1, Text: text}
}

// freeDelivery finds free delivery that every order gets, and such that none gets.
func (r *reader) freeDelivery(m *methodFacts) {
	for _, f := range r.freeRules(m) {
		if f.Available.Has(r.day) {
			r.freeAlways(m, &f)
		}
		r.freeUnreachable(m, &f)
	}
}

// freeAlways finds free delivery that every order gets: from a sum that the cheapest goods reach, from one item.
func (r *reader) freeAlways(m *methodFacts, f *freeRule) {
	n := m.m.TermsIn(r.f.Zones[f.in].ID).Needs
	cheapest := r.cheapest(n)
	if cheapest == nil {
		return
	}
	least := cheapest.Price
	if n != nil && n.Subtotal != nil && n.Subtotal.From != nil && least.Less(*n.Subtotal.From) {
		least = *n.Subtotal.From
	}
	sum := f.Subtotal != nil && !least.Less(*f.Subtotal)
	count := f.Quantity != nil && *f.Quantity <= 1
	if f.Require == store.RequireAll {
		if len(f.Coupons) > 0 || f.Subtotal != nil && !sum || f.Quantity != nil && !count {
			return
		}
	}
	if !sum && !count {
		return
	}
	text := "free from 1 item is always free"
	if sum {
		why := "the cheapest product costs " + r.money(cheapest.Price)
		if cheapest.Price.Less(least) {
			why = "the method takes orders from " + r.money(least)
		}
		text = "free from " + r.money(*f.Subtotal) + " is always free: " + why
	}
	w := f.warning(m, FreeAlways, Loses, text)
	if least.Cmp(cheapest.Price) == 0 {
		w.Witness = r.product(cheapest, 1, r.addressIn(m.m, f.in))
	} else {
		w.Witness = r.order(m.m, f.in, goods{subtotal: &least})
	}
	r.sayIf(w, free(m.m.ID))
}

// cheapest is the cheapest product that conditions take and that is charged; nil for none.
func (r *reader) cheapest(n *store.Needs) *store.Product { return r.goodsFor(n).cheapest(r, n) }

// goodsFacts is what conditions take of the products, each found when it is first asked for.
type goodsFacts struct {
	cheapestKnown, densestKnown bool
	cheap, dense                *store.Product
}

func (r *reader) goodsFor(n *store.Needs) *goodsFacts {
	if r.goodsOf == nil {
		r.goodsOf = map[*store.Needs]*goodsFacts{}
	}
	g := r.goodsOf[n]
	if g == nil {
		g = &goodsFacts{}
		r.goodsOf[n] = g
	}
	return g
}

func (g *goodsFacts) cheapest(r *reader, n *store.Needs) *store.Product {
	if !g.cheapestKnown {
		g.cheapestKnown, g.cheap = true, r.findCheapest(n)
	}
	return g.cheap
}

func (g *goodsFacts) densest(r *reader, n *store.Needs) *store.Product {
	if !g.densestKnown {
		g.densestKnown, g.dense = true, r.findDensest(n)
	}
	return g.dense
}

func (r *reader) findCheapest(n *store.Needs) (cheapest *store.Product) {
	for i := range r.f.Products {
		p := &r.f.Products[i]
		if p.NeedsShipping && !p.ShipsFree && takesClass(n, p.Class) && (n == nil || r.fits(p, n)) &&
			(cheapest == nil || p.Price.Less(cheapest.Price)) {
			cheapest = p
		}
	}
	return cheapest
}

// freeUnreachable finds free delivery that no order gets, because the method takes none so large.
func (r *reader) freeUnreachable(m *methodFacts, f *freeRule) {
	sumWhy, sumTo := r.sumOutOfReach(m, f)
	countWhy, countTo := r.countOutOfReach(m, f)
	given, out := 0, 0
	for _, part := range []struct{ given, out bool }{{f.Subtotal != nil, sumWhy != ""},
		{f.Quantity != nil, countWhy != ""}, {len(f.Coupons) > 0, false}} {
		if part.given {
			given++
		}
		if part.out {
			out++
		}
	}
	if given == 0 || out == 0 || f.Require != store.RequireAll && out < given {
		return
	}
	want := goods{subtotal: sumTo, quantity: countTo}
	what := cmp.Or(sumWhy, countWhy)
	w := f.warning(m, FreeUnreachable, Deters, "no order gets free delivery: "+what)
	if sumWhy == "" {
		want.subtotal = nil
	}
	w.Witness = r.order(m.m, f.in, want)
	if best := r.densest(m.m, f.in); sumWhy != "" && best != nil && strings.Contains(sumWhy, "weigh") {
		k := f.Subtotal.Quo(best.Price).Ceil().Whole(0, true, quote.MaxQuantity)
		w.Witness = r.product(best, max(k, 1), r.addressIn(m.m, f.in))
	}
	r.say(w, unfree(m.m.ID))
}

// densest is the product that is worth most for its weight, of those that a method takes in a zone; nil where some
// weighs nothing, so that any sum is reached, or where there is none.
func (r *reader) densest(m *store.Method, zone int32) (best *store.Product) {
	n := m.TermsIn(r.f.Zones[zone].ID).Needs
	return r.goodsFor(n).densest(r, n)
}

func (r *reader) findDensest(n *store.Needs) (best *store.Product) {
	var most decimal.Decimal
	for i := range r.f.Products {
		p := &r.f.Products[i]
		if !p.NeedsShipping || !takesClass(n, p.Class) || p.Price.Sign() <= 0 {
			continue
		}
		weight := r.f.Store.WeightOf(p)
		if weight.Sign() <= 0 {
			return nil
		}
		if each := p.Price.Quo(weight); best == nil || most.Less(each) {
			best, most = p, each
		}
	}
	return best
}

// sumOutOfReach says why no order reaches the sum of a free rule, with an order value that shows it; "" where one does,
// or where that is not known.
func (r *reader) sumOutOfReach(m *methodFacts, f *freeRule) (string, *decimal.Decimal) {
	if f.Subtotal == nil {
		return "", nil
	}
	id := r.f.Zones[f.in].ID
	n := m.m.TermsIn(id).Needs
	if b := boundOf(n, rate.BySubtotal); b != nil && b.To != nil && b.To.Less(*f.Subtotal) {
		return "it needs " + r.money(*f.Subtotal) + " and this method takes up to " + r.money(*b.To), f.Subtotal
	}
	if limit := r.listEnd(m.m, id, rate.BySubtotal); limit != nil && limit.Less(*f.Subtotal) {
		return "it needs " + r.money(*f.Subtotal) + " and the prices end at " + r.money(*limit), f.Subtotal
	}
	most := r.heaviest(m.m, id, n)
	best := r.densest(m.m, f.in)
	if most == nil || best == nil {
		return "", nil
	}
	worth := best.Price.Quo(r.f.Store.WeightOf(best)).Mul(*most)
	if worth.Less(*f.Subtotal) {
		return "it needs " + r.money(*f.Subtotal) + ", and goods that weigh up to " +
			r.u.Measure(rate.ByWeight, *most) + " are worth at most " + r.money(worth.Round(r.u.Digits)), f.Subtotal
	}
	return "", nil
}

// heaviest is the most that an order of a method may weigh in a zone; nil for no limit.
func (r *reader) heaviest(m *store.Method, zone string, n *store.Needs) *decimal.Decimal {
	if b := boundOf(n, rate.ByWeight); b != nil && b.To != nil {
		return b.To
	}
	alone := slices.ContainsFunc(r.f.Products, func(p store.Product) bool { return p.OwnParcel && p.NeedsShipping })
	if m.Parcels != nil || alone { // several parcels, each within the list
		return nil
	}
	return r.listEnd(m, zone, rate.ByWeight)
}

// countOutOfReach says why no order reaches the number of items of a free rule, with a number that shows it.
func (r *reader) countOutOfReach(m *methodFacts, f *freeRule) (string, int64) {
	if f.Quantity == nil {
		return "", 0
	}
	id := r.f.Zones[f.in].ID
	need := decimal.FromInt(*f.Quantity)
	if b := boundOf(m.m.TermsIn(id).Needs, rate.ByQuantity); b != nil && b.To != nil && b.To.Less(need) {
		return "it needs " + r.u.Measure(rate.ByQuantity, need) + " and this method takes up to " +
			r.u.Measure(rate.ByQuantity, *b.To), min(*f.Quantity, quote.MaxQuantity)
	}
	if m.m.Parcels != nil {
		return "", 0
	}
	if limit := r.listEnd(m.m, id, rate.ByQuantity); limit != nil && limit.Less(need) {
		return "it needs " + r.u.Measure(rate.ByQuantity, need) + " and the prices end at " +
			r.u.Measure(rate.ByQuantity, *limit), min(*f.Quantity, quote.MaxQuantity)
	}
	return "", 0
}

// listEnd is up to where the only list of a method for a zone has prices; nil where it has no end, or measures
// something else.
func (r *reader) listEnd(m *store.Method, zone string, by rate.By) *decimal.Decimal {
	tables, columns := tablesOf(m, zone)
	if len(tables) != 1 || tables[0].By != by || asks(m) {
		return nil
	}
	t := tables[0]
	last := len(t.Rows) - 1
	if last < 0 || t.Edges == rate.From && t.Rows[last].Charges[columns[0]] != nil {
		return nil
	}
	limit, ends := t.Reach(columns[0], -1)
	if t.Edges == rate.From { // what begins at the last row has no price any more
		limit = limit.Sub(r.least())
	}
	if !ends {
		return nil
	}
	return &limit
}

// ended finds offers whose dates have passed, and such whose dates never come.
func (r *reader) ended(m *methodFacts) {
	over := func(p *calendar.Period) bool {
		return p != nil && p.To != "" && p.To < r.day.Format(time.DateOnly)
	}
	id := m.m.ID
	if p := m.m.Available; over(p) {
		w := Warning{Code: OfferEnded, Severity: Deters, About: "methods/" + id + "/available", Method: id,
			Text: "this has ended, so no buyer is offered it: it was available " + p.String(),
			Mend: &Mend{"Switch " + methodName(m.m) + " off", func(f *store.File) error {
				m, err := methodIn(f, id)
				switch {
				case err != nil:
					return err
				case !m.Enabled:
					return ErrMoved
				}
				m.Enabled = false
				return nil
			}}}
		if zones := m.m.ServedZones(); len(zones) > 0 {
			w.Witness = r.order(m.m, int32(r.f.ZoneIndex(zones[0])), goods{})
		}
		r.say(w, refuses(id))
	} else if r.never(p) {
		r.say(r.neverBegins(m, p, "/available", ""), always)
	}
	for _, f := range r.everyFree(m.m) {
		switch p := f.Available; {
		case over(p):
			w := f.warning(m, OfferEnded, Deters, "free delivery has ended: it was available "+p.String())
			if f.zone == "" || m.m.Free == nil { // without it, the method's own would count there
				w.Mend = removeFree(m.m, f.zone, r.f)
			}
			r.say(w, always)
		case r.never(p):
			r.say(r.neverBegins(m, p, strings.TrimPrefix(f.about, "methods/"+id), f.zone), always)
		case p != nil && m.m.Available != nil && apart(p, m.m.Available):
			w := f.warning(m, OfferNever, Deters, "free delivery is available "+p.String()+", and the method only "+
				m.m.Available.String()+", so nobody gets it")
			r.say(w, always)
		}
	}
}

// everyFree lists all rules of free delivery of a method, those of zones without a price too.
func (r *reader) everyFree(m *store.Method) (list []freeRule) {
	if m.Free != nil {
		list = append(list, freeRule{m.Free, "methods/" + m.ID + "/free", "", 0})
	}
	for _, zone := range slices.Sorted(maps.Keys(m.Terms)) {
		if free := m.Terms[zone].Free; free != nil {
			list = append(list, freeRule{free, "methods/" + m.ID + "/terms/" + zone + "/free", zone, 0})
		}
	}
	return list
}

// farOff is how long before it begins an offer is taken to have a wrong year.
const farOff = 366 * 24 * time.Hour

// never says whether a period begins so late that its year must be wrong.
func (r *reader) never(p *calendar.Period) bool {
	if p == nil || p.From == "" {
		return false
	}
	from, err := calendar.Date(p.From)
	return err == nil && from.Sub(r.day) > farOff
}

func (r *reader) neverBegins(m *methodFacts, p *calendar.Period, about, zone string) Warning {
	return Warning{Code: OfferNever, Severity: Deters, About: "methods/" + m.m.ID + about, Method: m.m.ID, Zone: zone,
		Row: -1, Text: "this begins only in more than a year, " + p.String() + ": is the year right?"}
}

// apart says whether two periods have no day in common.
func apart(a, b *calendar.Period) bool {
	return a.To != "" && b.From != "" && a.To < b.From || b.To != "" && a.From != "" && b.To < a.From
}

// removeFree is the mend that removes a rule of free delivery.
func removeFree(m *store.Method, zone string, f *store.File) *Mend {
	id, text := m.ID, "Remove the free delivery of "+methodName(m)+" that has ended"
	if zone != "" {
		text = "Remove the free delivery of " + methodName(m) + " to " + f.ZoneName(zone) + " that has ended"
	}
	return &Mend{text, func(f *store.File) error {
		m, err := methodIn(f, id)
		if err != nil {
			return err
		}
		if zone == "" {
			if m.Free == nil {
				return ErrMoved
			}
			m.Free = nil
			m.Inherit(store.InheritFree, false)
			return nil
		}
		t, ok := m.Terms[zone]
		if !ok || t.Free == nil {
			return ErrMoved
		}
		t.Free = nil
		if m.Terms[zone] = t; t == (store.Terms{Enabled: true}) {
			delete(m.Terms, zone)
		}
		return nil
	}}
}

// saysFree finds words for free delivery in the languages of the places that lists are read in.
var saysFree = regexp.MustCompile(
	`(?i)(^|[^\pL])(free|gratis|kostenlose?|kostenfrei|versandkostenfrei|gratuite?|ilmainen|` +
		`ilmaiseksi|maksuton|maksutta|fritt|kostnadsfritt?)([^\pL]|$)`,
)

// sumIn finds a sum of money that a text names: a number with a currency, or behind a word for from.
var sumIn = regexp.MustCompile(`(?i)(?:(?:from|over|above|ab|over|från|yli|dès|desde|à partir de)\s+)?` +
	`(?:([€$£]|[A-Z]{3})\s*)?([0-9]+(?:[.,][0-9]{1,2})?)\s*(?:([€$£]|[A-Z]{3}|euroa?)(?:[^\pL]|$))?`)

// sumNamed is the sum that a text says delivery is free from; nil where it names none.
func sumNamed(text string) *decimal.Decimal {
	for _, m := range sumIn.FindAllStringSubmatch(text, -1) {
		from := !strings.HasPrefix(m[0], m[2]) && m[1] == ""
		if m[1] == "" && m[3] == "" && !from {
			continue
		}
		if d, err := decimal.Parse(strings.Replace(m[2], ",", ".", 1)); err == nil {
			return &d
		}
	}
	return nil
}

// untrue finds a text of a method that says it is free where no rule makes it so.
func (r *reader) untrue(m *methodFacts) {
	text := m.m.BuyersLabel()
	if !saysFree.MatchString(text) {
		return
	}
	sum := sumNamed(text)
	for _, z := range m.served() {
		terms := m.m.TermsIn(r.f.Zones[z].ID)
		if sum == nil && terms.Free != nil {
			continue
		}
		if n := terms.Needs; sum != nil && n != nil && n.Subtotal != nil && n.Subtotal.To != nil &&
			n.Subtotal.To.Less(*sum) {
			continue
		}
		q := r.order(m.m, z, goods{subtotal: sum})
		if sum != nil {
			q.Lines[0].Product.Price, q.Lines[0].Quantity = *sum, 1
		}
		shows := charges(m.m.ID)
		if !r.shown(q, shows) {
			continue
		}
		charge := option(r.e.Quote(q), m.m.ID).Amounts.Charge
		w := Warning{Code: FreeUntrue, Severity: Deters, About: "methods/" + m.m.ID + "/label", Method: m.m.ID,
			Witness: q, Text: "buyers read “" + text + "”, and to " + r.f.ZoneName(r.f.Zones[z].ID) + " it costs " +
				r.money(charge)}
		if sum != nil {
			w.Text += " at " + r.money(*sum) + " of goods"
			if m.m.Free == nil && !r.ownFree(m.m) {
				w.Mend = addFree(m.m, *sum, r.money(*sum))
			}
		}
		r.say(w, shows)
		return
	}
}

// ownFree says whether some zone of a method has free delivery of its own.
func (r *reader) ownFree(m *store.Method) bool {
	for _, t := range m.Terms {
		if t.Free != nil {
			return true
		}
	}
	return false
}

// addFree is the mend that makes a method free from a sum.
func addFree(m *store.Method, sum decimal.Decimal, words string) *Mend {
	id := m.ID
	return &Mend{"Make " + methodName(m) + " free from " + words, func(f *store.File) error {
		m, err := methodIn(f, id)
		if err != nil {
			return err
		}
		if m.Free != nil {
			return ErrMoved
		}
		m.Free = &store.Free{Subtotal: &sum}
		m.Inherit(store.InheritFree, false)
		return nil
	}}
}
