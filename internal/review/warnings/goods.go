package warnings

import (
	"cmp"
	"slices"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// goods reads the products beside what prices look at.
func (r *reader) goods() {
	if !r.priced() {
		return
	}
	r.unweighed()
	r.unsized()
	r.unclassed()
	refused := r.refusedProducts()
	r.classes(refused)
}

// taking lists the methods that look at something of goods and take those of a class, in the words of the owner.
func (r *reader) taking(class string, looks func(*store.Method) bool) (list []*methodFacts) {
	for _, m := range r.methods {
		if len(m.zones) > 0 && looks(m.m) && takesClass(m.m.Needs, class) {
			list = append(list, m)
		}
	}
	return list
}

// lacking says of products that they lack something that a method looks at, with an order that shows it, of which the
// answer warns by a code of its own ("": it has none).
func (r *reader) lacking(
	w Warning,
	lacks func(*store.Product) bool,
	looks func(*store.Method) bool,
	has, shows, code string,
) {
	var names []string
	var first *store.Product
	var m *methodFacts
	for i := range r.f.Products {
		p := &r.f.Products[i]
		if !p.NeedsShipping || !lacks(p) {
			continue
		}
		by := r.taking(p.Class, looks)
		if len(by) == 0 {
			continue
		}
		names = append(names, cmp.Or(p.Name, p.SKU))
		if first == nil {
			first, m = p, by[0]
		}
	}
	if first == nil {
		return
	}
	verb := "has"
	if len(names) > 1 {
		verb = "have"
	}
	w.About = "products/" + pointer(first.SKU) + w.About
	w.Product, w.Count = first.SKU, len(names)
	w.Text = plural.Few(names) + " " + verb + " " + has + ", and " + methodName(m.m) + " " + shows
	w.Witness = r.product(first, 1, r.anyOf(m))
	r.say(w, lack(code))
}

// anyOf is an address that a method serves.
func (r *reader) anyOf(m *methodFacts) place.Address {
	for _, z := range m.served() {
		return r.addressIn(m.m, z)
	}
	return r.homeAddress()
}

// unweighed finds goods without a weight where a price looks at it and nothing is assumed.
func (r *reader) unweighed() {
	if r.f.Store.AssumedWeight != nil {
		return
	}
	r.lacking(
		Warning{Code: ProductWeight, Severity: Loses, About: "/weight"},
		func(p *store.Product) bool { return p.Weight == nil },
		weighs,
		"no weight",
		"looks at weights, where that counts as 0",
		quote.NoWeight,
	)
}

// unsized finds goods without a size where a price or a condition looks at it.
func (r *reader) unsized() {
	bills := func(m *store.Method) bool {
		divisor := cmp.Or(m.Volumetric, r.f.Store.Volumetric)
		looks := inNeeds(m, func(n *store.Needs) bool { return n.BilledWeight != nil && divisor != nil })
		for i := range m.Tables {
			looks = looks || m.Tables[i].By == rate.ByBilled && divisor != nil
		}
		return looks
	}
	lacks := func(p *store.Product) bool { return !p.Sized() }
	r.lacking(Warning{Code: ProductSize, Severity: Loses, About: "/length"}, lacks, bills, "no size",
		"bills by volume, where that counts as none", "")
	tidy := func(m *store.Method) bool {
		return !bills(m) && (len(r.f.BoxesOf(m)) > 0 ||
			inNeeds(m, func(n *store.Needs) bool { return n.LongestSide != nil || n.Girth != nil }))
	}
	r.lacking(Warning{Code: ProductSize, Severity: Untidy, About: "/length", thing: "boxes"}, lacks, tidy, "no size",
		"looks at sizes, where that takes no room and is never too long", "")
}

// unclassed finds goods without a class where a method has prices or conditions by class, and most goods have one.
func (r *reader) unclassed() {
	with, without := 0, 0
	for i := range r.f.Products {
		p := &r.f.Products[i]
		switch {
		case !p.NeedsShipping:
		case p.Class == "":
			without++
		default:
			with++
		}
	}
	if without == 0 || without*4 > with {
		return
	}
	r.lacking(Warning{Code: ProductClass, Severity: Deters, About: "/class"},
		func(p *store.Product) bool { return p.Class == "" },
		func(m *store.Method) bool {
			return slices.ContainsFunc(m.Tables, func(t rate.Table) bool { return len(t.Classes) > 0 }) ||
				inNeeds(m, func(n *store.Needs) bool { return len(n.WithoutClasses) > 0 })
		}, "no class", "tells goods apart by class", "")
}

// refusedProducts finds products that no method takes anywhere, and gives how many of each class are so.
func (r *reader) refusedProducts() map[string][]*store.Product {
	refused := map[string][]*store.Product{}
	for i := range r.f.Products {
		p := &r.f.Products[i]
		if p.NeedsShipping && !r.taken(p) {
			refused[p.Class] = append(refused[p.Class], p)
		}
	}
	for i := range r.f.Products {
		p := &r.f.Products[i]
		if !slices.Contains(refused[p.Class], p) || r.wholeClass(p.Class, refused) {
			continue
		}
		q, tried := r.tryProduct(p)
		if q == nil {
			continue
		}
		r.say(
			Warning{
				Code:     ProductRefused,
				Severity: Blocks,
				About:    "products/" + pointer(p.SKU),
				Subject:  cmp.Or(p.Name, p.SKU),
				Product:  p.SKU,
				Tried:    tried,
				Text: "no delivery method takes it anywhere, so it cannot be ordered. " +
					"Let one take it, or say that it needs no shipping",
				Witness: q,
			},
			nothing,
		)
	}
	return refused
}

// wholeClass says whether all products of a class are refused, and more than one.
func (r *reader) wholeClass(class string, refused map[string][]*store.Product) bool {
	if class == "" {
		return false
	}
	n := 0
	for i := range r.f.Products {
		if p := &r.f.Products[i]; p.NeedsShipping && p.Class == class {
			n++
		}
	}
	return n == len(refused[class]) && r.noPrice(class)
}

// noPrice says whether no method takes and prices goods of a class anywhere.
func (r *reader) noPrice(class string) bool {
	for _, m := range r.methods {
		for _, z := range m.served() {
			id := r.f.Zones[z].ID
			if !takesClass(m.m.TermsIn(id).Needs, class) {
				continue
			}
			if t, column := tableFor(m.m, id, class); t != nil && (asks(m.m) ||
				slices.ContainsFunc(t.Rows, func(row rate.Row) bool { return row.Charges[column] != nil })) {
				return false
			}
		}
	}
	return true
}

// taken says whether some method surely takes a product by itself, or some number of it, in some zone: as far as
// conditions and lists tell without an engine. What boxes and distances do is not known, and left to the engine.
func (r *reader) taken(p *store.Product) bool {
	for _, m := range r.methods {
		for _, z := range m.served() {
			id := r.f.Zones[z].ID
			n := m.m.TermsIn(id).Needs
			if !takesClass(n, p.Class) || n != nil && !r.fits(p, n) {
				continue
			}
			if asks(m.m) {
				return true
			}
			t, column := tableFor(m.m, id, p.Class)
			if t == nil {
				continue
			}
			weight := r.f.Store.WeightOf(p)
			g := rate.Goods{Weight: weight, Quantity: 1, Subtotal: p.Price, Distance: &decimal.Zero}
			if r.f.Store.Volumetric != nil && t.By == rate.ByBilled || m.far || m.m.Parcels != nil ||
				n != nil && (n.Girth != nil || n.BilledWeight != nil) {
				q := r.product(p, 1, r.addressIn(m.m, z))
				if option(r.e.Quote(q), m.m.ID) != nil {
					return true
				}
				continue
			}
			if _, _, outcome := t.Price(column, &g); outcome == rate.Priced && (p.ShipsFree || outcome == rate.Priced) {
				return true
			}
			if p.ShipsFree {
				return true
			}
		}
	}
	return false
}

// tryProduct asks for a product wherever something is served, in the numbers that lower bounds of conditions want, and
// gives the first such order and how many were tried; nil where one of them is taken after all.
func (r *reader) tryProduct(p *store.Product) (first *quote.Request, tried int) {
	for i := range r.ground.spots {
		s := &r.ground.spots[i]
		if s.Bare || !slices.ContainsFunc(r.methods, func(m *methodFacts) bool { return m.serves(i) }) {
			continue
		}
		for _, quantity := range r.numbers(p) {
			q := r.product(p, quantity, s.At)
			if tried++; len(r.e.Quote(q).Options) > 0 {
				return nil, tried
			}
			if first == nil {
				first = q
			}
		}
		if tried >= maxTried {
			break
		}
	}
	return first, tried
}

// maxTried is how many carts are tried where only trying tells.
const maxTried = 2000

// numbers are how many of a product are ordered to reach the lower bounds of conditions: one, and what each bound
// wants.
func (r *reader) numbers(p *store.Product) []int64 {
	list := []int64{1}
	add := func(b *store.Bounds, each decimal.Decimal) {
		if b == nil || b.From == nil || each.Sign() <= 0 {
			return
		}
		if n := b.From.Quo(each).Ceil().Whole(0, true, quote.MaxQuantity); n > 0 && !slices.Contains(list, n) &&
			len(list) < 6 {
			list = append(list, n)
		}
	}
	for _, m := range r.methods {
		inNeeds(m.m, func(n *store.Needs) bool {
			add(n.Subtotal, p.Price)
			add(n.Weight, r.f.Store.WeightOf(p))
			add(n.Quantity, decimal.One)
			return false
		})
	}
	return list
}

// classes finds classes that no method takes and prices.
func (r *reader) classes(refused map[string][]*store.Product) {
	for i := range r.f.Classes {
		c := &r.f.Classes[i]
		if !r.noPrice(c.ID) {
			continue
		}
		w := Warning{Code: ClassUnpriced, Severity: Untidy, About: "classes/" + c.ID, Subject: r.f.ClassName(c.ID),
			Text: "no delivery method takes and prices goods of this class"}
		q := (*quote.Request)(nil)
		if some := refused[c.ID]; len(some) > 0 {
			if !r.wholeClass(c.ID, refused) {
				continue // each of them is named
			}
			w.Severity = Blocks
			var names []string
			for _, p := range some {
				names = append(names, cmp.Or(p.Name, p.SKU))
			}
			w.Text += ", so these cannot be ordered: " + plural.Few(names)
			q = r.product(some[0], 1, r.servedAddress())
		} else {
			line := usualGoods()
			line.Product.Class = c.ID
			q = r.dated(&quote.Request{To: r.servedAddress(), Lines: []quote.Line{line}})
		}
		w.Witness = q
		r.sayIf(w, nothing)
	}
}

// servedAddress is an address that is offered something.
func (r *reader) servedAddress() place.Address {
	for _, m := range r.methods {
		if len(m.zones) > 0 {
			return r.anyOf(m)
		}
	}
	return r.homeAddress()
}
