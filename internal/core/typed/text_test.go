package typed

import (
	"fmt"
	"strings"
	"testing"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/place"

	"github.com/paulmach/orb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func words(rules []place.Rule) (out []string) {
	for _, r := range rules {
		out = append(out, r.Words()...)
	}
	return out
}

func TestPlacesAreReadAsTyped(t *testing.T) {
	for _, c := range []struct {
		text   string
		places []string
		except []string
	}{
		{"Finland", []string{"Finland"}, nil},
		{"finland, SE, EST", []string{"Finland", "Sweden", "Estonia"}, nil},
		{"FI 22*", []string{"FI 22*"}, nil},
		{"FI 96000 to 99999", []string{"FI 96000 to 99999"}, nil},
		{"FI 21150, 21160, 21600 to 21760, not 21660", []string{"FI 21150", "FI 21160", "FI 21600 to 21760"},
			[]string{"FI 21660"}},
		{"22*", []string{"FI 22*"}, nil}, // the home country
		{"Finland 22*", []string{"FI 22*"}, nil},
		{"GB BT", []string{"GB BT"}, nil},
		{"United Kingdom IM1", []string{"GB IM1"}, nil},
		{"everywhere, not Sweden", []string{"everywhere"}, []string{"Sweden"}},
		{"EU; Northern Europe", []string{"European Union", "Northern Europe"}, nil},
		{"FI-10", []string{"Lapland (FI-10)"}, nil},
		{"Lapland", []string{"Lapland (FI-10)"}, nil},
		{"FI 21100 21110 20100 to 20999 22*", []string{"FI 21100", "FI 21110", "FI 20100 to 20999", "FI 22*"}, nil},
		{"SE 111 22 113 45\tSE 114 01", []string{"SE 11122", "SE 11345", "SE 11401"}, nil},
		{"21100\r\n21110\r\n", []string{"FI 21100", "FI 21110"}, nil},
		{"not 21100 21110, 21*", []string{"FI 21*"}, []string{"FI 21100", "FI 21110"}},
		{"Åland Islands\nSE 10*", []string{"Åland Islands", "SE 10*"}, nil},
	} {
		got := Reader{Home: "FI"}.Text(c.text)
		require.Empty(t, got.Slips, c.text)
		assert.Equal(t, c.places, words(got.Places), c.text)
		assert.Equal(t, c.except, words(got.Except), c.text)
	}
}

func TestPlacesThatAreNotUnderstood(t *testing.T) {
	for _, c := range []struct{ text, part, says string }{
		{"FI 2110", "FI 2110", "2110*"},
		{"Finland, Finlad", "Finlad", `We don't know "Finlad". Is it a country, region or town?`},
		{"Georgia", "Georgia", "which is meant"},
		{"Punjab", "Punjab", "which is meant"},
		{"within far of the workshop", "within far of the workshop", "written so"},
		{"within 15 km of the moon", "within 15 km of the moon", "where moon is"},
		{"within 10 miles of the workshop", "within 10 miles of the workshop", "16.1 km"},
		{"FI 20999 to 20100", "FI 20999 to 20100", "backwards"},
		{"SE *", "SE *", "every code"},
		{"21100 2110 21120", "FI 2110", "2110*"},
	} {
		got := Reader{Home: "FI"}.Text(c.text)
		require.Len(t, got.Slips, 1, c.text)
		assert.Equal(t, c.part, got.Slips[0].Part)
		assert.Contains(t, got.Slips[0].Error(), c.says)
	}
	assert.Zero(t, Reader{Home: "FI"}.Text(" , ;").Taken)
}

// Names of countries stay what they are whatever the home country is, and what nobody knows is asked, not taken
// for a town of it.
func TestNamesDoNotBecomeTownsOfTheHomeCountry(t *testing.T) {
	for text, want := range map[string]string{"Great Britain": "United Kingdom", "the UK": "United Kingdom",
		"Holland": "Netherlands", "United States of America": "United States",
		"rest of world": "everywhere", "the rest of the world": "everywhere", "Worldwide": "everywhere",
		"Czech Republic": "Czechia"} {
		for _, home := range []string{"", "IE", "FI"} {
			got := Reader{Home: home}.Text(text)
			require.Empty(t, got.Slips, text)
			assert.Equal(t, []string{want}, words(got.Places), text)
		}
	}
	got := Reader{Home: "IE"}.Text("Outer Ruritania")
	assert.Empty(t, got.Places)
	require.Len(t, got.Slips, 1)
	assert.Equal(
		t,
		[]Choice{{"town Outer Ruritania", "a town of Ireland that is not in any list"}},
		got.Slips[0].Choices,
	)
}

// Three hundred codes from a spreadsheet, three of them wrong and two twice: the rest is taken.
func TestManyCodesAtOnce(t *testing.T) {
	var b strings.Builder
	for i := range 295 {
		fmt.Fprintf(&b, "%05d%s", 20000+i, []string{"\n", " ", ", ", "\t", "\r\n"}[i%5])
	}
	b.WriteString("2110\n211000\nABC12\n20000, 20001")
	got := Reader{Home: "FI"}.Text(b.String())
	assert.Equal(t, 295, got.Taken)
	assert.Equal(t, []string{"20000", "20001"}, got.Repeats)
	assert.Len(t, got.Slips, 3)
	require.Len(t, got.Places, 1)
	assert.Len(t, got.Places[0].Postcodes, 295)
}

// A paste of 20,000 codes that only spaces part, with a word among them: told in short, and without a wait.
func TestALongPasteIsReadOnceThrough(t *testing.T) {
	row := strings.TrimSpace(strings.Repeat("21100 ", 20_000))
	got := Reader{Home: "FI"}.Text(row)
	assert.Equal(t, 1, got.Taken)
	assert.Len(t, got.Repeats, 19_999)
	got = Reader{Home: "FI"}.Text(row + " somewhere")
	require.Len(t, got.Slips, 1)
	assert.Less(t, len(got.Slips[0].Reason), 200)
}

func TestAddressesInOneLine(t *testing.T) {
	for _, c := range []struct {
		text string
		want place.Address
	}{
		{"21160 Merimasku", place.Address{Country: "FI", Postcode: "21160", City: "Merimasku"}},
		{"EE 10111 Tallinn", place.Address{Country: "EE", Postcode: "10111", City: "Tallinn"}},
		{"10115 Berlin, Germany", place.Address{Country: "DE", Postcode: "10115", City: "Berlin"}},
		{"Germany, 10115 Berlin", place.Address{Country: "DE", Postcode: "10115", City: "Berlin"}},
		{"Berlin, Germany, 10115", place.Address{Country: "DE", Postcode: "10115", City: "Berlin"}},
		{"de 10115 Berlin", place.Address{Country: "DE", Postcode: "10115", City: "Berlin"}},
		{"Norway", place.Address{Country: "NO"}},
		{"Naantali", place.Address{Country: "FI", City: "Naantali"}},
		{"GB SW1A 1AA London", place.Address{Country: "GB", Postcode: "SW1A 1AA", City: "London"}},
		{"Rantakatu 2, 21100 Naantali",
			place.Address{Country: "FI", Postcode: "21100", City: "Naantali", Street: "Rantakatu 2"}},
		{"Rantakatu 2 A 5, 21100, Finland", place.Address{Country: "FI", Postcode: "21100", Street: "Rantakatu 2 A 5"}},
		{"Harbour House, 20100 Turku", place.Address{Country: "FI", Postcode: "20100", City: "Turku",
			Street: "Harbour House"}},
		{"EE Pikk 5, 10111 Tallinn", place.Address{Country: "EE", Postcode: "10111", City: "Tallinn",
			Street: "Pikk 5"}},
		{"10 High Street, London SW1A 2AA, GB", place.Address{Country: "GB", Postcode: "SW1A 2AA", City: "London",
			Street: "10 High Street"}},
		{"12 Oak Road, Austin, TX 78701, US", place.Address{Country: "US", Postcode: "78701", City: "Austin",
			Region: "US-TX", Street: "12 Oak Road"}},
		{"Dubai, AE", place.Address{Country: "AE", City: "Dubai", Region: "AE-DU"}},
		{"SE 111 22 Stockholm", place.Address{Country: "SE", Postcode: "111 22", City: "Stockholm"}},
	} {
		a, err := Reader{Home: "FI"}.Address(c.text)
		require.NoError(t, err, c.text)
		assert.Equal(t, c.want, a, c.text)
		again, err := Reader{Home: "FI"}.Address(a.Line("FI"))
		require.NoError(t, err)
		assert.Equal(t, a, again, c.text)
	}
	for text, want := range map[string]place.Address{ // towns that are called like countries
		"Lebanon, PA 17042":              {Country: "US", Region: "US-PA", Postcode: "17042", City: "Lebanon"},
		"Lebanon, Pennsylvania 17042":    {Country: "US", Region: "US-PA", Postcode: "17042", City: "Lebanon"},
		"Norway, 04268":                  {Country: "US", Postcode: "04268", City: "Norway"},
		"Germany, 10115 Berlin":          {Country: "DE", Postcode: "10115", City: "Berlin"},
		"Atlanta, Georgia 30301":         {Country: "US", Region: "US-GA", Postcode: "30301", City: "Atlanta"},
		"Mexico, 06000 Ciudad de México": {Country: "MX", Postcode: "06000", City: "Ciudad de México"},
	} {
		a, err := Reader{Home: "US"}.Address(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, a, text)
	}
	_, err := Reader{Home: "FI"}.Address("2110 Naantali")
	assert.ErrorContains(t, err, "5 digits")
	_, err = Reader{Home: "FI"}.Address("Kuja 1, 201 Turku")
	assert.ErrorContains(t, err, "201 cannot be a postcode of Finland", "not the number of the house is wrong")
	_, err = Reader{Home: "FI"}.Address("")
	assert.Error(t, err)
}

func FuzzAddress(f *testing.F) {
	for _, s := range []string{"Kuja 1, 20100 Turku", ",20100", "Ö, 1", "12 Oak Road, Austin, TX 78701, US",
		"EE 10111"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		a, err := Reader{Home: "FI"}.Address(text)
		if err == nil && a.Country == "" {
			t.Fatalf("%q is in no country", text)
		}
	})
}

func FuzzParseText(f *testing.F) {
	for _, s := range []string{"Finland", "FI 22*, not 22100", "GB BT1 to BT17", ", ; \n", "not", "not not"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		got := Reader{Home: "FI"}.Text(text)
		if (got.Taken == 0) != (len(got.Places)+len(got.Except) == 0) {
			t.Fatalf("%q: %+v", text, got)
		}
		Reader{Home: "FI"}.Address(text)
	})
}

// The open Finnish list says what is a town there; regions are those of ISO 3166-2.
func TestTownsAndCirclesAreReadAsTyped(t *testing.T) {
	g, skipped, err := gazetteer.Read(
		strings.NewReader("FI\t21100\tNaantali\tSouthwest Finland\t19\tNaantali\t529\t\t\t60.4674\t22.026\n" +
			"FI\t20100\tTurku\tSouthwest Finland\t19\t\t\t\t\t60.45\t22.27\n" +
			"EE\t10111\tTallinn\tHarju\t37\t\t\t\t\t59.43\t24.75\n" +
			"SE\t98131\tKiruna\n" +
			"US\t62701\tSpringfield\tIllinois\tIL\n" +
			"US\t01101\tSpringfield\tMassachusetts\tMA\n" +
			"EE\t90001\tTwin\n" +
			"LV\t1001\tTwin\n"),
	)
	require.NoError(t, err)
	require.Empty(t, skipped)
	workshop := orb.Point{22.026, 60.4674}
	r := Reader{Home: "FI", Gazetteer: g, Locations: []Location{{"workshop", "Workshop", &workshop}}}
	for _, c := range []struct {
		text   string
		places []string
	}{
		{"naantali", []string{"Naantali, FI"}},
		{"Naantali, Finland", []string{"Naantali, FI"}},
		{"Kiruna", []string{"Kiruna, SE"}},
		{"EE town Tallinn, 10111", []string{"Tallinn, EE", "EE 10111"}},
		{"Springfield, Illinois", []string{"Springfield, US-IL"}},
		{"Springfield, Illinois, United States", []string{"Springfield, US-IL"}},
		{"US-MA Springfield", []string{"Springfield, US-MA"}},
		{"US Springfield", []string{"Springfield, US"}},
		{"Lapland, Finland", []string{"Lapland (FI-10)"}},
		{"Lapland, Uusimaa", []string{"Lapland (FI-10)", "Uusimaa (FI-18)"}},
		{"Finland, Naantali", []string{"Finland", "Naantali, FI"}},
		{"within 15 km of the workshop", []string{"within 15 km of Workshop"}},
		{"within 1,5 km of Workshop, 21100", []string{"within 1.5 km of Workshop", "FI 21100"}},
		{"within 5 km of Turku", []string{"within 5 km of 60.45, 22.27"}},
		{"within 5 km of 60.5 22.25", []string{"within 5 km of 60.5, 22.25"}},
		{"town Finlad", []string{"Finlad, FI"}},
	} {
		got := r.Text(c.text)
		require.Empty(t, got.Slips, c.text)
		assert.Equal(t, c.places, words(got.Places), c.text)
		for _, choice := range got.Unknown {
			assert.Equal(t, "town Finlad", choice)
		}
	}
	assert.Equal(t, []string{"town Atlantis"}, r.Text("town Atlantis").Unknown, "taken, but said")
	assert.Equal(t, []string{"FI 21999"}, r.Text("FI 21999, 21100").Unknown, "possible, but nobody's")
	for text, choices := range map[string][]Choice{
		"Georgia": {{"GE", "the country"}, {"US-GA", "Georgia, United States"}},
		// ISO has the city as a municipality
		"Tallinn":  {{"EE-784", "the region"}, {"EE town Tallinn", "the town"}},
		"Atlantis": {{"town Atlantis", "a town of Finland that is not in any list"}},
		"Twin":     {{"EE town Twin", "Estonia"}, {"LV town Twin", "Latvia"}},
		"not Naantal": {{"not FI town Naantali", "Naantali, a town of Finland"},
			{"not town Naantal", "a town of Finland that is not in any list"}},
	} {
		got := r.Text(text)
		require.Len(t, got.Slips, 1, text)
		assert.Equal(t, choices, got.Slips[0].Choices, text)
		for _, choice := range choices {
			chosen := r.Text(choice.Text)
			assert.Empty(t, chosen.Slips, choice.Text)
			assert.Equal(t, 1, chosen.Taken, choice.Text)
		}
	}
}

func TestAddressesWithTheirRegion(t *testing.T) {
	for text, want := range map[string]place.Address{
		"Merimasku 21160":                    {Country: "FI", Postcode: "21160", City: "Merimasku"},
		"Lapland":                            {Country: "FI", Region: "FI-10"},
		"21160 Merimasku, Southwest Finland": {Country: "FI", Region: "FI-19", Postcode: "21160", City: "Merimasku"},
		"Merimasku Southwest Finland":        {Country: "FI", Region: "FI-19", City: "Merimasku"},
		"Austin, TX 78701, US":               {Country: "US", Region: "US-TX", Postcode: "78701", City: "Austin"},
		"US Austin TX 78701-1234":            {Country: "US", Region: "US-TX", Postcode: "78701-1234", City: "Austin"},
		"Toronto ON M5V 2T6, Canada":         {Country: "CA", Region: "CA-ON", Postcode: "M5V 2T6", City: "Toronto"},
		"DE Berlin":                          {Country: "DE", Region: "DE-BE"},
		"London SW1A 1AA, United Kingdom":    {Country: "GB", Postcode: "SW1A 1AA", City: "London"},
		"21100":                              {Country: "FI", Postcode: "21100"},
		"Åland":                              {Country: "FI", Region: "FI-01"},
	} {
		a, err := Reader{Home: "FI"}.Address(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, a, text)
		again, err := Reader{Home: "FI"}.Address(a.Line("FI"))
		require.NoError(t, err, text)
		assert.Equal(t, a, again, "%s: %s", text, a.Line("FI"))
	}
}
