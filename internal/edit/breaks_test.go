package edit_test

import (
	"testing"

	"diadrom/internal/core/rate"
	"diadrom/internal/edit"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Break points are typed in any unit, and with the words that stand on carriers' lists; which row 75 itself is in is
// never guessed (common practice, no source). A mile is 1.609344 km, by the yard and pound agreement of 1959.
func TestBreakPointsAsPeopleWriteThem(t *testing.T) {
	for _, c := range []struct {
		by          rate.By
		edges       rate.Edges
		typed, want string // a want in words is a refusal
	}{
		{rate.ByWeight, rate.UpTo, "250 g", "0.25"},
		{rate.ByWeight, rate.UpTo, "up to 250g", "0.25"},
		{rate.ByBilled, rate.UpTo, "1 lb", "0.45359237"},
		{rate.ByWeight, rate.UpTo, "Up to and including 7,5 kg", "7.5"},
		{rate.ByWeight, rate.UpTo, "≤ 7.5", "7.5"},
		{rate.ByWeight, rate.UpTo, "over 75", "75"},
		{rate.ByWeight, rate.UpTo, "from 75", "75 belongs to the row up to 75"},
		{rate.ByWeight, rate.UpTo, "under 75", "75 belongs to the row up to 75"},
		{rate.ByWeight, rate.UpTo, "75 or more", "75 belongs to the row up to 75"},
		{rate.ByWeight, rate.UpTo, "3 cm", "this list is in kg"},
		{rate.ByWeight, rate.UpTo, "over", "not a number"},
		{rate.BySubtotal, rate.From, "from €75", "75"},
		{rate.BySubtotal, rate.From, "75 and over", "75"},
		{rate.BySubtotal, rate.From, "under 75", "75"},
		{rate.BySubtotal, rate.From, "over 75", "75 belongs to the row from 75"},
		{rate.ByDistance, rate.UpTo, "500 m", "0.5"},
		{rate.ByDistance, rate.UpTo, "up to 10 miles", "16.09344"},
		{rate.ByDistance, rate.UpTo, "10 kg", "this list is in km"},
		{rate.ByQuantity, rate.UpTo, "up to 3 items", "3"},
		{rate.ByQuantity, rate.UpTo, "3 kg", "this list is in items"},
	} {
		rows := "2 | 4.90;  | 9.90"
		if c.edges == rate.From {
			rows = "0 | 4.90"
		}
		f, _, list := shop(t, c.by, c.edges, rows)
		before := text(f, list)
		err := edit.AddRow(f, list, c.typed)
		if c.want[0] > '9' || len(c.want) > 12 {
			require.ErrorContains(t, err, c.want, c.typed)
			assert.Equal(t, before, text(f, list), "what is refused changes nothing")
			continue
		}
		require.NoError(t, err, c.typed)
		assert.GreaterOrEqual(t, edit.Row(list, c.want), 0, "%s: %s", c.typed, text(f, list))
	}

	f, _, list := shop(t, rate.ByWeight, rate.UpTo, "2 | 4.90; 10 | 8.90;  | 9.90")
	_, err := edit.MoveBreak(f, list, "2", "over 5")
	require.ErrorContains(t, err, "on the other side")
	row, err := edit.MoveBreak(f, list, "2", "up to 2500 g")
	require.NoError(t, err)
	assert.Equal(t, 0, row)
	assert.Equal(t, "2.5 | 4.90; 10 | 8.90;  | 9.90", text(f, list))
}
