package till

import (
	"slices"

	"diadrom/internal/core/store"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"
)

// BuyerView is who buys, as far as any price looks at it.
type BuyerView struct {
	AsksCoupons, AsksCustomer bool
	Coupons, Customer         string
	Groups                    []shell.Choice // none where no price looks at groups
	Customers                 []string       // that charges were agreed with
}

// BuyerOf shows the fields that the prices of a shop look at, and those that are filled in.
func BuyerOf(f *store.File, t sqlite.Till) BuyerView {
	v := BuyerView{
		Coupons:      t.Coupons,
		Customer:     t.Customer,
		AsksCoupons:  t.Coupons != "",
		AsksCustomer: t.Customer != "",
	}
	groups := []string{}
	if t.Group != "" {
		groups = append(groups, t.Group)
	}
	look := func(n *store.Needs, free *store.Free) {
		if n != nil {
			v.AsksCoupons = v.AsksCoupons || len(n.Coupons) > 0
			groups = append(groups, n.Groups...)
		}
		v.AsksCoupons = v.AsksCoupons || free != nil && len(free.Coupons) > 0
	}
	for i := range f.Methods {
		m := &f.Methods[i]
		look(m.Needs, m.Free)
		for _, own := range m.Terms {
			look(own.Needs, own.Free)
		}
	}
	for i := range f.Agreed {
		if a := &f.Agreed[i]; a.Customer != "" {
			v.AsksCustomer = true
			v.Customers = append(v.Customers, a.Customer)
		}
		if g := f.Agreed[i].Group; g != "" {
			groups = append(groups, g)
		}
	}
	slices.Sort(v.Customers)
	v.Customers = slices.Compact(v.Customers)
	slices.Sort(groups)
	groups = slices.Compact(groups)
	if len(groups) > 0 {
		v.Groups = []shell.Choice{{Name: "no group", Chosen: t.Group == ""}}
		for _, g := range groups {
			v.Groups = append(v.Groups, shell.Choice{ID: g, Name: g, Chosen: g == t.Group})
		}
	}
	return v
}
