package samples

import (
	"testing"

	"diadrom/internal/core/quote"
	"diadrom/internal/review/promise"
	"diadrom/internal/sqlite"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAPromiseOfWhatTheTillShowsHolds(t *testing.T) {
	f := storetest.Lauha(t)
	e := quote.Compile(f, nil)
	till := sqlite.Till{
		Cart:        []sqlite.CartLine{{SKU: f.Products[0].SKU, Quantity: 1}},
		Destination: "20100 Turku",
		Coupons:     "LÖYLY",
		Group:       "trade",
	}
	q, _, err := Request(e, till)
	require.NoError(t, err)
	option := e.Quote(&q).Options[0]
	p, err := Promise(e, till, Wanted{Holds: promise.Price, Method: option.Method, Amount: option.Charge})
	require.NoError(t, err)
	assert.Equal(t, "1 × "+f.Products[0].Name+" to 20100 Turku", p.Name)
	assert.True(t, p.Check(e).Holds)

	back, err := OfRequest(p.Request, "FI")
	require.NoError(t, err)
	assert.Equal(t, till, back, "it leads back to the Till that it was made of")

	for _, c := range []struct {
		want Wanted
		why  string
	}{
		{Wanted{Holds: promise.Price, Method: option.Method, Amount: "dear"}, "no amount to promise"},
		{Wanted{Holds: promise.Price, Method: option.Method, Amount: "0.01"}, "the quote has changed meanwhile"},
		{Wanted{Holds: promise.Offered, Method: "gone"}, "removed meanwhile"},
		{Wanted{Holds: "for ever"}, "choose what must hold"},
	} {
		_, err := Promise(e, till, c.want)
		require.ErrorContains(t, err, c.why)
	}
	till.Destination = "2110 Turku"
	_, err = Promise(e, till, Wanted{Holds: promise.Zone, Zone: "finland"})
	require.Error(t, err, "an address that cannot be read promises nothing")
}
