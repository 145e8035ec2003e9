package ratelist

import (
	"errors"
	"fmt"

	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
)

// zeros looks at codes of a country that have one digit less than it writes: a program that takes codes for numbers
// loses the zero that they begin with. A number of a workbook has lost it.
func (o *opening) zeros(l *list, row *grid.Row, country, codes string) (string, error) {
	short, out := destination.LostZeros(country, codes)
	if short == "" {
		return codes, nil
	}
	number := false
	for _, f := range []Field{Postcode, CodeFrom} {
		if at := l.mapping.at(f); at >= 0 && row.Cells[at].Number {
			number = true
		}
	}
	switch {
	case number, o.c.Zeros == destination.ZerosLost:
		o.found("Postcodes of %s that had lost their leading zero have it again: 0%s.", country, short)
		return out, nil
	case o.c.Zeros == destination.ZerosNone:
		return codes, nil
	}
	o.askZero(row.Line, country, short)
	return "", errors.New("postcode: " + short + " has too few digits")
}

// askZero asks what a code is that is shorter than its country writes it.
func (o *opening) askZero(line int, country, short string) {
	o.asks.AddOnce(AskZero,
		fmt.Sprintf("Line %d has the code %s, but codes of %s have %d digits. Is it 0%s, or all codes that begin with %s?",
			line, short, country, len(short)+1, short, short))
}
