package gazetteer

import (
	"cmp"
	"maps"
	"math"
	"slices"
	"strings"

	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"
)

// Code is a postcode that a list has, with its places.
type Code struct {
	postcode.Code
	Places []int32 // see [Gazetteer.At]
}

// Name is a place's name within one region of a country.
type Name struct {
	Folded, Name string
	Region       string // ISO 3166-2, or ""
	Municipality string
	Codes        int // lines of the list with this name there
	First        int32
}

// sorted is a country's part of the gazetteer in order.
type sorted struct {
	codes   []Code
	names   []Name
	regions map[string]int
}

func (g *Gazetteer) sorted(country string) *sorted {
	if s, ok := g.sorting.Load(country); ok {
		return s.(*sorted)
	}
	s := &sorted{regions: map[string]int{}}
	for k, at := range g.byCode {
		if k.country == country {
			s.codes = append(s.codes, Code{postcode.Read(country, g.places[at[0]].Postcode), at})
		}
	}
	slices.SortFunc(s.codes, func(a, b Code) int { return cmp.Compare(a.Key, b.Key) })
	for i := range s.codes {
		for _, r := range g.RegionsOf(s.codes[i]) {
			s.regions[r]++
		}
	}
	for k, at := range g.byName {
		if k.country != country {
			continue
		}
		byRegion := map[string]int{}
		for _, i := range at {
			p := &g.places[i]
			n, ok := byRegion[p.Region]
			if !ok {
				n = len(s.names)
				byRegion[p.Region] = n
				s.names = append(
					s.names,
					Name{Folded: k.name, Name: p.Name, Region: p.Region, Municipality: p.Municipality, First: i},
				)
			}
			s.names[n].Codes++
		}
	}
	slices.SortFunc(s.names, func(a, b Name) int {
		return cmp.Or(
			strings.Compare(a.Folded, b.Folded),
			strings.Compare(a.Region, b.Region),
			cmp.Compare(a.First, b.First),
		)
	})
	kept, _ := g.sorting.LoadOrStore(country, s)
	return kept.(*sorted)
}

// RegionsOf lists the regions (ISO 3166-2) of a code's places, each once.
func (g *Gazetteer) RegionsOf(c Code) (regions []string) {
	for _, i := range c.Places {
		if r := g.places[i].Region; r != "" && !slices.Contains(regions, r) {
			regions = append(regions, r)
		}
	}
	return regions
}

// Codes lists the postcodes of a country in order, each once; the caller must not change the list.
func (g *Gazetteer) Codes(country string) []Code { return g.sorted(country).codes }

// CodesFrom is the part of Codes that begins with a prefix (in the form in which codes are compared).
func (g *Gazetteer) CodesFrom(country, prefix string) []Code {
	codes := g.Codes(country)
	from, _ := slices.BinarySearchFunc(
		codes,
		prefix,
		func(c Code, p string) int { return strings.Compare(c.Text, p) },
	)
	to := from
	for to < len(codes) && strings.HasPrefix(codes[to].Text, prefix) {
		to++
	}
	return codes[from:to]
}

// CodesBetween is the part of Codes between two codes, both included (in the form in which codes are compared).
func (g *Gazetteer) CodesBetween(country, first, last string) []Code {
	codes := g.Codes(country)
	from, _ := slices.BinarySearchFunc(
		codes,
		first,
		func(c Code, p string) int { return strings.Compare(c.Text, p) },
	)
	to, found := slices.BinarySearchFunc(
		codes,
		last,
		func(c Code, p string) int { return strings.Compare(c.Text, p) },
	)
	if found {
		to++
	}
	return codes[min(from, to):to]
}

// RegionCodes is how many postcodes a list has in a region (ISO 3166-2).
func (g *Gazetteer) RegionCodes(country, region string) int { return g.sorted(country).regions[region] }

// Names lists the names of a country's places in order, a name that several regions have once for each.
func (g *Gazetteer) Names(country string) []Name { return g.sorted(country).names }

// NamesFrom is the part of Names that begins with a prefix; case and accents do not matter.
func (g *Gazetteer) NamesFrom(country, prefix string) []Name {
	names, prefix := g.Names(country), world.Fold(prefix)
	from, _ := slices.BinarySearchFunc(
		names,
		prefix,
		func(n Name, p string) int { return strings.Compare(n.Folded, p) },
	)
	to := from
	for to < len(names) && strings.HasPrefix(names[to].Folded, prefix) {
		to++
	}
	return names[from:to]
}

// RegionsNamed lists the regions that have a place of a name, "" for places in none.
func (g *Gazetteer) RegionsNamed(country, name string) (regions []string) {
	for _, i := range g.byName[nameKey{country, world.Fold(name)}] {
		if r := g.places[i].Region; !slices.Contains(regions, r) {
			regions = append(regions, r)
		}
	}
	return regions
}

// At is a place by its position in the lists.
func (g *Gazetteer) At(i int32) *Place { return &g.places[i] }

// Countries lists the countries that the lists are of, sorted, with how many postcodes each has. Neither must
// be changed.
func (g *Gazetteer) Countries() (list []string, codes map[string]int) {
	c := &g.countries
	c.Do(func() {
		c.codes = map[string]int{}
		for k := range g.byName {
			c.codes[k.country] = 0
		}
		for k := range g.byCode {
			c.codes[k.country]++
		}
		c.list = slices.Sorted(maps.Keys(c.codes))
	})
	return c.list, c.codes
}

// Knows says whether the lists have a postcode, or, where codes have letters and lists often only their first
// part, that part. lists is whether there is any list of the country.
func (g *Gazetteer) Knows(country string, code postcode.Code) (known, lists bool) {
	if len(g.byCode[codeKey{country, code.Key}]) > 0 {
		return true, true
	}
	if len(g.Codes(country)) == 0 {
		return false, false
	}
	if _, digits := postcode.AllDigits(country); !digits {
		for n := 2; n < len(code.Text); n++ {
			if len(g.byCode[codeKey{country, postcode.Read(country, code.Text[:n]).Key}]) > 0 {
				return true, true
			}
		}
	}
	return false, true
}

// CountryAt is the country (alpha-2) of the listed place that lies nearest to a point, in degrees; "" where
// none has a point. Longitudes are weighed by the latitude, which is near enough to tell which place is
// nearest.
func (g *Gazetteer) CountryAt(lat, lon float64) string {
	country, least := "", math.Inf(1)
	shrink := math.Cos(lat * math.Pi / 180)
	for i := range g.places {
		if p := &g.places[i]; p.Located {
			north, east := p.Lat-lat, math.Remainder(p.Lon-lon, 360)*shrink
			if off := north*north + east*east; off < least {
				country, least = p.Country, off
			}
		}
	}
	return country
}
