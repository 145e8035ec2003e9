// Package zonelist reads and writes zones as a table for spreadsheets, one place rule a row:
//
//	zone,name,on,pinned,only,rule,place
//	aland,Åland,yes,,,takes,FI 22*
//	aland,Åland,yes,,,takes,AX
//	van-round,Van round,yes,,,takes,FI 21600 to 21760
//	van-round,Van round,yes,,,leaves out,FI 21660
//
// zone is the id that prices refer to; where it is missing, the name makes one. on and only are yes or no
// (absent: on, and not only); pinned is a zone's rank. rule is "takes" (also when it is empty) or "leaves out".
// place is typed as on the screen, a country, region, group, town, postcode entry or circle, or a place rule of
// the store file as JSON, which is how Write writes what cannot be typed: drawn areas, and rules that name
// several things. A zone without places has one row with an empty place. What is told of a zone must be the
// same in all its rows; empty cells say nothing. Columns may stand in any order.
//
// Zones stand in the order of their first rows. Writing what was read gives the same table.
package zonelist

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/oneline"
	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/sheet"
)

// Columns are the heads of the columns, in the order in which they are written.
var Columns = []string{"zone", "name", "on", "pinned", "only", "rule", "place"}

const (
	takes     = "takes"
	leavesOut = "leaves out"
)

// RowError is a row that cannot be used.
type RowError struct {
	Line   int // of the file, from 1
	Cell   string
	Reason string
}

// Error says what is wrong.
func (e RowError) Error() string { return fmt.Sprintf("line %d: %s", e.Line, e.Reason) }

// Write makes the rows of zones, with the heads of the columns in front.
func Write(zones []store.Zone, reader typed.Reader) [][]string {
	rows := [][]string{Columns}
	reader.Home = ""
	for i := range zones {
		z := &zones[i]
		rank := ""
		if z.Rank != nil {
			rank = strconv.FormatInt(*z.Rank, 10)
		}
		row := func(rule, place string) {
			rows = append(rows, []string{z.ID, z.Name, yesNo(z.Enabled), rank, yesNo(z.Only), rule, place})
		}
		if len(z.Places)+len(z.Except) == 0 {
			row(takes, "")
		}
		for _, l := range []struct {
			rule  string
			rules []place.Rule
		}{{takes, z.Places}, {leavesOut, z.Except}} {
			for j := range l.rules {
				for _, text := range texts(&l.rules[j], reader) {
					row(l.rule, text)
				}
			}
		}
	}
	return rows
}

func yesNo(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}

// texts writes a rule as it is typed, a text for each entry of a list of codes, or as JSON where it cannot be typed.
func texts(r *place.Rule, reader typed.Reader) []string {
	list, exact := asTyped(r)
	if exact {
		return list
	}
	for i, text := range list {
		alone := *r
		if r.Level() == place.Postcode {
			alone.Postcodes = r.Postcodes[i : i+1]
		}
		read := reader.Text(text)
		if len(read.Slips) > 0 || len(read.Places) != 1 || !alone.Equal(&read.Places[0]) {
			return []string{string(store.WriteRule(r))}
		}
	}
	if list == nil {
		return []string{string(store.WriteRule(r))}
	}
	return list
}

// Text is places and exceptions as one would type them for a reader, which reads them back.
func Text(places, except []place.Rule, reader typed.Reader) string {
	var parts []string
	for i := range places {
		parts = append(parts, texts(&places[i], reader)...)
	}
	for i := range except {
		for _, text := range texts(&except[i], reader) {
			parts = append(parts, "not "+text)
		}
	}
	return strings.Join(parts, ", ")
}

// asTyped is a rule as one would type it; exact says that it reads back as it is.
func asTyped(r *place.Rule) (list []string, exact bool) {
	switch r.Level() {
	case place.World:
		return []string{"everywhere"}, false
	case place.Group:
		return []string{r.Group}, false
	case place.Country:
		return []string{r.Country}, false
	case place.Region:
		return []string{r.Region}, false
	case place.City:
		if r.Region != "" {
			return []string{r.Region + " " + r.City}, false
		}
		return []string{r.Country + " town " + r.City}, false
	case place.Postcode:
		for _, e := range r.Postcodes {
			list = append(list, r.Country+" "+e.String())
		}
		_, digits := postcode.AllDigits(r.Country)
		return list, digits && r.Region == "" && r.City == "" && r.Group == ""
	}
	if r.Within == nil {
		return nil, false
	}
	of := r.Within.Location
	if of == "" {
		of = r.Within.Lat.String() + " " + r.Within.Lon.String()
	}
	return []string{"within " + r.Within.Distance.String() + " of " + of}, false
}

// zone is a zone on its way, with what its rows have told of it.
type zone struct {
	store.Zone
	told map[string]string // cell by column
	line map[string]int    // where it was told
}

// Read makes zones of a table for the store f, whose settings and locations its places refer to. It returns
// every row that cannot be used; then the zones are not whole.
func Read(t *sheet.Table, f *store.File, reader typed.Reader) ([]store.Zone, []RowError) {
	at, slips := columns(t.Rows[0])
	if len(slips) > 0 {
		return nil, slips
	}
	l := list{f: f, reader: reader, byID: map[string]*zone{}, ids: map[string]string{}}
	for _, row := range t.Rows[1:] {
		l.row(row, func(column string) string {
			if i, ok := at[column]; ok && i < len(row.Cells) {
				return row.Cells[i]
			}
			return ""
		})
	}
	out := make([]store.Zone, len(l.zones))
	for i, z := range l.zones {
		out[i] = z.Zone
	}
	return out, l.slips
}

// list is a table of zones while it is read.
type list struct {
	f      *store.File
	reader typed.Reader
	zones  []*zone
	byID   map[string]*zone
	ids    map[string]string // made of names
	slips  []RowError
}

// row reads a row, of which cell gives a column.
func (l *list) row(row sheet.Row, cell func(string) string) {
	fail := func(column, format string, args ...any) {
		l.slips = append(l.slips, RowError{row.Line, cell(column), fmt.Sprintf(format, args...)})
	}
	id := l.id(cell("zone"), cell("name"))
	switch {
	case id == "":
		fail("zone", "which zone is this? A row has a zone or a name")
		return
	case !store.ValidID(id):
		fail("zone", "%.40q cannot be a zone's id: small letters, digits and hyphens make one; leave it empty to "+
			"have one made of the name", id)
		return
	}
	z := l.byID[id]
	if z == nil {
		z = &zone{Zone: store.Zone{ID: id, Enabled: true}, told: map[string]string{}, line: map[string]int{}}
		l.byID[id], l.zones = z, append(l.zones, z)
	}
	for _, column := range []string{"name", "on", "pinned", "only"} {
		text := cell(column)
		if text == "" {
			continue
		}
		if before, told := z.told[column]; told {
			if before != text {
				fail(column, "%s of %s is %.40q here, but %.40q in line %d", column, id, text, before, z.line[column])
			}
			continue
		}
		z.told[column], z.line[column] = text, row.Line
		if reason := z.tell(column, text); reason != "" {
			fail(column, "%s", reason)
		}
	}
	if reason := z.place(cell("rule"), cell("place"), l.f, l.reader); reason != "" {
		fail("place", "%s", reason)
	}
}

// id is the id of a row's zone: as it is written, or made of its name.
func (l *list) id(written, name string) string {
	if written != "" || name == "" {
		return written
	}
	named := func(z store.Zone) bool { return world.Fold(z.Name) == world.Fold(name) }
	if i := slices.IndexFunc(l.f.Zones, named); i >= 0 && l.ids[name] == "" && l.byID[l.f.Zones[i].ID] == nil &&
		!slices.ContainsFunc(l.f.Zones[i+1:], named) {
		l.ids[name] = l.f.Zones[i].ID // the shop's zone of that name
	}
	if l.ids[name] == "" {
		l.ids[name] = store.NewID(name, "zone", func(id string) bool { return l.byID[id] != nil })
	}
	return l.ids[name]
}

// columns finds the columns by their heads.
func columns(head sheet.Row) (map[string]int, []RowError) {
	at := map[string]int{}
	var slips []RowError
	for i, cell := range head.Cells {
		name := world.Fold(cell)
		switch {
		case name == "":
		case !slices.Contains(Columns, name):
			slips = append(
				slips,
				RowError{
					head.Line,
					cell,
					fmt.Sprintf("%.40q is none of the columns %s", cell, strings.Join(Columns, ", ")),
				},
			)
		default:
			if _, twice := at[name]; twice {
				slips = append(slips, RowError{head.Line, cell, "there are two columns " + name})
			}
			at[name] = i
		}
	}
	_, hasZone := at["zone"]
	_, hasName := at["name"]
	if _, ok := at["place"]; !ok || !hasZone && !hasName {
		return nil, append(
			slips,
			RowError{head.Line, "", "the first line names the columns: place, and zone or name, are needed"},
		)
	}
	return at, slips
}

// tell reads what a cell says of the zone itself.
func (z *zone) tell(column, text string) (reason string) {
	yes, no := strings.EqualFold(text, "yes"), strings.EqualFold(text, "no")
	switch column {
	case "name":
		name, err := oneline.Read(text)
		if err != nil {
			return "name: " + err.Error()
		}
		z.Name = name
	case "on", "only":
		if !yes && !no {
			return fmt.Sprintf("%s is yes or no, not %.40q", column, text)
		}
		if column == "on" {
			z.Enabled = yes
		} else {
			z.Only = yes
		}
	case "pinned":
		n, err := strconv.ParseInt(text, 10, 64)
		if err != nil {
			return fmt.Sprintf("pinned is a whole number, the lowest first, not %.40q", text)
		}
		z.Rank = &n
	}
	return ""
}

// place reads what a row says of where the zone is.
func (z *zone) place(rule, text string, f *store.File, reader typed.Reader) (reason string) {
	into := &z.Places
	switch {
	case strings.EqualFold(rule, leavesOut):
		into = &z.Except
	case rule != "" && !strings.EqualFold(rule, takes):
		return fmt.Sprintf("the rule is %q or %q, not %.40q", takes, leavesOut, rule)
	}
	if text == "" {
		return ""
	}
	if strings.HasPrefix(text, "{") {
		r, faults := f.ReadRule([]byte(text))
		if len(faults) > 0 {
			return faults[0].Message
		}
		*into = append(*into, r)
		return ""
	}
	read := reader.Text(text)
	switch {
	case len(read.Slips) > 0:
		slip := read.Slips[0]
		for i, c := range slip.Choices {
			if i == 0 {
				slip.Reason += ": "
			} else {
				slip.Reason += ", "
			}
			slip.Reason += c.Text + " (" + c.Means + ")"
		}
		return slip.Reason
	case len(read.Except) > 0:
		return "a place that is left out has " + leavesOut + " in the column rule"
	}
	for _, r := range read.Places { // codes join those of the row before, so that the order of the rows stays
		if last := len(*into) - 1; last >= 0 {
			*into = append((*into)[:last], place.Join((*into)[last:last+1:last+1], r)...)
		} else {
			*into = append(*into, r)
		}
	}
	return ""
}
