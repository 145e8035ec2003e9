package place

import (
	"fmt"
	"strings"
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
		{"FI 21100 21110 20100 to 20999 22*", []string{"FI 21100", "FI 21110", "FI 20100 to 20999", "FI 22*"}, nil},
		{"SE 111 22 113 45\tSE 114 01", []string{"SE 11122", "SE 11345", "SE 11401"}, nil},
		{"21100\r\n21110\r\n", []string{"FI 21100", "FI 21110"}, nil},
		{"not 21100 21110, 21*", []string{"FI 21*"}, []string{"FI 21100", "FI 21110"}},
		{"Åland Islands\nSE 10*", []string{"Åland Islands", "SE 10*"}, nil},
	} {
		got := ParseText(c.text, "FI")
		require.Empty(t, got.Slips, c.text)
		assert.Equal(t, c.places, words(got.Places), c.text)
		assert.Equal(t, c.except, words(got.Except), c.text)
	}
}

func TestPlacesThatAreNotUnderstood(t *testing.T) {
	for _, c := range []struct{ text, part, says string }{
		{"FI 2110", "FI 2110", "2110*"},
		{"Finland, Atlantis", "Atlantis", "called Atlantis"},
		{"Georgia", "Georgia", "US-GA"},
		{"FI 20999 to 20100", "FI 20999 to 20100", "backwards"},
		{"SE *", "SE *", "every code"},
		{"21100 2110 21120", "FI 2110", "2110*"},
	} {
		got := ParseText(c.text, "FI")
		require.Len(t, got.Slips, 1, c.text)
		assert.Equal(t, c.part, got.Slips[0].Part)
		assert.Contains(t, got.Slips[0].Error(), c.says)
	}
	assert.Zero(t, ParseText(" , ;", "FI").Taken)
}

// Three hundred codes from a spreadsheet, three of them wrong and two twice: the rest is taken.
func TestManyCodesAtOnce(t *testing.T) {
	var b strings.Builder
	for i := range 295 {
		fmt.Fprintf(&b, "%05d%s", 20000+i, []string{"\n", " ", ", ", "\t", "\r\n"}[i%5])
	}
	b.WriteString("2110\n211000\nABC12\n20000, 20001")
	got := ParseText(b.String(), "FI")
	assert.Equal(t, 295, got.Taken)
	assert.Equal(t, []string{"20000", "20001"}, got.Repeats)
	assert.Len(t, got.Slips, 3)
	require.Len(t, got.Places, 1)
	assert.Len(t, got.Places[0].Postcodes, 295)
}

// A paste of 20,000 codes that only spaces part, with a word among them: told in short, and without a wait.
func TestALongPasteIsReadOnceThrough(t *testing.T) {
	row := strings.TrimSpace(strings.Repeat("21100 ", 20_000))
	got := ParseText(row, "FI")
	assert.Equal(t, 1, got.Taken)
	assert.Len(t, got.Repeats, 19_999)
	got = ParseText(row+" somewhere", "FI")
	require.Len(t, got.Slips, 1)
	assert.Less(t, len(got.Slips[0].Reason), 200)
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
		got := ParseText(text, "FI")
		if (got.Taken == 0) != (len(got.Places)+len(got.Except) == 0) {
			t.Fatalf("%q: %+v", text, got)
		}
		ParseAddress(text, "FI")
	})
}
