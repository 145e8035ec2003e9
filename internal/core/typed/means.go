package typed

import (
	"strconv"
	"strings"

	"diadrom/internal/core/place"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/postcode"
)

// Means says what the lists of places know of one text of a rule: the towns of a code, how many codes an entry
// or a region has; "" where they know nothing.
func (r Reader) Means(rule *place.Rule, i int) string {
	if r.Gazetteer == nil {
		return ""
	}
	switch rule.Level() {
	case place.Postcode:
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
	case place.Region:
		if codes := r.Gazetteer.RegionCodes(rule.Country, rule.Region); codes > 0 {
			return strconv.Itoa(codes) + " listed codes"
		}
	}
	return ""
}
