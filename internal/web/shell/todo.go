package shell

import (
	"strings"

	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/review/checklist"
	"diadrom/internal/review/warnings"
)

// todo is what is left to do in a new shop; it goes once all is done.
type todo struct {
	Items []checklist.Item
	Done  string // how many of them are done
	Next  checklist.Item
}

// setsUp are the warnings of which the first steps of a shop are made.
var setsUp = map[warnings.Code]bool{warnings.NoOrigin: true, warnings.NoZones: true, warnings.NoProducts: true,
	warnings.NoMethods: true, warnings.NoPrices: true, warnings.NoPromises: true, warnings.Unpublished: true}

// todoOf is nil where nothing is left to do.
func todoOf(f *store.File, list []warnings.Warning) *todo {
	t := &todo{Items: checklist.Of(f, list)}
	done := 0
	for i := len(t.Items) - 1; i >= 0; i-- {
		if t.Items[i].Done {
			done++
			continue
		}
		t.Next = t.Items[i]
	}
	if done == len(t.Items) {
		return nil
	}
	t.Done = plural.Number(done) + " of " + plural.Number(len(t.Items)) + " done"
	return t
}

// StationOf is the station on which a warning is dealt with, and the page there.
func StationOf(w *warnings.Warning) (name, path string) {
	list, rest, _ := strings.Cut(w.About, "/")
	id, _, _ := strings.Cut(rest, "/")
	switch {
	case w.Code == warnings.NotUpToDate || w.Code == warnings.Unpublished:
		return "Live", "/live"
	case w.Code == warnings.NoPromises:
		return "Quotes", "/promises"
	case list == "zones":
		if id == "" {
			return "Zones", "/zones"
		}
		return "Zones", "/zones?open=" + id + "#zone-" + id
	case list == "products":
		return "Products", "/goods"
	case list == "classes":
		return "Products", "/goods"
	case list == "methods" && (w.Table != "" || w.Code == warnings.NoPrices || w.Code == warnings.ColumnGone):
		return "Rates", "/rates/" + id
	case list == "methods" && id != "":
		return "Methods", "/methods#method-" + id
	case list == "methods":
		return "Methods", "/methods"
	case list == "surcharges" || list == "agreed":
		return "Rates", "/extras"
	}
	return "Shop", "/shop"
}
