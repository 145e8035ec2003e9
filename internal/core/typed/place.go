package typed

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"
)

// part is a part of a typed text on its way through the recognisers.
type part struct {
	text string

	// What [inFront] finds: the country that holds for the part, what is left of it, and whether the country was named.
	country, rest string
	named         bool
}

// A recogniser reads a part of one form. ok is false where the part has another; the error says what of this form is
// wrong, or what may be meant.
type recogniser func(in *reading, p *part) (rule place.Rule, err *TextError, ok bool)

// recognisers stand in the order in which they are asked.
var recognisers []recogniser

func init() { // they lead back to the list: a circle is around an address
	recognisers = []recogniser{
		everywhere,
		circleAround,
		townByWord,
		shortCode,
		countryByName,
		groupByName,
		areaByName,
		regionByCode,
		regionByName,
		inFront,
		townWithoutDigits,
		codes,
	}
}

// place reads one part.
func (in *reading) place(text string) (place.Rule, *TextError) {
	p := &part{text: text, country: in.country, rest: text}
	for _, recognise := range recognisers {
		if rule, err, ok := recognise(in, p); ok {
			return rule, err
		}
	}
	return refuse("no place is called %.60s", text)
}

func refuse(format string, args ...any) (place.Rule, *TextError) {
	return place.Rule{}, &TextError{Reason: fmt.Sprintf(format, args...)}
}

// everywhereWords are the ways to say every address, folded. A rest of the world is the world: narrower zones come
// before it.
var everywhereWords = []string{
	"everywhere",
	"anywhere",
	"worldwide",
	"world",
	"whole world",
	"all countries",
	"every country",
	"rest of world",
	"rest of the world",
}

func everywhere(_ *reading, p *part) (place.Rule, *TextError, bool) {
	said := strings.TrimPrefix(world.Fold(p.text), "the ")
	return place.Rule{World: true}, nil, slices.Contains(everywhereWords, said)
}

// circleAround reads "within 15 km of the workshop".
func circleAround(in *reading, p *part) (place.Rule, *TextError, bool) {
	if m := circle.FindStringSubmatch(p.text); m != nil {
		rule, err := in.within(m[1], strings.ToLower(m[2]), m[3])
		return rule, err, true
	}
	if head, _, _ := strings.Cut(p.text, " "); strings.EqualFold(head, "within") {
		rule, err := refuse("a circle is written so: within 15 km of the workshop")
		return rule, err, true
	}
	return place.Rule{}, nil, false
}

// townByWord reads "town Berlin", which is no region.
func townByWord(in *reading, p *part) (place.Rule, *TextError, bool) {
	head, rest, _ := strings.Cut(p.text, " ")
	if !strings.EqualFold(head, "town") || rest == "" {
		return place.Rule{}, nil, false
	}
	rule, err := in.typedTown(rest, in.country, false)
	return rule, err, true
}

// shortCode reads the code of a group of countries or of a country: "EU", "FI", "FIN".
func shortCode(in *reading, p *part) (place.Rule, *TextError, bool) {
	if len(p.text) != 2 && len(p.text) != 3 {
		return place.Rule{}, nil, false
	}
	if g, ok := world.GroupByCode(p.text); ok {
		return place.Rule{Group: g.Code}, nil, true
	}
	c, ok := world.CountryByCode(p.text)
	if !ok {
		return place.Rule{}, nil, false
	}
	if in.begins(in.country, p.text) {
		return place.Rule{}, &TextError{
			Reason: fmt.Sprintf("%s is the code of %s, and postcodes of %s begin so: which is meant?",
				p.text, c.Name, world.CountryName(in.country)),
			Choices: []Choice{{c.Name, "the country"}, {in.country + " " + p.text, "postcodes"}},
		}, true
	}
	return place.Rule{Country: c.Alpha2}, nil, true
}

// regionsNamed are the regions of a name: those of a country alone where it has one.
func regionsNamed(country, name string) []world.Region {
	regions := world.RegionsByName("", name)
	if len(regions) > 1 && country != "" {
		if own := world.RegionsByName(country, name); len(own) == 1 {
			return own
		}
	}
	return regions
}

// countryByName reads a country's name, which must not be that of another country's region as well. Another name of a
// country yields to a region of that name: Georgia, USA.
func countryByName(in *reading, p *part) (place.Rule, *TextError, bool) {
	countries, regions := world.CountriesByName(p.text), regionsNamed(in.country, p.text)
	if len(countries) != 1 {
		return place.Rule{}, nil, false
	}
	c := countries[0]
	switch {
	case len(regions) > 0 && regions[0].Country != c.Alpha2 && !strings.EqualFold(c.Name, p.text):
		return place.Rule{}, nil, false
	case len(regions) > 0 && !sameCountry(regions, c.Alpha2):
		return place.Rule{}, &TextError{
			Reason: fmt.Sprintf("%s is a country and a region of %s: which is meant?",
				p.text, world.CountryName(regions[0].Country)),
			Choices: append([]Choice{{c.Alpha2, "the country"}}, regionChoices(regions)...),
		}, true
	}
	return place.Rule{Country: c.Alpha2}, nil, true
}

func groupByName(_ *reading, p *part) (place.Rule, *TextError, bool) {
	g, ok := world.GroupByName(p.text)
	return place.Rule{Group: g.Code}, nil, ok
}

// regionByCode reads a region's code of ISO 3166-2: "FI-10".
func regionByCode(_ *reading, p *part) (place.Rule, *TextError, bool) {
	country, code, ok := strings.Cut(p.text, "-")
	if !ok || len(country) != 2 || code == "" {
		return place.Rule{}, nil, false
	}
	region, ok := world.RegionByCode(strings.ToUpper(country), strings.ToUpper(p.text))
	return place.Rule{Country: region.Country, Region: region.Code}, nil, ok
}

func regionByName(in *reading, p *part) (place.Rule, *TextError, bool) {
	switch regions := regionsNamed(in.country, p.text); len(regions) {
	case 0:
		return place.Rule{}, nil, false
	case 1:
		rule, err := in.region(regions[0], p.text)
		return rule, err, true
	default:
		return place.Rule{}, &TextError{
			Reason:  fmt.Sprintf("there are %d regions called %s: which is meant?", len(regions), p.text),
			Choices: regionChoices(regions),
		}, true
	}
}

// inFront finds a country in front of what is left, for the recognisers behind it. It reads itself what it understands
// whole: a town behind its region's code, and a region behind its country.
func inFront(in *reading, p *part) (place.Rule, *TextError, bool) {
	head, rest, ok := strings.Cut(p.text, " ")
	if !ok {
		return place.Rule{}, nil, false
	}
	if c, isCountry := world.CountryByCode(head); isCountry && len(head) <= 3 {
		p.country, p.rest, p.named = c.Alpha2, rest, true
	} else if c, tail, isName := countryInFront(p.text); isName {
		p.country, p.rest, p.named = c, tail, true
	} else if c, _, ok := strings.Cut(head, "-"); ok && len(c) == 2 {
		if region, ok := world.RegionByCode(strings.ToUpper(c), head); ok {
			return in.town(region.Country, region.Code, rest), nil, true
		}
	}
	if p.named {
		if regions := world.RegionsByName(p.country, p.rest); len(regions) == 1 {
			rule, err := in.region(regions[0], p.rest)
			return rule, err, true
		}
	}
	return place.Rule{}, nil, false
}

func hasDigit(text string) bool { return strings.ContainsAny(text, "0123456789*") }

// townWithoutDigits reads a town's name. Behind a country, and in Great Britain, letters alone may be postcodes.
func townWithoutDigits(in *reading, p *part) (place.Rule, *TextError, bool) {
	if hasDigit(p.rest) || p.named || p.country == "GB" {
		return place.Rule{}, nil, false
	}
	rule, err := in.typedTown(p.rest, p.country, true)
	return rule, err, true
}

// codes reads postcodes: a code, a beginning, a range. It takes every part that comes to it.
func codes(in *reading, p *part) (place.Rule, *TextError, bool) {
	if p.country == "" {
		rule, err := refuse("put the country in front of the code, such as FI %.60s", p.rest)
		return rule, err, true
	}
	entry, err := postcode.ParseEntry(p.country, p.rest)
	switch {
	case err == nil:
		return place.Rule{Country: p.country, Postcodes: []postcode.Entry{entry}}, nil, true
	case !hasDigit(p.rest):
		rule, err := in.typedTown(p.rest, p.country, !p.named)
		return rule, err, true
	}
	if leading[p.country] != nil && leading[p.country].MatchString(p.rest) {
		if entry, err := postcode.ParseEntry(p.country, p.rest+"*"); err == nil {
			return place.Rule{Country: p.country, Postcodes: []postcode.Entry{entry}}, nil, true
		}
	}
	rule, slip := refuse("%s", err.Error())
	return rule, slip, true
}

// leading are the first parts of codes that people name by themselves, and that can be no whole code: the routing key
// of an Eircode (T12), the forward sortation area of a Canadian code (K1A), the four digits of a Dutch one (1011).
// All codes that begin so are meant.
var leading = map[string]*regexp.Regexp{
	"IE": regexp.MustCompile(`(?i)^[AC-FHKNPRTV-Y][0-9](?:[0-9]|W)$`),
	"CA": regexp.MustCompile(`(?i)^[ABCEGHJ-NPRSTVXY][0-9][ABCEGHJ-NPRSTV-Z]$`),
	"NL": regexp.MustCompile(`^[1-9][0-9]{3}$`),
}

// region is the rule of a region by its name, which must not be a town's there as well.
func (r Reader) region(region world.Region, name string) (place.Rule, *TextError) {
	if r.lists(region.Country, name) {
		return place.Rule{}, &TextError{Reason: fmt.Sprintf("%s is a region and a town: which is meant?", name),
			Choices: []Choice{{region.Code, "the region"}, {region.Country + " town " + name, "the town"}}}
	}
	return place.Rule{Country: region.Country, Region: region.Code}, nil
}

// begins says whether postcodes of a country, listed or British, begin with a text that may stand for them.
func (r Reader) begins(country, text string) bool {
	_, err := postcode.ParseEntry(country, text)
	if country == "" || err != nil {
		return false
	}
	return postcode.British(country) && postcode.Area(text) ||
		r.Gazetteer != nil && len(r.Gazetteer.CodesFrom(country, strings.ToUpper(text))) > 0
}

// maxChoices is how many meanings are offered.
const maxChoices = 6

func regionChoices(regions []world.Region) (list []Choice) {
	for _, r := range regions[:min(len(regions), maxChoices)] {
		list = append(list, Choice{r.Code, r.Name + ", " + world.CountryName(r.Country)})
	}
	return list
}

func sameCountry(regions []world.Region, country string) bool {
	for _, r := range regions {
		if r.Country != country {
			return false
		}
	}
	return true
}

// longestName is how many words of a line may name a country.
const longestName = 8

// countryInFront splits "Great Britain BT1" into a country that is named in words and the rest.
func countryInFront(text string) (country, rest string, ok bool) {
	words := strings.SplitN(text, " ", longestName+2)
	for n := min(len(words)-1, longestName); n > 0; n-- {
		if c := world.CountriesByName(strings.Join(words[:n], " ")); len(c) == 1 {
			return c[0].Alpha2, strings.Join(words[n:], " "), true
		}
	}
	return "", "", false
}
