// Package measure reads weights and lengths as people type them, with or without a unit, in the unit of a store:
//
//	1.2         in the store's unit
//	1,2         the same
//	450 g       in grams
//	2 lb 3 oz   in pounds and ounces: the parts are added
//	5'11", 6 ft in feet and inches
//
// and numbers of columns, in which thousands may be grouped ("1,200.50", "1.200,50", "1 200,50").
//
// What is converted is exact where its decimals end within twelve places, as all that is told in pounds and ounces does in
// kilograms, and rounded half up to twelve where they do not; what is in the store's unit already stays as it is.
package measure

import (
	"errors"
	"fmt"
	"regexp"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/world"
)

// Kind is what is measured.
type Kind uint8

// Weights, lengths of goods, and distances.
const (
	Weight Kind = iota
	Length
	Distance
)

// units are the sizes of the units: of weight in grams, of length in millimetres, of distance in metres. The pound of
// 0.45359237 kg, of 16 ounces, the inch of 2.54 cm, twelve to a foot, and the mile of 5,280 feet are those of the
// international yard and pound agreement of 1959.
var units = [3]map[string]decimal.Decimal{
	{"mg": decimal.MustParse("0.001"), "g": decimal.One, "kg": decimal.FromInt(1000), "t": decimal.FromInt(1_000_000),
		"oz": decimal.MustParse("28.349523125"), "lb": decimal.MustParse("453.59237")},
	{
		"mm": decimal.One,
		"cm": decimal.FromInt(10),
		"m":  decimal.FromInt(1000),
		"in": decimal.MustParse("25.4"),
		"ft": decimal.MustParse("304.8"),
	},
	{"m": decimal.One, "km": decimal.FromInt(1000), "mi": decimal.MustParse("1609.344")},
}

// others are other ways to write the units.
var others = [3]map[string]string{
	{
		"gramm":       "g",
		"gramme":      "g",
		"grammes":     "g",
		"gramo":       "g",
		"gramos":      "g",
		"grammaa":     "g",
		"kilogramm":   "kg",
		"kilogramme":  "kg",
		"kilogrammes": "kg",
		"kilogramos":  "kg",
		"kilogrammaa": "kg",
		"kiloa":       "kg",
		"gram":        "g",
		"grams":       "g",
		"gr":          "g",
		"kgs":         "kg",
		"kilo":        "kg",
		"kilos":       "kg",
		"kilogram":    "kg",
		"kilograms":   "kg",
		"tonne":       "t",
		"tonnes":      "t",
		"ounce":       "oz",
		"ounces":      "oz",
		"lbs":         "lb",
		"pound":       "lb",
		"pounds":      "lb",
	},
	{
		"milimetros":   "mm",
		"millimetria":  "mm",
		"zentimeter":   "cm",
		"centimetros":  "cm",
		"senttia":      "cm",
		"senttimetria": "cm",
		"millimetre":   "mm",
		"millimetres":  "mm",
		"millimeter":   "mm",
		"millimeters":  "mm",
		"centimetre":   "cm",
		"centimetres":  "cm",
		"centimeter":   "cm",
		"centimeters":  "cm",
		"metre":        "m",
		"metres":       "m",
		"meter":        "m",
		"meters":       "m",
		"inch":         "in",
		"inches":       "in",
		"\"":           "in",
		"″":            "in",
		"foot":         "ft",
		"feet":         "ft",
		"'":            "ft",
		"′":            "ft",
	},
	{
		"metre":      "m",
		"metres":     "m",
		"meter":      "m",
		"meters":     "m",
		"kilometre":  "km",
		"kilometres": "km",
		"kilometer":  "km",
		"kilometers": "km",
		"mile":       "mi",
		"miles":      "mi",
	},
}

var names = [3]string{"weight", "length", "distance"}

var examples = [3]string{"0.45, 450 g or 1 lb 3 oz", "30, 300 mm or 12 in", "5, 500 m or 3 mi"}

// Unit finds a unit by any way to write it.
func Unit(kind Kind, text string) (string, bool) {
	text = strings.ToLower(strings.TrimSuffix(strings.TrimSpace(text), "."))
	if other, ok := others[kind][text]; ok {
		text = other
	}
	_, ok := units[kind][text]
	return text, ok
}

// Decimals is to how many decimals of the store's unit what is converted is rounded: an ounce is 0.028349523125 kg.
const Decimals = 12

// Size is the size of a unit: of weight in grams, of length in millimetres, of distance in metres; 0 of what is no
// unit. It is exact.
func Size(kind Kind, unit string) decimal.Decimal { return units[kind][unit] }

// Convert turns a value in one unit into another.
func Convert(kind Kind, d decimal.Decimal, from, to string) decimal.Decimal {
	return ConvertTo(kind, d, from, to, Decimals)
}

// ConvertTo is [Convert], rounded half up to fewer decimals. A value that is in the unit already stays as it is.
func ConvertTo(kind Kind, d decimal.Decimal, from, to string, decimals int) decimal.Decimal {
	if from == to {
		return d
	}
	return d.Mul(units[kind][from]).Quo(units[kind][to]).Round(decimals)
}

var part = regexp.MustCompile(`^([0-9]+(?:[.,][0-9]+)?|[.,][0-9]+)\s*([a-zA-Z]+\.?|["'″′])?\s*`)

// Parse reads a weight or a length in the store's unit. A negative one, and what is none, is an error in words.
func Parse(kind Kind, text, unit string) (decimal.Decimal, error) {
	rest := strings.TrimSpace(text)
	bad := func(format string, args ...any) (decimal.Decimal, error) {
		return decimal.Zero, fmt.Errorf(format, args...)
	}
	switch {
	case rest == "" || len(rest) > 60:
		return bad("write a %s such as %s", names[kind], examples[kind])
	case strings.HasPrefix(rest, "-") || strings.HasPrefix(rest, "−"):
		return bad("a %s cannot be below 0", names[kind])
	case strings.Count(rest, ",")+strings.Count(rest, ".") > 1 && !strings.ContainsAny(rest,
		" abcdefghijklmnopqrstuvwxyz"):
		return bad("%.20q has more than one point or comma: write it without grouping, such as 1200.50", rest)
	}
	sum, parts := decimal.Zero, 0 // in the smallest of the units' sizes
	for rest != "" {
		m := part.FindStringSubmatch(rest)
		if m == nil {
			return bad("%.20q is no %s: write it as %s, in %s", text, names[kind], examples[kind], unit)
		}
		d, err := decimal.Parse(pointed(m[1]))
		switch {
		case errors.Is(err, decimal.ErrLong):
			return bad("%s", err.Error())
		case err != nil:
			return bad("%.20q is no %s: write it as %s, in %s", text, names[kind], examples[kind], unit)
		}
		rest = rest[len(m[0]):]
		if m[2] == "" {
			if parts > 0 || rest != "" {
				return bad("%.20q: say the unit of each part, such as %s", text, examples[kind])
			}
			return d, nil
		}
		in, ok := Unit(kind, m[2])
		if !ok {
			return bad("%.20q is no unit of %s", m[2], names[kind])
		}
		if parts == 0 && rest == "" && in == unit {
			return d, nil
		}
		parts++
		sum = sum.Add(d.Mul(units[kind][in]))
	}
	return sum.Quo(units[kind][unit]).Round(Decimals), nil
}

// Number reads an amount or a measure that is 0 or more, its unit or currency around it or not ("8.00 €", "EUR
// 8", "2,5 kg"). What is none, or below 0, or in another currency, or may be a thousand as well (1,200), is an
// error in words; decimal.ErrLong a number longer than any it takes.
func Number(text, unit string) (decimal.Decimal, error) {
	typed := strings.TrimSpace(text)
	bare := typed
	if m := signed.FindStringSubmatch(bare); m != nil && m[1]+m[3] != "" {
		for _, sign := range []string{m[1], m[3]} {
			if sign != "" && !world.NamesCurrency(sign, unit) {
				return decimal.Zero, fmt.Errorf("%.20s is not in %s", typed, unit)
			}
		}
		bare = m[2]
	}
	for _, u := range []string{unit, strings.ToLower(unit), strings.ToUpper(unit), strings.TrimSuffix(unit, "s")} {
		if u != "" {
			bare = strings.TrimSpace(strings.TrimPrefix(strings.TrimSuffix(bare, u), u))
		}
	}
	if whole, fraction, ok := strings.Cut(bare, ","); ok && !strings.ContainsAny(fraction, ".,") &&
		!strings.Contains(whole, ".") {
		if len(fraction) == 3 && len(whole) <= 3 && whole != "0" {
			return decimal.Zero, fmt.Errorf(
				"%.20s is %s or %s: write it without the comma",
				typed,
				whole+fraction,
				whole+"."+fraction,
			)
		}
		bare = whole + "." + fraction
	}
	d, err := decimal.Parse(bare)
	switch {
	case errors.Is(err, decimal.ErrLong):
		return d, err
	case err != nil:
		return d, fmt.Errorf("%.20q is not a number", typed)
	case d.Sign() < 0:
		return d, fmt.Errorf("%.20s is below 0", typed)
	}
	return d, nil
}

// signed is an amount with the sign of a currency around it, letters among it or not: "US$ 5", "5 €".
var signed = regexp.MustCompile(`^([A-Za-z]{0,3}\p{Sc})?\s*(.*?)\s*(\p{Sc})?$`)

// pointed writes a number with a decimal point and a digit before it.
func pointed(number string) string {
	number = strings.Replace(number, ",", ".", 1)
	if strings.HasPrefix(number, ".") {
		number = "0" + number
	}
	return number
}
