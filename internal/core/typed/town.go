package typed

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/place"
	"diadrom/internal/core/world"

	"github.com/agnivade/levenshtein"
)

// qualified reads a name with the region or country behind it that says where it is: "Springfield, Illinois,
// US". used is how many of the parts behind belong to it; 0 where the name stands for itself.
func (r Reader) qualified(name string, behind []string, country string) (rule place.Rule, used int) {
	if len(behind) == 0 || strings.ContainsAny(name, "0123456789*") {
		return rule, 0
	}
	trim := func(s string) string { return strings.Join(strings.Fields(s), " ") }
	next := trim(behind[0])
	in, isCountry := countryNamed(next)
	own, isOwn := countryNamed(name)
	if isOwn || own != "" {
		return rule, 0
	}
	if _, isGroup := world.GroupByName(name); isGroup {
		return rule, 0
	}
	if isCountry {
		if regions := world.RegionsByName(in, name); len(regions) == 1 {
			return place.Rule{Country: in, Region: regions[0].Code}, 1
		}
		if len(world.RegionsByName("", name)) > 0 || !r.lists(in, name) {
			return rule, 0
		}
		return r.town(in, "", name), 1
	}
	regions := world.RegionsByName(country, next)
	if len(regions) != 1 {
		regions = world.RegionsByName("", next)
	}
	if len(regions) != 1 {
		return rule, 0
	}
	region := regions[0]
	used = 1
	if len(behind) > 1 {
		if c, ok := countryNamed(trim(behind[1])); ok && c == region.Country {
			used = 2
		}
	}
	if r.Gazetteer != nil && slices.Contains(r.Gazetteer.RegionsNamed(region.Country, name), region.Code) {
		return r.town(region.Country, region.Code, name), used
	}
	if used == 2 && len(world.RegionsByName("", name)) == 0 {
		return r.town(region.Country, region.Code, name), used
	}
	return rule, 0
}

// town is the rule of a town, with its name as the lists of places write it.
func (r Reader) town(country, region, name string) place.Rule {
	if r.Gazetteer != nil {
		for _, p := range r.Gazetteer.Named(country, name) {
			if region == "" || p.Region == region {
				name = p.Name
				break
			}
		}
	}
	return place.Rule{Country: country, Region: region, City: name}
}

// typedTown reads a town's name. With guess, nothing but the name says that it is a town: one that no list has
// asks what is meant, since it may as well be a slip or a country by another name.
func (in *reading) typedTown(name, country string, guess bool) (place.Rule, *TextError) {
	if len(name) > 5 && strings.EqualFold(name[:5], "town ") {
		name, guess = strings.TrimSpace(name[5:]), false
	}
	if letters := []rune(name); len(letters) > maxTown || !hasLetter(name) {
		return refuse("no place is called %.60s", name)
	}
	if in.lists(country, name) {
		return in.town(country, "", name), nil
	}
	switch elsewhere := in.listedIn(name); {
	case len(elsewhere) == 1:
		return in.town(elsewhere[0], "", name), nil
	case len(elsewhere) > 1:
		e := &TextError{
			Reason: fmt.Sprintf("%d countries have a town called %s: which is meant?", len(elsewhere), name),
		}
		for _, c := range elsewhere[:min(len(elsewhere), maxChoices)] {
			e.Choices = append(e.Choices, Choice{c + " town " + name, world.CountryName(c)})
		}
		return place.Rule{}, e
	}
	if guess {
		if e := in.unknownTown(name, country); e != nil {
			return place.Rule{}, e
		}
	}
	if country == "" {
		return refuse("no country, region or group of countries is called %.60s; for a town put the country in front",
			name)
	}
	return in.town(country, "", name), nil
}

// listedIn are the countries whose lists of places have a town.
func (r Reader) listedIn(name string) (countries []string) {
	if r.Gazetteer == nil {
		return nil
	}
	all, _ := r.Gazetteer.Countries()
	for _, c := range all {
		if r.lists(c, name) {
			countries = append(countries, c)
		}
	}
	return countries
}

// unknownTown asks what is meant by a name that no list of places has; nil where there is nothing to choose from.
func (in *reading) unknownTown(name, country string) *TextError {
	if country == "" && !in.guesses() {
		return nil
	}
	e := &TextError{Reason: fmt.Sprintf("We don't know %q. Is it a country, region or town?", name)}
	if in.codes {
		e.Reason = fmt.Sprintf("%.60s is not a postcode, and we know no place of that name", name)
	}
	if in.guesses() && !in.codes {
		e.Choices = in.near(name, country)
	}
	if country != "" {
		e.Choices = append(
			e.Choices,
			Choice{"town " + name, "a town of " + world.CountryName(country) + " that is not in any list"},
		)
	}
	if len(e.Choices) == 0 {
		return nil
	}
	return e
}

// Near lists countries, groups, and regions and towns of the home country, whose names differ from a name in a letter, or in
// two where it is long: the nearest first.
func (r Reader) Near(name string) []Choice { return r.near(name, r.Home) }

// near lists names that differ from a name in a letter, or in two where it is long: the nearest first.
func (r Reader) near(name, country string) []Choice {
	folded := world.Fold(name)
	most := 1
	if len(folded) < 4 {
		return nil
	} else if len(folded) >= 7 {
		most = 2
	}
	type found struct {
		Choice
		off int
	}
	var list []found
	try := func(candidate, text, means string) {
		c := world.Fold(candidate)
		if d := len(c) - len(folded); d > most || d < -most {
			return
		}
		if off := levenshtein.ComputeDistance(c, folded); off <= most {
			list = append(list, found{Choice{text, means}, off})
		}
	}
	for _, c := range world.Countries() {
		try(c.Name, c.Alpha2, c.Name)
	}
	for _, g := range world.Groups() {
		try(g.Name, g.Code, g.Name)
	}
	for _, region := range world.Regions(country) {
		try(region.Name, region.Code, region.Name+", "+world.CountryName(region.Country))
	}
	if r.Gazetteer != nil {
		for _, n := range r.Gazetteer.Names(country) {
			try(n.Name, country+" town "+n.Name, n.Name+", a town of "+world.CountryName(country))
		}
	}
	slices.SortStableFunc(list, func(a, b found) int { return cmp.Compare(a.off, b.off) })
	var near []Choice
	for _, f := range list {
		if len(near) < maxChoices-1 && !slices.Contains(near, f.Choice) {
			near = append(near, f.Choice)
		}
	}
	return near
}

// maxTown is the longest name of a town, in letters.
const maxTown = 80

func hasLetter(s string) bool {
	return strings.ContainsFunc(
		s,
		func(c rune) bool { return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c > 127 },
	)
}
