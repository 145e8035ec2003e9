package warnings

import (
	"cmp"
	"slices"

	"diadrom/internal/core/packing"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
)

// parcels finds goods that do not go into the boxes of a method, and boxes that nothing goes into.
func parcels(f *store.File, m *store.Method) (list []Warning) {
	boxes := f.BoxesOf(m)
	if len(boxes) == 0 {
		return nil
	}
	add := func(text string) { list = append(list, Warning{"", "", -1, text}) }
	limit := m.Parcels.MaxWeight
	kinds, used := make([]packing.Box, len(boxes)), make([]bool, len(boxes))
	for i, b := range boxes {
		kinds[i] = quote.BoxToPack(b)
		if limit != nil && !kinds[i].Weight.Less(*limit) {
			add(f.BoxName(b.ID) + " is as heavy empty as a parcel may be, so nothing goes into it")
			used[i] = true
		}
	}
	none, unsized, some := unboxed(f, m, kinds, used)
	if len(none) > 0 {
		alone := "it travels alone"
		if len(none) > 1 {
			alone = "each travels alone"
		}
		add("no box takes " + plural.Few(none) + ": " + alone)
	}
	if len(unsized) > 0 {
		room := " has no size and takes no room in a box"
		if len(unsized) > 1 {
			room = " have no size and take no room in a box"
		}
		add(plural.Few(unsized) + room)
	}
	for i, b := range boxes {
		if some && !used[i] {
			add("no product goes into " + f.BoxName(b.ID))
		}
	}
	return list
}

// unboxed names the products of a method that no box takes, and those without a size, and notes which boxes take some;
// some is false where the method packs nothing.
func unboxed(f *store.File, m *store.Method, kinds []packing.Box, used []bool) (none, unsized []string, some bool) {
	for i := range f.Products {
		p := &f.Products[i]
		if !p.NeedsShipping || p.OwnParcel || !takesClass(m, p.Class) {
			continue
		}
		some = true
		goods := quote.GoodsToPack(&f.Store, p, 1)
		takes := false
		for j := range kinds {
			if kinds[j].Takes(&goods, m.Parcels.MaxWeight) {
				takes, used[j] = true, true
			}
		}
		switch {
		case !takes:
			none = append(none, cmp.Or(p.Name, p.SKU))
		case !p.Sized():
			unsized = append(unsized, cmp.Or(p.Name, p.SKU))
		}
	}
	return none, unsized, some
}

// takesClass says whether a method's conditions everywhere take goods of a class.
func takesClass(m *store.Method, class string) bool {
	n := m.Needs
	return n == nil || (len(n.OnlyClasses) == 0 || slices.Contains(n.OnlyClasses, class)) &&
		(class == "" || !slices.Contains(n.WithoutClasses, class))
}
