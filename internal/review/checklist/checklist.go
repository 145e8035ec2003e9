// Package checklist says what is left to do before a new shop can sell: from where it ships to its first published
// edition, by what its store file has. Nothing of it is ticked by hand.
package checklist

import (
	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
)

// Item is a thing to do.
type Item struct {
	Text string // what to do, as an order
	Path string // the page on which it is done
	Done bool
}

// Facts are what a store file does not say of a shop.
type Facts struct {
	Promises  bool // whether there is a promise
	Published bool // whether an edition is live
}

// Of lists what there is to do in a shop, in the order of work.
func Of(f *store.File, is Facts) []Item {
	ships, sells := false, false
	for i := range f.Locations {
		ships = ships || f.Locations[i].ShipsFrom
	}
	for i := range f.Zones {
		sells = sells || f.Zones[i].Enabled && len(f.Zones[i].Places) > 0
	}
	goods := Item{"Enter the products", "/goods", len(f.Products) > 0}
	if n := unweighed(f); n > 0 {
		goods = Item{"Give " + plural.Count(n, "product") + " a weight", "/goods", false}
	}
	method := Item{"Add a delivery method", "/methods", false}
	for i := range f.Methods {
		method.Done = method.Done || f.Methods[i].Enabled && len(f.Methods[i].Tables) > 0
	}
	return []Item{
		{"Say where orders are shipped from", "/shop", ships},
		{"Say where you sell", "/zones", sells},
		goods,
		method,
		prices(f, sells && method.Done),
		{"Add a promise: a price that must stay as it is", "/promises", is.Promises},
		{"Publish", "/live", is.Published},
	}
}

// unweighed is how many products that are shipped have no weight, where none is assumed.
func unweighed(f *store.File) (n int) {
	if f.Store.AssumedWeight != nil {
		return 0
	}
	for i := range f.Products {
		if p := &f.Products[i]; p.NeedsShipping && p.Weight == nil {
			n++
		}
	}
	return n
}

// prices is the item of prices: it names the first zone that is sold to and to which nothing has a price.
func prices(f *store.File, ready bool) Item {
	item := Item{"Type the prices", "/rates", false}
	if !ready {
		return item
	}
	priced := map[string]bool{}
	for i := range f.Methods {
		m := &f.Methods[i]
		if !m.Enabled {
			continue
		}
		for j := range m.Tables {
			for _, row := range m.Tables[j].Rows {
				for k, c := range row.Charges {
					zone := m.Tables[j].Zones[k]
					priced[zone] = priced[zone] || c != nil && m.TermsIn(zone).Enabled
				}
			}
		}
	}
	for i := range f.Zones {
		z := &f.Zones[i]
		if z.Enabled && len(z.Places) > 0 && !priced[z.ID] {
			item.Text = "Type a price for " + f.ZoneName(z.ID)
			for j := range f.Methods {
				if f.Methods[j].Enabled {
					item.Path = "/rates/" + f.Methods[j].ID
					break
				}
			}
			return item
		}
	}
	item.Done = true
	return item
}
