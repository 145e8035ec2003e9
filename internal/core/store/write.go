package store

import (
	"encoding/json"

	"diadrom/internal/core/place"
	"diadrom/internal/core/rate"
)

// Write writes the file in the canonical form: two Read–Write rounds give the same bytes.
func (f *File) Write() []byte {
	out, err := json.MarshalIndent(f.wire(), "", "  ")
	if err != nil {
		panic(err) // every type below marshals
	}
	return append(out, '\n')
}

// The wire types give the shapes that differ between Go and the file.

type ruleWire struct {
	World     bool        `json:"world,omitempty"`
	Group     string      `json:"group,omitempty"`
	Country   string      `json:"country,omitempty"`
	Region    string      `json:"region,omitempty"`
	City      string      `json:"city,omitempty"`
	Postcodes []string    `json:"postcodes,omitempty"`
	Area      *place.Area `json:"area,omitempty"`
	Within    *withinWire `json:"within,omitempty"`
	Percent   string      `json:"percent,omitempty"`
}

type withinWire struct {
	Location string `json:"location,omitempty"`
	Lat      string `json:"lat,omitempty"`
	Lon      string `json:"lon,omitempty"`
	Distance string `json:"distance"`
}

func wireRule(r *place.Rule) ruleWire {
	w := ruleWire{World: r.World, Group: r.Group, Country: r.Country, Region: r.Region, City: r.City, Area: r.Area}
	for _, e := range r.Postcodes {
		w.Postcodes = append(w.Postcodes, e.String())
	}
	if r.Within != nil {
		w.Within = &withinWire{Location: r.Within.Location, Distance: r.Within.Distance.String()}
		if r.Within.Location == "" {
			w.Within.Lat, w.Within.Lon = r.Within.Lat.String(), r.Within.Lon.String()
		}
	}
	return w
}

func wireRules(rules []place.Rule) []ruleWire {
	out := make([]ruleWire, len(rules))
	for i := range rules {
		out[i] = wireRule(&rules[i])
	}
	return out
}

// The aliases drop the methods, so that marshalling goes on with the fields; their shadows take the place of some.

// MarshalJSON writes a rate as a place rule with its percentage.
func (t TaxRate) MarshalJSON() ([]byte, error) {
	w := wireRule(&t.Rule)
	w.Percent = t.Percent.String()
	return json.Marshal(w)
}

// MarshalJSON writes place rules.
func (p PlaceRules) MarshalJSON() ([]byte, error) { return json.Marshal(wireRules(p)) }

// MarshalJSON writes a zone.
func (z Zone) MarshalJSON() ([]byte, error) {
	type alias Zone
	return json.Marshal(struct {
		alias
		Places []ruleWire `json:"places"`
		Except []ruleWire `json:"except"`
	}{alias(z), wireRules(z.Places), wireRules(z.Except)})
}

// MarshalJSON writes a surcharge.
func (s Surcharge) MarshalJSON() ([]byte, error) {
	type alias Surcharge
	return json.Marshal(struct {
		alias
		Places []ruleWire `json:"places"`
		Except []ruleWire `json:"except"`
	}{alias(s), wireRules(s.Places), wireRules(s.Except)})
}

// wire fills in the lists that are written even when they are empty.
func (f *File) wire() *File {
	w := *f
	w.Format = Format
	fill(&w.Locations)
	fill(&w.Classes)
	fill(&w.Products)
	fill(&w.Zones)
	fill(&w.Surcharges)
	fill(&w.Agreed)
	fill(&w.Methods)
	return &w
}

// MarshalJSON writes a method.
func (m Method) MarshalJSON() ([]byte, error) {
	type alias Method
	m.Tables = filled(m.Tables)
	return json.Marshal(alias(m))
}

// MarshalJSON writes a cost.
func (c Cost) MarshalJSON() ([]byte, error) {
	type alias Cost
	c.Tables = filled(c.Tables)
	fill(&c.Methods)
	return json.Marshal(alias(c))
}

// filled are tables with the lists that are written even when they are empty.
func filled(list []rate.Table) []rate.Table {
	tables := make([]rate.Table, len(list))
	for i, t := range list {
		fill(&t.Zones)
		fill(&t.Classes)
		fill(&t.Rows)
		tables[i] = t
	}
	return tables
}

func fill[T any](list *[]T) {
	if *list == nil {
		*list = []T{}
	}
}
