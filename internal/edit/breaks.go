package edit

import (
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// breakWords stand around a break point as people write it. They say which row the break point itself is in: the one
// that it ends (up to), or the one that it begins (from).
var breakWords = []struct {
	before, behind string
	edges          rate.Edges
	next           bool // they name the row on the other side of the break point
}{
	{"up to and including", "", rate.UpTo, false},
	{"up to", "", rate.UpTo, false},
	{"≤", "", rate.UpTo, false},
	{"over", "", rate.UpTo, true},
	{"above", "", rate.UpTo, true},
	{"more than", "", rate.UpTo, true},
	{">", "", rate.UpTo, true},
	{"from", "", rate.From, false},
	{"≥", "", rate.From, false},
	{"", "and over", rate.From, false},
	{"", "and up", rate.From, false},
	{"", "and more", rate.From, false},
	{"", "or more", rate.From, false},
	{"under", "", rate.From, true},
	{"below", "", rate.From, true},
	{"less than", "", rate.From, true},
	{"<", "", rate.From, true},
}

// readBreak reads the break point of a row as people write it: 2, 250 g, up to 2 kg, 10 and over. Words that put the
// break point itself into another row than the list does are refused. With either the words may name the row on the
// other side, as in "over 75" for a list up to 75.
func readBreak(f *store.File, t *rate.Table, typed string, either bool) (*decimal.Decimal, error) {
	text, said, next := strings.Join(strings.Fields(typed), " "), t.Edges, false
	for _, w := range breakWords {
		folded := strings.ToLower(text)
		if strings.HasPrefix(folded, w.before) && strings.HasSuffix(folded, w.behind) && len(text) == len(folded) &&
			len(text) > len(w.before)+len(w.behind) {
			text = strings.TrimSpace(text[len(w.before) : len(text)-len(w.behind)])
			said, next = w.edges, w.next
			break
		}
	}
	at, err := ParseBreak(text, Unit(f, t.By))
	if err != nil {
		if converted, ok := inUnit(f, t.By, text); ok {
			at, err = converted, nil
		}
	}
	switch {
	case err != nil:
		return nil, err
	case said != t.Edges && t.Edges == rate.UpTo:
		return nil, Problemf("in this price list %[1]s belongs to the row up to %[1]s: write %[1]s, or change the "+
			"rows to "+
			"start at their break points", at)
	case said != t.Edges:
		return nil, Problemf("in this price list %[1]s belongs to the row from %[1]s: write %[1]s, or change the "+
			"rows to "+
			"end at their break points", at)
	case next && !either:
		return nil, Problemf("%q is the row on the other side of %s: write the break point of this row", typed, at)
	}
	return at, nil
}

// inUnit turns a weight or a distance in another unit into the list's: 250 g in a list in kg.
func inUnit(f *store.File, by rate.By, text string) (*decimal.Decimal, bool) {
	kind := measure.Weight
	switch by {
	case rate.ByWeight, rate.ByBilled:
	case rate.ByDistance:
		kind = measure.Distance
	default:
		return nil, false
	}
	if !otherUnit.MatchString(text) {
		return nil, false
	}
	d, err := measure.Parse(kind, text, Unit(f, by))
	if err != nil {
		return nil, false
	}
	return &d, true
}
