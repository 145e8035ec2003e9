package store

import (
	"cmp"
	"slices"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/world"

	"github.com/paulmach/orb"
)

// find is the place in a list of what has an id; −1 where nothing has. Where a file has been taken apart it is looked up,
// and then looked at: the file may have changed since.
func find[T any](f *File, name string, list []T, id string, of func(*T) string) int {
	if i, ok := f.index[name][id]; ok && i < len(list) && of(&list[i]) == id {
		return i
	}
	for i := range list {
		if of(&list[i]) == id {
			return i
		}
	}
	return -1
}

func at[T any](list []T, i int) *T {
	if i < 0 {
		return nil
	}
	return &list[i]
}

// ZoneIndex is a zone's place in the file, by its id; −1 where there is none.
func (f *File) ZoneIndex(id string) int {
	return find(f, "zones", f.Zones, id, func(z *Zone) string { return z.ID })
}

// Zone finds a zone by its id; nil where there is none.
func (f *File) Zone(id string) *Zone { return at(f.Zones, f.ZoneIndex(id)) }

// ZoneName is what a zone is called; its id where it has no name.
func (f *File) ZoneName(id string) string {
	if z := f.Zone(id); z != nil {
		return cmp.Or(z.Name, id)
	}
	return id
}

// MethodName is what a method is called; its id where it has no name.
func (f *File) MethodName(id string) string {
	if m := f.Method(id); m != nil {
		return cmp.Or(m.Name, id)
	}
	return id
}

// Product finds a product by its sku; nil where there is none.
func (f *File) Product(sku string) *Product {
	return at(f.Products, find(f, "products", f.Products, sku, func(p *Product) string { return p.SKU }))
}

// Class finds a shipping class by its id; nil where there is none.
func (f *File) Class(id string) *Class {
	return at(f.Classes, find(f, "classes", f.Classes, id, func(c *Class) string { return c.ID }))
}

// ClassName is what a shipping class is called; its id where it has no name.
func (f *File) ClassName(id string) string {
	if c := f.Class(id); c != nil {
		return cmp.Or(c.Name, id)
	}
	return id
}

// ClassNames are what shipping classes are called, in the order of their ids.
func (f *File) ClassNames(ids []string) []string {
	names := make([]string, len(ids))
	for i, id := range ids {
		names[i] = f.ClassName(id)
	}
	return names
}

// Box finds a kind of box by its id; nil where there is none.
func (f *File) Box(id string) *Box {
	return at(f.Boxes, find(f, "boxes", f.Boxes, id, func(b *Box) string { return b.ID }))
}

// CostOf is what sending by a method costs; nil where the store does not say that.
func (f *File) CostOf(method string) *Cost {
	for i := range f.Costs {
		if slices.Contains(f.Costs[i].Methods, method) {
			return &f.Costs[i]
		}
	}
	return nil
}

// BoxName is what a kind of box is called; its id where it has no name.
func (f *File) BoxName(id string) string {
	if b := f.Box(id); b != nil {
		return cmp.Or(b.Name, id)
	}
	return id
}

// BoxesCalled are the ids of the boxes that a text names: the one that has it as its id, else all that have it as their
// name, in any case.
func (f *File) BoxesCalled(text string) (ids []string) {
	if f.Box(text) != nil {
		return []string{text}
	}
	for i := range f.Boxes {
		if b := &f.Boxes[i]; b.Name != "" && world.Fold(b.Name) == world.Fold(text) {
			ids = append(ids, b.ID)
		}
	}
	return ids
}

// BoxText is a text that names one box: its name, or its id where others are called so.
func (f *File) BoxText(id string) string { return unmistakable(f.BoxName(id), id, f.BoxesCalled) }

// BoxNames are what kinds of boxes are called, in the order of their ids.
func (f *File) BoxNames(ids []string) []string {
	names := make([]string, len(ids))
	for i, id := range ids {
		names[i] = f.BoxName(id)
	}
	return names
}

// Sides are the names of the sides of a box in a store file.
var Sides = []string{"length", "width", "height"}

// Side is a side of a box by its name.
func (b *Box) Side(name string) *decimal.Decimal {
	return map[string]*decimal.Decimal{"length": &b.Length, "width": &b.Width, "height": &b.Height}[name]
}

// Carrier finds a carrier by its id; nil where there is none.
func (f *File) Carrier(id string) *Carrier {
	return at(f.Carriers, find(f, "carriers", f.Carriers, id, func(c *Carrier) string { return c.ID }))
}

// CarrierName is what a carrier is called.
func (f *File) CarrierName(id string) string {
	if c := f.Carrier(id); c != nil {
		return cmp.Or(c.Name, id)
	}
	return id
}

// BoxesOf are the kinds of boxes that a method packs into, in the order in which it names them; none where it has no
// parcels of its own.
func (f *File) BoxesOf(m *Method) (boxes []*Box) {
	if m.Parcels == nil {
		return nil
	}
	if m.Parcels.AllBoxes {
		for i := range f.Boxes {
			boxes = append(boxes, &f.Boxes[i])
		}
		return boxes
	}
	for _, id := range m.Parcels.Boxes {
		if b := f.Box(id); b != nil {
			boxes = append(boxes, b)
		}
	}
	return boxes
}

// Location finds a place of the shop's own by its id; nil where there is none.
func (f *File) Location(id string) *Location {
	return at(f.Locations, find(f, "locations", f.Locations, id, func(l *Location) string { return l.ID }))
}

// LocationName is what a place of the shop's own is called; its id where it has no name.
func (f *File) LocationName(id string) string {
	if l := f.Location(id); l != nil {
		return cmp.Or(l.Name, id)
	}
	return id
}

// LocationsCalled are the ids of the places that a text names: the one that has it as its id, else all that have it as
// their name, in any case.
func (f *File) LocationsCalled(text string) (ids []string) {
	if f.Location(text) != nil {
		return []string{text}
	}
	for i := range f.Locations {
		if l := &f.Locations[i]; world.Fold(l.Name) == world.Fold(text) {
			ids = append(ids, l.ID)
		}
	}
	return ids
}

// LocationText is a text that names one place: its name, or its id where others are called so; "" for none.
func (f *File) LocationText(id string) string {
	return unmistakable(f.LocationName(id), id, f.LocationsCalled)
}

// unmistakable is a name where it is that of one id, else the id.
func unmistakable(name, id string, called func(string) []string) string {
	if ids := called(name); len(ids) == 1 && ids[0] == id {
		return name
	}
	return id
}

// MethodsCalled are the ids of the delivery methods that a text names: the one that has it as its id, else all that
// have it as their name or as what buyers read, in any case.
func (f *File) MethodsCalled(text string) (ids []string) {
	if f.Method(text) != nil {
		return []string{text}
	}
	for i := range f.Methods {
		m := &f.Methods[i]
		if world.Fold(m.Name) == world.Fold(text) || world.Fold(m.BuyersLabel()) == world.Fold(text) {
			ids = append(ids, m.ID)
		}
	}
	return ids
}

// MethodText is a text that names one delivery method: its name, or its id where others are called so.
func (f *File) MethodText(id string) string {
	name := id
	if m := f.Method(id); m != nil {
		name = cmp.Or(m.Name, id)
	}
	return unmistakable(name, id, f.MethodsCalled)
}

// MethodIndex is a method's place in the file, by its id; −1 where there is none.
func (f *File) MethodIndex(id string) int {
	return find(f, "methods", f.Methods, id, func(m *Method) string { return m.ID })
}

// Method finds a delivery method by its id; nil where there is none.
func (f *File) Method(id string) *Method { return at(f.Methods, f.MethodIndex(id)) }

// Table finds a table of a method by its id; nil where there is none.
func (m *Method) Table(id string) *rate.Table {
	return at(m.Tables, slices.IndexFunc(m.Tables, func(t rate.Table) bool { return t.ID == id }))
}

// CollectAt are the locations at which goods of a method are collected, in the file's order: its points, or else the
// one that it leaves from, or else all with pickup. A method of another kind has none.
func (f *File) CollectAt(m *Method) (list []*Location) {
	if m.Kind != Pickup {
		return nil
	}
	for i := range f.Locations {
		l := &f.Locations[i]
		switch {
		case len(m.Points) > 0:
			if slices.Contains(m.Points, l.ID) {
				list = append(list, l)
			}
		case m.From != "" && l.ID == m.From, m.From == "" && l.Pickup:
			list = append(list, l)
		}
	}
	return list
}

// Words are the units and the currency in which charges of the store are read and written.
func (f *File) Words() charge.Words {
	return charge.Words{Units: f.Store.Units(), Currency: f.Store.Currency}
}

// Point is where a place of the shop's own lies: where it says, or where the gazetteer puts it; false where neither
// knows. A gazetteer may be nil.
func (l *Location) Point(g *gazetteer.Gazetteer) (orb.Point, bool) {
	if l.Lat != nil && l.Lon != nil {
		return orb.Point{l.Lon.Float64(), l.Lat.Float64()}, true
	}
	if g != nil {
		if p, ok := g.Locate(l.Country, postcode.Read(l.Country, l.Postcode), l.City); ok {
			return orb.Point{p.Lon, p.Lat}, true
		}
	}
	return orb.Point{}, false
}
