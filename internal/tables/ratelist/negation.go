package ratelist

import (
	"regexp"
	"strings"
)

// A word that says that a bound lies below, with a negation before it, says that it lies above: "not over 2 kg" is up
// to 2 kg. The words are of the languages of the lists that are read, folded; common practice, no source.
const (
	negations = `not|no|nicht|kein|keine|ne|n|ei|inte|ej|icke|pas`
	overs     = `more than|greater than|heavier than|over|above|exceeding|exceeds|exceed|in excess of|` +
		`mehr als|schwerer als|uber|ueber|` +
		`plus de|au dela de|excedant|excede|depassant|depasse|superieur a|superieure a|` +
		`mas de|superior a|supere|exceda|mayor de|mayor que|` +
		`yli|ylittava|ylita|mer an|tyngre an|overstigande|overstiger`
)

// negated is a negation before a word that says over; "n'excédant pas" has a second one behind it.
var negated = regexp.MustCompile(`\b(?:` + negations + `)[ '’]\s*(?:` + overs + `)\b(?:\s+pas\b)?`)

// orEqual is "or equal to" behind a word that says over or under, which then has its bound in it.
var orEqual = regexp.MustCompile(`\b(less|smaller|lighter|under|below|more|greater|heavier|over|above) than or equal to\b`)

// plainly says a folded text without negations: "weight not over (kg)" as "weight up to (kg)".
func plainly(folded string) string {
	folded = orEqual.ReplaceAllStringFunc(folded, func(m string) string {
		switch word, _, _ := strings.Cut(m, " "); word {
		case "less", "smaller", "lighter", "under", "below":
			return "up to"
		}
		return "at least"
	})
	return negated.ReplaceAllString(folded, "up to")
}
