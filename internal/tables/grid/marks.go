package grid

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
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

// says says whether a sheet has a cell with a value.
func says(body []byte) bool {
	return bytes.Contains(body, []byte("<v>")) || bytes.Contains(body, []byte("<is>"))
}

// mergedIn lists the merged cells of a sheet: "A1:B2".
func mergedIn(body []byte) (list []string) {
	for {
		i := bytes.Index(body, []byte("<mergeCell "))
		if i < 0 || len(list) == maxMerged {
			return list
		}
		body = body[i+len("<mergeCell "):]
		if end := bytes.IndexByte(body, '>'); end >= 0 {
			list = append(list, attributeIn(body[:end], "ref"))
		}
	}
}

// maxMerged is how many merged cells of a sheet are carried.
const maxMerged = 20_000

// marksOf reads the marks of a sheet.
func marksOf(body []byte) marks {
	var m marks
	var err error
	for {
		i := bytes.Index(body, []byte("<c "))
		if i < 0 {
			return m
		}
		body = body[i+3:]
		end := bytes.IndexByte(body, '>')
		if end < 0 {
			return m
		}
		head := body[:end]
		one, column, row := mark{kind: 'n'}, 0, 0
		for _, name := range []string{"r", "s", "t"} {
			value := attributeIn(head, name)
			if value == "" {
				continue
			}
			switch name {
			case "r":
				if column, row, err = excelize.CellNameToCoordinates(value); err != nil {
					row = 0
				}
			case "s":
				if n, err := strconv.ParseInt(value, 10, 32); err == nil {
					one.style = int32(n)
				}
			case "t":
				one.kind = value[0]
				if value == "str" {
					one.kind = 't'
				}
			}
		}
		body = body[end+1:]
		if !bytes.HasSuffix(head, []byte("/")) {
			if close := bytes.Index(body, []byte("</c>")); close >= 0 {
				one.formula = bytes.HasPrefix(bytes.TrimLeft(body[:close], " \r\n\t"), []byte("<f"))
				body = body[close:]
			}
		}
		if row < 1 || row > sheet.MaxRows || column > sheet.MaxColumns {
			continue
		}
		for len(m) < row {
			m = append(m, nil)
		}
		for len(m[row-1]) < column {
			m[row-1] = append(m[row-1], mark{})
		}
		m[row-1][column-1] = one
	}
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

// readPart reads a part of a workbook.
func readPart(z *zip.Reader, name string) ([]byte, error) {
	f, err := z.Open(strings.TrimPrefix(name, "/"))
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return io.ReadAll(io.LimitReader(f, maxUnpacked))
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
