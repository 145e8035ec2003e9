package place

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"

	"github.com/paulmach/orb"
)

// Reader reads places and addresses as they are typed for one shop.
type Reader struct {
	Home      string               // the country that codes and towns are in where none is named; "" for none
	Gazetteer *gazetteer.Gazetteer // what is known of towns and codes; may be nil
	Locations []Location           // what circles may be around
	Metres    float64              // in the shop's unit of distance; 0 for kilometres

	codes bool // what is read is a list of codes
	tired bool // so much was not understood that names that are nearly the same are not looked for any more
}

// Location is a place of the shop's own.
type Location struct {
	ID, Name string
	Point    *orb.Point // nil where nobody knows
}

// TextError is a part of a typed text that is not understood.
type TextError struct {
	Part    string
	Reason  string
	Choices []Choice // what may have been meant
}

// Choice is one meaning of a text: what to write for it, and what it is.
type Choice struct{ Text, Means string }

// Error says what is wrong.
func (e *TextError) Error() string { return e.Reason }

// Text is what a typed text of places means.
type Text struct {
	Places, Except []Rule
	Taken          int          // parts that are in the rules
	Repeats        []string     // parts that stood before, and are in the rules once
	Unknown        []string     // parts that are in the rules though no list of places knows them
	Slips          []*TextError // parts that are not understood, and are in no rule
}

// Text reads places as one types or pastes them, parted by commas, semicolons, tabs or line ends:
//
//	Finland             a country by name or code (FI, FIN)
//	Lapland             a region, by its name or its ISO 3166-2 code
//	Northern Europe     a group of countries, by its name or code
//	everywhere          the world
//	Naantali            a town of the home country, or of the one country that has such a one; EE Tallinn,
//	Tallinn, Estonia    US-IL Springfield and Springfield, Illinois say where it is; "town Berlin" is no region
//	FI 22*              postcodes: a code, a beginning, a range, behind the country; the country
//	FI 96000 to 99999   holds for the codes and towns that follow it without one
//	21100 21110 21120   codes may also be parted by spaces alone
//	GB BT, GB IM1       areas and districts of Great Britain
//	within 15 km of the workshop, within 5 km of 60.45 22.27, within 5 km of Turku
//	not FI 21660        an exception
//
// The rules of one country's codes are joined into one.
func (r Reader) Text(text string) (t Text) {
	t, _ = r.TextUntil(context.Background(), text)
	return t
}

// TextUntil is Text that ends with the context's error where nobody waits for it any more.
func (r Reader) TextUntil(ctx context.Context, text string) (t Text, err error) {
	country := r.Home
	seen := map[string]bool{}
	asked := 0
	r.codes = len(digits.FindAllStringIndex(text, rowOfCodes)) == rowOfCodes
	ends := func(c rune) bool { return strings.ContainsRune(";\n\r\t", c) }
	for _, line := range strings.FieldsFunc(decimalCommas.ReplaceAllString(text, "$1.$2"), ends) {
		parts := strings.Split(line, ",")
		for i := 0; i < len(parts); i++ {
			part := strings.Join(strings.Fields(parts[i]), " ")
			if part == "" {
				continue
			}
			if err := ctx.Err(); err != nil {
				return Text{}, err
			}
			into, named, not := &t.Places, part, ""
			if head, rest, ok := strings.Cut(part, " "); ok &&
				(strings.EqualFold(head, "not") || strings.EqualFold(head, "except")) {
				into, named, not = &t.Except, rest, "not "
			}
			if rule, used := r.qualified(named, parts[i+1:], country); used > 0 {
				part = strings.TrimSpace(strings.Join(parts[i:i+used+1], ","))
				t.add(into, not, rule, part, seen)
				i += used
				continue
			}
			r.tired = asked >= maxGuesses
			rule, slip := r.place(named, country)
			if slip == nil {
				if r.unknown(&rule) {
					t.Unknown = append(t.Unknown, part)
				}
				t.add(into, not, rule, part, seen)
				if rule.Country != "" {
					country = rule.Country
				}
				continue
			}
			asked++
			codes, in := spacedCodes(named, country)
			if len(codes) < 2 {
				slip.Part = part
				for i := range slip.Choices {
					slip.Choices[i].Text = not + slip.Choices[i].Text
				}
				t.Slips = append(t.Slips, slip)
				continue
			}
			country = in
			for _, code := range codes {
				entry, err := postcode.ParseEntry(in, code)
				if err != nil {
					t.Slips = append(t.Slips, &TextError{Part: not + in + " " + code, Reason: err.Error()})
					continue
				}
				rule := Rule{Country: in, Postcodes: []postcode.Entry{entry}}
				if r.unknown(&rule) {
					t.Unknown = append(t.Unknown, in+" "+code)
				}
				t.add(into, not, rule, not+code, seen)
			}
		}
	}
	return t, nil
}

// rowOfCodes is from how many codes on a text is taken for a list of codes, in which a word that no list of
// places knows is a slip rather than a town.
const rowOfCodes = 3

var digits = regexp.MustCompile(`[0-9]+[*]?`)

// maxGuesses is for how many parts of a text names that are nearly the same are looked for.
const maxGuesses = 20

// decimalCommas are those of distances, which part no places.
var decimalCommas = regexp.MustCompile(`(?i)(within\s+[0-9]+),([0-9]+\s*(?:km|mi|of)\b)`)

// unknown says whether no list of places has what a rule names, though there are lists of its country.
func (r Reader) unknown(rule *Rule) bool {
	switch rule.Level() {
	case City:
		return !r.lists(rule.Country, rule.City)
	case Postcode:
		if e := rule.Postcodes[0]; e.Single() && r.Gazetteer != nil {
			known, lists := r.Gazetteer.Knows(rule.Country, postcode.Read(rule.Country, e.String()))
			return lists && !known
		}
	}
	return false
}

// lists says whether a list of places has a town.
func (r Reader) lists(country, town string) bool {
	return r.Gazetteer != nil && len(r.Gazetteer.Named(country, town)) > 0
}

// add takes a part's rule in, unless the same stood before.
func (t *Text) add(into *[]Rule, not string, rule Rule, part string, seen map[string]bool) {
	key := not + rule.Words()[0]
	if seen[key] {
		t.Repeats = append(t.Repeats, part)
		return
	}
	seen[key] = true
	t.Taken++
	*into = Join(*into, rule)
}

// spacedCodes takes a row of codes that only spaces part into codes and ranges, with the country in front or
// home. Codes that are written with a space themselves (111 22) are kept together.
func spacedCodes(text, home string) (codes []string, country string) {
	words := strings.Fields(text)
	country = home
	if c, ok := world.CountryByCode(words[0]); ok && len(words[0]) <= 3 {
		country, words = c.Alpha2, words[1:]
	}
	if country == "" {
		return nil, ""
	}
	for i := 0; i < len(words); i++ {
		if !strings.ContainsAny(words[i], "0123456789*") {
			return nil, "" // words among them: not a row of codes
		}
		switch {
		case i+2 < len(words) && strings.EqualFold(words[i+1], "to"):
			codes = append(codes, words[i]+" to "+words[i+2])
			i += 2
		case i+1 < len(words) && !postcode.Possible(country, words[i]) && postcode.Possible(country, words[i]+words[i+1]):
			codes = append(codes, words[i]+" "+words[i+1])
			i++
		default:
			codes = append(codes, words[i])
		}
	}
	return codes, country
}

// Join adds a rule to a list, codes of a country to those that are there.
func Join(rules []Rule, r Rule) []Rule {
	for i := range rules {
		if r.Level() == Postcode && rules[i].Level() == Postcode && rules[i].Country == r.Country &&
			!rules[i].namesMore() {
			rules[i].Postcodes = append(rules[i].Postcodes, r.Postcodes...)
			return rules
		}
	}
	return append(rules, r)
}

// everywhere are the ways to say every address, folded. A rest of the world is the world: narrower zones come
// before it.
var everywhere = []string{
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

// Unknown says whether no list of places has the part of a rule at a position, though its kind of part may be
// listed: a town, or a single code of a country that has a list.
func (r Reader) Unknown(rule *Rule, part int) bool {
	if rule.Level() == Postcode {
		one := Rule{Country: rule.Country, Postcodes: rule.Postcodes[part : part+1]}
		return r.unknown(&one)
	}
	return r.unknown(rule)
}

// place reads one place.
func (r Reader) place(text, home string) (Rule, *TextError) {
	fail := func(format string, args ...any) (Rule, *TextError) {
		return Rule{}, &TextError{Reason: fmt.Sprintf(format, args...)}
	}
	if slices.Contains(everywhere, strings.TrimPrefix(world.Fold(text), "the ")) {
		return Rule{World: true}, nil
	}
	if m := circle.FindStringSubmatch(text); m != nil {
		return r.within(m[1], strings.ToLower(m[2]), m[3], home)
	}
	switch head, rest, _ := strings.Cut(text, " "); {
	case strings.EqualFold(head, "within"):
		return fail("a circle is written so: within 15 km of the workshop")
	case strings.EqualFold(head, "town") && rest != "":
		return r.typedTown(rest, home, false, fail)
	}
	if len(text) == 2 || len(text) == 3 {
		if g, ok := world.GroupByCode(text); ok {
			return Rule{Group: g.Code}, nil
		}
		if c, ok := world.CountryByCode(text); ok {
			if r.begins(home, text) {
				return Rule{}, &TextError{
					Reason: fmt.Sprintf(
						"%s is the code of %s, and postcodes of %s begin so: which is meant?",
						text,
						c.Name,
						world.CountryName(home),
					),
					Choices: []Choice{{c.Name, "the country"}, {home + " " + text, "postcodes"}},
				}
			}
			return Rule{Country: c.Alpha2}, nil
		}
	}
	countries := world.CountriesByName(text)
	regions := world.RegionsByName("", text)
	if len(regions) > 1 && home != "" {
		if own := world.RegionsByName(home, text); len(own) == 1 {
			regions = own
		}
	}
	if len(countries) == 1 && len(regions) > 0 && regions[0].Country != countries[0].Alpha2 &&
		!strings.EqualFold(countries[0].Name, text) {
		countries = nil
	}
	switch {
	case len(countries) == 1 && len(regions) > 0 && !sameCountry(regions, countries[0].Alpha2):
		e := &TextError{
			Reason: fmt.Sprintf(
				"%s is a country and a region of %s: which is meant?",
				text,
				world.CountryName(regions[0].Country),
			),
			Choices: []Choice{{countries[0].Alpha2, "the country"}},
		}
		e.Choices = append(e.Choices, regionChoices(regions)...)
		return Rule{}, e
	case len(countries) == 1:
		return Rule{Country: countries[0].Alpha2}, nil
	}
	if g, ok := world.GroupByName(text); ok {
		return Rule{Group: g.Code}, nil
	}
	if c, code, ok := strings.Cut(text, "-"); ok && len(c) == 2 {
		if r, ok := world.RegionByCode(strings.ToUpper(c), strings.ToUpper(text)); ok && code != "" {
			return Rule{Country: r.Country, Region: r.Code}, nil
		}
	}
	switch {
	case len(regions) == 1:
		return r.region(regions[0], text)
	case len(regions) > 1:
		return Rule{}, &TextError{
			Reason:  fmt.Sprintf("there are %d regions called %s: which is meant?", len(regions), text),
			Choices: regionChoices(regions),
		}
	}
	country, code, ahead := home, text, false
	if head, rest, ok := strings.Cut(text, " "); ok {
		if c, isCountry := world.CountryByCode(head); isCountry && len(head) <= 3 {
			country, code, ahead = c.Alpha2, rest, true
		} else if c, tail, isName := countryInFront(text); isName {
			country, code, ahead = c, tail, true
		} else if c, _, ok := strings.Cut(head, "-"); ok && len(c) == 2 {
			if region, ok := world.RegionByCode(strings.ToUpper(c), head); ok {
				return r.town(region.Country, region.Code, rest), nil
			}
		}
	}
	if ahead {
		if named := world.RegionsByName(country, code); len(named) == 1 {
			return r.region(named[0], code)
		}
	}
	if !strings.ContainsAny(code, "0123456789*") && !(ahead || country == "GB") {
		return r.typedTown(code, country, true, fail)
	}
	if country == "" {
		return fail("put the country in front of the code, such as FI %.60s", code)
	}
	entry, err := postcode.ParseEntry(country, code)
	if err != nil {
		if !strings.ContainsAny(code, "0123456789*") {
			return r.typedTown(code, country, !ahead, fail)
		}
		return fail("%s", err.Error())
	}
	return Rule{Country: country, Postcodes: []postcode.Entry{entry}}, nil
}

// region is the rule of a region by its name, which must not be a town's there as well.
func (r Reader) region(region world.Region, name string) (Rule, *TextError) {
	if r.lists(region.Country, name) {
		return Rule{}, &TextError{Reason: fmt.Sprintf("%s is a region and a town: which is meant?", name),
			Choices: []Choice{{region.Code, "the region"}, {region.Country + " town " + name, "the town"}}}
	}
	return Rule{Country: region.Country, Region: region.Code}, nil
}

// begins says whether listed postcodes of a country begin with a text that may stand for them.
func (r Reader) begins(country, text string) bool {
	_, err := postcode.ParseEntry(country, text)
	return country != "" && err == nil && r.Gazetteer != nil &&
		len(r.Gazetteer.CodesFrom(country, strings.ToUpper(text))) > 0
}

// maxChoices is how many meanings are offered.
const maxChoices = 6

func regionChoices(regions []world.Region) (list []Choice) {
	for _, r := range regions[:min(len(regions), maxChoices)] {
		list = append(list, Choice{r.Code, r.Name + ", " + world.CountryName(r.Country)})
	}
	return list
}

// MaxCity is the longest name of a town, in letters.
const MaxCity = 80

func hasLetter(s string) bool {
	return strings.ContainsFunc(
		s,
		func(c rune) bool { return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c > 127 },
	)
}

// circle is "within 15 km of the workshop".
var circle = regexp.MustCompile(
	`(?i)^within\s+([0-9.]+)\s*(km|kilomet(?:er|re)s?|mi|miles?)?\s+of\s+(?:the\s+)?(.+)$`,
)

var point = regexp.MustCompile(`^(-?[0-9.]+)\s+(-?[0-9.]+)$`)

func (r Reader) within(distance, unit, around, home string) (Rule, *TextError) {
	fail := func(format string, args ...any) (Rule, *TextError) {
		return Rule{}, &TextError{Reason: fmt.Sprintf(format, args...)}
	}
	w := &Within{Metres: cmp.Or(r.Metres, MetresPerKilometre)}
	var err error
	if w.Distance, err = decimal.Parse(distance); err != nil {
		return fail("write the distance as a number, such as within 15 km of the workshop")
	}
	if inMiles := strings.HasPrefix(unit, "mi"); unit != "" && inMiles != (w.Metres == MetresPerMile) {
		other := decimal.FromFloat(w.Distance.Float64()*MetresPerMile/MetresPerKilometre, 1)
		if !inMiles {
			other = decimal.FromFloat(w.Distance.Float64()*MetresPerKilometre/MetresPerMile, 1)
		}
		return fail("distances of this shop are in %s: about %s %s", w.unit(), other.String(), w.unit())
	}
	if m := point.FindStringSubmatch(around); m != nil {
		lat, err1 := decimal.Parse(m[1])
		lon, err2 := decimal.Parse(m[2])
		if err1 != nil || err2 != nil || math.Abs(lat.Float64()) > 90 || math.Abs(lon.Float64()) > 180 {
			return fail("%s is no latitude and longitude, such as 60.45 22.27", around)
		}
		w.Lat, w.Lon, w.Located, w.Name = lat, lon, true, lat.String()+", "+lon.String()
		return Rule{Within: w}, nil
	}
	for _, l := range r.Locations {
		if strings.EqualFold(l.ID, around) || world.Fold(l.Name) == world.Fold(around) {
			w.Location, w.Name = l.ID, cmp.Or(l.Name, l.ID)
			if l.Point != nil {
				w.SetPoint(*l.Point)
			}
			return Rule{Within: w}, nil
		}
	}
	if a, err := r.Address(around); err == nil && r.Gazetteer != nil && (a.Postcode != "" || a.City != "") {
		if p, ok := r.Gazetteer.Locate(a.Country, postcode.Read(a.Country, a.Postcode), a.City); ok {
			w.SetPoint(orb.Point{p.Lon, p.Lat})
			w.Name = w.Lat.String() + ", " + w.Lon.String()
			return Rule{Within: w}, nil
		}
	}
	e := &TextError{
		Reason: fmt.Sprintf(
			"nobody knows where %.60s is: name a location of the shop, a town that is listed, or a point "+
				"such as 60.45 22.27",
			around,
		),
	}
	for _, l := range r.Locations[:min(len(r.Locations), maxChoices)] {
		e.Choices = append(
			e.Choices,
			Choice{
				"within " + distance + " " + w.unit() + " of " + cmp.Or(l.Name, l.ID),
				"around " + cmp.Or(l.Name, l.ID),
			},
		)
	}
	return Rule{}, e
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
