package sheet

import (
	"regexp"
	"strings"

	"golang.org/x/text/width"
)

// wide are runs of the wide forms of letters, digits and signs that East Asian programs write, and of the digits and
// signs of numbers in Arabic and Persian text.
var wide = regexp.MustCompile(`[\x{ff01}-\x{ff5e}\x{0660}-\x{0669}\x{06f0}-\x{06f9}\x{066a}-\x{066c}]+`)

// PlainDigits writes numbers with the digits 0 to 9: those of wide forms, with the unit behind them, and those of Arabic
// and Persian text. Words in wide letters stay as they are.
func PlainDigits(text string) string {
	if !strings.ContainsFunc(text, func(r rune) bool { return r >= 0x660 && r <= 0x6f9 || r >= 0xff01 && r <= 0xff5e }) {
		return text
	}
	return wide.ReplaceAllStringFunc(text, func(run string) string {
		number := false
		plain := strings.Map(func(r rune) rune {
			switch {
			case r >= 0x660 && r <= 0x669:
				r = r - 0x660 + '0'
			case r >= 0x6f0 && r <= 0x6f9:
				r = r - 0x6f0 + '0'
			case r == 0x66a:
				r = '%'
			case r == 0x66b: // the decimal separator of Arabic
				r = '.'
			case r == 0x66c: // and what parts its thousands
				r = ','
			default:
				if narrow := []rune(width.Narrow.String(string(r))); len(narrow) == 1 {
					r = narrow[0]
				}
			}
			number = number || r >= '0' && r <= '9'
			return r
		}, run)
		if !number {
			return run
		}
		return plain
	})
}
