package live

import (
	"cmp"
	"context"
	"fmt"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/review/compare"
	"diadrom/internal/review/warnings"
	"diadrom/internal/shop/samples"
)

// shiftRow is what happens to an option, with the carts and destinations to which it does.
type shiftRow struct {
	Kind, Says, Label, Was, Is string
	Cases                      []string
	More                       int
}

// compareView is what a change means for buyers.
type compareView struct {
	Shifts []shiftRow
	Silent []string // to whom nothing is offered any more
	Asked  int
	Same   int
	Counts []string // how often each kind of shift happens
	Beside string   // which two are compared
}

// maxCases is how many carts and destinations are named for a shift.
const maxCases = 4

// compared quotes the sample carts to the shop's usual destinations from two stores.
func (s *Screens) compared(
	ctx context.Context,
	before, after *quote.Engine,
	beside string,
) (v compareView, err error) {
	v.Beside = beside
	r, err := samples.Compare(ctx, s.db, before, after)
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
		row := shiftRow{
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

// warningRow is a warning that the draft has and the live edition has not.
type warningRow struct{ Method, Path, Text string }

// newWarnings lists the warnings about a store that it did not have before.
func newWarnings(before, after *store.File) (rows []warningRow) {
	was := map[string]bool{}
	if before != nil {
		for i := range before.Methods {
			for _, o := range warnings.Method(before, &before.Methods[i]) {
				was[before.Methods[i].ID+" "+o.Text] = true
			}
		}
	}
	for i := range after.Methods {
		m := &after.Methods[i]
		for _, o := range warnings.Method(after, m) {
			if !was[m.ID+" "+o.Text] {
				rows = append(rows, warningRow{cmp.Or(m.Name, m.ID), "/rates/" + m.ID, o.Text})
			}
		}
	}
	return rows
}
