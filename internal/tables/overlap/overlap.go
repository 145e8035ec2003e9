// Package overlap finds places that two zones of a list take although neither of them is the narrower one there: an
// address in such a place would go to one of them by chance.
package overlap

import (
	"cmp"
	"slices"

	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/store"
)

// Pair is a place that is in two zones, by their indexes, the first below the second.
type Pair struct {
	First, Second int
	Place         string // in words: "Germany", "DE 24000 to 29999"
}

// maxFound is how many pairs are found: a list with more is wrong as a whole.
const maxFound = 50

// Find finds the places that two zones take, one for each two zones, in the order of the zones. Zones that are switched
// off or pinned do not count: nothing or their rank decides there. Codes inside a larger range or a country are no
// overlap, because the narrower wins; ranges that cross, or are equal, are one.
func Find(zones []store.Zone) []Pair {
	f := finder{told: map[[2]int]bool{}, at: map[string]int{}, codes: map[string][]span{}}
	for z := range zones {
		if !zones[z].Enabled || zones[z].Rank != nil {
			continue
		}
		for i := range zones[z].Places {
			f.add(z, &zones[z].Places[i])
		}
	}
	for country, list := range f.codes {
		f.sweep(country, list)
	}
	slices.SortFunc(f.found, func(a, b Pair) int {
		if a.First != b.First {
			return a.First - b.First
		}
		return a.Second - b.Second
	})
	return f.found
}

// span is an entry of codes of a zone.
type span struct {
	lo, hi postcode.Key
	entry  postcode.Entry
	zone   int
}

type finder struct {
	told  map[[2]int]bool
	at    map[string]int // zones by their places in words
	codes map[string][]span
	found []Pair
}

func (f *finder) add(zone int, r *place.Rule) {
	if r.Level() == place.Postcode && r.Region == "" && r.City == "" {
		for _, e := range r.Postcodes {
			lo, hi := e.Span()
			f.codes[r.Country] = append(f.codes[r.Country], span{lo, hi, e, zone})
		}
		return
	}
	for _, words := range r.Words() {
		if other, twice := f.at[words]; twice {
			f.pair(other, zone, words)
			continue
		}
		f.at[words] = zone
	}
}

func (f *finder) pair(a, b int, words string) {
	two := [2]int{min(a, b), max(a, b)}
	if a == b || f.told[two] || len(f.found) == maxFound {
		return
	}
	f.told[two] = true
	f.found = append(f.found, Pair{two[0], two[1], words})
}

// sweep compares the entries of a country that overlap.
func (f *finder) sweep(country string, list []span) {
	slices.SortStableFunc(list, func(a, b span) int {
		if c := cmp.Compare(a.lo, b.lo); c != 0 {
			return c
		}
		return cmp.Compare(b.hi, a.hi)
	})
	var open []span
	for _, s := range list {
		open = slices.DeleteFunc(open, func(o span) bool { return o.hi < s.lo })
		for _, o := range open {
			if o.zone == s.zone || f.told[[2]int{min(o.zone, s.zone), max(o.zone, s.zone)}] || !undecided(country, o, s) {
				continue
			}
			words := o.entry
			if s.entry.Codes() < o.entry.Codes() {
				words = s.entry
			}
			f.pair(o.zone, s.zone, country+" "+words.String())
		}
		if len(f.found) == maxFound {
			return
		}
		open = append(open, s)
	}
}

// undecided says whether two entries have codes in common and neither lies within the other, or they are the same.
func undecided(country string, a, b span) bool {
	both, onlyA, onlyB := false, false, false
	for _, c := range append(postcode.Samples(country, a.entry), postcode.Samples(country, b.entry)...) {
		inA, inB := a.takes(c), b.takes(c)
		both, onlyA, onlyB = both || inA && inB, onlyA || inA && !inB, onlyB || inB && !inA
	}
	return both && onlyA == onlyB
}

func (s *span) takes(c postcode.Code) bool { return s.lo <= c.Key && c.Key <= s.hi && s.entry.Takes(c) }
