package compare

import (
	"testing"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whatever buyers see of an option counts as a change: its time, its tax, its name, what they are told where it
// is not offered.
func TestNothingThatBuyersSeeChangesWithoutAWord(t *testing.T) {
	engine := func(method, shop string) *quote.Engine {
		f, faults := store.Read(
			[]byte(
				`{"format":"diadrom-store/1","store":{"currency":"EUR"` + shop +
					`},"zones":[{"id":"fi","places":[{"country":"FI"}]}],
		"methods":[{"id":"m","name":"Parcel"` + method + `,"tables":[{"id":"t","zones":["fi"],"by":"weight",
		"edges":"up_to","rows":[{"at":"5","charges":["6.90"]}]}]}]}`,
			),
		)
		require.Empty(t, faults)
		return quote.Compile(f, nil)
	}
	const light, heavy = `{"to":{"country":"FI"},"lines":[{"price":"5","weight":"1","quantity":1}]}`,
		`{"to":{"country":"FI"},"lines":[{"price":"5","weight":"9","quantity":1}]}`
	for _, c := range []struct {
		name, before, after, shopBefore, shopAfter, cart string
		kind                                             Kind
		was, is                                          string
	}{
		{"days", `,"days":{"min":2,"max":4,"business":true}`, `,"days":{"min":0,"max":0}`, "", "", light, Days,
			"2 to 4 working days", "the same day"},
		{"first days", "", `,"days":{"min":2,"max":4}`, "", "", light, Days, "no time said", "2 to 4 days"},
		{"name", `,"label":"To your door"`, `,"label":"To the door"`, "", "", light, Named, "To your door",
			"To the door"},
		{"tax in the price", "", "", `,"tax":{"prices_include_tax":true,"rates":[{"country":"FI","percent":"24"}]}`, `,
		"tax":{"prices_include_tax":true,"rates":[{"country":"FI","percent":"25.5"}]}`, light, Tax, "1.34", "1.40"},
		{"tax on top", "", "", `,"tax":{"rates":[{"country":"FI","percent":"24"}]}`, `,"tax":{"rates":[{"country":"FI",
		"percent":"25.5"}]}`, light, Dearer, "8.56", "8.66"},
		{"what is told", `,"when_refused":"tell","refused_text":"Too heavy"`, `,"when_refused":"tell",
		"refused_text":"Too heavy, sorry"`, "", "", heavy, Told, "Too heavy", "Too heavy, sorry"},
	} {
		before, after := engine(c.before, c.shopBefore), engine(c.after, c.shopAfter)
		q, _, faults := before.ReadRequest([]byte(c.cart))
		require.Empty(t, faults)
		r := Quotes(before, after, []Case{{Before: &q[0], After: &q[0]}})
		require.Len(t, r.Shifts, 1, c.name)
		assert.Equal(
			t,
			[]string{string(c.kind), c.was, c.is},
			[]string{string(r.Shifts[0].Kind), r.Shifts[0].Was, r.Shifts[0].Is},
			c.name,
		)
		assert.Zero(t, r.Same, c.name)
		assert.Empty(t, Quotes(before, before, []Case{{Before: &q[0], After: &q[0]}}).Shifts)
	}
}
