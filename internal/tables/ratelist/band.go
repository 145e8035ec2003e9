package ratelist

import (
	"cmp"
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/world"
)

// Band is a stretch of a measure as a list writes it in one cell: "0–1 kg", "up to 5", "over 30", "each further kg".
// The numbers are as they stand there: what their sign is says the whole column.
type Band struct {
	From, To string // "" where it is open
	Unit     string // that stands in the cell; "" for none
	// Every is of a band of steps, "each further 0.5 kg": how far a step reaches; "" for other bands. From is then the
	// bound above which they count, where the cell says it.
	Every    string
	FromUnit string // of From where it has another: "500 g – 1 kg"
	Bare     bool   // a number alone: the cell does not say on which side of it the band lies
	Over     bool   // From itself lies below the band: "over 30"
	Under    bool   // To itself lies above the band: "under 5"
	Whole    bool   // of a band of steps, "per 100 kg": the cell does not say that only what is further counts
}

// Words of bands in the languages of the lists that are read (English, German, French, Spanish, Finnish, Swedish),
// without accents; common practice, no source.
var (
	upWords = []string{"up to but not including", "up to and including", "up to", "at most", "until", "to", "max",
		"maximum", "under", "below",
		"less than", "bis zu", "bis einschliesslich", "bis", "unter", "hochstens", "jusqu a", "jusqu'a", "jusqua",
		"moins de", "hasta", "menos de", "enintaan", "korkeintaan", "alle", "hogst", "upp till", "t o m", "<=", "≤",
		"<"}
	overWords = []string{"more than", "greater than", "heavier than", "exceeding", "over", "above", "from",
		"starting at", "at least", "uber", "ueber", "ab",
		"mehr als",
		"plus de", "au dela de", "au-dela de", "a partir de", "desde", "mas de", "yli", "alkaen", "mer an",
		"fran", "de", "von", "between", "entre", "zwischen", "mellan",
		"minst",
		">=", "≥", ">"}
	betweenWords = []string{"up to but not including", "up to and including", "up to", "through", "to", "and", "bis",
		"und", "et", "y", "och", "a",
		"jusqu a", "hasta", "till",
		"-", "–",
		"—", "−", "…", "...", ".."}
	eachWords = []string{"each add'l", "each addl", "per add'l", "add'l", "addl", "each subsequent", "every subsequent",
		"subsequent", "each next", "every next", "per next", "next", "each following", "following", "each additional",
		"each further", "each extra", "each", "every", "every additional", "every further",
		"per additional", "per extra", "per further", "additional", "per started", "further", "jedes weitere",
		"je weitere",
		"je weiteres", "jeder weitere", "weiteres", "weiterer", "weiteren", "jedes folgende", "folgendes",
		"jede weiteren", "weitere", "par kg supplementaire", "par", "chaque", "cada", "por cada", "jokainen seuraava",
		"jokainen",
		"seuraava",
		"varje ytterligare", "per ytterligare", "+"}
	firstWords = []string{"first", "1st", "1.", "1er", "erstes", "erste", "ersten", "premier", "primer", "primeros",
		"premiers",
		"ensimmainen", "ensimmaiset", "forsta"}
	wholeWords = []string{"per", "je", "pro", "por", "/"} // "per 100 kg"
	overOnly   = []string{"more than", "greater than", "heavier than", "exceeding", "over", "above", "uber", "ueber",
		"mehr als", "plus de", "au dela de",
		"au-dela de", "mas de", "yli", "mer an", ">"}
	underOnly = []string{"up to but not including", "under", "below", "less than", "unter", "moins de", "menos de",
		"alle", "<"}
	eachEnds = []string{"supplementaires", "supplementaire", "supplem", "suppl", "supp", "sup", "add'l", "addl",
		"additional", "further", "subsequent", "weitere", "mehr", "adicionales", "adicional", "lisaa", "extra",
		"zusatzlich",
		"more", "on top"}
)

var bandNumber = regexp.MustCompile(`^[0-9][0-9.,' \x{a0}\x{202f}]*`)

// bandUnits are the units that may stand in a band.
var bandUnits = map[string]string{"kg": "kg", "kgs": "kg", "kilo": "kg", "kilos": "kg", "kilogram": "kg",
	"kilograms": "kg", "kilogramm": "kg", "g": "g", "gr": "g", "gm": "g", "gms": "g", "gram": "g", "grams": "g", "gramm": "g", "grammes": "g",
	"lb": "lb", "lbs": "lb", "oz": "oz", "km": "km", "mi": "mi", "miles": "mi", "eur": "EUR", "€": "EUR", "pcs": "pcs",
	"items": "items", "item": "item"}

// bandText is a cell ready to be read: folded, with single spaces, without what stands around it.
func bandText(cell string) string {
	text := strings.ToLower(strings.Join(strings.Fields(world.Fold(cell)), " "))
	return plainly(strings.TrimSpace(strings.Trim(text, ":;")))
}

// ParseBand reads a band; false where the cell is none.
func ParseBand(cell string) (b Band, ok bool) {
	if len(cell) > maxBand {
		return b, false
	}
	text := bandText(cell)
	if m := named.FindStringSubmatch(text); m != nil { // "S (0–2 kg)", "Parcel up to 2 kg"
		if b, ok = parseBand(m[1] + m[2]); ok && (!b.Bare || b.Unit != "") { // "EU (27)" is none
			return b, true
		}
	}
	return parseBand(text)
}

// named is a band behind a name for it: in brackets, or behind a word for a parcel.
var named = regexp.MustCompile(`^[a-z0-9 .-]{1,20}\s*[(\[]\s*([^()\[\]]*[0-9][^()\[\]]*)[)\]]$|` +
	`^(?:parcels?|paket|pakete|packet|letters?|brief|briefe|colis|lettre|paquete|carta|paketti|kirje|brev|weight|` +
	`gewicht|poids|peso|paino|vikt)\s+(.*[0-9].*)$`)

// parseBand reads a band of a text that bandText made ready.
func parseBand(text string) (b Band, ok bool) {
	if b, ok = further(text); ok {
		return b, true
	}
	for _, word := range firstWords {
		if rest, is := after(text, word+" "); is {
			if unit := bandUnits[strings.Trim(rest, " .")]; unit != "" {
				return Band{To: "1", Unit: unit}, true
			}
			if number, unit, end, is := leading(rest); is && end == "" && unit != "" {
				return Band{To: number, Unit: unit}, true
			}
		}
	}
	if number, unit, rest, is := leading(text); is {
		return numbered(number, unit, rest)
	}
	for _, word := range overWords {
		if rest, is := after(text, word); is {
			if b, ok = above(rest); ok {
				b.Over = slices.Contains(overOnly, word)
				return b, true
			}
		}
	}
	for _, word := range upWords {
		if rest, is := after(text, word); is {
			number, unit, end, is := leading(rest)
			if is && end == "" {
				return Band{To: number, Unit: unit, Under: slices.Contains(underOnly, word)}, true
			}
			if !is { // "bis max. 2 kg"
				if inner, is := parseBand(rest); is && inner.To != "" && inner.From == "" && !inner.Bare && inner.Every == "" {
					return inner, true
				}
			}
		}
	}
	return b, false
}

// further reads a band of steps: "each further kg", "par kg supplementaire".
func further(text string) (b Band, ok bool) {
	for _, word := range eachWords {
		if rest, is := after(text, word); is {
			if b, ok = steps(rest); ok {
				return b, true
			}
		}
	}
	for _, word := range wholeWords {
		if rest, is := after(text, word); is {
			if b, ok = steps(rest); ok {
				b.Whole = true
				return b, true
			}
		}
	}
	for _, end := range eachEnds {
		rest, is := strings.CutSuffix(strings.TrimSuffix(text, "."), " "+end)
		if !is {
			continue
		}
		for _, word := range []string{"par", "per", "je", "cada", "por", ""} {
			if inner, is := after(rest, word); is {
				if b, ok = steps(inner); ok {
					return b, true
				}
			}
		}
	}
	return b, false
}

// behind are words behind a number that say on which side of it a band lies; true where it lies above.
var behind = map[string]bool{"+": true, "and over": true, "and above": true, "and more": true, "or more": true,
	"and up": true, "upwards": true, "and under": false, "or less": false, "or under": false, "max": false,
	"and below": false}

// numbered reads a band that begins with a number: one alone, with words behind it, or two.
func numbered(number, unit, rest string) (Band, bool) {
	if rest == "" {
		return Band{To: number, Unit: unit, Bare: true}, true
	}
	if more, is := strings.CutPrefix(rest, "+"); is && unit == "" { // "6+ items"
		if named := bandUnits[strings.Trim(more, " .")]; named != "" {
			return Band{From: number, Unit: named}, true
		}
	}
	if over, known := behind[rest]; known {
		if over {
			return Band{From: number, Unit: unit}, true
		}
		return Band{To: number, Unit: unit}, true
	}
	return second(number, unit, rest, betweenWords)
}

// second reads the upper bound of a band behind one of some words.
func second(from, unit, rest string, words []string) (Band, bool) {
	for _, word := range words {
		text, is := after(rest, word)
		if !is {
			continue
		}
		under := slices.Contains(underOnly, word)
		for _, word := range underOnly {
			if rest, is := after(text, word); is {
				text, under = rest, true
				break
			}
		}
		if to, toUnit, end, is := leading(text); is && end == "" {
			b := Band{From: from, To: to, Unit: cmp.Or(toUnit, unit), Under: under}
			if unit != "" && unit != b.Unit {
				b.FromUnit = unit
			}
			return b, true
		}
	}
	return Band{}, false
}

// above reads what follows "over": a number, or one and then an upper bound.
func above(rest string) (Band, bool) {
	number, unit, end, is := leading(rest)
	switch {
	case !is:
		return Band{}, false
	case end == "":
		return Band{From: number, Unit: unit}, true
	}
	return second(number, unit, end, slices.Concat(upWords, betweenWords))
}

// maxBand is the longest cell that may be a band, in bytes.
const maxBand = 80

// after is what follows a word at the beginning of a text.
func after(text, word string) (rest string, ok bool) {
	if word == "" {
		return text, true
	}
	rest, ok = strings.CutPrefix(text, word)
	if !ok || rest == "" {
		return "", false
	}
	if last := word[len(word)-1]; last >= 'a' && last <= 'z' && rest[0] >= 'a' && rest[0] <= 'z' {
		return "", false
	}
	return strings.TrimLeft(rest, " .:"), true
}

// leading splits a text into the number that it begins with, its unit and the rest.
func leading(text string) (number, unit, rest string, ok bool) {
	if behind, is := strings.CutPrefix(text, "€"); is { // "€50"
		if number, unit, rest, ok = leading(strings.TrimLeft(behind, " ")); ok && unit == "" {
			return number, "EUR", rest, true
		}
		return "", "", "", false
	}
	number = strings.TrimRight(bandNumber.FindString(text), " .,'\u00a0\u202f")
	if number == "" {
		return "", "", "", false
	}
	rest = strings.TrimLeft(text[len(number):], " ")
	word := rest
	if i := strings.IndexFunc(rest, func(r rune) bool { return (r < 'a' || r > 'z') && r != '€' }); i >= 0 {
		word = rest[:i]
	}
	if known := bandUnits[word]; known != "" {
		return number, known, strings.TrimSpace(strings.TrimPrefix(rest[len(word):], ".")), true
	}
	return number, "", rest, true
}

// stepAbove is the bound above which steps count: "each kg above 30".
var stepAbove = regexp.MustCompile(` (?:above|over|beyond|exceeding|uber|ueber|au dela de|au-dela de|yli) ([0-9][0-9.,]*)\s*` +
	`(?:kg|kgs|kilos?|g|lb|lbs)?$`)

// steps reads what comes behind "each further": "kg", "0.5 kg", "1 kg or part".
func steps(text string) (b Band, ok bool) {
	for _, end := range []string{" or part thereof", " or part", " started", " begonnene", " entame"} {
		text = strings.TrimSuffix(text, end)
	}
	above := ""
	if m := stepAbove.FindStringSubmatchIndex(text); m != nil {
		above, text = text[m[2]:m[3]], strings.TrimSpace(text[:m[0]])
	}
	if known := bandUnits[strings.Trim(text, " .")]; known != "" {
		return Band{Every: "1", Unit: known, From: above}, true
	}
	if number, unit, rest, is := leading(text); is && rest == "" && unit != "" {
		return Band{Every: number, Unit: unit, From: above}, true
	}
	return b, false
}
