package world

import (
	"encoding/json"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/language"
	"golang.org/x/text/language/display"
)

func TestEveryCountryIsKnownToTheReferenceLibrary(t *testing.T) {
	require.Len(t, Countries(), 249) // ISO 3166-1, officially assigned
	names, differ := display.English.Regions(), 0
	for _, c := range Countries() {
		region, err := language.ParseRegion(c.Alpha2)
		require.NoError(t, err, c.Alpha2)
		assert.Equal(t, c.Alpha3, region.ISO3(), c.Alpha2)
		if Fold(names.Name(region)) != Fold(c.Name) {
			differ++ // renamed since x/text's CLDR 32, or CLDR's short name
		}
	}
	assert.Less(t, differ, 15)
}

// moved lists the territories that UN M.49, and CLDR with it, has placed in another region since x/text's CLDR
// 32 of 2017.
var moved = map[string]bool{
	"AQ": true,
	"UM": true,
	"BV": true,
	"GS": true,
	"IO": true,
	"TF": true,
	"HM": true,
	"CC": true,
	"CX": true,
}

// Groups against golang.org/x/text: every other country lies where it says.
func TestGroupsHoldWhatCLDRContains(t *testing.T) {
	for _, g := range Groups() {
		if g.Code == "EU" || g.Code == "202" { // the United Kingdom left; 202 is newer than x/text's table
			continue
		}
		group, err := language.ParseRegion(g.Code)
		require.NoError(t, err, g.Code)
		in := map[string]bool{}
		for _, c := range g.Countries {
			in[c] = true
		}
		for _, c := range Countries() {
			if g.Code == "001" || moved[c.Alpha2] {
				continue
			}
			country := language.MustParseRegion(c.Alpha2)
			assert.Equal(t, group.Contains(country), in[c.Alpha2], "%s in %s %s", c.Alpha2, g.Code, g.Name)
		}
	}
	eu, ok := GroupByCode("eu")
	require.True(t, ok)
	assert.Len(t, eu.Countries, 27)
	assert.NotContains(t, eu.Countries, "GB")
}

func TestRegions(t *testing.T) {
	for _, code := range []string{"FI-19", "19", "fi-19"} {
		r, ok := RegionByCode("FI", code)
		require.True(t, ok, code)
		assert.Equal(t, Region{"FI-19", "Southwest Finland", "Varsinais-Suomi", "", "FI"}, r)
	}
	_, ok := RegionByCode("SE", "FI-19")
	assert.False(t, ok, "a Finnish region is not one of Sweden")
	paris, ok := RegionByCode("FR", "75")
	require.True(t, ok)
	assert.Equal(t, "FR-IDF", paris.Parent)
	assert.Len(t, Regions("FI"), 19)
	assert.Len(t, RegionsByName("", "georgia"), 1) // the state; the country is found among countries
	assert.Len(t, CountriesByName("Georgia"), 1)
}

func TestNamesFold(t *testing.T) {
	for _, c := range [][2]string{{"Åland Islands", "aland islands"}, {"Tromsø", "tromso"},
		{"  São   Tomé ", "sao tome"}, {"ŁÓDŹ", "lodz"}, {"Straße", "strasse"}} {
		assert.Equal(t, c[1], Fold(c[0]))
	}
	assert.Equal(t, "TR", CountriesByName("turkey")[0].Alpha2)
	assert.Equal(t, "CZ", CountriesByName("Czech Republic")[0].Alpha2)
}

// ISO 4217, list one: minor units.
func TestMinorDigits(t *testing.T) {
	for code, want := range map[string]int{"EUR": 2, "JPY": 0, "KWD": 3, "CLF": 4, "ISK": 0, "TND": 3} {
		digits, ok := CurrencyDigits(code)
		assert.True(t, ok, code)
		assert.Equal(t, want, digits, code)
	}
	for _, code := range []string{"XXX", "ABC", "eur", "", "XAU"} {
		_, ok := CurrencyDigits(code)
		assert.False(t, ok, code)
	}
}

// Symbols and their place are those of CLDR for English, by bojanz/currency.
func TestPricesAsBuyersReadThem(t *testing.T) {
	for _, c := range []struct{ amount, code, want string }{
		{"38.00", "EUR", "€38.00"}, {"1234.50", "GBP", "£1,234.50"}, {"500", "JPY", "¥500"},
		{"1.500", "KWD", "KWD\u00a01.500"},
		{"0.005", "EUR", "€0.005"}, {"soon", "EUR", "soon"}, {"1.00", "??", "1.00"},
	} {
		assert.Equal(t, c.want, Price(c.amount, c.code))
	}
}

// Regions are those of ISO 3166-2 as Debian's iso-codes lists them. A later Debian may have a few codes more or
// fewer.
func TestRegionsAreThoseOfISOCodes(t *testing.T) {
	data, err := os.ReadFile("/usr/share/iso-codes/json/iso_3166-2.json")
	require.NoError(t, err, "make test installs Debian's iso-codes")
	var list map[string][]struct{ Code, Name, Parent string }
	require.NoError(t, json.Unmarshal(data, &list))
	theirs := list["3166-2"]
	require.Greater(t, len(theirs), 4000)
	missing := 0
	for _, r := range theirs {
		ours, ok := RegionByCode(r.Code[:2], r.Code)
		if !ok {
			missing++
			continue
		}
		if r.Code[:3] == "FI-" || r.Code[:3] == "US-" {
			assert.Equal(t, r.Name, ours.Native, r.Code)
		}
	}
	assert.Less(t, missing, len(theirs)/50)
	assert.Less(t, len(AllRegions()), len(theirs)+len(theirs)/50)
	assert.Len(t, Regions("FI"), 19)
}

// Signs are those of CLDR: "$" is every dollar, "US$" one of them.
func TestWhatNamesAnotherCurrency(t *testing.T) {
	for _, c := range []struct{ text, code, want string }{
		{"price ($)", "EUR", "$"}, {"price £", "EUR", "£"}, {"Price US$", "EUR", "US$"}, {"price (USD)", "EUR", "USD"},
		{"price $", "AUD", ""}, {"price $", "USD", ""}, {"price US$", "AUD", "US$"}, {"price €", "EUR", ""},
		{"Preis EUR", "EUR", ""}, {"price", "EUR", ""}, {"Prices for all", "EUR", ""}, {"¥", "JPY", ""},
	} {
		assert.Equal(t, c.want, OtherCurrency(c.text, c.code), "%s in %s", c.text, c.code)
	}
}

// Names of countries as golang.org/x/text has them of Unicode CLDR, and some from memory.
func TestCountriesInOtherLanguages(t *testing.T) {
	for name, code := range map[string]string{"Deutschland": "DE", "österreich": "AT", "Suède": "SE", "España": "ES",
		"Suomi": "FI", "Ruotsi": "SE", "Sverige": "SE", "Tyskland": "DE", "Großbritannien": "GB", "Tschechien": "CZ"} {
		c, ok := CountryByTranslation(name)
		assert.True(t, ok, name)
		assert.Equal(t, code, c.Alpha2, name)
	}
	for _, name := range []string{"", "Atlantis", "Zone 1"} {
		_, ok := CountryByTranslation(name)
		assert.False(t, ok, name)
	}
}
