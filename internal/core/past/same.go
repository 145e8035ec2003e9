package past

import (
	"reflect"

	"diadrom/internal/core/store"
)

// Unaffected are the ids of the methods that charge and cost the same for every order under two stores, because they
// and all that they share with others (zones, products, boxes, taxes, surcharges and agreed charges) are equal in both.
func Unaffected(a, b *store.File) map[string]bool {
	same := map[string]bool{}
	if !shareAll(a, b) {
		return same
	}
	others := map[string]*store.Method{}
	for i := range b.Methods {
		others[b.Methods[i].ID] = &b.Methods[i]
	}
	for i := range a.Methods {
		m := &a.Methods[i]
		if o := others[m.ID]; o != nil && reflect.DeepEqual(m, o) && reflect.DeepEqual(a.CostOf(m.ID), b.CostOf(m.ID)) {
			same[m.ID] = true
		}
	}
	return same
}

// shareAll says whether all that methods share is equal in two stores.
func shareAll(a, b *store.File) bool {
	for _, pair := range [...][2]any{
		{a.Store, b.Store}, {a.Locations, b.Locations}, {a.Classes, b.Classes}, {a.Boxes, b.Boxes},
		{a.Products, b.Products}, {a.Zones, b.Zones}, {a.Carriers, b.Carriers}, {a.Surcharges, b.Surcharges},
		{a.Agreed, b.Agreed},
	} {
		if !reflect.DeepEqual(pair[0], pair[1]) {
			return false
		}
	}
	return true
}
