package upload

import (
	"net/url"
	"strconv"
	"strings"

	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/sheet"
	"diadrom/internal/web/shell"
)

// Source is a file as it stands there, with the sheet and the line of the heads that are read, to be put right.
type Source struct {
	Sheets                []shell.Choice
	Head                  int
	Headed                bool // somebody chose it
	Rows                  []SourceRow
	More                  int  // rows that are not shown
	Text                  bool // it is text, whose separator and encoding may be set
	Separators, Encodings []shell.Choice
}

// SourceRow is a row of a file as it stands there.
type SourceRow struct {
	Line  int
	Head  bool // it has the heads of the columns
	Cells []string
}

// maxSource is how many rows of a file stand beside what is made of them.
const maxSource = 60

// SourceOf shows a grid.
func SourceOf(g *grid.Grid, head int, query url.Values) (s Source) {
	o, chosen := Chosen(query)
	s.Head, s.Headed, s.Text = head, chosen > 0, g.Format == grid.Text
	if s.Text {
		for _, one := range []shell.Choice{{ID: ",", Name: "commas"}, {ID: ";", Name: "semicolons"}, {ID: "\t",
			Name: "tabs"},
			{ID: "|", Name: "bars"}} {
			one.Chosen = o.Separator != 0 && one.ID == string(o.Separator)
			s.Separators = append(s.Separators, one)
		}
		s.Encodings = []shell.Choice{{ID: "Windows-1252", Name: "Windows-1252", Chosen: o.Encoding == "Windows-1252"}}
	}
	for _, name := range g.Sheets {
		s.Sheets = append(s.Sheets, shell.Choice{ID: name, Name: name, Chosen: name == g.Sheet})
	}
	width := 0
	shown := g.Rows[:min(len(g.Rows), maxSource)]
	for i := range shown {
		width = max(width, len(shown[i].Cells))
	}
	for i := range shown {
		row := SourceRow{Line: shown[i].Line, Head: shown[i].Line == head, Cells: make([]string, width)}
		for j := range shown[i].Cells {
			row.Cells[j] = shown[i].Cells[j].Text
		}
		s.Rows = append(s.Rows, row)
	}
	s.More = len(g.Rows) - len(shown)
	return s
}

// AsShown says whether a value of a preview's query is the one that its page showed: nobody changed it.
func AsShown(query url.Values, name string) bool {
	return !query.Has("of-"+name) || query.Get("of-"+name) == query.Get(name)
}

// Chosen are how a file is read and the line of the heads, as somebody chose them on a preview; 0 for a line as it was
// found. The line of one sheet says nothing of another.
func Chosen(query url.Values) (o grid.Options, head int) {
	line, err := strconv.Atoi(query.Get("head"))
	if err == nil && AsShown(query, "sheet") && (!AsShown(query, "head") || !query.Has("of-head") ||
		query.Has("headed")) {
		head = line
	}
	o = grid.Options{Sheet: query.Get("sheet"), Encoding: query.Get("encoding")}
	if by := []rune(query.Get("separator")); len(by) == 1 && strings.ContainsRune(sheet.Separators, by[0]) {
		o.Separator = by[0]
	}
	return o, head
}
