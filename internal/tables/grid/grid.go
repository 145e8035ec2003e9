// Package grid reads the tables that people send as they are: bytes in, a grid of cells out, with what was found on
// the way. It takes text with separators in any encoding that [sheet.Decode] knows, workbooks (Office Open XML,
// ISO/IEC 29500, and OpenDocument, ISO/IEC 26300) and tables of web pages. Nothing of a workbook is computed: of a
// formula the value is read that was saved with it.
package grid

import (
	"bytes"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/plural"
	"diadrom/internal/tables/sheet"

	"github.com/xuri/excelize/v2"
)

// Format is how a file has its table.
type Format string

// The formats.
const (
	Text         Format = "text" // with separators
	Workbook     Format = "xlsx"
	OpenDocument Format = "ods"
	Page         Format = "html"
)

// Limits: beyond them a file is no table that a shop has, and would only take memory.
const (
	MaxBytes    = 50 << 20  // of a file
	maxUnpacked = 400 << 20 // of what a workbook unpacks to
	maxSheets   = 150
	MaxText     = 64 << 20 // bytes of text in the cells of a table; text that several cells share counts for each
)

// counter counts what a table holds while it is read, so that reading stops at the cell that is one too many.
type counter struct {
	cells, text int
	report      func(cells int) // nil for nobody
}

// add counts a cell that is repeated so many times.
func (n *counter) add(c *Cell, times int) error {
	if n.cells += times; n.report != nil && n.cells/reported != (n.cells-times)/reported {
		n.report(n.cells)
	}
	if n.cells > sheet.MaxCells {
		return refuse("a table has at most %d cells: leave out columns, or cut it into several", sheet.MaxCells)
	}
	if n.text += len(c.Text) * times; n.text > MaxText {
		return refuse("the cells of this table hold more than %d MB of text: is the file damaged?", MaxText>>20)
	}
	return nil
}

// Cell is a cell as it was found.
type Cell struct {
	// Text is what it says. A number of a workbook has a point as its decimal sign, and behind it what its format shows
	// beside it: "6.9 €".
	Text    string
	Number  bool // it is a number of a workbook
	Carried bool // it is a part of a cell that was merged, and has the text of that
	Formula bool // its value is that of a formula, as it was saved
	Date    bool // it is a number of a workbook that is shown as a day or a time, and has the text of that
}

// Row is a row with the number that a spreadsheet gives it, from 1.
type Row struct {
	Line  int
	Cells []Cell
}

// Grid is what was read.
type Grid struct {
	Format    Format
	Encoding  string // of a text: UTF-8, UTF-16, or one of [sheet.Encodings]
	Separator rune   // of a text
	Sheet     string // of a workbook: which was read
	Sheets    []string
	Rows      []Row // without those that are empty
	// Hidden are the lines of a workbook that are not shown in a spreadsheet and say something, and HiddenColumns the
	// columns from 0. They are read like the others.
	Hidden, HiddenColumns []int
	HiddenSheets          []string // of a workbook that has others: they are not read
}

// Options say how a file is read.
type Options struct {
	Sheet     string // of a workbook, by its name; "": the first that has anything in it
	Encoding  string // of a text: one of [sheet.Encodings]; "" as it is found
	Separator rune   // of a text; 0 as it is found
}

// Error is what makes a file no table, in words for whoever sent it.
type Error struct{ Reason string }

// Error says what is wrong.
func (e *Error) Error() string { return e.Reason }

func refuse(format string, values ...any) error { return &Error{fmt.Sprintf(format, values...)} }

// others are files that are no tables, by how they begin.
var others = []struct{ begins, what string }{
	{"%PDF",
		"this is a PDF: a table in it cannot be read. Ask for the list as a spreadsheet, or copy its rows into one"},
	{"\x89PNG", "this is a picture: ask for the list as a spreadsheet"},
	{"\xff\xd8\xff", "this is a picture: ask for the list as a spreadsheet"},
	{"GIF8", "this is a picture: ask for the list as a spreadsheet"},
	{"\xd0\xcf\x11\xe0",
		"this is a workbook of the old kind (.xls), or one that a password protects: save it as .xlsx " +
			"without a password"},
	{"\x1f\x8b", "this file is compressed: unpack it first"},
	{"Rar!", "this is an archive: unpack it first"},
	{"7z\xbc\xaf", "this is an archive: unpack it first"},
	{"SQLite format 3\x00", "this is a database, not a table"},
}

// Source is a file that can be read as a table, as often as the options change.
type Source interface {
	// Read reads the file. Its errors are those of [Read], and others where the file could not be read to its end.
	Read(o Options) (*Grid, error)
}

// Bytes is a file in memory, read where it is asked for.
type Bytes []byte

// Read reads the file.
func (b Bytes) Read(o Options) (*Grid, error) { return Read(b, o) }

// reported is after how many cells it is said how many were read.
const reported = 1 << 14

// Read reads a file. Its errors are [*Error], [sheet.ErrEmpty] and [*sheet.Error].
func Read(data []byte, o Options) (*Grid, error) { return ReadReporting(data, o, nil) }

// ReadReporting is [Read]. report is told now and then how many cells of a workbook or a page were read; it may be nil.
func ReadReporting(data []byte, o Options, report func(cells int)) (*Grid, error) {
	n := &counter{report: report}
	if len(data) > MaxBytes {
		return nil, refuse("this file has %d MB; a table has at most %d MB", len(data)>>20, MaxBytes>>20)
	}
	for _, other := range others {
		if bytes.HasPrefix(data, []byte(other.begins)) {
			return nil, &Error{other.what}
		}
	}
	var g *Grid
	var err error
	switch {
	case bytes.HasPrefix(data, []byte("PK\x03\x04")):
		g, err = readPacked(data, o, n)
	case isPage(data):
		g, err = readPage(data, o, n)
	default:
		g, err = readText(data, o)
	}
	if err != nil {
		return nil, err
	}
	for i := range g.Rows {
		for j := range g.Rows[i].Cells {
			c := &g.Rows[i].Cells[j]
			c.Text = sheet.PlainDigits(c.Text)
		}
	}
	g.Rows = slices.DeleteFunc(g.Rows, func(r Row) bool {
		return !slices.ContainsFunc(r.Cells, func(c Cell) bool { return c.Text != "" })
	})
	if len(g.Rows) == 0 {
		return nil, sheet.ErrEmpty
	}
	return g, g.bounded()
}

// bounded says where a grid is larger than a table may be.
func (g *Grid) bounded() error {
	cells := 0
	for i := range g.Rows {
		r := &g.Rows[i]
		cells += len(r.Cells)
		switch {
		case len(r.Cells) > sheet.MaxColumns:
			return &sheet.Error{Line: r.Line, Reason: fmt.Sprintf("it has %d columns; a table has at most %d",
				len(r.Cells),
				sheet.MaxColumns)}
		case i == sheet.MaxRows, cells > sheet.MaxCells:
			return &sheet.Error{Line: r.Line,
				Reason: fmt.Sprintf("a table has at most %d rows and %d cells: cut it into several",
					sheet.MaxRows, sheet.MaxCells)}
		}
	}
	return nil
}

// readText reads a text with separators. A first line "sep=;" names the separator, as some spreadsheets write it.
func readText(data []byte, o Options) (*Grid, error) {
	t, err := sheet.ReadAs(data, o.Encoding, o.Separator)
	if err != nil {
		return nil, err
	}
	g := &Grid{Format: Text, Encoding: t.Encoding, Separator: t.Separator}
	g.Rows = make([]Row, 0, len(t.Rows))
	for i := range t.Rows {
		r := &t.Rows[i]
		row := Row{Line: r.Line, Cells: make([]Cell, len(r.Cells))}
		for i, text := range r.Cells {
			row.Cells[i] = Cell{Text: text, Formula: r.Formula == i+1}
		}
		r.Cells = nil // its texts are in the row now
		g.Rows = append(g.Rows, row)
	}
	return g, nil
}

// Head is the index of the row that heads the columns: the first that fills about as many of them as most rows do.
// Those above it are titles and notes.
func (g *Grid) Head() int {
	widths := map[int]int{}
	for i := range g.Rows {
		widths[filled(&g.Rows[i])]++
	}
	usual, most := 0, 0
	for width, n := range widths {
		if n > most || n == most && width > usual {
			usual, most = width, n
		}
	}
	for i := range g.Rows[:min(len(g.Rows), MaxTitles)] {
		if n := filled(&g.Rows[i]); n >= 2 && n*5 >= usual*3 {
			return i
		}
	}
	return 0
}

// MaxTitles is how many rows of titles and notes may stand above a table.
const MaxTitles = 40

// filled counts the cells of a row that say something.
func filled(r *Row) (n int) {
	for i := range r.Cells {
		if r.Cells[i].Text != "" && !r.Cells[i].Carried {
			n++
		}
	}
	return n
}

// Table gives the rows from a row on as a table whose first row has the heads of the columns.
func (g *Grid) Table(head int) *sheet.Table {
	t := &sheet.Table{Encoding: g.Encoding, Separator: g.Separator}
	width := 0 // of the head: what is empty behind it is no column
	for j, c := range g.Rows[head].Cells {
		if c.Text != "" {
			width = j + 1
		}
	}
	for i := head; i < len(g.Rows); i++ {
		r := &g.Rows[i]
		row := sheet.Row{Line: r.Line, Cells: make([]string, len(r.Cells))}
		if g.Format == Workbook || g.Format == OpenDocument {
			row.Numbers = make([]bool, len(r.Cells))
		}
		for j := range r.Cells {
			if row.Numbers != nil {
				row.Numbers[j] = r.Cells[j].Number
			}
			if row.Cells[j] = exact(&r.Cells[j]); r.Cells[j].Formula && row.Formula == 0 &&
				(g.Format == Text || strings.HasPrefix(row.Cells[j], "=")) {
				row.Formula = j + 1 // a formula is what it says; a workbook mostly has its value
			}
		}
		for len(row.Cells) > width && row.Cells[len(row.Cells)-1] == "" {
			row.Cells = row.Cells[:len(row.Cells)-1]
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}

// ReadTable reads a file as a table whose first row has the heads of its columns. What had to be made out is told by
// its Found. The errors are those of [Read].
func ReadTable(source Source) (*sheet.Table, error) {
	g, err := source.Read(Options{})
	if err != nil {
		return nil, err
	}
	head := g.Head()
	t := g.Table(head)
	t.Found = g.found(head)
	return t, nil
}

// found says what had to be made out.
func (g *Grid) found(head int) (list []string) {
	list = g.Found()
	if said := g.HiddenSaid(); said != "" {
		list = append(list, said)
	}
	if head == 0 {
		return list
	}
	at := 0
	if len(g.Sheets) > 1 {
		at = 1 // behind the sheet
	}
	var above []string
	for i := range g.Rows[:head] {
		if said := g.Rows[i].Said(); said != "" {
			above = append(above, said)
		}
	}
	return slices.Insert(list, at, fmt.Sprintf("The column headings are in line %d. Above "+
		"them: %s.", g.Rows[head].Line, Cut(strings.Join(above, " · "))))
}

// HiddenSaid names what a workbook does not show and is read; "" where there is nothing.
func (g *Grid) HiddenSaid() string {
	var names []string
	if n := len(g.Hidden); n > 0 {
		names = append(names, plural.Noun(int64(n), "line")+" "+ranges(g.Hidden, strconv.Itoa))
	}
	if n := len(g.HiddenColumns); n > 0 {
		names = append(names, plural.Noun(int64(n), "column")+" "+ranges(g.HiddenColumns, columnName))
	}
	if names == nil {
		return ""
	}
	return "Hidden in the workbook, but read: " + strings.Join(names, " and ") +
		". Check them in a spreadsheet, or delete them there."
}

// Ranges writes the numbers of lines that rise: "3, 5 to 9".
func Ranges(lines []int) string { return ranges(lines, strconv.Itoa) }

// ranges writes numbers that rise: "3, 5 to 9".
func ranges(list []int, name func(int) string) string {
	var said []string
	for i := 0; i < len(list); {
		j := i
		for j+1 < len(list) && list[j+1] == list[j]+1 {
			j++
		}
		if one := name(list[i]); j == i {
			said = append(said, one)
		} else {
			said = append(said, one+" to "+name(list[j]))
		}
		i = j + 1
	}
	return Cut(strings.Join(said, ", "))
}

// columnName is what spreadsheets call a column, from 0: A, B, … Z, AA.
func columnName(column int) string {
	name, err := excelize.ColumnNumberToName(column + 1)
	if err != nil {
		return strconv.Itoa(column + 1)
	}
	return name
}

// keepHidden keeps of hidden lines and columns those that say something.
func (g *Grid) keepHidden(lines, columns map[int]bool) {
	says := map[int]bool{}
	for i := range g.Rows {
		for j := range g.Rows[i].Cells {
			if g.Rows[i].Cells[j].Text == "" {
				continue
			}
			if n := len(g.Hidden); lines[g.Rows[i].Line] && (n == 0 || g.Hidden[n-1] != g.Rows[i].Line) {
				g.Hidden = append(g.Hidden, g.Rows[i].Line)
			}
			if columns[j] {
				says[j] = true
			}
		}
	}
	g.HiddenColumns = slices.Sorted(maps.Keys(says))
}

// sample is a cell of a text whose encoding was made out, with a letter that shows whether it is right.
func (g *Grid) sample() string {
	if strings.HasPrefix(g.Encoding, "UTF-") {
		return ""
	}
	for i := range g.Rows {
		for j := range g.Rows[i].Cells {
			if text := g.Rows[i].Cells[j].Text; strings.ContainsFunc(text, func(r rune) bool { return r > 127 }) {
				return fmt.Sprintf(": line %d says “%s”", g.Rows[i].Line, Cut(text))
			}
		}
	}
	return ""
}

// Found says what had to be made out of the file, in sentences: which sheet, how a text has its cells, merged cells and
// formulas.
func (g *Grid) Found() (list []string) {
	if len(g.Sheets) > 1 {
		others := slices.DeleteFunc(slices.Clone(g.Sheets), func(name string) bool { return name == g.Sheet })
		list = append(list, fmt.Sprintf("The sheet “%s” was read; the workbook has %s too.", g.Sheet,
			strings.Join(others, ", ")))
	}
	if len(g.HiddenSheets) > 0 {
		list = append(list, fmt.Sprintf("Hidden sheets were not read: %s. Unhide them in a spreadsheet if you need them.",
			Cut(strings.Join(g.HiddenSheets, ", "))))
	}
	if g.Format == Text && (g.Separator != ',' || g.Encoding != "UTF-8") {
		list = append(list, fmt.Sprintf("The file was read as %s text with %s between the cells%s.", g.Encoding,
			separatorNames[g.Separator], g.sample()))
	}
	carried, formulas, unsaved := 0, 0, 0
	for i := range g.Rows {
		for _, c := range g.Rows[i].Cells {
			if c.Carried {
				carried++
			}
			switch {
			case !c.Formula || g.Format == Text:
			case strings.HasPrefix(c.Text, "="):
				unsaved++
			default:
				formulas++
			}
		}
	}
	if carried > 0 {
		list = append(list, "Merged cells count for each row and column that they cover.")
	}
	switch {
	case formulas == 1:
		list = append(list, "A formula has the value that was saved with it.")
	case formulas > 1:
		list = append(list, plural.Number(formulas)+" formulas have the values that were saved with them.")
	}
	if unsaved > 0 {
		has := "have"
		if unsaved == 1 {
			has = "has"
		}
		list = append(list, fmt.Sprintf("%s %s no saved value. Open the workbook in a spreadsheet, save it and choose it "+
			"again.", plural.Count(unsaved, "formula"), has))
	}
	return list
}

var separatorNames = map[rune]string{',': "commas", ';': "semicolons", '\t': "tabs", '|': "bars"}

// Cut bounds a text that is told.
func Cut(text string) string {
	if letters := []rune(text); len(letters) > maxTold {
		return string(letters[:maxTold]) + "…"
	}
	return text
}

const maxTold = 200

// grouped is a number that a reader of texts could take for thousands: 1.234.
var grouped = regexp.MustCompile(`^-?[0-9]{1,3}\.[0-9]{3}($| )`)

// exact is a number of a workbook in a way that nobody takes for thousands: its point is a decimal sign.
func exact(c *Cell) string {
	if !c.Number || !grouped.MatchString(c.Text) {
		return c.Text
	}
	figures, beside, _ := strings.Cut(c.Text, " ")
	return strings.TrimSpace(figures + "0 " + beside)
}

// clean is a text of a cell without the spaces around it, on one line.
func clean(text string) string { return strings.TrimSpace(oneLine.Replace(text)) }

var oneLine = strings.NewReplacer("\r\n", " ", "\n", " ", "\u00a0", " ", "\u202f", " ")
