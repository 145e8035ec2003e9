package ratelist

import (
	"diadrom/internal/core/world"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/notes"
	"fmt"
	"slices"
	"strings"
)

// maxOtherSheets is how many further sheets are looked into.
const maxOtherSheets = 20

// sheets looks into the other sheets of a workbook: for prices, where the first sheet has none, and for where zones
// are.
func (o *opening) sheets(source grid.Source, g *grid.Grid, l *layout, lists []*list) (*grid.Grid, *layout, []*list,
	error) {
	var with []string
	usable := func(lists []*list) bool {
		return slices.ContainsFunc(lists, func(one *list) bool { return o.missing(one.mapping, one.block) == "" })
	}
	ok := usable(lists)
	if ok {
		with = append(with, g.Sheet)
	}
	others := key{}
	var unread []*grid.Grid
	if !ok && len(l.key) == 0 {
		unread = append(unread, g)
	}
	for _, name := range g.Sheets[:min(len(g.Sheets), maxOtherSheets)] {
		if name == g.Sheet {
			continue
		}
		other, err := readGrid(source, grid.Options{Sheet: name})
		if err != nil {
			continue // an empty sheet
		}
		otherLayout := blocksOf(other, 0)
		if otherLists := o.lists(otherLayout); usable(otherLists) {
			with = append(with, name)
			if !ok {
				others.join(l.key)
				g, l, lists, ok = other, otherLayout, otherLists, true
				continue
			}
		} else if len(otherLayout.key) == 0 {
			unread = append(unread, other)
		} else {
			o.keyNotes(other, otherLayout)
		}
		others.join(otherLayout.key)
	}
	l.key.join(others)
	if len(with) > 1 {
		o.asks.Add(AskSheet,
			fmt.Sprintf("The sheets %s have prices. Sheet %s was read. If another is right, choose it.",
				strings.Join(with, ", "), g.Sheet))
	}
	for _, other := range unread {
		if other != g {
			o.unreadSheet(other)
		}
	}
	if more := len(g.Sheets) - maxOtherSheets; more > 0 {
		o.asks.Add(AskSheet,
			fmt.Sprintf("The workbook has %d sheets; the last %d were not read. Choose the sheet with the prices.",
				len(g.Sheets), more))
	}
	return g, l, lists, nil
}

// zonesOfSheets reads where zones are from the sheets beside the one that somebody chose.
func (o *opening) zonesOfSheets(source grid.Source, g *grid.Grid, l *layout) {
	for _, name := range g.Sheets[:min(len(g.Sheets), maxOtherSheets)] {
		if name == g.Sheet {
			continue
		}
		if other, err := readGrid(source, grid.Options{Sheet: name}); err == nil { // it is not empty
			l.key.join(blocksOf(other, 0).key)
		}
	}
}

// keyNotes asks about titles and notes of a sheet that says where zones are.
func (o *opening) keyNotes(g *grid.Grid, l *layout) {
	home := func(word string) bool {
		country, err := destination.Country(word)
		return err == nil && country == o.typed.Home
	}
	texts := slices.Clone(l.pending)
	for _, b := range l.blocks {
		texts = append(append(texts, b.titles...), b.asides...)
	}
	for i := range texts {
		if text := texts[i].Said(); notes.Says(text, home) {
			o.asks.Add(AskNote, fmt.Sprintf("The sheet %s says “%s” in line %d, which is not used.", g.Sheet,
				strings.TrimSuffix(grid.Cut(text), "."), texts[i].Line))
		}
	}
}

// unreadSheet asks about a sheet that has neither prices nor zones, where it says something that may count in a price.
func (o *opening) unreadSheet(g *grid.Grid) {
	var said []string
	for i := range g.Rows {
		if text := g.Rows[i].Said(); notes.Counts(world.Fold(text)) {
			said = append(said, "“"+text+"”")
		}
	}
	if len(said) > 0 {
		o.asks.Add(AskNote, fmt.Sprintf("The sheet %s is not used. It says %s. Put it on the sheet with the prices, or leave it "+
			"out.", g.Sheet, strings.TrimSuffix(grid.Cut(strings.Join(said, ", ")), ".")))
	}
}

// keyFile reads a file that says where the zones are.
func (o *opening) keyFile(file grid.Source, l *layout) error {
	g, err := readGrid(file, grid.Options{})
	if err != nil {
		return err
	}
	before := len(l.key)
	l.key.join(blocksOf(g, 0).key)
	if len(l.key) == before {
		return &grid.Error{Reason: "the second file does not say where zones are: it needs a column with zones and " +
			"one " +
			"with countries"}
	}
	return nil
}

// aDate stands behind a cell that a workbook shows as a day: a program has taken a price or a band for one, 6.9 for the
// 6th of September, or it is the day from which the list holds.
const aDate = " (a date)"

// readGrid reads a sheet, with the cells that are dates marked as such.
func readGrid(source grid.Source, o grid.Options) (*grid.Grid, error) {
	g, err := source.Read(o)
	if err != nil {
		return nil, err
	}
	for i := range g.Rows {
		for j := range g.Rows[i].Cells {
			if c := &g.Rows[i].Cells[j]; c.Date && c.Text != "" && !strings.HasSuffix(c.Text, aDate) {
				c.Text += aDate
			}
		}
	}
	return g, nil
}
