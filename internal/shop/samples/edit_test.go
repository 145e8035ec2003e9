package samples

import (
	"testing"

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
