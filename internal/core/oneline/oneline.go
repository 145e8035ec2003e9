// Package oneline reads names and notes that are typed: one line of characters that can be seen.
package oneline

import (
	"errors"
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Read joins the words of a text with single spaces; line ends part words like spaces. A control character, and
// one that turns the direction of what stands around it, is an error that names it: such a character hides what
// a name really is. Joiners, which some scripts need, are kept.
func Read(text string) (string, error) {
	if !utf8.ValidString(text) {
		return "", errors.New("this is not UTF-8 text: type it anew")
	}
	for _, r := range text {
		if Hidden(r) {
			return "", fmt.Errorf(
				"there is a character in it that cannot be seen (U+%04X): type it anew without",
				r,
			)
		}
	}
	return strings.Join(strings.Fields(text), " "), nil
}

// Hidden says whether a character cannot stand in a name: a control character other than a space or a line end,
// a space or joiner without width (U+200B, U+2060, U+FEFF), or one of Unicode's explicit directional formatting
// characters (UAX #9, section 2). The joiners that Persian and emoji need (U+200C, U+200D) may stand.
func Hidden(r rune) bool {
	switch {
	case unicode.IsSpace(r):
		return false
	case r >= 0x202A && r <= 0x202E,
		r >= 0x2066 && r <= 0x2069,
		r == 0x200E,
		r == 0x200F,
		r == 0x061C,
		r == 0x200B, r == 0x2060, r == 0xFEFF,
		r == 0xFFFE:
		return true
	}
	return unicode.IsControl(r)
}

// Is says whether a text may stand as it is where one line is wanted: [Read] gives it back, or would but for spaces within
// it.
func Is(text string) bool {
	_, err := Read(text)
	return err == nil && text == strings.TrimSpace(text) && !strings.ContainsFunc(text, func(r rune) bool {
		return unicode.IsSpace(r) && unicode.Is(unicode.Cc, r) || r == 0x2028 || r == 0x2029 || r == 0x85
	})
}
