package quote

import (
	"math/big"
	"slices"
	"testing"

	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// plainCost is what an option costs the shop in the plain evaluation; nil where that is not known.
func plainCost(file, m obj, zones []plainZone, parcels []plainParcel, distanceFrom func(from string) *big.Rat,
	way plainWayTo) *big.Rat {
	var entry obj
	for _, v := range list(file, "costs") {
		if slices.Contains(texts(v.(obj), "methods"), text(m, "id")) {
			entry = v.(obj)
		}
	}
	sum := new(big.Rat)
	switch {
	case entry != nil:
		zone := ""
		for _, z := range zones {
			for _, t := range list(entry, "tables") {
				if zone == "" && slices.Contains(texts(t.(obj), "zones"), text(z.zone, "id")) {
					zone = text(z.zone, "id")
				}
			}
		}
		billed, outcome := plainTables(file, obj{"tables": entry["tables"], "classes": entry["classes"],
			"volumetric_divisor": m["volumetric_divisor"]}, zone, parcels, distanceFrom)
		if zone == "" || outcome != plainPriced {
			return nil
		}
		sum.Add(billed, new(big.Rat).Mul(ratOr(entry, "per_parcel", "0"), big.NewRat(int64(len(parcels)), 1)))
	case way.said != nil:
		sum.Set(way.said)
	default:
		return nil
	}
	for _, p := range parcels {
		if p.box != nil {
			sum.Add(sum, ratOr(p.box, "cost", "0"))
		}
	}
	return sum
}

// What a carrier bills is a table of its own, with so much for each parcel and the boxes beside.
func TestWhatAnOptionCostsTheShop(t *testing.T) {
	f, faults := store.Read([]byte(`{"format":"diadrom-store/1","store":{"currency":"EUR","tax":{
		"prices_include_tax":true,"rates":[{"country":"FI","percent":"25.5"}]}},
		"boxes":[{"id":"box","length":"40","width":"30","height":"20","cost":"0.60"}],
		"zones":[{"id":"fi","places":[{"country":"FI"}]},{"id":"world","places":[{"world":true}]}],
		"methods":[{"id":"parcel","parcels":{"boxes":["box"]},"tables":[{"id":"t","zones":["world"],"by":"order",
		"rows":[{"charges":["6.90"]}]}]},{"id":"other","tables":[{"id":"t","zones":["world"],"by":"order",
		"rows":[{"charges":["5.00"]}]}]}],
		"costs":[{"id":"post","methods":["parcel"],"per_parcel":"0.35","tables":[{"id":"t","zones":["fi"],"by":"weight",
		"edges":"up_to","rows":[{"at":"2","charges":["3.10"]}]}]}]}`))
	require.Empty(t, faults)
	e := Compile(f, nil)
	costs := func(to, weight string, asked bool) (parcel, other [2]string) {
		a := ask(t, e, obj{"to": obj{"country": to}, "costs": asked, "lines": []any{obj{"weight": weight,
			"length": "10", "width": "10", "height": "5", "price": "20", "quantity": 1.0}}})
		return [2]string{string(a.Options[0].Cost), string(a.Options[0].Margin)},
			[2]string{string(a.Options[1].Cost), string(a.Options[1].Margin)}
	}
	parcel, other := costs("FI", "1", true)
	assert.Equal(t, [2]string{`"4.05"`, `"1.45"`}, parcel, "3.10 + 0.35 + 0.60; 6.90 less 1.40 of tax less 4.05")
	assert.Equal(t, [2]string{"null", "null"}, other, "nothing says what it costs")
	parcel, _ = costs("FI", "3", true)
	assert.Equal(t, [2]string{"null", "null"}, parcel, "above 2 kg there is a gap")
	parcel, _ = costs("SE", "1", true)
	assert.Equal(t, [2]string{"null", "null"}, parcel, "no zone of the carrier's takes Sweden")
	parcel, _ = costs("FI", "1", false)
	assert.Equal(t, [2]string{"", ""}, parcel, "only to those who ask")
}
