package quote

import (
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"

	"github.com/stretchr/testify/assert"
)

func TestBuyersAreNotToldCouponsGroupsOrZones(t *testing.T) {
	for _, cause := range []Cause{
		NoCause, NoZone, ZonesUnserved, ZoneAlone, CouponNeeded, GroupNeeded, ClassNotTaken, ClassUnpriced, SwitchedOff,
		CellEmpty, ShopUnknown, PlaceUnknown, NoCarrier,
	} {
		r := Refusal{Cause: cause, Zone: "Secret zone", Names: []string{"SECRET"}, Class: "Secret class",
			Place: "Secret yard"}
		assert.NotContains(t, r.Buyer("Parcel"), "ecret", cause)
		assert.NotContains(t, r.Buyer("Parcel"), "SECRET", cause)
		assert.Contains(t, r.Buyer("Parcel"), "Parcel", "which method it is: %s", cause)
		assert.NotEmpty(t, r.Owner(), cause)
	}
}

func TestALimitSaysByHowMuchAndOfWhat(t *testing.T) {
	units := rate.Units{Weight: "kg", Distance: "km", Digits: 2}
	for _, c := range []struct {
		refusal                     Refusal
		owner, buyer, short, wanted string
	}{
		{
			Refusal{Cause: OverLimit, By: rate.ByWeight, Have: decimal.MustParse("31.2"),
				Limit: decimal.MustParse("30")},
			"too heavy (31.2 kg, limit 30 kg)", "too heavy for Parcel (31.2 kg, limit 30 kg)", "too heavy",
			"up to 30 kg",
		},
		{
			Refusal{Cause: UnderLimit, By: rate.ByQuantity, Have: decimal.FromInt(1), Limit: decimal.FromInt(3)},
			"too few items (1 item, minimum 3 items)", "too few items for Parcel (1 item, minimum 3 items)",
			"too few items",
			"3 items and over",
		},
		{
			Refusal{Cause: OverLimit, By: LongestSide, Have: decimal.FromInt(46), Limit: decimal.FromInt(35)},
			"too long (46 cm, limit 35 cm)", "too long for Parcel (46 cm, limit 35 cm)", "too long", "up to 35 cm",
		},
	} {
		r := c.refusal
		r.units, r.side = units, "cm"
		assert.Equal(t, []string{c.owner, c.buyer, c.short, c.wanted}, []string{r.Owner(), r.Buyer("Parcel"), r.Short(),
			r.Wanted()})
	}
}
