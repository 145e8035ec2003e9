package place

import (
	"fmt"
	"strings"

	"diadrom/internal/postcode"
	"diadrom/internal/world"
)

// TextError is a part of a typed text that is not understood.
type TextError struct {
	Part   string
	Reason string
}

func (e *TextError) Error() string { return e.Reason }

// Text is what a typed text of places means.
type Text struct {
	Places, Except []Rule
	Taken          int          // parts that are in the rules
	Repeats        []string     // parts that stood before, and are in the rules once
	Slips          []*TextError // parts that are not understood, and are in no rule
}

// ParseText reads places as one types or pastes them, parted by commas, semicolons, tabs or line ends:
//
//	Finland            a country by name or code (FI, FIN)
//	Lapland            a region, by its name or its ISO 3166-2 code
//	Northern Europe    a group of countries, by its name or code
//	everywhere         the world
//	FI 22*             postcodes: a code, a beginning, a range, behind the country; the country
//	FI 96000 to 99999  holds for the codes that follow it without one
//	21100 21110 21120  codes may also be parted by spaces alone
//	not FI 21660       an exception
//
// home is the country that codes belong to where none has been named yet; "" for none. The rules of one country's codes are
// joined into one.
func ParseText(text, home string) (t Text) {
	country := home
	parts := strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ';' || r == '\n' || r == '\r' || r == '\t' })
	seen := map[string]bool{}
	for _, part := range parts {
		part = strings.Join(strings.Fields(part), " ")
		if part == "" {
			continue
		}
		into, named, not := &t.Places, part, ""
		if head, rest, ok := strings.Cut(part, " "); ok && (strings.EqualFold(head, "not") || strings.EqualFold(head, "except")) {
			into, named, not = &t.Except, rest, "not "
		}
		rule, err := parsePlace(named, country)
		if err == nil {
			t.add(into, not, rule, part, seen)
			if rule.Country != "" {
				country = rule.Country
			}
			continue
		}
		codes, in := spacedCodes(named, country)
		if len(codes) < 2 {
			t.Slips = append(t.Slips, &TextError{part, err.Error()})
			continue
		}
		country = in
		for _, code := range codes {
			entry, err := postcode.ParseEntry(in, code)
			if err != nil {
				t.Slips = append(t.Slips, &TextError{not + in + " " + code, err.Error()})
				continue
			}
			t.add(into, not, Rule{Country: in, Postcodes: []postcode.Entry{entry}}, not+code, seen)
		}
	}
	return t
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
	*into = join(*into, rule)
}

// spacedCodes takes a row of codes that only spaces part into codes and ranges, with the country in front or home. Codes that
// are written with a space themselves (111 22) are kept together.
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

// join adds a rule, codes of a country to those that are there.
func join(rules []Rule, r Rule) []Rule {
	for i := range rules {
		if r.Level() == Postcode && rules[i].Level() == Postcode && rules[i].Country == r.Country && !rules[i].namesMore() {
			rules[i].Postcodes = append(rules[i].Postcodes, r.Postcodes...)
			return rules
		}
	}
	return append(rules, r)
}

func parsePlace(text, home string) (Rule, error) {
	if strings.EqualFold(text, "everywhere") || strings.EqualFold(text, "world") || strings.EqualFold(text, "the world") {
		return Rule{World: true}, nil
	}
	if len(text) == 2 || len(text) == 3 {
		if g, ok := world.GroupByCode(text); ok {
			return Rule{Group: g.Code}, nil
		}
		if c, ok := world.CountryByCode(text); ok {
			return Rule{Country: c.Alpha2}, nil
		}
	}
	countries := world.CountriesByName(text)
	regions := world.RegionsByName("", text)
	if len(countries) == 1 && len(regions) > 0 && regions[0].Country != countries[0].Alpha2 && !strings.EqualFold(countries[0].Name, text) {
		countries = nil
	}
	switch {
	case len(countries) == 1 && len(regions) > 0 && !sameCountry(regions, countries[0].Alpha2):
		return Rule{}, fmt.Errorf("%s is a country (%s) and a region of %s (%s): write the code of the one that is meant", text,
			countries[0].Alpha2, world.CountryName(regions[0].Country), regions[0].Code)
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
	if len(regions) > 1 && home != "" {
		if own := world.RegionsByName(home, text); len(own) == 1 {
			regions = own
		}
	}
	switch {
	case len(regions) == 1:
		return Rule{Country: regions[0].Country, Region: regions[0].Code}, nil
	case len(regions) > 1:
		codes := make([]string, 0, 4)
		for _, r := range regions[:min(4, len(regions))] {
			codes = append(codes, r.Code)
		}
		return Rule{}, fmt.Errorf("there are %d regions called %s: write one of %s", len(regions), text, strings.Join(codes, ", "))
	}
	country, code := home, text
	if head, rest, ok := strings.Cut(text, " "); ok {
		if c, isCountry := world.CountryByCode(head); isCountry && len(head) <= 3 {
			country, code = c.Alpha2, rest
		} else if c, rest, isName := countryInFront(text); isName {
			country, code = c, rest
		}
	}
	if !strings.ContainsAny(code, "0123456789*") && country != "GB" {
		return Rule{}, fmt.Errorf("no country, region or group of countries is called %.60s", text)
	}
	if country == "" {
		return Rule{}, fmt.Errorf("put the country in front of the code, such as FI %.60s", code)
	}
	entry, err := postcode.ParseEntry(country, code)
	if err != nil {
		return Rule{}, err
	}
	return Rule{Country: country, Postcodes: []postcode.Entry{entry}}, nil
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

// Words lists a rule as it is shown, one text for each thing that it takes: each entry of a list of codes by itself.
func (r *Rule) Words() []string {
	switch r.Level() {
	case World:
		return []string{"everywhere"}
	case Group:
		if g, ok := world.GroupByCode(r.Group); ok {
			return []string{g.Name}
		}
	case Country:
		return []string{world.CountryName(r.Country)}
	case Region:
		if region, ok := world.RegionByCode(r.Country, r.Region); ok {
			return []string{region.Name + " (" + region.Code + ")"}
		}
	case City:
		return []string{r.City + ", " + r.Country}
	case Postcode:
		words := make([]string, len(r.Postcodes))
		for i, e := range r.Postcodes {
			words[i] = r.Country + " " + e.String()
		}
		return words
	}
	return []string{r.Because(0)}
}

// ParseAddress reads a destination typed in one line: postcode and city of the home country ("21160 Merimasku"), with a
// country in front or behind for another ("EE 10111 Tallinn", "10115 Berlin, Germany"), or a country alone.
func ParseAddress(text, home string) (Address, error) {
	text = strings.Join(strings.Fields(text), " ")
	if text == "" {
		return Address{}, fmt.Errorf("type where the order goes, such as 21160 Merimasku")
	}
	if r := []rune(text); len(r) > 200 {
		return Address{}, fmt.Errorf("an address in one line has at most 200 letters")
	}
	a := Address{Country: home}
	rest := text
	if front, back, ok := cutLast(text, ","); ok {
		if c, isCountry := countryNamed(back); isCountry {
			a.Country, rest = c, front
		}
	}
	if rest == text {
		if c, isCountry := countryNamed(text); isCountry {
			return Address{Country: c}, nil
		}
		if head, tail, ok := strings.Cut(text, " "); ok && len(head) == 2 && head == strings.ToUpper(head) {
			if c, isCountry := world.CountryByCode(head); isCountry {
				a.Country, rest = c.Alpha2, tail
			}
		} else if c, tail, isName := countryInFront(text); isName {
			a.Country, rest = c, tail
		}
	}
	if a.Country == "" {
		return Address{}, fmt.Errorf("say which country: FI %s, or Finland", text)
	}
	a.Postcode, a.City = splitPostcode(rest, a.Country)
	if a.Postcode != "" && !postcode.Possible(a.Country, a.Postcode) {
		return a, fmt.Errorf("%s cannot be a postcode of %s: they are %s", a.Postcode, world.CountryName(a.Country), postcode.Shape(a.Country))
	}
	return a, nil
}

func cutLast(s, sep string) (before, after string, ok bool) {
	i := strings.LastIndex(s, sep)
	if i < 0 {
		return s, "", false
	}
	return strings.TrimSpace(s[:i]), strings.TrimSpace(s[i+1:]), true
}

func countryNamed(text string) (string, bool) {
	if len(text) == 2 || len(text) == 3 {
		if c, ok := world.CountryByCode(text); ok && text == strings.ToUpper(text) {
			return c.Alpha2, true
		}
	}
	if c := world.CountriesByName(text); len(c) == 1 {
		return c[0].Alpha2, true
	}
	return "", false
}

// splitPostcode takes the words in front that make a postcode, as many as do, from the city behind them.
func splitPostcode(text, country string) (code, city string) {
	words := strings.Split(strings.ReplaceAll(text, ",", " "), " ")
	words = strings.Fields(strings.Join(words, " "))
	for n := min(3, len(words)); n > 0; n-- {
		candidate := strings.Join(words[:n], " ")
		if strings.ContainsAny(candidate, "0123456789") && postcode.Possible(country, candidate) {
			return candidate, strings.Join(words[n:], " ")
		}
	}
	if len(words) > 0 && strings.ContainsAny(words[0], "0123456789") {
		return words[0], strings.Join(words[1:], " ")
	}
	return "", strings.Join(words, " ")
}

// Line writes the address in the one line that ParseAddress reads, the country in front unless it is home.
func (a Address) Line(home string) string {
	var parts []string
	if a.Country != home {
		parts = append(parts, a.Country)
	}
	for _, p := range []string{a.Postcode, a.City} {
		if p != "" {
			parts = append(parts, p)
		}
	}
	if len(parts) == 0 || len(parts) == 1 && a.Country != home && a.Postcode == "" && a.City == "" {
		return world.CountryName(a.Country)
	}
	return strings.Join(parts, " ")
}
