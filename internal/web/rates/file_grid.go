package rates

import (
	"cmp"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/tables/ratelist"
)

type fileGridRow struct {
	Head  string
	Cells []fileCell
}

// fileCell is a price that a file makes, with what it was.
type fileCell struct {
	Is, Was, Percent, Kind string
}

// maxGrid and maxColumns are how many rows and columns of a list a preview shows.
const (
	maxGrid    = 120
	maxColumns = 60
)

// grid shows a list; the columns that a file changes stand before those that stay.
func (v *fileView) grid(f *store.File, r *ratelist.Reading, t *rate.Table, cells map[[2]int]ratelist.Change) {
	named := map[string]fileZone{}
	for i := range r.Plan.Zones {
		z := &r.Plan.Zones[i]
		one := fileZone{Name: z.Name, New: r.Plan.New[i]}
		if one.New {
			one.Places = placesOf(z)
		}
		named[z.ID] = one
	}
	columns := make([]int, 0, len(t.Zones))
	for _, first := range []bool{true, false} {
		for j, id := range t.Zones {
			if col, is := named[id]; is == first {
				columns = append(columns, j)
				col.Name = cmp.Or(col.Name, f.ZoneName(id))
				v.Zones = append(v.Zones, col)
			}
		}
	}
	v.MoreZones, v.MoreRows = max(0, len(columns)-maxColumns), max(0, len(t.Rows)-maxGrid)
	columns, v.Zones = columns[:min(len(columns), maxColumns)], v.Zones[:min(len(columns), maxColumns)]
	for i := range t.Rows[:min(len(t.Rows), maxGrid)] {
		row := fileGridRow{Head: t.RowWords(i, f.Store.Units())}
		for _, j := range columns {
			cell := fileCell{Is: charge.Format(t.Rows[i].Charges[j], f.Words())}
			switch change, ok := cells[[2]int{i, j}]; {
			case ok && change.Kind != ratelist.Unchanged:
				cell.Kind, cell.Was, cell.Percent = string(change.Kind), change.Was, change.Percent
				if change.Kind == ratelist.Added {
					cell.Was = ""
				}
			case cells != nil && !ok:
				cell.Kind = "kept"
			}
			row.Cells = append(row.Cells, cell)
		}
		v.Rows = append(v.Rows, row)
	}
}
