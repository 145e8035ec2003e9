// Package overlaps says in words how the zones of a store lie to one another: what each takes, and out of which zone;
// with which it ties or crosses.
package overlaps

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/place"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/world"
	"diadrom/internal/edit"
	"diadrom/internal/review/coverage"
	"diadrom/internal/shop/draft"
)

// Sentences are those about the zones of a draft.
type Sentences struct {
	state   *draft.State
	summary *coverage.Summary
}

// About makes the sentences about the zones of a draft.
func About(state *draft.State) Sentences { return Sentences{state, state.Coverage().Summary()} }

// Summary is what the sentences are made of.
func (s Sentences) Summary() *coverage.Summary { return s.summary }

func (s Sentences) name(zone int) string {
	z := &s.state.File.Zones[zone]
	return cmp.Or(z.Name, z.ID)
}

// Takes says what a zone gets, and out of which zone.
func (s Sentences) Takes(zone int) string {
	share, z := &s.summary.Shares[zone], &s.state.File.Zones[zone]
	level := z.Level()
	switch {
	case !z.Enabled || level == 0:
		return ""
	case !share.Matched:
		return "takes no address here"
	case !share.First:
		return "gets nothing"
	}
	var said []string
	if share.Codes > 0 && level <= place.Region {
		said = append(said, s.codes(share))
	}
	switch n := share.Countries; {
	case n == 0:
	case n == 1 && share.Codes > 0 && level == place.Country:
		i := slices.IndexFunc(z.Places, func(r place.Rule) bool { return r.Level() == place.Country })
		if i >= 0 {
			said = append(said, "everything else in "+world.CountryName(z.Places[i].Country))
		}
	case n > 1 || level > place.Country:
		text := strconv.Itoa(n) + " countries"
		if n == 1 {
			text = "1 country"
		}
		said = append(said, text+s.outOf(most(share.CountryOf)))
	}
	return strings.Join(said, ", ")
}

// codes says how many codes a zone takes, of which region, and out of which zone.
func (s Sentences) codes(share *coverage.Share) string {
	text := plural.Count(int(share.Codes), "code")
	if len(share.Regions) > 0 && len(share.Regions) <= 3 {
		if r := share.Regions[0]; 2*r.Taken > r.All {
			region, _ := world.RegionByCode(r.Country, r.Region)
			text = strconv.Itoa(r.Taken) + " of " + strconv.Itoa(r.All) + " codes of " + region.Name
			if rest := int(share.Codes) - r.Taken; rest > 0 {
				text += " and " + strconv.Itoa(rest) + " more"
			}
		}
	}
	return text + s.outOf(most(share.OutOf))
}

// outOf names the zone that what a zone takes would be another's without it; "" for none.
func (s Sentences) outOf(zone int) string {
	if zone < 0 {
		return ""
	}
	return " out of " + s.name(zone)
}

// most is the key with the greatest count, −1 where there is none.
func most[N int | uint64](counts map[int]N) int {
	key := -1
	for k, n := range counts {
		if key < 0 || n > counts[key] || n == counts[key] && k < key {
			key = k
		}
	}
	return key
}

// maxOverlaps is how many overlaps of a zone are said.
const maxOverlaps = 3

// Of says with which zones a zone ties or crosses, with an address in both and which of them gets it;
// zones with which it does so alike, in one sentence.
func (s Sentences) Of(zone int) (list []string) {
	type alike struct {
		kind coverage.Kind
		won  bool
		at   string
	}
	var order []alike
	others := map[alike][]string{}
	for _, o := range s.summary.Of(zone) {
		a := alike{o.Kind, o.Zone == zone, o.At.Line(s.state.File.Home())}
		if others[a] == nil {
			order = append(order, a)
		}
		others[a] = append(others[a], s.name(o.Zone+o.Other-zone))
	}
	for _, a := range order[:min(len(order), maxOverlaps)] {
		names := edit.FirstFew(others[a])
		if n := len(others[a]); n == 2 {
			names = others[a][0] + " and " + others[a][1]
		}
		goes := "goes there"
		if a.won {
			goes = "comes here"
		}
		switch {
		case a.kind == coverage.Ties && a.won:
			list = append(list, "Ties with "+names+": "+a.at+" "+goes+", as this zone is the older one.")
		case a.kind == coverage.Ties:
			list = append(list, "Ties with "+names+": "+a.at+" "+goes+", as that zone is the older one.")
		case a.kind == coverage.Crosses:
			list = append(list, "Crosses "+names+": "+a.at+" is in both, and "+goes+".")
		case a.won:
			list = append(list, "Takes all of "+names+", such as "+a.at+".")
		default:
			list = append(list, names+" takes all of this zone first, such as "+a.at+".")
		}
	}
	if more := len(order) - len(list); more > 0 {
		list = append(list, "And "+plural.Count(more, "overlap")+" more.")
	}
	return list
}
