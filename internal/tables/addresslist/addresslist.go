// Package addresslist reads and writes an address book as a table for spreadsheets, an entry a row:
//
//	name,customer,group,street,postcode,city,region,country
//	Hotel Aurora,C-1007,hotels,Rantakatu 2,21100,Naantali,,Finland
//
// name is needed, and something of the address or a customer beside it. country is a name or a code of ISO 3166-1;
// where it is empty it is the shop's. Columns may stand in any order.
package addresslist

import (
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/oneline"
	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/sheet"
)

// Columns are the heads of the columns, in the order in which they are written.
var Columns = []string{"name", "customer", "group", "street", "postcode", "city", "region", "country"}

// MaxEntries is how many entries an address book has at most.
const MaxEntries = 100_000

// maxCell is the longest cell, in letters.
const maxCell = 120

// Entry is a known place or customer.
type Entry struct {
	Name            string
	Customer, Group string
	Address         place.Address // without a point
}

// RowError is a row that cannot be used.
type RowError struct {
	Line   int // of the file, from 1
	Cell   string
	Reason string
}

// Error says what is wrong.
func (e RowError) Error() string { return fmt.Sprintf("line %d: %s", e.Line, e.Reason) }

// Write makes the rows of entries, with the heads of the columns in front.
func Write(entries []Entry) [][]string {
	rows := [][]string{Columns}
	for _, e := range entries {
		a := e.Address
		country := ""
		if a.Country != "" {
			country = world.CountryName(a.Country)
		}
		rows = append(rows, []string{e.Name, e.Customer, e.Group, a.Street, a.Postcode, a.City, a.Region, country})
	}
	return rows
}

// Read makes entries of a table; home is the country of those that name none. It returns every row that cannot be used
// beside those that can.
func Read(t *sheet.Table, home string) (entries []Entry, slips []RowError) {
	at, slips := columns(t.Rows[0])
	if len(slips) > 0 {
		return nil, slips
	}
	lines := map[string]int{}
	for _, row := range t.Rows[1:] {
		cell := func(column string) string {
			if i, ok := at[column]; ok && i < len(row.Cells) {
				return row.Cells[i]
			}
			return ""
		}
		e, bad, reason := entry(cell, home)
		if first, twice := lines[world.Fold(e.Name)]; reason == "" && twice {
			bad, reason = e.Name, fmt.Sprintf("%.60s stands in line %d already", e.Name, first)
		}
		if reason != "" {
			slips = append(slips, RowError{row.Line, bad, reason})
			continue
		}
		lines[world.Fold(e.Name)] = row.Line
		entries = append(entries, e)
	}
	return entries, slips
}

// columns finds the columns by their heads.
func columns(head sheet.Row) (map[string]int, []RowError) {
	at := map[string]int{}
	var slips []RowError
	for i, cell := range head.Cells {
		name := world.Fold(cell)
		_, twice := at[name]
		switch {
		case name == "":
		case !slices.Contains(Columns, name):
			slips = append(slips, RowError{head.Line, cell,
				fmt.Sprintf("%.40q is none of the columns %s", cell, strings.Join(Columns, ", "))})
		case twice:
			slips = append(slips, RowError{head.Line, cell, "there are two columns " + name})
		default:
			at[name] = i
		}
	}
	if _, ok := at["name"]; !ok && len(slips) == 0 {
		slips = append(slips, RowError{head.Line, "", "the first line names the columns: name is needed"})
	}
	return at, slips
}

// entry reads a row, of which cell gives a column; reason says why it cannot be used, and bad is the cell.
func entry(cell func(string) string, home string) (e Entry, bad, reason string) {
	text := map[string]string{}
	for _, column := range Columns {
		line, err := oneline.Read(cell(column))
		switch {
		case err != nil:
			return e, cell(column), column + ": " + err.Error()
		case len([]rune(line)) > maxCell:
			return e, line[:40] + "…", fmt.Sprintf("%s has at most %d letters", column, maxCell)
		}
		text[column] = line
	}
	e = Entry{Name: text["name"], Customer: text["customer"], Group: text["group"]}
	if e.Name == "" {
		return e, "", "this has no name"
	}
	e.Address = place.Address{Street: text["street"], Postcode: text["postcode"], City: text["city"]}
	bad, reason = locate(&e.Address, text["region"], text["country"], home)
	if reason == "" && e.Customer == "" && e.Group == "" && e.Address == (place.Address{Country: e.Address.Country}) &&
		text["country"] == "" {
		return e, e.Name, "this has neither an address nor a customer"
	}
	return e, bad, reason
}

// locate gives an address its country and its region as they are typed, and checks its postcode; reason says what is
// wrong, and bad is what was typed.
func locate(a *place.Address, region, country, home string) (bad, reason string) {
	a.Country = home
	if country != "" {
		if c, ok := world.CountryByCode(strings.ToUpper(country)); ok {
			a.Country = c.Alpha2
		} else if named := world.CountriesByName(country); len(named) == 1 {
			a.Country = named[0].Alpha2
		} else {
			return country, fmt.Sprintf("there is no country %.40q", country)
		}
	}
	if a.Country == "" {
		return "", "say which country"
	}
	if region != "" {
		if r, ok := world.RegionByCode(a.Country, region); ok {
			a.Region = r.Code
		} else if named := world.RegionsByName(a.Country, region); len(named) == 1 {
			a.Region = named[0].Code
		} else {
			return region, fmt.Sprintf("%s has no region %.40q", world.CountryName(a.Country), region)
		}
	}
	if a.Postcode != "" && !postcode.Possible(a.Country, a.Postcode) {
		return a.Postcode, fmt.Sprintf("%.20s cannot be a postcode of %s: they are %s", a.Postcode,
			world.CountryName(a.Country), postcode.Shape(a.Country))
	}
	return "", ""
}
