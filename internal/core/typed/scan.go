package typed

import (
	"regexp"
	"strings"

	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"
)

// word is a part of a typed text between commas, semicolons, tabs and line ends.
type word struct {
	text   string   // with single spaces between its words
	whole  string   // as it was typed, with the "not" before it
	except bool     // whether "not" or "except" stood before it
	behind []string // the parts that follow it on its line, as they were typed
}

// not is what stands before a part of an exception.
func (w *word) not() string {
	if w.except {
		return "not "
	}
	return ""
}

// scanner cuts a typed text into its parts.
type scanner struct {
	lines []string
	parts []string // of the line that is being read
	at    int
}

// decimalCommas are those of distances, which part no places.
var decimalCommas = regexp.MustCompile(`(?i)(within\s+[0-9]+),([0-9]+\s*(?:km|mi|of)\b)`)

func newScanner(text string) *scanner {
	ends := func(c rune) bool { return strings.ContainsRune(";\n\r\t", c) }
	return &scanner{lines: strings.FieldsFunc(decimalCommas.ReplaceAllString(text, "$1.$2"), ends)}
}

// next gives the next part; false behind the last.
func (s *scanner) next() (w word, ok bool) {
	for {
		for s.at < len(s.parts) {
			text := single(s.parts[s.at])
			s.at++
			if text == "" {
				continue
			}
			w = word{text: text, whole: text, behind: s.parts[s.at:]}
			if head, rest, ok := strings.Cut(text, " "); ok &&
				(strings.EqualFold(head, "not") || strings.EqualFold(head, "except")) {
				w.text, w.except = rest, true
			}
			return w, true
		}
		if len(s.lines) == 0 {
			return word{}, false
		}
		s.parts, s.at, s.lines = strings.Split(s.lines[0], ","), 0, s.lines[1:]
	}
}

// skip passes over parts that belong to the one before.
func (s *scanner) skip(n int) { s.at += n }

// single writes a text with single spaces between its words and none around it.
func single(text string) string { return strings.Join(strings.Fields(text), " ") }

// spacedCodes takes a row of codes that only spaces part into codes and ranges, with the country in front or
// home. Codes that are written with a space themselves (111 22) are kept together.
func spacedCodes(text, home string) (codes []string, country string) {
	words := strings.Fields(text)
	country = home
	if c, ok := world.CountryByCode(words[0]); ok && len(words[0]) <= 3 {
		country, words = c.Alpha2, words[1:]
	}
	if country == "" {
		return nil, ""
	}
	for i := 0; i < len(words); i++ {
		if !strings.ContainsAny(words[i], "0123456789*") {
			return nil, "" // words among them: not a row of codes
		}
		switch {
		case i+2 < len(words) && strings.EqualFold(words[i+1], "to"):
			codes = append(codes, words[i]+" to "+words[i+2])
			i += 2
		case i+1 < len(words) && !postcode.Possible(country, words[i]) && postcode.Possible(country, words[i]+
			words[i+1]):
			codes = append(codes, words[i]+" "+words[i+1])
			i++
		default:
			codes = append(codes, words[i])
		}
	}
	return codes, country
}
