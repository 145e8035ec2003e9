package place

import (
	"cmp"
	"strconv"
	"strings"

	"diadrom/internal/core/plural"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"
)

// Words lists a rule as it is shown, one text for each thing that it takes: each entry of a list of codes by itself.
func (r *Rule) Words() []string {
	words := make([]string, r.Count())
	for i := range words {
		words[i] = r.Word(i)
	}
	return words
}

// Count is how many texts [Rule.Words] has.
func (r *Rule) Count() int {
	if r.Level() == Postcode {
		return len(r.Postcodes)
	}
	return 1
}

// Word is one text of [Rule.Words].
func (r *Rule) Word(i int) string {
	switch r.Level() {
	case World:
		return "everywhere"
	case Group:
		if g, ok := world.GroupByCode(r.Group); ok {
			return g.Name
		}
	case Country:
		return world.CountryName(r.Country)
	case Region:
		if region, ok := world.RegionByCode(r.Country, r.Region); ok {
			return region.Name + " (" + region.Code + ")"
		}
	case City:
		return r.City + ", " + cmp.Or(r.Region, r.Country)
	case Postcode:
		return r.Country + " " + r.Postcodes[i].String()
	}
	return r.Because(0)
}

// Means says what the lists of places know of one text of a rule: the towns of a code, how many codes an entry
// or a region has; "" where they know nothing.
func (r Reader) Means(rule *Rule, i int) string {
	if r.Gazetteer == nil {
		return ""
	}
	switch rule.Level() {
	case Postcode:
		e := rule.Postcodes[i]
		if !e.Single() {
			codes := 0
			if from, to, ok := e.Ends(); ok {
				codes = len(r.Gazetteer.CodesBetween(rule.Country, from, to))
			} else {
				for _, c := range r.Gazetteer.CodesFrom(rule.Country, e.Beginning()) {
					if e.Takes(c.Code) {
						codes++
					}
				}
			}
			if codes == 0 {
				return ""
			}
			return plural.Count(codes, "listed code")
		}
		var towns []string
		for _, p := range r.Gazetteer.Postcode(rule.Country, postcode.Read(rule.Country, e.String())) {
			towns = append(towns, p.Name)
		}
		return strings.Join(towns[:min(3, len(towns))], ", ")
	case Region:
		if codes := r.Gazetteer.RegionCodes(rule.Country, rule.Region); codes > 0 {
			return strconv.Itoa(codes) + " listed codes"
		}
	}
	return ""
}
