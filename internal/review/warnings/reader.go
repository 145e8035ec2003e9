package warnings

import (
	"cmp"
	"hash/maphash"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"time"
	"unicode"
	"unicode/utf8"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/review/coverage"
)

// Input is what is read.
type Input struct {
	Engine   *quote.Engine // quotes the store; services outside are not asked
	Coverage *coverage.Map // of its zones
	Parts    *store.Parts  // what is remembered is told by them; nil: everything is read anew
	Now      time.Time     // the moment at which offers end and begin
}

// Reading is what was found in a store. It is not changed once made.
type Reading struct {
	Warnings []Warning // the worst first
	// Unproved are warnings that were not said because their witness did not show them: mistakes of this package.
	Unproved []Warning

	reader    *reader
	engine    *quote.Engine
	ground    *ground
	coverage  *coverage.Map
	covered   uint64 // tells maps of zones apart
	remembers map[string]remembered
}

// remembered is what one part of a store gave, as long as all that it looks at has the same print.
type remembered struct {
	print    uint64
	list     []Warning
	unproved []Warning
	facts    any
}

// reader is a reading on its way.
type reader struct {
	f       *store.File
	e       *quote.Engine
	u       rate.Units
	now     time.Time
	day     time.Time // that is looked at, by the shop's clock
	ground  *ground
	summary func() *coverage.Summary
	methods []*methodFacts // of those that are on, in the order of the file
	byID    map[string]*methodFacts

	dates  bool                          // what is offered depends on the day
	names  []string                      // of the zones, as they are compared; made when they are needed
	zoneOf map[string]int                // where zones stand; made when it is needed
	near   map[addressKey]*place.Address // near enough for a method's conditions; nil where there is none

	before, after map[string]remembered
	remembers     bool
	into          *remembered // of the part that is read
	positions     map[string]map[string]int
	goodsOf       map[*store.Needs]*goodsFacts // by conditions; what they take of the products
	between       map[string]*spans            // by country; made when they are needed
}

// numbered tells grounds and maps apart that look alike.
var numbered atomic.Uint64

// Read reads a store. What a reading before found and what has not changed since is taken over; before may be nil.
func Read(in Input, before *Reading) *Reading {
	e := in.Engine.Asking(nil).AskingCarriers(nil)
	f := e.Store()
	out := &Reading{engine: e, coverage: in.Coverage, covered: numbered.Add(1),
		remembers: map[string]remembered{}}
	r := &reader{f: f, e: e, u: f.Store.Units(), now: in.Now, day: today(f, in.Now), byID: map[string]*methodFacts{},
		summary: in.Coverage.Summary, after: out.remembers, remembers: in.Parts != nil, dates: dated(f)}
	if before != nil {
		r.before = before.remembers
		if before.coverage == in.Coverage {
			out.covered = before.covered
		}
		r.ground = before.ground
	}
	r.ground = groundOf(e, r.ground)
	out.ground, out.reader = r.ground, r
	r.all(newPrints(in, r, out.covered))
	r.before, r.into = nil, nil
	for _, key := range r.keys() {
		kept := out.remembers[key]
		out.Warnings = append(out.Warnings, kept.list...)
		out.Unproved = append(out.Unproved, kept.unproved...)
	}
	for i := range out.Warnings {
		out.Warnings[i].Path = r.path(out.Warnings[i].About)
	}
	Worst(out.Warnings)
	return out
}

// Engine is the engine that witnesses were asked of: it asks nobody outside.
func (r *Reading) Engine() *quote.Engine { return r.engine }

// today is the day of a moment by the clock of a shop.
func today(f *store.File, now time.Time) time.Time {
	if p := f.Store.Dispatch; p != nil {
		if c, err := calendar.New(p); err == nil {
			return c.Today(now)
		}
	}
	return calendar.Today(now)
}

// prints are what parts of a store are told by.
type prints struct {
	zones   uint64            // settings, and zones as they lie to one another
	paired  uint64            // all that two methods look at when they are compared, beside themselves
	shared  uint64            // all that methods look at beside themselves
	bodies  map[string]uint64 // of each method, itself
	methods map[string]uint64 // of each method, with what it looks at
	every   uint64            // all
}

var seed = maphash.MakeSeed()

func newPrints(in Input, r *reader, covered uint64) prints {
	p := prints{methods: map[string]uint64{}, bodies: map[string]uint64{}}
	if in.Parts == nil {
		return p
	}
	var h maphash.Hash
	h.SetSeed(seed)
	write := func(b []byte) {
		h.Write(b)
		h.WriteByte(0)
	}
	write(in.Parts.Settings)
	for i := range r.f.Zones {
		z := &r.f.Zones[i]
		write([]byte(z.ID))
		write([]byte(z.Name))
		write(strconv.AppendBool(strconv.AppendBool(nil, z.Enabled), z.Only))
	}
	write(strconv.AppendUint(nil, covered, 10))
	write(strconv.AppendUint(nil, r.ground.number, 10))
	write([]byte(r.day.Format(time.DateOnly)))
	p.zones = h.Sum64()
	for _, list := range store.Lists {
		if list != "methods" && list != "zones" && list != "products" {
			for _, entry := range in.Parts.Lists[list] {
				write(entry.Body)
			}
			h.WriteByte(1)
		}
	}
	beside := h
	for _, sku := range r.usualGoods() {
		beside.WriteString(sku)
		beside.Write(in.Parts.Body("products", sku))
	}
	p.paired = beside.Sum64()
	for _, entry := range in.Parts.Lists["products"] {
		write(entry.Body)
	}
	p.shared = h.Sum64()
	for _, entry := range in.Parts.Lists["methods"] {
		write(entry.Body)
		p.bodies[entry.ID] = maphash.Bytes(seed, entry.Body)
		p.methods[entry.ID] = p.bodies[entry.ID] ^ p.shared
	}
	p.every = h.Sum64()
	return p
}

// usualGoods are the skus of the products that two methods are compared with.
func (r *reader) usualGoods() (skus []string) {
	for i := range r.f.Products {
		if p := &r.f.Products[i]; p.NeedsShipping && !p.ShipsFree {
			if skus = append(skus, p.SKU); len(skus) == maxGoods {
				break
			}
		}
	}
	return skus
}

// part reads one part of a store, or takes over what it gave before. The print tells all that it looks at.
func (r *reader) part(key string, print uint64, read func() any) any {
	if r.remembers {
		if kept, ok := r.before[key]; ok && kept.print == print {
			r.after[key] = kept
			return kept.facts
		}
	}
	now := remembered{print: print}
	r.into = &now
	now.facts = read()
	r.after[key] = now
	return now.facts
}

// keys lists the parts that were read by name, which is the same for the same store.
func (r *reader) keys() []string {
	keys := make([]string, 0, len(r.after))
	for key := range r.after {
		keys = append(keys, key)
	}
	slices.Sort(keys)
	return keys
}

// all reads every part.
func (r *reader) all(p prints) {
	for i := range r.f.Methods {
		m := &r.f.Methods[i]
		if !m.Enabled {
			continue
		}
		of := *r.part("facts "+m.ID, p.bodies[m.ID]^p.paired, func() any { return r.facts(m) }).(*methodFacts)
		of.m = m // what is remembered keeps no store
		facts := &of
		r.methods, r.byID[m.ID] = append(r.methods, facts), facts
	}
	for _, m := range r.methods {
		r.part("method "+m.m.ID, p.methods[m.m.ID], func() any { r.method(m); return nil })
	}
	r.part("start", p.every, func() any { r.start(); return nil })
	r.part("places", p.every, func() any { r.places(); return nil })
	r.part("zones", p.zones, func() any { r.zones(); return nil })
	r.part("extras", p.every, func() any { r.extras(); return nil })
	r.part("goods", p.every, func() any { r.goods(); return nil })
	r.part("coupons", p.every, func() any { r.coupons(); return nil })
	r.pairs(p)
}

// say notes a warning once the engine has shown it: a witness that does not show it is a mistake of this package.
func (r *reader) say(w Warning, shows claim) {
	if w = r.worded(w, shows); !w.Holds(r.e) {
		r.into.unproved = append(r.into.unproved, w)
		return
	}
	r.into.list = append(r.into.list, w)
}

// sayIf notes a warning if the engine shows it, for those that something else may hide: a minimum, an agreed charge.
func (r *reader) sayIf(w Warning, shows claim) bool {
	w = r.worded(w, shows)
	if !w.Holds(r.e) {
		return false
	}
	r.into.list = append(r.into.list, w)
	return true
}

// worded gives a warning its key and its message, which is made of what it is about and its text.
func (r *reader) worded(w Warning, shows claim) Warning {
	w.claim = shows
	w.Key = strings.TrimSpace(string(w.Code) + " " + w.About + " " + w.thing)
	if w.Table == "" {
		w.Row = -1
	}
	if w.Tried > 0 {
		w.Text += ". Found by trying " + plural.Count(w.Tried, "cart")
	}
	about := w.Subject
	if w.Method != "" {
		about = methodName(r.f.Method(w.Method))
		if w.Zone != "" {
			about += " to " + r.f.ZoneName(w.Zone)
		}
	}
	if w.Message = w.Text; about != "" {
		w.Message = about + ": " + w.Text
	}
	w.Message = Sentence(w.Message)
	return w
}

// shown is whether the engine would show a warning, for those of which several witnesses may be tried.
func (r *reader) shown(q *quote.Request, shows claim) bool {
	return q != nil && shows(r.e.Quote(q), nil)
}

// Sentence begins with a capital and ends with a full stop.
func Sentence(text string) string {
	c, size := utf8.DecodeRuneInString(text)
	text = string(unicode.ToUpper(c)) + text[size:]
	if !strings.HasSuffix(text, ".") && !strings.HasSuffix(text, "?") {
		text += "."
	}
	return text
}

// methodName is what a method is called by the owner.
func methodName(m *store.Method) string { return cmp.Or(m.Name, m.ID) }

// path is the JSON Pointer of a thing that is named by ids: "methods/parcel/tables/0" is "/methods/3/tables/0".
func (r *reader) path(about string) string {
	list, rest, ok := cutPart(about)
	if !ok || !slices.Contains(store.Lists, list) {
		return "/" + about
	}
	id, rest, _ := cutPart(rest)
	if r.positions[list] == nil {
		if r.positions == nil {
			r.positions = map[string]map[string]int{}
		}
		r.positions[list] = positions(r.f, list)
	}
	at, ok := r.positions[list][id]
	if !ok {
		return "/" + list
	}
	out := "/" + list + "/" + strconv.Itoa(at)
	if rest != "" {
		out += "/" + rest
	}
	return out
}

// pointer writes a text as a part of a JSON Pointer (RFC 6901, section 3).
func pointer(s string) string { return strings.NewReplacer("~", "~0", "/", "~1").Replace(s) }

func cutPart(s string) (first, rest string, ok bool) {
	for i := range len(s) {
		if s[i] == '/' {
			return s[:i], s[i+1:], true
		}
	}
	return s, "", false
}

// positions are where the entries of a list stand.
func positions(f *store.File, list string) map[string]int {
	out := map[string]int{}
	add := func(n int, id func(int) string) {
		for i := range n {
			out[id(i)] = i
		}
	}
	switch list {
	case "zones":
		add(len(f.Zones), func(i int) string { return f.Zones[i].ID })
	case "methods":
		add(len(f.Methods), func(i int) string { return f.Methods[i].ID })
	case "products":
		add(len(f.Products), func(i int) string { return pointer(f.Products[i].SKU) })
	case "classes":
		add(len(f.Classes), func(i int) string { return f.Classes[i].ID })
	case "boxes":
		add(len(f.Boxes), func(i int) string { return f.Boxes[i].ID })
	case "surcharges":
		add(len(f.Surcharges), func(i int) string { return f.Surcharges[i].ID })
	case "agreed":
		add(len(f.Agreed), func(i int) string { return f.Agreed[i].ID })
	case "costs":
		add(len(f.Costs), func(i int) string { return f.Costs[i].ID })
	case "carriers":
		add(len(f.Carriers), func(i int) string { return f.Carriers[i].ID })
	case "locations":
		add(len(f.Locations), func(i int) string { return f.Locations[i].ID })
	}
	return out
}

// money writes an amount as people read it.
func (r *reader) money(d decimal.Decimal) string {
	return world.Price(r.u.Money(d), r.f.Store.Currency)
}

// ground is where zones, surcharges, tax rates and what is sold to lie to one another.
type ground struct {
	number uint64
	zones  int           // owners below are zones
	owners []place.Owner // zones, then surcharges, tax rates, agreed places and, last, where the shop sells
	ranks  []store.Zone
	gaz    any
	spots  []spot
	sold   int32 // owner of where the shop sells, -1 where that is not said
	first  struct{ surcharges, taxes, agreed int32 }
	listed map[string]bool // countries that a list of places has
}

// spot is a spot with what takes it beside zones.
type spot struct {
	coverage.Spot
	Zones []int32 // the one that counts first
	Other []int32
}

// has says whether an owner that is no zone takes the spot.
func (s *spot) has(owner int32) bool { return slices.Contains(s.Other, owner) }

// taken says whether any of the owners from one to another, not included, takes the spot.
func (s *spot) taken(from, to int32) bool {
	return slices.ContainsFunc(s.Other, func(o int32) bool { return from <= o && o < to })
}

// groundOf is the ground of a store; that of before where nothing of it has changed.
func groundOf(e *quote.Engine, before *ground) *ground {
	f := e.Store()
	g := &ground{zones: len(f.Zones), owners: slices.Clone(e.ZoneRules()), ranks: f.Zones, gaz: e.Gazetteer(), sold: -1}
	add := func(o place.Owner) int32 {
		g.owners = append(g.owners, e.Located(o))
		return int32(len(g.owners) - 1)
	}
	g.first.surcharges = int32(len(g.owners))
	for i := range f.Surcharges {
		add(place.Owner{Places: f.Surcharges[i].Places, Except: f.Surcharges[i].Except})
	}
	g.first.taxes = int32(len(g.owners))
	for i := range f.Store.Tax.Rates {
		add(place.Owner{Places: []place.Rule{f.Store.Tax.Rates[i].Rule}})
	}
	g.first.agreed = int32(len(g.owners))
	for i := range f.Agreed {
		add(place.Owner{Places: agreedRules(f.Agreed[i].Place)})
	}
	if len(f.Store.SellsTo) > 0 {
		g.sold = add(place.Owner{Places: f.Store.SellsTo})
	}
	if before != nil && before.same(g) {
		return before
	}
	g.number = numbered.Add(1)
	extras := place.NewIndex(g.owners[g.zones:])
	m := &coverage.Map{Rules: g.owners, Gazetteer: e.Gazetteer(),
		Match: func(to *place.Resolved, into []place.Match) []place.Match {
			into = e.AppendZones(to, into)
			from := len(into)
			into = extras.Match(to, into)
			for i := from; i < len(into); i++ {
				into[i].Owner += g.zones
			}
			slices.SortFunc(into[from:], func(a, b place.Match) int { return a.Owner - b.Owner })
			return into
		},
		Tie: func(a, b place.Match) bool { return a.Owner < g.zones && b.Owner < g.zones && e.Tied(a, b) }}
	for _, s := range m.Spots() {
		at := len(s.Owners)
		for i, o := range s.Owners {
			if int(o) >= g.zones {
				at = i
				break
			}
		}
		g.spots = append(g.spots, spot{s, s.Owners[:at], s.Owners[at:]})
	}
	g.listed = map[string]bool{}
	if e.Gazetteer() != nil {
		_, codes := e.Gazetteer().Countries()
		for c, n := range codes {
			g.listed[c] = n > 0
		}
	}
	return g
}

// same says whether another ground would have the same spots.
func (g *ground) same(o *ground) bool {
	sameZone := func(a, b store.Zone) bool {
		return (a.Rank == nil) == (b.Rank == nil) && (a.Rank == nil || *a.Rank == *b.Rank)
	}
	return g.gaz == o.gaz && g.zones == o.zones && g.sold == o.sold && g.first == o.first &&
		slices.EqualFunc(g.ranks, o.ranks, sameZone) && slices.EqualFunc(g.owners, o.owners, place.Owner.Equal)
}

// agreedRules are the place of an agreed charge as rules; none where it names none.
func agreedRules(p *store.AgreedPlace) []place.Rule {
	if p == nil {
		return nil
	}
	rule := place.Rule{Country: p.Country}
	if entry, err := postcode.ParseEntry(p.Country, p.Postcode); err == nil && p.Postcode != "" {
		rule.Postcodes = []postcode.Entry{entry}
	}
	return []place.Rule{rule}
}
