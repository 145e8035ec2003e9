package edit_test

import (
	"testing"

	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func beginning() edit.Beginning {
	return edit.Beginning{
		Shop: edit.Shop{Name: "Mine", Currency: "eur", Weight: "kg", Length: "cm", Distance: "km"}, Country: "Finland",
		From: "21100 Naantali", Sells: "worldwide, Finland, FI 22*, EU", By: rate.ByDistance,
	}
}

// Five answers make a shop that can be priced: where it ships from, zones in order, and a list with a column for each.
func TestFiveAnswersMakeAShop(t *testing.T) {
	f := draft.Empty()
	_, err := edit.Begin(f, nil, beginning())
	require.NoError(t, err)
	require.Len(t, f.Locations, 1)
	l := f.Locations[0]
	assert.Equal(t, []any{"FI", "21100", "Naantali", true}, []any{l.Country, l.Postcode, l.City, l.ShipsFrom})
	var zones []string
	for i := range f.Zones {
		zones = append(zones, f.ZoneName(f.Zones[i].ID))
	}
	assert.Equal(t, []string{"Finland", "Finland 22*", "European Union", "everywhere"}, zones, "the world is last")
	assert.Len(t, f.Store.SellsTo, 4, "where it sells is said, so that warnings know")
	require.Len(t, f.Methods, 1)
	assert.Len(t, f.Methods[0].Tables[0].Zones, 4)
	assert.Equal(t, rate.ByDistance, f.Methods[0].Tables[0].By)
	_, faults := store.Read(f.Write())
	assert.Empty(t, faults)
	_, err = edit.Begin(f, nil, beginning())
	require.ErrorContains(t, err, "begun already")

	f, is := draft.Empty(), beginning()
	is.From, is.Sells = "", ""
	_, err = edit.Begin(f, nil, is)
	require.NoError(t, err)
	assert.Equal(t, "FI", f.Locations[0].Country)
	assert.Len(t, f.Zones, 1, "a shop sells at home unless it says more")
}

func TestAWrongAnswerIsNamed(t *testing.T) {
	for name, c := range map[string]struct {
		change func(*edit.Beginning)
		wrong  edit.BeginningField
		why    string
	}{
		"no name":             {func(b *edit.Beginning) { b.Name = " " }, edit.BeginName, "name"},
		"no country":          {func(b *edit.Beginning) { b.Country = "" }, edit.BeginCountry, "which country"},
		"a country of nobody": {func(b *edit.Beginning) { b.Country = "Atlantis" }, edit.BeginCountry, "Atlantis"},
		"a short postcode":    {func(b *edit.Beginning) { b.From = "2110 Naantali" }, edit.BeginFrom, "5 digits"},
		"two countries":       {func(b *edit.Beginning) { b.From = "EE 10111 Tallinn" }, edit.BeginFrom, "which is it"},
		"one word of three": {func(b *edit.Beginning) { b.Sells = "Finland, Swedden, EU" }, edit.BeginSells,
			"Swedden"},
		"what is left out": {func(b *edit.Beginning) { b.Sells = "EU, not Malta" }, edit.BeginSells,
			"typed into the zone"},
		"by colour": {func(b *edit.Beginning) { b.By = "colour" }, edit.BeginBy, "choose what"},
	} {
		is := beginning()
		c.change(&is)
		wrong, err := edit.Begin(draft.Empty(), nil, is)
		require.ErrorContains(t, err, c.why, name)
		assert.Equal(t, c.wrong, wrong, name)
	}
}

// Ready-made areas of one country are zones of their own, by their names.
func TestANewShopSellsToAreas(t *testing.T) {
	f := draft.Empty()
	_, err := edit.Begin(f, nil, edit.Beginning{Shop: edit.Shop{Name: "Loft", Currency: "USD", Weight: "lb",
		Length: "in", Distance: "mi"}, Country: "US", From: "12 Oak Street, New York, NY 10001",
		Sells: "contiguous US, Alaska and Hawaii, Texas, Channel Islands, world", By: rate.ByWeight})
	require.NoError(t, err)
	var names []string
	for _, z := range f.Zones {
		names = append(names, z.Name)
	}
	assert.Equal(t, []string{"Contiguous United States", "Alaska and Hawaii", "Texas", "Channel Islands",
		"everywhere"}, names)
	assert.Len(t, f.Zones[3].Places, 2)
	assert.Equal(t, "12 Oak Street", f.Locations[0].Street)
}
