// Package compare says what a change of a store means for buyers: what becomes dearer and cheaper, what is newly offered and what is not
// offered any more, over carts and destinations.
package compare

import (
	"slices"

	"diadrom/internal/exact"
	"diadrom/internal/quote"
)

// Kind is what happens to an option.
type Kind string

// The kinds, in the order in which owners fear them.
const (
	Gone    Kind = "gone"    // not offered any more
	Dearer  Kind = "dearer"  //
	Cheaper Kind = "cheaper" //
	New     Kind = "new"     // newly offered
)

var words = map[Kind]string{Gone: "not offered any more", Dearer: "dearer", Cheaper: "cheaper", New: "newly offered"}

// String says what happens, as it follows "is".
func (k Kind) String() string { return words[k] }

// Kinds lists them.
var Kinds = []Kind{Gone, Dearer, Cheaper, New}

// Case is a cart that goes somewhere, as each side asks it.
type Case struct {
	Cart, To      string
	Before, After *quote.Request // nil where the side lacks goods of the cart
}

// Shift is what happens to a method, for all cases to which the same happens.
type Shift struct {
	Kind    Kind
	Method  string // id
	Label   string
	Was, Is string // charges; "" where it is not offered
	Cases   []Case
}

// Report is what a change means.
type Report struct {
	Shifts []Shift
	Asked  int    // cases
	Same   int    // cases to which nothing happens
	Silent []Case // cases that are offered nothing any more
}

// Quotes compares what two stores answer.
func Quotes(before, after *quote.Engine, cases []Case) (r Report) {
	index := map[[4]string]int{}
	for _, c := range cases {
		was, _ := offers(before, c.Before)
		is, _ := offers(after, c.After)
		r.Asked++
		same := true
		note := func(kind Kind, o quote.Option, was, is string) {
			same = false
			key := [4]string{string(kind), o.Method, was, is}
			i, ok := index[key]
			if !ok {
				i = len(r.Shifts)
				index[key] = i
				r.Shifts = append(r.Shifts, Shift{Kind: kind, Method: o.Method, Label: o.Label, Was: was, Is: is})
			}
			r.Shifts[i].Cases = append(r.Shifts[i].Cases, c)
		}
		for _, o := range is {
			j := slices.IndexFunc(was, func(p quote.Option) bool { return p.Method == o.Method })
			if j < 0 {
				note(New, o, "", o.Charge)
				continue
			}
			switch exact.MustParse(was[j].Charge).Cmp(exact.MustParse(o.Charge)) {
			case -1:
				note(Dearer, o, was[j].Charge, o.Charge)
			case 1:
				note(Cheaper, o, was[j].Charge, o.Charge)
			}
		}
		for _, o := range was {
			if !slices.ContainsFunc(is, func(p quote.Option) bool { return p.Method == o.Method }) {
				note(Gone, o, o.Charge, "")
			}
		}
		if len(was) > 0 && len(is) == 0 {
			r.Silent = append(r.Silent, c)
		}
		if same {
			r.Same++
		}
	}
	slices.SortStableFunc(r.Shifts, func(a, b Shift) int { return slices.Index(Kinds, a.Kind) - slices.Index(Kinds, b.Kind) })
	return r
}

func offers(e *quote.Engine, q *quote.Request) ([]quote.Option, bool) {
	if e == nil || q == nil {
		return nil, false
	}
	return e.Quote(q).Options, true
}

// Count is how many cases something of a kind happens to.
func (r *Report) Count(kind Kind) (n int) {
	for i := range r.Shifts {
		if r.Shifts[i].Kind == kind {
			n += len(r.Shifts[i].Cases)
		}
	}
	return n
}
