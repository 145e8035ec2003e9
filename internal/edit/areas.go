package edit

import (
	"slices"

	"diadrom/internal/core/place"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/geozones"
)

// PutAreas gives zones the drawn areas of a file: a zone of the same id, or else of the same name, has them in place of
// its own drawn areas and keeps all else; others are new. It returns the ids of the zones.
func PutAreas(f *store.File, zones []geozones.Zone) (ids []string) {
	named := map[string]int{} // zones by their folded names: the first of each
	byID := map[string]int{}
	for i := range f.Zones {
		byID[f.Zones[i].ID] = i + 1
		if name := world.Fold(f.Zones[i].Name); named[name] == 0 {
			named[name] = i + 1
		}
	}
	for _, z := range zones {
		var rules []place.Rule
		for _, a := range z.Areas {
			rules = append(rules, place.Rule{Area: a})
		}
		at := byID[z.ID] - 1
		if at < 0 {
			at = named[world.Fold(z.Name)] - 1
		}
		if at < 0 {
			id := store.NewID(z.Name, "zone", func(id string) bool { return byID[id] > 0 })
			f.Zones = append(f.Zones, store.Zone{ID: id, Name: z.Name, Enabled: true})
			at = len(f.Zones) - 1
			named[world.Fold(z.Name)], byID[id] = len(f.Zones), len(f.Zones)
		}
		have := &f.Zones[at]
		others := slices.DeleteFunc(slices.Clone(have.Places), func(r place.Rule) bool { return geozones.Drawn(&r) })
		have.Places = append(others, rules...)
		ids = append(ids, have.ID)
	}
	return ids
}
