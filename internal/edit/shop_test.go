package edit_test

import (
	"testing"

	"diadrom/internal/core/place"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/core/typed"
	"diadrom/internal/edit"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var finnish = typed.Reader{Home: "FI"}

func TestPlacesOfTheShop(t *testing.T) {
	f := &store.File{}
	id, err := edit.AddLocation(f, "Workshop", "21100 Naantali", finnish)
	require.NoError(t, err)
	assert.Equal(t, store.Location{
		ID: "workshop", Name: "Workshop", Country: "FI", Postcode: "21100", City: "Naantali", ShipsFrom: true,
	}, *f.Location(id))
	other, err := edit.AddLocation(f, "Market hall", "", finnish)
	require.NoError(t, err)
	assert.False(t, f.Location(other).ShipsFrom, "only the first one ships by itself")
	_, err = edit.AddLocation(f, "Hall", "2110 Naantali", finnish)
	require.Error(t, err)

	for _, c := range []struct {
		field       edit.LocationField
		typed, want string
	}{
		{edit.LocationPoint, "60.4674, 22.0260", "60.4674 22.026"},
		{edit.LocationStreet, " Telakkakatu  3 ", "Telakkakatu 3"},
		{edit.LocationHours, "Mon–Fri 10–17", "Mon–Fri 10–17"},
		{edit.LocationCountry, "finland", "FI"},
		{edit.LocationPickup, "on", "true"},
	} {
		require.NoError(t, edit.SetLocation(f, id, c.field, c.typed), c.field)
		l := f.Location(id)
		have := map[edit.LocationField]func() string{
			edit.LocationPoint:   func() string { return l.Lat.String() + " " + l.Lon.String() },
			edit.LocationStreet:  func() string { return l.Street },
			edit.LocationHours:   func() string { return l.Hours },
			edit.LocationCountry: func() string { return l.Country },
			edit.LocationPickup:  func() string { return map[bool]string{true: "true"}[l.Pickup] },
		}[c.field]()
		assert.Equal(t, c.want, have)
	}
	for field, text := range map[edit.LocationField]string{
		edit.LocationPoint: "91 22", edit.LocationPostcode: "2110", edit.LocationCountry: "Nowhere",
		edit.LocationName: " ",
	} {
		assert.Error(t, edit.SetLocation(f.Clone(), id, field, text), field)
	}
	require.NoError(t, edit.SetLocation(f, id, edit.LocationName, "Workshop"))
	require.NoError(t, edit.SetLocation(f, id, edit.LocationPoint, ""))
	assert.Nil(t, f.Location(id).Lat, "the lists of places say where it is")
	require.ErrorContains(t, edit.SetLocation(f, "gone", edit.LocationName, "X"), "removed meanwhile")

	f.Methods = []store.Method{{ID: "van", Name: "Van", From: id}}
	f.Zones = []store.Zone{{ID: "near", Name: "Near", Places: []place.Rule{{Within: &place.Within{Location: id}}}}}
	require.ErrorContains(t, edit.RemoveLocation(f, id), "Workshop is used by Van, Near: change that first")
	require.NoError(t, edit.RemoveLocation(f, other))
	assert.Len(t, f.Locations, 1)
}

func TestTaxIsTypedAsZonesAre(t *testing.T) {
	f := &store.File{}
	for _, text := range []string{"Finland 25.5 %", "FI 22* 0", "EU 21,5%"} {
		require.NoError(t, edit.AddTax(f, finnish, text), text)
	}
	var have []string
	for i := range f.Store.Tax.Rates {
		r := &f.Store.Tax.Rates[i]
		have = append(have, edit.TaxWords(r)+" "+r.Percent.String())
	}
	assert.Equal(t, []string{"Finland 25.5", "FI 22* 0", "European Union 21.5"}, have)
	require.ErrorContains(t, edit.AddTax(f, finnish, "FI 24 %"), "has a rate already, 25.5 %")
	require.NoError(t, edit.SetTax(f, "Finland", "24"))
	assert.Len(t, f.Store.Tax.Rates, 3, "a place has one rate")
	require.NoError(t, edit.SetTax(f, "Finland", "10 %"))
	assert.Equal(t, "10", f.Store.Tax.Rates[0].Percent.String())
	for text, why := range map[string]string{
		"Finland":               "where and how much",
		"Finland 300 %":         "more than the price itself",
		"Nowhereland 5":         "We don't know",
		"Finland, not FI 22* 5": "no exceptions",
		"25.5 %":                "where and how much",
	} {
		require.ErrorContains(t, edit.AddTax(f, finnish, text), why, text)
	}
	require.ErrorContains(t, edit.SetTax(f, "Sweden", "10"), "removed meanwhile")
	require.NoError(t, edit.RemoveTax(f, "FI 22*"))
	assert.Len(t, f.Store.Tax.Rates, 2)
}

func extras(t *testing.T) *store.File {
	f, faults := store.Read([]byte(`{"format":"diadrom-store/1","store":{"currency":"EUR"},
		"zones":[{"id":"fi","places":[{"country":"FI"}]}],
		"methods":[{"id":"post","name":"Post"},{"id":"van","name":"Our van","label":"By van"}]}`))
	require.Empty(t, faults)
	return f
}

func TestSurcharges(t *testing.T) {
	f := extras(t)
	require.NoError(t, edit.AddSurcharge(f, finnish, "Far north", "FI 99*, not FI 99800"))
	s := &f.Surcharges[0]
	for _, c := range []struct {
		field       edit.SurchargeField
		typed, text string
	}{
		{edit.SurchargeAmount, "4", "4.00"},
		{edit.SurchargePercent, "5 %", "5"},
		{edit.SurchargeMethods, "by VAN; post", "Our van; Post"},
		{edit.SurchargePlaces, "Lapland, FI 98100", "FI-10, FI 98100"},
		{edit.SurchargeName, "North", "North"},
	} {
		require.NoError(t, edit.SetSurcharge(f, finnish, "far-north", c.field, c.typed), c.field)
		assert.Equal(t, c.text, edit.SurchargeText(f, finnish, s, c.field))
		require.NoError(t, edit.SetSurcharge(f, finnish, "far-north", c.field, c.text), "what is shown reads back")
		assert.Equal(t, c.text, edit.SurchargeText(f, finnish, s, c.field))
	}
	for field, text := range map[edit.SurchargeField]string{
		edit.SurchargeAmount: "much", edit.SurchargePlaces: "", edit.SurchargeMethods: "Ship",
		edit.SurchargePercent: "x",
	} {
		assert.Error(t, edit.SetSurcharge(f, finnish, "far-north", field, text), field)
	}
	require.NoError(t, edit.SetSurcharge(f, finnish, "far-north", edit.SurchargeMethods, "all"))
	assert.Empty(t, s.Methods)
	_, faults := store.Read(f.Write())
	assert.Empty(t, faults)
	edit.RemoveSurcharge(f, "far-north")
	assert.Empty(t, f.Surcharges)
	require.ErrorContains(t, edit.SetSurcharge(f, finnish, "far-north", edit.SurchargeName, "X"), "removed meanwhile")
}

func TestAgreedCharges(t *testing.T) {
	f := extras(t)
	add := func(name, customer, group, at, amount string) error {
		return edit.AddAgreed(f, map[edit.AgreedField]string{
			edit.AgreedName: name, edit.AgreedCustomer: customer, edit.AgreedGroup: group, edit.AgreedPlace: at,
			edit.AgreedAmount: amount,
		})
	}
	require.NoError(t, add("Hotel", "C-1007", "", "", "10"))
	require.NoError(t, add("Hospital", "", "", "Sairaalankatu 2, 20100", "0"))
	require.NoError(t, add("All of Norway", "", "trade", "Norway", "12.50"))
	_, faults := store.Read(f.Write())
	require.Empty(t, faults)
	assert.Equal(t, &store.AgreedPlace{Country: "FI", Postcode: "20100", Street: "Sairaalankatu 2"}, f.Agreed[1].Place)
	assert.Equal(t, &store.AgreedPlace{Country: "NO"}, f.Agreed[2].Place)
	assert.Equal(t, "Sairaalankatu 2, 20100, Finland", edit.AgreedText(f, &f.Agreed[1], edit.AgreedPlace))
	for i := range f.Agreed {
		a := &f.Agreed[i]
		for _, field := range []edit.AgreedField{
			edit.AgreedName, edit.AgreedCustomer, edit.AgreedGroup, edit.AgreedPlace, edit.AgreedAmount,
			edit.AgreedMethods,
		} {
			text := edit.AgreedText(f, a, field)
			require.NoError(t, edit.SetAgreed(f, a.ID, field, text), "%s %q", field, text)
			assert.Equal(t, text, edit.AgreedText(f, a, field), "what is shown reads back")
		}
	}
	require.ErrorContains(t, add("Nobody", "", "", "", "5"), "say with whom")
	f.Agreed = f.Agreed[:3]
	require.ErrorContains(t, add("Cheap", "C-2", "", "", ""), "write the price")
	f.Agreed = f.Agreed[:3]
	require.ErrorContains(t, edit.SetAgreed(f, "hotel", edit.AgreedCustomer, ""), "say with whom")
	edit.RemoveAgreed(f, "hotel")
	assert.Len(t, f.Agreed, 2)
}

// Two of a name are told apart by their ids; none is guessed.
func TestNamesThatMeanTwoThings(t *testing.T) {
	f, _ := store.Read([]byte(`{"format":"diadrom-store/1","store":{"currency":"EUR"},
		"locations":[{"id":"a","name":"Hall"},{"id":"b","name":"hall"},{"id":"c","name":"Barn"}],
		"methods":[{"id":"m","name":"Post"},{"id":"n","name":"Van","label":"post"},{"id":"o","name":"Boat"}],
		"surcharges":[{"id":"s","name":"North","places":[{"country":"FI"}],"methods":["m","o"],"amount":"1"}]}`))
	require.NotNil(t, f)
	home := typed.Reader{Home: "FI"}
	shown := edit.SurchargeText(f, home, &f.Surcharges[0], edit.SurchargeMethods)
	assert.Equal(t, "m; Boat", shown, "Post is the name of two")
	require.NoError(t, edit.SetSurcharge(f, home, "s", edit.SurchargeMethods, shown))
	assert.Equal(t, []string{"m", "o"}, f.Surcharges[0].Methods, "what is shown is what can be typed")
	require.ErrorContains(t, edit.SetSurcharge(f.Clone(), home, "s", edit.SurchargeMethods, "Post"), "m or n")
	require.ErrorContains(t, edit.SetSurcharge(f.Clone(), home, "s", edit.SurchargeMethods, " ; "),
		"leave the field empty")

	m := &f.Methods[0]
	require.ErrorContains(t, terms.Set(f, m, "", terms.From, "Hall"), "a or b")
	require.NoError(t, terms.Set(f, m, "", terms.From, "barn"))
	require.NoError(t, terms.Set(f, m, "", terms.From, "b"))
	text, _ := terms.Text(f, m, "", terms.From)
	assert.Equal(t, "b", text)
	for typed, want := range map[string]string{"6,000": "6000", "6.000": "6000", "6 000 cm³": "6000", "5000": "5000"} {
		require.NoError(t, terms.Set(f, m, "", terms.Divisor, typed))
		assert.Equal(t, want, m.Volumetric.String(), typed)
	}
	require.Error(t, terms.Set(f, m, "", terms.Divisor, "0"))

	_, err := edit.AddLocation(f, "Lodge", "Lapland", home)
	require.ErrorContains(t, err, "a region is no address")
}

func TestWhereTheShopSells(t *testing.T) {
	f := &store.File{Locations: []store.Location{{ID: "shop", Country: "FI", ShipsFrom: true}}}
	r := typed.For(f, nil)
	require.NoError(t, edit.AddSellsTo(f, r, "Finland, EE, SE 11*, 12*"))
	words := func() (list []string) {
		for i := range f.Store.SellsTo {
			list = append(list, f.Store.SellsTo[i].Words()...)
		}
		return list
	}
	assert.Equal(t, []string{"Finland", "Estonia", "SE 11*", "SE 12*"}, words())
	for typed, why := range map[string]string{
		"": "name a country", "Finland": "Finland is named already", "EU, not Malta": "only where you sell",
		"Latvia, Atlantis": "Atlantis",
	} {
		require.ErrorContains(t, edit.AddSellsTo(f, r, typed), why, typed)
	}
	assert.Len(t, words(), 4, "nothing of a text that is refused is taken")
	require.NoError(t, edit.RemoveSellsTo(f, "SE 11*"))
	require.NoError(t, edit.RemoveSellsTo(f, "Finland"))
	require.ErrorContains(t, edit.RemoveSellsTo(f, "Finland"), "was removed meanwhile")
	assert.Equal(t, []string{"Estonia", "SE 12*"}, words())
}
