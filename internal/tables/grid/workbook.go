package grid

import (
	"archive/zip"
	"bytes"
	"errors"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/tables/sheet"

	"github.com/xuri/excelize/v2"
)

// readPacked reads what lies in a ZIP archive: a workbook of either kind.
func readPacked(data []byte, o Options, n *counter) (*Grid, error) {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, refuse("this workbook is damaged: it breaks off, or is no archive")
	}
	var unpacked uint64
	kind := Format("")
	for _, f := range z.File {
		if unpacked += f.UncompressedSize64; unpacked > maxUnpacked {
			return nil, refuse("this workbook unpacks to more than %d MB, which no table needs", maxUnpacked>>20)
		}
		switch f.Name {
		case "xl/workbook.xml":
			kind = Workbook
		case "content.xml":
			kind = OpenDocument
		case "EncryptedPackage":
			return nil, refuse("this workbook is protected by a password: save it without one")
		}
	}
	switch kind {
	case Workbook:
		return readWorkbook(data, z, o, n)
	case OpenDocument:
		return readOpenDocument(z, o, n)
	}
	return nil, refuse("this is an archive, and no workbook in it: unpack it first")
}

// choose says which sheet is read: the one that is named, or the first that has anything in it.
func choose(names []string, o Options, empty func(name string) bool) (string, error) {
	if len(names) > maxSheets {
		return "", refuse("this workbook has %d sheets; at most %d are read", len(names), maxSheets)
	}
	if o.Sheet != "" {
		for _, name := range names {
			if strings.EqualFold(strings.TrimSpace(name), strings.TrimSpace(o.Sheet)) {
				return name, nil
			}
		}
		return "", refuse("this workbook has no sheet %.60q: it has %s", o.Sheet, strings.Join(names, ", "))
	}
	for _, name := range names {
		if !empty(name) {
			return name, nil
		}
	}
	return "", sheet.ErrEmpty
}

// readWorkbook reads an Office Open XML workbook.
func readWorkbook(data []byte, z *zip.Reader, o Options, n *counter) (*Grid, error) {
	f, err := excelize.OpenReader(bytes.NewReader(data), excelize.Options{UnzipSizeLimit: maxUnpacked,
		UnzipXMLSizeLimit: maxInMemory, RawCellValue: true})
	if err != nil {
		if errors.Is(err, excelize.ErrWorkbookFileFormat) {
			return nil, refuse("this workbook is protected by a password, or damaged: save it again without one")
		}
		return nil, refuse("this workbook cannot be read: it is damaged, or made in a way that is not known")
	}
	defer f.Close() //nolint:errcheck // what it unpacked to is removed
	g := &Grid{Format: Workbook, Sheets: visible(f)}
	look := func(name string, only bool) (p part) {
		in, err := openPart(z, name)
		if err != nil {
			return p // one that cannot be read says nothing
		}
		defer in.Close()
		return partIn(io.LimitReader(in, maxUnpacked), only)
	}
	for _, name := range f.GetSheetList() {
		if !slices.Contains(g.Sheets, name) {
			g.HiddenSheets = append(g.HiddenSheets, name)
		}
	}
	if g.Sheet, err = choose(g.Sheets, o, func(name string) bool { return !look(name, true).says }); err != nil {
		return nil, err
	}
	p := look(g.Sheet, false)
	if p.cells > sheet.MaxCells {
		return nil, n.add(&Cell{}, p.cells)
	}
	w := workbook{f: f, sheet: g.Sheet, styles: map[int]string{}, marks: p.marks}
	if g.Rows, err = w.rows(n); err != nil {
		return nil, err
	}
	defer func() { g.keepHidden(p.hiddenLines, p.hiddenColumns) }()
	return g, g.merge(p.merged, n)
}

// maxInMemory is the largest part of a workbook that is unpacked in memory, in bytes. Larger ones are unpacked to files
// of the folder for temporary files, which are removed again.
const maxInMemory = 16 << 20

// rows reads the rows of a sheet one by one.
func (w *workbook) rows(n *counter) (list []Row, err error) {
	damaged := refuse("sheet %q cannot be read: it is damaged", w.sheet)
	rows, err := w.f.Rows(w.sheet)
	if err != nil {
		return nil, damaged
	}
	defer rows.Close() //nolint:errcheck // nothing was written
	for i := 0; rows.Next(); i++ {
		cells, err := rows.Columns(excelize.Options{RawCellValue: true})
		if err != nil {
			return nil, damaged
		}
		for len(cells) < w.marks.formulas(i) {
			cells = append(cells, "")
		}
		if len(cells) == 0 {
			continue
		}
		if i >= sheet.MaxRows {
			return nil, &sheet.Error{Line: sheet.MaxRows, Reason: "a table has at most " +
				strconv.Itoa(sheet.MaxRows) + " rows: cut it into several"}
		}
		for len(list) < i {
			list = append(list, Row{Line: len(list) + 1})
		}
		row := Row{Line: i + 1, Cells: make([]Cell, len(cells))}
		for j, raw := range cells {
			if raw != "" {
				row.Cells[j] = w.cell(i, j, raw)
			} else if m, _ := w.marks.at(i, j); m.unsaved() {
				row.Cells[j] = w.formula(i, j)
			}
			if err := n.add(&row.Cells[j], 1); err != nil {
				return nil, err
			}
		}
		list = append(list, row)
	}
	return list, nil
}

// visible are the names of the sheets that are not hidden; where all are, all.
func visible(f *excelize.File) (names []string) {
	for _, name := range f.GetSheetList() {
		if shown, err := f.GetSheetVisible(name); err == nil && shown {
			names = append(names, name)
		}
	}
	if names == nil {
		return f.GetSheetList()
	}
	return names
}

// workbook is a sheet while it is read.
type workbook struct {
	f      *excelize.File
	sheet  string
	styles map[int]string // what formats of numbers show beside a number, by style
	marks  marks
}

// formula is a cell whose formula has no value that was saved with it: its text is the formula itself, "=B7*2", so that
// nothing takes it for an empty cell.
func (w *workbook) formula(row, column int) Cell {
	c := Cell{Text: "=", Formula: true}
	if name, err := excelize.CoordinatesToCellName(column+1, row+1); err == nil {
		if text, err := w.f.GetCellFormula(w.sheet, name); err == nil {
			c.Text += strings.TrimPrefix(clean(text), "=")
		}
	}
	return c
}

// plain says whether a text begins as a number that a workbook keeps does.
func plain(raw string) bool {
	raw = strings.TrimPrefix(raw, "-")
	return raw != "" && raw[0] >= '0' && raw[0] <= '9' && !strings.ContainsAny(raw, "xX_")
}

// digits is how many digits of a number with decimals are read. Spreadsheets compute with 15, and show fewer: the last
// ones are left over from the binary form (5.68999999999999 for 5.69).
const digits = 12

// cell reads a cell by what is kept of it.
func (w *workbook) cell(row, column int, raw string) Cell {
	m, known := w.marks.at(row, column)
	c := Cell{Text: clean(raw), Formula: m.formula}
	switch {
	case known && m.kind == 'b':
		c.Text = map[bool]string{false: "FALSE", true: "TRUE"}[raw == "1"]
		return c
	case !known || m.kind != 'n' || !plain(raw):
		return c
	}
	value, err := strconv.ParseFloat(raw, 64)
	if err != nil {
		return c
	}
	c.Text, c.Number = number(value), true
	switch beside := w.beside(int(m.style)); beside {
	case "date":
		name, err := excelize.CoordinatesToCellName(column+1, row+1)
		if err != nil {
			return c
		}
		if shown, err := w.f.GetCellValue(w.sheet, name, excelize.Options{RawCellValue: false}); err == nil {
			c.Text, c.Number, c.Date = clean(shown), false, true
		}
	case "%":
		c.Text = number(value*100) + " %"
	case "":
	default:
		c.Text += " " + beside
	}
	return c
}

// number writes a number without the digits that are left over from its binary form. Whole numbers, such as article
// numbers, have all of theirs.
func number(value float64) string {
	short := strconv.FormatFloat(value, 'f', -1, 64)
	if len(short) <= digits || !strings.Contains(short, ".") {
		return short
	}
	rounded, err := strconv.ParseFloat(strconv.FormatFloat(value, 'g', digits, 64), 64)
	if err != nil {
		rounded = value
	}
	return strconv.FormatFloat(rounded, 'f', -1, 64)
}

// beside is what the format of a style shows beside a number: a currency or a unit, "%", "date" for one that makes a
// day or a time of it, or nothing.
func (w *workbook) beside(style int) string {
	if known, ok := w.styles[style]; ok {
		return known
	}
	found := ""
	if s, err := w.f.GetStyle(style); err == nil {
		format := builtIn[s.NumFmt]
		if s.CustomNumFmt != nil {
			format = *s.CustomNumFmt
		}
		found = besideIn(format)
	}
	w.styles[style] = found
	return found
}

// builtIn are the formats that have a number instead of a text and show something beside it (ISO/IEC 29500-1,
// 18.8.30); those of currencies are of the place where the workbook is opened, so that they name none.
var builtIn = map[int]string{9: "0%", 10: "0.00%", 14: "d/m/y", 15: "d-mmm-yy", 16: "d-mmm", 17: "mmm-yy", 18: "h:mm",
	19: "h:mm:ss", 20: "h:mm", 21: "h:mm:ss", 22: "d/m/y h:mm", 45: "mm:ss", 46: "[h]:mm:ss", 47: "mm:ss"}

// Parts of a format of numbers: what stands in brackets, the sign of a currency there, texts, and letters of dates.
var (
	bracket  = regexp.MustCompile(`\[[^\]]*\]`)
	currency = regexp.MustCompile(`\[\$([^\-\]]*)(?:-[0-9A-Fa-f]+)?\]`)
	quoted   = regexp.MustCompile(`"([^"]*)"|\\(.)|_.|\*.`)
	letters  = regexp.MustCompile(`(?i)[ymdhs]`)
	scaled   = regexp.MustCompile(`[0#?],+(?:[^0-9#?,]|$)`) // "0.00," shows thousands
	general  = regexp.MustCompile(`(?i)general|[0-9#?.,Ee+\-/@ ()]`)
)

// besideIn is what a format of numbers shows beside a number.
func besideIn(format string) string {
	first, _, parts := strings.Cut(format, ";") // the part for numbers above 0
	shown := ""
	if parts && strings.TrimSpace(first) == "" {
		return "(not shown)"
	}
	if m := currency.FindStringSubmatch(first); m != nil {
		shown = m[1]
	}
	bare := bracket.ReplaceAllString(first, "")
	for _, m := range quoted.FindAllStringSubmatch(bare, -1) {
		shown += m[1] + m[2]
	}
	bare = quoted.ReplaceAllString(bare, "")
	if format != "" && !strings.ContainsAny(bare, "0#?@") && !letters.MatchString(bare) && clean(shown) != "" {
		return "shown as " + clean(shown)
	}
	if scaled.MatchString(bare) {
		shown += " in thousands"
	}
	if strings.Contains(bare, "%") {
		return "%"
	}
	if letters.MatchString(general.ReplaceAllString(bare, "")) && shown == "" {
		return "date"
	}
	shown += general.ReplaceAllString(bare, "")
	return clean(shown)
}

// merge carries the text of merged cells to all of them.
func (g *Grid) merge(list []string, n *counter) error {
	for _, ref := range list {
		from, to, ok := strings.Cut(ref, ":")
		fromColumn, fromRow, err := excelize.CellNameToCoordinates(from)
		toColumn, toRow, endErr := excelize.CellNameToCoordinates(to)
		if !ok || err != nil || endErr != nil || fromRow > toRow || fromColumn > toColumn || toRow > len(g.Rows) ||
			toColumn > sheet.MaxColumns {
			continue
		}
		if err := g.carry(fromRow-1, fromColumn-1, toRow-1, toColumn-1, n); err != nil {
			return err
		}
	}
	return nil
}

// carry has the cells of a block say what its first one says.
func (g *Grid) carry(fromRow, fromColumn, toRow, toColumn int, n *counter) error {
	if fromColumn >= len(g.Rows[fromRow].Cells) {
		return nil
	}
	first := g.Rows[fromRow].Cells[fromColumn]
	if err := n.add(&first, (toRow-fromRow+1)*(toColumn-fromColumn+1)); err != nil {
		return err
	}
	for i := fromRow; i <= toRow; i++ {
		for len(g.Rows[i].Cells) <= toColumn {
			g.Rows[i].Cells = append(g.Rows[i].Cells, Cell{})
		}
		for j := fromColumn; j <= toColumn; j++ {
			if i != fromRow || j != fromColumn {
				g.Rows[i].Cells[j] = first
				g.Rows[i].Cells[j].Carried = true
			}
		}
	}
	return nil
}
