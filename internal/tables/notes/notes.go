// Package notes tells which texts beside a list may count: a title, a note, a heading or a cell that says something of
// prices, weights or places must be used or asked about, and one that says nothing of them may be set aside.
package notes

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"diadrom/internal/core/measure"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/destination"
)

// Dates are days, months and quarters as they are written in a folded text.
var Dates = regexp.MustCompile(`\b[0-9]{1,2}[./-][0-9]{1,2}[./-](?:[0-9]{4}|[0-9]{2})\b|\b[0-9]{4}-[0-9]{2}-[0-9]{2}\b|` +
	`\b[0-9]{1,2}\.?\s+(?:` + months + `)\s+[0-9]{4}\b|\b(?:` + months + `)\s+[0-9]{1,2},?\s+[0-9]{4}\b|` +
	`\b(?:` + months + `)\s+[0-9]{4}\b|\b[0-9]{1,2}/20[0-9]{2}\b|\bq[1-4]\s*/?\s*20[0-9]{2}\b`)

var (
	yearsIn   = regexp.MustCompile(`\b20([0-3][0-9])(?:\s*[/–-]\s*(?:20)?([0-9]{2}))?\b`)
	amountsIn = regexp.MustCompile(`\b(?:min|mini|minimum|minimal|mindest\w*|minimo|max|maxi|maximum|maximal|hochst\w*|over|above|` +
		`under|below|up to|limit|liab\w*|haft\w*|insur\w*|versich\w*|assur\w*|charge|fee|gebuhr\w*|\w*zuschlag|pauschal\w*|frais|` +
		`per|je|pro|each|plus|add|cost|costs|kost\w*|code|codes|postcodes?|zip|plz|zones?|islands?|inseln?|iles?|areas?|items?)\b`)
)

const months = `january|february|march|april|may|june|july|august|september|october|november|december|` +
	`jan|feb|mar|apr|jun|jul|aug|sep|sept|oct|nov|dec|januar|februar|marz|mai|juni|juli|oktober|dezember|` +
	`janvier|fevrier|mars|avril|juin|juillet|aout|septembre|octobre|novembre|decembre|` +
	`enero|febrero|marzo|abril|mayo|junio|julio|agosto|septiembre|octubre|noviembre|diciembre`

// weightUnits are words for units of weight beside those of [measure.Unit].
var weightUnits = map[string]string{"kilogramm": "kg", "kilogrammes": "kg", "kilogrammoina": "kg", "kilogramos": "kg",
	"kilogramo": "kg", "kilos": "kg", "kilo": "kg", "kgs": "kg", "gramm": "g", "grammes": "g", "gramme": "g",
	"gramos": "g",
	"gramo":  "g", "grammoina": "g", "lbs": "lb", "gm": "g", "gms": "g"}

// WeightUnit is the unit of weight that a word names; "" for none.
func WeightUnit(word string) string {
	if unit := weightUnits[word]; unit != "" {
		return unit
	}
	if unit, ok := measure.Unit(measure.Weight, word); ok && word != "t" {
		return unit
	}
	return ""
}

// WithoutYears removes from a folded text the years that say for when it is: "2026", "2026/27". A number like that next
// to a word for an amount, a limit or a place, or to a currency, may be one.
func WithoutYears(folded string) string {
	if amountsIn.MatchString(folded) || strings.ContainsFunc(folded, IsSign) ||
		slices.ContainsFunc(strings.Fields(folded), IsCurrency) {
		return folded
	}
	return yearsIn.ReplaceAllStringFunc(folded, func(text string) string {
		m := yearsIn.FindStringSubmatch(text)
		from, _ := strconv.Atoi(m[1])
		if to, err := strconv.Atoi(m[2]); err == nil && to != from+1 {
			return text
		}
		return " "
	})
}

// taxWord is a word for a tax.
var taxWord = regexp.MustCompile(`\b(?:vat|tax|taxes|gst|mwst|ust|tva|iva|alv|moms)\b`)

// hundredths are words for the hundredths of a currency, in which a list may have its prices.
var hundredths = regexp.MustCompile(`\b(?:euro ?cents?|cents?|rappen|pence|pennies|penni|sentteina|senttia|snt|centimes|centimos|ore)\b`)

// Hundredths says whether a text names the hundredths of a currency: "price (cents)", "Preis in Rappen", "ct".
func Hundredths(text string) bool {
	folded := " " + notWord.ReplaceAllString(world.Fold(text), " ") + " "
	return hundredths.MatchString(folded) || strings.Contains(folded, " ct ") || strings.Contains(folded, " cts ")
}

var notWord = regexp.MustCompile(`[^a-z0-9]+`)

// IsCurrency says whether a folded word is the code of a currency. ALL and TOP are words of English too.
func IsCurrency(word string) bool {
	return len(word) == 3 && word != "all" && word != "top" && world.CurrencyName(strings.ToUpper(word)) != ""
}

// Counts says whether a text has something that may count in a price: a digit, a unit, a currency, a percent sign, a
// word for a tax, or the name of a country.
func Counts(folded string) bool {
	if strings.ContainsAny(folded, "0123456789%") || strings.ContainsFunc(folded, IsSign) || taxWord.MatchString(folded) ||
		hundredths.MatchString(folded) {
		return true
	}
	for _, word := range strings.Fields(folded) {
		if IsCurrency(word) {
			return true
		}
		if len(word) > 1 && WeightUnit(word) != "" || DistanceUnit(word) != "" || word == "cm" || word == "m3" || word == "cbm" {
			return true
		}
		if len(word) > 3 {
			if _, err := destination.Country(word); err == nil {
				return true
			}
		}
	}
	return false
}

// IsSign says whether a letter is the sign of a currency, such as € or £.
func IsSign(r rune) bool { return unicode.Is(unicode.Sc, r) }

var distances = map[string]string{
	"km":         "km",
	"kilometres": "km",
	"kilometers": "km",
	"mi":         "mi",
	"mile":       "mi",
	"miles":      "mi",
}

// DistanceUnit is the unit of distance that a folded word names; "" for none.
func DistanceUnit(word string) string { return distances[word] }

// limiting are words that take something out of a list or add to it: "without islands", "only by road".
var limiting = regexp.MustCompile(`\b(?:except\w*|exclud\w*|excl|without|not|only|plus|incl\w*|ohne|ausser|exkl|nur|nicht|inkl|` +
	`zzgl|sauf|hors|sans|seulement|compris|inclus\w*|salvo|excepto|sin|solo|incluid\w*|paitsi|ilman|ei|vain|sis|utom|utan|endast|` +
	`bara|inte|islands?|inseln?|iles?|islas?|saaret|saaristo|oar|surcharge\w*|\w*zuschlag\w*)\b`)

// ofZones are words for zones, which a title may have with the year that they are for.
var ofZones = regexp.MustCompile(`\b(?:zones?|zonen|zonenplan|zonas|zon|zoner|vyohykkeet|areas?)\b`)

// Says says whether a text beside a list of places or goods says something of what is in the list: it counts by itself,
// years and dates aside, or limits what the list says. same tells the words that say what is so anyway, such as the
// shop's currency; nil for none.
func Says(text string, same func(word string) bool) bool {
	folded := world.Fold(text)
	if limiting.MatchString(folded) {
		return true
	}
	folded = WithoutYears(Dates.ReplaceAllString(ofZones.ReplaceAllString(folded, " "), " "))
	if same != nil {
		words := strings.FieldsFunc(folded, func(r rune) bool { return strings.ContainsRune(" :;,()[]·|.", r) })
		folded = strings.Join(slices.DeleteFunc(words, same), " ")
	}
	return Counts(folded)
}
