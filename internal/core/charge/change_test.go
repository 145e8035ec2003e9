package charge

import (
	"testing"

	"diadrom/internal/core/rate"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAColumnMadeFromAnother(t *testing.T) {
	w := Words{Units: rate.Units{Digits: 2, Weight: "kg", Distance: "km"}, Currency: "EUR"}
	for _, c := range []struct{ from, change, want string }{
		{"6.90", "plus 20 %", "8.28"}, {"6.90", "plus 2.00", "8.90"}, {"6.90", "minus 0,50", "6.40"},
		{"6.90", "+2", "8.90"}, {"6.90", "-10%", "6.21"}, {"6.95", "times 1.1", "7.65"},
		{"9.90 + 0.80 per started kg above 10", "plus 5 %", "10.40 + 0.84 per started kg above 10"},
		{"4.00 first item, 1.50 each next", "plus 1", "1.00 + 4.00 first item, 1.50 each next"},
		{"0.333 per km", "times 2", "0.666 per km"}, {"5 % of goods", "plus 20 %", "5 % of goods"},
		{"no", "plus 20 %", "no"}, {"free", "plus 2", "2.00"}, {"6.90", "", "6.90"}, {"6.90", "minus 100 %", "free"},
		{"6.90", "plus 2 EUR", "8.90"},
	} {
		from, err := Parse(c.from, w)
		require.NoError(t, err)
		change, err := ParseChange(c.change, w)
		require.NoError(t, err, c.change)
		got, err := change.Apply(from, w)
		require.NoError(t, err)
		assert.Equal(t, c.want, Format(got, w), "%s, %s", c.from, c.change)
		assert.Equal(t, c.from, Format(from, w), "the other column stays")
	}
	for _, text := range []string{"dearer", "plus", "times 20 %", "plus -3", "minus 120 %", "20 %"} {
		_, err := ParseChange(text, w)
		assert.Error(t, err, text)
	}
	low, _ := Parse("1.00", w)
	change, _ := ParseChange("minus 2", w)
	_, err := change.Apply(low, w)
	assert.ErrorContains(t, err, "1.00 would fall below 0")
}
