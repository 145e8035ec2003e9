// Package ratelist writes price lists as tables for spreadsheets, and makes zones and a price list of the tables that
// carriers and shops hand round, or updates a list of the shop with them: see [Open].
//
// Written, a list has a line for each cell, or looks as its grid does:
//
//	method,list,by,edges,row,zone,charge,graduated,classes,per weight (kg) up to,Finland,Åland
//	parcel,list,weight,up_to,2,finland,6.90,no,                2,6.90,9.90
//	parcel,list,weight,up_to,,finland,no,no,                   ,no,no
//
// Both forms read back as the same list.
package ratelist

import (
	"slices"
	"strings"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// Columns are the heads of the table with a line for each cell.
var Columns = []string{"method", "list", "by", "edges", "row", "zone", "charge", "graduated", "classes", "per"}

func bound(r *rate.Row) string {
	if r.At == nil {
		return ""
	}
	return r.At.String()
}

// gridHead is the first head of a table that [Grid] writes: what its rows go by, and on which side of their bounds.
func gridHead(f *store.File, t *rate.Table) string {
	head := strings.ReplaceAll(string(t.By), "_", " ")
	unit := map[rate.By]string{rate.ByWeight: f.Store.WeightUnit, rate.ByBilled: f.Store.WeightUnit,
		rate.BySubtotal: f.Store.Currency, rate.ByDistance: f.Store.DistanceUnit}[t.By]
	if unit != "" {
		head += " (" + unit + ")"
	}
	if t.By == rate.ByOrder {
		return head
	}
	return head + map[rate.Edges]string{rate.UpTo: " up to", rate.From: " from"}[t.Edges]
}

// gridName is what a column of [Grid] is called: by the name of its zone, or by its id where another zone has that
// name, or a table could not have it as it is.
func gridName(f *store.File, id string) string {
	name := f.ZoneName(id)
	others := slices.ContainsFunc(f.Zones, func(z store.Zone) bool {
		return z.ID != id && (f.ZoneName(z.ID) == name || z.ID == name)
	})
	if others || strings.TrimSpace(name) != name || strings.ContainsAny(name, "\n\r\t") {
		return id
	}
	return name
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
							bound(&t.Rows[r]),
							zone,
							charge.Format(t.Rows[r].Charges[z], w),
							map[bool]string{true: "yes", false: "no"}[t.Graduated],
							strings.Join(t.Classes, " "),
							map[bool]string{true: "order", false: "parcel"}[t.Per == rate.PerOrder],
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
	head := []string{gridHead(f, t)}
	for _, id := range t.Zones {
		head = append(head, gridName(f, id))
	}
	rows := [][]string{head}
	for i := range t.Rows {
		row := []string{bound(&t.Rows[i])}
		for j := range t.Zones {
			row = append(row, charge.Format(t.Rows[i].Charges[j], w))
		}
		rows = append(rows, row)
	}
	return rows
}
