package quote

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Three goods of 1 kg that travel each in a parcel of their own. A carrier bills three parcels; a list for the order
// prices 3 kg once.
func TestAListPricesEachParcelOrTheOrder(t *testing.T) {
	three := unit(`,"quantity":3,"own_parcel":true`)
	for _, tt := range []struct {
		name, table, line, want string
	}{
		{"by weight, each parcel", byWeight, three, "15.00"},
		{"said by its word", `"per":"parcel",` + byWeight, three, "15.00"},
		{"by weight, the order is in the row of 3 kg", `"per":"order",` + byWeight, three, "9.00"},
		{"one price, each parcel", `"by":"order","rows":[{"at":null,"charges":["5"]}]`, three, "15.00"},
		{"one price for every order", `"by":"order","per":"order","rows":[{"at":null,"charges":["5"]}]`, three, "5.00"},
		{"a base once and each item", `"by":"order","per":"order","rows":[{"at":null,"charges":[{"base":"5","per_item":"1"}]}]`,
			three, "8.00"},
		{"started kilograms of the sum", `"by":"order","per":"order","rows":[{"at":null,"charges":[{"per_weight":` +
			`{"amount":"2","every":"1","part":"started"}}]}]`, unit(`,"weight":"0.4","quantity":3,"own_parcel":true`), "4.00"},
		{"started kilograms of each", `"by":"order","rows":[{"at":null,"charges":[{"per_weight":` +
			`{"amount":"2","every":"1","part":"started"}}]}]`, unit(`,"weight":"0.4","quantity":3,"own_parcel":true`), "6.00"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			a := parcelAnswer(t, parcelShop(tt.table, ""), tt.line)
			require.Len(t, a.Options, 1)
			assert.Equal(t, tt.want, a.Options[0].Charge)
		})
	}
	a := parcelAnswer(t, parcelShop(`"per":"order",`+byWeight, ""), three)
	assert.Equal(t, "Post, 3 parcels together, 3 kg: row up to and including 30 kg: 9.00", a.Options[0].Steps[0].Text)
	a = parcelAnswer(t, parcelShop(`"per":"order",`+byWeight, ""), unit(`,"weight":"11","quantity":3,"own_parcel":true`))
	assert.Empty(t, a.Options, "each parcel would be carried, 33 kg are not on the list")
}
