package typed

import (
	"os"
	"strings"
	"testing"

	"diadrom/internal/core/gazetteer"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// finland is the open Finnish list that the demo shop ships with.
func finland(t testing.TB) *gazetteer.Gazetteer {
	f, err := os.Open("../../shop/shipped/data/gazetteer-fi.tsv")
	require.NoError(t, err)
	defer f.Close()
	g, skipped, err := gazetteer.Read(f)
	require.NoError(t, err)
	require.Empty(t, skipped)
	return g
}

func TestPlacesAreSuggestedWhileTyping(t *testing.T) {
	r := Reader{Home: "FI", Gazetteer: finland(t), Locations: []Location{{"workshop", "Workshop", nil}}}
	for _, c := range []struct{ typed, kept, first string }{
		{"finl", "", "Finland"},
		{"lapl", "", "FI-10"},
		{"SE 10*, northern e", "SE 10*, ", "Northern Europe"},
		{"Finland, not swe", "Finland, not ", "Sweden"},
		{"naan", "", "Naantali"},
		{"2116", "", "FI 21160"},
		{"211", "", "FI 211*"},
		{"FI 9998", "", "FI 9998*"},
		{"eu", "", "European Union"},
		{"with", "", "within 15 km of Workshop"},
		{"every", "", "everywhere"},
		{"Aland", "", "FI-01"},
	} {
		kept, list := r.SuggestPlaces(c.typed, 8)
		assert.Equal(t, c.kept, kept, c.typed)
		require.NotEmpty(t, list, c.typed)
		assert.Equal(t, c.first, list[0].Text, "%s: %v", c.typed, list)
		for _, choice := range list {
			typed := r.Text(choice.Text)
			assert.Empty(t, typed.Slips, "what is offered for %q can be taken: %s", c.typed, choice.Text)
		}
	}
	_, none := r.SuggestPlaces("xyzzy", 8)
	assert.Empty(t, none)
}

func TestAddressesAreSuggestedWhileTyping(t *testing.T) {
	r := Reader{Home: "FI", Gazetteer: finland(t)}
	for typed, first := range map[string]string{"merim": "21160 Merimasku", "9998": "99980 Utsjoki", "norw": "Norway",
		"lapl": "Lapland"} {
		list := r.SuggestAddresses(typed, 8)
		require.NotEmpty(t, list, typed)
		assert.Equal(t, first, list[0].Text, typed)
		_, err := r.Address(list[0].Text)
		assert.NoError(t, err, typed)
	}
}

// Lists of Ireland have only the first three characters of its codes: what is suggested of them can be taken
// all the same.
func TestWhatIsSuggestedOfIrelandCanBeTaken(t *testing.T) {
	g, skipped, err := gazetteer.Read(
		strings.NewReader(
			"IE\tT12\tCork\tMunster\tM\tCork\t\t\t\t51.9\t-8.47\t4\nIE\tT23\tCork " +
				"Northside\tMunster\tM\tCork\t\t\t\t51.91\t-8.47\t4\n",
		),
	)
	require.NoError(t, err)
	require.Empty(t, skipped)
	r := Reader{Home: "IE", Gazetteer: g}
	for _, typed := range []string{"cork", "T12", "t2", "t"} {
		for _, choice := range r.SuggestAddresses(typed, 8) {
			_, err := r.Address(choice.Text)
			assert.NoError(t, err, choice.Text)
		}
		_, places := r.SuggestPlaces(typed, 8)
		for _, choice := range places {
			assert.Empty(t, r.Text(choice.Text).Slips, choice.Text)
		}
	}
	assert.Equal(t, "Cork", r.SuggestAddresses("cork", 8)[0].Text)
}
