package edit

import "diadrom/internal/core/store"

// Checkout is a choice of how the shop's checkout asks and shows.
type Checkout string

// Choices of the checkout.
const (
	CheckoutPrices  Checkout = "prices"  // "wait" for no price before the address is complete
	CheckoutOptions Checkout = "options" // a [store.CheckoutOptions]
	CheckoutAddress Checkout = "address" // a [store.CheckoutAddress]
)

// CheckoutOf are a store's choices, those that hold by themselves where it has none.
func CheckoutOf(f *store.File) store.Checkout {
	if f.Store.Checkout != nil {
		return *f.Store.Checkout
	}
	return store.Checkout{Options: store.OptionsList, Address: store.AskDelivery}
}

// SetCheckout sets a choice. What holds by itself is not written out.
func SetCheckout(f *store.File, field Checkout, value string) error {
	set := CheckoutOf(f)
	switch field {
	case CheckoutPrices:
		set.PricesWait = value == "wait"
	case CheckoutOptions:
		set.Options = store.CheckoutOptions(value)
	case CheckoutAddress:
		set.Address = store.CheckoutAddress(value)
	default:
		return Problemf("choose what to change")
	}
	if f.Store.Checkout = nil; set != CheckoutOf(f) {
		f.Store.Checkout = &set
	}
	return nil
}
