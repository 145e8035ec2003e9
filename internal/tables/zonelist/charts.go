package zonelist

import (
	"errors"
	"regexp"
	"strings"

	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
)

// across is the index of a row that has the label of a zone in each of its cells, at least two; -1 where none has.
func across(g *grid.Grid) int {
	for i := range g.Rows[:min(len(g.Rows), grid.MaxTitles)] {
		if isAcross(&g.Rows[i]) {
			return i
		}
	}
	return -1
}

func isAcross(row *grid.Row) bool {
	n := 0
	for i := range row.Cells {
		if text := row.Cells[i].Text; text != "" {
			if destination.ZoneLabel(text, false) == "" {
				return false
			}
			n++
		}
	}
	return n > 1
}

// labelAndRest is a label with what it stands for: "Zone 1: Sweden, Denmark", "Zone 2 (Germany)", "Zone 3 – USA".
var labelAndRest = regexp.MustCompile(`^(.*?)\s*(?:[(\[]\s*(.+?)\s*[)\]]|[:=–—-]\s+(.+))$`)

// labelled are the lines of rows that begin with the label of a zone.
func labelled(g *grid.Grid) (lines []int) {
	for i := range g.Rows {
		if label, _ := labelOf(&g.Rows[i]); label != "" {
			lines = append(lines, g.Rows[i].Line)
		}
	}
	return lines
}

// labelOf is the label of a zone with which a row begins, and what of its first cell stands behind it.
func labelOf(row *grid.Row) (label, behind string) {
	for i := range row.Cells {
		text := row.Cells[i].Text
		if text == "" {
			continue
		}
		if destination.ZoneLabel(text, false) != "" {
			return strings.Trim(text, ": "), ""
		}
		if m := labelAndRest.FindStringSubmatch(text); m != nil && destination.ZoneLabel(m[1], false) != "" {
			return strings.Trim(m[1], ": "), m[2] + m[3]
		}
		return "", ""
	}
	return "", ""
}

// charts reads a list without headings: a column, a line or a section for each zone.
func (o *opening) charts() {
	g := o.r.Grid
	if across(g) < 0 && len(labelled(g)) == 0 {
		o.records()
		return
	}
	o.begin()
	o.r.Head = 0
	var zones []string // by column
	section := ""
	for i := range g.Rows {
		row := &g.Rows[i]
		label, behind := labelOf(row)
		switch {
		case isAcross(row):
			zones, section = make([]string, len(row.Cells)), ""
			for j := range row.Cells {
				zones[j] = row.Cells[j].Text
			}
			o.r.Ledger.MarkRow(row.Line, 0, len(row.Cells), grid.AsHead)
		case label != "":
			section = label
			zones = nil
			first := true
			for j := range row.Cells {
				switch text := row.Cells[j].Text; {
				case text == "":
					continue
				case !first:
					o.cell(row, j, section, text)
				case behind != "":
					o.cell(row, j, section, behind)
				default:
					o.r.Ledger.Mark(row.Line, j, grid.AsHead)
				}
				first = false
			}
		case section != "" || zones != nil:
			for j := range row.Cells {
				text := row.Cells[j].Text
				if text == "" {
					continue
				}
				zone := section
				if zones != nil && j < len(zones) {
					zone = zones[j]
				}
				o.cell(row, j, zone, text)
			}
		default:
			o.note(row)
		}
	}
	o.end()
}

// cell reads a cell with places of a zone.
func (o *opening) cell(row *grid.Row, column int, zone, text string) {
	w := where{said: text}
	w.places, w.left, w.err = o.named(text)
	if zone == "" {
		w.err = errors.New("no zone stands above it")
	}
	account := grid.AsBound
	if !o.put(row.Line, zone, w) {
		account = o.asideOr(AskPlace)
	}
	o.r.Ledger.Mark(row.Line, column, account)
}
