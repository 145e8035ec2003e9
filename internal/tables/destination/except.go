package destination

import (
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/world"
)

var (
	// without are words before what a group leaves out.
	without = regexp.MustCompile(`(?i)\s*[(\[]?\s*\b(?:except(?:ing)?(?: for)?|excl(?:uding|\.)?|without|but not|au(?:ß|ss)er|ohne|exkl\.?|` +
		`sauf|hors|sans|except(?:o|é)|salvo|sin|paitsi|pois lukien|ilman|utom|f(?:ö|o)rutom|utan|exklusive)\s+`)
	// with are words before what a list has besides.
	with = regexp.MustCompile(`(?i)\s*[(\[]?\s*\b(?:incl(?:uding|\.)?|including|inkl(?:usive|\.)?|plus|y compris|inclus|incluid[oa]|` +
		`mukaan lukien|sis\.?|med)\s+`)
	// tax are words for taxes, of which VAT is a code of the Holy See too.
	tax = regexp.MustCompile(`(?i)^(?:[0-9., ]+%\s*)?(?:vat|tax|gst|mwst|ust|tva|iva|alv|moms)\b`)
)

// Except parts a text that names places and what of them is left out or comes besides: "EU except Germany",
// "Switzerland incl. Liechtenstein". Known is false where a part of it is no country or group of countries.
func Except(text string) (places, left []string, known bool) {
	text = strings.Trim(text, " )]")
	if at := without.FindStringIndex(text); at != nil {
		places, left = PlacesOf(text[:at[0]]), PlacesOf(text[at[1]:])
		return places, left, len(places) > 0 && len(left) > 0
	}
	if at := with.FindStringIndex(text); at != nil && !tax.MatchString(text[at[1]:]) {
		first, more := PlacesOf(text[:at[0]]), PlacesOf(text[at[1]:])
		return append(first, more...), nil, len(first) > 0 && len(more) > 0
	}
	places = PlacesOf(text)
	return places, nil, len(places) > 0
}

// PlacesOf is [Places], and the countries of groups that the trade names, such as the Nordics.
func PlacesOf(text string) (list []string) {
	if group := Trade(text); len(group) > 0 {
		return group
	}
	if list = Places(text); len(list) > 0 {
		return list
	}
	text = joined.ReplaceAllString(text, ";")
	for _, one := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(",;/|\n&+", r) }) {
		part := Trade(one)
		if len(part) == 0 {
			part = Places(one)
		}
		if len(part) == 0 {
			return nil
		}
		for _, place := range part {
			if !slices.Contains(list, place) {
				list = append(list, place)
			}
		}
	}
	return list
}

// vague are names that carriers draw differently, folded.
var vague = []string{"europe", "europa", "eurooppa", "continental europe", "western europe", "eastern europe",
	"europe de l'ouest", "westeuropa", "osteuropa", "europe zone", "western balkans", "westbalkan", "balkans", "balkan"}

// Vague says whether a text is a name that carriers draw differently, such as Europe.
func Vague(text string) bool { return slices.Contains(vague, world.Fold(text)) }

// domestic are words for the country of the shop itself, folded.
var domestic = []string{"domestic", "national", "inland", "home", "kotimaa", "inrikes", "nacional",
	"within the country", "local"}

// Domestic says whether a text is a word for the country of the shop itself.
func Domestic(text string) bool { return slices.Contains(domestic, world.Fold(text)) }
