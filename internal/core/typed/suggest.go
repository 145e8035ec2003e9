package typed

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/place"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"
)

// SuggestPlaces offers places whose names or codes begin as the last part of a text does, at most n. What is to
// be written for one stands behind the parts before it, which are returned as kept.
func (r Reader) SuggestPlaces(text string, n int) (kept string, list []Choice) {
	if i := strings.LastIndexAny(text, ",;\n\t"); i >= 0 {
		kept, text = text[:i+1]+" ", text[i+1:]
	}
	text = single(text)
	for _, not := range []string{"not ", "except "} {
		if len(text) > len(not) && strings.EqualFold(text[:len(not)], not) {
			kept, text = kept+text[:len(not)], text[len(not):]
		}
	}
	folded := world.Fold(text)
	if folded == "" {
		return kept, nil
	}
	var s suggestions
	s.words(r, folded)
	country, rest := r.Home, folded
	if head, tail, ok := strings.Cut(folded, " "); ok {
		if c, isCountry := world.CountryByCode(head); isCountry && len(head) == 2 {
			country, rest = c.Alpha2, tail
		}
	}
	if strings.ContainsAny(text, "0123456789") {
		r.suggestCodes(&s, country, strings.ToUpper(rest))
		return kept, s.first(n)
	}
	s.countries(folded)
	s.areas(folded)
	s.regions(r, folded)
	if r.Gazetteer != nil {
		all, _ := r.Gazetteer.Countries()
		for _, c := range all {
			prefix := folded
			if c == country {
				prefix = rest
			}
			for _, name := range r.Gazetteer.NamesFrom(c, prefix) {
				s.town(r, c, name, prefix)
			}
		}
	}
	return kept, s.first(n)
}

// words offers what is no name: everywhere, and circles around the shop's places.
func (s *suggestions) words(r Reader, folded string) {
	if strings.HasPrefix("everywhere", folded) {
		s.add(3, "everywhere", "every address")
	}
	if !strings.HasPrefix("within", folded) {
		return
	}
	for _, l := range r.Locations {
		name := cmp.Or(l.Name, l.ID)
		s.add(3, "within 15 "+(&place.Within{Metres: r.Metres}).Unit()+" of "+name, "a circle around "+name)
	}
}

// countries offers countries and groups of them.
func (s *suggestions) countries(folded string) {
	for _, c := range world.Countries() {
		names := append([]string{c.Name, c.Alpha3}, c.Also...)
		if at := slices.IndexFunc(names, func(name string) bool { return begins(name, folded) > 0 }); at >= 0 {
			s.add(begins(names[at], folded), c.Name, "country, "+c.Alpha2)
		}
	}
	for _, g := range world.Groups() {
		if rank := max(begins(g.Name, folded), begins(g.Code, folded)); rank > 0 && g.Code != "001" {
			s.add(rank, g.Name, strconv.Itoa(len(g.Countries))+" countries")
		}
	}
}

// regions offers regions, with how many codes the lists of places have of each.
func (s *suggestions) regions(r Reader, folded string) {
	for _, region := range world.AllRegions() {
		rank := max(begins(region.Name, folded), begins(region.Native, folded))
		if rank == 0 {
			continue
		}
		means := "region of " + world.CountryName(region.Country)
		if r.Gazetteer != nil {
			if codes := r.Gazetteer.RegionCodes(region.Country, region.Code); codes > 0 {
				means += ", " + plural.Count(codes, "code")
			}
		}
		s.home = region.Country == r.Home
		s.add(rank, region.Code, region.Name+", "+means)
	}
}

// begins ranks a name that begins with a folded text: 3 where it is all of it, 2 where it begins so, 1 where
// one of its words does, 0 else.
func begins(name, folded string) int {
	name = world.Fold(name)
	switch {
	case name == folded:
		return 3
	case strings.HasPrefix(name, folded):
		return 2
	case strings.Contains(name, " "+folded) && len(folded) > 1:
		return 1
	}
	return 0
}

type suggestion struct {
	Choice
	rank int
}

type suggestions struct {
	list []suggestion
	home bool // what is added next is of the home country, and stands before others that begin alike
}

func (s *suggestions) add(rank int, text, means string) {
	rank *= 2
	if s.home {
		rank++
	}
	s.list, s.home = append(s.list, suggestion{Choice{text, means}, rank}), false
}

// town offers a town; those that name their municipality stand before villages and companies with a code of
// their own.
func (s *suggestions) town(r Reader, country string, name gazetteer.Name, prefix string) {
	rank := 1
	if world.Fold(name.Municipality) == name.Folded || name.Municipality == "" {
		rank = 2
	}
	if name.Folded == prefix {
		rank++
	}
	means := "town"
	if region, ok := world.RegionByCode(country, name.Region); ok {
		means += " in " + region.Name
	}
	text := name.Name
	switch {
	case len(r.Gazetteer.RegionsNamed(country, name.Name)) > 1 && name.Region != "":
		text = name.Region + " " + text
	case len(world.RegionsByName(country, name.Name)) > 0:
		text = country + " town " + text
	case country != r.Home || len(world.CountriesByName(name.Name)) > 0 || len(world.RegionsByName("", name.Name)) > 0:
		text = country + " town " + text
	}
	s.home = country == r.Home
	s.add(rank, text, means+", "+plural.Count(name.Codes, "code"))
}

// suggestCodes offers listed codes that begin with a text, and all of them together.
func (r Reader) suggestCodes(s *suggestions, country, prefix string) {
	if r.Gazetteer == nil || country == "" {
		return
	}
	clean := strings.ReplaceAll(strings.ReplaceAll(strings.TrimSuffix(prefix, "*"), " ", ""), "-", "")
	codes := r.Gazetteer.CodesFrom(country, clean)
	if len(codes) > 1 {
		s.add(3, country+" "+clean+"*", plural.Count(len(codes), "code")+" begin so")
	}
	for _, c := range codes[:min(len(codes), 20)] {
		text := country + " " + c.Text
		if _, err := postcode.ParseEntry(
			country,
			c.Text,
		); err != nil { // Irish lists have the first three characters only
			text += "*"
		}
		s.add(2, text, r.Gazetteer.At(c.Places[0]).Name)
	}
}

// first sorts the best to the front and keeps n, each text once.
func (s suggestions) first(n int) (list []Choice) {
	slices.SortStableFunc(s.list, func(a, b suggestion) int {
		return cmp.Or(cmp.Compare(b.rank, a.rank), cmp.Compare(len(a.Text), len(b.Text)))
	})
	for _, c := range s.list {
		if len(list) < n && !slices.ContainsFunc(list, func(o Choice) bool { return o.Text == c.Text }) {
			list = append(list, c.Choice)
		}
	}
	return list
}

// SuggestAddresses offers destinations that begin as a text does, at most n: towns with a postcode, codes with
// their town, regions of the home country, countries.
func (r Reader) SuggestAddresses(text string, n int) []Choice {
	folded := world.Fold(text)
	if folded == "" {
		return nil
	}
	var s suggestions
	country, rest := r.Home, folded
	if head, tail, ok := strings.Cut(folded, " "); ok && len(head) == 2 {
		if c, isCountry := world.CountryByCode(head); isCountry {
			country, rest = c.Alpha2, tail
		}
	}
	if r.Gazetteer != nil && rest != "" {
		if strings.ContainsAny(rest, "0123456789") {
			for _, c := range r.Gazetteer.CodesFrom(country, strings.ToUpper(strings.ReplaceAll(rest, " ", ""))) {
				if len(s.list) == 4*n {
					break
				}
				p := r.Gazetteer.At(c.Places[0])
				s.add(2, listedAddress(country, p).Line(r.Home), regionName(country, p.Region))
			}
		} else {
			for _, name := range r.Gazetteer.NamesFrom(country, rest) {
				p := r.Gazetteer.At(name.First)
				rank := 1
				if world.Fold(name.Municipality) == name.Folded {
					rank = 2
				}
				if name.Folded == rest {
					rank++
				}
				s.add(rank, listedAddress(country, p).Line(r.Home), regionName(country, p.Region))
			}
		}
	}
	for _, region := range world.Regions(r.Home) {
		if rank := begins(region.Name, folded); rank > 0 {
			s.add(
				rank,
				place.Address{Country: r.Home, Region: region.Code}.Line(r.Home),
				"region of "+world.CountryName(r.Home),
			)
		}
	}
	for _, c := range world.Countries() {
		if rank := begins(c.Name, folded); rank > 0 {
			s.add(rank, c.Name, "country")
		}
	}
	return s.first(n)
}

// listedAddress is a listed place as an address; without its postcode where the list has only the beginning of one.
func listedAddress(country string, p *gazetteer.Place) place.Address {
	a := place.Address{Country: country, Postcode: p.Postcode, City: p.Name}
	if !postcode.Possible(country, a.Postcode) {
		a.Postcode = ""
	}
	return a
}

func regionName(country, code string) string {
	region, _ := world.RegionByCode(country, code)
	return region.Name
}
