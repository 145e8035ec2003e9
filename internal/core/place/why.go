package place

import (
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"
)

// Takes says whether the rule takes an address, by itself and without an index.
func (r *Rule) Takes(a *Resolved) bool {
	switch r.Level() {
	case 0:
		return false
	case Shape:
		if r.Within != nil && !r.Within.Located || a.Point == nil || !r.contains(*a.Point) {
			return false
		}
	case Postcode:
		if a.Country != r.Country ||
			!slices.ContainsFunc(r.Postcodes, func(e postcode.Entry) bool { return e.Takes(a.Postcode) }) {
			return false
		}
	case City:
		if a.Country != r.Country || !slices.Contains(a.Cities, world.Fold(r.City)) {
			return false
		}
	case Region:
		if !slices.Contains(a.Regions, r.Region) {
			return false
		}
	}
	return r.holds(a)
}

// WhyNot says in a few words why an owner does not take an address: the exception that leaves it out, or else
// what its places nearest to the address are. It is for owners that do not take it.
func (o Owner) WhyNot(a *Resolved) string {
	for i := range o.Places {
		if !o.Places[i].Takes(a) {
			continue
		}
		for j := range o.Except {
			if e := &o.Except[j]; e.Takes(a) {
				return "leaves out " + strings.Join(firstWords(e, a), ", ")
			}
		}
	}
	var nearest *Rule
	for i := range o.Places { // the narrowest rule of the same country says most
		r := &o.Places[i]
		if nearest == nil || (r.Country == a.Country) != (nearest.Country == a.Country) && r.Country == a.Country ||
			(r.Country == a.Country) == (nearest.Country == a.Country) && r.Level() < nearest.Level() {
			nearest = r
		}
	}
	if nearest == nil {
		return "takes no place"
	}
	words := firstWords(nearest, a)
	switch {
	case nearest.Level() == Shape && a.Point == nil:
		return "we do not know where this address is"
	case nearest.Level() == Postcode && nearest.Country == a.Country && a.Postcode.Text == "":
		return "the address has no postcode"
	case nearest.Level() == Postcode && nearest.Country == a.Country:
		return "nearest is " + words[0]
	}
	return "takes only " + strings.Join(words, ", ")
}

// firstWords names what a rule takes; of a list of codes the entry nearest to the address.
func firstWords(r *Rule, a *Resolved) []string {
	words := r.Words()
	if r.Level() != Postcode || len(words) < 2 {
		return words
	}
	length, numbers := postcode.AllDigits(r.Country)
	at := uint64(a.Postcode.Key)
	if numbers {
		n, err := strconv.ParseUint(a.Postcode.Text, 10, 64)
		numbers, at = err == nil, n
	}
	best, least := 0, uint64(0)
	for i, e := range r.Postcodes {
		if e.Takes(a.Postcode) {
			return words[i : i+1]
		}
		low, high := e.Span()
		from, to := uint64(low), uint64(high)
		if numbers {
			from, to = e.Numbers(length)
		}
		off := min(max(from, at)-min(from, at), max(to, at)-min(to, at))
		if i == 0 || off < least {
			best, least = i, off
		}
	}
	return words[best : best+1]
}
