package ratelist

import (
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/tables/sheet"
)

// Lists are the price lists of a table that [Cells] wrote, as "method/list"; none of another table.
func Lists(t *sheet.Table) (names []string) {
	if !slices.Equal(t.Rows[0].Cells, Columns) {
		return nil
	}
	for _, row := range t.Rows[1:] {
		if name := cell(row.Cells, 0) + "/" + cell(row.Cells, 1); !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	return names
}

// own reads one list of a table that [Cells] wrote back: the same table, cell for cell.
func own(t *sheet.Table, list string, f *store.File) *Plan {
	b := ownList{f: f, plan: &Plan{Usable: true}, rows: map[string]int{}, cells: map[[2]int]int{}}
	for _, row := range t.Rows[1:] {
		if cell(row.Cells, 0)+"/"+cell(row.Cells, 1) == list {
			b.take(ownLineOf(row, f))
		}
	}
	b.gaps()
	slices.SortStableFunc(b.plan.Table.Rows, func(x, y rate.Row) int {
		if x.At == nil || y.At == nil {
			return btoi(x.At == nil) - btoi(y.At == nil)
		}
		return x.At.Cmp(*y.At)
	})
	return b.plan
}

// ownLine is a line of a table that [Cells] wrote.
type ownLine struct {
	number    int
	by        rate.By
	edges     rate.Edges
	graduated bool
	at        string // the bound as written
	bound     *decimal.Decimal
	zone      string
	classes   string
	charge    *rate.Charge
	err       error // of the bound or the charge
}

func ownLineOf(row sheet.Row, f *store.File) (l ownLine) {
	at := func(i int) string { return cell(row.Cells, i) }
	l = ownLine{
		number:    row.Line,
		by:        rate.By(at(2)),
		edges:     rate.Edges(at(3)),
		graduated: at(7) == "yes",
		at:        at(4),
		zone:      at(5),
		classes:   at(8),
	}
	l.charge, l.err = charge.Parse(at(6), f.Words())
	if l.at != "" {
		d, err := decimal.Parse(l.at)
		if l.bound = &d; l.err == nil {
			l.err = err
		}
	}
	return l
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
		*t = rate.Table{ID: "list", Name: "Price list", By: l.by, Edges: l.edges, Graduated: l.graduated}
	}
	line := Line{Line: l.number, Status: Taken}
	if why := b.refused(&l); why != "" {
		line.Status, line.Says, b.plan.Usable = Refused, why, false
	} else {
		line.Zone, line.Says, line.charge = b.f.ZoneName(l.zone), charge.Format(l.charge, b.f.Words()), l.charge
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
	case l.classes != "":
		return fmt.Sprintf(
			"this list is for the classes %s only: a list for some classes is added to a method that has one",
			strings.ReplaceAll(l.classes, " ", ", "),
		)
	case l.by != t.By || l.edges != t.Edges || l.graduated != t.Graduated:
		return fmt.Sprintf("its list goes by %s %s in line %d and by %s %s here",
			t.By, t.Edges, b.plan.Lines[0].Line, l.by, l.edges)
	case !slices.Contains(rate.Measures, l.by):
		return fmt.Sprintf("%.20q is no measure", l.by)
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
