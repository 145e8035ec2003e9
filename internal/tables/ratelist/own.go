package ratelist

import (
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/sheet"
)

// Own is a list of a table that [Cells] wrote, for a method that the shop does not have.
type Own struct {
	Method string
	Table  rate.Table
}

// own reads a table that [Cells] or [Grid] wrote; false where it is another.
func (o *opening) own(g *grid.Grid) bool {
	switch t := g.Table(0); {
	case slices.Equal(t.Rows[0].Cells, Columns), slices.Equal(t.Rows[0].Cells, Columns[:len(Columns)-1]): // before "per"
		o.ownCells(t)
	case o.ownGrid(t):
	default:
		return false
	}
	o.r.Head = g.Rows[0].Line
	for _, c := range g.Rows[0].Cells {
		o.r.Heads = append(o.r.Heads, c.Text)
	}
	return true
}

// ownCells reads a table that [Cells] wrote: its lists update those of the shop, or are new.
func (o *opening) ownCells(t *sheet.Table) {
	o.r.Plan = &Plan{Usable: true}
	var names []string
	rows := map[string][]sheet.Row{}
	for _, row := range t.Rows[1:] {
		name := cell(row.Cells, 0) + "/" + cell(row.Cells, 1)
		if rows[name] == nil {
			names = append(names, name)
		}
		rows[name] = append(rows[name], row)
	}
	o.found("Diadrom wrote this table. It has %s.", listed(names))
	for _, name := range names {
		b := ownList{f: o.f, plan: &Plan{Usable: true}, rows: map[string]int{}, cells: map[[2]int]int{}}
		for _, row := range rows[name] {
			b.take(ownLineOf(row, o.f))
		}
		b.sort()
		b.gaps()
		all := o.r.Plan
		all.Lines, all.Gaps = append(all.Lines, b.plan.Lines...), append(all.Gaps, b.plan.Gaps...)
		all.Usable = all.Usable && b.plan.Usable
		for i := range b.plan.Zones {
			if !slices.ContainsFunc(all.Zones, func(z store.Zone) bool { return z.ID == b.plan.Zones[i].ID }) {
				all.Zones, all.New = append(all.Zones, b.plan.Zones[i]), append(all.New, false)
			}
		}
		if len(all.Table.Zones) == 0 {
			all.Table = b.plan.Table
		}
		method, list, _ := strings.Cut(name, "/")
		into, was := o.targetOf(method, list, len(names))
		if was == nil {
			b.plan.Table.ID = list
			o.r.New = append(o.r.New, Own{method, b.plan.Table})
			continue
		}
		o.into = was
		one := o.onto(b.plan)
		one.Method, one.Is.Graduated = into, b.plan.Table.Graduated
		if len(t.Rows[0].Cells) == len(Columns) {
			one.Is.Per = b.plan.Table.Per
		}
		one.Same = one.Same && one.Is.Graduated == was.Graduated && one.Is.Per == was.Per
		if !slices.Equal(was.Classes, b.plan.Table.Classes) {
			one.Problem = fmt.Sprintf("%s/%s is for the classes %s in the table, and for %s in the shop", method, list,
				orAll(b.plan.Table.Classes), orAll(was.Classes))
		}
		o.r.Updates = append(o.r.Updates, one)
	}
	for _, gap := range o.r.Plan.Gaps {
		o.asks.Add(AskGap, gap+".")
	}
	if o.r.Plan.Usable { // what cells do not say by themselves: bounds that a table cannot have, ids that are none
		trial := o.f.Clone()
		o.r.Apply(trial)
		if _, faults := store.Read(trial.Write()); len(faults) > 0 {
			o.r.fault = fmt.Sprintf("%s: %s", faults[0].Path, faults[0].Message)
		}
	}
}

func listed(names []string) string {
	if len(names) == 1 {
		return "the list " + names[0]
	}
	return fmt.Sprintf("%d lists", len(names))
}

func orAll(classes []string) string {
	if len(classes) == 0 {
		return "all goods"
	}
	return strings.Join(classes, ", ")
}

// targetOf is the list of the shop that a list of the table updates: the one that was chosen, or the one of its name.
func (o *opening) targetOf(method, list string, lists int) (into string, was *rate.Table) {
	if o.c.Into != "" && lists == 1 {
		was, _ = target(o.f, o.c)
		return o.c.Into, was
	}
	m := o.f.Method(method)
	if m == nil {
		return "", nil
	}
	for i := range m.Tables {
		if m.Tables[i].ID == list {
			return method, &m.Tables[i]
		}
	}
	return "", nil
}

// ownLine is a line of a table that [Cells] wrote.
type ownLine struct {
	number    int
	text      string
	by        rate.By
	edges     rate.Edges
	graduated bool
	per       rate.Per
	at        string // the bound as written
	bound     *decimal.Decimal
	zone      string
	classes   []string
	charge    *rate.Charge
	err       error // of the bound or the charge
}

func ownLineOf(row sheet.Row, f *store.File) (l ownLine) {
	at := func(i int) string { return cell(row.Cells, i) }
	l = ownLine{
		number:    row.Line,
		text:      strings.Join(row.Cells, ","),
		by:        rate.By(at(2)),
		edges:     rate.Edges(at(3)),
		graduated: at(7) == "yes",
		at:        at(4),
		zone:      at(5),
		classes:   strings.Fields(at(8)),
	}
	l.charge, l.err = charge.Parse(at(6), f.Words())
	if l.per = rate.Per(at(9)); l.per == "parcel" {
		l.per = rate.PerParcel
	}
	if l.at != "" {
		d, err := decimal.Parse(l.at)
		if l.bound = &d; l.err == nil {
			l.err = err
		}
	}
	return l
}

func cell(cells []string, i int) string {
	if i >= 0 && i < len(cells) {
		return cells[i]
	}
	return ""
}

// ownList is a list while its lines are put together.
type ownList struct {
	f     *store.File
	plan  *Plan
	rows  map[string]int // by bound
	cells map[[2]int]int // lines by row and column
}

// take puts a line in, or says why it cannot.
func (b *ownList) take(l ownLine) {
	t := &b.plan.Table
	if len(t.Zones) == 0 {
		*t = rate.Table{ID: "list", Name: "Price list", By: l.by, Edges: l.edges, Graduated: l.graduated,
			Classes: l.classes, Per: l.per}
	}
	line := Line{Line: l.number, Status: Taken, Text: l.text}
	if why := b.refused(&l); why != "" {
		line.Status, line.Says, b.plan.Usable = Refused, why, false
	} else {
		line.Zone, line.charge = b.f.ZoneName(l.zone), l.charge
		at := [2]int{b.row(&l), b.column(l.zone)}
		if first, twice := b.cells[at]; twice {
			line.Status, b.plan.Usable = Contradicts, false
			line.Says = fmt.Sprintf("line %d has this cell already", first)
		} else {
			b.cells[at] = l.number
			t.Rows[at[0]].Charges[at[1]] = l.charge
		}
	}
	b.plan.Lines = append(b.plan.Lines, line)
}

// refused says why a line cannot be used; "" where it can.
func (b *ownList) refused(l *ownLine) string {
	t := &b.plan.Table
	switch {
	case l.err != nil:
		return l.err.Error()
	case b.f.Zone(l.zone) == nil:
		return fmt.Sprintf("this shop has no zone %.40q", l.zone)
	case l.by != t.By || l.edges != t.Edges || l.graduated != t.Graduated || !slices.Equal(l.classes, t.Classes):
		return fmt.Sprintf("its list goes by %s %s in line %d and by %s %s here",
			t.By, t.Edges, b.plan.Lines[0].Line, l.by, l.edges)
	case l.per != rate.PerParcel && l.per != rate.PerOrder:
		return fmt.Sprintf(`a list prices per "parcel" or per "order", not per %.20q`, l.per)
	case l.per != t.Per:
		return fmt.Sprintf("the lines of a list price per order, or per parcel: not as in line %d", b.plan.Lines[0].Line)
	case !slices.Contains(rate.Measures, l.by):
		return fmt.Sprintf("%.20q is no measure", l.by)
	}
	for _, class := range l.classes {
		if !slices.ContainsFunc(b.f.Classes, func(c store.Class) bool { return c.ID == class }) {
			return fmt.Sprintf("this shop has no class %.40q", class)
		}
	}
	return ""
}

// column is the column of a zone, a new one where it has none yet.
func (b *ownList) column(zone string) int {
	p := b.plan
	if at := slices.Index(p.Table.Zones, zone); at >= 0 {
		return at
	}
	p.Table.Zones = append(p.Table.Zones, zone)
	p.Zones, p.New = append(p.Zones, *b.f.Zone(zone)), append(p.New, false)
	for i := range p.Table.Rows {
		p.Table.Rows[i].Charges = append(p.Table.Rows[i].Charges, nil)
	}
	return len(p.Table.Zones) - 1
}

// row is the row of a bound, a new one where it has none yet.
func (b *ownList) row(l *ownLine) int {
	t := &b.plan.Table
	at, ok := b.rows[l.at]
	if !ok {
		at = len(t.Rows)
		b.rows[l.at] = at
		t.Rows = append(t.Rows, rate.Row{At: l.bound, Charges: make([]*rate.Charge, len(t.Zones))})
	}
	return at
}

// gaps names the cells that no line has.
func (b *ownList) gaps() {
	p := b.plan
	for at, r := range b.rows {
		for column := range p.Zones {
			if _, ok := b.cells[[2]int{r, column}]; !ok {
				p.Gaps = append(p.Gaps, fmt.Sprintf("%s: no line for the row %q", b.f.ZoneName(p.Zones[column].ID), at))
			}
		}
	}
	slices.Sort(p.Gaps)
}

// sort orders the rows by their bounds. The indexes of rows by bound are those before it.
func (b *ownList) sort() {
	slices.SortStableFunc(b.plan.Table.Rows, func(x, y rate.Row) int {
		if x.At == nil || y.At == nil {
			return btoi(x.At == nil) - btoi(y.At == nil)
		}
		return x.At.Cmp(*y.At)
	})
}

// ownGrid reads a table that [Grid] wrote; false where it is another.
func (o *opening) ownGrid(t *sheet.Table) bool {
	head := t.Rows[0].Cells
	like := rate.Table{ID: "list", Name: "Price list"}
	for _, by := range rate.Measures {
		for _, edges := range []rate.Edges{rate.UpTo, rate.From} {
			if like.By = ""; gridHead(o.f, &rate.Table{By: by, Edges: edges}) == head[0] {
				like.By, like.Edges = by, edges
			}
			if like.By != "" {
				break
			}
		}
		if like.By != "" {
			break
		}
	}
	if like.By == "" || len(head) < 2 {
		return false
	}
	if like.By == rate.ByOrder {
		like.Edges = ""
	}
	b := ownList{f: o.f, plan: &Plan{Usable: true, Table: like}, rows: map[string]int{}, cells: map[[2]int]int{}}
	zones := make([]string, len(head))
	for j := 1; j < len(head); j++ {
		for i := range o.f.Zones {
			if gridName(o.f, o.f.Zones[i].ID) == head[j] {
				zones[j] = o.f.Zones[i].ID
			}
		}
		if zones[j] == "" {
			return false
		}
	}
	for _, row := range t.Rows[1:] {
		for j := 1; j < len(head); j++ {
			l := ownLine{number: row.Line, text: strings.Join(row.Cells, ","), by: like.By, edges: like.Edges,
				at: cell(row.Cells, 0), zone: zones[j]}
			if l.charge, l.err = charge.Parse(cell(row.Cells, j), o.f.Words()); l.at != "" {
				d, err := decimal.Parse(l.at)
				if l.bound = &d; err != nil {
					return false
				}
			}
			b.take(l)
		}
	}
	b.sort()
	if o.r.Plan = b.plan; o.into != nil {
		one := o.onto(b.plan)
		one.Is.Graduated = o.into.Graduated
		o.r.Updates = append(o.r.Updates, one)
	}
	return true
}
