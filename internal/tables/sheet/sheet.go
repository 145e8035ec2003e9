// Package sheet reads and writes tables as spreadsheets do: text with a line a row, in the encodings, with the
// separators and the line ends that they write.
//
// Read takes UTF-8 and UTF-16 with or without a byte order mark, and what is neither as the encoding in which it says most,
// which has Latin-1 in it. Fields are parted by commas, semicolons, tabs or bars, whichever stands in most lines
// outside quotes, or as a first line such as "sep=;" says, and quoted as RFC 4180 has it. Write writes UTF-8, commas
// and RFC 4180's quotes.
//
// A cell that a spreadsheet would take for a formula (it begins with =, +, -, @ or a tab, and is no plain
// number) is written with an apostrophe in front, as is one that begins with an apostrophe before such a sign,
// and so is such a sign behind a semicolon or a tab within a cell, where other spreadsheets part cells; Read
// takes it off again. See the OWASP note on CSV injection
// (https://owasp.org/www-community/attacks/CSV_Injection).
package sheet

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strings"
)

// Row is a row with the number of the line that it begins on, from 1.
type Row struct {
	Line    int
	Cells   []string
	Formula int    // the first cell that is a formula, from 1; 0 for none
	Numbers []bool // of a workbook: which cells are numbers, whose point is their decimal sign; nil of a text
}

// Number says whether a cell is a number of a workbook.
func (r *Row) Number(i int) bool { return i < len(r.Numbers) && r.Numbers[i] }

// Table is a table as it was read.
type Table struct {
	Rows      []Row
	Encoding  string // UTF-8, UTF-16, or one of [Encodings]
	Separator rune
	Found     []string // in sentences, what whoever read it had to make out: a sheet, rows of titles above
}

// Limits of a table: beyond them it is not one that a shop has, and would only take memory.
const (
	MaxRows    = 300_000
	MaxColumns = 500
	MaxCells   = 3_000_000
)

// ErrEmpty is the error of a file without a row.
var ErrEmpty = errors.New("this file is empty")

// Error is what makes a file no table, with the line where that shows.
type Error struct {
	Line   int
	Reason string
}

// Error says what is wrong.
func (e *Error) Error() string { return fmt.Sprintf("line %d: %s", e.Line, e.Reason) }

// Read reads a table. Rows may have different numbers of cells; empty lines are left out. Its errors are
// [ErrEmpty] and [*Error].
func Read(data []byte) (*Table, error) { return ReadAs(data, "", 0) }

// Separators are what [ReadAs] may part fields by.
const Separators = separators

// ReadAs reads a table in an encoding and with a separator that somebody chose; "" and 0 are as [Read] finds them. A
// byte order mark counts whatever was chosen.
func ReadAs(data []byte, encoding string, by rune) (*Table, error) {
	t := &Table{}
	marked := bytes.HasPrefix(data, []byte{0xff, 0xfe}) || bytes.HasPrefix(data, []byte{0xfe, 0xff}) ||
		bytes.HasPrefix(data, []byte{0xef, 0xbb, 0xbf})
	if decoded, ok := decodeAs(data, encoding); ok && !marked {
		data, t.Encoding = decoded, encoding
	} else {
		data, t.Encoding = Decode(data)
	}
	named := false
	if t.Separator, named = separator(data); by != 0 {
		t.Separator = by
	}
	if named { // a line without a cell keeps the numbers of those behind it
		data = append([]byte("\n"), data[bytes.IndexByte(data, '\n')+1:]...)
	}
	r := csv.NewReader(bytes.NewReader(data))
	r.Comma, r.FieldsPerRecord = t.Separator, -1
	if err := t.rows(r); err != nil {
		return nil, err
	}
	if len(t.Rows) == 0 {
		return nil, ErrEmpty
	}
	return t, nil
}

// rows reads the rows, as far as a table has so many.
func (t *Table) rows(r *csv.Reader) error {
	count := 0
	for {
		cells, err := r.Read()
		if err == io.EOF {
			return nil
		}
		var slip *csv.ParseError
		if errors.As(err, &slip) {
			reason := "a quote is not closed, or stands in the middle of a cell that is not quoted"
			return &Error{slip.StartLine, reason}
		}
		if err != nil {
			return &Error{1, err.Error()}
		}
		line, _ := r.FieldPos(0)
		formula := 0
		for i := range cells {
			cells[i] = strings.TrimSpace(cells[i])
			if formula == 0 && strings.HasPrefix(cells[i], "=") {
				formula = i + 1
			}
			cells[i] = bare(cells[i])
		}
		if len(cells) == 1 && cells[0] == "" {
			continue
		}
		count += len(cells)
		switch {
		case len(cells) > MaxColumns:
			return &Error{
				line,
				fmt.Sprintf("it has %d columns; a table has at most %d", len(cells), MaxColumns),
			}
		case len(t.Rows) == MaxRows:
			return &Error{line, fmt.Sprintf("a table has at most %d rows: cut it into several", MaxRows)}
		case count > MaxCells:
			return &Error{
				line,
				fmt.Sprintf("a table has at most %d cells: leave out columns, or cut it into several", MaxCells),
			}
		}
		t.Rows = append(t.Rows, Row{Line: line, Cells: cells, Formula: formula})
	}
}

// separators are what may part the fields of a line; where two fit alike the first is taken.
const separators = "\t;,|"

// separator is what parts the fields: what a first line "sep=;" names, as spreadsheets write it, or else what stands in
// most lines, and as often in most of them: decimal commas do not. named is whether there is such a line.
func separator(data []byte) (sep rune, named bool) {
	if rest, ok := bytes.CutPrefix(data, []byte("sep=")); ok && len(rest) > 1 &&
		strings.ContainsRune(separators, rune(rest[0])) && (rest[1] == '\n' || rest[1] == '\r') {
		return rune(rest[0]), true
	}
	counts := make([]map[int]int, len(separators)) // lines by how often a separator stands in them
	line, quoted, lines := make([]int, len(separators)), false, 0
	end := func() {
		for i, n := range line {
			if n > 0 {
				if counts[i] == nil {
					counts[i] = map[int]int{}
				}
				counts[i][n]++
			}
			line[i] = 0
		}
		lines++
	}
	for _, c := range string(data[:min(len(data), 64<<10)]) {
		if c == '"' {
			quoted = !quoted
		}
		if quoted {
			continue
		}
		if i := strings.IndexRune(separators, c); i >= 0 {
			line[i]++
		}
		if c == '\n' {
			if end(); lines == maxLooked {
				break
			}
		}
	}
	end()
	best, most, alike := ',', 0, 0
	for i, c := range separators {
		in, same := 0, 0 // lines that it stands in, and those of them in which it stands as often
		for _, n := range counts[i] {
			in, same = in+n, max(same, n)
		}
		if same > alike || same == alike && in > most {
			best, most, alike = c, in, same
		}
	}
	return best, false
}

// maxLooked is in how many lines a separator is looked for.
const maxLooked = 200

// Write writes rows. A cell with any of the [Separators] in it is quoted, not only one with commas, so that whoever
// reads the table finds commas alone between cells.
func Write(w io.Writer, rows [][]string) error {
	out := bufio.NewWriter(w)
	for _, row := range rows {
		for i, cell := range row {
			if i > 0 {
				out.WriteByte(',')
			}
			cell = guarded(cell)
			plain := !strings.ContainsAny(cell, quoted) && !strings.HasPrefix(cell, " ")
			if plain && (cell != "" || len(row) > 1) {
				out.WriteString(cell)
				continue
			}
			out.WriteByte('"')
			out.WriteString(strings.ReplaceAll(cell, `"`, `""`))
			out.WriteByte('"')
		}
		out.WriteByte('\n')
	}
	return out.Flush() // with the first error that there was
}

// quoted are the characters for which a cell is quoted.
const quoted = separators + "\"\r\n"

const signs = "=+-@\t\r"

var number = regexp.MustCompile(`^[+-]?[0-9]+([.,][0-9]+)?$`)

// within finds a formula behind what parts cells elsewhere: a spreadsheet that parts them by semicolons or tabs
// takes x;=1+1 for two.
var (
	within      = regexp.MustCompile(`([;\t\n\r][ "]*)('*[=+\-@])`)
	withinGuard = regexp.MustCompile(`([;\t\n\r][ "]*)'('*[=+\-@])`)
)

// guarded is a cell that no spreadsheet takes for a formula, whole or in part.
func guarded(cell string) string {
	if strings.ContainsAny(cell, ";\t\n\r") {
		cell = within.ReplaceAllString(cell, "$1'$2")
	}
	if signed(cell) && !number.MatchString(cell) {
		return "'" + cell
	}
	return cell
}

// bare is a cell as it was before it was guarded.
func bare(cell string) string {
	if strings.HasPrefix(cell, "'") && signed(cell) {
		cell = cell[1:]
	}
	if strings.ContainsAny(cell, ";\t\n\r") {
		cell = withinGuard.ReplaceAllString(cell, "$1$2")
	}
	return cell
}

// signed says whether a cell begins with a sign that makes a formula, apostrophes before it aside.
func signed(cell string) bool {
	rest := strings.TrimLeft(cell, "'")
	return rest != "" && strings.ContainsRune(signs, rune(rest[0]))
}
