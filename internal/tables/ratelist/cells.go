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
	"diadrom/internal/tables/sheet"
)

// What a cell says that this reader does not understand in full refuses its line: a bound in another unit, a
// price in another currency and words around a number are never passed over.

// ends are the ways to leave a bound open.
var ends = []string{"", "-", "–", "*", "∞"}

func open(cell string) bool { return slices.Contains(ends, strings.TrimSpace(cell)) }

// price reads the charge of a line: a number as the column writes it, with the currency of the shop around it
// or not, or a charge in words, in which numbers have a decimal point or comma.
func (b *builder) price(row sheet.Row) (*rate.Charge, error) {
	column := slices.Index(b.m.Columns, Price)
	text, code := strings.TrimSpace(b.cell(row, Price)), b.f.Store.Currency
	if other := world.OtherCurrency(b.heads[column], code); other != "" {
		return nil, fmt.Errorf("the column is in %s, this shop's prices are in %s", other, code)
	}
	d, around, err := b.numbers[column].Parse(text)
	if err == nil && (around == "" || world.NamesCurrency(around, code)) {
		return &rate.Charge{Base: &d}, nil
	}
	if err != nil && !strings.ContainsFunc(text, isLetter) { // a number that may be read in two ways, or none
		return nil, err
	}
	c, slip := charge.Parse(text, b.f.Words())
	switch {
	case slip == nil && b.numbers[column].Decimal == ',' && grouping.MatchString(text):
		return nil, fmt.Errorf("%.30q has a decimal point, the other prices have a comma", text)
	case slip == nil:
		return c, nil
	case err != nil:
		return nil, err
	case b.foreign(around):
		return nil, fmt.Errorf("%.30q is not in %s, the currency of this shop", text, code)
	}
	return nil, slip
}

var grouping = regexp.MustCompile(`[0-9]\.[0-9]`)

func isLetter(r rune) bool { return r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' }

// foreign says whether a text is the sign or code of a currency.
func (b *builder) foreign(text string) bool {
	return world.CurrencyName(strings.ToUpper(text)) != "" || currencySign.MatchString(text)
}

var currencySign = regexp.MustCompile(`\p{Sc}`)

// kept are the words before a bound that say what its column and the list's edges say anyway.
var kept = map[Field]map[rate.Edges][]string{
	To: {
		rate.UpTo: {"up to", "to", "max", "≤", "<=", "until", "up to and including"},
		rate.From: {"under", "below", "<", "less than"},
	},
	From: {
		rate.From: {"from", "min", "≥", ">=", "at least", "starting at"},
		rate.UpTo: {"over", "above", ">", "more than"},
	},
}

// bound reads a bound of a line in the store's unit: of its cell, or else of the column's head, or else the
// store's own.
func (b *builder) bound(row sheet.Row, field Field) (decimal.Decimal, error) {
	column := slices.Index(b.m.Columns, field)
	text := strings.TrimSpace(b.cell(row, field))
	bare := text
	for _, word := range kept[field][b.m.Edges] {
		if rest, ok := strings.CutPrefix(
			strings.ToLower(text),
			word,
		); ok && (rest == "" || !isLetter(rune(rest[0]))) &&
			len(rest) < len(bare) {
			bare = strings.TrimSpace(text[len(text)-len(rest):])
		}
	}
	d, around, err := b.numbers[column].Parse(bare)
	if err != nil {
		return d, err
	}
	return b.inUnit(d, around, text, b.heads[column])
}

// inUnit turns a bound with what stands around it, in a column with that head, into the store's unit.
func (b *builder) inUnit(d decimal.Decimal, around, text, head string) (decimal.Decimal, error) {
	s := &b.f.Store
	strange := fmt.Errorf(
		"%.30q: write the number alone, or with its unit; %.20q is not understood here",
		text,
		around,
	)
	switch b.m.By {
	case rate.ByWeight, rate.ByBilled:
		unit, ok := measure.Unit(measure.Weight, around)
		switch {
		case around == "":
			if unit, ok = headUnit(head, s.WeightUnit); !ok {
				return d, fmt.Errorf("the head %.40q names several units: leave one", head)
			}
		case !ok:
			return d, strange
		}
		return measure.Convert(measure.Weight, d, unit, s.WeightUnit), nil
	case rate.BySubtotal:
		if other := world.OtherCurrency(head, s.Currency); other != "" {
			return d, fmt.Errorf("the column is in %s, this shop's prices are in %s", other, s.Currency)
		}
		if around != "" && !world.NamesCurrency(around, s.Currency) {
			return d, strange
		}
	case rate.ByDistance:
		unit := strings.ToLower(around)
		for _, word := range strings.Fields(parts.ReplaceAllString(world.Fold(head), " ")) {
			if around == "" && distances[word] != "" {
				unit = word
			}
		}
		switch in := distances[unit]; {
		case unit == "" || in == s.DistanceUnit:
		case in == "":
			return d, strange
		default:
			return d, fmt.Errorf("it is in %s, this shop measures distances in %s", in, s.DistanceUnit)
		}
	case rate.ByQuantity:
		if !slices.Contains(
			[]string{"", "item", "items", "pcs", "pc", "piece", "pieces"},
			strings.ToLower(around),
		) {
			return d, strange
		}
		if d.Round(0).Cmp(d) != 0 {
			return d, errors.New("items are counted whole")
		}
	}
	return d, nil
}

var distances = map[string]string{
	"km":         "km",
	"kilometres": "km",
	"kilometers": "km",
	"mi":         "mi",
	"mile":       "mi",
	"miles":      "mi",
}

// headUnit is the unit of weight that the head of a column names, or else the store's; false where it names several.
func headUnit(head, otherwise string) (unit string, ok bool) {
	for _, word := range strings.Fields(parts.ReplaceAllString(world.Fold(head), " ")) {
		named, is := measure.Unit(measure.Weight, word)
		if !is || word == "t" {
			continue
		}
		if unit != "" && unit != named {
			return "", false
		}
		unit = named
	}
	if unit == "" {
		return otherwise, true
	}
	return unit, true
}
