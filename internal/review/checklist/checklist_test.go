package checklist

import (
	"testing"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/review/coverage"
	"diadrom/internal/review/promise"
	"diadrom/internal/review/warnings"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
)

// items is the list of a shop that keeps a promise or not, and where something is live or not.
func items(f *store.File, promised, published bool) []Item {
	e := quote.Compile(f, nil)
	outside := warnings.Outside{Served: true}
	if promised {
		outside.Promises = []promise.Promise{{ID: "a"}}
	}
	if published {
		outside.Live, outside.Published = e, time.Now()
	}
	return Of(f, warnings.Read(warnings.Input{Engine: e, Coverage: coverage.Of(e)}, nil).With(outside))
}

// left are the texts of what is left to do.
func left(f *store.File, promised, published bool) (list []string) {
	for _, i := range items(f, promised, published) {
		if !i.Done {
			list = append(list, i.Text)
		}
	}
	return list
}

func TestEachItemIsTickedByWhatTheStoreHas(t *testing.T) {
	f := &store.File{}
	assert.Len(t, left(f, false, false), 7, "everything is left in an empty shop")
	f.Locations = []store.Location{{ID: "hall", Pickup: true}}
	assert.Contains(
		t,
		left(f, false, false),
		"Say where orders are shipped from",
		"nothing is shipped from where one collects",
	)
	f.Locations[0].ShipsFrom = true
	assert.NotContains(t, left(f, false, false), "Say where orders are shipped from")

	f.Zones = []store.Zone{{ID: "no", Name: "Norway", Enabled: true}}
	assert.Contains(t, left(f, false, false), "Say where you sell", "a zone without places takes nobody")
	f.Zones[0].Places = []place.Rule{{Country: "NO"}}
	f.Products = []store.Product{{SKU: "A", NeedsShipping: true}, {SKU: "B", NeedsShipping: true}, {SKU: "GIFT"}}
	assert.Equal(
		t,
		[]string{"Add a delivery method", "Type the prices", "Add a promise: a price that must stay as it is",
			"Publish"},
		left(f, false, false),
	)

	f.Methods = []store.Method{{ID: "post", Enabled: true, Tables: []rate.Table{{ID: "list", Zones: []string{"no"},
		By: rate.ByWeight, Edges: rate.UpTo, Rows: []rate.Row{{Charges: []*rate.Charge{nil}}}}}}}
	assert.Equal(t, Item{"Type a price for Norway", "/rates/post", false}, items(f, false, false)[4])
	f.Methods[0].Tables[0].Rows[0].Charges[0] = &rate.Charge{}
	assert.Equal(
		t,
		[]string{"Give 2 products a weight", "Publish"},
		left(f, true, false),
		"prices look at what they weigh",
	)
	one := decimal.One
	f.Products[0].Weight = &one
	assert.Contains(t, left(f, false, false), "Give 1 product a weight")
	f.Store.AssumedWeight = &one
	assert.Equal(t, []string{"Publish"}, left(f, true, false))
	assert.Empty(t, left(f, true, true))

	f.Zones = append(
		f.Zones,
		store.Zone{ID: "se", Name: "Sweden", Enabled: true, Places: []place.Rule{{Country: "SE"}}},
	)
	assert.Equal(t, Item{"Type a price for Sweden", "/rates/post", false}, items(f, true, true)[4])
	f.Zones[0].Enabled, f.Zones[1].Enabled = false, false
	assert.Contains(t, left(f, true, true), "Say where you sell")
}

func TestNothingIsLeftInTheDemoShop(t *testing.T) {
	assert.Empty(t, left(storetest.Lauha(t), true, true))
}
