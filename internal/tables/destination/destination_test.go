package destination

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// How lists say where parcels go; common practice, no source.
func TestPlacesOfACell(t *testing.T) {
	for text, want := range map[string]string{
		"Estonia, Latvia; LT":    "EE LV LT",
		"FI SE DK":               "FI SE DK",
		"Deutschland/Österreich": "DE AT",
		"EU":                     "EU",
		"Suomi":                  "FI",
		"kg":                     "",
		"no":                     "",
		"6.90":                   "",
		"Finland, 6.90":          "",
		"Atlantis":               "",
		"":                       "",
	} {
		assert.Equal(t, want, strings.Join(Places(text), " "), text)
	}
	assert.Empty(t, Places(strings.Repeat("FI,", 2000)))
}

func TestCodesOfACell(t *testing.T) {
	for _, c := range []struct{ country, text, want string }{
		{"FI", "01–09", "01000 to 09999"},
		{"FI", "10*", "10*"},
		{"FI", "10%, 20xx", "10*, 20*"},
		{"FI", "00100-00990", "00100 to 00990"},
		{"FI", "96", "96*"},
		{"FI", "96100", "96100"},
		{"GB", "BT", "BT"},
		{"GB", "BT1-BT17", "BT1 to BT17"},
		{"IE", "D01-D03", "D01*, D02*, D03*"},
		{"CA", "K, L1, M5V", "K*, L1*, M5V*"},
		{"NL", "1791 AA-1802 ZZ", "1791*, 1792*, 1793*, 1794*, 1795*, 1796*, 1797*, 1798*, 1799*, 1800*, 1801*, 1802*"},
		{"NL", "1000-9999", "1*, 2*, 3*, 4*, 5*, 6*, 7*, 8*, 9*"},
		{"NL", "3511", "3511*"},
		{"DE", "18xxx", "18*"},
		{"AT", "10 - 12", "1000 to 1299"},
	} {
		assert.Equal(t, c.want, Codes(c.text, c.country), c.text)
	}
}

func TestWithinACountry(t *testing.T) {
	assert.Equal(t, "DE 20000 to 21999, DE 30*", Within("DE", "", "", "20-21,30*"))
	assert.Equal(t, "US-CA", Within("US", "California", "", ""))
	assert.Equal(t, "US-TX Austin", Within("US", "TX", "Austin", "*"))
	assert.Equal(t, "FI town Turku", Within("FI", "*", "Turku", ""))
	assert.Equal(t, "SE", Within("SE", "", "", ""))
	for _, any := range []string{"", "*", "Rest of world", "übrige Länder", "Reste du monde"} {
		assert.True(t, Wild(any), any)
	}
	assert.False(t, Wild("Finland"))
}

// What lists leave out of a group or add to a country; common practice, no source.
func TestWhatIsLeftOut(t *testing.T) {
	for _, c := range []struct{ text, places, left string }{
		{"EU except Germany", "EU", "DE"},
		{"EU (excluding Germany and Austria)", "EU", "DE AT"},
		{"EU ohne Deutschland", "EU", "DE"},
		{"Nordics without Iceland", "DK FI IS NO SE", "IS"},
		{"UE sauf France", "EU", "FR"},
		{"UE excepto España", "EU", "ES"},
		{"EU paitsi Suomi", "EU", "FI"},
		{"EU utom Sverige", "EU", "SE"},
		{"Switzerland incl. Liechtenstein", "CH LI", ""},
		{"Schweiz (inkl. Liechtenstein)", "CH LI", ""},
		{"Benelux and France", "BE NL LU FR", ""},
		{"Benelux", "BE NL LU", ""},
		{"EU without islands", "", ""},
		{"EU except Atlantis", "", ""},
		{"Switzerland incl. VAT", "", ""},
		{"Germany", "DE", ""},
		{"Einzelpaket", "", ""},
	} {
		places, left, known := Except(c.text)
		if !known {
			places, left = nil, nil
		}
		assert.Equal(t, c.places, strings.Join(places, " "), c.text)
		assert.Equal(t, c.left, strings.Join(left, " "), c.text)
	}
}

// Programs that take codes for numbers lose the zero that they begin with; the lengths are those of the countries'
// postcodes (Universal Postal Union).
func TestCodesThatLostTheirZero(t *testing.T) {
	for _, c := range []struct{ country, codes, short, whole string }{
		{"DE", "1067", "1067", "01067"},
		{"DE", "1067-9669", "1067", "01067-09669"},
		{"US", "1001–2791", "1001", "01001–02791"},
		{"FI", "2100", "2100", "02100"},
		{"FI", "00100, 2100", "2100", "00100, 02100"},
		{"DE", "1067*", "", "1067*"},
		{"DE", "10", "", "10"},
		{"DE", "10115", "", "10115"},
		{"AT", "1010", "", "1010"},
		{"GB", "1067", "", "1067"},
		{"DE", "*", "", "*"},
	} {
		short, whole := LostZeros(c.country, c.codes)
		assert.Equal(t, c.short, short, c.codes)
		assert.Equal(t, c.whole, whole, c.codes)
	}
}

func TestLabelsOfZones(t *testing.T) {
	for text, want := range map[string]string{"Zone 1": "1", "zone1": "1", "Zone A": "a", "Zona-3": "3", "Zone: IV": "iv",
		"Tarifzone 12b": "12b", "Zone": "", "Zonen": "", "Area": "", "Zone North": "", "3": "", "Germany": ""} {
		assert.Equal(t, want, ZoneLabel(text, false), text)
	}
	assert.Equal(t, "3", ZoneLabel("3", true))
}
