package typed

import (
	"bytes"
	"encoding/csv"
	"os"
	"slices"
	"testing"

	"diadrom/internal/core/postcode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAreasBecomeTheirCodes(t *testing.T) {
	for _, a := range Areas() {
		assert.NotEmpty(t, a.Source, a.Name)
		for _, code := range a.Codes {
			_, err := postcode.ParseEntry(a.Country, code)
			require.NoError(t, err, "%s: %s", a.Name, code)
		}
		for _, name := range append([]string{a.Name, "the " + a.Name}, a.Also...) {
			got := Reader{Home: "FI"}.Text(name)
			require.Empty(t, got.Slips, name)
			require.Len(t, got.Places, 1, name)
			assert.Equal(t, a.Country, got.Places[0].Country)
			assert.Len(t, got.Places[0].Postcodes, len(a.Codes), name)
			again := Reader{Home: "FI"}.Text(joined(got.Places[0].Words()))
			assert.Equal(t, got.Places, again.Places, "its codes can be edited: they are what could be typed")
		}
	}
	got := Reader{Home: "US"}.Text("contiguous United States, Canada, not US 10001")
	assert.Len(t, got.Places, 2)
	assert.Len(t, got.Except, 1)
	assert.NotEmpty(t, Reader{Home: "GB"}.Text("Northern Ireland, GB BT").Repeats)
	got = Reader{Home: "GB"}.Text("Channel Islands, not Jersey")
	assert.Equal(t, []string{"Guernsey", "Jersey"}, []string{got.Places[0].Words()[0], got.Places[1].Words()[0]})
	assert.Len(t, got.Except, 1)
	got = Reader{Home: "NO"}.Text("Svalbard")
	assert.NotEmpty(t, append(got.Places, got.Except...), "it is a country of its own")
}

func joined(words []string) (text string) {
	for _, w := range words {
		text += w + ", "
	}
	return text
}

// Codes of towns inside and beside the areas: from memory of the towns' own addresses; the islands' lists are common
// practice, no source.
func TestWhoLivesInAnArea(t *testing.T) {
	for name, towns := range map[string]struct{ in, out []string }{
		"Canary Islands":     {[]string{"35001", "38001"}, []string{"28001", "07001", "51001"}},
		"Balearics":          {[]string{"07001", "07800"}, []string{"08001", "35001"}},
		"Ceuta and Melilla":  {[]string{"51001", "52001"}, []string{"50001", "29001"}},
		"Azores":             {[]string{"9500-001", "9900-001"}, []string{"9000-001", "1000-001"}},
		"Madeira":            {[]string{"9000-001", "9400-001"}, []string{"9500-001", "8000-001"}},
		"Azores and Madeira": {[]string{"9000-001", "9900-001"}, []string{"1000-001", "8900-001"}},
		"Corsica":            {[]string{"20000", "20200"}, []string{"75001", "21000", "97400"}},
		"French overseas":    {[]string{"97100", "97400", "98800"}, []string{"75001", "20000"}},
		"Northern Ireland":   {[]string{"BT1 1AA"}, []string{"EH1 1YZ", "B1 1AA"}},
		"Scottish Highlands and Islands": {[]string{"IV1 1AA", "ZE1 0AA", "KW15 1AA", "PA34 4AA", "HS1 2AA",
			"KA27 8AA"},
			[]string{"EH1 1YZ", "G1 1AA", "PH1 1AA", "PA1 1AA", "KA1 1AA"}},
		"contiguous US": {[]string{"10001", "90210", "33101", "00501", "98101", "34102", "96101"},
			[]string{"99501", "96801", "00901", "09001", "34001", "96201", "96910"}},
		"Alaska and Hawaii": {[]string{"99501", "99801", "96801"}, []string{"98101", "96799", "96910", "90210"}},
		"mainland Spain": {[]string{"28001", "08001", "50001", "01001"}, []string{"07001", "35001", "38001", "51001",
			"52001"}},
		"mainland Portugal": {[]string{"1000-001", "8900-001"}, []string{"9000-001", "9500-001"}},
		"mainland France":   {[]string{"75001", "01000", "95000", "19000"}, []string{"20000", "97400", "98800"}},
		"mainland Italy": {[]string{"00118", "10121", "20121", "89121"}, []string{"90121", "09121", "07100",
			"98121"}},
		"mainland Finland": {[]string{"00100", "21100", "99980"}, []string{"22100", "22840"}},
		"mainland Norway":  {[]string{"0150", "9008", "8001", "9990"}, []string{"9170", "8099"}},
		"UK mainland": {[]string{"EH1 1YZ", "B1 1AA", "PH1 1AA", "KA1 1AA", "TR1 1AA", "PO1 1AA"},
			[]string{"BT1 1AA", "IV1 1AA", "ZE1 0AA", "KA27 8AA", "PO30 1AA", "TR21 0AA", "HS1 2AA"}},
		"German islands": {[]string{"25980", "27498", "26757", "18565"}, []string{"10115", "26721", "25813"}},
	} {
		got := Reader{}.Text(name)
		require.Len(t, got.Places, 1, name)
		rule := &got.Places[0]
		takes := func(text string) bool {
			code := postcode.Read(rule.Country, text)
			for _, e := range rule.Postcodes {
				if e.Takes(code) {
					return true
				}
			}
			return false
		}
		for _, code := range towns.in {
			assert.True(t, takes(code), "%s has %s", name, code)
		}
		for _, code := range towns.out {
			assert.False(t, takes(code), "%s has not %s", name, code)
		}
	}
}

func TestAreasAreOfferedWhileTyping(t *testing.T) {
	_, list := Reader{Home: "ES"}.SuggestPlaces("Finland, canar", 5)
	require.NotEmpty(t, list)
	assert.Contains(t, list, Choice{"Canary Islands", "ES 35*, 38*, " + byProvince})
}

// Runs of codes by the state or department that open datasets give each: 42,555 codes of the United States (npm
// zipcodes 8.0.0) and 35,684 rows of France (npm codes-postaux 4.1.2), reduced to the first and the last code of each
// run.
func TestAreasAgreeWithOpenLists(t *testing.T) {
	data, err := os.ReadFile("testdata/areas.csv")
	require.NoError(t, err)
	rows, err := csv.NewReader(bytes.NewReader(data)).ReadAll()
	require.NoError(t, err)
	checked := 0
	for _, row := range rows {
		for _, name := range []string{"contiguous US", "Alaska and Hawaii", "Corsica", "French overseas"} {
			got := Reader{}.Text(name)
			require.Len(t, got.Places, 1)
			if got.Places[0].Country != row[0] {
				continue
			}
			for _, code := range row[1:3] {
				takes := slices.ContainsFunc(got.Places[0].Postcodes, func(e postcode.Entry) bool {
					return e.Takes(postcode.Read(row[0], code))
				})
				assert.Equal(t, row[3] == name, takes, "%s: %s", name, code)
				checked++
			}
		}
	}
	assert.Greater(t, checked, 60)
}

// T12 is what people in Ireland call a part of Cork; no Eircode is that short.
func TestFirstPartsOfCodesMeanAllThatBeginSo(t *testing.T) {
	for home, text := range map[string]string{"IE": "T12", "CA": "k1a", "NL": "1011"} {
		got := Reader{Home: home}.Text(text)
		require.Empty(t, got.Slips, text)
		assert.Equal(t, Reader{Home: home}.Text(text+"*").Places, got.Places, text)
	}
	for home, text := range map[string]string{"IE": "T1", "CA": "K1", "NL": "101", "FI": "211"} {
		assert.NotEmpty(t, Reader{Home: home}.Text(text).Slips, "%s is no such part", text)
	}
	got := Reader{Home: "IE"}.Text("D6W, D01")
	assert.Equal(t, 2, got.Taken)
}

// In Great Britain a letter pair may be a postcode area and a country's code: it is asked, with lists of places or
// without.
func TestBritishAreasAreNotTakenForCountries(t *testing.T) {
	for _, text := range []string{"EH", "SE", "DE"} {
		got := Reader{Home: "GB"}.Text(text)
		require.Len(t, got.Slips, 1, text)
		assert.Len(t, got.Slips[0].Choices, 2, text)
		for _, c := range got.Slips[0].Choices {
			again := Reader{Home: "GB"}.Text(c.Text)
			assert.Len(t, again.Places, 1, "%s: %s", text, c.Text)
		}
	}
	assert.Empty(t, Reader{Home: "GB"}.Text("FR, PT").Slips, "there is no such area")
	assert.True(t, postcode.Area("zE"))
	assert.False(t, postcode.Area("GB"))
}
