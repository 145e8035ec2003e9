package quote

import (
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/store"

	"github.com/paulmach/orb"
)

// Outside answers what a store file and a list of places cannot: how long the way by road is, and where in a town a
// street lies. It is safe for many goroutines and answers within a second or so, from memory where it can.
type Outside interface {
	// Roads are the lengths in metres of the shortest ways by road from each point to another, in the order of from.
	// A length is nil where there is no way or none is known; why then says so in a few words, for the owner.
	Roads(from []orb.Point, to orb.Point) (metres []*decimal.Decimal, why string)
	// Locate is where an address with a street lies; nil where that is not known. A failure says why nothing could be
	// found out, in a few words for the owner; it is "" where the service knows no such address, or none is set.
	Locate(a *place.Address) (at *orb.Point, failure string)
	// Streets says whether an address service is set, so that a street makes a difference.
	Streets() bool
	// Ahead asks much at once: ways from each of some points to each of others, and where addresses lie. What it gives
	// answers from memory alone and asks no more; what was not answered in time is not known to it.
	Ahead(from, to []orb.Point, addresses []*place.Address) Outside
}

// RoadEstimated warns of a distance that no road service gave: the straight line times the store's road factor.
const RoadEstimated = "road_estimated"

// AddressEstimated warns that the address service failed, so that a street lies where its postcode or town does.
const AddressEstimated = "address_estimated"

// NoRoads is why a way is not known where there is nobody to ask.
const NoRoads = "no road service is set"

// Asking is the engine with services to ask. They are asked for what a quote needs: ways where the store measures
// distances by road, and addresses with a street.
func (e *Engine) Asking(o Outside) *Engine {
	with := *e
	with.outside = o
	return &with
}

// AsksStreets says whether an address with a street is looked up.
func (e *Engine) AsksStreets() bool { return e.outside != nil && e.outside.Streets() }

// Again compiles another store with the same list of places and the same services to ask.
func (e *Engine) Again(f *store.File) *Engine {
	return Compile(f, e.gaz).Asking(e.outside).AskingCarriers(e.carriers)
}

// Ahead asks services outside for what quotes to many addresses need, all at once, and gives the engine that knows the
// answers and asks no more: thousands of quotes would wait for as many questions one by one.
func (e *Engine) Ahead(addresses []*place.Address) *Engine {
	if e.outside == nil {
		return e
	}
	var streets []*place.Address
	for _, a := range addresses {
		if a.Lat == nil && strings.TrimSpace(a.Street) != "" {
			streets = append(streets, a)
		}
	}
	ahead := e.outside
	if len(streets) > 0 {
		ahead = ahead.Ahead(nil, nil, streets)
	}
	if e.file.Store.DistanceBy == store.ByRoad {
		located, seen := e.Asking(ahead), map[orb.Point]bool{}
		var to []orb.Point
		for _, a := range addresses {
			if r, _ := located.locate(a); r.Point != nil && !seen[*r.Point] {
				seen[*r.Point] = true
				to = append(to, *r.Point)
			}
		}
		ahead = e.outside.Ahead(e.from(), to, nil)
	}
	return e.Asking(ahead)
}

// AheadOf is [Engine.Ahead] of the addresses of requests, which asks carriers too.
func (e *Engine) AheadOf(requests []Request) *Engine {
	return Together([]*Engine{e}, [][]Request{requests})[0]
}

// Together is [Engine.AheadOf] for several stores that are compared: carriers are asked the same question once, so that
// a difference between the stores is never one between two answers of a carrier.
func Together(engines []*Engine, requests [][]Request) []*Engine {
	list := make([]*Engine, len(engines))
	asks := collecting{seen: map[string]bool{}}
	var asker Carriers
	for i, e := range engines {
		if e == nil {
			continue
		}
		if e.outside != nil {
			to := make([]*place.Address, len(requests[i]))
			for j := range requests[i] {
				to[j] = &requests[i][j].To
			}
			e = e.Ahead(to)
		}
		if list[i] = e; e.carriers != nil && e.asksCarriers {
			asker = e.carriers
			all := e.AskingCarriers(&asks)
			for j := range requests[i] {
				all.Quote(&requests[i][j])
			}
		}
	}
	if len(asks.asks) == 0 {
		return list
	}
	known := knownCarriers{}
	for i, answer := range asker.Ahead(asks.asks) {
		known[asks.asks[i].Key()] = answer
	}
	for i, e := range list {
		if e != nil && e.carriers != nil {
			list[i] = e.AskingCarriers(known)
		}
	}
	return list
}

// collecting are carriers that are not asked yet: it keeps each question once.
type collecting struct {
	asks []CarrierAsk
	seen map[string]bool
}

func (c *collecting) Rates(asks []CarrierAsk) []CarrierAnswer {
	answers := make([]CarrierAnswer, len(asks))
	for i := range asks {
		answers[i].Pending = true
		if key := asks[i].Key(); !c.seen[key] {
			c.seen[key] = true
			c.asks = append(c.asks, asks[i])
		}
	}
	return answers
}

func (c *collecting) Ahead(asks []CarrierAsk) []CarrierAnswer { return c.Rates(asks) }

// knownCarriers are carriers that answered ahead, by the question, and are asked no more.
type knownCarriers map[string]CarrierAnswer

func (k knownCarriers) Rates(asks []CarrierAsk) []CarrierAnswer {
	answers := make([]CarrierAnswer, len(asks))
	for i := range asks {
		known, ok := k[asks[i].Key()]
		if !ok {
			known.Failure = "was not asked about this"
		}
		answers[i] = known
	}
	return answers
}

func (k knownCarriers) Ahead(asks []CarrierAsk) []CarrierAnswer { return k.Rates(asks) }

// from are the points of the shop's places.
func (e *Engine) from() []orb.Point {
	list := make([]orb.Point, len(e.origins))
	for i := range list {
		list[i] = e.origins[i].point
	}
	return list
}

// origin is a place of the shop from which ways begin.
type origin struct {
	point orb.Point
	name  string
	id    string
}

// way is how far it is from a place of the shop to an address; its length is nil where either has no point.
type way struct {
	length   *decimal.Decimal // in the store's unit, three decimals
	from     string           // the place's name
	id       string           // the place's
	straight *decimal.Decimal // of an estimate: what the factor multiplied; else nil
	byRoad   bool
}

// outsideAnswers are what services outside said for one quote.
type outsideAnswers struct {
	asked    bool               // for ways by road
	rates    []CarrierAnswer    // of carriers, by ask
	metres   []*decimal.Decimal // by road from each of the engine's origins
	why      string             // why some of them are nil
	guessed  way                // an estimate that the answer rests on
	unplaced string             // why the street was not looked up
}

// roads asks for the ways from all places of the shop to the address, once a quote.
func (a *asked) roads() {
	o := &a.said
	if o.asked {
		return
	}
	o.asked = true
	if a.e.outside == nil {
		o.why = NoRoads
		return
	}
	o.metres, o.why = a.e.outside.Roads(a.e.from(), *a.to.Point)
}

// distanceDigits is to how many decimals of the store's unit distances are rounded.
const distanceDigits = 3

// wayFrom is the way from a place of the shop, by its index in the engine's origins, to the address.
func (a *asked) wayFrom(i int) way {
	if i < 0 || a.to.Point == nil {
		return way{}
	}
	o := &a.e.origins[i]
	w := way{length: a.e.between(o.point, *a.to.Point), from: o.name, id: o.id}
	if a.e.file.Store.DistanceBy != store.ByRoad {
		return w
	}
	w.byRoad = true
	a.roads()
	var length decimal.Decimal
	if i < len(a.said.metres) && a.said.metres[i] != nil {
		length = a.said.metres[i].QuoRound(a.e.metres, distanceDigits)
	} else {
		w.straight = w.length
		length = w.straight.Mul(a.e.file.Store.Road()).Round(distanceDigits)
	}
	w.length = &length
	if w.straight != nil && a.said.guessed.length == nil {
		a.said.guessed = w
	}
	return w
}

// appendWords says how a distance by road came about: "12.4 km by road from Workshop".
func (e *Engine) appendWords(b []byte, w *way) []byte {
	unit := e.units.Distance
	b = append(append(append(append(w.length.Append(b, 0), ' '), unit...), " by road from "...), w.from...)
	if w.straight != nil {
		b = append(w.straight.Append(append(b, ", estimated: "...), 0), ' ')
		b = append(append(b, unit...), " straight × "...)
		b = e.file.Store.Road().Append(b, 0)
	}
	return b
}

// outsideWarnings say what services outside did not answer.
func (a *asked) outsideWarnings() (list []Warning) {
	if a.said.unplaced != "" {
		where := "Nobody knows where " + strings.TrimSpace(a.q.To.Street) + " is"
		if a.to.Point != nil {
			where = strings.TrimSpace(a.q.To.Street) + " is taken to be where its postcode or town is"
		}
		list = append(list, Warning{AddressEstimated, where + ": " + a.said.unplaced + "."})
	}
	if w := &a.said.guessed; w.length != nil {
		unit := a.e.units.Distance
		list = append(list, Warning{RoadEstimated, "The distance by road is estimated: " + w.length.String() + " " +
			unit +
			" from " + w.from + " is " + w.straight.String() + " " + unit + " straight × " +
			a.e.file.Store.Road().String() + ". " + sentence(a.said.why) + "."})
	}
	return list
}

// resolve makes the address ready, where a street may be looked up.
func (a *asked) resolve(to *place.Address) place.Resolved {
	found, failure := a.e.locate(to)
	a.said.unplaced = failure
	return found
}

// locate makes an address ready for matching. One with a street lies where the address service says, if one is set
// and knows it.
func (e *Engine) locate(to *place.Address) (r place.Resolved, failure string) {
	if e.outside == nil || to.Lat != nil || strings.TrimSpace(to.Street) == "" {
		return e.fromLists(to), ""
	}
	at, failure := e.outside.Locate(to)
	r = e.fromLists(to)
	if at != nil {
		r.Point = at
	}
	return r, failure
}

// Way is how far it is from a place of the shop to an address.
type Way struct {
	Location string // the place's id
	Name     string
	From, To orb.Point
	Length   decimal.Decimal  // in the store's unit
	Straight *decimal.Decimal // of an estimate by road; else nil
	ByRoad   bool
	Ships    bool // orders leave from there
}

// Ways are those from each place of the shop whose point is known, the shortest first; none where nobody knows where
// the address is.
func (e *Engine) Ways(to *place.Address) (list []Way) {
	a := &asked{e: e, q: &Request{To: *to}}
	if a.to = a.resolve(to); a.to.Point == nil {
		return nil
	}
	for i := range e.file.Locations {
		l := &e.file.Locations[i]
		at, ok := e.originOf[l.ID]
		if !ok {
			continue
		}
		w := a.wayFrom(at)
		list = append(list, Way{l.ID, w.from, e.origins[at].point, *a.to.Point, *w.length, w.straight, w.byRoad,
			l.ShipsFrom})
	}
	slices.SortStableFunc(list, func(a, b Way) int { return a.Length.Cmp(b.Length) })
	return list
}
