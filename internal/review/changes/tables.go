package changes

import (
	"cmp"
	"errors"
	"slices"
	"strings"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// cell writes a charge as a sentence has it.
func cell(f *store.File, c *rate.Charge) string {
	if c == nil {
		return "not offered"
	}
	return charge.Format(c, f.Words())
}

// above is how a row without a break point is called in keys.
const above = "above"

func atKey(d *decimal.Decimal) string {
	if d == nil {
		return above
	}
	return d.String()
}

func rowAt(t *rate.Table, key string) int {
	return slices.IndexFunc(t.Rows, func(r rate.Row) bool { return atKey(r.At) == key })
}

// tablesOf is what has price lists: a method, or what methods cost. Its add notes a change of one, with what puts it
// back.
type tablesOf struct {
	before, after *store.File
	add           func(key string, says func() string, back func(*[]rate.Table) error)
}

// tablesIn are the price lists of an entry.
func tablesIn[T any](e *entry[T], of func(*T) *[]rate.Table) tablesOf {
	return tablesOf{e.before.File, e.after.File, func(key string, says func() string, back func(*[]rate.Table) error) {
		e.add(key, says, func(_ *store.File, now *T) error { return back(of(now)) })
	}}
}

// tableCalled finds a price list by its id; nil where there is none.
func tableCalled(tables []rate.Table, id string) *rate.Table {
	for i := range tables {
		if tables[i].ID == id {
			return &tables[i]
		}
	}
	return nil
}

// list compares two states of one price list.
type list struct {
	tablesOf
	id      string
	was, is *rate.Table
	prefix  string // of sentences: the list's name where the method has several
}

// tables compares price lists.
func tables(e tablesOf, was, is []rate.Table) {
	prefix := func(t *rate.Table) string {
		if len(is) < 2 {
			return ""
		}
		return cmp.Or(t.Name, t.ID) + ", "
	}
	for i := range is {
		t := &is[i]
		old := tableCalled(was, t.ID)
		if old == nil {
			says := func() string { return "price list " + cmp.Or(t.Name, t.ID) + ": new" }
			e.add("tables/"+t.ID, says, func(now *[]rate.Table) error {
				if tableCalled(*now, t.ID) == nil {
					return ErrGone
				}
				*now = slices.DeleteFunc(*now, func(x rate.Table) bool { return x.ID == t.ID })
				return nil
			})
			continue
		}
		(&list{e, t.ID, old, t, prefix(t)}).compare()
	}
	for i := range was {
		t := &was[i]
		if tableCalled(is, t.ID) == nil {
			says := func() string { return "price list " + cmp.Or(t.Name, t.ID) + ": removed" }
			e.add("tables/"+t.ID, says, func(now *[]rate.Table) error {
				if tableCalled(*now, t.ID) != nil {
					return errors.New("there is such a price list again")
				}
				*now = slices.Insert(*now, min(i, len(*now)), *t)
				return nil
			})
		}
	}
	at := func(t rate.Table) int {
		return slices.IndexFunc(was, func(x rate.Table) bool { return x.ID == t.ID })
	}
	var order []int
	for i := range is {
		if j := at(is[i]); j >= 0 {
			order = append(order, j)
		}
	}
	if !slices.IsSorted(order) {
		says := func() string { return "price lists: in another order" }
		e.add("tables/order", says, func(now *[]rate.Table) error {
			slices.SortStableFunc(*now, func(a, b rate.Table) int { return at(a) - at(b) })
			return nil
		})
	}
}

func (l *list) add(key string, says func() string, back func(*rate.Table) error) {
	l.tablesOf.add("tables/"+l.id+"/"+key, func() string { return l.prefix + says() }, func(now *[]rate.Table) error {
		if t := tableCalled(*now, l.id); t != nil {
			return back(t)
		}
		return ErrGone
	})
}

func (l *list) compare() {
	was, is := l.was, l.is
	if was.Name != is.Name {
		l.add(
			"name",
			func() string { return "name of the price list: " + arrow(quoted(nil, was.Name), quoted(nil, is.Name)) },
			func(t *rate.Table) error { t.Name = was.Name; return nil },
		)
	}
	if !store.Alike(was.Classes, is.Classes) {
		names := func(f *store.File, ids []string) string {
			if len(ids) == 0 {
				return "all others"
			}
			var out []string
			for _, id := range ids {
				out = append(out, class(f, id))
			}
			return strings.Join(out, ", ")
		}
		l.add("classes", func() string {
			return "classes: " + arrow(names(l.before, was.Classes), names(l.after, is.Classes))
		}, func(t *rate.Table) error { t.Classes = was.Classes; return nil })
	}
	if was.By != is.By || was.Edges != is.Edges || was.Graduated != is.Graduated {
		shape := func(t *rate.Table) string {
			text := "by " + strings.ReplaceAll(string(t.By), "_", " ")
			switch t.Edges {
			case rate.From:
				text += ", from each break point on"
			case rate.UpTo:
				text += ", up to each break point"
			}
			if t.Graduated {
				text += ", graduated"
			}
			if t.Per == rate.PerOrder {
				text += ", for the whole order"
			}
			return text
		}
		l.add(
			"rows",
			func() string { return "price list: " + arrow(shape(was), shape(is)) + ", with other prices" },
			func(t *rate.Table) error {
				id, name, classes := t.ID, t.Name, t.Classes
				*t = *was
				t.ID, t.Name, t.Classes = id, name, classes
				return nil
			},
		)
		return
	}
	if was.Per != is.Per {
		prices := map[rate.Per]string{rate.PerParcel: "each parcel", rate.PerOrder: "the whole order"}
		l.add("per", func() string { return "price list: prices " + arrow(prices[was.Per], prices[is.Per]) },
			func(t *rate.Table) error { t.Per = was.Per; return nil })
	}
	l.columns()
	l.rows()
	l.cells()
}

// columns compares which zones have prices.
func (l *list) columns() {
	was, is := l.was, l.is
	for j, zone := range is.Zones {
		if !slices.Contains(was.Zones, zone) {
			l.addedColumn(j, zone)
		}
	}
	for j, zone := range was.Zones {
		if !slices.Contains(is.Zones, zone) {
			l.removedColumn(j, zone)
		}
	}
	at := func(zone string) int { return slices.Index(was.Zones, zone) }
	var order []int
	for _, zone := range is.Zones {
		if j := at(zone); j >= 0 {
			order = append(order, j)
		}
	}
	if slices.IsSorted(order) {
		return
	}
	l.add("columns", func() string {
		name := func(z *string) string { return l.after.ZoneName(*z) }
		return "columns in another order: " + inOrder(is.Zones, name)
	}, func(t *rate.Table) error {
		columns := make([]int, len(t.Zones))
		for i := range columns {
			columns[i] = i
		}
		slices.SortStableFunc(columns, func(a, b int) int { return at(t.Zones[a]) - at(t.Zones[b]) })
		t.Zones = picked(t.Zones, columns)
		for r := range t.Rows {
			t.Rows[r].Charges = picked(t.Rows[r].Charges, columns)
		}
		return nil
	})
}

// picked is the values of a list at some places.
func picked[T any](list []T, at []int) []T {
	out := make([]T, len(at))
	for i, n := range at {
		out[i] = list[n]
	}
	return out
}

func (l *list) addedColumn(j int, zone string) {
	says := func() string { return l.after.ZoneName(zone) + ": gets prices, " + l.column(l.is, j) }
	l.add("columns/"+zone, says, func(t *rate.Table) error {
		c := slices.Index(t.Zones, zone)
		if c < 0 {
			return ErrGone
		}
		t.Zones = slices.Delete(slices.Clone(t.Zones), c, c+1)
		for i := range t.Rows {
			t.Rows[i].Charges = slices.Delete(slices.Clone(t.Rows[i].Charges), c, c+1)
		}
		return nil
	})
}

func (l *list) removedColumn(j int, zone string) {
	says := func() string { return l.before.ZoneName(zone) + ": has no prices any more" }
	l.add("columns/"+zone, says, func(t *rate.Table) error {
		if slices.Contains(t.Zones, zone) {
			return errors.New("this zone has prices again")
		}
		c := min(j, len(t.Zones))
		t.Zones = slices.Insert(slices.Clone(t.Zones), c, zone)
		for i := range t.Rows {
			var old *rate.Charge
			if r := rowAt(l.was, atKey(t.Rows[i].At)); r >= 0 {
				old = l.was.Rows[r].Charges[j]
			}
			t.Rows[i].Charges = slices.Insert(slices.Clone(t.Rows[i].Charges), c, old)
		}
		return nil
	})
}

// column says the first prices of a column.
func (l *list) column(t *rate.Table, j int) string {
	var parts []string
	for i := range t.Rows {
		if i == 3 {
			parts = append(parts, "…")
			break
		}
		parts = append(
			parts,
			t.RowWords(i, l.after.Store.Units())+" "+cell(l.after, t.Rows[i].Charges[j]),
		)
	}
	return strings.Join(parts, ", ")
}

// rows compares the break points. One that was only moved is said as that.
func (l *list) rows() {
	was, is := l.was, l.is
	moved := l.moved()
	gone := map[string]bool{}
	for _, old := range moved {
		gone[atKey(was.Rows[old].At)] = true
	}
	for i := range is.Rows {
		key := atKey(is.Rows[i].At)
		if rowAt(was, key) >= 0 {
			continue
		}
		if old, ok := moved[key]; ok {
			l.movedRow(old, i)
		} else {
			l.addedRow(i)
		}
	}
	for i := range was.Rows {
		if key := atKey(was.Rows[i].At); rowAt(is, key) < 0 && !gone[key] {
			l.removedRow(i)
		}
	}
}

func (l *list) movedRow(old, i int) {
	key, from := atKey(l.is.Rows[i].At), l.was.Rows[old].At
	u, v := l.before.Store.Units(), l.after.Store.Units()
	says := func() string { return "row " + l.was.RowWords(old, u) + ": now " + l.is.RowWords(i, v) }
	l.add("rows/"+key, says, func(t *rate.Table) error {
		r := rowAt(t, key)
		if r < 0 {
			return ErrGone
		}
		t.Rows[r].At = from
		return nil
	})
}

func (l *list) addedRow(i int) {
	key, u := atKey(l.is.Rows[i].At), l.after.Store.Units()
	says := func() string { return "row " + l.is.RowWords(i, u) + ": new, " + l.row(l.after, l.is, i) }
	l.add("rows/"+key, says, func(t *rate.Table) error {
		r := rowAt(t, key)
		if r < 0 {
			return ErrGone
		}
		t.Rows = slices.Delete(slices.Clone(t.Rows), r, r+1)
		return nil
	})
}

func (l *list) removedRow(i int) {
	was, key, u := l.was, atKey(l.was.Rows[i].At), l.before.Store.Units()
	says := func() string { return "row " + was.RowWords(i, u) + ": removed" }
	l.add("rows/"+key, says, func(t *rate.Table) error {
		if rowAt(t, key) >= 0 {
			return errors.New("there is such a row again")
		}
		row := rate.Row{At: was.Rows[i].At, Charges: make([]*rate.Charge, len(t.Zones))}
		for c, zone := range t.Zones {
			if j := slices.Index(was.Zones, zone); j >= 0 {
				row.Charges[c] = was.Rows[i].Charges[j]
			}
		}
		behind := func(x rate.Row) bool { return x.At == nil || row.At != nil && row.At.Less(*x.At) }
		r := slices.IndexFunc(t.Rows, behind)
		if r < 0 || row.At == nil {
			r = len(t.Rows)
		}
		t.Rows = slices.Insert(slices.Clone(t.Rows), r, row)
		return nil
	})
}

// moved finds rows whose break point was changed and nothing else of their place: the keys after, with their
// index before.
func (l *list) moved() map[string]int {
	if len(l.was.Rows) != len(l.is.Rows) {
		return nil
	}
	moved := map[string]int{}
	for i := range l.is.Rows {
		before, after := l.was.Rows[i].At, l.is.Rows[i].At
		if before != nil && after != nil && atKey(before) != atKey(after) && rowAt(l.was, atKey(after)) < 0 &&
			rowAt(l.is, atKey(before)) < 0 {
			moved[atKey(after)] = i
		}
	}
	return moved
}

func (l *list) row(f *store.File, t *rate.Table, i int) string {
	var parts []string
	for j, zone := range t.Zones {
		if j == 4 {
			parts = append(parts, "…")
			break
		}
		parts = append(parts, f.ZoneName(zone)+" "+cell(f, t.Rows[i].Charges[j]))
	}
	return strings.Join(parts, ", ")
}

// cells compares the prices of zones and rows that both have.
func (l *list) cells() {
	was, is := l.was, l.is
	column := make([]int, len(is.Zones))
	for j, zone := range is.Zones {
		column[j] = slices.Index(was.Zones, zone)
	}
	moved := l.moved()
	for i := range is.Rows {
		key := atKey(is.Rows[i].At)
		old, wasMoved := moved[key]
		if !wasMoved {
			old = rowAt(was, key)
		}
		if old < 0 {
			continue
		}
		for j, zone := range is.Zones {
			if column[j] < 0 {
				continue
			}
			a, b := was.Rows[old].Charges[column[j]], is.Rows[i].Charges[j]
			if sameCharge(a, b) {
				continue
			}
			oldKey := atKey(was.Rows[old].At)
			l.add("cells/"+key+"/"+zone, func() string {
				where := l.after.ZoneName(zone)
				if is.By != rate.ByOrder {
					where += ", " + is.RowWords(i, l.after.Store.Units())
				}
				return where + ": " + arrow(cell(l.before, a), cell(l.after, b))
			}, func(t *rate.Table) error {
				r, c := rowAt(t, key), slices.Index(t.Zones, zone)
				if r < 0 { // the row was put back before its cells
					r = rowAt(t, oldKey)
				}
				if r < 0 || c < 0 {
					return ErrGone
				}
				t.Rows[r].Charges = slices.Clone(t.Rows[r].Charges)
				t.Rows[r].Charges[c] = a
				return nil
			})
		}
	}
}

// sameCharge is store.Alike for charges: a large list has thousands, of which most are a base alone.
func sameCharge(a, b *rate.Charge) bool {
	if a == b {
		return true
	}
	if a != nil && b != nil && a.Base != nil && b.Base != nil && *a == (rate.Charge{Base: a.Base}) &&
		*b == (rate.Charge{Base: b.Base}) {
		return a.Base.Cmp(*b.Base) == 0
	}
	return store.Alike(a, b)
}
