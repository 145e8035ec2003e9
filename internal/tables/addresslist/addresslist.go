// Package addresslist reads and writes an address book as a table for spreadsheets, an entry a row:
//
//	name,customer,group,street,postcode,city,region,country
//	Hotel Aurora,C-1007,hotels,Rantakatu 2,21100,Naantali,,Finland
//
// name is needed, and something of the address or a customer beside it. country is a name or a code of ISO 3166-1;
// where it is empty it is the shop's. Columns may stand in any order, and have the headings of other programs in six
// languages: a company, a first and a last name, a house number and a second line of the street are joined to those.
package addresslist

import (
	"fmt"
	"strings"

	"diadrom/internal/core/oneline"
	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/destination"
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
		code, err := destination.Country(country)
		if err != nil {
			code, err = destination.Country(strings.ToUpper(country))
		}
		if err != nil {
			return country, fmt.Sprintf("there is no country %.40q", country)
		}
		a.Country = code
	}
	if a.Country == "" {
		return "", "say which country"
	}
	if region != "" {
		if r, ok := world.RegionByCode(a.Country, destination.Region(a.Country, region)); ok {
			a.Region = r.Code
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
