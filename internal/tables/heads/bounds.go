package heads

import (
	"cmp"
	"slices"
	"strings"
)

// Lower and Upper are words for the lower and the upper bound of a range, folded.
var (
	Lower = []string{"from", "min", "minimum", "above", "over", "and above", "starting at", "at least", "lower",
		"more than", "greater than", "heavier than", "exceeding", "von", "ab", "desde", "alkaen", "fran", "mini", "minimo",
		"mindestens", "uber", "yli"}

	Upper = []string{"to", "max", "maximum", "up to", "until", "below", "under", "less than", "at most", "upper",
		"bis", "hasta", "jusqu a", "jusqua", "till", "asti", "enintaan", "upp till", "maxi", "maximo", "hochstens",
		"limit", "maximal", "korkeintaan", "hogst"}
)

// PostcodeWords are the words for postcodes in heads that name an end of a range of them.
var PostcodeWords = []string{"postcode", "postcodes", "postal code", "post code", "zip", "plz", "postleitzahl",
	"code postal",
	"codigo postal", "cp", "postinumero", "postnummer"}

// Asides are headings of columns that are no part of a price: they are told and left out.
var Asides = []string{"days", "transit", "delivery time", "remark", "remarks", "note", "notes", "comment", "service",
	"carrier", "product", "laufzeit", "bemerkung", "hinweis", "delai", "delais", "remarque", "plazo", "observaciones",
	"toimitusaika", "huomautus", "leveranstid", "anmarkning", "transit time", "lead time", "id", "no",
	"nr", "valid", "effective", "change", "difference", "diff",
	"delta", "anderung", "muutos", "andring", "updated", "tax", "vat", "mwst", "tva", "iva", "alv", "moms"}

// Holds says whether words stand in a folded heading as words of their own.
func Holds(folded, words string) bool {
	for from := 0; ; {
		at := strings.Index(folded[from:], words)
		if at < 0 {
			return false
		}
		at += from
		end := at + len(words)
		if (at == 0 || folded[at-1] == ' ') && (end == len(folded) || folded[end] == ' ') {
			return true
		}
		from = at + 1
	}
}

// HoldsAny says whether one of some words stands in a folded heading.
func HoldsAny(folded string, list []string) bool {
	return slices.ContainsFunc(list, func(words string) bool { return Holds(folded, words) })
}

// plain are words that may stand beside those for postcodes and change nothing, folded.
var plain = []string{"range", "ranges", "bereich", "code", "codes", "and", "und", "et", "y", "ja", "och", "of", "de"}

// End says which ends of a range of postcodes a column has by its folded heading: "plz von", "zip to", "from", "plz von
// bis". It is not known of one that says anything else.
func End(folded string) (from, to, known bool) {
	from, to = HoldsAny(folded, Lower), HoldsAny(folded, Upper)
	list := slices.Concat(Lower, Upper, PostcodeWords, words[Postcode], words[Codes], plain)
	slices.SortFunc(list, func(a, b string) int { return cmp.Compare(len(b), len(a)) })
	rest := " " + folded + " "
	for _, word := range list {
		rest = strings.ReplaceAll(rest, " "+word+" ", "  ")
	}
	return from, to, (from || to) && strings.TrimSpace(rest) == ""
}

// Aside says whether a folded heading is that of a column which is no part of a list of prices or places, such as the
// delivery time or a remark.
func Aside(folded string) bool { return HoldsAny(folded, Asides) }
