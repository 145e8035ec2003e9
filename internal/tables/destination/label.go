package destination

import (
	"regexp"
	"strings"

	"diadrom/internal/core/world"
)

// labels are the words that stand before the number of a zone.
const labels = `zone|zona|vyohyke|alue|zon|gebiet|tarifzone|tariff zone|group|gruppe|groupe|grupo|ryhma|area`

var (
	worded = regexp.MustCompile(`^(?:` + labels + `)(?:\s*[:.#-]?\s*([0-9]{1,2}[a-z]?)|` +
		`(?:\s+|\s*[:.#-]\s*)([a-z][0-9]?|[ivx]{1,4}))$`) // “zone” is no “zon e”
	alone = regexp.MustCompile(`^(?:[0-9]{1,2}[a-z]?|[a-z][0-9]?)$`)
)

// ZoneLabel is the folded label of a zone without the word before it: "1" of "Zone 1"; "" of what is none. A number or a
// letter alone is one where bare is true.
func ZoneLabel(text string, bare bool) string {
	folded := strings.TrimSpace(world.Fold(strings.Trim(text, ": ")))
	if m := worded.FindStringSubmatch(folded); m != nil {
		return m[1] + m[2]
	}
	if bare && alone.MatchString(folded) {
		return folded
	}
	return ""
}
