package store

import (
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/fault"
	"diadrom/internal/core/jsonread"
	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"
)

func (r *reader) rules() []place.Rule {
	return list(r, func() place.Rule { return r.rule(func([]byte) bool { return false }) })
}

// typedRule is a rule of a file before its region and codes are looked up, which needs its country.
type typedRule struct {
	place.Rule
	region string
	codes  []string
}

// rule reads a place rule; extra reads fields that stand beside it.
func (r *reader) rule(extra func(name []byte) bool) place.Rule {
	const missing = "name a place: world, group, country, region, city, postcodes, area or within"
	var t typedRule
	before := len(r.Faults)
	isObject := r.Object(func(name []byte) bool { return r.ruleField(&t, string(name)) || extra(name) })
	if !isObject && len(r.Faults) == before && !r.Failed() { // null
		r.Fault(fault.Missing, missing)
	}
	if !isObject || r.Failed() {
		return t.Rule
	}
	if t.Country == "" && (t.region != "" || t.City != "" || len(t.codes) > 0) {
		if len(r.Faults) == before {
			what := narrowest(t.region, t.City, t.codes)
			r.FaultBelow(fault.Path{"country"}, fault.Missing, "say which country the %s is in", what)
		}
		return t.Rule
	}
	if t.region != "" {
		found, ok := world.RegionByCode(t.Country, t.region)
		if !ok {
			r.FaultBelow(fault.Path{"region"}, fault.Place,
				"%s has no region %.60q in ISO 3166-2", world.CountryName(t.Country), t.region)
		}
		t.Region = found.Code
	}
	if len(t.codes) > 0 {
		t.Postcodes = r.entries(t.Country, t.codes, before)
	}
	if t.Level() == 0 && len(r.Faults) == before {
		r.Fault(fault.Missing, missing)
	}
	return t.Rule
}

// ruleField reads a field of a place rule; false where it is none.
func (r *reader) ruleField(t *typedRule, name string) bool {
	switch name {
	case "world":
		t.World = r.Bool(false)
	case "group":
		if t.Group = r.Text(); t.Group != "" {
			g, ok := world.GroupByCode(t.Group)
			if !ok {
				r.Fault(fault.Place, "%.60q is neither a region of UN M.49 nor EU", t.Group)
			}
			t.Group = g.Code
		}
	case "country":
		t.Country = r.country()
	case "region":
		t.region = r.Text()
	case "city":
		t.City = strings.TrimSpace(r.Text())
	case "postcodes":
		t.codes = r.Texts()
	case "area":
		t.Area = r.area()
	case "within":
		t.Within = r.within()
	default:
		return false
	}
	return true
}

// area reads a GeoJSON geometry; nil where there is none.
func (r *reader) area() *place.Area {
	if r.Kind() != '{' {
		r.Object(nil)
		return nil
	}
	raw := r.Raw()
	if raw == nil || string(raw) == "{}" {
		return nil
	}
	area, err := place.ParseArea(raw)
	if err != nil {
		r.Fault(fault.Place, "%v", err)
	}
	return area
}

// entries reads codes of a country; before is how many faults there were before the rule, of which those that are at
// fault already are not judged further.
func (r *reader) entries(country string, codes []string, before int) []postcode.Entry {
	spoilt := map[string]bool{}
	for _, f := range r.Faults[before:] {
		spoilt[f.Path] = true
	}
	entries := make([]postcode.Entry, 0, len(codes))
	for i, text := range codes {
		entry, err := postcode.ParseEntry(country, text)
		if err != nil {
			if path := (fault.Path{"postcodes", i}); !spoilt[r.Path()+path.String()] {
				r.FaultBelow(path, fault.Place, "%v", err)
			}
			continue
		}
		entries = append(entries, entry)
	}
	return entries
}

func narrowest(region, city string, codes []string) string {
	switch {
	case len(codes) > 0:
		return "list of postcodes"
	case city != "":
		return "city"
	}
	return "region"
}

func (r *reader) within() *place.Within {
	w := &place.Within{}
	var lat, lon, distance *decimal.Decimal
	before := len(r.Faults)
	empty := true
	if !r.Object(func(name []byte) bool {
		empty = false
		switch string(name) {
		case "location":
			w.Location = r.Text()
		case "lat":
			lat = r.degrees(90)
		case "lon":
			lon = r.degrees(180)
		case "distance":
			distance = r.amount()
		default:
			return false
		}
		return true
	}) || empty {
		return nil
	}
	if len(r.Faults) > before {
		return w
	}
	if distance == nil {
		r.FaultBelow(fault.Path{"distance"}, fault.Missing, "say within what distance")
	} else {
		w.Distance = *distance
	}
	switch {
	case w.Location == "" && (lat == nil || lon == nil):
		r.FaultBelow(fault.Path{"location"}, fault.Missing, "name a location, or give lat and lon")
	case w.Location != "" && (lat != nil || lon != nil):
		r.FaultBelow(fault.Path{"location"}, fault.Shape, "name a location or give lat and lon, not both")
	case lat != nil:
		w.Lat, w.Lon, w.Located = *lat, *lon, true
		w.Name = lat.String() + ", " + lon.String()
	}
	return w
}

func (r *reader) agreedPlace() *AgreedPlace {
	p := &AgreedPlace{}
	before := len(r.Faults)
	ok := r.Object(func(name []byte) bool {
		switch string(name) {
		case "country":
			p.Country = r.country()
		case "postcode":
			p.Postcode = r.Text()
		case "street":
			p.Street = r.Text()
		default:
			return false
		}
		return true
	})
	if !ok || *p == (AgreedPlace{}) && len(r.Faults) == before {
		return nil
	}
	if p.Country == "" && len(r.Faults) == before {
		r.FaultBelow(fault.Path{"country"}, fault.Missing, "say which country this place is in")
	}
	if p.Country != "" && p.Postcode != "" && !postcode.Possible(p.Country, p.Postcode) {
		r.FaultBelow(
			fault.Path{"postcode"},
			fault.Place,
			"%.60s cannot be a postcode of %s: they are %s",
			p.Postcode,
			world.CountryName(p.Country),
			postcode.Shape(p.Country),
		)
	}
	return p
}

// ReadAddress reads an address, as a request carries it.
func ReadAddress(jr *jsonread.Reader) (a place.Address) {
	r := &reader{jr}
	before := len(r.Faults)
	ok := r.Object(func(name []byte) bool {
		switch string(name) {
		case "country":
			a.Country = r.country()
		case "region":
			a.Region = r.Text()
		case "city":
			a.City = r.Text()
		case "postcode":
			a.Postcode = r.Text()
		case "street":
			a.Street = r.Text()
		case "lat":
			a.Lat = r.degrees(90)
		case "lon":
			a.Lon = r.degrees(180)
		default:
			return false
		}
		return true
	})
	if !ok || len(r.Faults) > before {
		return a
	}
	switch {
	case a.Country == "":
		r.FaultBelow(fault.Path{"country"}, fault.Missing, "say which country the order goes to")
	case a.Lat == nil && a.Lon != nil:
		r.FaultBelow(fault.Path{"lat"}, fault.Missing, "a point needs both lat and lon")
	case a.Lon == nil && a.Lat != nil:
		r.FaultBelow(fault.Path{"lon"}, fault.Missing, "a point needs both lat and lon")
	}
	return a
}
