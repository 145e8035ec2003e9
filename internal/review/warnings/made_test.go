package warnings

import (
	"encoding/json"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/review/coverage"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// sound is a shop about which there is nothing to say: two zones, two methods, goods with all that prices look at.
const sound = `{"format": "diadrom-store/1",
 "store": {"name": "Mine", "currency": "EUR", "volumetric_divisor": "5000",
  "sells_to": [{"country": "FI"}, {"country": "EE"}],
  "tax": {"prices_include_tax": true,
   "rates": [{"country": "FI", "percent": "25.5"}, {"country": "EE", "percent": "24"}]}},
 "locations": [{"id": "shop", "country": "FI", "postcode": "21100",
  "lat": "60.47", "lon": "22.03", "ships_from": true}],
 "classes": [{"id": "soft", "name": "Soft"}, {"id": "hard", "name": "Hard"}],
 "boxes": [{"id": "box", "name": "Box", "length": "40", "width": "30", "height": "20",
  "weight": "0.2", "cost": "0.80"}],
 "products": [
  {"sku": "TOWEL", "name": "Towel", "price": "30", "weight": "0.4", "length": "30", "width": "20",
   "height": "5", "class": "soft"},
  {"sku": "CAP", "name": "Cap", "price": "20", "weight": "0.1", "length": "20", "width": "20", "height": "5",
   "class": "soft"},
  {"sku": "ROBE", "name": "Robe", "price": "80", "weight": "0.9", "length": "35", "width": "25",
   "height": "8", "class": "soft"},
  {"sku": "LADLE", "name": "Ladle", "price": "25", "weight": "0.5", "length": "38", "width": "10",
   "height": "10", "class": "hard"},
  {"sku": "BUCKET", "name": "Bucket", "price": "60", "weight": "2", "length": "28", "width": "28",
   "height": "19", "class": "hard"}],
 "zones": [
  {"id": "north", "name": "North", "places": [{"country": "FI", "postcodes": ["96*", "97*"]}]},
  {"id": "fi", "name": "Finland", "places": [{"country": "FI"}]},
  {"id": "ee", "name": "Estonia", "places": [{"country": "EE"}]}],
 "methods": [
  {"id": "parcel", "name": "Parcel", "days": {"min": 1, "max": 3, "business": true},
   "free": {"subtotal": "100", "coupons": ["SAUNA10"]},
   "tables": [{"id": "list", "zones": ["north", "fi", "ee"], "by": "weight", "edges": "up_to", "rows": [
    {"at": "2", "charges": ["9.00", "7.00", "11.00"]}, {"at": "10", "charges": ["12.00", "9.00", "15.00"]},
    {"at": null, "charges": ["20.00", "14.00", "25.00"]}]}]},
  {"id": "slow", "name": "Slow parcel", "days": {"min": 4, "max": 7, "business": true},
   "free": {"subtotal": "80", "coupons": ["SAUNA10"]},
   "needs": {"weight": {"to": "20"}},
   "tables": [{"id": "list", "zones": ["fi", "ee"], "by": "subtotal", "edges": "from", "rows": [
    {"at": "0", "charges": ["5.00", "8.00"]}, {"at": "60", "charges": ["4.00", "6.00"]}]}]}],
 "surcharges": [{"id": "isle", "name": "Islands", "places": [{"country": "FI", "postcodes": ["2166*"]}],
  "amount": "3.00"}],
 "agreed": [{"id": "hotel", "name": "Hotel", "customer": "C-1", "amount": "5.00"}]}`

// read makes a store file of a text with changes: "methods.0.name" and the JSON to stand there, "" to remove it. A list
// has what is put behind its end.
func read(t require.TestingT, text string, changes ...[2]string) *store.File {
	var root any
	require.NoError(t, json.Unmarshal([]byte(text), &root))
	for _, c := range changes {
		root = put(t, root, strings.Split(c[0], "."), c[1])
	}
	data, err := json.Marshal(root)
	require.NoError(t, err)
	f, faults := store.Read(data)
	require.Empty(t, faults, string(data))
	return f
}

func put(t require.TestingT, at any, path []string, value string) any {
	var v any
	if value != "" {
		require.NoError(t, json.Unmarshal([]byte(value), &v), value)
	}
	switch x := at.(type) {
	case map[string]any:
		switch {
		case len(path) > 1:
			if x[path[0]] == nil {
				x[path[0]] = map[string]any{}
			}
			x[path[0]] = put(t, x[path[0]], path[1:], value)
		case value == "":
			delete(x, path[0])
		default:
			x[path[0]] = v
		}
		return x
	case []any:
		i, err := strconv.Atoi(path[0])
		require.NoError(t, err)
		if i == len(x) {
			x = append(x, nil)
		}
		switch {
		case len(path) > 1:
			x[i] = put(t, x[i], path[1:], value)
		case value == "":
			return slices.Delete(x, i, i+1)
		default:
			x[i] = v
		}
		return x
	}
	require.Fail(t, "no such path", "%v", path)
	return nil
}

// moment is when stores are read in tests.
var moment = time.Date(2026, 11, 26, 10, 0, 0, 0, time.UTC)

// of reads a store.
func of(f *store.File, g *gazetteer.Gazetteer) *Reading {
	e := quote.Compile(f, g)
	return Read(Input{Engine: e, Coverage: coverage.Of(e), Now: moment}, nil)
}

// said are the warnings of a code.
func said(list []Warning, code Code) (out []Warning) {
	for _, w := range list {
		if w.Code == code {
			out = append(out, w)
		}
	}
	return out
}

// messages are what warnings say.
func messages(list []Warning) (out []string) {
	for _, w := range list {
		out = append(out, w.Severity.String()+" "+string(w.Code)+" "+w.Path+": "+w.Message)
	}
	return out
}

// check is what must hold of every reading: each witness shows what it says, is read back as it was written, and each
// path leads into the store file, or to what belongs there and is missing.
func check(t require.TestingT, r *Reading) {
	assert.Empty(t, messages(r.Unproved), "a warning whose witness does not show it")
	f := r.engine.Store()
	var file any
	require.NoError(t, json.Unmarshal(f.Write(), &file))
	for i := range r.Warnings {
		w := &r.Warnings[i]
		assert.True(t, w.Holds(r.engine), w.Message)
		assert.True(t, leads(file, w.Path), "%s %s", w.Code, w.Path)
		assert.NotEmpty(t, Titles[w.Code], w.Code)
		if w.Witness == nil {
			continue
		}
		data, err := json.Marshal(w.Witness.For(f))
		require.NoError(t, err)
		asked, _, faults := r.engine.ReadRequest(data)
		require.Empty(t, faults, "%s: %s", w.Message, data)
		again := *w
		again.Witness = &asked[0]
		assert.True(t, again.Holds(r.engine), "%s: %s", w.Message, data)
	}
}

// leads says whether a JSON Pointer leads to something, or to what its object lacks.
func leads(at any, path string) bool {
	parts := strings.Split(path, "/")[1:]
	for i, part := range parts {
		part = strings.NewReplacer("~1", "/", "~0", "~").Replace(part)
		switch x := at.(type) {
		case map[string]any:
			next, ok := x[part]
			if !ok {
				return true // absent and empty mean the same
			}
			at = next
		case []any:
			n, err := strconv.Atoi(part)
			if err != nil || n >= len(x) {
				return false
			}
			at = x[n]
		default:
			return i == len(parts)
		}
	}
	return true
}

func TestASoundShopHasNoWarnings(t *testing.T) {
	r := of(read(t, sound), nil)
	check(t, r)
	assert.Empty(t, messages(r.Warnings))
}
