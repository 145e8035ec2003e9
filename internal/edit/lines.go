package edit

import (
	"diadrom/internal/core/fault"
	"diadrom/internal/core/oneline"
	"diadrom/internal/core/store"
)

// CheckLines gives a fault for each name and sku of a store that nobody could have typed: they are one line, and have
// nothing that cannot be seen. What comes from other programs is held to that before it is edited with.
func CheckLines(f *store.File) (faults fault.List) {
	check := func(text string, path ...any) {
		if !oneline.Is(text) {
			faults.Add(fault.Path(path).String(), fault.Range,
				"%.60q is not one line without spaces around it, or has something in it that cannot be seen", text)
		}
	}
	check(f.Store.Name, "store", "name")
	list := func(kind string, n int, at func(i int) (name, id string)) {
		for i := range n {
			name, id := at(i)
			check(name, kind, i, "name")
			check(id, kind, i, "sku")
		}
	}
	list("zones", len(f.Zones), func(i int) (string, string) { return f.Zones[i].Name, "" })
	list("classes", len(f.Classes), func(i int) (string, string) { return f.Classes[i].Name, "" })
	list("locations", len(f.Locations), func(i int) (string, string) { return f.Locations[i].Name, "" })
	list("boxes", len(f.Boxes), func(i int) (string, string) { return f.Boxes[i].Name, "" })
	list("products", len(f.Products), func(i int) (string, string) { return f.Products[i].Name, f.Products[i].SKU })
	list("carriers", len(f.Carriers), func(i int) (string, string) { return f.Carriers[i].Name, "" })
	list("methods", len(f.Methods), func(i int) (string, string) { return f.Methods[i].Name, "" })
	list("surcharges", len(f.Surcharges), func(i int) (string, string) { return f.Surcharges[i].Name, "" })
	return faults
}
