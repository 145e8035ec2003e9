package ratelist

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// Update is what a list makes of a list of the shop. Columns that the file names have the file's prices; those that it
// does not name stay as they were.
type Update struct {
	Method  string // its id
	Was, Is rate.Table
	Changes []Change // of the columns that the file names
	Kept    []string // ids of the zones whose prices stay
	Gone    []string // breaks that no row has any more, in words
	Same    bool
	Problem string // why the list cannot be updated; "" where it can
}

// ChangeKind is what becomes of a price.
type ChangeKind string

// What can become of a price.
const (
	Unchanged  ChangeKind = "same"
	Raised     ChangeKind = "raised"
	Lowered    ChangeKind = "lowered"
	Other      ChangeKind = "changed" // no comparison of two sums
	Added      ChangeKind = "new"
	NotOffered ChangeKind = "gone"
)

// Change is what becomes of a price of a list.
type Change struct {
	Zone    string // its id
	Row     string // in words
	Was, Is string // as charges are written
	Kind    ChangeKind
	Percent string // by how many per cent a sum changes, with its sign: "+3.5 %"; "" where no two sums are compared
	// At is the index of its row in the new table, Column that of its zone.
	At, Column int
}

// onto makes a list of the shop anew with a plan.
func (o *opening) onto(p *Plan) Update {
	was, list := o.into, &p.Table
	u := Update{Method: o.c.Into, Was: *was, Is: *was}
	if by := list.By; by != was.By && !(by == rate.ByWeight && was.By == rate.ByBilled) {
		u.Problem = fmt.Sprintf("the file goes %s, this list %s", by.Words(), was.By.Words())
		return u
	}
	if list.Edges != was.Edges {
		u.Problem = "the file and this list count their bounds differently: one up to and including, the other from " +
			"the bound on"
		return u
	}
	u.Is.Zones = slices.Clone(was.Zones)
	for _, z := range list.Zones {
		if !slices.Contains(u.Is.Zones, z) {
			u.Is.Zones = append(u.Is.Zones, z)
		}
	}
	for _, z := range was.Zones {
		if !slices.Contains(list.Zones, z) {
			u.Kept = append(u.Kept, z)
		}
	}
	o.fill(&u, list)
	words, units := o.f.Words(), o.f.Store.Units()
	for i := range u.Was.Rows {
		if !slices.ContainsFunc(u.Is.Rows, func(r rate.Row) bool { return same(r.At, u.Was.Rows[i].At) }) {
			u.Gone = append(u.Gone, u.Was.RowWords(i, units))
		}
	}
	u.Same = slices.Equal(u.Is.Zones, was.Zones) && len(u.Is.Rows) == len(was.Rows)
	for i := range u.Is.Rows {
		for j, z := range u.Is.Zones {
			before := at(was, z, u.Is.Rows[i].At)
			u.Same = u.Same && i < len(was.Rows) && same(u.Is.Rows[i].At, was.Rows[i].At) &&
				charge.Format(before, words) == charge.Format(u.Is.Rows[i].Charges[j], words)
			if slices.Contains(list.Zones, z) {
				c := compare(before, u.Is.Rows[i].Charges[j], words)
				c.Zone, c.Row, c.At, c.Column = z, u.Is.RowWords(i, units), i, j
				u.Changes = append(u.Changes, c)
			}
		}
	}
	o.jumps(&u)
	return u
}

// fill makes the rows of the new list: those of the file, and those at which a column that stays changes.
func (o *opening) fill(u *Update, list *rate.Table) {
	breaks := map[string]*decimal.Decimal{}
	open := list.By == rate.ByOrder
	add := func(at *decimal.Decimal) {
		if at == nil {
			open = true
			return
		}
		key := at.Cmp(decimal.Zero)
		text := fmt.Sprint(key) + plain(at)
		if breaks[text] == nil {
			breaks[text] = at
		}
	}
	for i := range u.Was.Rows { // their way to write a number stays
		if slices.ContainsFunc(list.Rows, func(r rate.Row) bool { return same(r.At, u.Was.Rows[i].At) }) ||
			u.changes(i) {
			add(u.Was.Rows[i].At)
		}
	}
	for i := range list.Rows {
		add(list.Rows[i].At)
	}
	var ats []*decimal.Decimal
	for _, at := range breaks {
		ats = append(ats, at)
	}
	slices.SortFunc(ats, func(x, y *decimal.Decimal) int { return x.Cmp(*y) })
	if open {
		ats = append(ats, nil)
	}
	words := o.f.Words()
	u.Is.Rows = make([]rate.Row, len(ats))
	for i, at1 := range ats {
		row := rate.Row{At: at1, Charges: make([]*rate.Charge, len(u.Is.Zones))}
		for j, z := range u.Is.Zones {
			before := at(&u.Was, z, at1)
			if slices.Contains(u.Kept, z) {
				row.Charges[j] = before
				continue
			}
			row.Charges[j] = at(list, z, at1)
			if charge.Format(before, words) == charge.Format(row.Charges[j], words) {
				row.Charges[j] = before // as it was written
			}
		}
		u.Is.Rows[i] = row
	}
}

// plain is a number in one form.
func plain(d *decimal.Decimal) string {
	text := d.String()
	if strings.Contains(text, ".") {
		text = strings.TrimRight(strings.TrimRight(text, "0"), ".")
	}
	return text
}

// changes says whether a column that stays needs a row of the list as it was: its price there is not that of the row
// that would cover it otherwise.
func (u *Update) changes(row int) bool {
	next := row + 1 // up to: without its row, goods fall to the next one
	if u.Was.Edges == rate.From {
		next = row - 1
	}
	for _, z := range u.Kept {
		j := slices.Index(u.Was.Zones, z)
		var beside *rate.Charge
		if next >= 0 && next < len(u.Was.Rows) {
			beside = u.Was.Rows[next].Charges[j]
		}
		if u.Was.Rows[row].Charges[j] != beside {
			return true
		}
	}
	return false
}

// at is the price of a zone at a bound of a list, nil for what lies above all; nil where it has none.
func at(t *rate.Table, zone string, bound *decimal.Decimal) *rate.Charge {
	j := slices.Index(t.Zones, zone)
	if j < 0 || len(t.Rows) == 0 {
		return nil
	}
	if bound == nil || t.By == rate.ByOrder {
		if last := t.Rows[len(t.Rows)-1]; last.At == nil {
			return last.Charges[j]
		}
		return nil
	}
	i, ok := t.Row(*bound)
	if !ok {
		return nil
	}
	return t.Rows[i].Charges[j]
}

func same(a, b *decimal.Decimal) bool {
	return (a == nil) == (b == nil) && (a == nil || a.Cmp(*b) == 0)
}

// compare says what becomes of a price.
func compare(was, is *rate.Charge, w charge.Words) Change {
	c := Change{Was: charge.Format(was, w), Is: charge.Format(is, w)}
	switch {
	case c.Was == c.Is:
		c.Kind = Unchanged
	case was == nil:
		c.Kind = Added
	case is == nil:
		c.Kind = NotOffered
	default:
		c.Kind = Other
		if a, b := fixed(was), fixed(is); a != nil && b != nil {
			c.Kind = map[int]ChangeKind{1: Raised, -1: Lowered}[b.Cmp(*a)]
			if !a.IsZero() {
				c.Percent = percentOf(*a, *b)
			}
		}
	}
	return c
}

// fixed is the sum of a charge that is nothing else; nil of others.
func fixed(c *rate.Charge) *decimal.Decimal {
	if c.PerItem != nil || c.FirstItem != nil || c.NextItem != nil || c.PerWeight != nil || c.PerDistance != nil ||
		c.Percent != nil {
		return nil
	}
	return c.Base
}

// percentOf is by how many per cent one sum is another, to one digit.
func percentOf(was, is decimal.Decimal) string {
	hundred := decimal.FromInt(100)
	p := is.Sub(was).Mul(hundred).QuoRound(was, 1)
	sign := "+"
	if p.Sign() < 0 {
		sign, p = "−", p.Neg()
	}
	return sign + p.String() + " %"
}

// jumps asks about prices or bounds far from those that they replace.
func (o *opening) jumps(u *Update) {
	far, all := 0, 0
	three := decimal.FromInt(3)
	for i := range u.Changes {
		c := &u.Changes[i]
		before := at(&u.Was, c.Zone, u.Is.Rows[c.At].At)
		is := u.Is.Rows[c.At].Charges[c.Column]
		if before == nil || is == nil || fixed(before) == nil || fixed(is) == nil || fixed(before).IsZero() {
			continue
		}
		all++
		if a, b := *fixed(before), *fixed(is); a.Mul(three).Less(b) || b.Mul(three).Less(a) {
			far++
		}
	}
	if all > 0 && far*2 >= all {
		o.asks.Add(AskPrices,
			fmt.Sprintf("%d of %d prices would more than triple, or fall to less than a third. Check the "+
				"currency and the unit of the file.", far, all))
	}
	hundred := decimal.FromInt(100)
	a, b := lastBreak(&u.Was), lastBreak(&u.Is)
	if a.Sign() > 0 && b.Sign() > 0 && len(u.Kept) == 0 && o.c.Unit == "" &&
		(a.Mul(hundred).Cmp(b) <= 0 || b.Mul(hundred).Cmp(a) <= 0) {
		o.asks.Add(AskUnit, fmt.Sprintf("The list ended at %s and would end at %s. Check the unit of the file.", a, b))
	}
}

// lastBreak is the last break of a list; 0 where it has none.
func lastBreak(t *rate.Table) decimal.Decimal {
	for i := len(t.Rows) - 1; i >= 0; i-- {
		if t.Rows[i].At != nil {
			return *t.Rows[i].At
		}
	}
	return decimal.Zero
}

// Apply updates the lists of a store, and makes its new zones. It reports how many lists were updated or made.
func (r *Reading) Apply(f *store.File) (n int) {
	r.Plan.addZones(f)
	for i := range r.Updates {
		u := &r.Updates[i]
		m := f.Method(u.Method)
		if m == nil {
			continue
		}
		for j := range m.Tables {
			if m.Tables[j].ID == u.Was.ID {
				m.Tables[j] = u.Is
				n++
			}
		}
	}
	for i := range r.New {
		one := &r.New[i]
		m := f.Method(one.Method)
		if m == nil {
			made := (&Plan{Table: one.Table}).Apply(f, one.Method)
			m = f.Method(made.ID)
			m.Tables = nil
		}
		one.Table.Name = cmp.Or(one.Table.Name, "Price list")
		m.Tables = append(m.Tables, one.Table)
		n++
	}
	return n
}

// Problem says why a reading cannot be applied; "" where it can, though questions may be open.
func (r *Reading) Problem() string {
	switch {
	case r.Missing != "":
		return r.Missing
	case r.Plan == nil:
		return "the questions above have to be answered first"
	case len(r.Asks) > 0:
		return "a question is open: answer it first"
	case !r.Plan.Usable:
		return "some lines are refused or contradict each other: correct them in the file first"
	}
	for i := range r.Updates {
		if r.Updates[i].Problem != "" {
			return r.Updates[i].Problem
		}
	}
	switch {
	case r.fault != "":
		return r.fault
	case len(r.Plan.Zones) == 0 && len(r.New) == 0:
		return "no line of it can be used"
	}
	return ""
}
