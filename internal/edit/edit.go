// Package edit has the edits of a store file that owners make: functions that change a file, or say in
// words why they cannot. Whoever calls them gives them a copy; a file that an error comes back for is not
// to be used.
package edit

import (
	"errors"
	"fmt"
	"regexp"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// Problem is why an edit cannot be made, in words for the owner.
type Problem struct{ Text string }

// Error says what is wrong.
func (e *Problem) Error() string { return e.Text }

// Problemf makes a [*Problem].
func Problemf(format string, args ...any) error { return &Problem{fmt.Sprintf(format, args...)} }

// Conflict is the error of an edit of what somebody else changed meanwhile: Now is what it is by now, as
// the screens write it.
type Conflict struct{ Now string }

// Error says what is wrong.
func (e *Conflict) Error() string {
	now := e.Now
	if now == "" {
		now = "nothing"
	}
	return "this was changed to " + now + " in another window meanwhile; press Enter again to set yours"
}

// Unit is the unit of what a table of the file measures: the currency for sums, "items" for numbers, ""
// for tables by order.
func Unit(f *store.File, by rate.By) string {
	switch by {
	case rate.ByWeight, rate.ByBilled:
		return f.Store.WeightUnit
	case rate.ByDistance:
		return f.Store.DistanceUnit
	case rate.BySubtotal:
		return f.Store.Currency
	case rate.ByQuantity:
		return "items"
	}
	return ""
}

// maxBreak is the longest text that is read as a break point, in bytes.
const maxBreak = 40

// otherUnit is a number with letters behind it: where it is no break point it has another unit than the list.
var otherUnit = regexp.MustCompile(`^[0-9]+(?:[.,][0-9]+)? ?\pL+$`)

// ParseBreak reads a break point as it is typed: a number of 0 or more, with its unit or without.
func ParseBreak(typed, unit string) (*decimal.Decimal, error) {
	text := strings.TrimSpace(typed)
	if len(text) > maxBreak {
		return nil, Problemf("that is too long for a break point")
	}
	d, err := measure.Number(strings.TrimPrefix(text, "-"), unit)
	switch {
	case strings.HasPrefix(text, "-"):
		return nil, Problemf("a break point cannot be below 0")
	case errors.Is(err, decimal.ErrLong), err != nil && strings.Contains(text, ","):
		return nil, Problemf("%s", err.Error())
	case err != nil && unit != "" && otherUnit.MatchString(text):
		return nil, Problemf("this list is in %s: write %s in %s, as a number alone", unit, text, unit)
	case err != nil:
		return nil, Problemf("%q is not a number: write the break point as 5 or 2.5", text)
	}
	return &d, nil
}

// AtText writes a break point as [Row] finds it; "" for none.
func AtText(at *decimal.Decimal) string {
	if at == nil {
		return ""
	}
	return at.String()
}
