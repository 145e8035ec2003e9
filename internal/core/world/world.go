// Package world has the open data on countries, their regions, groups of countries, and currencies.
//
// Countries are ISO 3166-1 and regions ISO 3166-2 as Debian's iso-codes lists them; English names and the
// groups (UN M.49 regions and EU) are those of Unicode CLDR; minor digits of currencies are ISO 4217's, by way
// of bojanz/currency. The tables are embedded and refreshed by tools/refresh; third_party.json has versions,
// licences and checksums.
package world

import (
	_ "embed"
	"regexp"
	"slices"
	"strings"
	"sync"
	"unicode"

	"github.com/bojanz/currency"
	"golang.org/x/text/language"
	"golang.org/x/text/language/display"
	"golang.org/x/text/unicode/norm"
)

//go:embed data/countries.tsv
var countriesTSV string

//go:embed data/regions.tsv
var regionsTSV string

//go:embed data/groups.tsv
var groupsTSV string

//go:embed data/currencies.tsv
var currenciesTSV string

// Country is a country of ISO 3166-1.
type Country struct {
	Alpha2, Alpha3 string
	Name           string   // English, CLDR
	Also           []string // other English names: ISO's, CLDR's variants
}

// Region is a subdivision of ISO 3166-2.
type Region struct {
	Code    string // "FI-19"
	Name    string // English where CLDR has one
	Native  string // as ISO lists it
	Parent  string // the subdivision that it is part of, or ""
	Country string // alpha-2
}

// Group is a UN M.49 region or the EU.
type Group struct {
	Code      string // "150", "EU"
	Name      string
	Countries []string // alpha-2, sorted
}

var (
	countries     []Country
	countryByCode = map[string]int{}
	countryByName = map[string][]int{}
	regions       []Region
	regionByCode  = map[string]int{}
	regionByName  = map[string][]int{}
	groups        []Group
	groupByCode   = map[string]int{}
	groupByName   = map[string]int{}
	currencyNames = map[string]string{}
)

func init() {
	for f := range rows(countriesTSV) {
		c := Country{Alpha2: f[0], Alpha3: f[1], Name: f[3]}
		if f[4] != "" {
			c.Also = strings.Split(f[4], ";")
		}
		i := len(countries)
		countries = append(countries, c)
		countryByCode[c.Alpha2], countryByCode[c.Alpha3] = i, i
		for _, name := range append([]string{c.Name}, c.Also...) {
			countryByName[Fold(name)] = appendNew(countryByName[Fold(name)], i)
		}
	}
	for f := range rows(regionsTSV) {
		r := Region{Code: f[0], Name: f[1], Native: f[2], Parent: f[3], Country: f[0][:2]}
		i := len(regions)
		regions = append(regions, r)
		regionByCode[r.Code] = i
		names := []string{r.Name, r.Native}
		if first, second, two := strings.Cut(r.Native, " ["); two { // in two languages: "Illes Balears [Islas Baleares]"
			names = append(names, first, strings.TrimSuffix(second, "]"))
		}
		for _, name := range names {
			regionByName[Fold(name)] = appendNew(regionByName[Fold(name)], i)
		}
	}
	for f := range rows(groupsTSV) {
		g := Group{f[0], f[1], strings.Fields(f[2])}
		groupByCode[g.Code], groupByName[Fold(g.Name)] = len(groups), len(groups)
		groups = append(groups, g)
	}
	for f := range rows(currenciesTSV) {
		currencyNames[f[0]] = f[1]
	}
}

func rows(tsv string) func(yield func([]string) bool) {
	return func(yield func([]string) bool) {
		for line := range strings.Lines(tsv) {
			if !yield(strings.Split(strings.TrimSuffix(line, "\n"), "\t")) {
				return
			}
		}
	}
}

func appendNew(list []int, i int) []int {
	if slices.Contains(list, i) {
		return list
	}
	return append(list, i)
}

// Countries lists all countries by alpha-2 code; the caller must not change it.
func Countries() []Country { return countries }

// CountryByCode finds a country by its alpha-2 or alpha-3 code, in any case.
func CountryByCode(code string) (Country, bool) {
	i, ok := countryByCode[code]
	if !ok {
		if i, ok = countryByCode[strings.ToUpper(code)]; !ok {
			return Country{}, false
		}
	}
	return countries[i], true
}

// CountriesByName finds the countries that an English name stands for; case and accents do not matter.
func CountriesByName(name string) []Country {
	folded := strings.TrimPrefix(Fold(name), "the ")
	if code, ok := otherNames[folded]; ok && len(countryByName[folded]) == 0 {
		c, _ := CountryByCode(code)
		return []Country{c}
	}
	return pick(countries, countryByName[folded])
}

// CountryByTranslation finds the country that a German, French, Spanish, Finnish or Swedish name stands for; case and
// accents do not matter.
func CountryByTranslation(name string) (Country, bool) {
	code := translated()[Fold(name)]
	if code == "" {
		return Country{}, false
	}
	return CountryByCode(code)
}

// translated are the codes of countries by their folded names in the other languages that price lists come in (German,
// French, Spanish, Finnish, Swedish), as Unicode CLDR has them by way of golang.org/x/text. A name that stands for two
// countries is left out.
var translated = sync.OnceValue(func() map[string]string {
	names := map[string]string{ // that CLDR does not list (from memory)
		"grossbritannien": "GB", "storbritannien": "GB", "iso-britannia": "GB", "gran bretana": "GB",
		"grande-bretagne": "GB", "tschechische republik": "CZ", "slowakische republik": "SK",
		"republique tcheque": "CZ",
		"republica checa":    "CZ", "tjeckiska republiken": "CZ", "france metropolitaine": "FR",
	}
	for _, l := range []language.Tag{language.German, language.French, language.Spanish, language.Finnish,
		language.Swedish} {
		namer := display.Regions(l)
		for i := range countries {
			region, err := language.ParseRegion(countries[i].Alpha2)
			if err != nil {
				continue
			}
			name := Fold(namer.Name(region))
			if other, twice := names[name]; twice && other != countries[i].Alpha2 {
				names[name] = ""
				continue
			}
			names[name] = countries[i].Alpha2
		}
	}
	return names
})

// otherNames are common English names of countries, folded, that neither CLDR nor ISO 3166-1 lists (from memory).
var otherNames = map[string]string{
	"great britain":            "GB",
	"britain":                  "GB",
	"u.k.":                     "GB",
	"uk":                       "GB",
	"u.s.":                     "US",
	"u.s.a.":                   "US",
	"america":                  "US",
	"united states of america": "US",
	"holland":                  "NL",
	"czech republic":           "CZ",
	"republic of ireland":      "IE",
	"eire":                     "IE",
	"burma":                    "MM",
	"swaziland":                "SZ",
	"macedonia":                "MK",
	"turkey":                   "TR",
	"ivory coast":              "CI",
	"cape verde":               "CV",
	"east timor":               "TL",
	"vatican":                  "VA",
	"south korea":              "KR",
	"north korea":              "KP",
	"russia":                   "RU",
	"uae":                      "AE",
	"emirates":                 "AE",
}

// CountryName is the English name of an alpha-2 code, or the code itself where there is none.
func CountryName(alpha2 string) string {
	if c, ok := CountryByCode(alpha2); ok {
		return c.Name
	}
	return alpha2
}

// RegionByCode finds a region by its ISO 3166-2 code, or by the part after the hyphen within a country (alpha-2).
func RegionByCode(country, code string) (Region, bool) {
	if i, ok := regionByCode[code]; ok && regions[i].Country == country {
		return regions[i], true
	}
	code = strings.ToUpper(strings.TrimSpace(code))
	for _, full := range []string{code, country + "-" + code} {
		if i, ok := regionByCode[full]; ok && regions[i].Country == country {
			return regions[i], true
		}
	}
	return Region{}, false
}

// RegionsByName finds the regions that a name, English or native, stands for; country may be "" for all.
func RegionsByName(country, name string) []Region {
	found := pick(regions, regionByName[Fold(name)])
	if country == "" {
		return found
	}
	return slices.DeleteFunc(found, func(r Region) bool { return r.Country != country })
}

// Regions lists the regions of a country.
func Regions(country string) []Region {
	from, _ := slices.BinarySearchFunc(
		regions,
		country+"-",
		func(r Region, code string) int { return strings.Compare(r.Code, code) },
	)
	to := from
	for to < len(regions) && regions[to].Country == country {
		to++
	}
	return regions[from:to:to]
}

// AllRegions lists the regions of all countries by their codes; the caller must not change it.
func AllRegions() []Region { return regions }

// Groups lists all groups; the caller must not change it.
func Groups() []Group { return groups }

// GroupByCode finds a group by its code.
func GroupByCode(code string) (Group, bool) {
	i, ok := groupByCode[strings.ToUpper(code)]
	if !ok {
		return Group{}, false
	}
	return groups[i], true
}

// GroupByName finds a group by its English name.
func GroupByName(name string) (Group, bool) {
	i, ok := groupByName[Fold(name)]
	if !ok {
		return Group{}, false
	}
	return groups[i], true
}

// CurrencyDigits is the number of minor digits of an ISO 4217 currency that is in use; false for others.
func CurrencyDigits(code string) (int, bool) {
	digits, ok := currency.GetDigits(code)
	return int(digits), ok && currencyNames[code] != ""
}

// LanguageName is what a language (BCP 47) is called in English; the language as it is written where nobody knows.
func LanguageName(tag string) string {
	t, err := language.Parse(tag)
	if err != nil {
		return tag
	}
	if name := display.English.Tags().Name(t); name != "" {
		return name
	}
	return tag
}

// LanguageInItself is what a language (BCP 47) is called by those who speak it; "" where nobody knows.
func LanguageInItself(tag string) string {
	t, err := language.Parse(tag)
	if err != nil {
		return ""
	}
	return display.Self.Name(t)
}

// CountryIn is what a country is called in a language (CLDR); its English name where that is not known.
func CountryIn(tag language.Tag, code string) string {
	if region, err := language.ParseRegion(code); err == nil {
		if name := display.Regions(tag).Name(region); name != "" {
			return name
		}
	}
	return CountryName(code)
}

// PriceIn writes an amount as it is read in a language (CLDR): "38,00 €" in German.
func PriceIn(tag language.Tag, amount, code string) string {
	a, err := currency.NewAmount(amount, code)
	if err != nil {
		return amount
	}
	f := currency.NewFormatter(currency.NewLocale(tag.String()))
	f.MaxDigits = 12
	return f.Format(a)
}

// Price writes an amount as buyers read it in English: "€38.00", "¥500", "KWD 1.500". What is no amount stays
// as it is.
func Price(amount, code string) string {
	a, err := currency.NewAmount(amount, code)
	if err != nil {
		return amount
	}
	return english.Format(a)
}

// english writes amounts in English. It does not change, and is safe for many goroutines.
var english = func() *currency.Formatter {
	f := currency.NewFormatter(currency.NewLocale("en"))
	f.MaxDigits = 12
	return f
}()

// DeliveryPrice writes what delivery costs as people read it: "Free" for 0, else as Price does.
func DeliveryPrice(amount, code string) string {
	if a, err := currency.NewAmount(amount, code); err == nil && a.IsZero() {
		return "Free"
	}
	return Price(amount, code)
}

// signLocales are where the signs of currencies are looked up: "$" is the dollar of Canada in en-CA only.
var signLocales = []string{
	"en",
	"en-AU",
	"en-CA",
	"en-NZ",
	"en-SG",
	"es-MX",
	"de",
	"fr",
	"pl",
	"cs",
	"sv",
	"nb",
	"da",
	"tr",
	"zh",
	"zh-HK",
	"ja",
	"ko",
	"pt",
	"uk",
	"ru",
}

// NamesCurrency says whether a text names a currency, by its ISO 4217 code or by a sign that CLDR has for it in
// one of the languages that are looked at: "EUR", "€" and "Euro" the euro, "$" every dollar.
func NamesCurrency(text, code string) bool {
	if text = strings.TrimSpace(text); strings.EqualFold(text, code) {
		return text != ""
	}
	for _, locale := range signLocales {
		if sign, ok := currency.GetSymbol(code, currency.NewLocale(locale)); ok && sign == text {
			return true
		}
	}
	return text == "¥" && (code == "JPY" || code == "CNY") || code == "EUR" &&
		(strings.EqualFold(text, "euro") || strings.EqualFold(text, "euros"))
}

var codeWord = regexp.MustCompile(`\b[A-Za-z]{3}\b`)

// CurrencyIn is the first code of ISO 4217 among the words of a text, "" where there is none. English words
// that are codes too (all, try, top) count only in capitals.
func CurrencyIn(text string) string {
	for _, word := range codeWord.FindAllString(text, -1) {
		code := strings.ToUpper(word)
		if currencyNames[code] != "" &&
			(word == code || !slices.Contains([]string{"ALL", "CUP", "MOP", "TOP", "TRY"}, code)) {
			return code
		}
	}
	return ""
}

// signWord is the sign of a currency with the letters before it: "$", "US$".
var signWord = regexp.MustCompile(`[A-Z]{0,3}\p{Sc}`)

// OtherCurrency is what in a text names another currency than that of a code: "USD", "US$", "£"; "" where nothing
// does.
func OtherCurrency(text, code string) string {
	if named := CurrencyIn(text); named != "" {
		if named == code {
			return ""
		}
		return named
	}
	for _, sign := range signWord.FindAllString(text, -1) {
		if !NamesCurrency(sign, code) {
			return sign
		}
	}
	return ""
}

// CurrencyName is ISO's name of a currency.
func CurrencyName(code string) string { return currencyNames[code] }

func pick[T any](list []T, at []int) []T {
	out := make([]T, len(at))
	for i, j := range at {
		out[i] = list[j]
	}
	return out
}

// letters that Unicode does not decompose into a base letter and an accent.
var undecomposed = strings.NewReplacer(
	"ß",
	"ss",
	"æ",
	"ae",
	"œ",
	"oe",
	"ø",
	"o",
	"đ",
	"d",
	"ð",
	"d",
	"þ",
	"th",
	"ł",
	"l",
	"ħ",
	"h",
	"ı",
	"i",
	"ŋ",
	"n",
	"’",
	"'",
)

// Fold makes names comparable: without case and accents, with single spaces.
func Fold(name string) string {
	if isFolded(name) {
		return name
	}
	decomposed := norm.NFD.String(strings.ToLower(name))
	bare := strings.Map(func(r rune) rune {
		if unicode.Is(unicode.Mn, r) {
			return -1
		}
		return r
	}, decomposed)
	return strings.Join(strings.Fields(undecomposed.Replace(bare)), " ")
}

func isFolded(s string) bool {
	for i := range len(s) {
		if c := s[i]; c < 'a' || c > 'z' {
			return false
		}
	}
	return true
}
