package warnings

import (
	"cmp"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/packing"
	"diadrom/internal/core/place"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// method reads one method that is on.
func (r *reader) method(m *methodFacts) {
	if r.unoffered(m) {
		r.ended(m)
		return
	}
	r.unmeasured(m)
	r.tables(m)
	r.unpriced(m)
	r.standsIn(m)
	r.freeDelivery(m)
	r.ended(m)
	r.texts(m)
	r.boxes(m)
	r.belowCost(m)
}

// unoffered finds out that nobody can be offered a method; false where somebody may.
func (r *reader) unoffered(m *methodFacts) bool {
	why := r.nobody(m)
	if why == "" {
		return false
	}
	w := Warning{Code: MethodUnoffered, Severity: Deters, About: "methods/" + m.m.ID, Method: m.m.ID,
		Text: "no buyer is offered this: " + why}
	if why == "it asks no carrier" {
		w.Code = CarrierMissing
	}
	zones := m.m.ServedZones()
	if len(zones) > 0 && why == noneFits {
		i := slices.IndexFunc(r.f.Products, func(p store.Product) bool { return p.NeedsShipping })
		w.Witness = r.product(&r.f.Products[i], 1, r.addressIn(m.m, int32(r.zoneAt(zones[0]))))
	} else if len(zones) > 0 {
		w.Witness = r.order(m.m, int32(r.zoneAt(zones[0])), goods{})
	} else {
		w.Witness = r.dated(&quote.Request{To: r.homeAddress(), Lines: []quote.Line{usualGoods()}})
	}
	return r.sayIf(w, refuses(m.m.ID))
}

// usualGoods are goods of one line that are like most.
func usualGoods() quote.Line {
	one := decimal.One
	return quote.Line{
		Product:  store.Product{Name: "Goods", Price: usualSum, Weight: &one, NeedsShipping: true},
		Quantity: 1,
	}
}

// nobody says why no one can be offered a method that is on; "" where somebody may.
func (r *reader) nobody(m *methodFacts) string {
	if len(m.m.Tables) == 0 {
		return "it has no price list"
	}
	if asks(m.m) {
		if why := unasked(r.f, m.m); why != "" {
			return why
		}
	}
	zones := m.m.ServedZones()
	priced := slices.ContainsFunc(zones, func(z string) bool { return r.hasPrice(m.m, z) })
	off := !slices.ContainsFunc(zones, func(id string) bool {
		z := r.f.Zone(id)
		return z.Enabled && len(z.Places) > 0 && r.hasPrice(m.m, id) && m.m.TermsIn(id).Enabled
	})
	switch {
	case len(zones) == 0:
		return "its list has no zone"
	case !priced:
		return "its list has no price yet"
	case off:
		return "all zones with a price are switched off, or take no place"
	case len(m.zones) == 0:
		return "no address gets a zone in which it has a price"
	}
	return r.unmeetable(m)
}

// unmeetable says why no order meets the conditions of a method in any zone; "" where one may. A method takes any goods
// where the shop has none yet.
func (r *reader) unmeetable(m *methodFacts) string {
	first := ""
	for _, z := range m.served() {
		n := m.m.TermsIn(r.f.Zones[z].ID).Needs
		why := r.contradiction(n)
		if why == "" {
			why = r.noProduct(n)
		}
		if why == "" {
			return ""
		}
		if first == "" {
			first = why
		}
	}
	return first
}

// contradiction says what of conditions nothing can meet; "" for nothing.
func (r *reader) contradiction(n *store.Needs) string {
	if n != nil && len(n.OnlyClasses) > 0 &&
		!slices.ContainsFunc(n.OnlyClasses, func(c string) bool { return takesClass(n, c) }) {
		return "it takes only classes that it leaves out"
	}
	return ""
}

const noneFits = "no product meets its conditions, in any number"

// noProduct says that no product meets conditions; "" where one does.
func (r *reader) noProduct(n *store.Needs) string {
	if n == nil || len(r.f.Products) == 0 {
		return ""
	}
	classes := false
	for i := range r.f.Products {
		p := &r.f.Products[i]
		if !p.NeedsShipping || !takesClass(n, p.Class) {
			continue
		}
		classes = true
		if r.fits(p, n) {
			return ""
		}
	}
	if !classes && len(n.OnlyClasses) > 0 {
		return "no product is of the classes that it takes (" + strings.Join(r.f.ClassNames(n.OnlyClasses), ", ") + ")"
	}
	if !classes {
		return "all products are of classes that it does not take"
	}
	return noneFits
}

// fits says whether some number of a product meets the conditions on what its order measures; true where that is not
// known.
func (r *reader) fits(p *store.Product, n *store.Needs) bool {
	quantity := decimal.One
	weight := r.f.Store.WeightOf(p)
	more := func(b *store.Bounds, each decimal.Decimal) {
		if b == nil || b.From == nil || each.Sign() <= 0 {
			return
		}
		if k := b.From.Quo(each).Ceil(); quantity.Less(k) {
			quantity = k
		}
	}
	more(n.Subtotal, p.Price)
	more(n.Weight, weight)
	more(n.Quantity, decimal.One)
	for _, c := range []struct {
		b *store.Bounds
		x decimal.Decimal
	}{{n.Subtotal, p.Price.Mul(quantity)}, {n.Weight, weight.Mul(quantity)}, {n.Quantity, quantity}} {
		if c.b != nil && c.b.To != nil && c.b.To.Less(c.x) {
			return false
		}
	}
	if b := n.LongestSide; b != nil && b.To != nil {
		for _, side := range []*decimal.Decimal{p.Length, p.Width, p.Height} {
			if side != nil && b.To.Less(*side) {
				return false
			}
		}
	}
	return n.ParcelWeight == nil || n.ParcelWeight.To == nil || !n.ParcelWeight.To.Less(weight)
}

// homeAddress is the country of the shop as an address.
func (r *reader) homeAddress() place.Address { return place.Address{Country: cmp.Or(r.f.Home(), "FI")} }

// unpriced finds terms of zones to which the method has no price, so that they count for nobody.
func (r *reader) unpriced(m *methodFacts) {
	for _, id := range m.m.TermZones()[len(m.m.ServedZones()):] {
		w := Warning{Code: TermsUnused, Severity: Untidy, About: "methods/" + m.m.ID + "/terms/" + id, Method: m.m.ID,
			Zone: id, Row: -1, Text: "this method has terms here and no price, so they count for nobody"}
		zone := int32(r.zoneAt(id))
		for i := range r.ground.spots {
			s := &r.ground.spots[i]
			if len(s.Zones) == 0 || s.Zones[0] != zone || m.spots[i] < 0 || s.Bare {
				continue
			}
			by := r.f.Zones[m.spots[i]].ID
			w.Severity = Loses
			w.Text = "this method has terms here and no price, so buyers get the terms and prices of " +
				r.f.ZoneName(by)
			q := r.order(m.m, m.spots[i], goods{to: &s.At})
			shows := through(m.m.ID, id, by)
			if r.shown(q, shows) {
				w.Witness = q
				r.say(w, shows)
			}
			break
		}
		if w.Severity == Untidy {
			w.Mend = r.removeTerms(m.m, id)
			r.say(w, always)
		}
	}
}

// removeTerms is the mend that removes a method's own terms for a zone.
func (r *reader) removeTerms(m *store.Method, zone string) *Mend {
	id := m.ID
	return &Mend{"Remove the terms of " + methodName(m) + " for " + r.f.ZoneName(zone), func(f *store.File) error {
		m, err := methodIn(f, id)
		if err != nil {
			return err
		}
		if _, ok := m.Terms[zone]; !ok {
			return ErrMoved
		}
		delete(m.Terms, zone)
		return nil
	}}
}

// standsIn finds zones in which no price stands in where the carrier fails, though the method wants one to.
func (r *reader) standsIn(m *methodFacts) {
	if !asks(m.m) || m.m.Carrier == nil || !m.m.Carrier.Fallback {
		return
	}
	for _, z := range m.served() {
		id := r.f.Zones[z].ID
		if m.m.Priced(id) {
			continue
		}
		r.sayIf(Warning{Code: NoStandIn, Severity: Deters, About: "methods/" + m.m.ID + "/carrier", thing: id,
			Method: m.m.ID, Zone: id, Row: -1, Witness: r.order(m.m, z, goods{}),
			Text: "no price stands in where the carrier fails, so the method is not offered then"}, refuses(m.m.ID))
	}
}

// Unmeasured says why a method cannot measure the distances that its lists or its conditions want, so that nobody is
// offered it; "" where it can, or wants none. A gazetteer may be nil.
func Unmeasured(f *store.File, g *gazetteer.Gazetteer, m *store.Method) string {
	why := unlocated(f, g, m)
	if why == "" || !measures(m) { // most shops know where they are, and a method may have many prices to look at
		return ""
	}
	return why
}

// unlocated says why no distance can be measured from where a method leaves; "" where one can.
func unlocated(f *store.File, g *gazetteer.Gazetteer, m *store.Method) string {
	if m.From != "" {
		l := f.Location(m.From)
		if l == nil {
			return ""
		}
		if _, ok := l.Point(g); ok {
			return ""
		}
		return "where " + f.LocationName(m.From) + " lies is not known, so no distance can be measured"
	}
	unknown := ""
	for i := range f.Locations {
		l := &f.Locations[i]
		if !l.ShipsFrom {
			continue
		}
		if _, ok := l.Point(g); ok {
			return ""
		}
		unknown = f.LocationName(l.ID)
	}
	if unknown == "" {
		return "no place of the shop ships orders, so no distance can be measured"
	}
	return "where " + unknown + " lies is not known, so no distance can be measured"
}

// unmeasured finds a method whose distances cannot be measured.
func (r *reader) unmeasured(m *methodFacts) {
	why := Unmeasured(r.f, r.e.Gazetteer(), m.m)
	if why == "" {
		return
	}
	for _, z := range m.served() {
		q := r.order(m.m, z, goods{})
		if shows := refuses(m.m.ID); r.shown(q, shows) {
			r.say(Warning{Code: DistanceUnknown, Severity: Deters, About: "methods/" + m.m.ID + "/from", Method: m.m.ID,
				Text: why, Witness: q}, shows)
			return
		}
	}
}

// boxes finds goods that do not go into the boxes of a method, and boxes that nothing goes into.
func (r *reader) boxes(m *methodFacts) {
	boxes := r.f.BoxesOf(m.m)
	if len(boxes) == 0 {
		return
	}
	about := "methods/" + m.m.ID + "/parcels"
	limit := m.m.Parcels.MaxWeight
	kinds, used := make([]packing.Box, len(boxes)), make([]bool, len(boxes))
	say := func(code Code, thing, text string, q *quote.Request, shows claim) {
		r.say(
			Warning{Code: code, Severity: Untidy, About: about, thing: thing, Method: m.m.ID, Text: text, Witness: q},
			shows,
		)
	}
	for i, b := range boxes {
		kinds[i] = quote.BoxToPack(b)
		if limit != nil && !kinds[i].Weight.Less(*limit) {
			say(BoxUnused, b.ID, r.f.BoxName(b.ID)+" is as heavy empty as a parcel may be, so nothing goes into it",
				nil, always)
			used[i] = true
		}
	}
	none, some := r.unboxed(m.m, kinds, used)
	if len(none) > 0 {
		alone := "it travels alone"
		if len(none) > 1 {
			alone = "each travels alone"
		}
		var names []string
		for _, p := range none {
			names = append(names, cmp.Or(p.Name, p.SKU))
		}
		q, shows := r.boxWitness(m, none)
		say(NoBox, "", "no box takes "+plural.Few(names)+": "+alone, q, shows)
	}
	for i, b := range boxes {
		if some && !used[i] {
			say(BoxUnused, b.ID, "no product goes into "+r.f.BoxName(b.ID), nil, always)
		}
	}
}

// boxWitness is an order of one of the products that no box takes and that the method is offered for; nil where none
// is.
func (r *reader) boxWitness(m *methodFacts, none []*store.Product) (*quote.Request, claim) {
	shows := boxless(m.m.ID)
	for _, z := range m.served() {
		for _, p := range none[:min(len(none), maxShown)] {
			q := r.product(p, 1, r.addressIn(m.m, z))
			q.Parcels = true
			if r.shown(q, shows) {
				return q, shows
			}
		}
	}
	return nil, always
}

// maxShown is how many products are tried for a witness.
const maxShown = 10

// unboxed lists the products of a method that no box takes, and notes which boxes take some; some is false where the
// method packs nothing.
func (r *reader) unboxed(m *store.Method, kinds []packing.Box, used []bool) (none []*store.Product, some bool) {
	for i := range r.f.Products {
		p := &r.f.Products[i]
		if !p.NeedsShipping || p.OwnParcel || !takesClass(m.Needs, p.Class) {
			continue
		}
		some = true
		goods := quote.GoodsToPack(&r.f.Store, p, 1)
		takes := false
		for j := range kinds {
			if kinds[j].Takes(&goods, m.Parcels.MaxWeight) {
				takes, used[j] = true, true
			}
		}
		if !takes {
			none = append(none, p)
		}
	}
	return none, some
}

// belowCost finds charges below what sending costs, as far as the shop knows that: below what a carrier said, and below
// what the box cost.
func (r *reader) belowCost(m *methodFacts) {
	if c := m.m.Carrier; asks(m.m) && c != nil && m.m.Minimum == nil {
		less := ""
		switch {
		case c.Percent != nil && c.Percent.Sign() < 0:
			less = c.Percent.Neg().String() + " %"
		case c.Amount != nil && c.Amount.Sign() < 0:
			less = r.money(c.Amount.Neg())
		}
		if less != "" && (m.m.Handling == nil || m.m.Handling.Amount == nil && m.m.Handling.Percent == nil) {
			r.say(Warning{Code: BelowCost, Severity: Loses, About: "methods/" + m.m.ID + "/carrier", Method: m.m.ID,
				Text: "buyers pay " + less + " less than the carrier asks of the shop"}, always)
		}
	}
	var cost decimal.Decimal
	for _, b := range r.f.BoxesOf(m.m) {
		if b.Cost != nil && cost.Less(*b.Cost) {
			cost = *b.Cost
		}
	}
	if cost.IsZero() {
		return
	}
	for _, z := range m.served() {
		if r.belowBox(m, z, cost) {
			return
		}
	}
}

// belowBox finds an order in a zone that is charged less than its boxes cost. Where the least price of a parcel is no
// less than the dearest box there is none.
func (r *reader) belowBox(m *methodFacts, zone int32, cost decimal.Decimal) bool {
	id := r.f.Zones[zone].ID
	tables, columns := tablesOf(m.m, id)
	low := true
	for i, t := range tables {
		for row := range t.Rows {
			at, _ := spanOf(t, row)
			x, ok := t.At(columns[i], rate.Goods{Quantity: 1, Distance: &decimal.Zero}, at.Add(little))
			low = low && !(ok && x.Less(cost))
		}
	}
	if most := m.m.TermsIn(id).Maximum; low && (most == nil || !most.Less(cost)) {
		return false
	}
	costs := map[string]decimal.Decimal{}
	for _, b := range r.f.BoxesOf(m.m) {
		if b.Cost != nil {
			costs[b.ID] = *b.Cost
		}
	}
	shows := belowBoxes(m.m.ID, costs)
	tried := 0
	for i := range r.f.Products {
		p := &r.f.Products[i]
		if !p.NeedsShipping || p.ShipsFree || p.OwnParcel || !takesClass(m.m.TermsIn(id).Needs, p.Class) {
			continue
		}
		if tried++; tried > maxShown {
			return false
		}
		q := r.product(p, 1, r.addressIn(m.m, zone))
		q.Parcels = true
		if r.shown(q, shows) {
			r.say(
				Warning{
					Code:     BelowCost,
					Severity: Loses,
					About:    "methods/" + m.m.ID + "/parcels",
					thing:    "cost",
					Method:   m.m.ID,
					Zone:     id,
					Row:      -1,
					Witness:  q,
					Text:     "the box of " + cmp.Or(p.Name, p.SKU) + " costs more than delivery",
				},
				shows,
			)
			return true
		}
	}
	return false
}
