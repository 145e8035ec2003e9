package past

import (
	"encoding/binary"
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
)

// Rater rates orders under one store, and remembers what it has rated. It is used by one goroutine at a time;
// [Rater.Again] makes one for another.
type Rater struct {
	of       *quote.Engine // that it was made of
	engine   *quote.Engine // the same, which asks nobody outside
	products map[string]*store.Product
	classes  map[string]bool
	methods  map[string]bool   // that are switched on
	names    map[string]string // ids of methods by what they are called, folded

	dated bool // prices depend on the day

	// What is remembered: a shop sends the same goods to the same places again and again.
	places map[placeKey]*quote.Place
	known  *memory[Rated]
	key    []byte

	// Scratch of Rate.
	request quote.Request
	prices  []quote.Priced
	found   []string
}

// placeKey is what of an address prices depend on.
type placeKey struct{ country, region, city, postcode, street string }

// maxPlaces is how many places are remembered; then it begins again.
const maxPlaces = 1 << 15

// NewRater makes a rater of an engine. Nobody outside is asked: distances are measured as the crow flies times the
// store's road factor, and carriers' methods are priced by the price lists that stand in for them.
func NewRater(e *quote.Engine) *Rater {
	f := e.Store()
	r := &Rater{of: e, engine: e.Asking(nil).AskingCarriers(nil), products: map[string]*store.Product{},
		classes: map[string]bool{}, methods: map[string]bool{}, names: methodNames(f), dated: e.Dated(),
		known: newMemory[Rated]()}
	for i := range f.Products {
		r.products[f.Products[i].SKU] = &f.Products[i]
	}
	for i := range f.Classes {
		r.classes[f.Classes[i].ID] = true
	}
	for i := range f.Methods {
		if f.Methods[i].Enabled {
			r.methods[f.Methods[i].ID] = true
		}
	}
	return r.Again()
}

// Again is the same rater for another goroutine.
func (r *Rater) Again() *Rater {
	return &Rater{
		of:       r.of,
		engine:   r.engine,
		products: r.products,
		classes:  r.classes,
		methods:  r.methods,
		names:    r.names,
		dated:    r.dated,
		places:   map[placeKey]*quote.Place{},
		known:    r.known,
	}
}

// methodNames are the ids of methods by the names that their owner and buyers know them by, folded, where one alone is
// called so.
func methodNames(f *store.File) map[string]string {
	names := map[string]string{}
	add := func(name, id string) {
		name = world.Fold(strings.TrimSpace(name))
		if other, known := names[name]; name != "" && known && other != id {
			id = "" // it may be either
		}
		names[name] = id
	}
	for i := range f.Methods {
		m := &f.Methods[i]
		add(m.Name, m.ID)
		add(m.Label, m.ID)
		for _, label := range m.Labels {
			add(label, m.ID)
		}
	}
	return names
}

// Own is the id of the method that an order names: by its id, or by the name that its owner or buyers know it by. A
// name of no method stays as it is.
func (r *Rater) Own(name string) string {
	if name == "" || r.engine.Store().Method(name) != nil {
		return name
	}
	if id := r.names[world.Fold(strings.TrimSpace(name))]; id != "" {
		return id
	}
	return name
}

// Store is the store that is rated under.
func (r *Rater) Store() *store.File { return r.engine.Store() }

// Of is the engine that the rater was made of.
func (r *Rater) Of() *quote.Engine { return r.of }

// Engine is the one that rates.
func (r *Rater) Engine() *quote.Engine { return r.engine }

// Lacks says what a store lacks of a line's goods, in words; "" where they can be rated: they are a product of the
// store, or the line says what they weigh, or names no product, and the class that it names is there.
func (r *Rater) Lacks(l *Line) string {
	switch {
	case l.SKU != "" && l.Weight == nil && r.products[l.SKU] == nil:
		return fmt.Sprintf("the store has no product %.60q, and the line does not say what it weighs", l.SKU)
	case l.Class != "" && !r.classes[l.Class]:
		return fmt.Sprintf("the store has no class %.60q", l.Class)
	}
	return ""
}

// lacks is what of a line the store does not know; "" where it can be rated.
func (r *Rater) lacks(l *Line) string {
	switch {
	case l.SKU != "" && l.Weight == nil && r.products[l.SKU] == nil:
		return l.SKU
	case l.Class != "" && !r.classes[l.Class]:
		return l.Class
	}
	return ""
}

// Request is the quote that an order asks for. unknown is the sku of goods that cannot be rated, "" where all can.
func (r *Rater) Request(o *Order) (q quote.Request, unknown string) {
	unknown = r.fill(&q, o)
	return q, unknown
}

// fill makes a request of an order, in the memory of another.
func (r *Rater) fill(q *quote.Request, o *Order) (unknown string) {
	lines := q.Lines[:0]
	for i := range o.Lines {
		l := &o.Lines[i]
		if unknown := r.lacks(l); unknown != "" {
			return unknown
		}
		p := store.Product{SKU: l.SKU, NeedsShipping: true}
		if own := r.products[l.SKU]; own != nil {
			p = *own
		}
		if l.Price != nil {
			p.Price = *l.Price
		}
		if l.Weight != nil {
			p.Weight = l.Weight
		}
		if l.Class != "" {
			p.Class = l.Class
		}
		lines = append(lines, quote.Line{Product: p, Quantity: l.Quantity})
	}
	*q = quote.Request{To: o.To, Lines: lines, Coupons: o.Coupons, Customer: o.Customer, Group: o.Group, At: o.At,
		Costs: true}
	return ""
}

// Rate rates an order: by its method where that is offered, else by the option that costs the buyer least, the first in
// the store file of several.
func (r *Rater) Rate(o *Order) (is Rated) {
	at := r.place(&o.To)
	r.key = r.appendKey(r.key[:0], o, at)
	is = r.known.get(r.key, func() Rated { return r.rate(o, at) })
	if o.Cost != nil && is.Charged() {
		is.CostKnown, is.Cost = true, *o.Cost
		is.Margin = r.engine.Margin(&quote.Amounts{Charge: is.Charge, Tax: is.Tax}, *o.Cost)
	}
	return is
}

// appendKey writes all that the price of an order depends on.
func (r *Rater) appendKey(b []byte, o *Order, at *quote.Place) []byte {
	b = append(binary.AppendUvarint(b, uint64(len(at.Like))), at.Like...)
	if r.dated {
		b = binary.AppendVarint(b, r.engine.Day(o.At).Unix())
	}
	for _, text := range [...]string{o.Method, o.Customer, o.Group} {
		b = append(append(b, text...), 0)
	}
	for _, coupon := range o.Coupons {
		b = append(append(b, coupon...), 0)
	}
	b = append(b, 0)
	for i := range o.Lines {
		l := &o.Lines[i]
		b = append(append(append(append(b, l.SKU...), 0), l.Class...), 0)
		b = binary.AppendVarint(b, l.Quantity)
		for _, d := range [...]*decimal.Decimal{l.Price, l.Weight} {
			if d == nil {
				b = append(b, 'n')
			} else {
				b = d.AppendKey(append(b, 'd'))
			}
		}
	}
	return b
}

// Place makes an address ready, or remembers that it has.
func (r *Rater) Place(to *place.Address) *quote.Place { return r.place(to) }

// place makes an address ready, or remembers that it has.
func (r *Rater) place(to *place.Address) *quote.Place {
	if to.Lat != nil {
		return r.engine.Place(to)
	}
	key := placeKey{to.Country, to.Region, to.City, to.Postcode, to.Street}
	if at, ok := r.places[key]; ok {
		return at
	}
	if len(r.places) >= maxPlaces {
		clear(r.places)
	}
	at := r.engine.Place(to)
	r.places[key] = at
	return at
}

// rate rates an order but for what it says that it cost.
func (r *Rater) rate(o *Order, at *quote.Place) (is Rated) {
	own := r.Own(o.Method)
	is.Method = own
	if is.Unknown = r.fill(&r.request, o); is.Unknown != "" {
		is.Outcome, is.Zone = Unrated, at.Narrowest(r.engine)
		return is
	}
	q := &r.request
	r.measure(q, &is)
	r.prices = r.prices[:0]
	if r.methods[own] {
		r.prices = r.engine.Prices(q, at, own, r.prices)
	}
	if len(r.prices) == 0 {
		r.prices = r.engine.Prices(q, at, "", r.prices)
		is.Outcome = ByOther
	}
	if len(r.prices) == 0 {
		is.Outcome, is.Zone = NotOffered, at.Narrowest(r.engine)
		return is
	}
	best := &r.prices[0]
	for i := range r.prices {
		if r.prices[i].Total.Less(best.Total) {
			best = &r.prices[i]
		}
	}
	is.Method, is.Service, is.Zone = best.Method, best.Service, best.Zone
	is.Charge, is.Tax, is.Total = best.Charge, best.Tax, best.Total
	is.CostKnown, is.Cost, is.Margin = best.CostKnown, best.Cost, best.Margin
	return is
}

// measure notes what of an order's goods is shipped.
func (r *Rater) measure(q *quote.Request, is *Rated) {
	r.found = r.found[:0]
	for i := range q.Lines {
		p := &q.Lines[i].Product
		if !p.NeedsShipping {
			continue
		}
		is.NeedsShipping = true
		is.Weight = is.Weight.Add(r.Store().Store.WeightOf(p).Mul(decimal.FromInt(q.Lines[i].Quantity)))
		if !slices.Contains(r.found, p.Class) {
			r.found = append(r.found, p.Class)
		}
	}
	switch len(r.found) {
	case 0:
	case 1:
		is.Classes = r.found[0]
	default:
		slices.Sort(r.found)
		is.Classes = strings.Join(r.found, "+")
	}
}
