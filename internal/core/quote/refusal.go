package quote

import (
	"strings"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
)

// Cause is what a method is refused for, within a refusal's code.
type Cause string

// The causes. Those of a limit carry what the order has and the limit.
const (
	NoCause       Cause = ""
	NoZone        Cause = "no_zone"         // no zone takes the address
	ZonesUnserved Cause = "zones_unserved"  // no table serves the zones that take it
	ZoneAlone     Cause = "zone_alone"      // a narrower zone takes the address for itself alone
	OverLimit     Cause = "over_limit"      // a condition's upper bound, or the end of a price list
	UnderLimit    Cause = "under_limit"     // a condition's lower bound
	OutsidePeriod Cause = "outside_period"  // the method is not available on that day
	CouponNeeded  Cause = "coupon_needed"   //
	GroupNeeded   Cause = "group_needed"    //
	ClassNotTaken Cause = "class_not_taken" //
	ClassUnpriced Cause = "class_unpriced"  // no table prices goods of a class
	SwitchedOff   Cause = "switched_off"    // in the zone
	CellEmpty     Cause = "cell_empty"      // the price list has no price there
	ShopUnknown   Cause = "shop_unknown"    // nobody knows where goods leave from
	PlaceUnknown  Cause = "place_unknown"   // nobody knows where the address is
	NoCarrier     Cause = "no_carrier"      //
	// CarrierFailed is that of a carrier that gave no answer that can be used: its name, and why.
	CarrierFailed Cause = "carrier_failed"
	// CarrierUnpriced is that of a carrier that names no price.
	CarrierUnpriced Cause = "carrier_unpriced"
)

// What limits may be on beside the measures of tables.
const (
	LongestSide  rate.By = "longest_side"  // of any of the goods
	ParcelWeight rate.By = "parcel_weight" // of each parcel, its box included
	GirthMeasure rate.By = "girth"         // of each parcel: see [Girth]
)

// Refusal is why a method is not offered, in values. Its words for the owner and for the buyer are made of it
// by [Refusal.Owner] and [Refusal.Buyer].
type Refusal struct {
	Code  string
	Cause Cause
	By    rate.By         // what is limited
	Have  decimal.Decimal // what the order, or the parcel, has of it
	Limit decimal.Decimal // which still fits
	Zone  string          // name of the zone that the method serves, or that keeps the address
	Names []string        // zones, coupons, groups or classes, as they are called
	Class string          // of the goods, as it is called; "" for none
	Place string          // of the shop, from which the method's goods leave
	When  calendar.Period // when the method is available
	Fell  string          // the carrier that failed, and why, where the tables that stand in refuse
	units rate.Units
	side  string // unit of length
}

// too says how an order passes a limit.
var too = map[rate.By][2]string{
	rate.ByWeight:   {"too light", "too heavy"},
	rate.ByBilled:   {"too light", "too heavy by its volume"},
	rate.BySubtotal: {"order value too low", "order value too high"},
	rate.ByQuantity: {"too few items", "too many items"},
	rate.ByDistance: {"too near", "too far"},
	ParcelWeight:    {"a parcel too light", "a parcel too heavy"},
	GirthMeasure:    {"a parcel too small", "a parcel too large"},
	LongestSide:     {"too short", "too long"},
}

// Short says in a few words why a method is not offered, for a narrow column.
func (r *Refusal) Short() string {
	switch r.Cause {
	case OverLimit:
		return too[r.By][1]
	case UnderLimit:
		return too[r.By][0]
	case NoZone, ZonesUnserved:
		return "not there"
	case ZoneAlone:
		return "zone keeps it"
	case OutsidePeriod:
		return "not on this day"
	case CouponNeeded:
		return "needs a coupon"
	case GroupNeeded:
		return "other customers"
	case ClassNotTaken:
		return "class not taken"
	case ShopUnknown, PlaceUnknown:
		return "distance unknown"
	case NoCarrier:
		return "no carrier"
	case CarrierFailed:
		return "carrier failed"
	}
	return "no price"
}

// Wanted says what would fit where a limit is passed: "up to 2 kg", "€20.00 and over"; "" for other causes.
func (r *Refusal) Wanted() string {
	switch r.Cause {
	case OverLimit:
		return "up to " + r.measure(r.Limit)
	case UnderLimit:
		return r.measure(r.Limit) + " and over"
	}
	return ""
}

func (r *Refusal) measure(d decimal.Decimal) string {
	switch r.By {
	case LongestSide, GirthMeasure:
		return d.String() + " " + r.side
	case rate.ByBilled:
		return r.units.Measure(r.By, d.Round(3))
	case ParcelWeight:
		return r.units.Measure(rate.ByWeight, d)
	}
	return r.units.Measure(r.By, d)
}

// Owner says why a method is not offered, as the owner of the shop reads it beside the method's name.
func (r *Refusal) Owner() string {
	switch r.Cause {
	case NoZone:
		return "no zone takes this address"
	case ZonesUnserved:
		return "not offered to " + strings.Join(r.Names, " or ") + ", which takes this address"
	case ZoneAlone:
		return r.Names[0] + " takes this address for itself alone; this method serves it from " + r.Zone
	case OverLimit, UnderLimit:
		return r.limit("")
	case OutsidePeriod:
		return "available only " + r.When.String()
	case CouponNeeded:
		return "needs one of the coupons " + strings.Join(r.Names, ", ")
	case GroupNeeded:
		return "is for customers of the group " + strings.Join(r.Names, ", ")
	case ClassNotTaken:
		if len(r.Names) > 0 {
			return "has goods " + r.class() + "; this method takes only " + strings.Join(r.Names, ", ")
		}
		return "has goods " + r.class() + ", which this method does not take"
	case ClassUnpriced:
		return "no price list of this method has goods " + r.class() + " for " + r.Zone
	case SwitchedOff:
		return "switched off in " + r.Zone
	case CellEmpty:
		return "not offered to " + r.Zone
	case ShopUnknown:
		if r.Place != "" {
			return "needs the distance, and we do not know where " + r.Place + " is, from where it leaves: " +
				"give that place a postcode or a point"
		}
		return "needs the distance, and we do not know where this shop ships from: give that place a " +
			"postcode or a point"
	case PlaceUnknown:
		return "needs the distance, and we do not know where this address is"
	case CarrierFailed:
		return "the carrier gave no price: " + strings.Join(r.Names, " ")
	case CarrierUnpriced:
		return r.Names[0] + " names no price for these parcels to this address"
	}
	return "the carrier gave no price: no carrier is connected"
}

// Buyer says why a method is not offered, as a buyer reads it: label is what they call the method.
func (r *Refusal) Buyer(label string) string {
	switch r.Cause {
	case NoZone, ZonesUnserved, ZoneAlone, SwitchedOff, CellEmpty, ClassUnpriced, CarrierUnpriced:
		return label + " is not available for this order at this address"
	case OverLimit, UnderLimit:
		return r.limit(label)
	case OutsidePeriod:
		return label + " is available only " + r.When.String()
	case CouponNeeded:
		return label + " needs a coupon"
	case GroupNeeded:
		return label + " is for other customers"
	case ClassNotTaken:
		return label + " does not take all of these goods"
	case ShopUnknown, PlaceUnknown:
		return "we do not know how far this address is for " + label
	}
	return label + " is not available at the moment"
}

// limit says which limit the order passes, and by what: "too heavy for Letter (31.2 kg, limit 30 kg)".
func (r *Refusal) limit(label string) string {
	text, bound := too[r.By][1], "limit "
	if r.Cause == UnderLimit {
		text, bound = too[r.By][0], "minimum "
	}
	switch {
	case label != "": // buyers know no zones
		text += " for " + label
	case r.Zone != "":
		text += " to " + r.Zone
	}
	return text + " (" + r.measure(r.Have) + ", " + bound + r.measure(r.Limit) + ")"
}

func (r *Refusal) class() string {
	if r.Class == "" {
		return "without a class"
	}
	return "of class " + r.Class
}
