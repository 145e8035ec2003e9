package grid

import (
	"archive/zip"
	"bufio"
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"path"
	"strconv"
	"strings"

	"diadrom/internal/tables/sheet"

	"github.com/xuri/excelize/v2"
)

// mark is what a sheet keeps of a cell beside its value.
type mark struct {
	style   int32
	kind    byte // the first letter of its type (ISO/IEC 29500-1, 18.18.11): n for a number, s, i, b, e, d
	formula bool
	valued  bool // it has a value, which may be an empty text
}

// marks are those of the cells of a sheet, by row and column. The library that reads the values gives them for one cell
// at a time, which takes longer than all of the reading.
type marks [][]mark

// at is the mark of a cell; false where it has none.
func (m marks) at(row, column int) (mark, bool) {
	if row < len(m) && column < len(m[row]) {
		return m[row][column], m[row][column].kind != 0
	}
	return mark{}, false
}

// unsaved says whether a cell without a text has a formula whose value was not saved. That of one that gives an empty
// text is kept: a value without letters, of a cell whose type is a text (t="str").
func (m mark) unsaved() bool { return m.formula && (m.kind == 'n' || !m.valued) }

// formulas is how many cells a row has up to its last formula whose value may not be saved.
func (m marks) formulas(row int) int {
	if row >= len(m) {
		return 0
	}
	n := len(m[row])
	for n > 0 && !m[row][n-1].unsaved() {
		n--
	}
	return n
}

// part is what the XML of a sheet says beside the values of its cells.
type part struct {
	says   bool // a cell has a value
	marks  marks
	merged []string // merged cells: "A1:B2"
	cells  int      // with a value: reading ends where they are too many
	// lines and columns, from 0, that are hidden
	hiddenLines, hiddenColumns map[int]bool
}

// maxMerged is how many merged cells of a sheet are carried.
const maxMerged = 20_000

// partIn reads the XML of a sheet tag by tag. Nothing of it is kept but what a part has. Where only is set, it reads no
// further than to the first value.
func partIn(in io.Reader, only bool) (p part) {
	p.hiddenLines, p.hiddenColumns = map[int]bool{}, map[int]bool{}
	r := bufio.NewReaderSize(in, 64<<10)
	row, column := 0, 0 // of the cell that is read; 0 outside of one
	for {
		text, err := r.ReadSlice('>')
		for errors.Is(err, bufio.ErrBufferFull) { // a long text, whose end alone can be a tag
			text, err = r.ReadSlice('>')
		}
		if err != nil {
			return p
		}
		tag := text[bytes.LastIndexByte(text, '<')+1:]
		switch {
		case bytes.HasPrefix(tag, []byte("row ")) && isTrue(attributeIn(tag, "hidden")):
			if n, err := strconv.Atoi(attributeIn(tag, "r")); err == nil {
				p.hiddenLines[n] = true
			}
		case bytes.HasPrefix(tag, []byte("col ")) && isTrue(attributeIn(tag, "hidden")):
			from, _ := strconv.Atoi(attributeIn(tag, "min"))
			to, _ := strconv.Atoi(attributeIn(tag, "max"))
			for n := max(from, 1); n <= min(to, sheet.MaxColumns); n++ {
				p.hiddenColumns[n-1] = true
			}
		case bytes.HasPrefix(tag, []byte("c ")):
			row, column = p.cell(tag)
		case bytes.HasPrefix(tag, []byte("/c>")):
			row = 0
		case row > 0 && (bytes.HasPrefix(tag, []byte("f>")) || bytes.HasPrefix(tag, []byte("f "))):
			p.marks[row-1][column-1].formula = true
		case row > 0 && bytes.HasPrefix(tag, []byte("v/>")), row > 0 && bytes.HasPrefix(tag, []byte("v />")):
			p.marks[row-1][column-1].valued = true
		case bytes.HasPrefix(tag, []byte("v>")), bytes.HasPrefix(tag, []byte("is>")):
			p.says = true
			if row > 0 {
				p.marks[row-1][column-1].valued = true
			}
			if p.cells++; only || p.cells > sheet.MaxCells {
				return p
			}
		case bytes.HasPrefix(tag, []byte("mergeCell ")) && len(p.merged) < maxMerged:
			p.merged = append(p.merged, attributeIn(tag, "ref"))
		}
	}
}

// isTrue reads a boolean of XML Schema (part 2, 3.3.2).
func isTrue(text string) bool { return text == "1" || text == "true" }

// cell keeps the mark of a cell by its start tag. The row is 0 where the cell ends with it, or stands beyond the
// limits.
func (p *part) cell(tag []byte) (row, column int) {
	one := mark{kind: 'n'}
	if n, err := strconv.ParseInt(attributeIn(tag, "s"), 10, 32); err == nil {
		one.style = int32(n)
	}
	if kind := attributeIn(tag, "t"); kind == "str" {
		one.kind = 't'
	} else if kind != "" {
		one.kind = kind[0]
	}
	column, row, err := excelize.CellNameToCoordinates(attributeIn(tag, "r"))
	if err != nil || row < 1 || row > sheet.MaxRows || column > sheet.MaxColumns {
		return 0, 0
	}
	for len(p.marks) < row {
		p.marks = append(p.marks, nil)
	}
	for len(p.marks[row-1]) < column {
		p.marks[row-1] = append(p.marks[row-1], mark{})
	}
	p.marks[row-1][column-1] = one
	if bytes.HasSuffix(tag, []byte("/>")) {
		return 0, 0
	}
	return row, column
}

// attributeIn is an attribute of a start tag that is cut out of its text.
func attributeIn(head []byte, name string) string {
	for rest := head; ; {
		i := bytes.Index(rest, []byte(name+`="`))
		if i < 0 {
			return ""
		}
		if i == 0 || rest[i-1] == ' ' || rest[i-1] == '\n' || rest[i-1] == '\t' {
			value := rest[i+len(name)+2:]
			if j := bytes.IndexByte(value, '"'); j >= 0 {
				return string(value[:j])
			}
			return ""
		}
		rest = rest[i+len(name)+2:]
	}
}

// readPart reads a part of a workbook that lists its sheets.
func readPart(z *zip.Reader, name string) ([]byte, error) {
	f, err := z.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return io.ReadAll(io.LimitReader(f, maxListing))
}

// maxListing is how many bytes list the sheets of a workbook at most.
const maxListing = 4 << 20

// openPart opens the part of a workbook that has a sheet.
func openPart(z *zip.Reader, sheetName string) (io.ReadCloser, error) {
	return z.Open(strings.TrimPrefix(partOf(z, sheetName), "/"))
}

// partOf is the part of a workbook that has a sheet, "" where it is not found.
func partOf(z *zip.Reader, sheetName string) string {
	var book struct {
		Sheets []struct {
			Name string `xml:"name,attr"`
			ID   string `xml:"http://schemas.openxmlformats.org/officeDocument/2006/relationships id,attr"`
		} `xml:"sheets>sheet"`
	}
	var relations struct {
		List []struct {
			ID     string `xml:"Id,attr"`
			Target string `xml:"Target,attr"`
		} `xml:"Relationship"`
	}
	for name, into := range map[string]any{"xl/workbook.xml": &book, "xl/_rels/workbook.xml.rels": &relations} {
		body, err := readPart(z, name)
		if err != nil || xml.Unmarshal(body, into) != nil {
			return ""
		}
	}
	for _, s := range book.Sheets {
		if s.Name != sheetName {
			continue
		}
		for _, r := range relations.List {
			if r.ID == s.ID {
				if strings.HasPrefix(r.Target, "/") {
					return r.Target[1:]
				}
				return path.Join("xl", r.Target)
			}
		}
	}
	return ""
}
