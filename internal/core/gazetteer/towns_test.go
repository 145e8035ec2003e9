package gazetteer

import (
	"strings"
	"testing"

	"diadrom/internal/core/postcode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// geonames is a line of the layout that https://download.geonames.org/export/dump/readme.txt describes.
func geonames(id, name, lat, lon, class, country string) string {
	return strings.Join([]string{id, name, name, "", lat, lon, class, "PPL", country, "", "03", "", "", "", "1000", "",
		"16",
		"Asia/Dubai", "2026-01-01"}, "\t")
}

func TestTownsOfCountriesWithoutPostcodes(t *testing.T) {
	g, skipped, err := Read(strings.NewReader(strings.Join([]string{
		geonames("292223", "Dubai", "25.07725", "55.30927", "P", "AE"),
		geonames("658225", "Helsinki", "60.16952", "24.93545", "P", "FI"),
		geonames("1", "Jebel Jais", "25.9", "56.1", "T", "AE"),
		geonames("2", "Nowhere", "91", "0", "P", "AE"),
		"HK\t\tAberdeen\t\t\t\t\t\t\t22.24802\t114.15289\t4",
		"FI\t\tHelsinki\t\t\t\t\t\t\t60.1\t24.9\t4",
	}, "\n")))
	require.NoError(t, err)
	var reasons []string
	for _, s := range skipped {
		reasons = append(reasons, s.Error())
	}
	assert.Equal(t, []string{
		"line 2: Finland has postcodes: import a list of them",
		"line 3: not a town",
		`line 4: "91", "0" is no latitude and longitude`,
		"line 6: no postcode",
	}, reasons)
	p, ok := g.Locate("AE", postcode.Code{}, "DUBAI")
	require.True(t, ok)
	assert.Equal(t, [2]float64{25.07725, 55.30927}, [2]float64{p.Lat, p.Lon})
	_, ok = g.Locate("HK", postcode.Code{}, "aberdeen")
	assert.True(t, ok)
	assert.Empty(t, g.Codes("AE"), "they have no code")
	assert.Empty(t, g.Postcode("AE", postcode.Code{}))
}
