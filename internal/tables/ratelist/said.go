package ratelist

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/notes"
)

// statement is what the titles and notes beside a list say of all of it.
type statement struct {
	unit     string // of weights: "all weights in kilograms"
	minor    bool   // prices are in hundredths of the currency: "Preise in Cent"
	currency string // whose hundredth that is, where it has a name of its own: "Rappen"
	per      *perSaid
}

// perSaid is that prices are for each unit of weight: "prices per kg", "rates per 100 kg".
type perSaid struct {
	size, unit string
	line       int
	text       string
}

// Phrases of statements, folded, in the languages of the lists that are read; common practice, no source.
var (
	weightsIn = regexp.MustCompile(`\b(?:weights?|all weights?|gewichte?|gewichtsangaben|alle gewichte|poids|pesos?|painot?|` +
		`vikter|vikt)\s*(?:are|is|sind|sont|son|ovat|ar|anges|given|stated)?\s*(?:in|en|i)?\s*[:(]?\s*` +
		`(kilograms?|kilogramm|kilogrammes?|kilogramos?|kilogrammoina|kilos?|kgs?|grams?|gramm|grammes?|gramos?|grammoina|g|` +
		`pounds?|lbs?|ounces?|oz)\b`)
	minorIn = regexp.MustCompile(`\b(?:prices?|rates?|amounts?|preise?|alle preise|tarife?|prix|tarifs?|precios?|tarifas?|hinta|hinnat|pris|priser)\b` +
		`[a-z ]*\b(?:in|en|i)\s+(euro ?cents?|eurocents?|cents?|ct|rappen|pence|pennies|penni|sentteina|senttia|snt|ore|centimes|` +
		`centimos)\b`)
	perIn = regexp.MustCompile(`\b(?:prices?|rates?|charges?|tariffs?|preise?|tarife?|prix|tarifs?|precios?|tarifas?|hinnat?|priser?)\b` +
		`[a-z /]{0,20}?\b(?:per|je|pro|par|por|kohti|a)\s+(angefangene[nrs]?\s+|started\s+|commenced\s+)?([0-9]+(?:[.,][0-9]+)?)?\s*` +
		`(kgs?|kilos?|kilograms?|kilogramm|g|grams?|gramm|lbs?|pounds?)\b`)
	minorOf = map[string]string{"rappen": "CHF", "pence": "GBP", "pennies": "GBP", "eurocent": "EUR", "euro cent": "EUR",
		"eurocents": "EUR", "euro cents": "EUR"}
)

// stated reads what texts beside a list say of all of it.
func stated(texts []noted, own string) (s statement) {
	for _, one := range texts {
		folded := world.Fold(one.text)
		if m := weightsIn.FindStringSubmatch(folded); m != nil && s.unit == "" {
			s.unit = notes.WeightUnit(m[1])
		}
		if m := minorIn.FindStringSubmatch(folded); m != nil {
			s.minor, s.currency = true, minorOf[m[1]]
			if m[1] == "ore" {
				s.currency, s.minor = oreOf(one.text, own)
			}
		}
		if m := perIn.FindStringSubmatch(folded); m != nil && s.per == nil {
			size := m[2]
			if size == "" {
				size = "1"
			}
			s.per = &perSaid{size: strings.Replace(size, ",", ".", 1), unit: notes.WeightUnit(m[3]), line: one.line, text: one.text}
		}
	}
	return s
}

// oreOf is the currency whose hundredths a text calls öre or øre, which those of Denmark and of Norway write alike: the
// shop's where it is one of them. Known is false where nothing says which.
func oreOf(text, own string) (currency string, known bool) {
	switch {
	case strings.Contains(strings.ToLower(text), "öre"):
		return "SEK", true
	case own == "DKK", own == "NOK":
		return own, true
	}
	return "", false
}

// noted is a text beside a list: a title, a note, or a row that is no part of it.
type noted struct {
	line int
	text string
	why  string
}

// beside are the texts beside a list: its titles and notes, and what stands in the sheet by itself.
func (o *opening) beside(b *block) (list []noted) {
	add := func(rows []grid.Row) {
		for i := range rows {
			list = append(list, noted{line: rows[i].Line, text: rows[i].Said()})
		}
	}
	add(b.titles)
	add(b.asides)
	for i := range b.sections {
		list = append(list, noted{line: b.sections[i].row.Line, text: b.sections[i].row.Said()})
	}
	return append(list, o.notes...)
}

// taxIn is a tax with its percentage in a statement: "19 % VAT".
var taxIn = regexp.MustCompile(`(?:\b(?:of|the)\b|[0-9]+(?:[.,][0-9]+)?\s*%|\b(?:vat|tax|taxes|sales tax|gst|mwst|ust|umsatzsteuer|` +
	`tva|iva|alv|moms)\b)`)

// Words that may stand in a title or a note and say nothing of prices by themselves, folded.
var idleWords = []string{"valid", "validity", "from", "as", "of", "until", "to", "till", "since", "effective",
	"updated", "issued",
	"version", "edition", "date", "gultig", "ab", "bis", "stand", "vom", "voimassa", "alkaen", "giltig", "fran",
	"valable", "a", "partir",
	"du", "au", "valido", "vigente", "desde", "hasta", "all", "alle", "in", "en", "are", "sind"}

// left is what of a text beside a list nobody has made anything of: without dates, what is said of the currency, the
// tax and the units, as far as the reading holds it.
func (o *opening) left(l *list, text string) string {
	folded := world.Fold(text)
	folded = notes.WithoutYears(notes.Dates.ReplaceAllString(folded, " "))
	if withTax.MatchString(folded) || withoutTax.MatchString(folded) { // it was asked about, or is so here
		for _, re := range []*regexp.Regexp{withTax, withoutTax, taxIn} {
			folded = re.ReplaceAllString(folded, " ")
		}
	}
	if l.said.minor {
		folded = minorIn.ReplaceAllString(folded, " ")
	}
	folded = perIn.ReplaceAllString(folded, " ")
	if m := weightsIn.FindStringSubmatch(folded); m != nil && (l.unit == "" && notes.WeightUnit(m[1]) == o.f.Store.WeightUnit ||
		notes.WeightUnit(m[1]) == l.unit) {
		folded = strings.Replace(folded, m[0], " ", 1)
	}
	words := strings.FieldsFunc(folded, func(r rune) bool { return strings.ContainsRune(" :;,()[]·|", r) })
	unit := l.unit
	if unit == "" {
		unit = o.f.Store.WeightUnit
	}
	words = slices.DeleteFunc(words, func(w string) bool {
		return slices.Contains(idleWords, w) || notes.WeightUnit(w) == unit || world.NamesCurrency(strings.ToUpper(w),
			o.f.Store.Currency) ||
			world.NamesCurrency(w, o.f.Store.Currency) || o.r.Currency != "" && strings.EqualFold(w, o.r.Currency)
	})
	return strings.Join(words, " ")
}

// askNotes asks about the titles and notes of the lists that are not used, once for each text.
func (o *opening) askNotes(l *layout, lists []*list) {
	used := map[int]bool{}
	for _, one := range lists {
		for i := range one.rows {
			zonesAcross := one.mapping.has(Prices) && one.mapping.has(Bands, From, To)
			if !one.mapping.has(destinations...) && !zonesAcross {
				used[one.titleLine(i)] = true
			}
		}
		if one.said.per != nil {
			used[one.said.per.line] = true
		}
		for i := range one.surcharges {
			used[one.surcharges[i].Line] = true
		}
	}
	var texts []noted
	for _, one := range lists {
		texts = append(texts, o.beside(one.block)...)
	}
	for _, b := range l.blocks { // a note below the prices stands above where the zones are
		texts = append(texts, o.beside(b)...)
	}
	// somebody said where the list begins
	texts = slices.DeleteFunc(texts, func(n noted) bool { return n.line < o.c.Head })
	o.unusedNotes(lists[0], texts, used)
}

// unusedNotes asks about each text beside a list that says something which is not used.
func (o *opening) unusedNotes(l *list, texts []noted, used map[int]bool) {
	seen := map[string]bool{}
	for _, one := range texts {
		switch {
		case used[one.line]:
			o.r.Ledger.MarkRow(one.line, 0, o.r.Grid.Width(), grid.AsBound)
			continue
		case surcharge.MatchString(world.Fold(one.text)) && figure.MatchString(one.text):
			o.r.Ledger.MarkRow(one.line, 0, o.r.Grid.Width(), o.asideOr(AskSurcharge))
			continue
		}
		if !notes.Counts(o.left(l, one.text)) {
			o.r.Ledger.MarkRow(one.line, 0, o.r.Grid.Width(), grid.AsHead)
			continue
		}
		o.r.Ledger.MarkRow(one.line, 0, o.r.Grid.Width(), o.asideOr(AskNote))
		if !seen[one.text] {
			seen[one.text] = true
			o.asks.Add(AskNote, fmt.Sprintf("Line %d says “%s”, which is not used. Change the list so that it counts, or leave it "+
				"out.", one.line, strings.TrimSuffix(grid.Cut(one.text), ".")))
		}
	}
}

// taxRate says whether a percentage is a rate of the shop's own tax.
func (o *opening) taxRate(text string) bool {
	m := percentage.FindStringSubmatch(text)
	if m == nil {
		return true
	}
	p, err := decimal.Parse(strings.Replace(m[1], ",", ".", 1))
	if err != nil {
		return false
	}
	for i := range o.f.Store.Tax.Rates {
		if o.f.Store.Tax.Rates[i].Percent.Cmp(p) == 0 {
			return true
		}
	}
	return false
}
