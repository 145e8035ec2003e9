package upload

import (
	"net/url"
	"strconv"
	"strings"

	"diadrom/internal/core/plural"
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
	Accounts              []Account // how many cells became what; none where that is not kept
}

// Account is how many cells of a file became something.
type Account struct {
	Class, Words string
}

// SourceCell is a cell of a file, with the class of what became of it, "" where that is not kept.
type SourceCell struct{ Text, Account string }

// accounts are the kinds of accounts in the order in which they are told, each with its class and its words.
var accounts = []struct {
	of                 grid.Account
	class, noun, words string
}{
	{grid.AsPrice, "as-price", "price", ""}, {grid.AsBound, "as-bound", "place or weight", "places or weights"},
	{grid.AsHead, "as-head", "heading or note", "headings or notes"}, {grid.SetAside, "set-aside", "", "set aside"},
	{grid.AskedAbout, "asked-about", "", "asked about"},
}

// AccountsOf tells what became of the cells of a file.
func AccountsOf(l *grid.Ledger) (list []Account) {
	counts := l.Counts()
	for _, a := range accounts {
		n := counts[a.of]
		if n == 0 && a.of != grid.AskedAbout {
			continue
		}
		words := plural.Number(n) + " " + a.words
		if a.noun != "" && (a.words == "" || n == 1) {
			words = plural.Count(n, a.noun)
		}
		class := a.class
		if n == 0 { // nothing to look at
			class = ""
		}
		list = append(list, Account{class, words})
	}
	return append(list, Account{"", plural.Number(counts[grid.Unread]) + " left"})
}

// classOf is the class of what became of a cell.
func classOf(l *grid.Ledger, line, column int) string {
	of := l.At(line, column)
	for _, a := range accounts {
		if a.of == of {
			return a.class
		}
	}
	return ""
}

// SourceRow is a row of a file as it stands there.
type SourceRow struct {
	Line  int
	Head  bool // it has the heads of the columns
	Cells []SourceCell
}

// maxSource is how many rows of a file stand beside what is made of them.
const maxSource = 60

// SourceOf shows a grid, with what became of its cells where that is kept.
func SourceOf(g *grid.Grid, head int, query url.Values, l *grid.Ledger) (s Source) {
	o, chosen := Chosen(query)
	s.Head, s.Headed, s.Text = head, chosen > 0, g.Format == grid.Text
	if s.Text {
		for _, one := range []shell.Choice{{ID: ",", Name: "commas"}, {ID: ";", Name: "semicolons"}, {ID: "\t",
			Name: "tabs"},
			{ID: "|", Name: "bars"}} {
			one.Chosen = o.Separator != 0 && one.ID == string(o.Separator)
			s.Separators = append(s.Separators, one)
		}
		for _, name := range sheet.Encodings() {
			s.Encodings = append(s.Encodings, shell.Choice{ID: name, Name: name, Chosen: o.Encoding == name})
		}
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
		row := SourceRow{Line: shown[i].Line, Head: shown[i].Line == head, Cells: make([]SourceCell, width)}
		for j := range shown[i].Cells {
			row.Cells[j].Text = shown[i].Cells[j].Text
			if l != nil && row.Cells[j].Text != "" {
				row.Cells[j].Account = classOf(l, row.Line, j)
			}
		}
		s.Rows = append(s.Rows, row)
	}
	s.More = len(g.Rows) - len(shown)
	if l != nil {
		s.Accounts = AccountsOf(l)
	}
	return s
}

// AsShown says whether a value of a preview's query is the one that its page showed: nobody changed it.
func AsShown(query url.Values, name string) bool {
	return !query.Has("of-"+name) || query.Get("of-"+name) == query.Get(name)
}

// Chose says whether somebody chose a value of a preview's query. A value that the page showed as it was found, which
// is sent beside it as “found-” and its name, is nobody's choice.
func Chose(query url.Values, name string) bool {
	return query.Has(name) && (!query.Has(foundPrefix+name) || query.Get(foundPrefix+name) != query.Get(name))
}

// foundPrefix begins the names of values as a page showed them before anybody chose them.
const foundPrefix = "found-"

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
