package samples

import (
	"strings"
	"testing"

	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/sqlite"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWhatIsPutIntoTheTill(t *testing.T) {
	f := storetest.WithProducts(3)
	var till sqlite.Till
	require.NoError(t, AddProduct(f, &till, "sku-00001"))
	require.NoError(t, AddProduct(f, &till, f.Products[1].Name), "by its name, which makes two of them")
	require.ErrorContains(t, AddProduct(f, &till, "Nothing"), "there is no product")
	assert.Equal(t, []sqlite.CartLine{{SKU: "SKU-00001", Quantity: 2}}, till.Cart)

	for text, why := range map[string]string{"0": "whole number", "1.5": "whole number", "-1": "whole number",
		"x": "whole number"} {
		require.ErrorContains(t, SetLine(f, &till, 0, Quantity, text), why)
	}
	require.NoError(t, SetLine(f, &till, 0, Quantity, "7"))
	assert.Equal(t, int64(7), till.Cart[0].Quantity)
	require.ErrorContains(t, SetLine(f, &till, 1, Quantity, "7"), "not in the cart any more")

	till.Cart = append(till.Cart, sqlite.CartLine{Name: "A parcel", Quantity: 1})
	require.NoError(t, SetLine(f, &till, 1, Price, "2,5"))
	require.NoError(t, SetLine(f, &till, 1, Weight, "0.250"))
	require.ErrorContains(t, SetLine(f, &till, 1, Weight, "heavy"), "write the weight as a number")
	assert.Equal(t, sqlite.CartLine{Name: "A parcel", Quantity: 1, Price: "2.50", Weight: "0.25"}, till.Cart[1])
	require.NoError(t, RemoveLine(&till, 0))
	require.ErrorContains(t, RemoveLine(&till, 1), "not in the cart any more")
	assert.Len(t, till.Cart, 1)
}

func TestWhereTheTillSends(t *testing.T) {
	var till sqlite.Till
	r := typed.Reader{Home: "FI"}
	require.NoError(t, SetDestination(&till, r, "merimasku 21160"))
	assert.Equal(t, "21160 merimasku", till.Destination)
	require.Error(t, SetDestination(&till, r, "2110 Naantali"))
	assert.Equal(t, "21160 merimasku", till.Destination, "what was refused changes nothing")
}

func TestSampleCartsAreKeptOnceForEachName(t *testing.T) {
	till := sqlite.Till{Cart: []sqlite.CartLine{{SKU: "A", Quantity: 1}}}
	carts, err := KeepCart(&till, nil, " A  gift ")
	require.NoError(t, err)
	assert.Equal(t, []sqlite.SampleCart{{ID: "a-gift", Name: "A gift", Lines: till.Cart}}, carts)
	_, err = KeepCart(&till, carts, "a GIFT")
	require.ErrorContains(t, err, "already")
	_, err = KeepCart(&till, make([]sqlite.SampleCart, MaxCarts), "One more")
	require.ErrorContains(t, err, "forget one first")

	var other sqlite.Till
	require.ErrorContains(t, TakeCart(&other, carts, "gone"), "choose a cart")
	require.NoError(t, TakeCart(&other, carts, "a-gift"))
	assert.Equal(t, till.Cart, other.Cart)
	_, err = ForgetCart(carts, "gone")
	require.ErrorContains(t, err, "forgotten already")
	carts, err = ForgetCart(carts, "a-gift")
	require.NoError(t, err)
	assert.Empty(t, carts)
}

func TestWhoBuys(t *testing.T) {
	var till sqlite.Till
	require.NoError(t, SetBuyer(&till, BuyerCoupons, " LÖYLY ,, A 1 "))
	require.NoError(t, SetBuyer(&till, BuyerCustomer, "c-1"))
	require.NoError(t, SetBuyer(&till, BuyerGroup, "trade"))
	assert.Equal(t, sqlite.Till{Coupons: "LÖYLY, A 1", Customer: "c-1", Group: "trade"}, till)
	require.ErrorContains(t, SetBuyer(&till, BuyerGroup, string(make([]byte, 200))), "longer than")
}

func TestUsualDestinations(t *testing.T) {
	r := typed.Reader{Home: "FI"}
	list, err := AddDestination(nil, r, "merimasku 21160")
	require.NoError(t, err)
	list, err = AddDestination(list, r, "Germany, 10115 Berlin")
	require.NoError(t, err)
	assert.Equal(t, []string{"21160 merimasku", "DE 10115 Berlin"}, list, "kept as the Till would write them")
	_, err = AddDestination(list, r, "de 10115 Berlin")
	require.ErrorContains(t, err, "already")
	_, err = AddDestination(list, r, "2110 Naantali")
	require.Error(t, err, "no address")
	_, err = AddDestination(make([]string, MaxDestinations), r, "00100 Helsinki")
	require.ErrorContains(t, err, "remove one first")

	list, err = MoveDestination(list, "DE 10115 Berlin")
	require.NoError(t, err)
	assert.Equal(t, []string{"DE 10115 Berlin", "21160 merimasku"}, list)
	_, err = MoveDestination(list, "gone")
	require.ErrorContains(t, err, "removed already")
	list, err = RemoveDestination(list, "DE 10115 Berlin")
	require.NoError(t, err)
	assert.Equal(t, []string{"21160 merimasku"}, list)
	_, err = RemoveDestination(list, "DE 10115 Berlin")
	require.ErrorContains(t, err, "removed already")
}

// One destination is proposed for each zone that none is in, and each that is proposed lies in its zone.
func TestProposedDestinations(t *testing.T) {
	f := &store.File{Zones: []store.Zone{
		{ID: "aland", Enabled: true, Places: rules(t, place.Rule{Country: "FI"}, "22*")},
		{ID: "finland", Enabled: true, Places: []place.Rule{{Country: "FI"}}},
		{ID: "off", Places: []place.Rule{{Country: "SE"}}},
		{ID: "eu", Enabled: true, Places: []place.Rule{{Group: "EU"}}},
	}}
	taken := func(a place.Address) int {
		switch {
		case a.Country == "FI" && strings.HasPrefix(a.Postcode, "22"):
			return 0
		case a.Country == "FI":
			return 1
		case a.Country == "SE":
			return -1
		}
		return 3
	}
	r := typed.Reader{Home: "FI"}
	list := Proposals(f, r, []string{"00100 Helsinki"}, 100, taken)
	require.Len(t, list, 2, "Finland has one, and what is switched off needs none")
	for i, zone := range []int{0, 3} {
		a, err := r.Address(list[i])
		require.NoError(t, err, "a proposal is what could be typed")
		assert.Equal(t, zone, taken(a), list[i])
	}
	assert.Len(t, Proposals(f, r, []string{"00100 Helsinki"}, 2, taken), 2)
	assert.Empty(t, Proposals(f, r, append(list, "00100 Helsinki"), 100, taken))
}

func rules(t *testing.T, rule place.Rule, postcodes string) []place.Rule {
	t.Helper()
	entry, err := postcode.ParseEntry(rule.Country, postcodes)
	require.NoError(t, err)
	rule.Postcodes = []postcode.Entry{entry}
	return []place.Rule{rule}
}
