// Package checklist says what is left to do before a new shop can sell: from where it ships to its first published
// edition. It is made of the warnings about the shop; nothing of it is ticked by hand.
package checklist

import (
	"strings"

	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/review/warnings"
)

// Item is a thing to do.
type Item struct {
	Text string // what to do, as an order
	Path string // the page on which it is done
	Done bool
}

// Of lists what there is to do in a shop, in the order of work, by the warnings about it with what lies outside of its
// store file.
func Of(f *store.File, list []warnings.Warning) []Item {
	items := []Item{
		{"Say where orders are shipped from", "/shop", true},
		{"Say where you sell", "/zones", true},
		{"Enter the products", "/goods", true},
		{"Add a delivery method", "/methods", true},
		{"Type the prices", "/rates", true},
		{"Add a promise: a price that must stay as it is", "/promises", true},
		{"Publish", "/live", true},
	}
	for i := range list {
		w := &list[i]
		switch w.Code {
		case warnings.NoOrigin:
			items[0].Done = false
		case warnings.NoZones:
			items[1].Done, items[4].Done = false, false
		case warnings.NoProducts:
			items[2].Done = false
		case warnings.ProductWeight:
			items[2] = Item{"Give " + plural.Count(max(w.Count, 1), "product") + " a weight", "/goods", false}
		case warnings.NoMethods:
			items[3].Done, items[4].Done = false, false
		case warnings.NoPrices:
			items[4] = unpriced(f, items[4], firstZone(f))
		case warnings.ZoneUnpriced:
			if _, zone, ok := strings.Cut(w.About, "/"); ok && w.Severity == warnings.Blocks && items[4].Done {
				items[4] = unpriced(f, items[4], zone)
			}
		case warnings.NoPromises:
			items[5].Done = false
		case warnings.Unpublished:
			items[6].Done = false
		}
	}
	return items
}

// firstZone is the first zone that takes addresses; "" where there is none.
func firstZone(f *store.File) string {
	for i := range f.Zones {
		if z := &f.Zones[i]; z.Enabled && len(z.Places) > 0 {
			return z.ID
		}
	}
	return ""
}

// unpriced is the item of prices, for a zone that nothing has a price for.
func unpriced(f *store.File, item Item, zone string) Item {
	item.Done = false
	if zone != "" {
		item.Text = "Type a price for " + f.ZoneName(zone)
	}
	for i := range f.Methods {
		if f.Methods[i].Enabled {
			item.Path = "/rates/" + f.Methods[i].ID
			break
		}
	}
	return item
}
