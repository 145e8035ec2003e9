// Package shifts shows what a change of the store means for buyers: which delivery methods cost more or less, come or
// go, for the sample carts to the usual destinations.
package shifts

import (
	"context"
	"embed"
	"fmt"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/world"
	"diadrom/internal/review/compare"
	"diadrom/internal/shop/samples"
)

// Files are the templates of this view.
//
//go:embed templates/*.html
var Files embed.FS

// Row is what happens to an option, with the carts and destinations to which it does.
type Row struct {
	Kind, Says, Label, Was, Is string
	Cases                      []string
	More                       int
}

// View is what a change means for buyers; the template "shifts" draws it.
type View struct {
	Shifts []Row
	Silent []string // to whom nothing is offered any more
	Asked  int
	Same   int
	Counts []string // how often each kind of shift happens
	Beside string   // which two are compared
}

// maxCases is how many carts and destinations are named for a shift.
const maxCases = 4

// Of quotes the sample carts to the shop's usual destinations from two stores; before may be nil. beside says which two
// they are.
func Of(
	ctx context.Context,
	db samples.Source,
	before, after *quote.Engine,
	beside string,
) (v View, err error) {
	v.Beside = beside
	r, err := samples.Compare(ctx, db, before, after)
	if err != nil {
		return v, err
	}
	v.Asked, v.Same = r.Asked, r.Same
	for _, kind := range compare.Kinds {
		if n := r.Count(kind); n > 0 {
			v.Counts = append(v.Counts, fmt.Sprintf("%d %s", n, kind))
		}
	}
	for _, shift := range r.Shifts {
		row := Row{
			Kind:  string(shift.Kind),
			Says:  shift.Kind.String(),
			Label: shift.Label,
			Was:   shift.Was,
			Is:    shift.Is,
		}
		switch currency := after.Store().Store.Currency; shift.Kind {
		case compare.Gone, compare.Dearer, compare.Cheaper, compare.New:
			row.Was, row.Is = world.DeliveryPrice(shift.Was, currency), world.DeliveryPrice(shift.Is, currency)
		case compare.Tax:
			row.Was, row.Is = world.Price(shift.Was, currency), world.Price(shift.Is, currency)
		}
		row.Cases, row.More = caseNames(shift.Cases)
		v.Shifts = append(v.Shifts, row)
	}
	v.Silent, _ = caseNames(r.Silent)
	return v, nil
}

func caseNames(cases []compare.Case) (names []string, more int) {
	for i, c := range cases {
		if i == maxCases {
			return names, len(cases) - i
		}
		names = append(names, c.Cart+" to "+c.To)
	}
	return names, 0
}
