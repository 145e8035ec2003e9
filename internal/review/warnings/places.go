package warnings

import (
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/place"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/world"
)

// priced says whether some method that is on has a price at all; a shop that has only begun is told that first.
func (r *reader) priced() bool {
	return slices.ContainsFunc(r.methods, func(m *methodFacts) bool { return len(m.zones) > 0 })
}

// places finds where nobody is offered anything.
func (r *reader) places() {
	if !r.priced() {
		return
	}
	unpriced := r.unpricedZones()
	r.unserved()
	r.soldTo(unpriced)
}

// zoneFacts is what a zone without a price of its own gets.
type zoneFacts struct {
	first bool  // some address gets it
	none  int   // a spot where nothing is offered, -1 for none
	by    int32 // a broader zone that prices it, -1 for none
	at    int   // a spot that it prices
}

// opened says whether some method serves a spot for any buyer today.
func (r *reader) opened(spot int) bool {
	return slices.ContainsFunc(r.methods, func(m *methodFacts) bool { return m.opens(spot) })
}

// unpricedZones finds zones that no method has a price for, and lists them.
func (r *reader) unpricedZones() map[int32]bool {
	found := map[int32]*zoneFacts{}
	for i := range r.f.Zones {
		z := &r.f.Zones[i]
		if z.Enabled && len(z.Places) > 0 &&
			!slices.ContainsFunc(r.methods, func(m *methodFacts) bool { return m.priced[int32(i)] }) {
			found[int32(i)] = &zoneFacts{none: -1, by: -1}
		}
	}
	for i := range r.ground.spots {
		s := &r.ground.spots[i]
		if len(s.Zones) == 0 || s.Bare {
			continue
		}
		facts := found[s.Zones[0]]
		if facts == nil {
			continue
		}
		facts.first = true
		if r.opened(i) {
			for _, m := range r.methods {
				if m.opens(i) && facts.by < 0 {
					facts.by, facts.at = m.spots[i], i
				}
			}
			continue
		}
		if facts.none < 0 && (r.ground.sold < 0 || s.has(r.ground.sold)) {
			facts.none = i
		}
	}
	unpriced := map[int32]bool{}
	for i := range r.f.Zones {
		facts := found[int32(i)]
		if facts == nil || !facts.first {
			continue
		}
		unpriced[int32(i)] = facts.none >= 0
		z := &r.f.Zones[i]
		name := r.f.ZoneName(z.ID)
		w := Warning{Code: ZoneUnpriced, Severity: Untidy, About: "zones/" + z.ID, Subject: name}
		switch {
		case facts.none >= 0:
			s := &r.ground.spots[facts.none]
			w.Severity, w.Witness = Blocks, r.usual(&s.Spot.At)
			w.Text = "no delivery method has a price for it, so buyers there are offered nothing, such as in " +
				r.where(s) + ". Type a price, or switch the zone off"
			r.sayIf(w, nothing)
		case facts.by >= 0:
			s := &r.ground.spots[facts.at]
			w.Witness = r.usual(&s.Spot.At)
			w.Text = "no delivery method has a price for it, so buyers there pay the prices of " +
				r.f.ZoneName(r.f.Zones[facts.by].ID)
			r.sayIf(w, without(z.ID))
		}
	}
	return unpriced
}

// usual is an order of usual goods to an address.
func (r *reader) usual(to *place.Address) *quote.Request {
	return r.dated(&quote.Request{To: *to, Lines: []quote.Line{usualGoods()}})
}

// unserved finds listed codes of countries that are served which no zone takes.
func (r *reader) unserved() {
	type hole struct {
		spot  int
		codes uint64
	}
	holes, served := map[string]*hole{}, map[string]int32{}
	for i := range r.ground.spots {
		s := &r.ground.spots[i]
		country := s.At.Country
		if len(s.Zones) > 0 {
			if _, ok := served[country]; !ok && r.opened(i) {
				served[country] = s.Zones[0]
			}
			continue
		}
		if s.Codes == 0 || !r.ground.listed[country] || r.ground.sold >= 0 && !s.has(r.ground.sold) {
			continue
		}
		if holes[country] == nil {
			holes[country] = &hole{spot: i}
		}
		holes[country].codes += s.Codes
	}
	for _, country := range sorted(holes) {
		zone, ok := served[country]
		if !ok {
			continue
		}
		h := holes[country]
		s := &r.ground.spots[h.spot]
		text := plural.Count(int(h.codes), "postcode") + " of " + world.CountryName(country) + " " +
			isAre(h.codes) + " in no zone, such as " + r.where(s) + ": buyers there are offered nothing. " +
			"Add " + themIt(int(h.codes)) + " to a zone, or say on Shop where you sell"
		r.say(Warning{Code: UnservedCode, Severity: Blocks, About: "zones/" + r.f.Zones[zone].ID + "/places",
			Text: text, Witness: r.usual(&s.Spot.At)}, nothing)
	}
}

func isAre(n uint64) string {
	if n == 1 {
		return "is"
	}
	return "are"
}

func sorted[V any](m map[string]V) []string {
	keys := make([]string, 0, len(m))
	for key := range m {
		keys = append(keys, key)
	}
	slices.Sort(keys)
	return keys
}

// soldTo finds places that are sold to and where nothing is offered, but for what is said of zones without a price and
// of codes in no zone.
func (r *reader) soldTo(unpriced map[int32]bool) {
	if r.ground.sold < 0 {
		return
	}
	served := map[string]bool{}
	for i := range r.ground.spots {
		if s := &r.ground.spots[i]; r.opened(i) {
			served[s.At.Country] = true
		}
	}
	type gap struct {
		rule  int
		zone  int32
		spots []int
		tried int
	}
	var gaps []*gap
	for i := range r.ground.spots {
		s := &r.ground.spots[i]
		if s.Bare || !s.has(r.ground.sold) {
			continue
		}
		tried := false
		if r.opened(i) {
			if tried = r.onlyFar(i) && r.shown(r.usual(&s.Spot.At), nothing); !tried {
				continue
			}
		}
		zone := int32(-1)
		if len(s.Zones) > 0 {
			if zone = s.Zones[0]; unpriced[zone] {
				continue
			}
		} else if s.Codes > 0 && r.ground.listed[s.At.Country] && served[s.At.Country] {
			continue // said of its country
		}
		rule := r.soldBy(&s.Spot.At)
		at := slices.IndexFunc(gaps, func(g *gap) bool { return g.rule == rule && g.zone == zone })
		if at < 0 {
			at = len(gaps)
			gaps = append(gaps, &gap{rule: rule, zone: zone})
		}
		gaps[at].spots = append(gaps[at].spots, i)
		if tried {
			gaps[at].tried++
		}
	}
	for _, g := range gaps {
		s := &r.ground.spots[g.spots[0]]
		var names []string
		for _, i := range g.spots {
			name := r.whole(&r.ground.spots[i])
			if country := world.CountryName(r.ground.spots[i].At.Country); slices.ContainsFunc(names,
				func(n string) bool { return strings.HasPrefix(n, country+" (") }) {
				continue
			}
			if !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
		text := plural.Few(names) + ": you sell there, and no zone takes it. Add it to a zone, or stop selling there"
		about := "store/sells_to/" + strconv.Itoa(g.rule)
		thing := ""
		if g.zone >= 0 {
			zone := &r.f.Zones[g.zone]
			text = plural.Few(names) + ": you sell there, and no delivery method is offered in " +
				r.f.ZoneName(zone.ID) +
				". Switch one on there, or stop selling there"
			thing = zone.ID
		}
		w := Warning{Code: NoMethod, Severity: Blocks, About: about, Text: text, Witness: r.usual(&s.Spot.At),
			Tried: g.tried, thing: thing}
		r.sayIf(w, nothing)
	}
}

// whole names what a spot stands for: a country, with one of its codes where they are told apart, or an address.
func (r *reader) whole(s *spot) string {
	name := world.CountryName(s.At.Country)
	switch {
	case s.Codes > 1:
		return name + " (such as " + r.where(s) + ")"
	case s.At == (place.Address{Country: s.At.Country}):
		return name
	}
	return r.where(s)
}

// onlyFar says whether all methods that serve a spot look at distances, so that only some of its addresses may be
// served.
func (r *reader) onlyFar(spot int) bool {
	return !slices.ContainsFunc(r.methods, func(m *methodFacts) bool { return m.opens(spot) && !m.far })
}

// soldBy is the rule of where the shop sells that takes an address.
func (r *reader) soldBy(to *place.Address) int {
	resolved := r.e.Resolve(*to)
	for i := range r.f.Store.SellsTo {
		owner := r.e.Located(place.Owner{Places: r.f.Store.SellsTo[i : i+1]})
		if len(place.NewIndex([]place.Owner{owner}).Match(&resolved, nil)) > 0 {
			return i
		}
	}
	return 0
}

// start finds what a shop that has only begun lacks.
func (r *reader) start() {
	say := func(code Code, about, text string) {
		r.say(Warning{Code: code, Severity: Blocks, About: about, Text: text}, always)
	}
	f := r.f
	ships := false
	for i := range f.Locations {
		ships = ships || f.Locations[i].ShipsFrom
	}
	if !ships {
		r.say(Warning{Code: NoOrigin, Severity: Untidy, About: "locations",
			Text: "say where orders are shipped from: distances and delivery dates begin there"}, always)
	}
	zones := false
	for i := range f.Zones {
		zones = zones || f.Zones[i].Enabled && len(f.Zones[i].Places) > 0
	}
	if !zones {
		say(NoZones, "zones", "no zone takes an address: say where you deliver")
	}
	if len(f.Products) == 0 {
		r.say(Warning{Code: NoProducts, Severity: Untidy, About: "products",
			Text: "there are no products yet, so nothing can be said of your goods"}, always)
	}
	methods := slices.ContainsFunc(r.methods, func(m *methodFacts) bool { return len(m.m.Tables) > 0 })
	switch {
	case !methods:
		say(NoMethods, "methods", "no delivery method with a price list is on: add one")
	case zones && !r.priced():
		text, about := "no price is typed yet", "methods"
		for _, m := range r.methods {
			if len(m.m.Tables) > 0 {
				about = "methods/" + m.m.ID + "/tables"
				text = "no price is typed yet in " + methodName(m.m)
				break
			}
		}
		w := Warning{Code: NoPrices, Severity: Blocks, About: about, Text: text}
		for i := range r.ground.spots {
			if s := &r.ground.spots[i]; len(s.Zones) > 0 && !s.Bare {
				w.Witness = r.usual(&s.Spot.At)
				break
			}
		}
		r.say(w, nothing)
	}
}
