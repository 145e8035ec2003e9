// Package demo has the demo shop "Lauha", a made-up maker of sauna goods in Naantali, Finland: its store file,
// sample carts and usual destinations, with the list of Finnish places that comes with Diadrom. The shop and its
// prices are invented.
package demo

import (
	"context"
	_ "embed"
	"encoding/json"
	"fmt"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/place"
	"diadrom/internal/core/store"
	"diadrom/internal/review/promise"
	"diadrom/internal/shop/importer"
	"diadrom/internal/shop/shipped"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/addresslist"
)

//go:embed data/store.json
var storeJSON []byte

//go:embed data/carts.json
var cartsJSON []byte

//go:embed data/promises.json
var promisesJSON []byte

// Store is the demo shop's store file.
func Store() (*store.File, error) {
	f, faults := store.Read(storeJSON)
	if len(faults) > 0 {
		return nil, faults
	}
	return f, nil
}

// Gazetteer lists the places of Finland.
func Gazetteer() (*gazetteer.Gazetteer, error) {
	_, list, _ := shipped.Open("FI")
	g, skipped, err := gazetteer.Read(list)
	if err == nil && len(skipped) > 0 {
		err = fmt.Errorf("gazetteer: %w", skipped[0])
	}
	return g, err
}

// known are invented places and customers of the shop.
var known = []addresslist.Entry{
	{Name: "Hotel Luotsi", Customer: "C-1007", Address: place.Address{Country: "FI", Postcode: "21100",
		City: "Naantali", Street: "Laiturikuja 4"}},
	{Name: "Bathhouse Kaarna", Address: place.Address{Country: "FI", Postcode: "00100", City: "Helsinki",
		Street: "Saunaportti 1"}},
	{Name: "Guesthouse Ranta", Address: place.Address{Country: "FI", Postcode: "22100", City: "Mariehamn",
		Street: "Strandstigen 9"}},
}

// Fill puts the list of Finnish places, the address book, the promises, the sample carts and destinations into a shop
// whose folder is dir, and the first of each into the Till.
func Fill(ctx context.Context, db *sqlite.DB, dir string) error {
	in := importer.New(db, dir, "", func(*gazetteer.Gazetteer) {})
	name, places, _ := shipped.Open("FI")
	if _, err := in.Import(ctx, name, places, func(sqlite.PlaceList) {}); err != nil {
		return err
	}
	var samples struct {
		Carts        []sqlite.SampleCart `json:"carts"`
		Destinations []string            `json:"destinations"`
	}
	if err := json.Unmarshal(cartsJSON, &samples); err != nil {
		return err
	}
	if err := db.SaveSamples(ctx, samples.Carts, samples.Destinations); err != nil {
		return err
	}
	list, faults := promise.Read(promisesJSON)
	if len(faults) > 0 {
		return faults
	}
	kept := make([]sqlite.KeptPromise, len(list))
	for i := range list {
		body, err := json.Marshal(list[i])
		if err != nil {
			return err
		}
		kept[i] = sqlite.KeptPromise{ID: list[i].ID, Body: body}
	}
	if err := db.AddPromises(ctx, kept...); err != nil {
		return err
	}
	if err := db.SaveBook(ctx, known); err != nil {
		return err
	}
	return db.SaveTill(ctx, sqlite.Till{Cart: samples.Carts[0].Lines, Destination: samples.Destinations[0]})
}
