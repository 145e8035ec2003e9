package held

import (
	"encoding/json"
	"slices"
	"strconv"
	"strings"
)

// Order is what a shop itself knows of an order, each member as JSON, by its name in a request: its lines, the address
// in to, and coupons, customer, group, point and at, where it has them.
type Order map[string]json.RawMessage

// OrderMembers are the members of an [Order], lines and to first.
var OrderMembers = []string{"lines", "to", "coupons", "customer", "group", "point", "at"}

// harmless are members of a request that do not say for what it asks, but how it is answered.
var harmless = []string{"checkout", "language", "hold", "parcels", "costs"}

// Differences gives JSON Pointers (RFC 6901) to what a request asks that the order does not say, or says otherwise, at
// most 20 of them. A line is compared whole: a price or a weight beside a sku replaces the product's. In to, and outside
// of lines and to, what is absent equals what is empty, and spaces around texts do not count. A quote for collecting at
// no place in particular fits any point.
func Differences(request []byte, of Order) (pointers []string, err error) {
	var asked map[string]json.RawMessage
	if err := json.Unmarshal(request, &asked); err != nil {
		return nil, err
	}
	names := slices.Clone(OrderMembers)
	for name := range asked {
		if !slices.Contains(harmless, name) && !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	slices.Sort(names[len(OrderMembers):])
	for _, name := range names {
		var a, b any
		for _, side := range []struct {
			from json.RawMessage
			into *any
		}{{asked[name], &a}, {of[name], &b}} {
			if side.from == nil {
				continue
			}
			d := json.NewDecoder(strings.NewReader(string(side.from)))
			d.UseNumber()
			if err := d.Decode(side.into); err != nil {
				return nil, err
			}
		}
		if name == "point" && empty(a) {
			continue
		}
		compare("/"+escaped.Replace(name), a, b, name != "lines", &pointers)
	}
	return pointers, nil
}

// escaped has names as JSON Pointers do.
var escaped = strings.NewReplacer("~", "~0", "/", "~1")

func compare(at string, a, b any, lenient bool, pointers *[]string) {
	if len(*pointers) >= 20 || lenient && empty(a) && empty(b) {
		return
	}
	switch a := a.(type) {
	case map[string]any:
		if b, ok := b.(map[string]any); ok {
			var names []string
			for name := range a {
				names = append(names, name)
			}
			for name := range b {
				if _, ok := a[name]; !ok {
					names = append(names, name)
				}
			}
			slices.Sort(names)
			for _, name := range names {
				x, inA := a[name]
				y, inB := b[name]
				below := at + "/" + escaped.Replace(name)
				if !lenient && inA != inB {
					*pointers = append(*pointers, below)
					continue
				}
				compare(below, x, y, lenient, pointers)
			}
			return
		}
	case []any:
		if b, ok := b.([]any); ok {
			for i := range max(len(a), len(b)) {
				below := at + "/" + strconv.Itoa(i)
				if i >= len(a) || i >= len(b) {
					*pointers = append(*pointers, below)
					break
				}
				compare(below, a[i], b[i], lenient, pointers)
			}
			return
		}
	}
	if text(a, lenient) != text(b, lenient) {
		*pointers = append(*pointers, at)
	}
}

// empty says whether a value means the same as its absence.
func empty(v any) bool {
	switch v := v.(type) {
	case nil:
		return true
	case string:
		return strings.TrimSpace(v) == ""
	case []any:
		return len(v) == 0
	case map[string]any:
		return len(v) == 0
	}
	return false
}

// text is a value as text, so that the number 2 and the text "2" are the same quantity.
func text(v any, trimmed bool) string {
	switch v := v.(type) {
	case string:
		if trimmed {
			v = strings.TrimSpace(v)
		}
		return v
	case json.Number:
		return v.String()
	}
	b, err := json.Marshal(v)
	if err != nil {
		return "" // of a value that was decoded there is always JSON
	}
	return "\x00" + string(b) // no text is a list
}
