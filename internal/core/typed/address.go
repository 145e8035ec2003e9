package typed

import (
	"fmt"
	"math"
	"strings"

	"diadrom/internal/core/atlas"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"

	"github.com/paulmach/orb"
)

// Address reads a destination typed in one line: street, postcode, town, region and country, as far as they are given
// and in the order in which people write them. "21160 Merimasku" and "Merimasku 21160" are in the home country;
// "EE 10111 Tallinn", "10115 Berlin, Germany" and "Austin, TX 78701, US" name another; "Lapland" is a region,
// "Norway" a country.
func (r Reader) Address(text string) (place.Address, error) {
	text = strings.Join(strings.Fields(text), " ")
	if text == "" {
		return place.Address{}, fmt.Errorf("type where the order goes, such as 21160 Merimasku")
	}
	if n := len([]rune(text)); n > 200 {
		return place.Address{}, fmt.Errorf("an address in one line has at most 200 letters; this has %d", n)
	}
	if a, ok, err := r.point(text); ok {
		return a, err
	}
	a := place.Address{Country: r.Home}
	if c, isCountry := countryNamed(text); isCountry {
		return place.Address{Country: c}, nil
	}
	rest := text
	if c, without, ok := r.countryIn(text); ok {
		a.Country, rest = c, without
	}
	if a.Country == "" {
		return place.Address{}, fmt.Errorf("say which country: FI %s, or Finland", text)
	}
	var named []string
	parts := strings.Split(rest, ",")
	a.Street, parts = street(parts, a.Country)
	for _, part := range parts {
		if part = r.part(&a, strings.TrimSpace(part)); part != "" {
			named = append(named, part)
		}
	}
	r.name(&a, named)
	if a.Postcode != "" && !postcode.Possible(a.Country, a.Postcode) {
		return a, fmt.Errorf(
			"%s cannot be a postcode of %s: they are %s",
			a.Postcode,
			world.CountryName(a.Country),
			postcode.Shape(a.Country),
		)
	}
	return a, nil
}

// point reads an address that is a latitude and a longitude: "60.4674 22.026". One that lies in no country, where the
// two the other way round lie at home, is asked about.
func (r Reader) point(text string) (a place.Address, ok bool, err error) {
	m := point.FindStringSubmatch(strings.ReplaceAll(text, ",", " "))
	if m == nil || !strings.Contains(m[1]+m[2], ".") {
		return a, false, nil
	}
	lat, latErr := decimal.Parse(m[1])
	lon, lonErr := decimal.Parse(m[2])
	if latErr != nil || lonErr != nil {
		return a, false, nil
	}
	x, y := lon.Float64(), lat.Float64()
	possible := math.Abs(y) <= 90 && math.Abs(x) <= 180
	country := ""
	if possible {
		country = r.countryNear(orb.Point{x, y})
	}
	swapped := ""
	if math.Abs(x) <= 90 && math.Abs(y) <= 180 {
		swapped = atlas.CountryAt(orb.Point{y, x})
	}
	switch {
	case swapped != "" && (!possible || country != r.Home && swapped == r.Home):
		return a, true, fmt.Errorf("is it %s %s? That lies in %s; latitude stands before longitude", m[2], m[1],
			world.CountryName(swapped))
	case !possible:
		return a, true, fmt.Errorf("%s is no latitude and longitude, such as 60.4674 22.0260", text)
	case country == "":
		return a, true, fmt.Errorf("%s lies in no country: nobody lives there", text)
	}
	return place.Address{Country: country, Lat: &lat, Lon: &lon}, true, nil
}

// offshore is how many metres from land a point still belongs to a country: a skerry that no map has, a harbour.
const offshore = 20_000

// countryNear is the country on whose land a point lies, or near whose land: the home country first.
func (r Reader) countryNear(p orb.Point) string {
	if c := atlas.CountryAt(p); c != "" {
		return c
	}
	if r.Home != "" && atlas.Near(r.Home, p, offshore) {
		return r.Home
	}
	if r.Gazetteer != nil {
		if c := r.Gazetteer.CountryAt(p.Lat(), p.Lon()); c != "" && atlas.Near(c, p, offshore) {
			return c
		}
	}
	return ""
}

// street takes the street off the front of an address that has a postcode behind it: "Rantakatu 2, 21100 Naantali".
// Without a house number it is one only where a town stands beside the postcode.
func street(parts []string, country string) (text string, rest []string) {
	if len(parts) < 2 {
		return "", parts
	}
	if _, _, ok := possibleCode(strings.Fields(parts[0]), country); ok {
		return "", parts
	}
	for i, part := range parts[1:] {
		words := strings.Fields(part)
		_, left, ok := possibleCode(words, country)
		if !ok && len(parts[0]) > 0 && hasLetter(parts[0][:1]) { // a wrong code behind a street is told as the code
			var code string
			code, left = takePostcode(words, country)
			ok = code != ""
		}
		if !ok {
			continue
		}
		beside := i > 0 // another part, which is the town
		if n := len(left); n > 0 && len(world.RegionsByName(country, strings.Join(left, " "))) == 0 {
			_, isRegion := world.RegionByCode(country, left[n-1])
			beside = beside || n > 1 || !isRegion
		}
		if strings.ContainsAny(parts[0], "0123456789") || beside {
			return strings.TrimSpace(parts[0]), parts[1:]
		}
	}
	return "", parts
}

// countryIn takes the country out of an address, where it names one: behind its last comma, as a code or a name in
// front, or between other commas.
func (r Reader) countryIn(text string) (country, rest string, ok bool) {
	if front, back, ok := cutLast(text, ","); ok {
		if c, isCountry := countryNamed(back); isCountry {
			return c, front, true
		}
	}
	head, tail, ok := strings.Cut(text, " ")
	code := strings.ToUpper(head)
	if ok && len(head) == 2 && (head == code || tail[0] >= '0' && tail[0] <= '9') { // De Panne is no country
		if c, isCountry := world.CountryByCode(code); isCountry && !(r.Home != "" && isRegionCode(r.Home, code)) {
			return c.Alpha2, tail, true
		}
		return "", "", false
	}
	if c, tail, isName := countryInFront(text); isName {
		return c, tail, true
	}
	return r.countryPart(text)
}

// countryPart takes out the one part between commas that names a country, as in "Germany, 10115 Berlin". A town may be
// called like a country (Lebanon, PA 17042): what has a region of the home country beside it, or a postcode that only
// the home country has, is no country.
func (r Reader) countryPart(text string) (country, rest string, ok bool) {
	parts := strings.Split(text, ",")
	for i, part := range parts {
		c, isCountry := countryNamed(strings.TrimSpace(part))
		if !isCountry {
			continue
		}
		if ok || c == r.Home {
			return "", "", false
		}
		country, ok = c, true
		rest = strings.Join(append(append([]string(nil), parts[:i]...), parts[i+1:]...), ",")
	}
	if !ok || r.Home == "" {
		return country, rest, ok
	}
	var home place.Address
	home.Country = r.Home
	for part := range strings.SplitSeq(rest, ",") {
		if name := r.part(&home, strings.TrimSpace(part)); len(world.RegionsByName(r.Home, name)) == 1 {
			return "", "", false
		}
	}
	if home.Region != "" || home.Postcode != "" && postcode.Possible(r.Home, home.Postcode) &&
		!postcode.Possible(country, home.Postcode) {
		return "", "", false
	}
	return country, rest, true
}

func isRegionCode(country, code string) bool {
	_, ok := world.RegionByCode(country, code)
	return ok
}

// part takes the postcode, and a region's code beside it, out of a part of an address between commas; what is
// left are names.
func (r Reader) part(a *place.Address, part string) string {
	words := strings.Fields(part)
	if a.Postcode == "" {
		a.Postcode, words = takePostcode(words, a.Country)
	}
	if n := len(words); a.Region == "" && n > 0 && words[n-1] == strings.ToUpper(words[n-1]) &&
		len(words[n-1]) <= 6 {
		if region, ok := world.RegionByCode(a.Country, words[n-1]); ok && hasLetter(words[n-1]) {
			a.Region, words = region.Code, words[:n-1]
		}
	}
	return strings.Join(words, " ")
}

// takePostcode takes the words at either end that make a postcode, as many as do. A word with digits where a
// code would stand is taken for one, so that a wrong one is told.
func takePostcode(words []string, country string) (code string, rest []string) {
	if code, rest, ok := possibleCode(words, country); ok {
		return code, rest
	}
	for _, end := range []int{0, len(words) - 1} {
		if len(words) > 0 && strings.ContainsAny(words[end], "0123456789") {
			return words[end], append(append([]string(nil), words[:end]...), words[end+1:]...)
		}
	}
	return "", words
}

// possibleCode takes the words at either end that make a possible postcode.
func possibleCode(words []string, country string) (code string, rest []string, ok bool) {
	for n := min(3, len(words)); n > 0; n-- {
		for _, end := range []int{0, len(words) - n} {
			candidate := strings.Join(words[end:end+n], " ")
			if strings.ContainsAny(candidate, "0123456789") && postcode.Possible(country, candidate) {
				return candidate, append(append([]string(nil), words[:end]...), words[end+n:]...), true
			}
		}
	}
	return "", words, false
}

// name tells the town and the region among the names of an address.
func (r Reader) name(a *place.Address, names []string) {
	for i := len(names) - 1; i > 0 && a.Region == ""; i-- {
		if regions := world.RegionsByName(a.Country, names[i]); len(regions) == 1 {
			a.Region = regions[0].Code
			names = append(names[:i:i], names[i+1:]...)
		}
	}
	a.City = strings.Join(names, ", ")
	if a.Region != "" || a.City == "" {
		return
	}
	listed := r.lists(a.Country, a.City)
	if regions := world.RegionsByName(a.Country, a.City); len(regions) > 0 {
		switch {
		case len(regions) != 1 || a.Postcode != "" || listed:
		case postcode.HasFormat(a.Country):
			a.City, a.Region = "", regions[0].Code
		default: // without postcodes a town is all that there is: Dubai is one, and a region of that name
			a.Region = regions[0].Code
		}
		return
	}
	words := strings.Fields(a.City)
	for n := 1; n < len(words) && !listed; n++ {
		if regions := world.RegionsByName(a.Country, strings.Join(words[n:], " ")); len(regions) == 1 {
			a.City, a.Region = strings.Join(words[:n], " "), regions[0].Code
			return
		}
	}
}

// Doubt says what no list of places knows about an address, "" where nothing stands against it.
func (r Reader) Doubt(a place.Address) string {
	if r.Gazetteer == nil {
		return ""
	}
	known, lists := r.Gazetteer.Knows(a.Country, postcode.Read(a.Country, a.Postcode))
	switch {
	case !lists:
		return ""
	case a.Postcode != "" && !known:
		return fmt.Sprintf(
			"No place in %s is known to have the postcode %s.",
			world.CountryName(a.Country),
			a.Postcode,
		)
	case a.Postcode == "" && a.City != "" && !r.lists(a.Country, a.City):
		return fmt.Sprintf("No place in %s is known to be called %s.", world.CountryName(a.Country), a.City)
	}
	return ""
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
