// Package destination reads where parcels go as the lists of carriers and shops say it: a country by its code or its
// name in several languages, several of them in one cell, codes such as "01–09" and "10*". What it makes is text
// that a reader of places takes (see package typed).
package destination

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"
)

// Wild says whether a destination's cell stands for any.
func Wild(text string) bool {
	folded := world.Fold(text)
	return folded == "" || slices.Contains(everywhere, folded)
}

// everywhere are the words for every destination that nothing else names, folded.
var everywhere = []string{"*", "all", "any", "everywhere", "world", "rest of the world", "rest of world", "worldwide",
	"row", "all others", "others", "everything else", "elsewhere", "alle anderen", "andere", "tous les autres", "autres",
	"los demas", "otros", "muut", "resten", "other countries", "all other countries", "other", "rest", "international", "welt", "rest der welt",
	"weltweit",
	"ubrige lander", "reste du monde", "monde", "autres pays", "resto del mundo", "mundo", "otros paises",
	"muu maailma", "muut maat", "koko maailma", "ovriga varlden", "ovriga lander", "hela varlden"}

// Country is the code of a country by its code or its name.
func Country(text string) (string, error) {
	if text == "EL" { // as the European Union writes Greece
		return "GR", nil
	}
	if c, ok := world.CountryByCode(text); ok {
		return c.Alpha2, nil
	}
	if named := world.CountriesByName(text); len(named) == 1 {
		return named[0].Alpha2, nil
	}
	if c, ok := world.CountryByTranslation(text); ok {
		return c.Alpha2, nil
	}
	if folded := world.Fold(text); folded == "kosovo" || folded == "xk" {
		return "", errors.New("there is no code for Kosovo in ISO 3166-1, so that no zone can name it: leave its lines out")
	}
	return "", fmt.Errorf("%.40q is no country", text)
}

// Places are the countries and groups of countries that a text lists; none where a part of it is something else.
func Places(text string) (list []string) {
	if text == "" || len(text) > maxPlaces {
		return nil
	}
	for _, one := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(",;/|·\n&", r) }) {
		one = strings.TrimSpace(strings.Trim(strings.TrimSpace(one), "."))
		one = restOf.ReplaceAllString(one, "")
		if one == "" {
			continue
		}
		if part, err := Country(one); err == nil && (len(one) > 3 ||
			one == strings.ToUpper(one)) { // kg is no Kyrgyzstan
			list = append(list, part)
			continue
		}
		if g, ok := Group(one); ok {
			list = append(list, g)
			continue
		}
		if parts := joined.Split(one, -1); len(parts) > 1 { // "Sweden and Norway"
			more := Places(strings.Join(parts, ";"))
			if len(more) == 0 {
				return nil
			}
			list = append(list, more...)
			continue
		}
		both := strings.Split(one, " ") // "FI SE DK"
		if len(both) < 2 {
			return nil
		}
		for _, code := range both {
			c, ok := world.CountryByCode(code)
			if !ok || code != c.Alpha2 {
				return nil
			}
			list = append(list, c.Alpha2)
		}
	}
	return list
}

// joined are the words that join places, in the languages of the lists that are read.
var joined = regexp.MustCompile(`(?i)\s+(?:and|und|et|y|e|ja|och|og|\+)\s+|\s*\+\s*`)

// maxPlaces is the longest list of places in a cell, in bytes.
const maxPlaces = 4000

// restOf is what stands before a group whose other parts have prices of their own: the most specific zone counts
// anyway.
var restOf = regexp.MustCompile(`(?i)^(?:(?:the )?(?:rest|remainder) of (?:the )?|other |[uü]brige[s]? |` +
	`restliche[s]? |` +
	`reste de l['’]|autres pays de l['’]|resto de la |muu |muut |[oö]vriga )`)

// union are the names of the European Union and of its countries, folded.
var union = []string{"eu", "ue", "european union", "eu countries", "eu member states", "eu zone", "europaische union",
	"eu-lander", "eu lander", "eu-staaten", "union europeenne", "pays de l'ue", "pays ue", "union europea", "paises ue",
	"paises de la ue", "euroopan unioni", "eu-maat", "eu maat", "europeiska unionen"}

// Group is the name of a group of countries, such as the EU.
func Group(text string) (string, bool) {
	if slices.Contains(union, world.Fold(text)) {
		return "EU", true
	}
	if g, ok := world.GroupByName(text); ok {
		return g.Name, true
	}
	return "", false
}

// trade are groups of countries as the trade names them, folded. Benelux: the treaty of 1958; EFTA and the European
// Economic Area: their agreements; Schengen: the 29 states of 2025; the Gulf Cooperation Council: its charter of 1981;
// the others are common practice, no source. All from memory.
var trade = map[string][]string{
	"benelux":                {"BE", "NL", "LU"},
	"baltics":                {"EE", "LV", "LT"},
	"baltic states":          {"EE", "LV", "LT"},
	"baltic countries":       {"EE", "LV", "LT"},
	"baltikum":               {"EE", "LV", "LT"},
	"baltia":                 {"EE", "LV", "LT"},
	"baltian maat":           {"EE", "LV", "LT"},
	"pays baltes":            {"EE", "LV", "LT"},
	"nordics":                {"DK", "FI", "IS", "NO", "SE"},
	"nordic countries":       {"DK", "FI", "IS", "NO", "SE"},
	"norden":                 {"DK", "FI", "IS", "NO", "SE"},
	"pohjoismaat":            {"DK", "FI", "IS", "NO", "SE"},
	"scandinavia":            {"DK", "NO", "SE"},
	"skandinavien":           {"DK", "NO", "SE"},
	"dach":                   {"DE", "AT", "CH"},
	"d-a-ch":                 {"DE", "AT", "CH"},
	"iberia":                 {"ES", "PT"},
	"iberian peninsula":      {"ES", "PT"},
	"british isles":          {"GB", "IE", "IM", "JE", "GG"},
	"efta":                   {"IS", "LI", "NO", "CH"},
	"eea":                    {"EU", "IS", "LI", "NO"},
	"ewr":                    {"EU", "IS", "LI", "NO"},
	"european economic area": {"EU", "IS", "LI", "NO"},
	"gcc":                    {"AE", "BH", "KW", "OM", "QA", "SA"},
	"gulf states":            {"AE", "BH", "KW", "OM", "QA", "SA"},
	"schengen": {"AT", "BE", "BG", "HR", "CZ", "DK", "EE", "FI", "FR", "DE", "GR", "HU", "IS", "IT", "LV", "LI", "LT",
		"LU", "MT",
		"NL", "NO", "PL", "PT", "RO", "SK", "SI", "ES", "SE", "CH"},
}

// Trade are the countries, or groups of them, of a group that the trade names, such as the Nordics; none for another
// text.
func Trade(text string) []string { return trade[world.Fold(strings.TrimSpace(text))] }

var (
	shortRange = regexp.MustCompile(`^([0-9A-Za-z]{1,10})\s*[-–—]\s*([0-9A-Za-z]{1,10})$`)
	// dutchRange is a range of codes of the Netherlands with their letters: "3511 AA–3514 ZZ".
	dutchRange = regexp.MustCompile(`^([0-9]{4}) ?([A-Za-z]{2})\s*[-–—]\s*([0-9]{4}) ?([A-Za-z]{2})$`)
	// numbered are routing keys of Ireland with the same letter: "D01-D24".
	numbered = regexp.MustCompile(`^([A-Za-z]{1,2})([0-9]{1,2})\s*[-–—]\s*([A-Za-z]{1,2})?([0-9]{1,2})$`)
	// canadian is the beginning of a code of Canada.
	canadian = regexp.MustCompile(`^[A-Za-z](?:[0-9][A-Za-z]?)?$`)
	// placeholders stand for any digits at the end of a code: "18xxx".
	placeholders = regexp.MustCompile(`([0-9])[xX#?]+$`)
)

// maxNumbered is how many keys a range of them may have.
const maxNumbered = 99

// routing are the keys of a range of numbers behind the same letters; none for another text.
func routing(one string) (list []string) {
	m := numbered.FindStringSubmatch(one)
	if m == nil || m[3] != "" && !strings.EqualFold(m[1], m[3]) {
		return nil
	}
	first, err := strconv.Atoi(m[2])
	last, wrong := strconv.Atoi(m[4])
	if err != nil || wrong != nil || last < first || last-first > maxNumbered {
		return nil
	}
	width := 0
	if m[2][0] == '0' {
		width = len(m[2])
	}
	for n := first; n <= last; n++ {
		list = append(list, fmt.Sprintf("%s%0*d", strings.ToUpper(m[1]), width, n))
	}
	return list
}

// Codes is a list of codes as the reader of places has them: "01–09" of a country of five digits is
// "01000 to 09999", "10*" and "10%" what begins with 10. A text that is none stays as it is.
func Codes(text, country string) string {
	var list []string
	for _, one := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(",;|", r) }) {
		one = strings.TrimSpace(one)
		if many := routing(one); len(many) > 0 && country == "IE" {
			for _, d := range many {
				list = append(list, d+"*")
			}
			continue
		}
		list = append(list, codeOf(one, country))
	}
	return strings.Join(list, ", ")
}

func codeOf(one, country string) string {
	one = placeholders.ReplaceAllString(one, "$1*")
	one = strings.ReplaceAll(strings.ReplaceAll(one, "%", "*"), "xx", "*")
	switch {
	case country == "CA" && canadian.MatchString(one):
		return one + "*"
	case country == "GB" && numbered.MatchString(one):
		return strings.Join(strings.FieldsFunc(one, func(r rune) bool { return strings.ContainsRune(" -–—", r) }), " to ")
	case country == "NL":
		if m := dutchRange.FindStringSubmatch(one); m != nil && strings.EqualFold(m[2]+m[4], "aazz") { // all of their letters
			one = m[1] + "-" + m[3]
		}
		if m := shortRange.FindStringSubmatch(one); m != nil && isDigits(m[1]) && isDigits(m[2]) && len(m[1]) == 4 &&
			len(m[2]) == 4 &&
			m[1] <= m[2] {
			return strings.Join(beginnings(m[1], m[2]), "*, ") + "*"
		}
		if isDigits(one) && len(one) <= 4 {
			return one + "*"
		}
	}
	length, digits := postcode.AllDigits(country)
	m := shortRange.FindStringSubmatch(one)
	switch {
	case m != nil && digits && isDigits(m[1]) && isDigits(m[2]) && len(m[1]) == len(m[2]) && len(m[1]) < length:
		pad := length - len(m[1])
		return m[1] + strings.Repeat("0", pad) + " to " + m[2] + strings.Repeat("9", pad)
	case m != nil && len(m[1]) == len(m[2]) && strings.ContainsAny(m[1], "0123456789"):
		return m[1] + " to " + m[2]
	case digits && isDigits(one) && len(one) < length:
		return one + "*"
	}
	return one
}

// beginnings are the fewest beginnings of numbers of the same length that make a range of them: 1790 to 1802 are 179,
// 1800, 1801 and 1802.
func beginnings(from, to string) (list []string) {
	if from == "" || strings.Trim(from, "0") == "" && strings.Trim(to, "9") == "" {
		return []string{""}
	}
	for d := from[0]; d <= to[0]; d++ {
		low, high := strings.Repeat("0", len(from)-1), strings.Repeat("9", len(to)-1)
		if d == from[0] {
			low = from[1:]
		}
		if d == to[0] {
			high = to[1:]
		}
		for _, rest := range beginnings(low, high) {
			list = append(list, string(d)+rest)
		}
	}
	return list
}

func isDigits(text string) bool { return text != "" && strings.Trim(text, "0123456789") == "" }

// Within is what is narrowest of a country (alpha-2): codes, a town, a region; each "" or a word for any where it is
// not said.
func Within(country, region, city, codes string) string {
	if !Wild(codes) {
		var list []string
		for _, one := range strings.Split(Codes(codes, country), ", ") {
			list = append(list, country+" "+one)
		}
		return strings.Join(list, ", ")
	}
	in := country
	if !Wild(region) {
		in = Region(country, region)
	}
	switch {
	case Wild(city):
		return in
	case in == country:
		return country + " town " + city
	}
	return in + " " + city
}

// NoRegion says why a region is none of a country, beside codes that it would be passed over for; "" where it is one, or
// none is named.
func NoRegion(country, region string) string {
	if Wild(region) {
		return ""
	}
	if _, known := world.RegionByCode(country, Region(country, region)); known {
		return ""
	}
	return fmt.Sprintf("%.40q is no region of %s", region, world.CountryName(country))
}

// Region is the ISO 3166-2 code of a region by its name or code.
func Region(country, region string) string {
	if r, ok := world.RegionByCode(country, region); ok {
		return r.Code
	}
	named := world.RegionsByName(country, region)
	whole := slices.DeleteFunc(slices.Clone(named), func(r world.Region) bool { // a part of the other that has its name
		return slices.ContainsFunc(named, func(o world.Region) bool { return o.Code == r.Parent })
	})
	if len(whole) == 1 {
		return whole[0].Code
	}
	return country + "-" + region
}
