package place

import (
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"

	"github.com/paulmach/orb"
)

// Address is where a cart goes, as the buyer gives it.
type Address struct {
	Country  string // alpha-2
	Region   string // ISO 3166-2, in full or only its last part
	City     string
	Postcode string
	Street   string
	Lat, Lon *decimal.Decimal // degrees; both or neither
}

// At is the address of a point in a country.
func At(country string, p orb.Point) Address {
	lat, lon := decimal.FromFloat(p.Lat(), 6), decimal.FromFloat(p.Lon(), 6)
	return Address{Country: country, Lat: &lat, Lon: &lon}
}

// Resolved is an address made ready for matching: its parts in the form in which they are compared, with what a
// gazetteer adds.
type Resolved struct {
	Country  string
	Regions  []string // ISO 3166-2 codes: the region and those that it is part of
	Cities   []string // folded
	Postcode postcode.Code
	Point    *orb.Point // longitude, latitude
}

// Resolve makes an address ready. A gazetteer may be nil; it stands in for a region, a city and a point that are
// not given.
func (a Address) Resolve(g *gazetteer.Gazetteer) Resolved {
	s := Resolved{Country: a.Country, Postcode: postcode.Read(a.Country, a.Postcode)}
	var listed []gazetteer.Place
	if g != nil {
		listed = g.Postcode(a.Country, s.Postcode)
	}
	if city := world.Fold(a.City); city != "" {
		s.Cities = []string{city}
	} else {
		for _, p := range listed {
			s.Cities = append(s.Cities, world.Fold(p.Name))
		}
	}
	if strings.TrimSpace(a.Region) != "" {
		if r, ok := world.RegionByCode(a.Country, a.Region); ok {
			s.addRegion(r)
		} else if named := world.RegionsByName(a.Country, a.Region); len(named) == 1 {
			s.addRegion(named[0])
		}
	} else {
		for _, p := range listed {
			if r, ok := world.RegionByCode(a.Country, p.Region); ok {
				s.addRegion(r)
			}
		}
	}
	switch {
	case a.Lat != nil && a.Lon != nil:
		s.Point = &orb.Point{a.Lon.Float64(), a.Lat.Float64()}
	case g != nil:
		if p, ok := g.Locate(a.Country, s.Postcode, a.City); ok {
			s.Point = &orb.Point{p.Lon, p.Lat}
		}
	}
	return s
}

func (s *Resolved) addRegion(r world.Region) {
	for ok := true; ok; r, ok = world.RegionByCode(s.Country, r.Parent) {
		s.Regions = append(s.Regions, r.Code)
		if r.Parent == "" {
			return
		}
	}
}

// Line writes the address in one line as people write it, the country in front unless it is home.
func (a Address) Line(home string) string {
	var parts []string
	for _, p := range []string{a.Postcode, a.City} {
		if p != "" {
			parts = append(parts, p)
		}
	}
	if a.Region != "" {
		name := a.Region
		if region, ok := world.RegionByCode(a.Country, a.Region); ok {
			name = region.Name
			if again := world.RegionsByName(a.Country, name); len(again) != 1 || len(parts) > 0 && a.City == "" {
				name = region.Code
			}
		}
		if len(parts) > 0 && a.City != "" {
			parts[len(parts)-1] += ","
		}
		parts = append(parts, name)
	}
	if a.Lat != nil && a.Lon != nil && len(parts) == 0 && a.Street == "" {
		return a.Lat.String() + " " + a.Lon.String()
	}
	if len(parts) == 0 {
		return world.CountryName(a.Country)
	}
	if a.Street != "" {
		parts = append([]string{a.Street + ","}, parts...)
	}
	if a.Country != home {
		parts = append([]string{a.Country}, parts...)
	}
	return strings.Join(parts, " ")
}
