package warnings

import (
	"strings"
	"testing"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// mistake is one that an owner makes: what is changed of a sound shop, what is found, and the least change after which
// it is not found any more. Rules of thumb of the trade: common practice, no source, but for that of tax.
type mistake struct {
	name    string
	code    Code
	plant   [][2]string
	want    string // severity, path and a part of the message
	without [][2]string
	lists   bool // with a list of places
}

const oneRow = `{"id": "list", "zones": ["fi"], "by": "order", "rows": [{"charges": [%s]}]}`

func list(charge string) string { return strings.Replace(oneRow, "%s", charge, 1) }

var mistakes = []mistake{
	{"sold to and in no zone", NoMethod, [][2]string{{"store.sells_to.2", `{"country": "LV"}`}},
		"blocks /store/sells_to/2: Latvia: you sell there, and no zone takes it",
		[][2]string{
			{"zones.2.places.1", `{"country": "LV"}`},
			{"store.tax.rates.2", `{"country": "LV", "percent": "21"}`},
		}, false},
	{"sold to and switched off there", NoMethod, [][2]string{{"methods.0.terms", `{"ee": {"enabled": false}}`},
		{"methods.1.terms", `{"ee": {"enabled": false}}`}},
		"blocks /store/sells_to/1: Estonia: you sell there, and no delivery method is offered in Estonia",
		[][2]string{{"methods.1.terms", ""}}, false},
	{"sold to, and only trade customers are served", NoMethod, [][2]string{{"methods.0.needs", `{"groups": ["trade"]}`},
		{
			"methods.1.needs.groups",
			`["trade"]`,
		}},
		"blocks /store/sells_to/0: Finland (such as 00000): you sell there, and no delivery method " +
			"is offered in Finland",
		[][2]string{{"methods.1.needs.groups", ""}}, false},
	{
		"a listed code in no zone",
		UnservedCode,
		[][2]string{{"zones.1.places.0", `{"country": "FI", "postcodes": ["0*"]}`}},
		"blocks /zones/1/places: 1 postcode of Finland is in no zone, such as 21100 Naantali",
		[][2]string{{"zones.1.places.0.postcodes.1", `"21100"`}},
		true,
	},
	{
		"a zone before which others come",
		ZoneUnreachable,
		[][2]string{{"zones.0.places.0", `{"country": "FI", "postcodes": ["00100"]}`},
			{"zones.3", `{"id": "post", "name": "Post", "places": [{"country": "FI", "postcodes": ["00100"]}]}`}},
		"untidy /zones/3: Post: no address gets this zone, because others come before it: 00100 goes to North",
		[][2]string{{"zones.3.places.0.postcodes.0", `"00101"`}},
		false,
	},
	{
		"a zone that takes back all that it takes",
		ZoneUnreachable,
		[][2]string{{"zones.2.except", `[{"country": "EE"}]`}},
		"deters /zones/2: Estonia: no address gets this zone: all that it takes is left out again, so its prices",
		[][2]string{{"zones.2.except", ""}},
		false,
	},
	{"a zone without places", ZoneEmpty, [][2]string{{"zones.3", `{"id": "new", "places": []}`}},
		"untidy /zones/3: New: it has no places", [][2]string{{"zones.3.places.0", `{"country": "NO"}`}}, false},
	{"a zone without a price that a broader one prices", ZoneUnpriced,
		[][2]string{
			{"zones.3", `{"id": "cap", "name": "Capital", "places": [{"country": "FI", "postcodes": ["00*"]}]}`},
		},
		"untidy /zones/3: Capital: no delivery method has a price for it, so buyers there pay the prices of Finland",
		[][2]string{{"zones.3", ""}}, false},
	{"a zone without a price that nothing prices", ZoneUnpriced,
		[][2]string{
			{"zones.3", `{"id": "lv", "name": "Latvia", "places": [{"country": "LV"}]}`},
			{"store.sells_to", ""},
		},
		"blocks /zones/3: Latvia: no delivery method has a price for it, so buyers there are offered nothing, such " +
			"as in Latvia",
		[][2]string{{"zones.3.enabled", `false`}}, false},
	{"two zones that tie", ZonesTie, [][2]string{{"zones.3", `{"id": "tie", "name": "Tie", "places": [{"country": "FI",
		"postcodes": ["97*", "98*"]}]}`}},
		"untidy /zones/0: North: it ties with Tie at 97000, where North counts because it stands first",
		[][2]string{{"zones.3.places.0.postcodes.0", `"95*"`}}, false},
	{"a postcode twice", EntryRepeated, [][2]string{{"zones.0.places.0.postcodes.2", `"96*"`}},
		"untidy /zones/0/places/0: North: FI 96* stands twice in this zone",
		[][2]string{{"zones.0.places.0.postcodes.2", `"95*"`}}, false},
	{
		"a postcode inside another entry",
		EntrySwallowed,
		[][2]string{{"zones.0.places.0.postcodes.2", `"96100 to 96199"`}},
		"untidy /zones/0/places/0: North: FI 96100 to 96199 is inside another entry of this zone",
		[][2]string{{"zones.0.places.0.postcodes.2", `"95100 to 95199"`}},
		false,
	},
	{"a district inside an area", EntrySwallowed, [][2]string{{"zones.3", `{"id": "gb", "name": "Belfast", "places": [
		{"country": "GB", "postcodes": ["BT", "BT1"]}]}`}}, "untidy /zones/3/places/0: Belfast: GB BT1 is inside",
		[][2]string{{"zones.3.places.0.postcodes.1", `"IM1"`}}, false},
	{"a code that no list has", EntryUnlisted, [][2]string{{"zones.0.places.0.postcodes", `["96*", "97000"]`}},
		"untidy /zones/0/places/0: North: FI 97000 is on no list of places",
		[][2]string{{"zones.0.places.0.postcodes.1", `"97100"`}}, true},
	{
		"a surcharge where nothing is delivered",
		SurchargeIdle,
		[][2]string{{"surcharges.0.places.0", `{"country": "NO"}`}},
		"untidy /surcharges/0: Islands: no delivery method that it is for is offered at its places",
		[][2]string{{"surcharges.0.places.1", `{"country": "EE"}`}},
		false,
	},
	{"a surcharge of methods that are off", SurchargeIdle, [][2]string{{"surcharges.0.methods", `["off"]`},
		{
			"methods.2",
			`{"id": "off", "enabled": false, "tables": []}`,
		}}, "untidy /surcharges/0: Islands: its delivery methods are",
		[][2]string{{"surcharges.0.methods.1", `"slow"`}}, false},
	{"an agreed charge where nothing is delivered", AgreedIdle, [][2]string{{"agreed.0.place", `{"country": "NO"}`}},
		"untidy /agreed/0: Hotel: no delivery method that it is for is offered at its place",
		[][2]string{{"agreed.0.place.country", `"EE"`}}, false},
	{"no tax at home", TaxMissing, [][2]string{{"store.tax.rates.0", ""}},
		"loses /store/tax/rates: Prices include tax, and no rate says how much in Finland",
		[][2]string{{"store.tax.prices_include_tax", `false`}}, false},
	// Council Directive 2006/112/EC, article 33: goods sent to a consumer are taxed where they arrive.
	{"no tax in another country of the union", TaxMissing, [][2]string{{"store.tax.rates.1", ""}},
		"loses /store/tax/rates: Prices include tax, and no rate says how much in Estonia",
		[][2]string{{"store.tax.rates.1", `{"group": "EU", "percent": "0"}`}}, false},

	{
		"a method without a price list",
		MethodUnoffered,
		[][2]string{{"methods.2", `{"id": "new", "name": "New", "tables": []}`}},
		"deters /methods/2: New: no buyer is offered this: it has no price list",
		[][2]string{{"methods.2.enabled", `false`}},
		false,
	},
	{"a method that no goods fit", MethodUnoffered, [][2]string{{"methods.2", `{"id": "letter", "name": "Letter",
		"needs": {"weight": {"to": "0.05"}}, "tables": [` + list(`"2.00"`) + `]}`}},
		"deters /methods/2: Letter: no buyer is offered this: no product meets its conditions",
		[][2]string{{"methods.2.needs.weight.to", `"0.1"`}, {"methods.2.enabled", "false"}}, false},
	{"conditions that contradict", MethodUnoffered, [][2]string{{"methods.1.needs.only_classes", `["soft"]`},
		{
			"methods.1.needs.without_classes",
			`["soft"]`,
		}}, "deters /methods/1: Slow parcel: no buyer is offered this: it takes only",
		[][2]string{{"methods.1.needs.without_classes.0", `"hard"`}}, false},
	{
		"a name that says where, and a broader zone",
		OfferedElsewhere,
		[][2]string{{"methods.1.name", `"Slow parcel to Finland"`}},
		"loses /methods/1/name: Slow parcel to Finland: “Slow parcel to Finland” is offered to Estonia too, at the " +
			"prices of Estonia",
		[][2]string{{"methods.1.terms", `{"ee": {"enabled": false}}`}},
		false,
	},
	{"a text that leaves a zone out", OfferedElsewhere, [][2]string{{"methods.1.refused_text", `"Not to North"`}},
		"loses /methods/1/name: Slow parcel: “Not to North” is offered to 96000 too, at the prices of Finland",
		[][2]string{
			{"methods.1.tables.0.zones", `["north", "fi", "ee"]`},
			{"methods.1.tables.0.rows.0.charges", `[null, "5.00", "8.00"]`},
			{"methods.1.tables.0.rows.1.charges", `[null, "4.00", "6.00"]`},
		}, false},
	{"abroad, and offered at home", OfferedElsewhere, [][2]string{{"methods.1.label", `"Parcel abroad"`}},
		"loses /methods/1/name: Slow parcel: “Parcel abroad” is offered to ",
		[][2]string{{"methods.1.terms", `{"fi": {"enabled": false}}`}}, false},
	{
		"terms without a price, where a broader zone has one",
		TermsUnused,
		[][2]string{{"methods.1.terms", `{"north": {"minimum": "9.00"}}`}},
		"loses /methods/1/terms/north: Slow parcel to North: this method has terms here and no price, so buyers get " +
			"the terms",
		[][2]string{{"methods.1.terms", ""}},
		false,
	},
	{
		"terms without a price",
		TermsUnused,
		[][2]string{{"zones.3", `{"id": "lv", "places": [{"country": "LV"}], "enabled": false}`},
			{
				"methods.1.terms",
				`{"lv": {"minimum": "9.00"}}`,
			}},
		"untidy /methods/1/terms/lv: Slow parcel to lv: this method has terms here",
		[][2]string{{"methods.1.terms", ""}},
		false,
	},
	{
		"dearer and slower everywhere",
		MethodDominated,
		[][2]string{{"methods.1.tables.0.rows.0.charges", `["30.00", "40.00"]`},
			{
				"methods.1.tables.0.rows.1.charges",
				`["30.00", "40.00"]`,
			}, {"methods.1.free", ""}, {"methods.1.tables.0.zones.0", `"fi"`}},
		"untidy /methods/1: Slow parcel: it is dearer and slower than Parcel wherever both are offered",
		[][2]string{{"methods.1.days", `{"min": 1, "max": 2, "business": true}`}},
		false,
	},
	{
		"the dearer one takes longer in one zone",
		DaysInverted,
		[][2]string{{"methods.1.tables.0.rows.0.charges.1", `"40.00"`},
			{"methods.1.tables.0.rows.1.charges.1", `"40.00"`}, {"methods.1.free", ""}},
		"untidy /methods/1/days: Slow parcel: to Estonia it is dearer than Parcel and takes longer",
		[][2]string{{"methods.1.terms", `{"ee": {"days": {"min": 1, "max": 2, "business": true}}}`}},
		false,
	},
	{"free from what the method does not take", FreeUnreachable, [][2]string{{"methods.0.free.coupons", ""},
		{"methods.0.needs", `{"subtotal": {"to": "99"}}`}},
		"deters /methods/0/free: Parcel: no order gets free delivery: it needs €100.00 and this method takes up to " +
			"€99.00",
		[][2]string{{"methods.0.needs.subtotal.to", `"100"`}}, false},
	{
		"free from more than fits in a letter",
		FreeUnreachable,
		[][2]string{{"methods.2", `{"id": "letter", "name": "Letter",
		"free": {"subtotal": "60"}, "needs": {"weight": {"to": "0.25"}}, "tables": [` + list(`"2.00"`) + `]}`}},
		"deters /methods/2/free: Letter: no order gets free delivery: it needs €60.00, and goods that weigh up to " +
			"0.25 kg are worth",
		[][2]string{{"methods.2.free.subtotal", `"50"`}},
		false,
	},
	{"free for more items than the list has", FreeUnreachable, [][2]string{{"methods.2", `{"id": "few", "name": "Few",
		"free": {"quantity": 9}, "tables": [{"id": "l", "zones": ["fi"], "by": "quantity", "edges": "up_to", "rows": [
		{"at": "5", "charges": ["4.00"]}]}]}`}},
		"deters /methods/2/free: Few: no order gets free delivery: it needs 9 items and the prices",
		[][2]string{{"methods.2.free.quantity", `5`}}, false},
	{"free for all", FreeAlways, [][2]string{{"methods.0.free.subtotal", `"20"`}},
		"loses /methods/0/free: Parcel: free from €20.00 is always free: the cheapest product costs €20.00",
		[][2]string{{"methods.0.free.subtotal", `"20.01"`}}, false},
	{"free for all orders that it takes", FreeAlways, [][2]string{{"methods.0.needs", `{"subtotal": {"from": "100"}}`}},
		"loses /methods/0/free: Parcel: free from €100.00 is always free: the method takes orders from €100.00",
		[][2]string{{"methods.0.needs.subtotal.from", `"99.99"`}}, false},
	{
		"free in its name, and charged",
		FreeUntrue,
		[][2]string{{"methods.1.label", `"Free from €50"`}, {"methods.1.free", ""}},
		"deters /methods/1/label: Slow parcel: buyers read “Free from €50”, and to Finland it costs €5.00 at €50.00 " +
			"of goods",
		[][2]string{{"methods.1.free", `{"subtotal": "50"}`}},
		false,
	},
	{"gratis, and charged", FreeUntrue, [][2]string{{"methods.1.label", `"Gratis delivery"`}, {"methods.1.free", ""}},
		"deters /methods/1/label: Slow parcel: buyers read “Gratis delivery”, and to Finland it costs €5.00",
		[][2]string{{"methods.1.label", `"Freedom delivery"`}}, false},
	{"an offer that has ended", OfferEnded, [][2]string{{"methods.0.free.available", `{"to": "2026-11-25"}`}},
		"deters /methods/0/free: Parcel: free delivery has ended: it was available until 25 November 2026",
		[][2]string{{"methods.0.free.available.to", `"2026-11-26"`}}, false},
	{"a method that has ended", OfferEnded, [][2]string{{"methods.1.available", `{"to": "2026-11-25"}`}},
		"deters /methods/1/available: Slow parcel: this has ended",
		[][2]string{{"methods.1.available.to", `"2026-11-26"`}}, false},
	{"an offer of another year", OfferNever, [][2]string{{"methods.0.free.available", `{"from": "2062-11-25"}`}},
		"deters /methods/0/free: Parcel: this begins only in more than a year, from 25 November 2062: is the year " +
			"right?",
		[][2]string{{"methods.0.free.available.from", `"2026-12-01"`}}, false},
	{"free while the method is not there", OfferNever, [][2]string{{"methods.0.available", `{"to": "2026-12-01"}`},
		{
			"methods.0.free.available",
			`{"from": "2026-12-02"}`,
		}}, "deters /methods/0/free: Parcel: free delivery is available from 2",
		[][2]string{{"methods.0.free.available.from", `"2026-12-01"`}}, false},
	{"a coupon in two spellings", CouponSpelling, [][2]string{{"methods.1.free.coupons", `["sauna-10"]`}},
		"deters /methods/1: Slow parcel: it spells a coupon “sauna-10” and Parcel “SAUNA10”",
		[][2]string{{"methods.1.free.coupons", `["SAUNA20"]`}}, false},
	{
		"less than the box costs",
		BelowCost,
		[][2]string{{"methods.0.parcels", `{"all_boxes": true}`}, {"methods.0.tables.0.rows.0.charges.1", `"0.50"`}},
		"loses /methods/0/parcels: Parcel to Finland: the box of Towel costs more than delivery",
		[][2]string{{"boxes.0.cost", `"0.50"`}},
		false,
	},
	{
		"less than sending costs, above a break of the costs within the row",
		BelowCost,
		[][2]string{
			{"costs", `[{"id": "post", "methods": ["parcel"], "tables": [{"id": "t", "zones": ["fi"], "by": "weight",
		"edges": "up_to", "rows": [{"at": "1", "charges": ["3.00"]}, {"at": null, "charges": ["6.00"]}]}]}]`},
		},
		"loses /methods/0/tables/0/rows/0/charges/1: Parcel to Finland: 1.001 kg costs you €6.00 to send, which is " +
			"€0.42 more than is left of the price after tax",
		[][2]string{{"methods.0.tables.0.rows.0.charges.1", `"7.60"`}},
		false,
	},
	{
		"less than the carrier asks",
		BelowCost,
		[][2]string{{"carriers", `[{"id": "post", "url": "https://post.example"}]`},
			{
				"methods.1.kind",
				`"carrier"`,
			}, {"methods.1.carrier", `{"id": "post", "services": [{"code": "eco"}], "percent": "-5"}`}},
		"loses /methods/1/carrier: Slow parcel: buyers pay 5 % less than the carrier asks of the shop",
		[][2]string{{"methods.1.carrier.percent", `"0"`}},
		false,
	},
	{
		"no carrier is asked",
		CarrierMissing,
		[][2]string{{"methods.1.kind", `"carrier"`}},
		"deters /methods/1: Slow parcel: no buyer is offered this: it asks no carrier",
		[][2]string{{"methods.1.kind", `"delivery"`}},
		false,
	},
	{
		"nothing stands in for a carrier",
		NoStandIn,
		[][2]string{{"carriers", `[{"id": "post", "url": "https://post.example"}]`},
			{
				"methods.1.kind",
				`"carrier"`,
			}, {"methods.1.carrier", `{"id": "post", "services": [{"code": "eco"}], "fallback": true}`},
			{"methods.1.tables.0.rows", `[{"at": "0", "charges": ["5.00", null]}]`}},
		"deters /methods/1/carrier: Slow parcel to Estonia: no price stands in where the carrier fails",
		[][2]string{{"methods.1.tables.0.rows.0.charges.1", `"5.00"`}},
		false,
	},
	{
		"distances of a shop that is nowhere",
		DistanceUnknown,
		[][2]string{{"methods.1.needs.distance", `{"to": "900"}`}, {"locations.0.lat", ""},
			{
				"locations.0.lon",
				"",
			}},
		"deters /methods/1/from: Slow parcel: where shop lies is not known",
		[][2]string{{"methods.1.needs.distance", ""}},
		false,
	},

	{"a heavier parcel costs less", PriceFalls, [][2]string{{"methods.0.tables.0.rows.1.charges.1", `"6.00"`}},
		"loses /methods/0/tables/0/rows/1/charges/1: Parcel to Finland: at 2 kg the price falls from €7.00 to " +
			"€6.00, so that a heavier parcel costs less",
		[][2]string{{"methods.0.minimum", `"7.00"`}}, false},
	{
		"more items cost less",
		PriceFalls,
		[][2]string{{"methods.2", `{"id": "few", "name": "Few", "tables": [{"id": "l", "zones": ["fi"],
		"by": "quantity", "edges": "from", "rows": [{"at": "0",
		"charges": [{"per_item": "4.00"}]}, {"at": "5", "charges": ["10.00"]}]}]}`}},
		"loses /methods/2/tables/0/rows/1/charges/0: Few to Finland: at 5 items the price falls from €16.00 to €10.00",
		[][2]string{{"methods.2.tables.0.rows.1.charges.0", `"16.00"`}},
		false,
	},
	{
		"a longer way costs less",
		PriceFalls,
		[][2]string{{"methods.2", `{"id": "van", "name": "Van", "tables": [{"id": "l", "zones": ["fi"],
		"by": "distance", "edges": "up_to", "rows": [{"at": "20", "charges": ["9.00"]},
		{"at": "60", "charges": ["5.00"]}]}]}`}},
		"loses /methods/2/tables/0/rows/1/charges/0: Van to Finland: at 20 km the price falls from €9.00 to €5.00, " +
			"so that a longer way",
		[][2]string{{"methods.2.tables.0.rows.1.charges.0", `"9.00"`}},
		false,
	},
	{
		"one price for each of two parcels",
		OwnParcelTwice,
		[][2]string{{"products.3.own_parcel", `true`}, {"methods.2", `{"id": "few", "name": "Few", "tables": [{"id": "l",
		"zones": ["fi"], "by": "order", "rows": [{"at": null, "charges": ["9.00"]}]}]}`}},
		"deters /methods/2/tables/0/per: Few to Finland: two of Ladle are charged its one price twice",
		[][2]string{{"methods.2.tables.0.per", `"order"`}},
		true,
	},
	{
		"nothing between two order values",
		Gap,
		[][2]string{{"methods.2", `{"id": "few", "name": "Few", "tables": [{"id": "l", "zones": ["fi"],
		"by": "subtotal", "edges": "from", "rows": [{"at": "0", "charges": ["9.00"]},
		{"at": "500", "charges": [null]}, {"at": "1000", "charges": ["0"]}]}]}`}},
		"deters /methods/2/tables/0/rows/1/charges/0: Few to Finland: nothing is offered between €500.00 and €1,000.00, " +
			"although there are prices below and above",
		[][2]string{{"methods.2.tables.0.rows.1.charges.0", `"4.00"`}},
		false,
	},
	{
		"nothing between two weights",
		Gap,
		[][2]string{{"methods.2", `{"id": "few", "name": "Few", "tables": [{"id": "l", "zones": ["fi"],
		"by": "weight", "edges": "up_to", "rows": [{"at": "2", "charges": ["4.00"]},
		{"at": "5", "charges": [null]}, {"at": "10", "charges": [null]}, {"at": null, "charges": ["12.00"]}]}]}`}},
		"deters /methods/2/tables/0/rows/1/charges/0: Few to Finland: nothing is offered between 2 kg and 10 kg, although",
		[][2]string{{"methods.2.tables.0.rows.1.charges.0", `"9.00"`}, {"methods.2.tables.0.rows.2.charges.0", `"11.00"`}},
		false,
	},
	{
		"a little more of goods costs much more",
		PriceJumps,
		[][2]string{{"methods.1.tables.0.rows.1.charges.0", `"9.00"`}},
		"deters /methods/1/tables/0/rows/1/charges/0: Slow parcel to Finland: a buyer who adds €0.10 of goods at " +
			"€60.00 pays €4.00 more",
		[][2]string{{"methods.1.tables.0.rows.1.charges.0", `"5.10"`}},
		false,
	},
	{
		"one item more costs more than the item",
		PriceJumps,
		[][2]string{{"methods.2", `{"id": "few", "name": "Few", "tables": [{"id": "l",
		"zones": ["fi"], "by": "quantity", "edges": "up_to", "rows": [{"at": "3", "charges": ["4.00"]},
		{"at": null, "charges": ["24.01"]}]}]}`}},
		"deters /methods/2/tables/0/rows/1/charges/0: Few to Finland: a buyer who adds Cap at €20.00 to 3 items " +
			"pays €20.01 more delivery",
		[][2]string{{"methods.2.tables.0.rows.1.charges.0", `"24.00"`}},
		false,
	},
	{"a row above what the method takes", RowUnreachable, [][2]string{{"methods.0.needs", `{"weight": {"to": "10"}}`}},
		"untidy /methods/0/tables/0/rows/2: Parcel: no order gets to the row above 10 kg: this method takes up to " +
			"10 kg",
		[][2]string{{"methods.0.needs.weight.to", `"10.1"`}}, false},
	{
		"a percentage without a bound",
		PercentOpen,
		[][2]string{
			{"methods.0.tables.0.rows.2.charges.1", `{"base": "14.00", "percent": "2"}`},
			{"methods.0.free", ""},
		},
		"deters /methods/0/tables/0/rows/2/charges/1: Parcel to Finland: 2 % of goods has no bound",
		[][2]string{{"methods.0.maximum", `"60"`}},
		false,
	},
	{
		"a percentage of more than the goods",
		PercentHigh,
		[][2]string{
			{"methods.0.tables.0.rows.2.charges.1", `{"percent": "250"}`},
			{"methods.0.free", ""},
			{"methods.0.maximum", `"99"`},
		},
		"deters /methods/0/tables/0/rows/2/charges/1: Parcel to Finland: 250 % of goods is more than the goods " +
			"cost: is that meant?",
		[][2]string{{"methods.0.tables.0.rows.2.charges.1", `{"base": "14.00", "percent": "2.5"}`}},
		false,
	},
	{
		"a column without a price",
		ColumnEmpty,
		[][2]string{{"methods.1.tables.0.rows.0.charges.1", `null`}, {"methods.1.tables.0.rows.1.charges.1", `null`}},
		"deters /methods/1/tables/0/zones/1: Slow parcel to Estonia: nothing is offered in this column",
		[][2]string{{"methods.1.terms", `{"ee": {"enabled": false}}`}},
		false,
	},

	{"goods that weigh nothing", ProductWeight, [][2]string{{"products.1.weight", ""}, {"products.3.weight", ""}},
		"loses /products/1/weight: Cap, Ladle have no weight, and Parcel looks at weights, where that counts as 0",
		[][2]string{{"store.assumed_weight", `"0.3"`}}, false},
	{
		"goods without a size in boxes",
		ProductSize,
		[][2]string{{"products.1.width", ""}, {"methods.0.parcels", `{"all_boxes": true}`}},
		"untidy /products/1/length: Cap has no size, and Parcel looks at sizes, where that takes no room",
		[][2]string{{"methods.0.parcels", ""}},
		false,
	},
	{
		"goods without a size, billed by volume",
		ProductSize,
		[][2]string{{"products.1.width", ""}, {"methods.0.tables.0.by", `"billed_weight"`}},
		"loses /products/1/length: Cap has no size, and Parcel bills by volume, where that counts as none",
		[][2]string{{"store.volumetric_divisor", ""}},
		false,
	},
	{
		"goods without a class",
		ProductClass,
		[][2]string{{"products.1.class", ""}, {"methods.1.needs.without_classes", `["hard"]`}},
		"deters /products/1/class: Cap has no class, and Slow parcel tells goods apart by class",
		[][2]string{{"methods.1.needs.without_classes", ""}},
		false,
	},
	{
		"goods that nothing takes",
		ProductRefused,
		[][2]string{{"products.4.weight", `"31"`}, {"methods.0.needs", `{"weight": {"to": "30"}}`}},
		"blocks /products/4: Bucket: no delivery method takes it anywhere, so it cannot be ordered",
		[][2]string{{"methods.0.needs.weight.to", `"31"`}},
		false,
	},
	{
		"a class that nobody prices",
		ClassUnpriced,
		[][2]string{{"methods.0.needs", `{"without_classes": ["hard"]}`}, {"methods.1.needs.only_classes", `["soft"]`}},
		"blocks /classes/1: Hard: no delivery method takes and prices goods of this class, so these cannot be " +
			"ordered: Ladle, Bucket",
		[][2]string{{"methods.1.needs.only_classes.1", `"hard"`}},
		false,
	},
	{
		"a class without goods that nobody prices",
		ClassUnpriced,
		[][2]string{{"classes.2", `{"id": "live", "name": "Live"}`},
			{"methods.0.needs", `{"without_classes": ["live"]}`}, {"methods.1.needs.without_classes", `["live"]`}},
		"untidy /classes/2: Live: no delivery method takes and prices goods of this class.",
		[][2]string{{"classes.2", ""},
			{"methods.0.needs", ""}, {"methods.1.needs.without_classes", ""}},
		false,
	},
	{"a box that nothing goes into", BoxUnused, [][2]string{{"methods.0.parcels", `{"all_boxes": true}`},
		{"boxes.1", `{"id": "tiny", "name": "Tiny", "length": "9", "width": "9", "height": "2"}`}},
		"untidy /methods/0/parcels: Parcel: no product goes into Tiny",
		[][2]string{{"boxes.1.length", `"35"`}, {"boxes.1.width", `"30"`}, {"boxes.1.height", `"20"`}}, false},
	{
		"goods that no box takes",
		NoBox,
		[][2]string{{"methods.0.parcels", `{"all_boxes": true}`}, {"products.3.length", `"90"`}},
		"untidy /methods/0/parcels: Parcel: no box takes Ladle: it travels alone",
		[][2]string{{"products.3.own_parcel", `true`}},
		false,
	},

	{
		"nowhere to ship from",
		NoOrigin,
		[][2]string{{"locations.0.ships_from", `false`}},
		"untidy /locations: ",
		[][2]string{{"locations.0.ships_from", `true`}},
		false,
	},
	{
		"no zone",
		NoZones,
		[][2]string{{"zones.0.enabled", "false"}, {"zones.1.enabled", "false"}, {"zones.2.enabled", "false"}},
		"blocks /zones: ",
		[][2]string{{"zones.2.enabled", "true"}},
		false,
	},
	{
		"no goods",
		NoProducts,
		[][2]string{{"products", `[]`}},
		"untidy /products: ",
		[][2]string{{"products.0", `{"sku": "A", "price": "40", "weight": "1"}`}},
		false,
	},
	{
		"no method",
		NoMethods,
		[][2]string{{"methods.0.enabled", `false`}, {"methods.1.enabled", `false`}},
		"blocks /methods: ",
		[][2]string{{"methods.1.enabled", `true`}},
		false,
	},
	{
		"no price",
		NoPrices,
		[][2]string{
			{"methods.0.enabled", `false`},
			{"methods.1.tables.0.rows", `[{"at": "0", "charges": [null, null]}]`},
		},
		"blocks /methods/1/tables: No price is typed yet in Slow parcel",
		[][2]string{{"methods.1.tables.0.rows.0.charges.0", `"5.00"`}},
		false,
	},
}

// places is a short list of places.
func places(t require.TestingT) *gazetteer.Gazetteer {
	g, skipped, err := gazetteer.Read(strings.NewReader("FI\t00100\tHelsinki\t\t\t\t\t\t\t60.17\t24.94\n" +
		"FI\t21100\tNaantali\t\t\t\t\t\t\t60.47\t22.03\nFI\t96100\tRovaniemi\t\t\t\t\t\t\t66.5\t25.7\n" +
		"FI\t97100\tSodankyl\t\t\t\t\t\t\t67.4\t26.6\n"))
	require.NoError(t, err)
	require.Empty(t, skipped)
	return g
}

func TestEachMistakeIsFoundAndItsLeastMendIsEnough(t *testing.T) {
	for _, c := range mistakes {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			var g *gazetteer.Gazetteer
			if c.lists {
				g = places(t)
			}
			r := of(read(t, sound, c.plant...), g)
			check(t, r)
			found := said(r.Warnings, c.code)
			if assert.NotEmpty(t, found, "%v", messages(r.Warnings)) {
				text := found[0].Severity.String() + " " + found[0].Path + ": " + found[0].Message
				assert.True(t, strings.HasPrefix(text, c.want), "%s\nis not\n%s", text, c.want)
			}
			r = of(read(t, sound, append(c.plant, c.without...)...), g)
			check(t, r)
			assert.Empty(t, messages(said(r.Warnings, c.code)))
		})
	}
}

func TestEveryCodeIsTested(t *testing.T) {
	tested := map[Code]bool{
		NoPromises:   true,
		Unpublished:  true,
		NotUpToDate:  true,
		ColumnGone:   true,
		CarrierFails: true,
	}
	for _, c := range mistakes {
		tested[c.code] = true
	}
	for code := range Titles {
		assert.True(t, tested[code], code)
	}
}

// A mend removes its warning, adds none that is worse, and touches nothing but what it says.
func TestMendsMendAndDoNoHarm(t *testing.T) {
	mended := map[Code]bool{}
	for _, c := range mistakes {
		f := read(t, sound, c.plant...)
		r := of(f, nil)
		for _, w := range r.Warnings {
			if w.Mend == nil {
				continue
			}
			mended[w.Code] = true
			after := f.Clone()
			require.NoError(t, w.Mend.Do(after), w.Mend.Text)
			again, faults := store.Read(after.Write())
			require.Empty(t, faults)
			now := of(again, nil)
			check(t, now)
			for _, left := range now.Warnings {
				assert.NotEqual(t, w.Key, left.Key, w.Mend.Text)
				if left.Severity > w.Severity {
					assert.Contains(t, messages(r.Warnings), messages([]Warning{left})[0], w.Mend.Text)
				}
			}
			require.ErrorIs(t, w.Mend.Do(after), ErrMoved, "%s: there is nothing left to mend", w.Mend.Text)
		}
	}
	for _, code := range []Code{EntryRepeated, EntrySwallowed, TermsUnused, FreeUntrue, OfferEnded, RowUnreachable} {
		assert.True(t, mended[code], code)
	}
}

// What is repeated or swallowed may be removed only where nobody notices.
func TestEntriesAreRemovedOnlyWhereNobodyNotices(t *testing.T) {
	f := read(
		t,
		sound,
		[2]string{"zones.0.places.0.postcodes.2", `"96100"`},
		[2]string{
			"zones.3",
			`{"id": "town", "name": "Town", "places": [{"country": "FI", "postcodes": ["96100 to 96109"]}]}`,
		},
	)
	found := said(of(f, nil).Warnings, EntrySwallowed)
	require.Len(t, found, 1)
	assert.Nil(t, found[0].Mend, "without 96100 the town would come first there")
}

func TestTheDemoShopCarriesFourOnPurpose(t *testing.T) {
	f := storetest.Lauha(t)
	r := of(f, nil)
	check(t, r)
	var codes []Code
	for _, w := range r.Warnings {
		codes = append(codes, w.Code)
	}
	assert.Equal(t, []Code{TaxMissing, BelowCost, EntrySwallowed, DaysInverted}, codes, "%v", messages(r.Warnings))
}

// A reading asks nobody outside.
func TestReadingAsksNoCarrier(t *testing.T) {
	e := quote.Compile(storetest.Lauha(t), nil)
	assert.False(t, of(e.Store(), nil).Engine().AsksCarriers())
}
