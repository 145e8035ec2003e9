// Package quote answers what delivery costs: which methods an address and a cart are offered, for how much, and why.
//
// [Compile] turns a store file into an [Engine], which quotes many times and from many goroutines. The rules,
// and the order in which they work, are those of docs/model.md; each file of the package has one part of them.
package quote

import (
	"slices"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/place"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"

	"github.com/paulmach/orb"
)

// Engine quotes from one store.
type Engine struct {
	file  *store.File
	gaz   *gazetteer.Gazetteer
	units rate.Units

	zones, surcharges, taxes *place.Index
	zoneRules                []place.Owner  // of each zone; none of one that is switched off
	zoneIndex                map[string]int // by id

	ranked       bool
	calendar     *calendar.Calendar           // nil: days are not made dates
	volumes      bool                         // whether volumetric weights may be billed
	volumeOf     map[sidesKey]decimal.Decimal // of the store's products
	products     map[string]int
	classes      map[string]bool
	methods      []method
	plans        []*plan             // how goods of methods become parcels
	costings     map[string]*costing // what methods cost the shop, by their ids
	agreed       []agreement         // customers', then groups', then places'
	origins      []origin            // the places of the shop whose point is known
	originOf     map[string]int
	shipsFrom    []int           // into origins
	metres       decimal.Decimal // metres in the store's unit of distance
	outside      Outside         // nil: nobody is asked
	carriers     Carriers        // nil: none is connected
	asksCarriers bool            // some method asks one
	memos        *memos
}

// method is a store's method with what is looked up for it in each quote.
type method struct {
	*store.Method
	served     map[int]*served // by zone index
	surcharges []bool          // which surcharges name it
	from       int             // its own location among the origins, −1 where that has no point or there is none
	ownFrom    bool
	services   []store.Service // of the carrier that it asks, those that are on
	plan       int             // of the engine's, −1 where goods are one parcel for each place that they leave from
	label      string
	calendar   *calendar.Calendar // nil: days are not made dates
}

// served is how the tables of a method cover a zone.
type served struct {
	tables  []column
	byClass map[string]int // into tables
	rest    int            // the table of all goods that no other claims, or −1
	terms   store.Terms    // the method's with the zone's own in their place
}

type column struct {
	table  *rate.Table
	column int
	far    bool // some price of it depends on the distance
}

func newColumn(t *rate.Table, at int) column {
	c := column{t, at, t.By == rate.ByDistance}
	for row := range t.Rows {
		c.far = c.far || t.Far(at, row)
	}
	return c
}

// Digits is the number of minor digits of the store's currency.
func (e *Engine) Digits() int { return e.units.Digits }

// Compile prepares a store that [store.Read] has found without faults. A gazetteer may be nil. Neither may
// change afterwards.
func Compile(f *store.File, g *gazetteer.Gazetteer) *Engine { return compile(f, g, nil) }

// CompileAfter is [Compile] for a store that was made of an earlier one by [store.File.SplitAgain], with the parts that
// this gave and those of the earlier: what of its engine is the same is taken over. The gazetteer is that of before.
func CompileAfter(f *store.File, parts *store.Parts, before *Engine, was *store.Parts) *Engine {
	if !parts.Same("", was) || !parts.Same("locations", was) { // all places may lie elsewhere
		return Compile(f, before.gaz)
	}
	return compile(f, before.gaz, &earlier{before, parts, was})
}

// earlier is an engine from which what is the same is taken over. The nil earlier has nothing.
type earlier struct {
	*Engine
	parts, was *store.Parts
}

func (o *earlier) same(lists ...string) bool {
	return o != nil && !slices.ContainsFunc(lists, func(l string) bool { return !o.parts.Same(l, o.was) })
}

func (o *earlier) sameIDs(list string) bool { return o != nil && o.parts.SameIDs(list, o.was) }

// method is a method as it was compiled, where nothing of it has changed.
func (o *earlier) method(at int, id string) *method {
	if o == nil || !o.parts.SameEntry("methods", at, o.was) {
		return nil
	}
	for i := range o.methods {
		if o.methods[i].ID == id {
			return &o.methods[i]
		}
	}
	return nil
}

func compile(f *store.File, g *gazetteer.Gazetteer, o *earlier) *Engine {
	e := &Engine{
		file:     f,
		gaz:      g,
		units:    f.Store.Units(),
		classes:  map[string]bool{},
		volumes:  f.Store.Volumetric != nil,
		originOf: map[string]int{},
		metres:   place.MetresIn(f.Store.DistanceUnit),
		memos:    &memos{},
	}
	if f.Store.Dispatch != nil {
		e.calendar, _ = calendar.New(f.Store.Dispatch) // store.Read has checked it
	}
	if o.sameIDs("products") {
		e.products = o.products
	} else {
		e.products = make(map[string]int, len(f.Products))
		for i := range f.Products {
			e.products[f.Products[i].SKU] = i
		}
	}
	for _, c := range f.Classes {
		e.classes[c.ID] = true
	}
	points := e.locations(f, g)
	e.compileZones(points, o)
	owners := make([]place.Owner, len(f.Surcharges))
	for i, s := range f.Surcharges {
		owners[i] = place.Owner{Places: located(s.Places, points), Except: located(s.Except, points)}
	}
	e.surcharges = place.NewIndex(owners)
	owners = make([]place.Owner, len(f.Store.Tax.Rates))
	for i, t := range f.Store.Tax.Rates {
		owners[i] = place.Owner{Places: located([]place.Rule{t.Rule}, points)}
	}
	e.taxes = place.NewIndex(owners)
	alike := o.sameIDs("zones") && o.same("surcharges", "carriers", "boxes")
	for i := range f.Methods {
		if m := &f.Methods[i]; m.Enabled {
			e.volumes = e.volumes || e.billsVolume(m)
			e.asksCarriers = e.asksCarriers || len(services(m)) > 0
			if was := o.method(i, m.ID); alike && was != nil {
				c := *was
				c.Method, c.plan = m, e.plan(m)
				e.methods = append(e.methods, c)
				continue
			}
			e.methods = append(e.methods, e.method(m))
		}
	}
	if o.same("products") && e.volumes == o.volumes {
		e.volumeOf = o.volumeOf
	} else {
		e.measureProducts()
	}
	e.costs()
	e.agreed = agreements(f)
	return e
}

// compileZones prepares the zones.
func (e *Engine) compileZones(points map[string]orb.Point, o *earlier) {
	f := e.file
	if o.sameIDs("zones") {
		e.zoneIndex = o.zoneIndex
	} else {
		e.zoneIndex = make(map[string]int, len(f.Zones))
		for i := range f.Zones {
			e.zoneIndex[f.Zones[i].ID] = i
		}
	}
	if o.same("zones") {
		e.ranked, e.zones, e.zoneRules = o.ranked, o.zones, o.zoneRules
		return
	}
	owners := make([]place.Owner, len(f.Zones))
	for i := range f.Zones {
		z := &f.Zones[i]
		e.ranked = e.ranked || z.Rank != nil
		if z.Enabled {
			owners[i] = place.Owner{Places: located(z.Places, points), Except: located(z.Except, points)}
		}
	}
	if o != nil && slices.EqualFunc(owners, o.zoneRules, place.Owner.Equal) { // of other names
		e.zones, e.zoneRules = o.zones, o.zoneRules
		return
	}
	e.zones, e.zoneRules = place.NewIndex(owners), owners
}

// locations notes the places of the shop that have a point, and gives these by id.
func (e *Engine) locations(f *store.File, g *gazetteer.Gazetteer) map[string]orb.Point {
	points := map[string]orb.Point{}
	for i := range f.Locations {
		l := &f.Locations[i]
		p, ok := l.Point(g)
		if !ok {
			continue
		}
		points[l.ID] = p
		if l.ShipsFrom {
			e.shipsFrom = append(e.shipsFrom, len(e.origins))
		}
		e.originOf[l.ID] = len(e.origins)
		e.origins = append(e.origins, origin{p, f.LocationName(l.ID), l.ID})
	}
	return points
}

// billsVolume says whether a method may bill volumetric weights.
func (e *Engine) billsVolume(m *store.Method) bool {
	bills := e.divisor(m) != nil || m.Needs != nil && m.Needs.BilledWeight != nil
	for _, t := range m.Terms {
		bills = bills || t.Needs != nil && t.Needs.BilledWeight != nil
	}
	return bills
}

// Store is the store that is quoted from; it must not be changed.
func (e *Engine) Store() *store.File { return e.file }

// ZoneRules are the places of each zone, with circles around the shop's locations where the gazetteer puts those; a
// zone that is switched off has none. They must not be changed.
func (e *Engine) ZoneRules() []place.Owner { return e.zoneRules }

// Tied says whether only the order in the file tells which of two zones comes first for an address that both take.
func (e *Engine) Tied(a, b place.Match) bool {
	x, y := e.file.Zones[a.Owner].Rank, e.file.Zones[b.Owner].Rank
	return (x == nil) == (y == nil) && (x == nil || *x == *y) && a.Narrow.Compare(b.Narrow) == 0
}

// Gazetteer is the one that is quoted with, or nil.
func (e *Engine) Gazetteer() *gazetteer.Gazetteer { return e.gaz }

// Only is the engine with some of its methods, by their ids: what it says of them is what the engine says, and sooner.
func (e *Engine) Only(ids ...string) *Engine {
	with := *e
	with.methods = nil
	for i := range e.methods {
		if slices.Contains(ids, e.methods[i].ID) {
			with.methods = append(with.methods, e.methods[i])
		}
	}
	return &with
}

// Located are the rules of an owner with circles around the shop's locations where the gazetteer puts those.
func (e *Engine) Located(o place.Owner) place.Owner {
	points := make(map[string]orb.Point, len(e.origins))
	for i := range e.origins {
		points[e.origins[i].id] = e.origins[i].point
	}
	return place.Owner{Places: located(o.Places, points), Except: located(o.Except, points)}
}

// located gives circles around locations that do not say where they lie the point that the gazetteer knows.
func located(rules []place.Rule, points map[string]orb.Point) []place.Rule {
	for i := range rules {
		w := rules[i].Within
		if w == nil || w.Located {
			continue
		}
		p, ok := points[w.Location]
		if !ok {
			continue
		}
		circle := *w
		circle.SetPoint(p)
		copied := append([]place.Rule(nil), rules...)
		copied[i].Within = &circle
		rules = copied
	}
	return rules
}

func (e *Engine) method(m *store.Method) method {
	c := method{
		Method:     m,
		surcharges: make([]bool, len(e.file.Surcharges)),
		from:       -1,
		ownFrom:    m.From != "",
		label:      m.BuyersLabel(),
		calendar:   e.calendar,
		plan:       e.plan(m),
		services:   services(m),
	}
	if m.Dispatch != nil && e.file.Store.Dispatch != nil {
		c.calendar, _ = calendar.New(e.file.Store.Dispatch.With(m.Dispatch)) // store.Read has checked it
	}
	if i, ok := e.originOf[m.From]; ok {
		c.from = i
	}
	for i, s := range e.file.Surcharges {
		c.surcharges[i] = len(s.Methods) == 0
		for _, id := range s.Methods {
			c.surcharges[i] = c.surcharges[i] || id == m.ID
		}
	}
	c.served = e.served(m)
	return c
}

// served is how the tables of a method cover the zones, by their indexes.
func (e *Engine) served(m *store.Method) map[int]*served {
	all := map[int]*served{}
	for i := range m.Tables {
		t := &m.Tables[i]
		for j, zone := range t.Zones {
			z := e.zoneIndex[zone]
			s := all[z]
			if s == nil {
				s = &served{byClass: map[string]int{}, rest: -1, terms: m.TermsIn(zone)}
				all[z] = s
			}
			for _, class := range t.Classes {
				s.byClass[class] = len(s.tables)
			}
			if len(t.Classes) == 0 {
				s.rest = len(s.tables)
			}
			s.tables = append(s.tables, newColumn(t, j))
		}
	}
	return all
}

// Outranks says whether a zone whose rule is so narrow would come before a match of another for an address that both
// take.
func (e *Engine) Outranks(zone int, narrow place.Narrowness, m place.Match) bool {
	mine, other := e.file.Zones[zone].Rank, e.file.Zones[m.Owner].Rank
	switch {
	case mine != nil && other == nil:
		return true
	case mine == nil && other != nil:
		return false
	case mine != nil && *mine != *other:
		return *mine < *other
	}
	if c := narrow.Compare(m.Narrow); c != 0 {
		return c < 0
	}
	return zone < m.Owner
}
