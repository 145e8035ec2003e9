package store

import (
	"maps"
	"slices"

	"diadrom/internal/core/place"
	"diadrom/internal/core/rate"
)

// Clone is a copy that can be changed in all its parts without changing the file. Numbers, charges, areas and lists of
// postcodes are shared: none of them is changed, but replaced.
func (f *File) Clone() *File {
	c := *f
	c.Store.Tax.Rates = cloneEach(f.Store.Tax.Rates, func(t *TaxRate) { t.Rule = cloneRule(t.Rule) })
	c.Store.SellsTo = cloneRules(f.Store.SellsTo)
	if c.Store.Dispatch = clonePointer(f.Store.Dispatch); c.Store.Dispatch != nil {
		c.Store.Dispatch.Weekdays = slices.Clone(f.Store.Dispatch.Weekdays)
		c.Store.Dispatch.Closed = slices.Clone(f.Store.Dispatch.Closed)
	}
	c.Store.Checkout = clonePointer(f.Store.Checkout)
	c.Store.Defaults = f.Store.Defaults.clone()
	c.Locations = slices.Clone(f.Locations)
	c.Classes = slices.Clone(f.Classes)
	c.Boxes = slices.Clone(f.Boxes)
	c.Products = slices.Clone(f.Products)
	c.Zones = cloneEach(f.Zones, func(z *Zone) {
		z.Rank, z.Places, z.Except = clonePointer(z.Rank), cloneRules(z.Places), cloneRules(z.Except)
	})
	c.Carriers = slices.Clone(f.Carriers)
	c.Methods = cloneEach(f.Methods, cloneMethod)
	c.Costs = cloneEach(f.Costs, func(k *Cost) {
		k.Methods, k.Tables = slices.Clone(k.Methods), cloneTables(k.Tables)
	})
	c.Surcharges = cloneEach(f.Surcharges, func(s *Surcharge) {
		s.Places, s.Except, s.Methods = cloneRules(s.Places), cloneRules(s.Except), slices.Clone(s.Methods)
	})
	c.Agreed = cloneEach(
		f.Agreed,
		func(a *Agreed) { a.Place, a.Methods = clonePointer(a.Place), slices.Clone(a.Methods) },
	)
	return &c
}

func cloneEach[T any](list []T, deepen func(*T)) []T {
	out := slices.Clone(list)
	for i := range out {
		deepen(&out[i])
	}
	return out
}

func clonePointer[T any](p *T) *T {
	if p == nil {
		return nil
	}
	c := *p
	return &c
}

func cloneRules(rules []place.Rule) []place.Rule {
	return cloneEach(rules, func(r *place.Rule) { *r = cloneRule(*r) })
}

func cloneRule(r place.Rule) place.Rule {
	// An area does not change, and neither do the entries of a list of postcodes: what is added to it goes elsewhere.
	r.Postcodes, r.Within = slices.Clip(r.Postcodes), clonePointer(r.Within)
	return r
}

func cloneMethod(m *Method) {
	m.Days = clonePointer(m.Days)
	if m.Dispatch = clonePointer(m.Dispatch); m.Dispatch != nil {
		m.Dispatch.Weekdays = slices.Clone(m.Dispatch.Weekdays)
		m.Dispatch.LeadDays = clonePointer(m.Dispatch.LeadDays)
	}
	m.Available = clonePointer(m.Available)
	if m.Parcels = clonePointer(m.Parcels); m.Parcels != nil {
		m.Parcels.Boxes = slices.Clone(m.Parcels.Boxes)
	}
	if m.Carrier = clonePointer(m.Carrier); m.Carrier != nil {
		m.Carrier.Services = slices.Clone(m.Carrier.Services)
	}
	m.Handling = clonePointer(m.Handling)
	m.Needs = cloneNeeds(m.Needs)
	m.Free = cloneFree(m.Free)
	m.Inherits, m.Points = slices.Clone(m.Inherits), slices.Clone(m.Points)
	m.Terms = maps.Clone(m.Terms)
	for zone, t := range m.Terms {
		t.Days = clonePointer(t.Days)
		t.Handling = clonePointer(t.Handling)
		t.Needs = cloneNeeds(t.Needs)
		t.Free = cloneFree(t.Free)
		m.Terms[zone] = t
	}
	m.Tables = cloneTables(m.Tables)
}

// cloneTables copies tables. Their charges are shared, because a charge does not change: an edit puts another in its place.
func cloneTables(tables []rate.Table) []rate.Table {
	return cloneEach(tables, func(t *rate.Table) {
		t.Zones, t.Classes = slices.Clone(t.Zones), slices.Clone(t.Classes)
		cells := 0
		for i := range t.Rows {
			cells += len(t.Rows[i].Charges)
		}
		all := make([]*rate.Charge, 0, cells) // one array for all rows, which none of them grows into the next
		t.Rows = cloneEach(t.Rows, func(r *rate.Row) {
			if r.Charges != nil {
				from := len(all)
				all = append(all, r.Charges...)
				r.Charges = all[from:len(all):len(all)]
			}
		})
	})
}

func (d *Defaults) clone() Defaults {
	return Defaults{Days: clonePointer(d.Days), Free: cloneFree(d.Free), Handling: clonePointer(d.Handling),
		Minimum: d.Minimum, Maximum: d.Maximum, Needs: cloneNeeds(d.Needs), Taxable: clonePointer(d.Taxable)}
}

func cloneNeeds(n *Needs) *Needs {
	c := clonePointer(n)
	if c != nil {
		for _, b := range []**Bounds{&c.Subtotal, &c.Weight, &c.Quantity, &c.Distance, &c.LongestSide,
			&c.BilledWeight, &c.ParcelWeight, &c.Girth} {
			*b = clonePointer(*b)
		}
		for _, l := range []*[]string{&c.Coupons, &c.Groups, &c.OnlyClasses, &c.WithoutClasses} {
			*l = slices.Clone(*l)
		}
	}
	return c
}

func cloneFree(f *Free) *Free {
	c := clonePointer(f)
	if c != nil {
		c.Coupons, c.Quantity = slices.Clone(c.Coupons), clonePointer(c.Quantity)
		c.Available = clonePointer(c.Available)
	}
	return c
}
