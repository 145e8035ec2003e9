package store

import (
	"slices"
	"sort"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/fault"
	"diadrom/internal/core/place"
	"diadrom/internal/core/rate"
)

// checker finds what is wrong between the parts of a file that has been read.
type checker struct {
	file   *File
	faults fault.List
	faulty map[string]bool // paths of the faults
	known  *known          // what is as it was when the file had no faults; nil where all is looked at

	locations, classes, boxes, zones, carriers, methods map[string]int
}

// add notes a fault, unless that value, or one around it, is at fault already.
func (c *checker) add(path fault.Path, code, format string, args ...any) {
	if c.faults.Full() {
		return
	}
	whole := path.String()
	for p := whole; ; p = p[:strings.LastIndexByte(p, '/')] {
		if c.faulty[p] {
			return
		}
		if p == "" {
			break
		}
	}
	c.faulty[whole] = true
	c.faults.Add(whole, code, format, args...)
}

func (c *checker) check() {
	f := c.file
	if f.Format == "" {
		c.add(fault.Path{"format"}, fault.Missing, "the file does not say its format: %q", Format)
	}
	if f.Store.Currency == "" {
		c.add(fault.Path{"store", "currency"}, fault.Missing, "say the store's currency, such as EUR")
	}
	c.locations = ids(c, "locations", len(f.Locations), "id", func(i int) string { return f.Locations[i].ID })
	c.classes = ids(c, "classes", len(f.Classes), "id", func(i int) string { return f.Classes[i].ID })
	c.boxes = ids(c, "boxes", len(f.Boxes), "id", func(i int) string { return f.Boxes[i].ID })
	ids(c, "products", len(f.Products), "sku", func(i int) string { return f.Products[i].SKU })
	c.zones = ids(c, "zones", len(f.Zones), "id", func(i int) string { return f.Zones[i].ID })
	c.carriers = ids(c, "carriers", len(f.Carriers), "id", func(i int) string { return f.Carriers[i].ID })
	c.methods = ids(c, "methods", len(f.Methods), "id", func(i int) string { return f.Methods[i].ID })
	ids(c, "surcharges", len(f.Surcharges), "id", func(i int) string { return f.Surcharges[i].ID })
	ids(c, "agreed", len(f.Agreed), "id", func(i int) string { return f.Agreed[i].ID })
	ids(c, "costs", len(f.Costs), "id", func(i int) string { return f.Costs[i].ID })

	c.needs(f.Store.Defaults.Needs, fault.Path{"store", "defaults", "needs"})
	for i := range f.Store.Tax.Rates {
		c.rule(&f.Store.Tax.Rates[i].Rule, fault.Path{"store", "tax", "rates", i})
	}
	c.rules(f.Store.SellsTo, fault.Path{"store", "sells_to"})
	for i, l := range f.Locations {
		c.location(&l, fault.Path{"locations", i})
	}
	c.each("products", c.known.sameIDs("classes", "locations"), func(i int) { c.product(&f.Products[i], i) })
	places := c.known.sameSettings() && c.known.sameAll("locations") // of which circles take where they lie
	c.each("zones", places, func(i int) {
		c.rules(f.Zones[i].Places, fault.Path{"zones", i, "places"})
		c.rules(f.Zones[i].Except, fault.Path{"zones", i, "except"})
	})
	named := c.known.sameIDs("locations", "boxes", "carriers", "zones", "classes")
	c.each("methods", c.known.sameSettings() && named, func(i int) {
		c.method(&f.Methods[i], fault.Path{"methods", i})
	})
	c.each("surcharges", places && c.known.sameIDs("methods"), func(i int) {
		s, path := &f.Surcharges[i], fault.Path{"surcharges", i}
		c.rules(s.Places, path.With("places"))
		c.rules(s.Except, path.With("except"))
		c.references(c.methods, s.Methods, "method", path.With("methods"))
	})
	c.each("agreed", c.known.sameIDs("methods"), func(i int) {
		c.references(c.methods, f.Agreed[i].Methods, "method", fault.Path{"agreed", i, "methods"})
	})
	if !c.known.sameAll("costs") || !c.known.sameIDs("methods", "zones", "classes") {
		c.costs()
	}
}

// known is what of a file is as it was when it had no faults. The nil known is nothing.
type known struct {
	settings bool
	ids      map[string]bool   // by list: the same ids in the same order
	entries  map[string][]bool // by list: entries that are the same
	index    map[string]map[string]int
}

func (k *known) sameSettings() bool { return k != nil && k.settings }

func (k *known) sameIDs(lists ...string) bool {
	return k != nil && !slices.ContainsFunc(lists, func(l string) bool { return !k.ids[l] })
}

func (k *known) sameAll(list string) bool {
	return k.sameIDs(list) && !slices.Contains(k.entries[list], false)
}

// each checks the entries of a list; those that are as they were only where what they refer to is not.
func (c *checker) each(list string, same bool, check func(i int)) {
	l := c.file.list(list)
	for i := range l.len() {
		if !same || !c.known.entries[list][i] {
			check(i)
		}
	}
}

func (c *checker) product(p *Product, i int) {
	if p.Class != "" {
		c.reference(c.classes, p.Class, "class", fault.Path{"products", i, "class"})
	}
	if p.From != "" {
		if _, ok := c.locations[p.From]; !ok {
			c.add(fault.Path{"products", i, "from"}, fault.Reference,
				"there is no location %.60q: add it, or leave this empty for goods that leave from the usual place",
				p.From)
		}
	}
}

// ids indexes a list by id and notes what is missing or stands twice.
func ids(c *checker, list string, n int, field string, id func(int) string) map[string]int {
	if c.known.sameIDs(list) {
		return c.known.index[list]
	}
	index := make(map[string]int, n)
	for i := range n {
		s := id(i)
		if s == "" {
			c.add(fault.Path{list, i, field}, fault.Missing, "this needs %s %s", article(field), field)
			continue
		}
		if first, twice := index[s]; twice {
			c.add(
				fault.Path{list, i, field},
				fault.Duplicate,
				"%.60q is already the %s of entry %d",
				s,
				field,
				first+1,
			)
			continue
		}
		index[s] = i
	}
	return index
}

func article(word string) string {
	if word == "id" {
		return "an"
	}
	return "a"
}

func (c *checker) reference(index map[string]int, id, what string, path fault.Path) {
	if _, ok := index[id]; !ok {
		c.add(path, fault.Reference, "there is no %s %.60q", what, id)
	}
}

func (c *checker) references(index map[string]int, list []string, what string, path fault.Path) {
	again := repeats(list)
	for i, id := range list {
		if again[i] {
			c.add(path.With(i), fault.Duplicate, "%.60q stands twice in this list", id)
			continue
		}
		if _, ok := index[id]; !ok {
			c.reference(index, id, what, path.With(i))
		}
	}
}

// repeats lists the places of a list at which something stands that stood before.
func repeats(list []string) map[int]bool {
	again := map[int]bool{}
	if len(list) < 16 {
		for i := range list {
			if slices.Contains(list[:i], list[i]) {
				again[i] = true
			}
		}
		return again
	}
	seen := make(map[string]bool, len(list))
	for i, id := range list {
		if seen[id] {
			again[i] = true
		}
		seen[id] = true
	}
	return again
}

func (c *checker) location(l *Location, path fault.Path) {
	if (l.Lat == nil) != (l.Lon == nil) {
		missing := "lat"
		if l.Lon == nil {
			missing = "lon"
		}
		c.add(path.With(missing), fault.Missing, "a point needs both lat and lon")
	}
}

func (c *checker) rules(rules []place.Rule, path fault.Path) {
	for i := range rules {
		if rules[i].Within != nil { // the only rule that refers to another part
			c.rule(&rules[i], path.With(i))
		}
	}
}

func (c *checker) rule(r *place.Rule, path fault.Path) {
	w := r.Within
	if w == nil {
		return
	}
	w.Metres = c.file.Store.metres
	if w.Location == "" {
		return
	}
	i, ok := c.locations[w.Location]
	if !ok {
		c.add(path.With("within", "location"), fault.Reference, "there is no location %.60q", w.Location)
		return
	}
	l := c.file.Locations[i]
	if w.Name = l.Name; w.Name == "" {
		w.Name = l.ID
	}
	if l.Lat != nil && l.Lon != nil {
		w.Lat, w.Lon, w.Located = *l.Lat, *l.Lon, true
	}
}

func (c *checker) method(m *Method, path fault.Path) {
	if m.From != "" {
		c.reference(c.locations, m.From, "location", path.With("from"))
	}
	for i, id := range m.Points {
		c.reference(c.locations, id, "location", path.With("points", i))
	}
	if m.Parcels != nil {
		c.references(c.boxes, m.Parcels.Boxes, "box", path.With("parcels", "boxes"))
	}
	if m.Carrier != nil && m.Carrier.ID != "" {
		c.reference(c.carriers, m.Carrier.ID, "carrier", path.With("carrier", "id"))
	}
	c.needs(m.Needs, path.With("needs"))
	c.inherits(m, path)
	if m.Dispatch != nil && c.file.Store.Dispatch == nil {
		c.add(path.With("dispatch"), fault.Missing,
			"say on the store first when orders leave (dispatch): a method only says what is different")
	}
	c.tables(m.Tables, m.Classes, path)
	for _, zone := range sortedKeys(m.Terms) {
		termsPath := path.With("terms", zone)
		c.reference(c.zones, zone, "zone", termsPath)
		c.needs(m.Terms[zone].Needs, termsPath.With("needs"))
	}
}

// tables checks the tables of a method, or of what it costs.
func (c *checker) tables(tables []rate.Table, combine Combine, path fault.Path) {
	ids := map[string]int{}
	for i := range tables {
		t := &tables[i]
		tablePath := path.With("tables", i)
		if first, twice := ids[t.ID]; twice && t.ID != "" {
			c.add(tablePath.With("id"), fault.Duplicate, "%.60q is already the id of table %d", t.ID, first+1)
		} else {
			ids[t.ID] = i
		}
		if t.ID == "" {
			c.add(tablePath.With("id"), fault.Missing, "this needs an id")
		}
		c.table(t, tablePath)
	}
	c.claims(tables, combine, path)
	if combine == Dearest {
		c.samePer(tables, path)
	}
}

// samePer checks that tables of which the dearest counts price the same where they share a zone: each parcel, or the
// order.
func (c *checker) samePer(tables []rate.Table, path fault.Path) {
	of := map[string]rate.Per{}
	for i := range tables {
		for _, zone := range tables[i].Zones {
			per, seen := of[zone]
			if seen && per != tables[i].Per {
				c.add(path.With("tables", i, "per"), fault.Choice, "where the dearest table counts, all tables of the zone %.60q price the "+
					"parcel, or all the order", zone)
				break
			}
			of[zone] = tables[i].Per
		}
	}
}

// costs checks what methods cost: at most one entry names a method.
func (c *checker) costs() {
	first := map[string]int{}
	for i := range c.file.Costs {
		k, path := &c.file.Costs[i], fault.Path{"costs", i}
		c.references(c.methods, k.Methods, "method", path.With("methods"))
		for j, id := range k.Methods {
			if at, twice := first[id]; twice && at != i {
				c.add(path.With("methods", j), fault.Claimed, "what %.60q costs is already said by entry %d", id, at+1)
			} else {
				first[id] = i
			}
		}
		c.tables(k.Tables, k.Classes, path)
	}
}

// inherits notes what a method inherits and has otherwise than the defaults.
func (c *checker) inherits(m *Method, path fault.Path) {
	for i, term := range m.Inherits {
		at := path.With("inherits", i)
		switch {
		case term == "":
			c.add(at, fault.Missing, "name a term of the defaults, such as days")
		case slices.Contains(m.Inherits[:i], term):
			c.add(at, fault.Duplicate, "%q stands twice in this list", term)
		case !m.SameTerm(c.file.Store.Defaults.Method(), term):
			c.add(path.With(string(term)), fault.Shape,
				"this is inherited and differs from store.defaults.%s: write the same, or remove it from inherits",
				term)
		}
	}
}

func sortedKeys[V any](m map[string]V) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	sort.Strings(keys)
	return keys
}

func (c *checker) needs(n *Needs, path fault.Path) {
	if n != nil {
		c.references(c.classes, n.OnlyClasses, "class", path.With("only_classes"))
		c.references(c.classes, n.WithoutClasses, "class", path.With("without_classes"))
	}
}

// claims notes zones and goods that two tables of a method would price.
func (c *checker) claims(tables []rate.Table, combine Combine, path fault.Path) {
	type claim struct{ zone, class string }
	claimed := map[claim]int{}
	for i, t := range tables {
		tablePath := path.With("tables", i)
		if combine == Together && len(t.Classes) > 0 {
			c.add(
				tablePath.With("classes"),
				fault.Shape,
				"this method prices all goods together, so its tables name no classes; to price classes apart "+
					"set classes to add or dearest",
			)
		}
		classes := t.Classes
		if len(classes) == 0 || combine == Together {
			classes = []string{""}
		}
		again := repeats(t.Zones)
		for j, zone := range t.Zones {
			if again[j] {
				continue // noted by table
			}
			for k, class := range classes {
				first, twice := claimed[claim{zone, class}]
				switch {
				case !twice:
					claimed[claim{zone, class}] = i
				case first == i: // the class stands twice in one list, noted by table
				case class == "":
					c.add(
						tablePath.With("zones", j),
						fault.Claimed,
						"zone %.60q is already priced by table %d of this method",
						zone,
						first+1,
					)
				default:
					c.add(
						tablePath.With("classes", k),
						fault.Claimed,
						"class %.60q in zone %.60q is already priced by table %d of this method",
						class,
						zone,
						first+1,
					)
				}
			}
		}
	}
}

func (c *checker) table(t *rate.Table, path fault.Path) {
	c.references(c.zones, t.Zones, "zone", path.With("zones"))
	c.references(c.classes, t.Classes, "class", path.With("classes"))
	if t.By == "" {
		c.add(
			path.With("by"),
			fault.Missing,
			"say what this table measures: order, weight, subtotal, quantity or distance",
		)
	}
	if t.Edges == "" && t.By != "" && t.By != rate.ByOrder {
		c.add(
			path.With("edges"),
			fault.Missing,
			"say whether rows count from their break point (from) or up to it (up_to)",
		)
	}
	if t.Graduated && t.By != rate.ByWeight && t.By != rate.ByBilled && t.By != rate.ByDistance &&
		t.By != rate.ByQuantity &&
		t.By != "" {
		c.add(
			path.With("graduated"),
			fault.Shape,
			"only a table by weight, billed weight, distance or quantity can be graduated",
		)
	}
	switch {
	case len(t.Rows) == 0:
		c.add(path.With("rows"), fault.Missing, "a table needs at least one row")
	case t.By == rate.ByOrder && len(t.Rows) > 1:
		c.add(path.With("rows"), fault.Shape, "a table by order has one row")
	}
	for i, row := range t.Rows {
		rowPath := path.With("rows", i)
		c.breakPoint(t, i, rowPath.With("at"))
		if len(row.Charges) != len(t.Zones) && !c.faulty[path.With("zones").String()] {
			c.add(
				rowPath.With("charges"),
				fault.Shape,
				"this row has %d charges for %d zones",
				len(row.Charges),
				len(t.Zones),
			)
		}
		if t.Graduated {
			for j, charge := range row.Charges {
				c.graduatedCharge(charge, rowPath.With("charges", j))
			}
		}
	}
}

func (c *checker) breakPoint(t *rate.Table, i int, path fault.Path) {
	at := t.Rows[i].At
	switch {
	case t.By == "" || t.By != rate.ByOrder && t.Edges == "":
		return
	case t.By == rate.ByOrder:
		if at != nil {
			c.add(path, fault.Shape, "a table by order has no break points")
		}
		return
	case at == nil:
		if t.Edges == rate.From || i+1 < len(t.Rows) {
			c.add(path, fault.Missing, "this row needs a break point")
		}
		return
	case t.Edges == rate.From && i == 0 && !at.IsZero():
		c.add(
			path,
			fault.Order,
			"the first row of a table that counts from its break points begins at 0, not %s",
			at,
		)
	}
	if i == 0 {
		return
	}
	before := t.Rows[i-1].At
	if before == nil {
		return
	}
	switch at.Cmp(*before) {
	case 0:
		c.add(path, fault.Order, "%s is the break point of the row before, too", at)
	case -1:
		c.add(path, fault.Order, "rows ascend: %s cannot follow %s", at, before)
	}
}

func (c *checker) graduatedCharge(charge *rate.Charge, path fault.Path) {
	if charge == nil {
		return
	}
	for _, term := range []struct {
		name string
		unit *rate.PerUnit
	}{{"per_weight", charge.PerWeight}, {"per_distance", charge.PerDistance}} {
		if term.unit == nil {
			continue
		}
		if term.unit.Started {
			c.add(
				path.With(term.name, "part"),
				fault.Shape,
				"a graduated table counts exact parts, not started ones",
			)
		}
		if above := term.unit.Above; above != nil && above.Cmp(decimal.Zero) != 0 {
			c.add(
				path.With(term.name, "above"),
				fault.Shape,
				"in a graduated table each row counts from its own break point, not above another",
			)
		}
	}
}
