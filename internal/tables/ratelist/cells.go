package ratelist

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/notes"
)

// What a cell says that this reader does not understand in full refuses its line: a bound in a unit of another kind, a
// price in another currency and words around a number are never passed over.

// ends are the ways to leave a bound open.
var ends = []string{"", "-", "–", "*", "∞", "unlimited", "max", "no limit", "unbegrenzt", "illimite"}

func open(cell string) bool { return slices.Contains(ends, strings.ToLower(strings.TrimSpace(cell))) }

// numberIn reads a cell with a number: of a workbook as it stands there, of a text as its column writes numbers.
func numberIn(t *text, column measure.Column) (decimal.Decimal, string, error) {
	if t.number {
		column = measure.Column{Decimal: '.'}
	}
	return column.Parse(t.said)
}

var (
	grouping = regexp.MustCompile(`[0-9]\.[0-9]`)
	// unitBehind is how lists write a price for each unit of weight: "0.80/kg", "0,80 je kg".
	unitBehind = regexp.MustCompile(`(?i)\s*(?:/|\bpro\b|\bje\b|\bpar\b|\bpor\b|\bjokainen\b)\s*` +
		`((?:[0-9.,]+\s*)?(?:kg|km|g|lb|oz|item)\b)`)
	dash     = regexp.MustCompile(`[,.]\s*[-–—]+$`) // "6,-" has no cents
	footnote = regexp.MustCompile(`\s*(?:\*+|[¹²³]|\([0-9a-z]\))$`)
)

func isLetter(r rune) bool { return r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' }

// sum reads the charge of a cell: a number as the column writes it, with its currency around it or not, or a charge in
// words, in which numbers have a decimal point or comma. Nil is not offered.
func (b *builder) sum(p *price, t *text) (*rate.Charge, error) {
	said := strings.TrimSpace(t.said)
	if answer, ok := b.o.c.Prices[world.Fold(said)]; ok {
		if answer == MeansNotOffered {
			return nil, nil
		}
		t, said = &text{said: answer}, answer
	}
	column, ok := b.columnSums[p.column]
	if !ok {
		column = b.sums
	}
	if t.number || simple(said) { // the common case
		d, around, err := numberIn(&text{said: said, number: t.number}, column)
		switch {
		case err == nil && around != "" && !world.NamesCurrency(around, b.f.Store.Currency) &&
			(p.currency == "" || around != p.currency && !world.NamesCurrency(around, p.currency)):
			column = measure.Column{Decimal: '.'} // the format of a number says more of it: "€/kg", "%"
		case err == nil && p.currency == "":
			return &rate.Charge{Base: &d}, nil
		case err == nil:
			return b.converted(&rate.Charge{Base: &d})
		case !t.number:
			return nil, err
		}
	}
	return b.said(p, said, column)
}

// said reads a charge that is more than a number.
func (b *builder) said(p *price, said string, column measure.Column) (*rate.Charge, error) {
	if said == "" || unpriced(said) {
		b.empty = b.empty || said == ""
		return nil, nil
	}
	if free(said) {
		said = "free"
	}
	if marked := footnote.FindString(said); marked != "" && !strings.HasSuffix(said, "%") {
		b.footnote(p, said)
		said = strings.TrimSpace(strings.TrimSuffix(said, marked))
	}
	own, other := b.f.Store.Currency, p.currency
	said = dash.ReplaceAllString(said, "")
	d, around, err := column.Parse(said)
	if err == nil {
		switch {
		case around == "" && other == "", around != "" && world.NamesCurrency(around, own) && other == "":
			return &rate.Charge{Base: &d}, nil
		case around == "" || around == other || world.NamesCurrency(around, other):
			return b.converted(&rate.Charge{Base: &d})
		case world.NamesCurrency(around, own):
			return &rate.Charge{Base: &d}, nil
		}
	}
	if err != nil && !strings.ContainsFunc(said, isLetter) { // a number that may be read in two ways, or none
		return nil, err
	}
	return b.words(p, said, column, around, err)
}

// words reads a charge in words. err is why it is no number, nil where something else stands around one.
func (b *builder) words(p *price, said string, column measure.Column, around string, err error) (*rate.Charge, error) {
	own, other, words := b.f.Store.Currency, p.currency, b.f.Words()
	if other != "" {
		words.Currency = world.CurrencyIn(other)
	}
	c, slip := charge.Parse(unitBehind.ReplaceAllString(said, " per $1"), words)
	switch {
	case slip == nil && column.Decimal == ',' && grouping.MatchString(said):
		return nil, fmt.Errorf("%.30q has a decimal point, the other prices have a comma", said)
	case slip == nil && other != "":
		return b.converted(c)
	case slip == nil:
		return c, nil
	case err != nil:
		return nil, err
	case foreign(around):
		return nil, fmt.Errorf("%.30q is not in %s, the currency of this shop", said, own)
	}
	return nil, slip
}

// converted is a charge of the list's currency in the shop's.
func (b *builder) converted(c *rate.Charge) (*rate.Charge, error) {
	return b.exchange.Apply(c, b.f.Words())
}

// foreign says whether a text is the sign or code of a currency.
func foreign(text string) bool {
	return world.CurrencyName(strings.ToUpper(text)) != "" || currencySign.MatchString(text)
}

var currencySign = regexp.MustCompile(`\p{Sc}`)

// kept are the words before a bound that say what its column and the list's edges say anyway.
var kept = map[Field]map[rate.Edges][]string{
	To: {
		rate.UpTo: {"up to", "to", "max", "≤", "<=", "until", "up to and including", "bis", "jusqu'à", "hasta"},
		rate.From: {"under", "below", "<", "less than"},
	},
	From: {
		rate.From: {"from", "min", "≥", ">=", "at least", "starting at", "ab", "von"},
		rate.UpTo: {"over", "above", ">", "more than"},
	},
}

// bound reads a bound of a line in the store's unit, and as the list has it. Its unit is that of its cell, or else of
// the list, or else the store's own.
func (b *builder) bound(t *text, field Field) (d, given decimal.Decimal, err error) {
	key := boundKey{*t, field}
	if known, ok := b.known[key]; ok {
		return known.d, known.given, known.err
	}
	d, given, err = b.newBound(t, field)
	b.known[key] = knownBound{d, given, err}
	return d, given, err
}

// boundKey is a bound as a list has it, and knownBound what it was read as: a matrix has each many times.
type boundKey struct {
	text
	field Field
}

type knownBound struct {
	d, given decimal.Decimal
	err      error
}

func (b *builder) newBound(t *text, field Field) (d, given decimal.Decimal, err error) {
	said := strings.TrimSpace(t.said)
	bare := said
	for _, word := range kept[field][b.m.Edges] {
		if rest, ok := strings.CutPrefix(
			strings.ToLower(said),
			word,
		); ok && (rest == "" || !isLetter(rune(rest[0]))) &&
			len(rest) < len(bare) {
			bare = strings.TrimSpace(said[len(said)-len(rest):])
		}
	}
	given, around, err := numberIn(&text{said: bare, number: t.number}, b.bounds)
	if err != nil {
		return d, given, err
	}
	if around == "" {
		around = t.unit
	}
	d, err = b.inUnit(given, around, said)
	return d, given, err
}

// inUnit turns a bound with the unit beside it into the store's unit.
func (b *builder) inUnit(d decimal.Decimal, unit, said string) (decimal.Decimal, error) {
	s := &b.f.Store
	strange := func() error {
		return fmt.Errorf("%.30q: write the number alone, or with its unit; %.20q is not understood here", said, unit)
	}
	switch b.m.By {
	case rate.ByWeight, rate.ByBilled:
		if unit == "" {
			b.bare(d)
			return d, nil
		}
		in, ok := measure.Unit(measure.Weight, unit)
		if !ok {
			return d, strange()
		}
		b.unit(in)
		return measure.Convert(measure.Weight, d, in, s.WeightUnit), nil
	case rate.BySubtotal:
		switch {
		case unit == "" || world.NamesCurrency(unit, s.Currency):
			return d, nil
		case b.foreign != "" && (unit == b.foreign || world.NamesCurrency(unit, b.foreign)):
			c, err := b.converted(&rate.Charge{Base: &d})
			if err != nil {
				return d, err
			}
			return *c.Base, nil
		case foreign(unit):
			return d, fmt.Errorf("%.30q is in %s, this shop's prices are in %s", said, unit, s.Currency)
		}
		return d, strange()
	case rate.ByDistance:
		switch in := notes.DistanceUnit(strings.ToLower(unit)); {
		case unit == "" || in == s.DistanceUnit:
		case in == "":
			return d, strange()
		default:
			return measure.Convert(measure.Distance, d, in, s.DistanceUnit), nil
		}
	case rate.ByQuantity:
		if !slices.Contains([]string{"", "item", "items", "pcs", "pc", "piece", "pieces", "stk", "kpl", "st"},
			strings.ToLower(unit)) {
			return d, strange()
		}
		if d.Round(0).Cmp(d) != 0 {
			return d, errors.New("items are counted whole")
		}
	}
	return d, nil
}
