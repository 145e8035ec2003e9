package checklist

import (
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
)

// left are the texts of what is left to do.
func left(f *store.File, is Facts) (list []string) {
	for _, i := range Of(f, is) {
		if !i.Done {
			list = append(list, i.Text)
		}
	}
	return list
}

func TestEachItemIsTickedByWhatTheStoreHas(t *testing.T) {
	f := &store.File{}
	assert.Len(t, left(f, Facts{}), 7, "everything is left in an empty shop")
	f.Locations = []store.Location{{ID: "hall", Pickup: true}}
	assert.Contains(t, left(f, Facts{}), "Say where orders are shipped from", "nothing is shipped from where one "+
		"collects")
	f.Locations[0].ShipsFrom = true
	assert.NotContains(t, left(f, Facts{}), "Say where orders are shipped from")

	f.Zones = []store.Zone{{ID: "no", Name: "Norway", Enabled: true}}
	assert.Contains(t, left(f, Facts{}), "Say where you sell", "a zone without places takes nobody")
	f.Zones[0].Places = []place.Rule{{Country: "NO"}}
	f.Products = []store.Product{{SKU: "A", NeedsShipping: true}, {SKU: "B", NeedsShipping: true}, {SKU: "GIFT"}}
	assert.Contains(t, left(f, Facts{}), "Give 2 products a weight")
	one := decimal.One
	f.Products[0].Weight = &one
	assert.Contains(t, left(f, Facts{}), "Give 1 product a weight")
	f.Store.AssumedWeight = &one
	assert.Equal(t, []string{"Add a delivery method", "Type the prices", "Add a promise: a price that must stay as " +
		"it is",
		"Publish"}, left(f, Facts{}))

	f.Methods = []store.Method{{ID: "post", Enabled: true, Tables: []rate.Table{{ID: "list", Zones: []string{"no"},
		By: rate.ByOrder, Rows: []rate.Row{{Charges: []*rate.Charge{nil}}}}}}}
	items := Of(f, Facts{})
	assert.Equal(t, Item{"Type a price for Norway", "/rates/post", false}, items[4])
	f.Methods[0].Tables[0].Rows[0].Charges[0] = &rate.Charge{}
	assert.Equal(t, []string{"Publish"}, left(f, Facts{Promises: true}))
	assert.Empty(t, left(f, Facts{Promises: true, Published: true}))
	f.Zones[0].Enabled = false
	assert.Equal(t, []string{"Say where you sell", "Type the prices"}, left(f, Facts{Promises: true, Published: true}))
}

func TestNothingIsLeftInTheDemoShop(t *testing.T) {
	assert.Empty(t, left(storetest.Lauha(t), Facts{Promises: true, Published: true}))
}
