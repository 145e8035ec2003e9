package edit

import (
	"slices"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/tables/productlist"
)

// EmptyTable is a price list of one row that measures something, without columns.
func EmptyTable(id, name string, by rate.By) rate.Table {
	t := rate.Table{ID: id, Name: name, By: by, Rows: make([]rate.Row, 1)}
	switch by {
	case rate.BySubtotal:
		zero := decimal.Zero
		t.Edges, t.Rows[0].At = rate.From, &zero
	case rate.ByOrder:
	default:
		t.Edges = rate.UpTo
	}
	return t
}

// SetEdges has the rows lie on the other side of their breaks: a list "up to 2, up to 10, above" becomes
// "from 0, from 2, from 10" and back, with the same charges.
func SetEdges(t *rate.Table, edges rate.Edges) {
	if t.Edges == edges || t.By == rate.ByOrder {
		return
	}
	n := len(t.Rows)
	switch edges {
	case rate.From:
		zero := decimal.Zero
		next := &zero
		for i := range t.Rows {
			at := t.Rows[i].At
			t.Rows[i].At = next
			next = at
		}
		if next != nil { // what lay above the last row was not offered
			t.Rows = append(t.Rows, rate.Row{At: next, Charges: make([]*rate.Charge, len(t.Zones))})
		}
	case rate.UpTo:
		for i := range t.Rows {
			t.Rows[i].At = nil
			if i+1 < n {
				t.Rows[i].At = t.Rows[i+1].At
			}
		}
		if n > 1 && !slices.ContainsFunc(t.Rows[n-1].Charges, func(c *rate.Charge) bool { return c != nil }) {
			t.Rows = t.Rows[:n-1]
		}
	default:
		return
	}
	t.Edges = edges
}

// SetPer has a list price the whole order, or each parcel. Where the dearest of several lists counts, all are set alike.
func SetPer(m *store.Method, t *rate.Table, order bool) {
	per := rate.PerParcel
	if order {
		per = rate.PerOrder
	}
	t.Per = per
	for i := range m.Tables {
		if m.Classes == store.Dearest {
			m.Tables[i].Per = per
		}
	}
}

// SetBy has a list of a method measure something else; its numbers stay. One price is for every order, and what was one
// for every order goes by parcels, unless it has to be as the method's other lists.
func SetBy(m *store.Method, t *rate.Table, by rate.By) error {
	per := t.Per
	switch {
	case by == t.By:
		return nil
	case !slices.Contains(rate.Measures, by):
		return Problemf("choose what the price goes by")
	case by == rate.ByOrder && len(t.Rows) > 1:
		return Problemf("one price for every order is a list of one row: remove the others first")
	case by == rate.ByOrder:
		t.Edges, t.Rows[0].At, t.Graduated, t.Per = "", nil, false, rate.PerOrder
	case t.By == rate.ByOrder:
		empty := EmptyTable("", "", by)
		t.Edges, t.Rows[0].At, t.Per = empty.Edges, empty.Rows[0].At, rate.PerParcel
	}
	if m.Classes == store.Dearest && len(m.Tables) > 1 {
		t.Per = per
	}
	if by == rate.BySubtotal {
		t.Graduated = false
	}
	t.By = by
	return nil
}

// classes reads classes as they are typed, by their names or ids.
func classes(f *store.File, typed string) (ids []string, err error) {
	for _, name := range terms.ParseList(typed) {
		id, err := productlist.ClassOf(f, name)
		if err != nil {
			return nil, Problemf("there is no class %.40q: add it under Products", name)
		}
		ids = append(ids, id)
	}
	return ids, nil
}

// SetClasses has a list price the goods of some classes, as they are typed; of all that no other list
// claims where there are none.
func SetClasses(f *store.File, t *rate.Table, typed string) error {
	ids, err := classes(f, typed)
	if err == nil {
		t.Classes = ids
	}
	return err
}

// NameTable names a price list.
func NameTable(t *rate.Table, typed string) (err error) {
	t.Name, err = Name(typed)
	return err
}

// SetCombine sets how the lists of a method make one charge: the amounts are added, or the dearest counts.
func SetCombine(m *store.Method, how store.Combine) error {
	if how != store.Add && how != store.Dearest {
		return Problemf("choose how the price lists make one charge")
	}
	m.Classes = how
	return nil
}

// AddTable adds a list for goods of some classes, as they are typed, over the zones of the method's first
// list, or of the store.
func AddTable(f *store.File, m *store.Method, by rate.By, typed string) error {
	if !slices.Contains(rate.Measures, by) {
		return Problemf("choose what the price goes by")
	}
	ids, err := classes(f, typed)
	if err != nil {
		return err
	}
	if len(ids) == 0 && len(m.Tables) > 0 {
		return Problemf("say for goods of which class the new list is")
	}
	name := "Price list"
	if len(ids) > 0 {
		name = f.ClassName(ids[0])
	}
	id := store.NewID(name, "list", func(id string) bool {
		return m.Table(id) != nil
	})
	t := EmptyTable(id, name, by)
	t.Classes = ids
	if len(m.Tables) > 0 {
		t.Zones = slices.Clone(m.Tables[0].Zones)
		if m.Classes == store.Dearest {
			t.Per = m.Tables[0].Per
		}
	} else {
		for i := range f.Zones {
			t.Zones = append(t.Zones, f.Zones[i].ID)
		}
	}
	t.Rows[0].Charges = make([]*rate.Charge, len(t.Zones))
	m.Tables = slices.Insert(m.Tables, 0, t)
	if m.Classes == store.Together && len(m.Tables) > 1 {
		m.Classes = store.Add
	}
	return nil
}

// RemoveTable removes a list of a method, and the terms of zones that no list prices any more.
func RemoveTable(m *store.Method, table string) {
	m.Tables = slices.DeleteFunc(m.Tables, func(t rate.Table) bool { return t.ID == table })
	if len(m.Tables) == 1 && len(m.Tables[0].Classes) == 0 {
		m.Classes = store.Together
	}
	for zone := range m.Terms {
		if !slices.Contains(m.ServedZones(), zone) {
			delete(m.Terms, zone)
		}
	}
}
