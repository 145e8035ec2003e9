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
	for _, z := range zones {
		var rules []place.Rule
		for _, a := range z.Areas {
			rules = append(rules, place.Rule{Area: a})
		}
		at := f.ZoneIndex(z.ID)
		if at < 0 {
			at = slices.IndexFunc(f.Zones,
				func(have store.Zone) bool { return world.Fold(have.Name) == world.Fold(z.Name) })
		}
		if at < 0 {
			id := store.NewID(z.Name, "zone", func(id string) bool { return f.Zone(id) != nil })
			f.Zones = append(f.Zones, store.Zone{ID: id, Name: z.Name, Enabled: true})
			at = len(f.Zones) - 1
		}
		have := &f.Zones[at]
		others := slices.DeleteFunc(slices.Clone(have.Places), func(r place.Rule) bool { return geozones.Drawn(&r) })
		have.Places = append(others, rules...)
		ids = append(ids, have.ID)
	}
	return ids
}
