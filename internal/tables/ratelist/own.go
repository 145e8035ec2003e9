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
	p := &Plan{Usable: true}
	rows, cells := map[string]int{}, map[[2]int]int{} // by bound; lines by row and column
	for _, line := range t.Rows[1:] {
		at := func(i int) string { return cell(line.Cells, i) }
		if at(0)+"/"+at(1) != list {
			continue
		}
		l := Line{Line: line.Line, Status: Taken}
		refuse := func(format string, args ...any) {
			l.Status, l.Says, p.Usable = Refused, fmt.Sprintf(format, args...), false
		}
		by, edges, graduated := rate.By(at(2)), rate.Edges(at(3)), at(7) == "yes"
		if len(p.Table.Zones) == 0 {
			p.Table = rate.Table{ID: "list", Name: "Price list", By: by, Edges: edges, Graduated: graduated}
		}
		c, err := charge.Parse(at(6), f.Words())
		zone := slices.IndexFunc(f.Zones, func(z store.Zone) bool { return z.ID == at(5) })
		var bound *decimal.Decimal
		if at(4) != "" {
			d, slip := decimal.Parse(at(4))
			if bound = &d; slip != nil && err == nil {
				err = slip
			}
		}
		switch {
		case err != nil:
			refuse("%s", err.Error())
		case zone < 0:
			refuse("this shop has no zone %.40q", at(5))
		case at(8) != "":
			refuse(
				"this list is for the classes %s only: a list for some classes is added to a method that has one",
				strings.ReplaceAll(at(8), " ", ", "),
			)
		case by != p.Table.By || edges != p.Table.Edges || graduated != p.Table.Graduated:
			refuse(
				"its list goes by %s %s in line %d and by %s %s here",
				p.Table.By,
				p.Table.Edges,
				p.Lines[0].Line,
				by,
				edges,
			)
		case !slices.Contains(rate.Measures, by):
			refuse("%.20q is no measure", by)
		default:
			l.Zone, l.Says, l.charge = f.ZoneName(at(5)), charge.Format(c, f.Words()), c
			column := slices.Index(p.Table.Zones, at(5))
			if column < 0 {
				column = len(p.Table.Zones)
				p.Table.Zones = append(p.Table.Zones, at(5))
				p.Zones, p.New = append(p.Zones, f.Zones[zone]), append(p.New, false)
				for i := range p.Table.Rows {
					p.Table.Rows[i].Charges = append(p.Table.Rows[i].Charges, nil)
				}
			}
			r, ok := rows[at(4)]
			if !ok {
				r = len(p.Table.Rows)
				rows[at(4)] = r
				p.Table.Rows = append(
					p.Table.Rows,
					rate.Row{At: bound, Charges: make([]*rate.Charge, len(p.Table.Zones))},
				)
			}
			if first, twice := cells[[2]int{r, column}]; twice {
				l.Status, l.Says, p.Usable = Contradicts, fmt.Sprintf("line %d has this cell already", first), false
				break
			}
			cells[[2]int{r, column}] = line.Line
			p.Table.Rows[r].Charges[column] = c
		}
		p.Lines = append(p.Lines, l)
	}
	for at, r := range rows {
		for column := range p.Zones {
			if _, ok := cells[[2]int{r, column}]; !ok {
				p.Gaps = append(
					p.Gaps,
					fmt.Sprintf("%s: no line for the row %q", f.ZoneName(p.Zones[column].ID), at),
				)
			}
		}
	}
	slices.Sort(p.Gaps)
	slices.SortStableFunc(p.Table.Rows, func(x, y rate.Row) int {
		switch {
		case x.At == nil || y.At == nil:
			return btoi(x.At == nil) - btoi(y.At == nil)
		}
		return x.At.Cmp(*y.At)
	})
	return p
}
