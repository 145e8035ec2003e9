// Package postcode reads postcodes and the entries by which a zone names them.
//
// Codes are compared without spaces, hyphens and case, a United States ZIP+4 by its first five digits. A
// country prefix that some write and some do not (LT-01100, FI-21100) is dropped where the rest is a code of
// that country.
//
// An entry is one of
//
//	21100             one code
//	22*               every code that begins so
//	20100 to 20999    both ends and what lies between (A–B on input)
//	BT                Great Britain: exactly that area: BT1 1AA, not B1 1AA
//	IM1               Great Britain: exactly that district: IM1 1AA, not IM10 1AA
//	BT1 to BT17       Great Britain: districts of one area
//
// The ends of a range have the same length and differ only in digits; the codes between them are those that
// have the same letters at the same places. A range of districts takes a district with a letter behind its
// number (EC1A) with that number. The areas and districts of Guernsey, Jersey and the Isle of Man, which share
// Great Britain's system, work alike.
//
// How each country writes its codes is open data, see [HasFormat].
package postcode

import (
	"fmt"
	"strings"

	"diadrom/internal/core/world"
)

// MaxLength is the largest number of letters and digits in a postcode.
const MaxLength = 12

// Key is a code packed so that keys sort as codes do and the codes with a common prefix are neighbours.
type Key uint64

// key packs code and fills up with pad (0 for the least, 36 for the greatest code that begins so).
func key(code string, pad uint64) Key {
	var k uint64
	for i := range MaxLength {
		o := pad
		if i < len(code) {
			o = ordinal(code[i])
		}
		k = k*37 + o
	}
	return Key(k)
}

// Code is a postcode as it is compared. The zero value is no code.
type Code struct {
	Text string // upper case, without spaces and hyphens
	Key  Key
}

// Read brings the postcode of an address into the form in which it is compared. It does not judge: a code that
// the country cannot have is still read, and taken by no entry that does not name it.
func Read(country, text string) Code {
	code := compared(country, text)
	if code == "" || len(code) > MaxLength {
		return Code{Text: code}
	}
	return Code{code, key(code, 0)}
}

// compared is a code as it is compared.
func compared(country, text string) string {
	code := clean(text)
	if code != "" && code[0] >= 'A' {
		code = withoutCountry(country, code)
	}
	if len(code) == 9 && zip[country] {
		code = code[:5]
	}
	return code
}

// clean drops spaces and hyphens and raises case.
func clean(text string) string {
	plain := true
	for i := range len(text) {
		if ordinal(text[i]) == 0 {
			plain = false
			break
		}
	}
	if plain {
		return text
	}
	return strings.Map(func(r rune) rune {
		switch {
		case r == '-' || r == ' ' || r == '\t' || r == '\u00a0' || r == '\u2011': // with the no-break space and hyphen
			return -1
		case r < 128:
			return rune(upper(byte(r)))
		}
		return r
	}, strings.TrimSpace(text))
}

// withoutCountry drops letters in front that only name the country.
func withoutCountry(country, code string) string {
	n := 0
	for n < len(code) && code[n] >= 'A' {
		n++
	}
	f := formats[country]
	if f == nil || n > 3 || !f.full(code[n:]) {
		return code
	}
	if code[:n] == country || f.full(code) {
		return code[n:]
	}
	return code
}

// Possible says whether the country can have such a code.
func Possible(country, text string) bool { return formatOf(country).full(compared(country, text)) }

type kind uint8

const (
	single kind = iota
	span        // a range of codes
	prefix
	district
	districts // a range of districts
	area
)

// Entry is one entry of a zone's list of codes.
type Entry struct {
	kind     kind
	from, to string // the code, the prefix, the area, the district, or both ends
	first    int    // districts: their numbers
	last     int
	codes    uint64
}

// ParseError says what is wrong with an entry, and what may have been meant.
type ParseError struct {
	Country, Text string
	Reason        string
}

// Error says what is wrong.
func (e *ParseError) Error() string { return e.Reason }

// ParseEntry reads an entry for a country (alpha-2). Its errors are of type [*ParseError].
func ParseEntry(country, text string) (Entry, error) {
	fail := func(format string, args ...any) (Entry, error) {
		return Entry{}, &ParseError{country, text, fmt.Sprintf(format, args...)}
	}
	trimmed := strings.TrimSpace(text)
	switch {
	case trimmed == "":
		return fail("an empty entry: write a code, a beginning such as 22*, or a range such as 20100 to 20999")
	case len(trimmed) > 60:
		return fail("%s… is too long for a postcode", firstRunes(trimmed, 20))
	}
	if from, to, ok := cutRange(trimmed); ok {
		return parseRange(country, from, to, fail)
	}
	if strings.Contains(trimmed, "*") {
		return parsePrefix(country, trimmed, fail)
	}
	code := compared(country, trimmed)
	f := formatOf(country)
	if f.full(code) {
		return Entry{kind: single, from: code, codes: 1}, nil
	}
	if british[country] {
		if isArea(f, code) {
			return Entry{kind: area, from: code, codes: areaCodes(f, code)}, nil
		}
		if isDistrict(f, code) {
			return Entry{kind: district, from: code, codes: inwardCodes}, nil
		}
	}
	if n := f.codes(code); n > 0 {
		return fail("%s is not a whole postcode of %s (%s): %s* takes all that begin so",
			trimmed, world.CountryName(country), Shape(country), code)
	}
	return fail(
		"%s cannot be a postcode of %s: they are %s",
		firstRunes(trimmed, 40),
		world.CountryName(country),
		Shape(country),
	)
}

// parsePrefix reads a beginning, such as 22*.
func parsePrefix(country, text string, fail func(string, ...any) (Entry, error)) (Entry, error) {
	start := clean(strings.TrimSuffix(text, "*"))
	switch {
	case start == "":
		return fail("* alone would be every code: name the country instead")
	case strings.Contains(start, "*"):
		return fail("a * may only stand at the end: %s", text)
	}
	n := formatOf(country).codes(start)
	if n == 0 {
		return fail("no postcode of %s begins with %s: they are %s", world.CountryName(country), start, Shape(country))
	}
	return Entry{kind: prefix, from: start, codes: n}, nil
}

func firstRunes(s string, n int) string {
	if r := []rune(s); len(r) > n {
		return string(r[:n])
	}
	return s
}

// cutRange splits "A to B" and "A–B".
func cutRange(text string) (from, to string, ok bool) {
	if from, to, ok = strings.Cut(text, "–"); ok {
		return from, to, true
	}
	if strings.IndexByte(text, ' ') < 0 {
		return "", "", false
	}
	fields := strings.Fields(text)
	for i, f := range fields {
		if i > 0 && i < len(fields)-1 && strings.EqualFold(f, "to") {
			return strings.Join(fields[:i], " "), strings.Join(fields[i+1:], " "), true
		}
	}
	return "", "", false
}

func parseRange(country, fromText, toText string, fail func(string, ...any) (Entry, error)) (Entry, error) {
	f := formatOf(country)
	from, to := compared(country, fromText), compared(country, toText)
	if british[country] && isDistrict(f, from) && isDistrict(f, to) {
		areaFrom, first, suffixFrom := splitDistrict(from)
		areaTo, last, suffixTo := splitDistrict(to)
		switch {
		case areaFrom != areaTo || suffixFrom != suffixTo:
			return fail("%s to %s: a range of districts stays within one area, such as BT1 to BT17", from, to)
		case first > last:
			return fail("%s to %s runs backwards: %s to %s?", from, to, to, from)
		}
		return Entry{
			kind:  districts,
			from:  from,
			to:    to,
			first: first,
			last:  last,
			codes: uint64(last-first+1) * inwardCodes,
		}, nil
	}
	for _, end := range []string{from, to} {
		if !f.full(end) {
			return fail(
				"%s cannot be a postcode of %s: they are %s",
				firstRunes(end, 40),
				world.CountryName(country),
				Shape(country),
			)
		}
	}
	if len(from) != len(to) {
		return fail("%s to %s: both ends of a range have the same length", from, to)
	}
	for i := range len(from) {
		if from[i] != to[i] && !(digits.has(from[i]) && digits.has(to[i])) {
			return fail("%s to %s: the ends of a range differ only in digits", from, to)
		}
	}
	if from > to {
		return fail("%s to %s runs backwards: %s to %s?", from, to, to, from)
	}
	return Entry{kind: span, from: from, to: to, codes: number(to) - number(from) + 1}, nil
}

// number is the number that the digits of a code make.
func number(code string) (n uint64) {
	for i := range len(code) {
		if digits.has(code[i]) {
			n = 10*n + uint64(code[i]-'0')
		}
	}
	return n
}

// inwardCodes is how many codes one British district can have: a digit and two letters.
const inwardCodes = 10 * 26 * 26

func isArea(f format, text string) bool {
	if text == "" || len(text) > 2 || digits.has(text[0]) || digits.has(text[len(text)-1]) {
		return false
	}
	return areaCodes(f, text) > 0
}

func areaCodes(f format, letters string) (sum uint64) {
	for d := byte('0'); d <= '9'; d++ {
		sum += f.codes(letters + string(d))
	}
	return sum
}

// isDistrict says whether text is all of a code but its last three characters, and has a number.
func isDistrict(f format, text string) bool {
	area, number, _ := splitDistrict(text)
	return area != "" && number >= 0 && f.full(text+"1AA")
}

// splitDistrict takes "EC1A" apart into area, number and the letter behind it; number is -1 where there is none.
func splitDistrict(text string) (area string, number int, suffix string) {
	i := 0
	for i < len(text) && letters.has(text[i]) {
		i++
	}
	j, number := i, -1
	for j < len(text) && digits.has(text[j]) && j < i+4 {
		number = 10*max(number, 0) + int(text[j]-'0')
		j++
	}
	return text[:i], number, text[j:]
}

// String is the entry in its canonical form, which ParseEntry reads back as the same entry.
func (e Entry) String() string {
	switch e.kind {
	case prefix:
		return e.from + "*"
	case span, districts:
		return e.from + " to " + e.to
	}
	return e.from
}

// Codes is how many codes the entry spans by the format of its country, for telling which entry is narrower.
func (e Entry) Codes() uint64 { return e.codes }

// Single says whether the entry is one code.
func (e Entry) Single() bool { return e.kind == single }

// Compare tells which entry is narrower: a single code, then ranges and prefixes by how many codes they span.
func (e Entry) Compare(other Entry) int {
	switch {
	case e.kind == single && other.kind == single:
		return 0
	case e.kind == single:
		return -1
	case other.kind == single:
		return 1
	case e.codes < other.codes:
		return -1
	case e.codes > other.codes:
		return 1
	}
	return 0
}

// Span gives the least and the greatest key that the entry may take. Between them [Entry.Takes] decides.
func (e Entry) Span() (lo, hi Key) {
	switch e.kind {
	case single:
		return key(e.from, 0), key(e.from, 0)
	case span:
		return key(e.from, 0), key(e.to, 0)
	case area:
		return key(e.from+"0", 0), key(e.from+"9", 36)
	case districts:
		area, _, _ := splitDistrict(e.from)
		return key(area+"0", 0), key(area+"9", 36)
	}
	return key(e.from, 0), key(e.from, 36)
}

// Takes says whether a code within the entry's span belongs to it.
func (e Entry) Takes(c Code) bool {
	code := c.Text
	switch e.kind {
	case single:
		return code == e.from
	case prefix:
		return strings.HasPrefix(code, e.from)
	case span:
		return len(code) == len(e.from) && code >= e.from && code <= e.to && alike(code, e.from)
	case area:
		return len(code) > len(e.from) && strings.HasPrefix(code, e.from) && digits.has(code[len(e.from)])
	case district:
		return outward(code) == e.from
	case districts:
		area, number, suffix := splitDistrict(outward(code))
		wantArea, _, wantSuffix := splitDistrict(e.from)
		return area == wantArea && number >= e.first && number <= e.last &&
			(wantSuffix == "" || suffix == wantSuffix)
	}
	return false
}

// alike says whether two codes of one length have digits at the same places, and the same letters at the others.
func alike(code, of string) bool {
	for i := range len(code) {
		if !digits.has(of[i]) && code[i] != of[i] || digits.has(of[i]) && !digits.has(code[i]) {
			return false
		}
	}
	return true
}

// outward drops the inward part (a digit and two letters) of a British code; a code without one is all outward.
func outward(code string) string {
	n := len(code) - 3
	if n >= 2 && digits.has(code[n]) && letters.has(code[n+1]) && letters.has(code[n+2]) {
		return code[:n]
	}
	return code
}

// Numbers gives the entry's ends as numbers, for a country whose codes are numbers of one length: 22* of five
// digits is 22000 and 22999.
func (e Entry) Numbers(length int) (from, to uint64) {
	switch e.kind {
	case prefix:
		return number(
			e.from + strings.Repeat("0", length-len(e.from)),
		), number(e.from + strings.Repeat("9", length-len(e.from)))
	case span:
		return number(e.from), number(e.to)
	}
	return number(e.from), number(e.from)
}
