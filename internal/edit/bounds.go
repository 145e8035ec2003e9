package edit

import (
	"regexp"
	"strings"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
)

// Bounds are a lowest and a highest price that were typed into a cell of a price list, where they cannot stand: they
// are terms of the method in the zone.
type Bounds struct {
	Rest             string // what else was typed: a charge, or ""
	Minimum, Maximum string // as typed; "" for none
}

var boundWords = regexp.MustCompile(
	`(?i)(?:^|[\s,;]+)(?:and\s+)?(?:(min(?:imum)?|at least|not less than)|` +
		`(max(?:imum)?|at most|not more than|capped at))` +
		`\.?:?\s+(?:of\s+)?((?:(?-i:[A-Z]{3})\s*|[€$£]\s*)?[0-9][0-9.,]*(?:\s*(?:(?-i:[A-Z]{3})|[€$£]))?)`)

// BoundsTyped finds bounds in what was typed into a cell; false where there are none, or where what is left is no
// charge.
func BoundsTyped(f *store.File, typed string) (b Bounds, ok bool) {
	w := f.Words()
	for _, m := range boundWords.FindAllStringSubmatch(typed, -1) {
		into := &b.Minimum
		if m[1] == "" {
			into = &b.Maximum
		}
		if *into != "" {
			return b, false
		}
		amount, err := terms.ParseMoney(strings.Trim(strings.TrimRight(m[3], ".,"), "€$£ "), w)
		if err != nil {
			return b, false
		}
		*into = w.Money(*amount)
	}
	b.Rest = strings.Trim(boundWords.ReplaceAllString(typed, " "), " ,;")
	if b.Rest != "" {
		if _, err := charge.Parse(b.Rest, w); err != nil {
			return b, false
		}
	}
	return b, b.Minimum != "" || b.Maximum != ""
}

// SetBounds sets what was typed into a cell, with its bounds as terms of the method in that zone. was is what the owner
// saw in the cell; where that is something else by now the error is a [*Conflict].
func SetBounds(f *store.File, m *store.Method, t *rate.Table, cell Cell, was string, b Bounds) error {
	if b.Rest != "" {
		if _, _, err := SetCell(f, t, cell, was, b.Rest); err != nil {
			return err
		}
	}
	for field, typed := range map[terms.Field]string{terms.Minimum: b.Minimum, terms.Maximum: b.Maximum} {
		if typed == "" {
			continue
		}
		if err := setTerm(f, m, Term{Zone: cell.Zone, Field: field}, typed); err != nil {
			return err
		}
	}
	return nil
}
