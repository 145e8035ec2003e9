package terms

import (
	"testing"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var w = charge.Words{Units: rate.Units{Digits: 2, Weight: "kg", Distance: "km"}, Currency: "EUR"}

func kilos(d decimal.Decimal) string { return w.Measure(rate.ByWeight, d) }

func TestTermsAsTheyAreSaid(t *testing.T) {
	for typed, want := range map[string]string{
		"2-4": "2 to 4 working days", "2 to 4 business days": "2 to 4 working days", "3 days": "3 days",
		"1": "1 working day", "within 2 days": "within 2 days",
		"Same day": "the same day", "0 to 1 working days": "within 1 working day", " 5  –  7 days ": "5 to 7 days",
		"": "",
	} {
		d, err := ParseDays(typed)
		require.NoError(t, err, typed)
		assert.Equal(t, want, FormatDays(d), typed)
	}
	for typed, want := range map[string]string{
		"over 75": "from 75.00", "75 and over": "from 75.00", "orders over €75": "from 75.00",
		"at least 75 EUR":          "from 75.00",
		"over 75 or with coupon X": "from 75.00 or with coupon X", "120": "from 120.00",
		"from 120,50 EUR": "from 120.50", "from 3 items": "from 3 items",
		"with coupon LÖYLY, Sauna": "with coupon LÖYLY, Sauna", "no": "",
		"from 120 or from 3 items or with coupon X": "from 120.00 or from 3 items or with coupon X",
		"from 120 and with coupon X":                "from 120.00 and with coupon X", "from 1 item": "from 1 item",
		"with coupon GIFT from 50":               "from 50.00 and with coupon GIFT",
		"from 50 with coupon GIFT":               "from 50.00 and with coupon GIFT",
		"with coupons GIFT, SUMMER from 3 items": "from 3 items and with coupon GIFT, SUMMER",
		"from 3 items from 50":                   "from 50.00 and from 3 items",
		`with coupon "GIFT from 50"`:             `with coupon "GIFT from 50"`,
		`with coupon "A and from B until C"`:     `with coupon "A and from B until C"`,
		`with coupon “Summer 26”, X or from 50`:  `from 50.00 or with coupon "Summer 26", X`,
	} {
		f, err := ParseFree(typed, w)
		require.NoError(t, err, typed)
		assert.Equal(t, want, FormatFree(f, w), typed)
	}
	for typed, want := range map[string]string{"1": "1.00", "5%": "5 %", "1 + 5 % of goods": "1.00 + 5 % of goods",
		"2.5 % of the charge+0,50": "0.50 + 2.5 %", "": ""} {
		h, err := ParseHandling(typed, w)
		require.NoError(t, err, typed)
		assert.Equal(t, want, FormatHandling(h, w), typed)
	}
	for typed, want := range map[string]string{"15": "up to 15 kg", "up to 15 kg": "up to 15 kg",
		"from 5kg": "from 5 kg", "5 to 30": "5 kg to 30 kg", "5-30 kg": "5 kg to 30 kg", "5 and over": "from 5 kg",
		"between 1,5 and 2": "1.5 kg to 2 kg", "": "", "any": ""} {
		b, err := ParseBounds(typed, "kg")
		require.NoError(t, err, typed)
		assert.Equal(t, want, FormatBounds(b, kilos), typed)
	}
	assert.Equal(t, []string{"A", "B c"}, ParseList(" A, B  c,, a"))
}

func TestTermsThatAreNotUnderstood(t *testing.T) {
	_, err := ParseDays("soon")
	assert.ErrorContains(t, err, "2 to 4 working days")
	_, err = ParseDays("4 to 2")
	assert.ErrorContains(t, err, "2 to 4?")
	for _, typed := range []string{"from much", "from 3 items or from 4 items", "from 100 or from 120", "with coupon ",
		"-5"} {
		_, err = ParseFree(typed, w)
		assert.ErrorContains(t, err, "from 120.00", typed)
	}
	for _, typed := range []string{"with coupon SUMMER 26", "with coupon A B from 50", `with coupon "A`} {
		_, err = ParseFree(typed, w)
		assert.ErrorContains(t, err, "quotation marks", typed)
	}
	_, err = ParseFree("with coupon GIFT from 50 or from 100 items", w)
	assert.ErrorContains(t, err, "either all")
	_, err = ParseFree("over 3 items", w)
	assert.ErrorContains(t, err, "from 3 items, or from 4 items")
	_, err = ParseFree("from 1 or from 2 items and with coupon X", w)
	assert.ErrorContains(t, err, "either all")
	for _, typed := range []string{"much", "1 + 2", "5 % of weight", "5 % + 5 %", "-1"} {
		_, err = ParseHandling(typed, w)
		assert.Error(t, err, typed)
	}
	for _, typed := range []string{"heavy", "30 to 5", "up to", "-3", "1e400"} {
		_, err = ParseBounds(typed, "kg")
		assert.Error(t, err, typed)
	}
}

func TestWhatIsWrittenReadsBack(t *testing.T) {
	number := rapid.Custom(func(t *rapid.T) *decimal.Decimal {
		if rapid.Bool().Draw(t, "none") {
			return nil
		}
		d := decimal.MustParse(rapid.SampledFrom([]string{"0", "1", "2.5", "120", "0.125"}).Draw(t, "number"))
		return &d
	})
	rapid.Check(t, func(t *rapid.T) {
		d := &store.Days{Min: rapid.Int64Range(0, 9).Draw(t, "min"), Business: rapid.Bool().Draw(t, "business")}
		d.Max = d.Min + rapid.Int64Range(0, 5).Draw(t, "more")
		got, err := ParseDays(FormatDays(d))
		require.NoError(t, err)
		assert.Equal(t, FormatDays(d), FormatDays(got))
		f := &store.Free{
			Subtotal: number.Draw(t, "subtotal"),
			Coupons:  rapid.SampledFrom([][]string{nil, {"LÖYLY"}, {"A 1", "or else", `6" box`}}).Draw(t, "coupons"),
			Require:  rapid.SampledFrom([]store.Require{store.RequireAny, store.RequireAll}).Draw(t, "require"),
		}
		f.Available = rapid.SampledFrom([]*calendar.Period{
			nil, {From: "2026-12-01"}, {To: "2026-12-24"}, {From: "2026-12-01", To: "2026-12-24"},
			{From: "2026-12-06", To: "2026-12-06"},
		}).Draw(t, "available")
		if rapid.Bool().Draw(t, "quantity") {
			n := rapid.Int64Range(1, 9).Draw(t, "n")
			f.Quantity = &n
		}
		if f.Subtotal == nil && f.Quantity == nil && f.Coupons == nil {
			f.Available = nil // of nothing
		}
		free, err := ParseFree(FormatFree(f, w), w)
		require.NoError(t, err, FormatFree(f, w))
		assert.Equal(t, FormatFree(f, w), FormatFree(free, w))
		h := &store.Handling{
			Amount:  number.Draw(t, "amount"),
			Percent: number.Draw(t, "percent"),
			Of:      rapid.SampledFrom([]store.ShareOf{store.OfCharge, store.OfSubtotal}).Draw(t, "of"),
		}
		handling, err := ParseHandling(FormatHandling(h, w), w)
		require.NoError(t, err)
		assert.Equal(t, FormatHandling(h, w), FormatHandling(handling, w))
		b := &store.Bounds{From: number.Draw(t, "from"), To: number.Draw(t, "to")}
		if b.From != nil && b.To != nil && b.To.Less(*b.From) {
			b.From, b.To = b.To, b.From
		}
		bounds, err := ParseBounds(FormatBounds(b, kilos), "kg")
		require.NoError(t, err)
		assert.Equal(t, FormatBounds(b, kilos), FormatBounds(bounds, kilos))
	})
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"2 to 4 working days", "from 120 or with coupon X", "1.00 + 5 % of goods",
		"5 to 30 kg"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if d, err := ParseDays(text); err == nil && d != nil && d.Max < d.Min {
			t.Fatalf("%q: %+v", text, d)
		}
		ParseFree(text, w)
		ParseHandling(text, w)
		ParseBounds(text, "kg")
	})
}
