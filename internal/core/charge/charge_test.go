package charge

import (
	"errors"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var euro = Words{rate.Units{Digits: 2, Weight: "kg", Distance: "km"}, "EUR"}

func TestChargesAreReadAsSaid(t *testing.T) {
	for text, canonical := range map[string]string{
		"6.90": "6.90", "6,90": "6.90", "€ 6.90": "6.90", "6.9 EUR": "6.90", "  7 ": "7.00", "0": "free",
		"free": "free", "FREE": "free", "no": "no",
		"3.00 + 1.00 per item": "3.00 + 1.00 per item", "1 per item+3": "3.00 + 1.00 per item",
		"1.00 each + 3":                       "3.00 + 1.00 per item",
		"4.00 first item, 1.50 each next":     "4.00 first item, 1.50 each next",
		"4,00 first item, 1,50 each next":     "4.00 first item, 1.50 each next",
		"9.90 + 0.80 per started kg above 10": "9.90 + 0.80 per started kg above 10", "0,80 per started KG above 10 " +
			"kg + 9,90": "9.90 + 0.80 per started kg above 10",
		"5 % of goods": "5 % of goods", "5%": "5 % of goods", "2.5 percent of the goods": "2.5 % of goods",
		"1.20 per km": "1.20 per km", "0.45 per km above 10": "0.45 per km above 10",
		"0.50 per started 0.5 kg": "0.50 per started 0.5 kg",
		"0.50 per 1 kg":           "0.50 per kg", "0.105 per kg": "0.105 per kg",
	} {
		c, err := Parse(text, euro)
		require.NoError(t, err, text)
		assert.Equal(t, canonical, Format(c, euro), text)
	}
}

func TestSlipsArePointedAt(t *testing.T) {
	for _, c := range []struct{ text, at, says string }{
		{"", "", "6.90"},
		{"abc", "abc", "how a term begins"},
		{"1,200.50", "1,200.50", "1200.50"},
		{"1.200,50", "1.200,50", "1200.50"},
		{"3 + 4", "4", "7"},
		{"5 6", "6", "5 + 6"},
		{"1.00 per lb", "lb", "kg and km"},
		{"1.00 per", "", "per what"},
		{"-4", "-4", "below 0"},
		{"no 5", "5", "behind no"},
		{"3 +", "", "missing"},
		{"5 % of weight", "weight", "% of goods"},
		{"1e400", "e", "does not belong"},
		{"1 per 0 kg", "0", "step of 0"},
		{"1 per kg above", "", "above how much"},
		{"9999999999999999999", "9999999999999999999", "digits"},
		{".5", ".5", "0.5"},
	} {
		_, err := Parse(c.text, euro)
		var slip *Error
		require.True(t, errors.As(err, &slip), "%q: %v", c.text, err)
		assert.Equal(t, c.at, c.text[slip.From:slip.To], c.text)
		assert.Contains(t, err.Error(), c.says, c.text)
	}
}

func drawn() *rapid.Generator[*rate.Charge] {
	return rapid.Custom(func(t *rapid.T) *rate.Charge {
		money := rapid.Map(rapid.Int64Range(0, 99999), func(n int64) decimal.Decimal { return decimal.New(n, 2) })
		some := func(name string) *decimal.Decimal {
			if !rapid.Bool().Draw(t, name+"?") {
				return nil
			}
			d := money.Draw(t, name)
			return &d
		}
		unit := func(name string) *rate.PerUnit {
			amount := some(name)
			if amount == nil {
				return nil
			}
			u := &rate.PerUnit{Amount: *amount, Started: rapid.Bool().Draw(t, "started")}
			if every := some("every"); every != nil && !every.IsZero() && every.Cmp(decimal.One) != 0 {
				u.Every = every
			}
			if above := some("above"); above != nil && !above.IsZero() {
				u.Above = above
			}
			return u
		}
		c := &rate.Charge{
			Base:        some("base"),
			PerItem:     some("item"),
			FirstItem:   some("first"),
			NextItem:    some("next"),
			PerWeight:   unit("weight"),
			PerDistance: unit("distance"),
			Percent:     some("percent"),
		}
		if *c == (rate.Charge{}) {
			return nil
		}
		return c
	})
}

func TestPrintThenParseIsTheIdentity(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := drawn().Draw(t, "charge")
		text := Format(c, euro)
		again, err := Parse(text, euro)
		require.NoError(t, err, text)
		assert.Equal(t, text, Format(again, euro))
		// The same price, not only the same text.
		if c != nil {
			distance := decimal.New(12345, 3)
			goods := &rate.Goods{
				Weight:   decimal.New(7321, 2),
				Quantity: 3,
				Subtotal: decimal.New(4210, 2),
				Distance: &distance,
			}
			price := func(c *rate.Charge) string {
				table := rate.Table{By: rate.ByOrder, Rows: []rate.Row{{Charges: []*rate.Charge{c}}}}
				amount, _, outcome := table.Price(0, goods)
				require.Equal(t, rate.Priced, outcome)
				return amount.String()
			}
			assert.Equal(t, price(c), price(again), text)
		}
	})
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"6.90", "4 first item, 1 each next", "0.8 per started 2 kg above 10", "5 %", "no", "€",
		"1,2,3", "\xff"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		c, err := Parse(text, euro)
		if err != nil {
			var slip *Error
			if !errors.As(err, &slip) || slip.From > slip.To || slip.To > len(text) {
				t.Fatalf("%q: %#v", text, err)
			}
			return
		}
		canonical := Format(c, euro)
		again, err := Parse(canonical, euro)
		if err != nil || Format(again, euro) != canonical {
			t.Fatalf("%q prints as %q, which reads as %v, %v", text, canonical, again, err)
		}
	})
}
