package zonelist

import (
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/heads"
	"diadrom/internal/tables/overlap"
	"diadrom/internal/tables/sheet"
)

// Field is what a column of a list holds.
type Field string

// The fields of the lists of others: a zone, and where it is. CodeFrom and CodeTo are the ends of a range of postcodes.
const (
	Zone     Field = "zone"
	Place    Field = "place"
	Country  Field = "country"
	Region   Field = "region"
	City     Field = "city"
	Postcode Field = "postcode"
	CodeFrom Field = "postcode_from"
	CodeTo   Field = "postcode_to"
)

// Fields lists them.
var Fields = []Field{Zone, Place, Country, Region, City, Postcode, CodeFrom, CodeTo}

// String is the field in words.
func (f Field) String() string { return strings.ReplaceAll(string(f), "_", " ") }

// Codes of questions.
const (
	AskSheet   = "sheet"   // several sheets have zones
	AskHidden  = "hidden"  // lines and columns that the workbook hides
	AskNote    = "note"    // a title, a note or a cell that is not used
	AskColumns = "columns" // a column that is not used, or two for the same
	AskPlace   = "place"   // a line whose place, or whose zone, is not understood
	AskZero    = "zero"    // codes that are shorter than the country writes them
	AskOverlap = "overlap" // a place in two zones
)

// Choices are what somebody who looks at a list sets otherwise than it was made out.
type Choices struct {
	grid.Options
	Head    int // the line of the heads; 0 as found
	Columns map[int]Field
	Zeros   destination.Zeros
	Places  map[string]string // places as they are typed, by the folded text that the list has for them
	Settled []string          // codes of questions that are answered by leaving things as they are
}

// Reading is what was made of a file.
type Reading struct {
	Grid    *grid.Grid
	Head    int     // the line of the heads
	Columns []Field // what each column holds, "" for one that is not used; nil for a table that Diadrom wrote
	Ledger  *grid.Ledger
	Found   []string // in sentences, what had to be made out
	Skipped []grid.Skipped
	Asks    []grid.Ask
	Unknown []Unknown
	Zones   []store.Zone
	Slips   []RowError // rows of a table that Diadrom wrote that cannot be used; then the zones are not whole
}

// Unknown is a text of a list of which nobody knows where it is. Its lines are left out.
type Unknown struct {
	Text, Reason string
	Lines        []int
	Likely       []typed.Choice
}

// headings are the fields by the headings that name them.
var headings = heads.Fields(map[Field][]heads.Concept{
	Zone:     {heads.Zone, heads.Name},
	Place:    {heads.Place},
	Country:  {heads.Country},
	Region:   {heads.Region},
	City:     {heads.City},
	Postcode: {heads.Postcode, heads.Codes},
})

// fieldOf is what a heading says that its column holds; "" for none.
func fieldOf(heading string) Field {
	folded := heads.Fold(heading)
	if field := headings[folded]; field != "" {
		return field
	}
	switch from, to, known := heads.End(folded); {
	case !known:
		return ""
	case from && to:
		return Postcode
	case from:
		return CodeFrom
	}
	return CodeTo
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
	return fields, named
}

// usable says whether a row of headings names a zone and where it is.
func usable(row *grid.Row) bool {
	fields, named := fieldsOf(row)
	return named > 1 && slices.Contains(fields, Zone)
}

// headOf is the index of the row with the heads.
func headOf(g *grid.Grid) (at int, found bool) {
	for i := range g.Rows[:min(len(g.Rows), grid.MaxTitles)] {
		if usable(&g.Rows[i]) {
			return i, true
		}
	}
	return g.Head(), false
}

// isList says whether a sheet has zones.
func isList(g *grid.Grid) bool {
	if _, ok := headOf(g); ok {
		return true
	}
	return len(labelled(g)) > 0 || across(g) >= 0
}

// Open reads a file with zones for a store: a table that [Write] wrote, or the list of a carrier or a shop, with a
// column for the zone and one for the place, or for country, region, town and codes; or with a column, a line or a
// section for each zone. Its errors are those of [grid.Read].
func Open(source grid.Source, f *store.File, reader typed.Reader, c Choices) (*Reading, error) {
	g, with, err := grid.Choose(source, c.Options, isList)
	if err != nil {
		return nil, err
	}
	o := &opening{f: f, reader: reader, c: c, asks: grid.NewAsks(c.Settled),
		r: &Reading{Grid: g, Found: g.Found(), Ledger: grid.NewLedger(g)}}
	o.asks.Opened(g, with, "zones")
	head, found := headOf(g)
	for i := range g.Rows {
		if g.Rows[i].Line == c.Head {
			head, found = i, true
		}
	}
	o.head = head
	o.r.Head = g.Rows[head].Line
	switch t := g.Table(head); {
	case own(t):
		o.own(t)
	case found || len(c.Columns) > 0:
		o.records()
	default:
		o.charts()
	}
	o.asksUnknown()
	o.overlaps()
	o.r.Asks = o.asks.List
	return o.r, nil
}

// Problem is why the zones cannot be imported yet; "" where they can.
func (r *Reading) Problem() string {
	switch {
	case len(r.Slips) > 0:
		return r.Slips[0].Error() + "; nothing was changed"
	case len(r.Asks) > 0:
		return "answer first what is asked about the list"
	case len(r.Zones) == 0:
		return "this table has no zone: only the heads of the columns"
	}
	return ""
}

// opening is a list while it is read.
type opening struct {
	f      *store.File
	reader typed.Reader
	c      Choices
	asks   *grid.Asks
	r      *Reading
	head   int // the index of the row with the heads

	list    list           // the zones so far
	seen    map[string]int // the lines of what was read, by zone and place
	unknown map[string]int // the index of what is not understood by its folded text
}

func (o *opening) settled(code string) bool { return slices.Contains(o.c.Settled, code) }

// asideOr is the account of what a question is about: set aside where it was answered.
func (o *opening) asideOr(code string) grid.Account {
	if o.settled(code) {
		return grid.SetAside
	}
	return grid.AskedAbout
}

func (o *opening) found(text string) {
	if !slices.Contains(o.r.Found, text) {
		o.r.Found = append(o.r.Found, text)
	}
}

func (o *opening) skip(line int, text, why string) {
	o.r.Skipped = append(o.r.Skipped, grid.Skipped{Line: line, Text: text, Why: why})
}

// own says whether a table is one that [Write] wrote. Zones by what a carrier calls them are no ids.
func own(t *sheet.Table) bool {
	is := func(name string) func(string) bool { return func(cell string) bool { return world.Fold(cell) == name } }
	if slices.ContainsFunc(t.Rows[0].Cells, func(cell string) bool {
		return cell != "" && !slices.Contains(Columns, world.Fold(cell))
	}) {
		return false
	}
	if slices.ContainsFunc(t.Rows[0].Cells, is("name")) {
		return true
	}
	zone := slices.IndexFunc(t.Rows[0].Cells, is("zone"))
	return zone < 0 || !slices.ContainsFunc(t.Rows[1:], func(row sheet.Row) bool {
		return zone < len(row.Cells) && row.Cells[zone] != "" && !store.ValidID(row.Cells[zone])
	})
}

// own reads a table that Diadrom wrote.
func (o *opening) own(t *sheet.Table) {
	o.r.Zones, o.r.Slips = Read(t, o.f, o.reader)
	refused := map[int]bool{}
	for _, s := range o.r.Slips {
		refused[s.Line] = true
	}
	for i := range o.r.Grid.Rows {
		row := &o.r.Grid.Rows[i]
		account := grid.AsBound
		switch {
		case i < o.head:
			o.note(row)
			continue
		case refused[row.Line]:
			account = grid.AskedAbout
		case i == o.head:
			account = grid.AsHead
		}
		o.r.Ledger.MarkRow(row.Line, 0, len(row.Cells), account)
	}
}

// overlaps asks about places in two zones of the list, or in a zone of it and one of the shop that it does not replace,
// unless they are in two zones of the shop as it is.
func (o *opening) overlaps() {
	all := slices.Clone(o.r.Zones)
	for i := range o.f.Zones {
		if !slices.ContainsFunc(o.r.Zones, func(z store.Zone) bool { return z.ID == o.f.Zones[i].ID }) {
			all = append(all, o.f.Zones[i])
		}
	}
	before := map[[2]string]bool{}
	for _, p := range overlap.Find(o.f.Zones) {
		before[[2]string{o.f.Zones[p.First].ID, o.f.Zones[p.Second].ID}] = true
		before[[2]string{o.f.Zones[p.Second].ID, o.f.Zones[p.First].ID}] = true
	}
	var theirs []string
	for _, p := range overlap.Find(all) {
		first, second := &all[p.First], &all[p.Second]
		switch n := len(o.r.Zones); {
		case before[[2]string{first.ID, second.ID}]:
		case p.Second < n:
			o.asks.Add(AskOverlap, fmt.Sprintf("%s is in two zones of this list: %s and %s. The most specific zone is used, or else the first.",
				p.Place, first.Name, second.Name))
		case p.First < n:
			theirs = append(theirs, fmt.Sprintf("%s (%s, and %s of this list)", p.Place, second.Name, first.Name))
		}
	}
	if len(theirs) > 0 {
		o.asks.Add(AskOverlap, fmt.Sprintf("%s in a zone of this shop too, which comes first: %s.",
			map[bool]string{true: "A place is", false: plural.Number(len(theirs)) + " places are"}[len(theirs) == 1],
			plural.Few(theirs)))
	}
}
