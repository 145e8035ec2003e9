package store

// Kind is how goods come to the buyer.
type Kind string

// Kinds of methods.
const (
	Delivery    Kind = "delivery" // brought by the shop
	Pickup      Kind = "pickup"   // collected by the buyer
	CarrierKind Kind = "carrier"  // handed to a carrier
)

// Combine is how the tables of a method make one charge.
type Combine string

// How tables combine.
const (
	Together Combine = "together" // one table prices all goods
	Add      Combine = "add"      // each prices its goods, and the amounts are added
	Dearest  Combine = "dearest"  // each prices its goods, and the largest amount counts
)

// WhenRefused is what buyers see of a method whose conditions they do not meet.
type WhenRefused string

// What buyers see.
const (
	Hide WhenRefused = "hide" // nothing
	Tell WhenRefused = "tell" // that it is unavailable, and why
)

// SubtotalCounts is which goods make the order value.
type SubtotalCounts string

// Which goods count.
const (
	Shipped SubtotalCounts = "shipped" // those that need shipping
	All     SubtotalCounts = "all"
)

// DistanceBy is how a distance is measured.
type DistanceBy string

// How distances are measured.
const (
	Straight DistanceBy = "straight" // on the ellipsoid
	ByRoad   DistanceBy = "road"     // as the road service says
)

// ShareOf is what a percentage of a handling fee is taken of.
type ShareOf string

// What handling is taken of.
const (
	OfCharge   ShareOf = "charge"   // the charge so far
	OfSubtotal ShareOf = "subtotal" // the order value
)

// Require is how much of what makes delivery free must be reached.
type Require string

// What free delivery requires.
const (
	RequireAny Require = "any"
	RequireAll Require = "all"
)

// CheckoutOptions is how a checkout shows the options of delivery.
type CheckoutOptions string

// How options are shown.
const (
	OptionsList CheckoutOptions = "list"
	OptionsMenu CheckoutOptions = "menu"
)

// CheckoutAddress is which address a checkout asks for.
type CheckoutAddress string

// Which address is asked for.
const (
	AskDelivery    CheckoutAddress = "delivery"
	AskBilling     CheckoutAddress = "billing"
	AskOnlyBilling CheckoutAddress = "only_billing"
)
