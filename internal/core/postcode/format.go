package postcode

import (
	_ "embed"
	"fmt"
	"math/bits"
	"regexp/syntax"
	"strings"
)

// The formats are those of postal-codes-js, rewritten for codes without spaces and hyphens by tools/refresh.
//
//go:embed data/formats.tsv
var formatsTSV string

// class is the set of characters that may stand at one place: bit 0 to 9 for digits, 10 to 35 for letters.
type class uint64

const (
	digits  class = 1<<10 - 1
	letters class = 1<<36 - 1 - digits
)

func (c class) has(b byte) bool { i := ordinal(b); return i > 0 && c&(1<<(i-1)) != 0 }

func (c class) size() uint64 { return uint64(bits.OnesCount64(uint64(c))) }

// ordinal is 1 to 10 for digits, 11 to 36 for capitals, 0 for all else.
func ordinal(b byte) uint64 {
	switch {
	case b >= '0' && b <= '9':
		return uint64(b-'0') + 1
	case b >= 'A' && b <= 'Z':
		return uint64(b-'A') + 11
	}
	return 0
}

// template is one way in which a country writes its codes, a class for each character.
type template []class

// starts says whether code can begin a code of this template.
func (t template) starts(code string) bool {
	if len(code) > len(t) {
		return false
	}
	for i := range len(code) {
		if !t[i].has(code[i]) {
			return false
		}
	}
	return true
}

// codes counts the codes that go on after the first n characters.
func (t template) codes(n int) uint64 {
	product := uint64(1)
	for _, c := range t[n:] {
		product *= c.size()
	}
	return product
}

// format is all the ways of a country.
type format []template

// zip lists the countries and territories whose codes are United States ZIP codes.
var zip = map[string]bool{
	"US": true,
	"AS": true,
	"FM": true,
	"GU": true,
	"MH": true,
	"MP": true,
	"PR": true,
	"PW": true,
	"VI": true,
}

// british lists the countries whose codes are made of a post town's area, a district and three inward characters.
var british = map[string]bool{"GB": true, "GG": true, "IM": true, "JE": true}

var formats = readFormats()

func readFormats() map[string]format {
	all := map[string]format{}
	for line := range strings.Lines(formatsTSV) {
		country, pattern, _ := strings.Cut(strings.TrimSpace(line), "\t")
		if zip[country] {
			pattern = "[0-9]{5}"
		}
		re, err := syntax.Parse(pattern, syntax.Perl|syntax.FoldCase)
		if err != nil {
			panic(fmt.Sprintf("postcode format of %s: %v", country, err))
		}
		all[country] = expand(re)
	}
	return all
}

// expand spells a regular expression without open-ended repetition out into templates.
func expand(re *syntax.Regexp) format {
	switch re.Op {
	case syntax.OpEmptyMatch:
		return format{nil}
	case syntax.OpLiteral:
		var t template
		for _, r := range re.Rune {
			t = append(t, runes(r, r))
		}
		return format{t}
	case syntax.OpCharClass:
		var c class
		for i := 0; i < len(re.Rune); i += 2 {
			c |= runes(re.Rune[i], re.Rune[i+1])
		}
		return format{{c}}
	case syntax.OpCapture:
		return expand(re.Sub[0])
	case syntax.OpConcat:
		f := format{nil}
		for _, sub := range re.Sub {
			f = join(f, expand(sub))
		}
		return f
	case syntax.OpAlternate:
		var f format
		for _, sub := range re.Sub {
			f = append(f, expand(sub)...)
		}
		return f
	case syntax.OpQuest:
		return append(format{nil}, expand(re.Sub[0])...)
	case syntax.OpRepeat:
		one, f, all := expand(re.Sub[0]), format{nil}, format{}
		for n := 0; n <= re.Max; n++ {
			if n >= re.Min {
				all = append(all, f...)
			}
			f = join(f, one)
		}
		return all
	}
	panic("postcode format: " + re.String())
}

func join(heads, tails format) format {
	var f format
	for _, h := range heads {
		for _, t := range tails {
			f = append(f, append(h[:len(h):len(h)], t...))
		}
	}
	return f
}

func runes(from, to rune) class {
	var c class
	for r := from; r <= to && r < 128; r++ {
		if i := ordinal(upper(byte(r))); i > 0 {
			c |= 1 << (i - 1)
		}
	}
	return c
}

func upper(b byte) byte {
	if b >= 'a' && b <= 'z' {
		return b - 'a' + 'A'
	}
	return b
}

// anything stands for the format of a country that publishes none: up to [MaxLength] letters and digits.
var anything = func() format {
	var f format
	for n := 1; n <= MaxLength; n++ {
		t := make(template, n)
		for i := range t {
			t[i] = digits | letters
		}
		f = append(f, t)
	}
	return f
}()

func formatOf(country string) format {
	if f, ok := formats[country]; ok {
		return f
	}
	return anything
}

func (f format) full(code string) bool {
	for _, t := range f {
		if len(t) == len(code) && t.starts(code) {
			return true
		}
	}
	return false
}

// codes counts the codes that begin with prefix; 0 means that none can.
func (f format) codes(prefix string) uint64 {
	var sum uint64
	for _, t := range f {
		if t.starts(prefix) {
			sum += t.codes(len(prefix))
		}
	}
	return sum
}

// HasFormat says whether the open data knows how a country writes its postcodes. Where it does not, any letters and
// digits are taken.
func HasFormat(country string) bool { return formats[country] != nil }

// AllDigits says whether all codes of a country are numbers of one length, and gives that length.
func AllDigits(country string) (length int, ok bool) {
	f := formats[country]
	for _, t := range f {
		if length != 0 && len(t) != length {
			return 0, false
		}
		length = len(t)
		for _, c := range t {
			if c&letters != 0 {
				return 0, false
			}
		}
	}
	return length, length > 0
}

// written are codes as people write them, of countries whose codes have letters or a space among them: made up,
// or of a public office; how they are parted is as the Universal Postal Union's addressing sheets have it (from
// memory).
var written = map[string]string{
	"AR": "C1425CLA",
	"BB": "BB11000",
	"BM": "HM 12",
	"BN": "BS8611",
	"CA": "K1A 0B1",
	"FK": "FIQQ 1ZZ",
	"GB": "SW1A 2AA",
	"GG": "GY1 1AA",
	"GI": "GX11 1AA",
	"IE": "T12 W8XY",
	"IM": "IM1 1AA",
	"JE": "JE2 3AB",
	"KY": "KY1-1100",
	"MT": "VLT 1117",
	"NL": "1012 AB",
	"SO": "JH 09010",
	"SZ": "H100",
}

// Shape says how codes of a country look, as it follows "they are": "5 digits", or "written like T12 W8XY"
// where they have letters.
func Shape(country string) string {
	if n, ok := AllDigits(country); ok {
		return fmt.Sprintf("%d digits", n)
	}
	example, ok := written[country]
	if !ok {
		example = First(country, "")
	}
	return "written like " + example
}
