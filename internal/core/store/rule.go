package store

import (
	"encoding/json"

	"diadrom/internal/core/fault"
	"diadrom/internal/core/jsonread"
	"diadrom/internal/core/place"
)

// WriteRule writes a place rule as it stands in the file, on one line.
func WriteRule(r *place.Rule) []byte {
	out, err := json.Marshal(wireRule(r))
	if err != nil {
		panic(err) // every type below marshals
	}
	return out
}

// ReadRule reads a place rule as it stands in a file whose settings and locations are those of f.
func (f *File) ReadRule(data []byte) (place.Rule, fault.List) {
	r := &reader{jsonread.New(data, "")}
	rule := r.rule(func([]byte) bool { return false })
	r.End()
	if len(r.Faults) > 0 {
		for i := range r.Faults {
			r.Faults[i].Path = ""
		}
		return rule, r.Faults
	}
	c := checker{file: f, faulty: map[string]bool{}}
	c.locations = ids(&c, "locations", len(f.Locations), "id", func(i int) string { return f.Locations[i].ID })
	c.rule(&rule, nil)
	return rule, c.faults
}

// Level is the narrowest level of a zone's places, under which it is listed; 0 of one without places.
func (z *Zone) Level() (least place.Level) {
	for i := range z.Places {
		if l := z.Places[i].Level(); least == 0 || l < least {
			least = l
		}
	}
	return least
}
