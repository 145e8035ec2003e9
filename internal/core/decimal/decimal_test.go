package decimal

import (
	"math/big"
	"strings"
	"testing"

	"github.com/govalues/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestParseReadsPlainNumbersOnly(t *testing.T) {
	for text, want := range map[string]string{
		"0": "0", "4.90": "4.9", "-4.90": "-4.9", "007": "7", "0.000000000001": "0.000000000001",
		"999999999999999.999999999999": "999999999999999.999999999999", "-0": "0", "-0.00": "0",
	} {
		d, err := Parse(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, d.String(), text)
	}
	for _, text := range []string{"", " 1", "1e3", "+1", ".5", "5.", "1,5", "NaN", "Inf", "--1", "1.2.3", "٣", "0x10",
		"1234567890123456", "0.1234567890123", strings.Repeat("9", 40)} {
		_, err := Parse(text)
		var parse *ParseError
		assert.ErrorAs(t, err, &parse, text)
	}
}

func TestRoundingIsHalfUp(t *testing.T) {
	for _, c := range []struct{ in, want string }{
		{"0.005", "0.01"}, {"0.0049999", "0"}, {"2.675", "2.68"}, {"1.005", "1.01"}, {"2.5", "2.5"},
		{"-0.005", "-0.01"},
		{"12345678901234567.895", "12345678901234567.9"},
	} {
		var d Decimal
		if len(c.in) > 20 {
			d = MustParse("12345678901234.5678").Mul(FromInt(1000)).Add(MustParse("0.095")) // beyond 19 digits
			d = d.Add(MustParse("0.0")).Round(2)
			assert.Equal(t, "12345678901234567.9", d.String())
			continue
		}
		assert.Equal(t, c.want, MustParse(c.in).Round(2).String(), c.in)
	}
}

func TestQuotientsAreWrittenWithTwelveDecimalsAtMost(t *testing.T) {
	for _, c := range []struct{ a, b, want string }{
		{"1", "8", "0.125"}, {"1", "3", "0.333333333333"}, {"2", "3", "0.666666666667"},
		{"1", "8192", "0.0001220703125"},
		{"7", "0.5", "14"}, {"-1", "3", "-0.333333333333"}, {"0", "7", "0"}, {"10", "4", "2.5"}, {"6", "3", "2"},
	} {
		assert.Equal(t, c.want, MustParse(c.a).Quo(MustParse(c.b)).String(), "%s ÷ %s", c.a, c.b)
	}
}

// A quotient that does not end stays exact until it is rounded: three thirds are one.
func TestQuotientsStayExact(t *testing.T) {
	third := One.Quo(FromInt(3))
	assert.Equal(t, "1", third.Add(third).Add(third).String())
	assert.Equal(t, "1", third.Mul(FromInt(3)).String())
	assert.Equal(t, "3", One.Quo(third).String())
	assert.Equal(t, 1, third.Cmp(MustParse("0.333333333333")))
	assert.Equal(t, "0.333333333333", third.Written().String())
	assert.Equal(t, "0", third.Sub(third).String())
	assert.Equal(
		t,
		[]string{"1", "0", "-1"},
		[]string{third.Ceil().String(), third.Neg().Ceil().String(), third.Neg().Mul(FromInt(4)).Ceil().String()},
	)
	assert.Equal(t, "0.33", third.Round(2).String())
	assert.Equal(t, -1, third.Neg().Sign())
	assert.InDelta(t, 1.0/3, third.Float64(), 1e-15)
	// 0.45 × (24400/3000 − 7.5) + 10.15 is 10.435, which rounds up; carried to 12 decimals it would round down.
	kilograms := FromInt(24400).Quo(FromInt(3000))
	assert.Equal(
		t,
		"10.44",
		MustParse("0.45").Mul(kilograms.Sub(MustParse("7.5"))).Add(MustParse("10.15")).Round(2).String(),
	)
	rapid.Check(t, func(t *rapid.T) {
		a, b, c, d := number().Draw(t, "a"), number().Draw(t, "b"), number().Draw(t, "c"), number().Draw(t, "d")
		if b.IsZero() || d.IsZero() {
			return
		}
		x, y := new(big.Rat).Quo(rat(a), rat(b)), new(big.Rat).Quo(rat(c), rat(d))
		sum, product := a.Quo(b).Add(c.Quo(d)), a.Quo(b).Mul(c.Quo(d))
		assert.Zero(t, sum.rat().Cmp(new(big.Rat).Add(x, y)))
		assert.Zero(t, product.rat().Cmp(new(big.Rat).Mul(x, y)))
		assert.Equal(t, x.Cmp(y), a.Quo(b).Cmp(c.Quo(d)))
		assert.Zero(t, a.Quo(b).Mul(b).Cmp(a))
	})
}

func TestCeilCountsStartedUnits(t *testing.T) {
	for in, want := range map[string]string{"6.0001": "7", "6": "6", "6.00": "6", "0": "0", "0.1": "1", "-1.5": "-1"} {
		assert.Equal(t, want, MustParse(in).Ceil().String(), in)
	}
}

func TestFixedKeepsTheMinorDigits(t *testing.T) {
	assert.Equal(t, "6.90", MustParse("6.9").Fixed(2))
	assert.Equal(t, "6.905", MustParse("6.905").Fixed(2))
	assert.Equal(t, "500", MustParse("500.00").Fixed(0))
	assert.Equal(t, "0.00", MustParse("0.001").Sub(MustParse("0.001")).Fixed(2))
	assert.Equal(
		t,
		"12345678901234567890.00",
		MustParse("123456789012345").Mul(MustParse("100000")).Add(MustParse("67890")).Fixed(2),
	)
}

func TestFromFloatRoundsHalfUp(t *testing.T) {
	assert.Equal(t, "12.346", FromFloat(12.3456, 3).String())
	assert.Equal(t, "0.001", FromFloat(0.0005, 3).String())
}

func number() *rapid.Generator[Decimal] {
	return rapid.Custom(func(t *rapid.T) Decimal {
		return MustParse(rapid.StringMatching(`-?[0-9]{1,15}(\.[0-9]{1,12})?`).Draw(t, "number"))
	})
}

func rat(d Decimal) *big.Rat {
	r, ok := new(big.Rat).SetString(d.String())
	if !ok {
		panic(d.String())
	}
	return r
}

func TestArithmeticEqualsRationals(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a, b, c := number().Draw(t, "a"), number().Draw(t, "b"), number().Draw(t, "c")
		sum := new(big.Rat).Add(rat(a), new(big.Rat).Mul(rat(b), rat(c)))
		assert.Zero(t, sum.Cmp(rat(a.Add(b.Mul(c)))), "%s + %s × %s", a, b, c)
		assert.Equal(t, rat(a).Cmp(rat(b)), a.Cmp(b))
		assert.Zero(t, rat(a.Sub(a)).Sign())
		if !b.IsZero() {
			exactQuotient := new(big.Rat).Quo(rat(a), rat(b))
			off := new(big.Rat).Sub(exactQuotient, rat(a.QuoRound(b, 2)))
			assert.LessOrEqual(t, off.Abs(off).Cmp(big.NewRat(1, 200)), 0, "%s ÷ %s", a, b)
		}
		again, err := Parse(a.String())
		require.NoError(t, err)
		assert.Zero(t, again.Cmp(a))
	})
}

// The reference library from the registry agrees wherever its 19 digits suffice.
func TestArithmeticEqualsGovalues(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		x := rapid.StringMatching(`[0-9]{1,5}\.[0-9]{2}`).Draw(t, "x")
		y := rapid.StringMatching(`[0-9]{1,4}\.[0-9]{3}`).Draw(t, "y")
		gx, gy := decimal.MustParse(x), decimal.MustParse(y)
		product, err := gx.Mul(gy)
		require.NoError(t, err)
		assert.Equal(t, product.Trim(0).String(), MustParse(x).Mul(MustParse(y)).String())
		if !gy.IsZero() {
			quotient, err := gx.Quo(gy)
			require.NoError(t, err)
			off := MustParse(x).Quo(MustParse(y)).Sub(Decimal{small: quotient})
			assert.False(
				t,
				off.Mul(off).Cmp(MustParse("0.000000000001").Mul(MustParse("0.000000000001"))) > 0,
				"%s ÷ %s",
				x,
				y,
			)
		}
	})
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"0", "-1.50", "1e5", strings.Repeat("1", 50), "１２"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		d, err := Parse(s)
		if err != nil {
			return
		}
		again, err := Parse(d.String())
		if err != nil || again.Cmp(d) != 0 {
			t.Fatalf("%q reads as %s and back as %s, %v", s, d, again, err)
		}
	})
}
