// Package plural has counts agree with their nouns: "1 change", "2 changes", "1,234 codes".
package plural

import (
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Noun is a regular noun in the form that agrees with a number.
func Noun(n int64, noun string) string {
	if n == 1 {
		return noun
	}
	return noun + "s"
}

// Count writes a number with thousands apart and the noun that it counts.
func Count(n int, noun string) string { return Number(n) + " " + Noun(int64(n), noun) }

// Number writes a number with thousands apart: "1,234".
func Number(n int) string {
	s := strconv.Itoa(n)
	least := 3
	if n < 0 {
		least++
	}
	for i := len(s) - 3; i > least-3; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// Few lists up to five names, and says how many more there are of many.
func Few(names []string) string {
	if len(names) > 5 {
		return strings.Join(names[:5], ", ") + " and " + strconv.Itoa(len(names)-5) + " more"
	}
	return strings.Join(names, ", ")
}

// Sentence begins a text with a capital letter.
func Sentence(text string) string {
	first, size := utf8.DecodeRuneInString(text)
	return string(unicode.ToUpper(first)) + text[size:]
}
