package past

import (
	"encoding/json"
	"fmt"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/test/drawn"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// The threshold that is found is the smallest: with it the margin is not negative, and with one cent less it is. What a
// threshold does is what the engine says of the store that has it.
func TestTheThresholdFoundIsTheSmallest(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		file := drawn.Store(t)
		text, err := json.Marshal(file)
		require.NoError(t, err)
		f, faults := store.Read(text)
		require.Empty(t, faults)
		f.Methods[0].Enabled = true
		e := quote.Compile(f, nil)
		r := WithoutFree(e, "m0", nil)
		var free Free
		var orders []*Order
		for range rapid.IntRange(0, 12).Draw(t, "orders") {
			o, _ := drawOrder(t)
			o.Method, o.Cost = "m0", sum(drawn.Amount(t, "cost"))
			orders = append(orders, o)
			r.Add(&free, o)
		}
		free.Settle()
		margin := func(threshold decimal.Decimal) decimal.Decimal {
			with := f.Clone()
			with.Methods[0].Free = &store.Free{Subtotal: &threshold}
			for zone, terms := range with.Methods[0].Terms {
				terms.Free = with.Methods[0].Free
				with.Methods[0].Terms[zone] = terms
			}
			rater, total, n := NewRater(quote.Compile(with, nil)), decimal.Zero, 0
			for _, o := range orders {
				if is := rater.Rate(o); is.Outcome == ByItsMethod {
					total, n = total.Add(is.Margin), n+1
				}
			}
			assert.Equal(t, free.Orders(), n)
			return total
		}
		tried := decimal.New(int64(rapid.IntRange(0, 9000).Draw(t, "threshold")), 2)
		at := free.At(tried)
		assert.Zero(t, margin(tried).Cmp(at.Margin), "%s", tried)
		assert.Zero(t, at.Margin.Add(at.Forgone).Cmp(free.Never()))
		least, ok := free.Smallest(f.Store.Units().Digits)
		if !ok {
			assert.Negative(t, free.Never().Sign())
			return
		}
		assert.GreaterOrEqual(t, margin(least).Sign(), 0)
		if less := least.Sub(decimal.New(1, f.Store.Units().Digits)); less.Sign() >= 0 {
			assert.Negative(t, margin(less).Sign(), "%s would do", less)
		}
	})
}

func TestWhatAThresholdGivesAway(t *testing.T) {
	e := rater(t, shop).Engine()
	r := WithoutFree(e, "letter", nil)
	var free Free
	for i, n := range []int64{1, 2, 2, 4} { // goods of 20, 40, 40 and 80; each pays 5.00, of which 4.00 is left
		o := order("FI", "towel", n, "letter")
		o.ID, o.Cost = fmt.Sprint(i), sum("2.50")
		r.Add(&free, o)
	}
	r.Add(&free, order("FI", "towel", 1, "parcel"))
	free.Settle()
	at := free.At(decimal.FromInt(40))
	assert.Equal(
		t,
		[]any{4, 3, 0, "-6", "12"},
		[]any{at.Orders, at.Free, at.JustUnder, at.Margin.String(), at.Forgone.String()},
	)
	at = free.At(decimal.FromInt(45))
	assert.Equal(t, []any{1, 2, "2"}, []any{at.Free, at.JustUnder, at.Margin.String()}, "two carts lack 5.00")
	least, ok := free.Smallest(2)
	assert.True(t, ok)
	assert.Equal(t, "40.01", least.String(), "three of four pay")
	assert.Nil(t, WithoutFree(e, "pigeon", nil))
}

func TestTheOrdersThatLoseMost(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a, b, all := NewLosses(3), NewLosses(3), NewLosses(100)
		for i := range rapid.IntRange(0, 20).Draw(t, "orders") {
			o := &Order{ID: fmt.Sprintf("%02d", i)}
			is := &Rated{CostKnown: true, Margin: decimal.New(int64(rapid.IntRange(-5, 2).Draw(t, "margin")), 0)}
			all.Add(o, is)
			if i%2 == 0 {
				a.Add(o, is)
			} else {
				b.Add(o, is)
			}
		}
		a.Merge(b)
		assert.Equal(t, len(all.List()[:min(3, len(all.List()))]), len(a.List()))
		for i := range a.List() {
			assert.Equal(t, all.List()[i].Order.ID, a.List()[i].Order.ID)
		}
	})
}

func TestDifferencesAreCountedInSteps(t *testing.T) {
	d := NewDifferences(decimal.MustParse("0.50"))
	for _, more := range []string{"0", "0.01", "0.50", "0.51", "-0.01", "-0.50", "-1.20"} {
		d.Add(&Rated{Total: decimal.FromInt(5)}, &Rated{Total: decimal.FromInt(5).Add(decimal.MustParse(more))})
	}
	d.Add(&Rated{Outcome: NotOffered}, &Rated{})
	var list []string
	for _, one := range d.List() {
		list = append(list, fmt.Sprintf("%s: %d", one.At, one.Count))
	}
	assert.Equal(t, []string{"-1.5: 1", "-0.5: 2", "0: 1", "0.5: 2", "1: 1"}, list)
}
