package charge_test

import (
	"fmt"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/rate"
)

// A charge is read as people write it, and written back in its one canonical form.
func ExampleParse() {
	words := charge.Words{Units: rate.Units{Digits: 2, Weight: "kg", Distance: "km"}, Currency: "EUR"}
	for _, typed := range []string{"€3 + 1,00 per item", "9.90 + .80 per started kg above 10", "Free", "5 $", "1,200"} {
		c, err := charge.Parse(typed, words)
		if err != nil {
			fmt.Println(err)
			continue
		}
		fmt.Println(charge.Format(c, words))
	}
	// Output:
	// 3.00 + 1.00 per item
	// write the 0 before the point: 0.80?
	// free
	// "$" does not belong here
	// a comma with three digits behind it may part thousands; write 1200 or 1.200
}
