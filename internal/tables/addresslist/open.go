package addresslist

import (
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/heads"
	"diadrom/internal/tables/notes"
)

// Field is what a column of an address book holds.
type Field string

// The fields. Company, FirstName and LastName make the name, HouseNo and Street2 are joined to the street.
const (
	Name      Field = "name"
	Customer  Field = "customer"
	Group     Field = "group"
	Street    Field = "street"
	Postcode  Field = "postcode"
	City      Field = "city"
	Region    Field = "region"
	Country   Field = "country"
	Company   Field = "company"
	FirstName Field = "first_name"
	LastName  Field = "last_name"
	HouseNo   Field = "house_number"
	Street2   Field = "second_street"
)

// Fields lists them.
var Fields = []Field{Name, Company, FirstName, LastName, Customer, Group, Street, HouseNo, Street2, Postcode, City, Region,
	Country}

// String is the field in words.
func (f Field) String() string { return strings.ReplaceAll(string(f), "_", " ") }

// Codes of questions.
const (
	AskSheet   = "sheet"   // several sheets have addresses
	AskHidden  = "hidden"  // lines and columns that the workbook hides
	AskColumns = "columns" // columns that are not used, or no column with names
	AskNote    = "note"    // a title or a note that is not used
	AskZero    = "zero"    // codes that are shorter than the country writes them
)

// Choices are what somebody who looks at an address book sets otherwise than it was made out.
type Choices struct {
	grid.Options
	Head    int // the line of the heads; 0 as found
	Columns map[int]Field
	Zeros   destination.Zeros
	Settled []string // codes of questions that are answered by leaving things as they are
}

// Reading is what was made of a file.
type Reading struct {
	Grid    *grid.Grid
	Head    int // the line of the heads
	Columns []Field
	Ledger  *grid.Ledger
	Found   []string // in sentences, what had to be made out
	Skipped []grid.Skipped
	Asks    []grid.Ask
	Entries []Entry
	Slips   []RowError // rows that cannot be used, and are left out
}

// headings are the fields by the headings that name them.
var headings = heads.Fields(map[Field][]heads.Concept{
	Name:      {heads.Name},
	Company:   {heads.Company},
	FirstName: {heads.FirstName},
	LastName:  {heads.LastName},
	Customer:  {heads.Customer},
	Group:     {heads.Group},
	Street:    {heads.Street},
	HouseNo:   {heads.HouseNo},
	Street2:   {heads.Street2},
	Postcode:  {heads.Postcode},
	City:      {heads.City},
	Region:    {heads.Region},
	Country:   {heads.Country},
})

// people are headings of a column with customers by their names, where no other has names.
var people = []string{"customer", "kunde", "client", "cliente", "asiakas", "kund"}

// aside are words in headings of columns that are no part of an address, folded; common practice, no source.
var aside = []string{"phone", "telephone", "telefon", "tel", "telefono", "puhelin", "mobile", "handy", "mail", "email",
	"sahkoposti", "fax", "website", "url", "vat id", "tax id", "ust id", "salutation", "anrede", "title", "date", "birthday",
	"newsletter", "language", "sprache", "created", "last order", "contact"}

// fieldOf is the field that a heading names; "" for none.
func fieldOf(heading string) Field {
	folded := heads.Fold(heading)
	if folded == "group" {
		return Group
	}
	if field := headings[folded]; field != "" {
		return field
	}
	for _, of := range []string{"delivery ", "shipping "} {
		if rest, ok := strings.CutPrefix(folded, of); ok {
			return headings[rest]
		}
	}
	return ""
}

// fieldsOf are what the columns of a row of headings hold. Of several with the same field the first counts.
func fieldsOf(row *grid.Row) (fields []Field, named int) {
	fields = make([]Field, len(row.Cells))
	for i := range row.Cells {
		if f := fieldOf(row.Cells[i].Text); f != "" && !slices.Contains(fields, f) {
			fields[i] = f
			named++
		}
	}
	if !slices.ContainsFunc(fields, func(f Field) bool { return f == Name || f == Company || f == FirstName || f == LastName }) {
		if i := slices.Index(fields, Customer); i >= 0 && slices.Contains(people, heads.Fold(row.Cells[i].Text)) {
			fields[i] = Name
		}
	}
	return fields, named
}

// headOf is the index of the row with the heads: the first that names two fields.
func headOf(g *grid.Grid) (at int, found bool) {
	for i := range g.Rows[:min(len(g.Rows), grid.MaxTitles)] {
		if _, named := fieldsOf(&g.Rows[i]); named > 1 {
			return i, true
		}
	}
	return g.Head(), false
}

// Open reads a file with an address book; home is the country of the entries that name none. Its errors are those of
// [grid.Read].
func Open(source grid.Source, home string, c Choices) (*Reading, error) {
	g, with, err := grid.Choose(source, c.Options, func(g *grid.Grid) bool { _, ok := headOf(g); return ok })
	if err != nil {
		return nil, err
	}
	o := &opening{home: home, c: c, asks: grid.NewAsks(c.Settled), r: &Reading{Grid: g, Found: g.Found(), Ledger: grid.NewLedger(g)}}
	o.asks.Opened(g, with, "addresses")
	head, _ := headOf(g)
	for i := range g.Rows {
		if g.Rows[i].Line == c.Head {
			head = i
		}
	}
	o.r.Head = g.Rows[head].Line
	for i := range g.Rows[:head] {
		o.note(&g.Rows[i])
	}
	if o.mapping(&g.Rows[head]) {
		o.rows(g.Rows[head+1:])
	}
	o.r.Asks = o.asks.List
	return o.r, nil
}

// opening is an address book while it is read.
type opening struct {
	home string
	c    Choices
	asks *grid.Asks
	r    *Reading
}

func (o *opening) asideOr(code string) grid.Account {
	if slices.Contains(o.c.Settled, code) {
		return grid.SetAside
	}
	return grid.AskedAbout
}

// note reads a row above the heads.
func (o *opening) note(row *grid.Row) {
	text, account := row.Said(), grid.SetAside
	if row.Line >= o.c.Head && notes.Says(text, nil) {
		account = o.asideOr(AskNote)
		o.asks.Add(AskNote, fmt.Sprintf("Line %d says “%s”, which is not used.", row.Line, strings.TrimSuffix(grid.Cut(text), ".")))
	}
	o.r.Ledger.MarkRow(row.Line, 0, len(row.Cells), account)
	o.r.Skipped = append(o.r.Skipped, grid.Skipped{Line: row.Line, Text: text, Why: "a title or a note"})
}

// mapping is what the columns hold; false where none has names.
func (o *opening) mapping(head *grid.Row) bool {
	fields, _ := fieldsOf(head)
	for len(fields) < o.r.Grid.Width() {
		fields = append(fields, "")
	}
	for i, f := range o.c.Columns {
		if i < len(fields) {
			fields[i] = f
		}
	}
	o.r.Columns = fields
	named := slices.ContainsFunc([]Field{Name, Company, FirstName, LastName}, func(f Field) bool { return slices.Contains(fields, f) })
	var unused []string
	for i := range fields {
		text := ""
		if i < len(head.Cells) {
			text = head.Cells[i].Text
		}
		account := grid.AsHead
		folded := heads.Fold(text)
		_, chosen := o.c.Columns[i]
		switch {
		case fields[i] != "":
		case !named:
			account = grid.AskedAbout
		case chosen, heads.HoldsAny(folded, aside), heads.Aside(folded), text == "" && !o.says(i):
			account = grid.SetAside
		default:
			account = o.asideOr(AskColumns)
			if text == "" {
				text = "column " + fmt.Sprint(i+1)
			}
			unused = append(unused, "“"+text+"”")
		}
		o.r.Ledger.Mark(head.Line, i, account)
		if fields[i] != "" {
			continue
		}
		if text != "" {
			o.r.Skipped = append(o.r.Skipped, grid.Skipped{Line: head.Line, Text: text, Why: "the column is not used"})
		}
		for j := range o.r.Grid.Rows {
			if line := o.r.Grid.Rows[j].Line; line > head.Line {
				o.r.Ledger.Mark(line, i, account)
			}
		}
	}
	switch {
	case !named:
		o.asks.Add(AskColumns, "Which column has the names? Choose what the columns hold.")
		for j := range o.r.Grid.Rows {
			o.r.Ledger.MarkRow(o.r.Grid.Rows[j].Line, 0, len(o.r.Grid.Rows[j].Cells), grid.AskedAbout)
		}
	case len(unused) > 0:
		o.asks.Add(AskColumns, "These columns are not used: "+strings.Join(unused, ", ")+". Choose what they hold, or leave them out.")
	}
	for i, f := range fields {
		if f != "" && slices.Contains(fields[i+1:], f) {
			o.asks.AddOnce(AskColumns+" twice", "Two columns are said to have the same: "+f.String()+". Choose one of them.")
			return false
		}
	}
	return named
}

// says whether a column without a heading says anything.
func (o *opening) says(column int) bool {
	return slices.ContainsFunc(o.r.Grid.Rows, func(r grid.Row) bool {
		return r.Line > o.r.Head && column < len(r.Cells) && r.Cells[column].Text != ""
	})
}

// rows reads the rows below the heads.
func (o *opening) rows(rows []grid.Row) {
	lines := map[string]int{}
	for i := range rows {
		row := &rows[i]
		cell := func(f Field) string {
			if i := slices.Index(o.r.Columns, f); i >= 0 && i < len(row.Cells) {
				return row.Cells[i].Text
			}
			return ""
		}
		e, bad, reason := entry(o.cells(row, cell), o.home)
		if first, twice := lines[world.Fold(e.Name)]; reason == "" && twice {
			bad, reason = e.Name, fmt.Sprintf("%.60s stands in line %d already", e.Name, first)
		}
		account := grid.AsBound
		if reason != "" {
			account = grid.AskedAbout
			o.r.Slips = append(o.r.Slips, RowError{row.Line, bad, reason})
		} else {
			lines[world.Fold(e.Name)] = row.Line
			o.r.Entries = append(o.r.Entries, e)
		}
		o.r.Ledger.MarkRow(row.Line, 0, len(row.Cells), account)
	}
}

// cells gives the columns of an entry by their names in [Columns].
func (o *opening) cells(row *grid.Row, cell func(Field) string) func(string) string {
	join := func(by string, fields ...Field) string {
		var list []string
		for _, f := range fields {
			if text := cell(f); text != "" {
				list = append(list, text)
			}
		}
		return strings.Join(list, by)
	}
	values := map[string]string{"customer": cell(Customer), "group": cell(Group), "city": cell(City), "region": cell(Region),
		"country": cell(Country), "postcode": cell(Postcode)}
	values["name"] = join(", ", Name, Company)
	if person := join(" ", FirstName, LastName); person != "" && cell(Name) == "" {
		values["name"] = strings.TrimSuffix(person+", "+cell(Company), ", ")
	}
	values["street"] = join(" ", Street, HouseNo)
	if more := cell(Street2); more != "" {
		values["street"] = strings.TrimPrefix(values["street"]+", "+more, ", ")
	}
	country, err := destination.Country(values["country"])
	if err != nil {
		country = o.home
	}
	if short, whole := destination.LostZeros(country, values["postcode"]); short != "" && short == values["postcode"] {
		at := slices.Index(o.r.Columns, Postcode)
		switch {
		case o.c.Zeros == destination.ZerosLost, at < len(row.Cells) && row.Cells[at].Number:
			values["postcode"] = whole
		case o.c.Zeros == destination.ZerosAsked && !postcode.Possible(country, short):
			o.asks.AddOnce(AskZero, fmt.Sprintf("Line %d has the postcode %s, but those of %s have %d digits. Has it lost a zero?",
				row.Line, short, world.CountryName(country), len(short)+1))
		}
	}
	return func(column string) string { return values[column] }
}

// Problem is why the entries cannot be imported yet; "" where they can.
func (r *Reading) Problem() string {
	if len(r.Asks) > 0 {
		return "answer first what is asked about the list"
	}
	return ""
}
