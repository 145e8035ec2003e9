package place

import (
	"cmp"

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
