package compare

import (
	"fmt"
	"testing"

	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func engine(t *testing.T, methods string) *quote.Engine {
	f, faults := store.Read(
		[]byte(
			`{"format":"diadrom-store/1","store":{"currency":"EUR"},"zones":[{"id":"fi","places":[{"country":"FI"}]},
		{"id":"se","places":[{"country":"SE"}]}],"methods":[` + methods + `]}`,
		),
	)
	require.Empty(t, faults)
	return quote.Compile(f, nil)
}

func method(id, fi, se string) string {
	return fmt.Sprintf(
		`{"id":%q,"label":"M %s","tables":[{"id":"t","zones":["fi","se"],"by":"order","rows":[{"charges":[%s,%s]}]}]}`,
		id,
		id,
		fi,
		se,
	)
}

func TestWhatAChangeMeansForBuyers(t *testing.T) {
	before := engine(t, method("a", `"5"`, `"7"`)+","+method("b", `"2"`, `"9"`)+","+method("c", `"1.0"`, "null"))
	after := engine(t, method("a", `"6"`, `"7.00"`)+","+method("b", `"1"`, "null")+","+method("c", `"1"`, `"3"`))
	ask := func(country string) *quote.Request {
		return &quote.Request{
			To:    place.Address{Country: country},
			Lines: []quote.Line{{Product: store.Product{NeedsShipping: true}, Quantity: 1}},
		}
	}
	var cases []Case
	for _, to := range []string{"FI", "SE", "NO"} {
		cases = append(cases, Case{"cart", to, ask(to), ask(to)})
	}
	cases = append(cases, Case{"other", "FI", ask("FI"), ask("FI")}, Case{"gone", "FI", ask("FI"), nil})
	r := Quotes(before, after, cases)
	var got []string
	for _, s := range r.Shifts {
		got = append(
			got,
			fmt.Sprintf("%s %s %s %s→%s %d", string(s.Kind), s.Method, s.Label, s.Was, s.Is, len(s.Cases)),
		)
	}
	assert.Equal(t, []string{
		"gone b M b 9.00→ 1",
		"gone a M a 5.00→ 1",
		"gone b M b 2.00→ 1",
		"gone c M c 1.00→ 1", // the last three: a cart whose goods are gone
		"dearer a M a 5.00→6.00 2",
		"cheaper b M b 2.00→1.00 2",
		"new c M c →3.00 1",
	}, got, "5 and 5.00 are the same; two carts to which the same happens are one line")
	assert.Equal(t, 5, r.Asked)
	assert.Equal(t, 1, r.Same, "Norway")
	assert.Equal(t, 2, r.Count(Dearer))
	require.Len(t, r.Silent, 1)
	assert.Equal(t, "gone", r.Silent[0].Cart)
	same := Quotes(before, before, cases[:4])
	assert.Empty(t, same.Shifts)
	assert.Equal(t, 4, same.Same)
	from := Quotes(nil, after, cases[:1])
	assert.Equal(t, 3, from.Count(New), "against nothing all is new")
}
