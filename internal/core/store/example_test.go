package store_test

import (
	"fmt"

	"diadrom/internal/core/store"
)

// Every fault of a file is told at once, with the path to it.
func ExampleRead() {
	_, faults := store.Read([]byte(`{
		"format": "diadrom-store/1",
		"store": {"name": "Small shop", "currency": "EUR"},
		"zones": [{"id": "home", "places": [{"country": "FI", "postcodes": ["2110"]}]}],
		"methods": [{"id": "post", "nmae": "Parcel"}]
	}`))
	for _, f := range faults {
		fmt.Println(f.Path, f.Code)
	}
	// Output:
	// /zones/0/places/0/postcodes/0 place
	// /methods/0/nmae unknown_field
}
