// Package compare says what a change of a store means for buyers: what becomes dearer and cheaper, what is
// newly offered and what is not offered any more, over carts and destinations.
package compare

import (
	"slices"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/terms"
)

// Kind is what happens to an option.
type Kind string

// The kinds, in the order in which owners fear them.
const (
	Gone    Kind = "gone"    // not offered any more
	Dearer  Kind = "dearer"  //
	Cheaper Kind = "cheaper" //
	New     Kind = "new"     // newly offered
	Days    Kind = "days"    // with another delivery time
	Tax     Kind = "tax"     // at the same price, with another tax in it
	Named   Kind = "named"   // under another name
	Told    Kind = "told"    // not offered, and buyers are told something else
)

var words = map[Kind]string{
	Gone:    "not offered any more",
	Dearer:  "dearer",
	Cheaper: "cheaper",
	New:     "newly offered",
	Days:    "has another delivery time",
	Tax:     "has another tax in its price",
	Named:   "has another name",
	Told:    "is not offered, and buyers are told something else",
}

// String says what happens, as it follows "is".
func (k Kind) String() string { return words[k] }

// Kinds lists them.
var Kinds = []Kind{Gone, Dearer, Cheaper, New, Days, Tax, Named, Told}

// Case is a cart that goes somewhere, as each side asks it.
type Case struct {
	Cart, To      string
	Before, After *quote.Request // nil where the side lacks goods of the cart
}

// Shift is what happens to a method, for all cases to which the same happens.
type Shift struct {
	Kind    Kind
	Method  string // id
	Service string // of its carrier; "" where it asks none
	Label   string
	Was, Is string // what the buyer pays or reads; "" where it is not offered
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
	before, after = ahead(before, after, cases)
	index := map[[5]string]int{}
	for _, c := range cases {
		r.Asked++
		same := true
		compareCase(before, after, &c, &r, func(kind Kind, o *quote.Option, was, is string) {
			same = false
			key := [5]string{string(kind), o.Method, o.Service, was, is}
			i, ok := index[key]
			if !ok {
				i = len(r.Shifts)
				index[key] = i
				r.Shifts = append(r.Shifts, Shift{Kind: kind, Method: o.Method, Service: o.Service, Label: o.Label,
					Was: was, Is: is})
			}
			r.Shifts[i].Cases = append(r.Shifts[i].Cases, c)
		})
		if same {
			r.Same++
		}
	}
	slices.SortStableFunc(r.Shifts, func(a, b Shift) int {
		return slices.Index(Kinds, a.Kind) - slices.Index(Kinds, b.Kind)
	})
	return r
}

// ahead asks services outside for all cases at once, and carriers once for both sides.
func ahead(before, after *quote.Engine, cases []Case) (*quote.Engine, *quote.Engine) {
	var was, is []quote.Request
	for i := range cases {
		if q := cases[i].Before; q != nil {
			was = append(was, *q)
		}
		if q := cases[i].After; q != nil {
			is = append(is, *q)
		}
	}
	sides := quote.Together([]*quote.Engine{before, after}, [][]quote.Request{was, is})
	return sides[0], sides[1]
}

// compareCase notes what of a case is different.
func compareCase(
	before, after *quote.Engine,
	c *Case,
	r *Report,
	note func(kind Kind, o *quote.Option, was, is string),
) {
	was, wasRefused := offers(before, c.Before)
	is, isRefused := offers(after, c.After)
	for i := range is {
		o := &is[i]
		if j := slices.IndexFunc(was, func(p quote.Option) bool { return same(&p, o) }); j < 0 {
			note(New, o, "", o.Total)
		} else {
			compareOption(&was[j], o, note)
		}
	}
	for _, refused := range isRefused {
		j := slices.IndexFunc(wasRefused, func(p quote.Refused) bool { return p.Method == refused.Method })
		if j >= 0 && wasRefused[j].Text != refused.Text {
			told := quote.Option{Method: refused.Method, Label: labelOf(after, refused.Method)}
			note(Told, &told, wasRefused[j].Text, refused.Text)
		}
	}
	for i := range was {
		o := &was[i]
		if !slices.ContainsFunc(is, func(p quote.Option) bool { return same(&p, o) }) {
			note(Gone, o, o.Total, "")
		}
	}
	if len(was) > 0 && len(is) == 0 {
		r.Silent = append(r.Silent, *c)
	}
}

// same says whether two options are the same to a buyer: of the same method, sent by the same service of its carrier.
func same(a, b *quote.Option) bool { return a.Method == b.Method && a.Service == b.Service }

// compareOption notes what of an option that both offer is different.
func compareOption(old, o *quote.Option, note func(kind Kind, o *quote.Option, was, is string)) {
	switch old.Amounts.Total.Cmp(o.Amounts.Total) {
	case -1:
		note(Dearer, o, old.Total, o.Total)
	case 1:
		note(Cheaper, o, old.Total, o.Total)
	default:
		if old.Amounts.Tax.Cmp(o.Amounts.Tax) != 0 {
			note(Tax, o, old.Tax, o.Tax)
		}
	}
	if a, b := days(old), days(o); a != b {
		note(Days, o, a, b)
	}
	if old.Label != o.Label {
		note(Named, o, old.Label, o.Label)
	}
}

func offers(e *quote.Engine, q *quote.Request) ([]quote.Option, []quote.Refused) {
	if e == nil || q == nil {
		return nil, nil
	}
	a := e.Quote(q)
	return a.Options, a.Refused
}

// days is the delivery time of an option as buyers read it.
func days(o *quote.Option) string {
	if text := terms.FormatDays(o.Days); text != "" {
		return text
	}
	return "no time said"
}

func labelOf(e *quote.Engine, id string) string {
	if m := e.Store().Method(id); m != nil {
		return m.BuyersLabel()
	}
	return id
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
