package edit

import (
	"cmp"
	"slices"
	"strings"

	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
)

// costOwner is before the id of an entry of costs where it stands among the owners of price lists: together they are an
// id such as methods have, which no screen gives to one.
const costOwner = "cost--"

// CostOwner is what an entry of costs is called where methods and costs are addressed alike: their price lists are
// edited by the same functions.
func CostOwner(id string) string { return costOwner + id }

// CostID is the id of the entry of costs that an owner of price lists is; false where it is a method.
func CostID(owner string) (id string, ok bool) { return strings.CutPrefix(owner, costOwner) }

// Owner finds what has price lists: a method by its id, or an entry of costs by its [CostOwner], which is given as a
// method with its lists. nil where there is none. What is changed in the lists of an entry is changed in the file;
// lists are added and removed through [Lists].
func Owner(f *store.File, owner string) *store.Method {
	if m := f.Method(owner); m != nil {
		return m
	}
	id, ok := CostID(owner)
	if !ok {
		return nil
	}
	c := Cost(f, id)
	if c == nil {
		return nil
	}
	return &store.Method{ID: owner, Name: cmp.Or(c.Name, c.ID), Kind: store.Delivery, Enabled: true, Classes: c.Classes,
		Tables: c.Tables}
}

// Cost finds an entry of costs by its id; nil where there is none.
func Cost(f *store.File, id string) *store.Cost {
	i := slices.IndexFunc(f.Costs, func(c store.Cost) bool { return c.ID == id })
	if i < 0 {
		return nil
	}
	return &f.Costs[i]
}

// Lists changes the price lists of a method or an entry of costs as a whole.
func Lists(f *store.File, owner string, change func(*store.Method) error) error {
	m := Owner(f, owner)
	if m == nil {
		return Problemf("these price lists were removed meanwhile; nothing was changed")
	}
	if err := change(m); err != nil {
		return err
	}
	if id, ok := CostID(owner); ok && f.Method(owner) == nil {
		c := Cost(f, id)
		c.Tables, c.Classes = m.Tables, m.Classes
	}
	return nil
}

// WithCostsAsMethods is a copy of a file in which the entries of costs are methods behind the others, so that what
// reads price lists into methods reads them into costs too. [CostsFromMethods] takes them back.
func WithCostsAsMethods(f *store.File) *store.File {
	out := f.Clone()
	for i := range out.Costs {
		out.Methods = append(out.Methods, *Owner(out, CostOwner(out.Costs[i].ID)))
	}
	out.Costs = nil
	return out
}

// CostsFromMethods puts what became of a copy with costs as methods into the file: zones, methods and the lists of the
// entries of costs.
func CostsFromMethods(f, changed *store.File) {
	f.Zones, f.Methods = changed.Zones, nil
	for i := range changed.Methods {
		m := &changed.Methods[i]
		id, ok := CostID(m.ID)
		c := Cost(f, id)
		if !ok || c == nil {
			f.Methods = append(f.Methods, *m)
			continue
		}
		c.Tables, c.Classes = m.Tables, m.Classes
	}
}

// newCost adds an entry of costs.
func newCost(f *store.File, name string) *store.Cost {
	id := store.NewID(name, "costs", func(id string) bool { return Cost(f, id) != nil })
	f.Costs = append(f.Costs, store.Cost{ID: id, Name: name, Methods: []string{}, Classes: store.Together})
	return &f.Costs[len(f.Costs)-1]
}

// AddCost adds an entry of costs by its name as it is typed, for a method, by its id, that has none yet. Its price list
// has the zones of the method's, in which nothing has a cost yet. It says what the entry's id is.
func AddCost(f *store.File, typed, method string, by rate.By) (id string, err error) {
	name, err := Name(typed)
	if err != nil {
		return "", err
	}
	m := f.Method(method)
	switch {
	case m == nil:
		return "", Problemf("choose the method that this is the cost of")
	case f.CostOf(method) != nil:
		return "", Problemf("what %s costs is in %s already", cmp.Or(m.Name, m.ID), costName(f.CostOf(method)))
	case !slices.Contains(rate.Measures, by):
		return "", Problemf("choose what the cost goes by")
	}
	t := EmptyTable("list", "Costs", by)
	t.Zones = m.ServedZones()
	if len(t.Zones) == 0 {
		for i := range f.Zones {
			t.Zones = append(t.Zones, f.Zones[i].ID)
		}
	}
	t.Rows[0].Charges = make([]*rate.Charge, len(t.Zones))
	c := newCost(f, name)
	c.Methods, c.Tables = []string{method}, []rate.Table{t}
	return c.ID, nil
}

// CostOfMethod makes the price lists of a method that was read from a carrier's file an entry of costs, and removes the
// method. It says what the entry's id is.
func CostOfMethod(f *store.File, method, name string) string {
	m := f.Method(method)
	c := newCost(f, name)
	c.Tables, c.Classes = m.Tables, m.Classes
	f.Methods = slices.DeleteFunc(f.Methods, func(o store.Method) bool { return o.ID == method })
	return c.ID
}

func costName(c *store.Cost) string { return cmp.Or(c.Name, c.ID) }

// NameCost names an entry of costs.
func NameCost(f *store.File, id, typed string) error {
	c := Cost(f, id)
	if c == nil {
		return goneCost
	}
	name, err := Name(typed)
	if err == nil {
		c.Name = name
	}
	return err
}

var goneCost = Problemf("these costs were removed meanwhile; nothing was changed")

// SetCostMethod says whether an entry says what a method costs. A method has one entry at most: it leaves another.
func SetCostMethod(f *store.File, id, method string, on bool) error {
	c := Cost(f, id)
	switch {
	case c == nil:
		return goneCost
	case f.Method(method) == nil:
		return Problemf("this method was removed meanwhile; nothing was changed")
	}
	for i := range f.Costs {
		f.Costs[i].Methods = slices.DeleteFunc(
			slices.Clone(f.Costs[i].Methods),
			func(m string) bool { return m == method },
		)
	}
	if !on {
		return nil
	}
	for i := range f.Methods { // in the order of the methods
		if m := f.Methods[i].ID; m == method || slices.Contains(c.Methods, m) {
			c.Methods = append(slices.DeleteFunc(c.Methods, func(o string) bool { return o == m }), m)
		}
	}
	return nil
}

// SetPerParcel sets what each parcel costs beside what the lists say, as it is typed; nothing where that is empty.
func SetPerParcel(f *store.File, id, typed string) error {
	c := Cost(f, id)
	if c == nil {
		return goneCost
	}
	if strings.TrimSpace(typed) == "" {
		c.PerParcel = nil
		return nil
	}
	amount, err := terms.ParseMoney(typed, f.Words())
	if err != nil {
		return Problemf("%s", err.Error())
	}
	c.PerParcel = amount
	return nil
}

// RemoveCost removes an entry of costs.
func RemoveCost(f *store.File, id string) error {
	if Cost(f, id) == nil {
		return goneCost
	}
	f.Costs = slices.DeleteFunc(f.Costs, func(c store.Cost) bool { return c.ID == id })
	return nil
}
