package warnings

import (
	"cmp"
	"math"
	"slices"

	"diadrom/internal/core/atlas"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/geodesic"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"

	"github.com/paulmach/orb"
)

// goods is what an order is to measure; what is nil is as the method's conditions want it.
type goods struct {
	weight, subtotal *decimal.Decimal
	quantity         int64
	class            *string
	to               *place.Address
}

// least is the least sum of money.
func (r *reader) least() decimal.Decimal { return decimal.New(1, r.u.Digits) }

// order makes an order that a method takes in a zone, as far as its conditions let it: goods of one line. What it
// measures may lie outside of the conditions where that is wanted.
func (r *reader) order(m *store.Method, zone int32, want goods) *quote.Request {
	id := r.f.Zones[zone].ID
	t := m.TermsIn(id)
	n := t.Needs
	if n == nil {
		n = &store.Needs{}
	}
	quantity := max(want.quantity, 1)
	if want.quantity == 0 {
		quantity = max(clamp(n.Quantity, decimal.One).Whole(0, true, quote.MaxQuantity), 1)
	}
	count := decimal.FromInt(quantity)
	sum := r.orderSum(&t, n, want.subtotal)
	weight := clamp(n.ParcelWeight, clamp(n.BilledWeight, clamp(n.Weight, decimal.One)))
	if want.weight != nil {
		weight = *want.weight
	}
	p := store.Product{Name: "Goods", NeedsShipping: true, Class: r.classFor(m, id, n, want.class)}
	p.Price = sum.Quo(count).Round(r.u.Digits)
	if quantity > 1 && p.Price.Mul(count).Less(sum) { // a sum that must be reached
		p.Price = p.Price.Add(r.least())
	}
	each := weight
	if quantity > 1 {
		each = weight.Quo(count).Round(6)
	}
	p.Weight = &each
	p.OwnParcel = quantity == 1
	for _, b := range []*store.Bounds{n.LongestSide, n.Girth} {
		if b != nil && b.From != nil && b.From.Sign() > 0 {
			side := *b.From
			p.Length, p.Width, p.Height = &side, &decimal.One, &decimal.One
		}
	}
	q := &quote.Request{Lines: []quote.Line{{Product: p, Quantity: quantity}}}
	if len(n.Coupons) > 0 {
		q.Coupons = n.Coupons[:1]
	}
	if len(n.Groups) > 0 {
		q.Group = n.Groups[0]
	}
	if want.to != nil {
		q.To = *want.to
	} else {
		q.To = r.addressIn(m, zone)
	}
	return r.dated(q)
}

// usualSum is what the goods of an order cost where nothing says what they should.
var usualSum = decimal.FromInt(20)

// orderSum is what the goods of an order cost: below what makes it free, where that may be.
func (r *reader) orderSum(t *store.Terms, n *store.Needs, want *decimal.Decimal) decimal.Decimal {
	if want != nil {
		return *want
	}
	sum := clamp(n.Subtotal, usualSum)
	if free := t.Free; free != nil && free.Subtotal != nil && !sum.Less(*free.Subtotal) {
		if below := free.Subtotal.Sub(r.least()); below.Sign() >= 0 {
			sum = clamp(n.Subtotal, below)
		}
	}
	return sum
}

// classFor is a class of goods that a method takes and prices in a zone.
func (r *reader) classFor(m *store.Method, zone string, n *store.Needs, want *string) string {
	if want != nil {
		return *want
	}
	classes := []string{""}
	for i := range r.f.Classes {
		classes = append(classes, r.f.Classes[i].ID)
	}
	for _, class := range classes {
		if t, _ := tableFor(m, zone, class); t != nil && takesClass(n, class) {
			return class
		}
	}
	return ""
}

// dated says whether what a store offers depends on the day.
func dated(f *store.File) bool {
	for i := range f.Methods {
		m := &f.Methods[i]
		if m.Available != nil || m.Free != nil && m.Free.Available != nil {
			return true
		}
		for _, t := range m.Terms {
			if t.Free != nil && t.Free.Available != nil {
				return true
			}
		}
	}
	return false
}

// dated has a request be of the moment that is read where what is offered depends on the day.
func (r *reader) dated(q *quote.Request) *quote.Request {
	if r.dates {
		q.At = r.now
	}
	return q
}

// addressIn is an address that a method serves by a zone; where it looks at distances one that is near enough, if there
// is one.
func (r *reader) addressIn(m *store.Method, zone int32) place.Address {
	facts := r.byID[m.ID]
	if facts == nil {
		return place.Address{Country: cmp.Or(r.f.Home(), "FI")}
	}
	at, ok := facts.columns[zone]
	if !ok {
		return r.anywhere(zone)
	}
	if facts.far {
		b := boundOf(m.TermsIn(r.f.Zones[zone].ID).Needs, rate.ByDistance)
		low, high := decimal.Zero, decimal.FromInt(math.MaxInt32)
		if b != nil && b.From != nil {
			low = *b.From
		}
		if b != nil && b.To != nil {
			high = *b.To
		}
		key := addressKey{m.ID, zone}
		to, known := r.near[key]
		if !known {
			if found, ok := r.addressAt(m, zone, low, high); ok {
				to = &found
			}
			if r.near == nil {
				r.near = map[addressKey]*place.Address{}
			}
			r.near[key] = to
		}
		if to != nil {
			return *to
		}
	}
	return r.ground.spots[at].At
}

// addressKey is whose address is looked for, which takes long where distances count.
type addressKey struct {
	method string
	zone   int32
}

// anywhere is an address that a zone takes; that of the shop's country where it takes none.
func (r *reader) anywhere(zone int32) place.Address {
	best := -1
	for i := range r.ground.spots {
		s := &r.ground.spots[i]
		at := slices.Index(s.Zones, zone)
		if at == 0 && !s.Bare {
			return s.At
		}
		if at >= 0 && best < 0 {
			best = i
		}
	}
	if best >= 0 {
		return r.ground.spots[best].At
	}
	return place.Address{Country: cmp.Or(r.f.Home(), "FI")}
}

// maxNearby is how many listed codes are looked at for one that lies so far away.
const maxNearby = 20_000

// addressAt is an address that a method serves by a zone and whose distance lies above low and up to high, in the
// store's unit: a listed code, or else a point.
func (r *reader) addressAt(m *store.Method, zone int32, low, high decimal.Decimal) (place.Address, bool) {
	origins := r.origins(m)
	if len(origins) == 0 {
		return place.Address{}, false
	}
	unit := r.f.Store.Metres()
	if r.f.Store.DistanceBy == store.ByRoad {
		unit /= r.f.Store.Road().Float64()
	}
	from, to := low.Float64()*unit, high.Float64()*unit
	within := func(p orb.Point) bool {
		d := math.Inf(1)
		for _, o := range origins {
			d = min(d, geodesic.Distance(o.Lat(), o.Lon(), p.Lat(), p.Lon()))
		}
		return from < d && d <= to || from == 0 && d == 0
	}
	serves := func(at place.Address) bool {
		resolved := r.e.Resolve(at)
		if resolved.Point == nil || !within(*resolved.Point) {
			return false
		}
		z, ok := r.servedBy(m, &resolved)
		return ok && z == zone
	}
	facts, tried := r.byID[m.ID], 0
	seen := map[string]bool{}
	for i, z := range facts.spots {
		s := &r.ground.spots[i]
		if z != zone {
			continue
		}
		if serves(s.At) {
			return s.At, true
		}
		if g := r.e.Gazetteer(); g != nil && !seen[s.At.Country] {
			seen[s.At.Country] = true
			for _, c := range g.Codes(s.At.Country) {
				if tried++; tried > maxNearby {
					break
				}
				if at := (place.Address{Country: s.At.Country, Postcode: c.Text}); serves(at) {
					return at, true
				}
			}
		}
	}
	return r.pointAt(origins[0], from, min(to, 19_000_000), serves)
}

// pointAt is a point at such a distance, in metres, from another, in one of sixteen directions.
func (r *reader) pointAt(o orb.Point, from, to float64, serves func(place.Address) bool) (place.Address, bool) {
	for step := range 16 {
		for _, share := range []float64{0.5, 0.05} {
			lat, lon := geodesic.Destination(o.Lat(), o.Lon(), float64(step)*22.5, from+(to-from)*share)
			p := orb.Point{math.Mod(lon+540, 360) - 180, lat}
			country := atlas.CountryAt(p)
			if country == "" {
				continue
			}
			if at := place.At(country, p); serves(at) {
				return at, true
			}
		}
	}
	return place.Address{}, false
}

// origins are the points that a method's distances run from.
func (r *reader) origins(m *store.Method) (list []orb.Point) {
	for i := range r.f.Locations {
		l := &r.f.Locations[i]
		if m.From != "" && l.ID != m.From || m.From == "" && !l.ShipsFrom {
			continue
		}
		if p, ok := l.Point(r.e.Gazetteer()); ok {
			list = append(list, p)
		}
	}
	return list
}

// servedBy is the zone by which a method serves an address.
func (r *reader) servedBy(m *store.Method, to *place.Resolved) (int32, bool) {
	for _, match := range r.e.Zones(to) {
		id := r.f.Zones[match.Owner].ID
		if slices.ContainsFunc(m.Tables, func(t rate.Table) bool { return slices.Contains(t.Zones, id) }) {
			return int32(match.Owner), true
		}
		if r.f.Zones[match.Owner].Only {
			return 0, false
		}
	}
	return 0, false
}

// product is an order of some of a product.
func (r *reader) product(p *store.Product, quantity int64, to place.Address) *quote.Request {
	return r.dated(&quote.Request{To: to, Lines: []quote.Line{{Product: *p, Quantity: quantity}}})
}
