package ratelist

import (
	"errors"
	"fmt"
	"strings"

	"diadrom/internal/core/postcode"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
)

// Zeros say what codes are that have one digit less than their country writes.
type Zeros string

// What such codes are.
const (
	ZerosAsked Zeros = ""       // nobody has said: it is asked
	ZerosLost  Zeros = "lost"   // a program has taken them for numbers: 1067 is 01067
	ZerosNone  Zeros = "prefix" // 1067 stands for all codes that begin so
)

// zeros looks at codes of a country that have one digit less than it writes: a program that takes codes for numbers
// loses the zero that they begin with. A number of a workbook has lost it.
func (o *opening) zeros(l *list, row *grid.Row, country, codes string) (string, error) {
	length, digits := postcode.AllDigits(country)
	if !digits || length < 4 || destination.Wild(codes) {
		return codes, nil
	}
	short := ""
	out := figures.ReplaceAllStringFunc(codes, func(one string) string {
		if len(one) != length-1 {
			return one
		}
		if short == "" {
			short = one
		}
		return "0" + one
	})
	if short == "" || strings.Contains(codes, short+"*") || strings.Contains(codes, short+"x") {
		return codes, nil
	}
	number := false
	for _, f := range []Field{Postcode, CodeFrom} {
		if at := l.mapping.at(f); at >= 0 && row.Cells[at].Number {
			number = true
		}
	}
	switch {
	case number, o.c.Zeros == ZerosLost:
		o.found("Postcodes of %s that had lost their leading zero have it again: 0%s.", country, short)
		return out, nil
	case o.c.Zeros == ZerosNone:
		return codes, nil
	}
	o.asks.AddOnce(AskZero,
		fmt.Sprintf("Line %d has the code %s, but codes of %s have %d digits. Is it 0%s, or all codes that begin with %s?",
			row.Line, short, country, length, short, short))
	return "", errors.New("postcode: " + short + " has too few digits")
}
