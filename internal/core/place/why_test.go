package place_test

import (
	"testing"

	"diadrom/internal/core/place"
	"diadrom/internal/core/typed"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestWhyAZoneDoesNotTakeAnAddress(t *testing.T) {
	owner := func(text string) place.Owner {
		read := typed.Reader{Home: "FI"}.Text(text)
		require.Empty(t, read.Slips)
		return place.Owner{Places: read.Places, Except: read.Except}
	}
	to := place.Address{Country: "FI", Postcode: "21660", City: "Nauvo"}.Resolve(nil)
	for _, c := range []struct{ zone, why string }{
		{"FI 21600 to 21760, 99*, not FI 21660", "leaves out FI 21660"},
		{"FI 22*, 21100, 99*", "nearest is FI 22*"},
		{"SE", "takes only Sweden"},
		{"SE, FI 96000 to 99999", "nearest is FI 96000 to 99999"},
		{"FI-10", "takes only Lapland (FI-10)"},
		{"Southern Europe", "takes only Southern Europe"},
	} {
		assert.Equal(t, c.why, owner(c.zone).WhyNot(&to), c.zone)
	}
	bare := place.Address{Country: "FI"}.Resolve(nil)
	assert.Equal(t, "the address has no postcode", owner("FI 22*").WhyNot(&bare))
	assert.Equal(t, "takes no place", place.Owner{}.WhyNot(&bare))
	assert.Equal(t, "we do not know where this address is", owner("within 5 km of 60.45 22.27").WhyNot(&bare))
}

// A rule by itself says what the index says.
func TestARuleTakesWhatTheIndexFinds(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		entry := rapid.OneOf(
			rapid.StringMatching(`FI [0-9]{1,4}\*`),
			rapid.StringMatching(`FI 2[0-9]{4}`),
			rapid.SampledFrom([]string{"Finland", "EU", "FI-19", "everywhere", "Sweden", "GB B", "GB BT1 to BT9"}),
		)
		read := typed.Reader{Home: "FI"}.Text(entry.Draw(t, "place"))
		a := place.Address{
			Country:  rapid.SampledFrom([]string{"FI", "SE", "GB"}).Draw(t, "country"),
			Postcode: rapid.SampledFrom([]string{"21100", "20100", "", "BT1 1AA", "B1 1AA"}).Draw(t, "code"),
			Region:   rapid.SampledFrom([]string{"", "19"}).Draw(t, "region"),
		}.Resolve(nil)
		found := len(place.NewIndex([]place.Owner{{Places: read.Places}}).Match(&a, nil)) > 0
		assert.Equal(t, found, read.Places[0].Takes(&a))
	})
}
