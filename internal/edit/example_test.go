package edit_test

import (
	"fmt"

	"diadrom/internal/core/rate"
	"diadrom/internal/edit"
)

// A new row costs what the row cost that covered it; a cell that somebody else changed meanwhile stays as they left it.
func ExampleSetCell() {
	f, _, list := shop(panics{}, rate.ByWeight, rate.UpTo, "2 | 6.90; 10 | 9.90")
	fmt.Println(edit.AddRow(f, list, "5 kg"), text(f, list))
	_, _, err := edit.SetCell(f, list, edit.Cell{At: "5", Zone: "a"}, "9.90", "8.40")
	fmt.Println(err, text(f, list))
	_, _, err = edit.SetCell(f, list, edit.Cell{At: "5", Zone: "a"}, "9.90", "7.90")
	fmt.Println(err)
	// Output:
	// <nil> 2 | 6.90; 5 | 9.90; 10 | 9.90
	// <nil> 2 | 6.90; 5 | 8.40; 10 | 9.90
	// this was changed to 8.40 in another window meanwhile; press Enter again to set yours
}

// panics is what an example has in place of a test.
type panics struct{}

func (panics) Errorf(format string, args ...any) { panic(fmt.Sprintf(format, args...)) }
func (panics) FailNow()                          { panic("failed") }
