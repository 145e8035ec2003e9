package charge

import (
	"errors"
	"fmt"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
)

// Change is what makes one column of a price list from another:
//
//	plus 20 %   minus 5 %   times 1.2   each amount so much more or less
//	plus 2.00   minus 0.50              the fixed sum more or less
//	""                                  the same
type Change struct {
	factor *decimal.Decimal
	plus   decimal.Decimal
}

// Times is the change that multiplies each amount.
func Times(factor decimal.Decimal) Change { return Change{factor: &factor} }

// ParseChange reads a change.
func ParseChange(text string, w Words) (Change, error) {
	bad := errors.New("write the change as plus 20 %, minus 5 %, times 1.2 or plus 2.00")
	text = strings.ToLower(strings.Join(strings.Fields(text), " "))
	if text == "" || text == "same" || text == "the same" {
		return Change{}, nil
	}
	word, rest, _ := strings.Cut(text, " ")
	sign := 1
	switch {
	case word == "plus" || word == "minus" || word == "times":
	case text[0] == '+' || text[0] == '-':
		word, rest = map[byte]string{'+': "plus", '-': "minus"}[text[0]], text[1:]
	default:
		return Change{}, bad
	}
	if word == "minus" {
		sign = -1
	}
	rest, percent := strings.CutSuffix(strings.TrimSpace(rest), "%")
	d, err := changeBy(rest, w)
	if err != nil || d.Sign() < 0 || percent && word == "times" {
		return Change{}, bad
	}
	switch {
	case word == "times":
		return Change{factor: &d}, nil
	case percent:
		if sign < 0 {
			d = d.Neg()
		}
		factor := decimal.One.Add(decimal.One.Percent(d))
		if factor.Sign() < 0 {
			return Change{}, errors.New("minus more than 100 % leaves less than nothing")
		}
		return Change{factor: &factor}, nil
	case sign < 0:
		d = d.Neg()
	}
	return Change{plus: d}, nil
}

// changeBy reads by how much: a number, in which a comma may be the decimal sign, with or without the currency.
func changeBy(text string, w Words) (decimal.Decimal, error) {
	text = strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(text), strings.ToLower(w.Currency)))
	text = strings.TrimSpace(strings.Trim(text, "€$£¥"))
	if strings.Count(text, ",") == 1 && !strings.Contains(text, ".") {
		text = strings.Replace(text, ",", ".", 1)
	}
	return decimal.Parse(text)
}

// moreDigits is to how many digits behind the currency's amounts per unit are rounded.
const moreDigits = 2

// Apply makes a charge of another. Fixed sums are rounded half up to the currency's minor unit, amounts per
// unit to two digits more; percentages of the goods stay. What is not offered stays so. A sum that would fall
// below 0 is an error.
func (c Change) Apply(from *rate.Charge, w Words) (*rate.Charge, error) {
	if from == nil {
		return nil, nil
	}
	to := *from
	if c.factor != nil {
		for _, amount := range []**decimal.Decimal{&to.Base, &to.PerItem, &to.FirstItem, &to.NextItem} {
			if *amount != nil {
				d := (*amount).Mul(*c.factor).Round(w.Digits)
				*amount = &d
			}
		}
		for _, unit := range []**rate.PerUnit{&to.PerWeight, &to.PerDistance} {
			if *unit != nil {
				u := **unit
				u.Amount = u.Amount.Mul(*c.factor).Round(w.Digits + moreDigits)
				*unit = &u
			}
		}
	}
	if !c.plus.IsZero() {
		sum := c.plus
		if to.Base != nil {
			sum = to.Base.Add(c.plus)
		}
		if sum.Sign() < 0 {
			return nil, fmt.Errorf("%s would fall below 0", Format(from, w))
		}
		to.Base = &sum
	}
	return &to, nil
}
