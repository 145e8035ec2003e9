package quote

import (
	"encoding/json"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/store"
)

// Answer is what a request gets; docs/model.md describes it. Amounts are decimals written as strings.
type Answer struct {
	Currency      string    `json:"currency"`
	NeedsShipping bool      `json:"needs_shipping"`
	Zones         []Zone    `json:"zones"`
	Measures      Measures  `json:"measures"`
	Options       []Option  `json:"options"`
	Refused       []Refused `json:"refused"`
	Warnings      []Warning `json:"warnings"`
	Message       string    `json:"message"`
	Pending       []Pending `json:"pending,omitempty"`  // methods whose carriers are still being asked
	Checkout      *Checkout `json:"checkout,omitempty"` // of a request for a checkout
	Held          *Held     `json:"quote,omitempty"`    // of a request that is to be held, by a served shop
	// of a request that says in which language the buyer reads: that of the program's own sentences, one of six
	Language string `json:"language,omitempty"`
}

// Held says that an answer is held: until when, and the token with which anybody can verify it.
type Held struct {
	ID      string `json:"id"`
	Expires string `json:"expires"` // RFC 3339
	Token   string `json:"token"`   // a JWS in compact form (RFC 7515)
}

// Zone is a zone that takes the address, with the rule that did.
type Zone struct {
	Zone    string `json:"zone"`
	Level   string `json:"level"`
	Because string `json:"because"`
}

// Measures are those of the shipped goods.
type Measures struct {
	Subtotal string  `json:"subtotal"`
	Weight   string  `json:"weight"`
	Quantity int64   `json:"quantity"`
	Distance *string `json:"distance"`
	Billed   *string `json:"billed_weight,omitempty"` // by the store's volumetric divisor, where it has one
}

// Option is a method that the buyer can choose.
type Option struct {
	Method string `json:"method"`
	// of a method that asks a carrier: the carrier's code for what it is sent by
	Service string      `json:"service,omitempty"`
	Label   string      `json:"label"`
	Kind    store.Kind  `json:"kind"`
	Zone    string      `json:"zone"`
	Charge  string      `json:"charge"`
	Tax     string      `json:"tax"`
	Total   string      `json:"total"`
	Days    *store.Days `json:"days"`
	Dates   *Dates      `json:"dates,omitempty"` // of a request with a moment, to a store that says when orders leave
	Steps   []Step      `json:"steps"`
	Offer   *Offer      `json:"offer,omitempty"` // of a request for a checkout
	Point   string      `json:"point,omitempty"` // the chosen location, where the method is collected there

	Parcels   []Parcel `json:"parcels,omitzero"`    // of a request for them
	Estimated bool     `json:"estimated,omitempty"` // the carrier failed, and the method's tables stand in

	// of a request for costs: what it costs the shop without tax, and what is left of the charge without the tax in it,
	// decimals as strings; null where that is not known
	Cost   json.RawMessage `json:"cost,omitempty"`
	Margin json.RawMessage `json:"margin,omitempty"`

	Costs   *Costs      `json:"-"` // the same as numbers; nil where they are not known, or not asked for
	Amounts Amounts     `json:"-"`
	Free    *store.Free `json:"-"` // the rule of free delivery that counts on the day; nil for none
}

// Amounts are the sums of an option as numbers, in the store's currency.
type Amounts struct{ Charge, Tax, Total decimal.Decimal }

// Dates are the first and the last day on which the goods may arrive, as in ISO 8601, and as buyers read them.
type Dates struct {
	From string `json:"from"`
	To   string `json:"to"`
	Text string `json:"text"`
}

// Step is one line of the breakdown. The amounts of an option's steps add up to its charge.
type Step struct {
	Kind   string `json:"kind"`
	Text   string `json:"text"`
	Amount string `json:"amount"`
	Table  string `json:"-"` // of a table's step: its id,
	Rows   []int  `json:"-"` // and the rows that counted
}

// Kinds of steps.
const (
	StepTable     = "table"
	StepCarrier   = "carrier"  // what a carrier said
	StepAdjusted  = "adjusted" // what the method makes of it
	StepSurcharge = "surcharge"
	StepMinimum   = "minimum"
	StepMaximum   = "maximum"
	StepHandling  = "handling"
	StepAgreed    = "agreed"
	StepFree      = "free"
	StepRounding  = "rounding"
)

// Refused is an enabled method that is not offered. Text is what the customer sees, where the method is to say so.
type Refused struct {
	Method string `json:"method"`
	Code   string `json:"code"`
	Reason string `json:"reason"`
	Text   string `json:"text,omitempty"`

	Why Refusal `json:"-"`
}

// Codes of refusals, in the order in which the first that applies is given.
const (
	OutsideZones = "outside_zones"
	ZoneOnly     = "zone_only"
	NotAvailable = "not_available"
	Needs        = "needs"
	// ParcelTooHeavy is that of a parcel that is heavier than the method's may be.
	ParcelTooHeavy = "parcel"
	NoDistance     = "no_distance"
	NoRate         = "no_rate"
	Carrier        = "carrier"
)

// Warning is something that the owner should know about an answer.
type Warning struct {
	Code    string `json:"code"`
	Message string `json:"message"`
}

// Codes of warnings.
const (
	NoWeight   = "no_weight"   // goods without a weight
	NoSize     = "no_size"     // goods without all three sides, which take no room in a box
	NoBox      = "no_box"      // goods that no box takes, which travel alone
	ParcelsCut = "parcels_cut" // an option has more parcels than are listed
	NotHeld    = "not_held"    // only a served shop has the key with which quotes are held
)
