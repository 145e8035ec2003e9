package warnings

// Code names a kind of mistake; it is stable.
type Code string

// The codes.
const (
	// A shop that has only begun.
	NoOrigin    Code = "no_origin"     // no place ships orders
	NoZones     Code = "no_zones"      // no zone takes any address
	NoProducts  Code = "no_products"   // there are no goods
	NoMethods   Code = "no_methods"    // no delivery method is on
	NoPrices    Code = "no_prices"     // no price list has a price
	NoPromises  Code = "no_promises"   // no promise is kept
	Unpublished Code = "unpublished"   // no edition was ever published
	NotUpToDate Code = "not_published" // the draft has been ahead of what is live for long

	// Places.
	NoMethod        Code = "no_method"        // a place that is sold to gets no delivery
	UnservedCode    Code = "unserved_code"    // listed codes of a country that is served are in no zone
	ZoneUnreachable Code = "zone_unreachable" // no address gets a zone
	ZoneEmpty       Code = "zone_empty"       // a zone has no places
	ZoneUnpriced    Code = "zone_unpriced"    // no method has a price for a zone
	ZonesTie        Code = "zones_tie"        // only the order of the file tells which of two zones counts
	EntryRepeated   Code = "entry_repeated"   // a postcode entry stands twice in a zone
	EntrySwallowed  Code = "entry_swallowed"  // a postcode entry lies in another of its zone
	EntryUnlisted   Code = "entry_unlisted"   // no listed code is like a postcode entry
	SurchargeIdle   Code = "surcharge_idle"   // a surcharge on no place that is served
	AgreedIdle      Code = "agreed_idle"      // an agreed charge that holds for nobody
	TaxMissing      Code = "tax_missing"      // prices include tax, and no rate says which

	// Methods.
	MethodUnoffered  Code = "method_unoffered"  // nobody is offered a method
	OfferedElsewhere Code = "offered_elsewhere" // a method is offered where its name or text says otherwise
	ColumnGone       Code = "column_gone"       // a zone lost its prices and gets those of a broader one
	TermsUnused      Code = "terms_unused"      // a method has terms for a zone and no price
	MethodDominated  Code = "method_dominated"  // a method is dearer and slower than another everywhere
	DaysInverted     Code = "days_inverted"     // of two methods the dearer one takes longer in some place
	FreeUnreachable  Code = "free_unreachable"  // no order gets free delivery that is offered
	FreeAlways       Code = "free_always"       // every order gets free delivery
	FreeUntrue       Code = "free_untrue"       // a text or a promise says free, and no rule makes it so
	OfferEnded       Code = "offer_ended"       // the dates of a method or of free delivery have passed
	OfferNever       Code = "offer_never"       // these dates never come
	CouponSpelling   Code = "coupon_spelling"   // two methods spell one coupon in two ways
	BelowCost        Code = "below_cost"        // a method charges less than sending costs
	CarrierMissing   Code = "carrier_missing"   // a method asks no carrier
	CarrierFails     Code = "carrier_fails"     // a carrier gives no prices at present
	NoStandIn        Code = "no_stand_in"       // no price stands in where a carrier fails
	DistanceUnknown  Code = "distance_unknown"  // a method needs distances that cannot be measured

	// Price lists.
	PriceFalls     Code = "price_falls"      // a price falls as the parcel grows
	PriceJumps     Code = "price_jumps"      // a little more of goods costs more delivery than it is worth
	RowUnreachable Code = "row_unreachable"  // no order gets to a row
	PercentOpen    Code = "percent_open"     // a percentage of the goods without a bound
	PercentHigh    Code = "percent_high"     // a percentage above a hundred
	Gap            Code = "gap"              // nothing is offered between two rows of a column that have prices
	OwnParcelTwice Code = "own_parcel_twice" // goods that travel alone are each charged one price that is for a parcel
	ColumnEmpty    Code = "column_empty"     // a column without a price, beside others that have some

	// Goods.
	ProductWeight  Code = "no_weight"       // goods without a weight where a price looks at it
	ProductSize    Code = "no_size"         // goods without a size where a price looks at it
	ProductClass   Code = "no_class"        // goods without a class where prices differ by class
	ProductRefused Code = "product_refused" // no method takes a product anywhere
	ClassUnpriced  Code = "class_unpriced"  // no method has a price for goods of a class
	BoxUnused      Code = "box_unused"      // nothing goes into a box
	NoBox          Code = "no_box"          // no box of a method takes some goods
)

// Titles says of each code what is wrong, in a few words.
var Titles = map[Code]string{
	NoOrigin: "No place ships orders", NoZones: "No zone takes an address", NoProducts: "No products",
	NoMethods: "No delivery method is on", NoPrices: "No price is typed", NoPromises: "No promise is kept",
	Unpublished: "Nothing is published", NotUpToDate: "The draft has waited long",
	NoMethod: "Sold to and not delivered to", UnservedCode: "Postcodes in no zone",
	ZoneUnreachable: "A zone that no address reaches", ZoneEmpty: "A zone without places",
	ZoneUnpriced: "A zone without a price", ZonesTie: "Two zones tie",
	EntryRepeated: "A postcode twice", EntrySwallowed: "A postcode inside another entry",
	EntryUnlisted: "A postcode that no list has", SurchargeIdle: "A surcharge for nobody",
	AgreedIdle: "An agreed charge for nobody", TaxMissing: "No tax where prices include it",
	MethodUnoffered: "A method that nobody is offered", OfferedElsewhere: "Offered where its name says otherwise",
	ColumnGone: "A column that was removed", TermsUnused: "Terms that count for nobody",
	MethodDominated: "Dearer and slower than another", DaysInverted: "The dearer one takes longer",
	FreeUnreachable: "Free delivery that nobody gets", FreeAlways: "Free delivery that everybody gets",
	FreeUntrue: "Said to be free and is not", OfferEnded: "An offer that has ended",
	OfferNever: "An offer that never begins", CouponSpelling: "A coupon spelt in two ways",
	BelowCost: "Charged less than it costs", CarrierMissing: "No carrier is asked",
	CarrierFails: "A carrier that fails", NoStandIn: "No price stands in for the carrier",
	DistanceUnknown: "Distances that cannot be measured", PriceFalls: "A price that falls",
	PriceJumps: "A jump larger than what crosses it", RowUnreachable: "A row out of reach",
	PercentOpen: "A percentage without a bound", PercentHigh: "A percentage above a hundred",
	Gap: "Nothing between two prices", OwnParcelTwice: "One price that is charged twice",
	ColumnEmpty: "A column without a price", ProductWeight: "Goods without a weight",
	ProductSize: "Goods without a size", ProductClass: "Goods without a class",
	ProductRefused: "Goods that nothing takes", ClassUnpriced: "A class that nobody prices",
	BoxUnused: "A box that nothing goes into", NoBox: "Goods that no box takes",
}
