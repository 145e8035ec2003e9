package measure

import (
	"testing"

	"diadrom/internal/core/decimal"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Sizes of the units: NIST Special Publication 811 (2008), appendix B.8: pound avoirdupois 4.535 924 E−01 kg (exactly
// 0.45359237), ounce avoirdupois 2.834 952 E+01 g, inch 2.54 E+00 cm exactly, foot 3.048 E−01 m exactly. From memory.
func TestWeightsAndLengthsAsPeopleTypeThem(t *testing.T) {
	for _, c := range []struct {
		kind             Kind
		text, unit, want string
	}{
		{Weight, "450 g", "kg", "0.45"},
		{Weight, "1.2", "kg", "1.2"},
		{Weight, "1,2", "kg", "1.2"},
		{Weight, "1,2 kg", "kg", "1.2"},
		{Weight, ".5", "lb", "0.5"},
		{Weight, "2 lb 3 oz", "kg", "0.992233309375"},
		{Weight, "2lb3oz", "lb", "2.1875"},
		{Weight, "2 Pounds 3 ounces", "oz", "35"},
		{Weight, "1 kg", "lb", "2.204622621849"},
		{Weight, "16 oz", "lb", "1"},
		{Weight, "1 lb", "g", "453.59237"},
		{Weight, "0.123456789", "kg", "0.123456789"},
		{Length, "30", "cm", "30"},
		{Length, "300 mm", "cm", "30"},
		{Length, "12 in", "cm", "30.48"},
		{Length, `5'11"`, "cm", "180.34"},
		{Length, "6 ft", "m", "1.8288"},
		{Length, "1 m 20 cm", "mm", "1200"},
		{Length, "0", "cm", "0"},
	} {
		got, err := Parse(c.kind, c.text, c.unit)
		require.NoError(t, err, c.text)
		assert.Equal(t, c.want, got.String(), c.text)
	}
	for _, c := range []struct {
		kind       Kind
		text, says string
	}{
		{Weight, "-1", "below 0"}, {Weight, "−2 kg", "below 0"}, {Weight, "1,200.50", "without grouping"},
		{Weight, "heavy", "is no weight"},
		{Weight, "2 cm", "is no unit of weight"}, {Length, "2 kg", "is no unit of length"},
		{Weight, "2 lb 3", "say the unit of each part"},
		{Weight, "", "write a weight"}, {Weight, "1e400", "no unit"}, {Length, "=1+1", "is no length"},
		{Weight, "123456789012345678901234567890", "at most"},
	} {
		_, err := Parse(c.kind, c.text, "kg")
		assert.ErrorContains(t, err, c.says, c.text)
	}
}

func TestConvertingThereAndBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		grams := decimal.FromInt(rapid.Int64Range(0, 1_000_000).Draw(t, "grams"))
		unit := rapid.SampledFrom([]string{"kg", "lb", "oz"}).Draw(t, "unit")
		typed, err := Parse(Weight, grams.String()+" g", unit)
		require.NoError(t, err)
		back := Convert(Weight, typed, unit, "g").Round(2)
		assert.Zero(t, back.Cmp(grams), "%s g is %s %s is %s g", grams, typed, unit, back)
	})
}

func TestNumbersOfAColumn(t *testing.T) {
	line := func(i int) int { return i + 2 }
	for _, c := range []struct {
		cells []string
		want  []string // or what the error says
	}{
		{[]string{"1,200.50", "7", "1,200"}, []string{"1200.5", "7", "1200"}},
		{[]string{"1.200,50", "7", "1.200"}, []string{"1200.5", "7", "1200"}},
		{[]string{"1,200.50", "1.200,50"}, []string{"1200.5", "the other way round than in line 2 (1,200.50)"}},
		{[]string{"1,200", "1.300", "7"}, []string{"1,200 is 1200 or 1.200: choose the decimal sign",
			"1.300 is 1300 or 1.300", "7"}},
		{[]string{"1 200,50 €", "EUR 3"}, []string{"1200.5", "3"}},
		{[]string{"0.450", "1.200"}, []string{"0.45", "1.2"}}, // what begins with 0 is not grouped
		{[]string{"0,45", "1.5"}, []string{"0.45", "the other way round"}},
		{[]string{"1.200.300"}, []string{"1200300"}},
		{[]string{"-3", "abc", "1.2.3", "1'200.00"}, []string{"below 0", "not a number", "not a number", "1200"}},
		{[]string{"1 200", "30"}, []string{"1200", "30"}},
	} {
		column := Numbers(c.cells, line)
		for i, cell := range c.cells {
			got, _, err := column.Parse(cell)
			if err != nil {
				assert.Contains(t, err.Error(), c.want[i], "%v", c.cells)
				continue
			}
			assert.Equal(t, c.want[i], got.String(), "%s of %v", cell, c.cells)
		}
	}
	for cell, want := range map[string]string{"450 g": "g", "$5.00": "$", "EUR 5.00": "EUR", "over 30": "over",
		"30+": "+", "~ 3 kg": "~ kg", "5": ""} {
		_, around, err := Numbers([]string{cell}, line).Parse(cell)
		require.NoError(t, err, cell)
		assert.Equal(t, want, around, cell)
	}
	d, _, err := Column{Decimal: ','}.Parse("1,200")
	require.NoError(t, err)
	assert.Equal(t, "1.2", d.String())
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"450 g", "2 lb 3 oz", "1,2", "-1", "5'11\""} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		for kind, unit := range []string{"kg", "cm"} {
			if d, err := Parse(Kind(kind), text, unit); err == nil && d.Sign() < 0 {
				t.Fatalf("%q is %s", text, d)
			}
		}
		Numbers([]string{text}, func(int) int { return 1 }).Parse(text)
	})
}

// India parts thousands and then pairs of digits (Unicode CLDR, locale en-IN: #,##,##0.###).
func TestNumbersThatArePartedInPairs(t *testing.T) {
	for text, want := range map[string]string{"1,25,000.00": "125000", "12,34,567": "1234567", "₹ 1,25,000.50": "125000.5"} {
		c := Numbers([]string{text}, func(int) int { return 1 })
		d, _, err := c.Parse(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, d.String(), text)
		assert.Equal(t, byte('.'), c.Decimal, text)
	}
	for _, text := range []string{"1,25,00.00", "1,2,500", "125,00,000.00"} {
		_, _, err := Column{Decimal: '.'}.Parse(text)
		assert.Error(t, err, text)
	}
}

// Sixteen ounces are a pound, in a store in kilograms too (international yard and pound agreement of 1959).
func TestSixteenOuncesAreAPound(t *testing.T) {
	for _, unit := range []string{"kg", "g", "lb", "oz"} {
		pound, err := Parse(Weight, "1 lb", unit)
		require.NoError(t, err)
		ounce, err := Parse(Weight, "1 oz", unit)
		require.NoError(t, err)
		assert.Equal(t, pound.String(), ounce.Mul(decimal.FromInt(16)).String(), unit)
	}
}
