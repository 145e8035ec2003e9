package destination

import (
	"regexp"
	"strings"

	"diadrom/internal/core/postcode"
)

// Zeros say what codes are that have one digit less than their country writes.
type Zeros string

// What such codes are.
const (
	ZerosAsked Zeros = ""       // nobody has said: it is asked
	ZerosLost  Zeros = "lost"   // a program has taken them for numbers: 1067 is 01067
	ZerosNone  Zeros = "prefix" // 1067 stands for all codes that begin so
)

// figures are numbers that stand by themselves.
var figures = regexp.MustCompile(`\b[0-9]+\b`)

// LostZeros looks for codes of a country that have one digit less than it writes, because a program that takes codes for
// numbers loses the zero that they begin with. It gives the first of them, "" where there is none, and the codes with
// their zeros.
func LostZeros(country, codes string) (short, whole string) {
	length, digits := postcode.AllDigits(country)
	if !digits || length < 4 || Wild(codes) {
		return "", codes
	}
	whole = figures.ReplaceAllStringFunc(codes, func(one string) string {
		if len(one) != length-1 {
			return one
		}
		if short == "" {
			short = one
		}
		return "0" + one
	})
	if short == "" || strings.Contains(codes, short+"*") || strings.Contains(codes, short+"x") {
		return "", codes
	}
	return short, whole
}
