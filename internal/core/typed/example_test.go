package typed_test

import (
	"fmt"
	"strings"

	"diadrom/internal/core/typed"
)

// Places are read as they are typed; what is not understood is told, and is in no rule.
func ExampleReader_Text() {
	read := typed.Reader{Home: "FI"}.Text("21160 to 21190, EE, not FI 21180, 1234")
	for i := range read.Places {
		fmt.Println("takes", strings.Join(read.Places[i].Words(), ", "))
	}
	for i := range read.Except {
		fmt.Println("but not", strings.Join(read.Except[i].Words(), ", "))
	}
	for _, slip := range read.Slips {
		fmt.Println(slip)
	}
	// Output:
	// takes FI 21160 to 21190
	// takes Estonia
	// but not FI 21180
	// 1234 is not a whole postcode of Finland (5 digits): 1234* takes all that begin so
}
