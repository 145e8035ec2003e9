package draft

import (
	"encoding/json"
	"strconv"

	"diadrom/internal/store"
)

// nouns are what an entry of each list is called, one and many.
var nouns = map[string][2]string{"locations": {"location", "locations"}, "classes": {"class", "classes"}, "products": {"product", "products"},
	"zones": {"zone", "zones"}, "methods": {"method", "methods"}, "surcharges": {"surcharge", "surcharges"}, "agreed": {"agreed charge", "agreed charges"}}

// What says in a few words what changes do: "zone Åland changed", "12 products added".
func What(changes []store.Change) string {
	var told *store.Change
	n := 0
	for i := range changes {
		c := &changes[i]
		if c.List != "" && c.Before == nil && c.After == nil { // only moved, because another came or went
			continue
		}
		if told == nil || told.List == "" {
			told, n = c, 0
		}
		if c.List == told.List {
			n++
		}
	}
	switch {
	case told == nil:
		return "the order"
	case told.List == "":
		return "the shop's settings changed"
	}
	done := "changed"
	if told.Before == nil {
		done = "added"
	} else if told.After == nil {
		done = "removed"
	}
	if n > 1 {
		return strconv.Itoa(n) + " " + nouns[told.List][1] + " " + done
	}
	return nouns[told.List][0] + " " + name(told) + " " + done
}

// name is what an entry is called: by its name, id or sku.
func name(c *store.Change) string {
	body := c.After
	if body == nil {
		body = c.Before
	}
	var named struct{ Name string }
	if err := json.Unmarshal(body, &named); err == nil && named.Name != "" {
		return named.Name
	}
	return c.ID
}
