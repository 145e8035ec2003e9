package quote

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// A request says every fault that it has, and null in the place of something is none of it.
func TestEveryFaultOfARequestIsSaid(t *testing.T) {
	e := engineOf(
		t,
		obj{"format": "diadrom-store/1", "store": obj{"currency": "EUR"}, "products": []any{obj{"sku": "a"}}},
	)
	for body, want := range map[string][]string{
		`null`:                                   {"type "},
		`[null]`:                                 {"type /0"},
		`[{},null]`:                              {"missing /0/to/country", "type /1"},
		`{"lines":null}`:                         {"missing /to/country"},
		`{"to":{"country":"FI"},"lines":[null]}`: {"type /lines/0"},
		`{"to":null,"lines":[]}`:                 {"missing /to/country"},
		`{"to":{"country":"FI"},"lines":[{"sku":"x",
		"quantity":0}]}`: {"range /lines/0/quantity", "reference /lines/0/sku"},
		`{"to":{"country":"FI"},"lines":[{"sku":"x"}]}`: {"missing /lines/0/quantity", "reference /lines/0/sku"},
		`{"to":{"country":"FI"},"lines":[{"sku":"x","quantity":"many",
		"class":"y"}]}`: {"number /lines/0/quantity", "reference /lines/0/sku", "reference /lines/0/class"},
		`{"to":{"country":"FI"},"lines":[{"sku":"a",
		"quantity":null}]}`: {"missing /lines/0/quantity"},
		`{"to":{"country":"FI"},"lines":[{"sku":"a","quantity":1,"price":"x","class":"y"}]}`: {"number /lines/0/price",
			"reference /lines/0/class"},
	} {
		_, _, faults := e.ReadRequest([]byte(body))
		var got []string
		for _, f := range faults {
			got = append(got, f.Code+" "+f.Path)
		}
		assert.ElementsMatch(t, want, got, body)
	}
}
