package place

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func words(rules []Rule) (out []string) {
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
		{"FI 21150, 21160, 21600 to 21760, not 21660", []string{"FI 21150", "FI 21160", "FI 21600 to 21760"}, []string{"FI 21660"}},
		{"22*", []string{"FI 22*"}, nil}, // the home country
		{"Finland 22*", []string{"FI 22*"}, nil},
		{"GB BT", []string{"GB BT"}, nil},
		{"United Kingdom IM1", []string{"GB IM1"}, nil},
		{"everywhere, not Sweden", []string{"everywhere"}, []string{"Sweden"}},
		{"EU; Northern Europe", []string{"European Union", "Northern Europe"}, nil},
		{"FI-10", []string{"Lapland (FI-10)"}, nil},
		{"Lapland", []string{"Lapland (FI-10)"}, nil},
		{"Åland Islands\nSE 10*", []string{"Åland Islands", "SE 10*"}, nil},
	} {
		places, except, err := ParseText(c.text, "FI")
		require.NoError(t, err, c.text)
		assert.Equal(t, c.places, words(places), c.text)
		assert.Equal(t, c.except, words(except), c.text)
	}
}

func TestPlacesThatAreNotUnderstood(t *testing.T) {
	for _, c := range []struct{ text, part, says string }{
		{"", "", "name a place"},
		{"FI 2110", "FI 2110", "2110*"},
		{"Finland, Atlantis", "Atlantis", "called Atlantis"},
		{"Georgia", "Georgia", "US-GA"},
		{"FI 20999 to 20100", "FI 20999 to 20100", "backwards"},
		{"SE *", "SE *", "every code"},
	} {
		_, _, err := ParseText(c.text, "FI")
		var slip *TextError
		require.ErrorAs(t, err, &slip, c.text)
		assert.Equal(t, c.part, slip.Part)
		assert.Contains(t, err.Error(), c.says)
	}
}

func TestAddressesInOneLine(t *testing.T) {
	for _, c := range []struct {
		text string
		want Address
	}{
		{"21160 Merimasku", Address{Country: "FI", Postcode: "21160", City: "Merimasku"}},
		{"EE 10111 Tallinn", Address{Country: "EE", Postcode: "10111", City: "Tallinn"}},
		{"10115 Berlin, Germany", Address{Country: "DE", Postcode: "10115", City: "Berlin"}},
		{"Norway", Address{Country: "NO"}},
		{"Naantali", Address{Country: "FI", City: "Naantali"}},
		{"GB SW1A 1AA London", Address{Country: "GB", Postcode: "SW1A 1AA", City: "London"}},
		{"SE 111 22 Stockholm", Address{Country: "SE", Postcode: "111 22", City: "Stockholm"}},
	} {
		a, err := ParseAddress(c.text, "FI")
		require.NoError(t, err, c.text)
		assert.Equal(t, c.want, a, c.text)
		again, err := ParseAddress(a.Line("FI"), "FI")
		require.NoError(t, err)
		assert.Equal(t, a, again, c.text)
	}
	_, err := ParseAddress("2110 Naantali", "FI")
	assert.ErrorContains(t, err, "5 digits")
	_, err = ParseAddress("", "FI")
	assert.Error(t, err)
}

func FuzzParseText(f *testing.F) {
	for _, s := range []string{"Finland", "FI 22*, not 22100", "GB BT1 to BT17", ", ; \n", "not", "not not"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		places, except, err := ParseText(text, "FI")
		if err == nil && len(places)+len(except) == 0 {
			t.Fatalf("%q: neither a place nor an error", text)
		}
		ParseAddress(text, "FI")
	})
}
