package grid

import (
	"archive/zip"
	"encoding/xml"
	"errors"
	"io"
	"strconv"
	"strings"

	"diadrom/internal/tables/sheet"
)

// openSheet is a sheet of an OpenDocument workbook while it is read.
type openSheet struct {
	name    string
	rows    []Row
	columns int // that were said how they are shown
	// lines and columns, from 0, that are hidden
	hiddenLines, hiddenColumns map[int]bool
}

// readOpenDocument reads the content of an OpenDocument workbook.
func readOpenDocument(z *zip.Reader, o Options, n *counter) (*Grid, error) {
	f, err := z.Open("content.xml")
	if err != nil {
		return nil, refuse("this workbook is damaged: it has no content")
	}
	defer f.Close()
	r := openReader{count: n, x: xml.NewDecoder(io.LimitReader(f, maxUnpacked))}
	if err := r.read(); err != nil {
		var told *Error
		if errors.As(err, &told) {
			return nil, err
		}
		return nil, refuse("this workbook is damaged, or protected by a password")
	}
	g := &Grid{Format: OpenDocument}
	for i := range r.sheets {
		g.Sheets = append(g.Sheets, r.sheets[i].name)
	}
	find := func(name string) *openSheet {
		for i := range r.sheets {
			if r.sheets[i].name == name {
				return &r.sheets[i]
			}
		}
		return nil
	}
	if g.Sheet, err = choose(g.Sheets, o, func(name string) bool { return len(find(name).rows) == 0 }); err != nil {
		return nil, err
	}
	s := find(g.Sheet)
	g.Rows = s.rows
	g.keepHidden(s.hiddenLines, s.hiddenColumns)
	return g, nil
}

// openReader reads content.xml.
type openReader struct {
	x      *xml.Decoder
	sheets []openSheet
	line   int // of the row that is read, from 1
	count  *counter
}

func attribute(e *xml.StartElement, name string) string {
	for _, a := range e.Attr {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

// repeated is how often a row or a cell stands there.
func repeated(e *xml.StartElement, name string) int {
	n, err := strconv.Atoi(attribute(e, name))
	if err != nil || n < 1 {
		return 1
	}
	return n
}

// hidden says whether a row or a column is not shown (OpenDocument 1.2, part 1: table:visibility).
func hidden(e *xml.StartElement) bool {
	v := attribute(e, "visibility")
	return v == "collapse" || v == "filter"
}

func (r *openReader) read() error {
	for {
		token, err := r.x.Token()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		e, ok := token.(xml.StartElement)
		switch {
		case !ok:
		case e.Name.Local == "table" && len(r.sheets) > maxSheets:
			return refuse("this workbook has more than %d sheets", maxSheets)
		case e.Name.Local == "table":
			r.sheets = append(r.sheets, openSheet{name: attribute(&e, "name"), hiddenLines: map[int]bool{},
				hiddenColumns: map[int]bool{}})
			r.line = 1
		case e.Name.Local == "table-column" && len(r.sheets) > 0:
			s := &r.sheets[len(r.sheets)-1]
			end := s.columns + min(repeated(&e, "number-columns-repeated"), sheet.MaxColumns)
			for n := s.columns; hidden(&e) && n < min(end, sheet.MaxColumns); n++ {
				s.hiddenColumns[n] = true
			}
			s.columns = min(end, sheet.MaxColumns)
		case e.Name.Local == "table-row" && len(r.sheets) > 0:
			if err := r.row(&e); err != nil {
				return err
			}
		}
	}
}

// row reads a row. One that says nothing only counts, however often it is repeated.
func (r *openReader) row(e *xml.StartElement) error {
	times := repeated(e, "number-rows-repeated")
	row := Row{Line: r.line}
	empty := 0 // cells since the last that says something
	for {
		token, err := r.x.Token()
		if err != nil {
			return err
		}
		switch t := token.(type) {
		case xml.StartElement:
			if t.Name.Local != "table-cell" && t.Name.Local != "covered-table-cell" {
				continue
			}
			cell, err := r.cell(&t)
			if err != nil {
				return err
			}
			n := repeated(&t, "number-columns-repeated")
			if t.Name.Local == "covered-table-cell" {
				cell.Carried = true
			}
			if cell.Text == "" && !cell.Carried {
				empty += n
				continue
			}
			if len(row.Cells)+empty+n > sheet.MaxColumns {
				return refuse("line %d has more than %d columns", r.line, sheet.MaxColumns)
			}
			row.Cells = append(row.Cells, make([]Cell, empty)...)
			for empty = 0; n > 0; n-- {
				row.Cells = append(row.Cells, cell)
			}
		case xml.EndElement:
			if t.Name.Local == "table-row" {
				return r.keep(row, times, hidden(e))
			}
		}
	}
}

// keep adds a row as often as it stands there.
func (r *openReader) keep(row Row, times int, hidden bool) error {
	if len(row.Cells) > 0 {
		s := &r.sheets[len(r.sheets)-1]
		if times > sheet.MaxRows-len(s.rows) {
			return refuse("a table has at most %d rows: cut it into several", sheet.MaxRows)
		}
		carriedOver(s, &row)
		for i := range row.Cells {
			if err := r.count.add(&row.Cells[i], times); err != nil {
				return err
			}
		}
		for i := range times {
			one := row
			one.Line = r.line + i
			if hidden {
				s.hiddenLines[one.Line] = true
			}
			s.rows = append(s.rows, one)
		}
	}
	r.line += times
	return nil
}

// carriedOver has covered cells say what the cell says that covers them: the one before them, or else the one above.
func carriedOver(s *openSheet, row *Row) {
	for j := range row.Cells {
		c := &row.Cells[j]
		switch {
		case !c.Carried:
		case j > 0 && row.Cells[j-1].Text != "":
			c.Text, c.Number, c.Date = row.Cells[j-1].Text, row.Cells[j-1].Number, row.Cells[j-1].Date
		case len(s.rows) > 0 && j < len(s.rows[len(s.rows)-1].Cells):
			above := s.rows[len(s.rows)-1].Cells[j]
			c.Text, c.Number, c.Date = above.Text, above.Number, above.Date
		}
	}
}

// cell reads a cell: its value where it is a number, with what is shown beside it, or else its text.
func (r *openReader) cell(e *xml.StartElement) (c Cell, err error) {
	var text strings.Builder
	for depth, paragraphs := 1, 0; depth > 0; {
		token, err := r.x.Token()
		if err != nil {
			return c, err
		}
		switch t := token.(type) {
		case xml.StartElement:
			if t.Name.Local == "annotation" {
				if err := r.x.Skip(); err != nil {
					return c, err
				}
				continue
			}
			if depth++; t.Name.Local == "p" {
				if paragraphs++; paragraphs > 1 {
					text.WriteByte(' ')
				}
			}
			if t.Name.Local == "s" {
				text.WriteByte(' ')
			}
		case xml.EndElement:
			depth--
		case xml.CharData:
			text.Write(t)
		}
	}
	c = Cell{Text: clean(text.String()), Formula: attribute(e, "formula") != ""}
	if c.Formula && c.Text == "" && attribute(e, "value-type") == "" { // no value was saved with it
		_, formula, _ := strings.Cut(attribute(e, "formula"), "=")
		c.Text = "=" + clean(formula)
		return c, nil
	}
	if kind := attribute(e, "value-type"); kind == "date" || kind == "time" {
		c.Date = true
		return c, nil
	}
	value, err := strconv.ParseFloat(attribute(e, "value"), 64)
	if err != nil {
		return c, nil //nolint:nilerr // it is no number
	}
	switch attribute(e, "value-type") {
	case "float":
		c.Text, c.Number = strings.TrimSpace(number(value)+" "+shownBeside(c.Text)), true
	case "currency":
		sign := attribute(e, "currency")
		if sign == "" {
			sign = shownBeside(c.Text)
		}
		c.Text, c.Number = strings.TrimSpace(number(value)+" "+sign), true
	case "percentage":
		c.Text, c.Number = number(value*100)+" %", true
	}
	return c, nil
}

// shownBeside is what a text shows beside its number: a unit or a currency.
func shownBeside(text string) string {
	return clean(strings.Trim(text, "0123456789.,'+-\u00a0\u202f "))
}
