package coverage

import (
	"cmp"
	"maps"
	"slices"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/place"
	"diadrom/internal/core/world"
)

// Share is what a zone gets: the addresses for which it counts before all other zones.
type Share struct {
	Codes     uint64         // postcodes: listed ones where there are lists of their country
	Countries int            // whole countries, but for what narrower zones take of them
	OutOf     map[int]uint64 // postcodes by the zone that would have them without it
	CountryOf map[int]int    // countries by the zone that would have them without it
	Regions   []RegionShare  // of which it gets codes, by the lists
	Matched   bool           // whether it takes any address that was asked
	First     bool           // whether it gets any
	inRegions map[[2]string]int
}

// RegionShare is how many of a region's listed codes a zone gets.
type RegionShare struct {
	Country, Region string
	Taken, All      int
}

// Overlap is two zones that take one address, and that neither only their narrowness nor one's lying in the
// other tells apart.
type Overlap struct {
	Kind  Kind
	Zone  int            // gets the address
	Other int            // takes it too
	At    *place.Address // in both
}

// Inner is a zone that counts before another for an address that both take.
type Inner struct {
	Zone, Outer int
	At          *place.Address
}

// maxInners bounds Summary.Inners: a store of many zones over one another has millions.
const maxInners = 20_000

// Kind is how two zones overlap.
type Kind uint8

const (
	// Ties: both are as narrow, and the one that stands first in the file gets the address.
	Ties Kind = iota + 1
	// Crosses: each takes addresses that the other does not.
	Crosses
	// Hides: all that the other takes goes to this zone, which is narrower everywhere.
	Hides
)

// Summary is how the zones of a store lie to one another. Shares are exact for countries whose codes are
// numbers and for codes that are listed. An overlap that is told is real, with its address; in countries whose
// codes have letters, and for drawn areas where no list gives points, overlaps that lie between the addresses
// asked can be missed.
type Summary struct {
	Shares   []Share // by zone
	Overlaps []Overlap
	Inners   []Inner   // at most 20,000
	Partial  bool      // too many zones lie over one another to compare all of them
	byZone   [][]int32 // of Overlaps
}

// Of lists the overlaps of a zone.
func (s *Summary) Of(zone int) []Overlap {
	out := make([]Overlap, len(s.byZone[zone]))
	for i, at := range s.byZone[zone] {
		out[i] = s.Overlaps[at]
	}
	return out
}

// most is how many pairs of zones are looked at for a summary, all addresses together.
const most = 4_000_000

type pair struct {
	addresses int
	tie       bool
	wins      [2]int // how often the first, the second of the pair counts before the other
	at        *place.Address
	first     int // which of the pair counts first there
}

// summing is a summary on its way.
type summing struct {
	m       *Map
	s       *Summary
	matched []int // addresses by zone
	pairs   map[[2]int32]*pair
	looked  int
}

// Summary compares the zones. It is kept for the next time.
func (m *Map) Summary() *Summary {
	m.summary.Do(func() {
		a := &summing{
			m:       m,
			s:       &Summary{Shares: make([]Share, len(m.Rules)), byZone: make([][]int32, len(m.Rules))},
			matched: make([]int, len(m.Rules)),
			pairs:   map[[2]int32]*pair{},
		}
		for i := range a.s.Shares {
			a.s.Shares[i] = Share{OutOf: map[int]uint64{}, CountryOf: map[int]int{}, inRegions: map[[2]string]int{}}
		}
		(&walk{m: m, ask: a.ask, listed: a.region}).all()
		a.finish()
		m.summed = a.s
	})
	return m.summed
}

// Named says which countries some zone sends to: by name, or as one of a group; all of them where a zone takes
// the world.
func (m *Map) Named() map[string]bool {
	named := map[string]bool{}
	for i := range m.Rules {
		for j := range m.Rules[i].Places {
			r := &m.Rules[i].Places[j]
			switch g, _ := world.GroupByCode(r.Group); {
			case r.Country != "":
				named[r.Country] = true
			case r.World:
				for _, c := range world.Countries() {
					named[c.Alpha2] = true
				}
			default:
				for _, c := range g.Countries {
					named[c] = true
				}
			}
		}
	}
	return named
}

// ask looks at the zones of one address, which stands for so many codes.
func (a *summing) ask(address place.Address, matches []place.Match, codes uint64) {
	if len(matches) == 0 {
		return
	}
	a.give(&address, matches, codes)
	a.s.Shares[matches[0].Owner].First = true
	var kept *place.Address
	for i, x := range matches {
		a.matched[x.Owner]++
		for _, y := range matches[i+1:] {
			if a.looked++; a.looked > most {
				a.s.Partial = true
				return
			}
			one, other, first := x.Owner, y.Owner, 0
			if one > other {
				one, other, first = other, one, 1
			}
			p := a.pairs[[2]int32{int32(one), int32(other)}]
			if p == nil {
				p = &pair{}
				a.pairs[[2]int32{int32(one), int32(other)}] = p
			}
			p.addresses++
			p.wins[first]++
			ties := !p.tie && a.m.Tie(x, y)
			if p.at == nil || ties {
				if kept == nil {
					kept = &place.Address{}
					*kept = address
				}
				p.at, p.first, p.tie = kept, first, ties
			}
		}
	}
}

// give counts what an address stands for, for the zone that gets it: a country as a whole, or so many codes.
func (a *summing) give(at *place.Address, zones []place.Match, codes uint64) {
	if *at == (place.Address{Country: at.Country}) {
		share := &a.s.Shares[zones[0].Owner]
		share.Countries++
		if len(zones) > 1 {
			share.CountryOf[zones[1].Owner]++
		}
	}
	if codes == 0 {
		return
	}
	share := &a.s.Shares[zones[0].Owner]
	share.Codes += codes
	if len(zones) > 1 {
		share.OutOf[zones[1].Owner] += codes
	}
}

// region counts a listed code for the regions that it lies in.
func (a *summing) region(country string, zones []place.Match, code gazetteer.Code) {
	if len(zones) == 0 {
		return
	}
	for _, r := range a.m.Gazetteer.RegionsOf(code) {
		a.s.Shares[zones[0].Owner].inRegions[[2]string{country, r}]++
	}
}

func (a *summing) finish() {
	for i := range a.s.Shares {
		share := &a.s.Shares[i]
		share.Matched = a.matched[i] > 0
		for _, key := range slices.SortedFunc(maps.Keys(share.inRegions), func(x, y [2]string) int {
			return cmp.Or(cmp.Compare(share.inRegions[y], share.inRegions[x]), cmp.Compare(x[1], y[1]))
		}) {
			share.Regions = append(
				share.Regions,
				RegionShare{key[0], key[1], share.inRegions[key], a.m.Gazetteer.RegionCodes(key[0], key[1])},
			)
		}
	}
	if a.s.Partial { // what was counted no longer tells whether one lies in the other
		return
	}
	for key, p := range a.pairs {
		one, other := int(key[0]), int(key[1])
		if inner := (Inner{one, other, p.at}); p.at != nil && len(a.s.Inners) < maxInners {
			if p.first == 1 {
				inner.Zone, inner.Outer = other, one
			}
			a.s.Inners = append(a.s.Inners, inner)
		}
		oneIn, otherIn := a.matched[one] == p.addresses, a.matched[other] == p.addresses
		o := Overlap{Zone: one, Other: other, At: p.at}
		if p.first == 1 {
			o.Zone, o.Other = other, one
		}
		switch {
		case p.tie:
			o.Kind = Ties
		case !oneIn && !otherIn:
			o.Kind = Crosses
		case otherIn && p.wins[1] == 0 && !a.s.Shares[other].First || oneIn && p.wins[0] == 0 && !a.s.Shares[one].First:
			o.Kind = Hides
		default:
			continue
		}
		a.s.Overlaps = append(a.s.Overlaps, o)
	}
	slices.SortFunc(
		a.s.Inners,
		func(x, y Inner) int { return cmp.Or(cmp.Compare(x.Zone, y.Zone), cmp.Compare(x.Outer, y.Outer)) },
	)
	slices.SortFunc(a.s.Overlaps, func(x, y Overlap) int {
		return cmp.Or(cmp.Compare(x.Zone, y.Zone), cmp.Compare(x.Kind, y.Kind), cmp.Compare(x.Other, y.Other))
	})
	for i, o := range a.s.Overlaps {
		a.s.byZone[o.Zone] = append(a.s.byZone[o.Zone], int32(i))
		a.s.byZone[o.Other] = append(a.s.byZone[o.Other], int32(i))
	}
}
