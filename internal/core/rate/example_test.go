package rate_test

import (
	"fmt"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
)

// A row that reaches up to 2 kg includes 2 kg; a started kilogram counts whole.
func ExampleTable_Price() {
	two, base, perKilo := decimal.FromInt(2), decimal.MustParse("6.90"), decimal.MustParse("0.80")
	table := rate.Table{
		By: rate.ByWeight, Edges: rate.UpTo, Zones: []string{"finland"},
		Rows: []rate.Row{
			{At: &two, Charges: []*rate.Charge{{Base: &base}}},
			{Charges: []*rate.Charge{{
				Base: &base, PerWeight: &rate.PerUnit{Amount: perKilo, Above: &two, Started: true},
			}}},
		},
	}
	for _, weight := range []string{"2", "2.001", "4"} {
		amount, row, _ := table.Price(0, &rate.Goods{Weight: decimal.MustParse(weight)})
		fmt.Printf("%s kg: %s from row %d\n", weight, amount.Fixed(2), row+1)
	}
	// Output:
	// 2 kg: 6.90 from row 1
	// 2.001 kg: 7.70 from row 2
	// 4 kg: 8.50 from row 2
}
