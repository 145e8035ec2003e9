package zonelist

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/world"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/heads"
	"diadrom/internal/tables/notes"
)

// records reads a list with a line for each place.
func (o *opening) records() {
	g := o.r.Grid
	head := &g.Rows[o.head]
	for i := range g.Rows[:o.head] {
		o.note(&g.Rows[i])
	}
	unused := o.mapping(head)
	at := func(f Field) int { return slices.Index(o.r.Columns, f) }
	if at(Zone) < 0 || !slices.ContainsFunc(Fields[1:], func(f Field) bool { return at(f) >= 0 }) {
		o.asks.Add(AskColumns, "No column is known to have the zone and where it is. Choose what the columns hold.")
		for i := range g.Rows[o.head:] {
			row := &g.Rows[o.head+i]
			o.r.Ledger.MarkRow(row.Line, 0, len(row.Cells), grid.AskedAbout)
		}
		return
	}
	if len(unused) > 0 {
		o.asks.Add(AskColumns, "These columns are not used: "+strings.Join(unused, ", ")+
			". Choose what they hold, or leave them out.")
	}
	o.begin()
	last := ""
	for i := range g.Rows[o.head+1:] {
		row := &g.Rows[o.head+1+i]
		switch {
		case sameCells(row, head):
			o.r.Ledger.MarkRow(row.Line, 0, len(row.Cells), grid.AsHead)
			o.skip(row.Line, row.Said(), "it repeats the headings")
		case row.Sum() || o.alone(row):
			o.note(row)
		default:
			last = o.record(row, last)
		}
	}
	o.end()
}

func sameCells(a, b *grid.Row) bool {
	return slices.EqualFunc(a.Cells, b.Cells, func(x, y grid.Cell) bool { return world.Fold(x.Text) == world.Fold(y.Text) })
}

// alone says whether a row has one cell, which is no zone or place but a title or a note.
func (o *opening) alone(row *grid.Row) bool {
	if row.Filled() != 1 {
		return false
	}
	i := slices.IndexFunc(row.Cells, func(c grid.Cell) bool { return c.Text != "" && !c.Carried })
	if i >= len(o.r.Columns) || o.r.Columns[i] == "" {
		return true
	}
	text := row.Cells[i].Text
	return o.r.Columns[i] == Zone && (len(strings.Fields(text)) > 2 || strings.ContainsAny(text, ":*"))
}

// mapping is what the columns hold: as their headings say, or as somebody chose. It gives the headings of those that are
// not used and may say something of places.
func (o *opening) mapping(head *grid.Row) (unused []string) {
	fields, _ := fieldsOf(head)
	for len(fields) < o.r.Grid.Width() {
		fields = append(fields, "")
	}
	for i, f := range o.c.Columns {
		if i < len(fields) {
			fields[i] = f
		}
	}
	o.r.Columns = fields
	for i := range head.Cells {
		text := head.Cells[i].Text
		_, chosen := o.c.Columns[i]
		if text == "" && !chosen {
			continue
		}
		account, why := grid.AsHead, ""
		switch again := fieldOf(text); {
		case fields[i] != "":
		case chosen, o.settled(AskColumns):
			account, why = grid.SetAside, "the column is not used"
		case again == Country && o.sameCountry(i):
			account, why = grid.AsBound, "it says the same as another column"
		case again != "":
			account = grid.AskedAbout
			o.asks.Add(AskColumns, fmt.Sprintf("Two columns look like the %s. “%s” is not used. Choose it instead if it is the "+
				"right one.", again, text))
		case heads.Aside(heads.Fold(text)):
			account, why = grid.SetAside, "the column is not used"
		default:
			account = grid.AskedAbout
			unused = append(unused, "“"+text+"”")
		}
		if why != "" {
			o.skip(head.Line, text, why)
		}
		o.r.Ledger.Mark(head.Line, i, account)
		if fields[i] != "" {
			continue
		}
		for j := range o.r.Grid.Rows[o.head+1:] {
			o.r.Ledger.Mark(o.r.Grid.Rows[o.head+1+j].Line, i, account)
		}
	}
	return unused
}

// sameCountry says whether a second column of countries says the same in each line as the first.
func (o *opening) sameCountry(column int) bool {
	first := slices.Index(o.r.Columns, Country)
	if first < 0 {
		return false
	}
	for i := range o.r.Grid.Rows[o.head+1:] {
		cells := o.r.Grid.Rows[o.head+1+i].Cells
		if column >= len(cells) || cells[column].Text == "" {
			continue
		}
		a, err := destination.Country(cells[first].Text)
		b, wrong := destination.Country(cells[column].Text)
		if err != nil || wrong != nil || a != b {
			return false
		}
	}
	return true
}

// record reads a line, and gives the zone that it is of. An empty cell for the zone is the zone above it.
func (o *opening) record(row *grid.Row, last string) string {
	o.outside(row)
	cell := func(f Field) string {
		if i := slices.Index(o.r.Columns, f); i >= 0 && i < len(row.Cells) {
			return row.Cells[i].Text
		}
		return ""
	}
	name := cell(Zone)
	if name == "" && last != "" {
		name = last
		o.found("An empty cell for the zone is the zone above it.")
	}
	w := o.where(cell, row)
	if name == "" {
		w.said, w.err = row.Said(), errors.New("no zone is named here or above")
	}
	account := grid.AsBound
	if !o.put(row.Line, name, w) {
		account = o.asideOr(AskPlace)
	}
	for i, f := range o.r.Columns {
		if f != "" {
			o.r.Ledger.Mark(row.Line, i, account)
		}
	}
	return name
}

// outside asks about the cells of a line that are in no column.
func (o *opening) outside(row *grid.Row) {
	head := &o.r.Grid.Rows[o.head]
	for i := range row.Cells {
		c := &row.Cells[i]
		if c.Text == "" || o.r.Columns[i] != "" || i < len(head.Cells) && head.Cells[i].Text != "" {
			continue
		}
		if !c.Number && !notes.Says(c.Text, nil) {
			o.r.Ledger.Mark(row.Line, i, grid.SetAside)
			continue
		}
		o.r.Ledger.Mark(row.Line, i, o.asideOr(AskNote))
		o.asks.Add(AskNote, fmt.Sprintf("Line %d: “%s” is not used. Choose what its column holds, or leave it out.", row.Line,
			grid.Cut(c.Text)))
	}
}

// note reads a row beside the list: a title or a note. It is asked about where it says something that may count.
func (o *opening) note(row *grid.Row) {
	text := row.Said()
	account := grid.SetAside
	if row.Line >= o.c.Head && notes.Says(text, nil) {
		account = o.asideOr(AskNote)
		o.asks.Add(AskNote, fmt.Sprintf("Line %d says “%s”, which is not used. Change the list so that it counts, or leave it out.",
			row.Line, strings.TrimSuffix(grid.Cut(text), ".")))
	}
	o.r.Ledger.MarkRow(row.Line, 0, len(row.Cells), account)
	o.skip(row.Line, text, "a title or a note")
}
