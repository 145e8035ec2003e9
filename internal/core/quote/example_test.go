package quote_test

import (
	"fmt"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
)

// A store is compiled once and quoted from as often as one likes, by any number of goroutines.
func ExampleEngine_Quote() {
	file, faults := store.Read([]byte(`{
		"format": "diadrom-store/1",
		"store": {"name": "Small shop", "currency": "EUR", "weight_unit": "kg"},
		"zones": [{"id": "finland", "name": "Finland", "places": [{"country": "FI"}]}],
		"methods": [{"id": "post", "name": "Parcel", "label": "Parcel to your door", "tables": [{
			"id": "list", "name": "Price list", "zones": ["finland"], "by": "weight", "edges": "up_to",
			"rows": [{"at": "2", "charges": ["6.90"]}, {"at": "10", "charges": ["9.90"]}]
		}]}]
	}`))
	if len(faults) > 0 {
		fmt.Println(faults)
		return
	}
	engine := quote.Compile(file, nil)
	requests, _, faults := engine.ReadRequest([]byte(`[
		{"to": {"country": "FI"}, "lines": [{"price": "29.00", "weight": "1.2", "quantity": 2}]},
		{"to": {"country": "FI"}, "lines": [{"price": "29.00", "weight": "1.2", "quantity": 9}]}
	]`))
	if len(faults) > 0 {
		fmt.Println(faults)
		return
	}
	for i := range requests {
		answer := engine.Quote(&requests[i])
		for _, o := range answer.Options {
			fmt.Println(o.Label, o.Charge)
			for _, step := range o.Steps {
				fmt.Println(" ", step.Text, step.Amount)
			}
		}
		for _, r := range answer.Refused {
			fmt.Println(r.Method, r.Code+":", r.Reason)
		}
	}
	// Output:
	// Parcel to your door 9.90
	//   Price list, row up to and including 10 kg: 9.90 9.90
	// post no_rate: too heavy to Finland (10.8 kg, limit 10 kg)
}
