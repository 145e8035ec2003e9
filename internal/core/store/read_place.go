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

// rule reads a place rule; extra reads fields that stand beside it.
func (r *reader) rule(extra func(name []byte) bool) (rule place.Rule) {
	var region string
	var codes []string
	before := len(r.Faults)
	isObject := r.Object(func(name []byte) bool {
		switch string(name) {
		case "world":
			rule.World = r.Bool(false)
		case "group":
			if rule.Group = r.Text(); rule.Group != "" {
				g, ok := world.GroupByCode(rule.Group)
				if !ok {
					r.Fault(fault.Place, "%.60q is neither a region of UN M.49 nor EU", rule.Group)
				}
				rule.Group = g.Code
			}
		case "country":
			rule.Country = r.country()
		case "region":
			region = r.Text()
		case "city":
			rule.City = strings.TrimSpace(r.Text())
		case "postcodes":
			codes = r.Texts()
		case "area":
			if r.Kind() != '{' {
				r.Object(nil)
			} else if raw := r.Raw(); raw != nil && string(raw) != "{}" {
				var err error
				if rule.Area, err = place.ParseArea(raw); err != nil {
					r.Fault(fault.Place, "%v", err)
				}
			}
		case "within":
			rule.Within = r.within()
		default:
			return extra(name)
		}
		return true
	})
	if !isObject && len(r.Faults) == before && !r.Failed() { // null
		r.Fault(fault.Missing, "name a place: world, group, country, region, city, postcodes, area or within")
	}
	if !isObject || r.Failed() {
		return rule
	}
	faulty := len(r.Faults) > before
	if rule.Country == "" && (region != "" || rule.City != "" || len(codes) > 0) {
		if !faulty {
			r.FaultBelow(
				fault.Path{"country"},
				fault.Missing,
				"say which country the %s is in",
				narrowest(region, rule.City, codes),
			)
		}
		return rule
	}
	if region != "" {
		found, ok := world.RegionByCode(rule.Country, region)
		if !ok {
			r.FaultBelow(
				fault.Path{"region"},
				fault.Place,
				"%s has no region %.60q in ISO 3166-2",
				world.CountryName(rule.Country),
				region,
			)
		}
		rule.Region = found.Code
	}
	if len(codes) > 0 {
		spoilt := map[string]bool{} // what is at fault already is not judged further
		for _, f := range r.Faults[before:] {
			spoilt[f.Path] = true
		}
		rule.Postcodes = make([]postcode.Entry, 0, len(codes))
		for i, text := range codes {
			entry, err := postcode.ParseEntry(rule.Country, text)
			if err != nil {
				if path := (fault.Path{"postcodes", i}); !spoilt[r.Path()+path.String()] {
					r.FaultBelow(path, fault.Place, "%v", err)
				}
				continue
			}
			rule.Postcodes = append(rule.Postcodes, entry)
		}
	}
	if rule.Level() == 0 && len(r.Faults) == before {
		r.Fault(fault.Missing, "name a place: world, group, country, region, city, postcodes, area or within")
	}
	return rule
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
