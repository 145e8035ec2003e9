package zonelist

import (
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/heads"
	"diadrom/internal/tables/sheet"
)

// Choices are what somebody who looks at a list sets otherwise than it was made out.
type Choices struct {
	grid.Options
	Head int // the line of the heads; 0 as found
}

// Reading is what was made of a file.
type Reading struct {
	Grid    *grid.Grid
	Head    int      // the line of the heads
	Found   []string // in sentences, what had to be made out
	Skipped []grid.Skipped
	Zones   []store.Zone
	Slips   []RowError // rows that cannot be used; then the zones are not whole
}

// Fields of the lists of others: a zone, and where it is.
const (
	zoneField     = "zone"
	placeField    = "place"
	countryField  = "country"
	regionField   = "region"
	cityField     = "city"
	postcodeField = "postcode"
)

// headings are the fields by the headings that name them.
var headings = heads.Fields(map[string][]heads.Concept{
	zoneField:     {heads.Zone, heads.Name},
	placeField:    {heads.Place},
	countryField:  {heads.Country},
	regionField:   {heads.Region},
	cityField:     {heads.City},
	postcodeField: {heads.Postcode, heads.Codes},
})

// fields are what the cells of a row of heads name, by their first columns.
func fields(row *grid.Row) map[string]int {
	at := map[string]int{}
	for i := range row.Cells {
		if field := headings[heads.Fold(row.Cells[i].Text)]; field != "" {
			if _, twice := at[field]; !twice {
				at[field] = i
			}
		}
	}
	return at
}

// usable says whether heads name a zone and where it is.
func usable(at map[string]int) bool {
	_, zone := at[zoneField]
	return zone && len(at) > 1
}

// headOf is the index of the row with the heads.
func headOf(g *grid.Grid) (at int, found bool) {
	for i := range g.Rows[:min(len(g.Rows), grid.MaxTitles)] {
		if usable(fields(&g.Rows[i])) {
			return i, true
		}
	}
	return g.Head(), false
}

// Open reads a file with zones for a store: a table that [Write] wrote, or the list of a carrier or a shop, with a
// column for the zone and one for the place, or for country, region, town and codes. Its errors are those of
// [grid.Read].
func Open(source grid.Source, f *store.File, reader typed.Reader, c Choices) (*Reading, error) {
	g, with, err := grid.Choose(source, c.Options, func(g *grid.Grid) bool { _, ok := headOf(g); return ok })
	if err != nil {
		return nil, err
	}
	r := &Reading{Grid: g, Found: g.Found()}
	if said := g.HiddenSaid(); said != "" {
		r.Found = append(r.Found, said)
	}
	if len(with) > 1 {
		r.Found = append(r.Found, fmt.Sprintf("The sheets %s have zones.", strings.Join(with, ", ")))
	}
	head, _ := headOf(g)
	for i := range g.Rows {
		if g.Rows[i].Line == c.Head {
			head = i
		}
	}
	r.Head = g.Rows[head].Line
	for i := range g.Rows[:head] {
		r.skip(g.Rows[i].Line, g.Rows[i].Said(), "a title")
	}
	t := g.Table(head)
	at := fields(&g.Rows[head])
	own := !slices.ContainsFunc(t.Rows[0].Cells, func(cell string) bool {
		return cell != "" && !slices.Contains(Columns, world.Fold(cell))
	})
	is := func(name string) func(string) bool { return func(cell string) bool { return world.Fold(cell) == name } }
	if own && !slices.ContainsFunc(t.Rows[0].Cells, is("name")) { // zones by what a carrier calls them are no ids
		zone := slices.IndexFunc(t.Rows[0].Cells, is("zone"))
		own = zone < 0 || !slices.ContainsFunc(t.Rows[1:], func(row sheet.Row) bool {
			return zone < len(row.Cells) && row.Cells[zone] != "" && !store.ValidID(row.Cells[zone])
		})
	}
	if !own && usable(at) {
		t = r.foreign(t, at, reader)
	}
	zones, slips := Read(t, f, reader)
	r.Zones, r.Slips = zones, append(r.Slips, slips...)
	slices.SortStableFunc(r.Slips, func(x, y RowError) int { return x.Line - y.Line })
	return r, nil
}

func (r *Reading) skip(line int, text, why string) {
	r.Skipped = append(r.Skipped, grid.Skipped{Line: line, Text: text, Why: why})
}

// foreign makes a table as [Write] has it of the list of others.
func (r *Reading) foreign(t *sheet.Table, at map[string]int, reader typed.Reader) *sheet.Table {
	out := &sheet.Table{Rows: []sheet.Row{{Line: t.Rows[0].Line, Cells: []string{"name", "place"}}}}
	used := map[int]bool{}
	for _, i := range at {
		used[i] = true
	}
	for i, head := range t.Rows[0].Cells {
		if head != "" && !used[i] {
			r.skip(t.Rows[0].Line, head, "the column is not used")
		}
	}
	last := ""
	for _, row := range t.Rows[1:] {
		cell := func(field string) string {
			if i, ok := at[field]; ok && i < len(row.Cells) {
				return row.Cells[i]
			}
			return ""
		}
		name := cell(zoneField)
		filled := len(slices.DeleteFunc(slices.Clone(row.Cells), func(s string) bool { return s == "" }))
		switch {
		case filled == 1 && (len(at) > 2 || name != ""):
			r.skip(row.Line, strings.Join(row.Cells, ""), "a title or a note")
			continue
		case name == "" && last != "":
			name = last
			told := "An empty cell for the zone is the zone above it."
			if !slices.Contains(r.Found, told) {
				r.Found = append(r.Found, told)
			}
		}
		last = name
		place, err := placeOf(cell, reader)
		if err != nil {
			r.Slips = append(r.Slips, RowError{row.Line, cell(countryField), err.Error()})
			continue
		}
		out.Rows = append(out.Rows, sheet.Row{Line: row.Line, Cells: []string{called(name), place}})
	}
	return out
}

// called is what a zone is called that a list numbers: "Zone 3".
func called(name string) string {
	if len(name) <= 2 && strings.Trim(name, "0123456789") == "" && name != "" {
		return "Zone " + name
	}
	return name
}

// placeOf is where a row is, as one would type it.
func placeOf(cell func(string) string, reader typed.Reader) (string, error) {
	if place := cell(placeField); place != "" {
		if list := destination.Places(place); len(list) > 0 {
			return strings.Join(list, ", "), nil
		}
		return destination.Codes(place, reader.Home), nil
	}
	country, region, city, codes := cell(countryField), cell(regionField), cell(cityField), cell(postcodeField)
	if destination.Wild(country) {
		if destination.Wild(region) && destination.Wild(city) && destination.Wild(codes) {
			return "everywhere", nil
		}
		if country = reader.Home; country == "" {
			return "", fmt.Errorf("it has no country: write it, or set the country of the shop")
		}
	}
	code, err := destination.Country(country)
	if err != nil {
		list := destination.Places(country)
		switch {
		case len(list) == 0:
			return "", err
		case !destination.Wild(region) || !destination.Wild(city) || !destination.Wild(codes):
			return "", fmt.Errorf("%.40q are several countries: codes are of one", country)
		}
		return strings.Join(list, ", "), nil
	}
	return destination.Within(code, region, city, codes), nil
}
