// Package ratelist writes price lists as tables for spreadsheets, and makes zones and a price list of any table
// that has a destination, a bound and a price on each line.
//
// Written, a list has a line for each cell, or looks as its grid does:
//
//	method,list,by,edges,row,zone,charge,graduated,classes     weight,Finland,Åland
//	parcel,list,weight,up_to,2,finland,6.90,no,                2,6.90,9.90
//	parcel,list,weight,up_to,,finland,no,no,                   ,no,no
//
// The first form reads back as the same list.
package ratelist

import (
	"strings"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// Columns are the heads of the table with a line for each cell.
var Columns = []string{"method", "list", "by", "edges", "row", "zone", "charge", "graduated", "classes"}

func at(r *rate.Row) string {
	if r.At == nil {
		return ""
	}
	return r.At.String()
}

// Cells writes the lists of some methods, a line for each cell.
func Cells(f *store.File, methods []store.Method) [][]string {
	w := f.Words()
	rows := [][]string{Columns}
	for i := range methods {
		m := &methods[i]
		for j := range m.Tables {
			t := &m.Tables[j]
			for r := range t.Rows {
				for z, zone := range t.Zones {
					rows = append(
						rows,
						[]string{
							m.ID,
							t.ID,
							string(t.By),
							string(t.Edges),
							at(&t.Rows[r]),
							zone,
							charge.Format(t.Rows[r].Charges[z], w),
							map[bool]string{true: "yes", false: "no"}[t.Graduated],
							strings.Join(t.Classes, " "),
						},
					)
				}
			}
		}
	}
	return rows
}

// Grid writes a list as it looks: a line a row, a column a zone.
func Grid(f *store.File, t *rate.Table) [][]string {
	w := f.Words()
	head := []string{string(t.By)}
	for _, id := range t.Zones {
		head = append(head, f.ZoneName(id))
	}
	rows := [][]string{head}
	for i := range t.Rows {
		row := []string{at(&t.Rows[i])}
		for j := range t.Zones {
			row = append(row, charge.Format(t.Rows[i].Charges[j], w))
		}
		rows = append(rows, row)
	}
	return rows
}
