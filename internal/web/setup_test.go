package web

import (
	"context"
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"diadrom/internal/shop/draft"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A new shop says where it is, and from then on distances are measured from there.
func TestPlacesOfTheShop(t *testing.T) {
	s := opened(t, draft.Empty(), false)
	_, body := s.get("/")
	holds(t, body, "<h1>Shop</h1>", `id="place-name"`)
	status, body := s.post("/shop/places", "name", "Workshop", "address", "2110")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, `value="Workshop"`, `value="2110"`, "slip-note")
	status, body = s.post("/shop/places", "name", "Workshop", "address", "Finland 21100 Naantali")
	require.Equal(t, http.StatusOK, status, body)
	require.Len(t, s.draft.State().File.Locations, 1)
	id := s.draft.State().File.Locations[0].ID
	set := func(field, value string) (int, string) {
		return s.post("/shop/places/"+id, "field", field, "value", value)
	}
	for field, typed := range map[string]string{"point": "91 22", "postcode": "21", "country": "Atlantis", "name": ""} {
		status, body := set(field, typed)
		assert.Equal(t, http.StatusUnprocessableEntity, status, field)
		holds(t, body, `value="`+typed+`"`, `id="slip-`+id+`"`, `aria-describedby="slip-`+id+`"`)
	}
	for field, typed := range map[string]string{"point": "60.4674, 22.026", "street": "Verstaskuja 3",
		"hours": "Mon–Fri 10–18", "ships_from": "on", "pickup": "on"} {
		status, body := set(field, typed)
		assert.Equal(t, http.StatusOK, status, body)
	}
	l := s.draft.State().File.Locations[0]
	assert.Equal(t, "60.4674 22.026", l.Lat.String()+" "+l.Lon.String())
	assert.True(t, l.ShipsFrom && l.Pickup)
	assert.Equal(t, "Mon–Fri 10–18", l.Hours)
	_, _ = set("pickup", "")
	assert.False(t, s.draft.State().File.Locations[0].Pickup, "a box that is not ticked sends nothing")
	status, _ = s.post("/shop/places/gone", "field", "name", "value", "x")
	assert.Equal(t, http.StatusUnprocessableEntity, status)

	demo := lauha(t)
	status, body = demo.post("/shop/places/workshop/remove")
	assert.Equal(t, http.StatusUnprocessableEntity, status, "methods collect there")
	holds(t, body, "Collect at the workshop", "slip-note")
	assert.NotNil(t, demo.draft.State().File.Location("workshop"))
}

func TestTaxIsTyped(t *testing.T) {
	s := lauha(t)
	status, body := s.post("/shop/tax", "tax", "Norway")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, `value="Norway"`)
	status, body = s.post("/shop/tax", "tax", "Norway 25 %")
	require.Equal(t, http.StatusOK, status, body)
	holds(t, body, "<b>Norway</b>")
	status, body = s.post("/shop/tax/rate", "places", "Norway", "value", "a lot")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, `value="a lot"`)
	_, body = s.post("/shop/tax/rate", "places", "Norway", "value", "15")
	holds(t, body, `value="15"`)
	_, body = s.post("/shop/tax/included", "included", "no")
	holds(t, body, `<option value="no" selected>`)
	assert.False(t, s.draft.State().File.Store.Tax.PricesIncludeTax)
	_, body = s.post("/shop/tax/remove", "places", "Norway")
	assert.NotContains(t, body, "<b>Norway</b>")
	_, _ = s.post("/undo")
	_, body = s.get("/shop")
	holds(t, body, "<b>Norway</b>")
}

func TestUsualDestinationsAreKeptAndProposed(t *testing.T) {
	s := lauha(t)
	status, body := s.post("/shop/destinations", "to", "0010 Helsinki")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, `value="0010 Helsinki"`)
	status, body = s.post("/shop/destinations", "to", "33100 Tampere")
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "<b>33100 Tampere</b>")
	_, body = s.get("/quotes")
	holds(t, body, "33100 Tampere")
	_, body = s.post("/shop/destinations/remove", "line", "33100 Tampere")
	assert.NotContains(t, body, "<b>33100 Tampere</b>")
	status, _ = s.post("/shop/destinations/remove", "line", "33100 Tampere")
	assert.Equal(t, http.StatusUnprocessableEntity, status)

	_, _ = s.post("/zones", "places", "Iceland")
	_, body = s.get("/shop")
	holds(t, body, `Add <b class="num">Iceland</b>`)

	// Of changes at once, none is lost, and the sample carts stay.
	carts, before, err := s.db.Samples(context.Background())
	require.NoError(t, err)
	var all sync.WaitGroup
	for _, code := range []string{"33200", "33210", "33230", "33240", "33250", "33270"} {
		all.Go(func() { s.post("/shop/destinations", "to", code) })
	}
	all.Wait()
	after, destinations, err := s.db.Samples(context.Background())
	require.NoError(t, err)
	assert.Len(t, destinations, len(before)+6)
	assert.Equal(t, carts, after)
}

// What is typed on the page of extras is in the next quote.
func TestExtrasArePriced(t *testing.T) {
	s := lauha(t)
	status, body := s.post("/extras/surcharges", "name", "Archipelago", "places", "FI 2x")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, `value="Archipelago"`, `value="FI 2x"`)
	status, body = s.post("/extras/surcharges", "name", "Archipelago", "places", "FI 21160")
	require.Equal(t, http.StatusOK, status, body)
	holds(t, body, "It adds nothing yet", `<a href="/rates" class="here wrong" aria-current="page">`)
	status, body = s.post("/extras/surcharges/archipelago", "field", "amount", "value", "much")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, `value="much"`, "slip-note")
	_, body = s.post("/extras/surcharges/archipelago", "field", "amount", "value", "1.10")
	holds(t, body, "Archipelago", "€8.00") // the Till: 6.90 and 1.10
	_, _ = s.post("/extras/surcharges/archipelago", "field", "methods", "value", "Freight")
	_, _ = s.post("/methods/freight/switch", "field", "enabled")
	_, body = s.get("/extras")
	holds(t, body, "No delivery method that is on uses this surcharge, so nobody pays it.")
	_, _ = s.post("/extras/surcharges/archipelago", "field", "methods", "value", "")
	_, body = s.post("/extras/surcharges/archipelago", "field", "percent", "value", "10")
	holds(t, body, "€8.69")
	_, body = s.post("/extras/surcharges/archipelago/remove")
	assert.NotContains(t, body, `value="Archipelago"`)
	holds(t, body, "€6.90")

	status, body = s.post("/extras/agreed", "name", "Guild", "amount", "3.00")
	assert.Equal(t, http.StatusUnprocessableEntity, status, "with nobody it is agreed with")
	holds(t, body, `value="Guild"`, `value="3.00"`)
	status, body = s.post("/extras/agreed", "name", "Guild", "amount", "3.00", "group", "guild")
	require.Equal(t, http.StatusOK, status, body)
	_, body = s.post("/till/buyer", "field", "group", "value", "guild")
	holds(t, body, "€3.00")
	status, body = s.post("/extras/agreed/guild", "field", "group", "value", "")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "slip-note")
	_, body = s.post("/extras/agreed/guild", "field", "methods", "value", "Parcel to the door")
	holds(t, body, `value="Parcel to the door"`)
	assert.Equal(t, []string{"parcel"}, s.draft.State().File.Agreed[1].Methods)
	_, body = s.post("/extras/agreed/guild/remove")
	assert.NotContains(t, body, `value="Guild"`)
}

// A new shop is asked five things, and what is left to do stands on every page until all of it is done.
func TestTheFirstHour(t *testing.T) {
	s := opened(t, draft.Empty(), false)
	_, body := s.get("/shop")
	holds(t, body, "A new shop", `hx-post="/shop/begin"`, "0 of 7 done",
		`<a href="/shop">Say where orders are shipped from</a>`)
	answers := []string{"name", "Mine", "country", "Finland", "from", "2110 Naantali", "currency", "EUR", "weight",
		"kg",
		"length", "cm", "distance", "km", "sells", "Finland, Swedden", "by", "weight"}
	status, body := s.post("/shop/begin", answers...)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, `value="Mine"`, `value="2110 Naantali"`, `value="Finland, Swedden"`, `id="begin-slip"`)
	answers[5] = "21100 Naantali"
	status, body = s.post("/shop/begin", answers...)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "Swedden")
	assert.Empty(t, s.draft.State().File.Locations, "half a shop is none")
	answers[15] = "Finland, Sweden"
	status, body = s.post("/shop/begin", answers...)
	require.Equal(t, http.StatusOK, status, body)
	assert.NotContains(t, body, "A new shop")
	holds(t, body, "3 of 7 done", `<a href="/goods">Enter the products</a>`)

	_, _ = s.post("/goods", "name", "Towel", "price", "10", "weight", "0.5", "sku", "T-1")
	_, body = s.post("/rates/delivery/list/cell", "zone", "finland", "at", "", "was", "no", "text", "5.00")
	holds(t, body, "Type a price for Sweden", `href="/rates/delivery"`)
	_, body = s.post("/rates/delivery/list/cell", "zone", "sweden", "at", "", "was", "no", "text", "9.00")
	holds(t, body, "5 of 7 done")
	_, _ = s.post("/undo")
	_, body = s.get("/zones")
	holds(t, body, "4 of 7 done")
	_, body = lauha(t).get("/zones")
	holds(t, body, `<div id="todo" class="todo"></div>`)
}

// The list of places of the shop's country comes along, so that a distance is measured in a shop that was empty: from
// Naantali to Helsinki.
func TestADistancePriceFromAnEmptyShop(t *testing.T) {
	s := opened(t, draft.Empty(), false)
	status, body := s.post("/shop/begin", "name", "Mine", "country", "Finland", "from", "21100 Naantali", "currency",
		"EUR",
		"weight", "kg", "length", "cm", "distance", "km", "sells", "Finland", "by", "distance")
	require.Equal(t, http.StatusOK, status, body)
	require.Eventually(t, func() bool {
		_, body = s.get("/shop")
		return strings.Contains(body, "from the lists of places")
	}, 30*time.Second, 100*time.Millisecond)
	assert.NotContains(t, body, "being loaded")
	_, body = s.post("/rates/delivery/list/cell", "zone", "finland", "at", "", "was", "no", "text", "1 per km")
	assert.NotContains(t, body, "no distance can be measured")
	_, body = s.post("/till/destination", "to", "00100 Helsinki")
	charge := regexp.MustCompile(`charge">€([0-9.]+)<`).FindStringSubmatch(body)
	require.NotNil(t, charge, body)
	km, err := strconv.ParseFloat(charge[1], 64)
	require.NoError(t, err)
	assert.InDelta(t, 162, km, 8, "about 160 km in a straight line, from memory")
	lists, err := s.db.PlaceLists(context.Background())
	require.NoError(t, err)
	require.Len(t, lists, 1)
	_, _ = s.post("/shop/places", "name", "Second", "address", "20100 Turku")
	lists, err = s.db.PlaceLists(context.Background())
	require.NoError(t, err)
	assert.Len(t, lists, 1, "a list comes once")
}
