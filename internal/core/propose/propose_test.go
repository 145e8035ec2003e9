package propose

import (
	"encoding/json"
	"fmt"
	"math/big"
	"math/rand/v2"
	"os"
	"testing"

	"diadrom/internal/core/decimal"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func d(text string) decimal.Decimal { return decimal.MustParse(text) }

// drawOrders draws orders in which costs need not grow with the measure.
func drawOrders(t *rapid.T, most int) []Order {
	orders := make([]Order, rapid.IntRange(1, most).Draw(t, "orders"))
	for i := range orders {
		orders[i] = Order{ID: fmt.Sprint(i), Measure: decimal.New(int64(rapid.IntRange(1, 12).Draw(t, "measure")), 1),
			Cost: decimal.New(
				int64(rapid.SampledFrom([]int{0, 100, 310, 311, 312, 500, 505, 999, 4321}).Draw(t, "cost")),
				2,
			)}
	}
	return orders
}

func rat(x decimal.Decimal) *big.Rat {
	r, _ := new(big.Rat).SetString(x.String())
	return r
}

// plainSquares is the sum of squared differences from the mean, as it is defined.
func plainSquares(costs []*big.Rat) *big.Rat {
	mean, sum := new(big.Rat), new(big.Rat)
	for _, c := range costs {
		mean.Add(mean, c)
	}
	mean.Quo(mean, big.NewRat(int64(len(costs)), 1))
	for _, c := range costs {
		diff := new(big.Rat).Sub(c, mean)
		sum.Add(sum, diff.Mul(diff, diff))
	}
	return sum
}

// leastSquares tries all splits between orders of different measure.
func leastSquares(orders []Order, rows int) *big.Rat {
	var least *big.Rat
	for to := 1; to <= len(orders); to++ {
		if to < len(orders) && orders[to].Measure.Cmp(orders[to-1].Measure) == 0 {
			continue
		}
		var costs []*big.Rat
		for i := range to {
			costs = append(costs, rat(orders[i].Cost))
		}
		sum := plainSquares(costs)
		if to < len(orders) {
			if rows == 1 {
				continue
			}
			rest := leastSquares(orders[to:], rows-1)
			if rest == nil {
				continue
			}
			sum.Add(sum, rest)
		}
		if least == nil || sum.Cmp(least) < 0 {
			least = sum
		}
	}
	return least
}

// No other rows fit the costs better (Fisher 1958): all splits are tried.
func TestNoOtherRowsFitBetter(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		orders, rows := drawOrders(t, 14), rapid.IntRange(1, 5).Draw(t, "rows")
		p, err := List(orders, Options{Rows: rows, Digits: 2})
		require.NoError(t, err)
		assert.LessOrEqual(t, len(p.Rows), rows)
		want, _ := leastSquares(orders, rows).Float64()
		assert.InDelta(t, want, p.Squares.Float64(), 1e-9*max(1, want))
		if len(p.Rows) > 1 {
			fewer, _ := leastSquares(orders, len(p.Rows)-1).Float64()
			assert.Greater(t, fewer, want, "a row that is not needed")
		}
	})
}

// The same with many orders, beside dynamic programming over all beginnings.
func TestPruningLosesNothing(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for name, cost := range map[string]func(i int) float64{
		"noise":             func(int) float64 { return r.Float64() * 20 },
		"growing":           func(i int) float64 { return float64(i)/50 + r.Float64()*3 },
		"steps":             func(i int) float64 { return float64(i/60) + r.Float64() },
		"falling":           func(i int) float64 { return 30 - float64(i)/20 },
		"alike":             func(int) float64 { return 4.5 },
		"growing with ties": func(i int) float64 { return float64(int(float64(i)/40 + r.Float64()*2)) },
		"one far off":       func(i int) float64 { return map[bool]float64{true: 1e6}[i == 77] + r.Float64() },
	} {
		groups := make([]group, 400)
		for i := range groups {
			c, n := cost(i), float64(1+r.IntN(3))
			groups[i] = group{n, n * c, n * c * c}
		}
		s := newSplitter(groups)
		for _, rows := range []int{1, 2, 5, 8} {
			first := s.split(rows)
			have := 0.0
			for i, g := range first {
				to := len(groups)
				if i+1 < len(first) {
					to = first[i+1]
				}
				have += s.squares(g, to)
			}
			assert.InDelta(t, plainSplit(s, rows), have, 1e-9*s.squares(0, len(groups))+1e-9, "%s, %d rows", name, rows)
		}
	}
}

// plainSplit is the least sum of squares by dynamic programming over all beginnings of each row.
func plainSplit(s *splitter, rows int) float64 {
	d := len(s.n) - 1
	best := make([]float64, d+1)
	for j := 1; j <= d; j++ {
		best[j] = s.squares(0, j)
	}
	for row := 2; row <= rows; row++ {
		next := make([]float64, d+1)
		copy(next, best)
		for j := row; j <= d; j++ {
			for i := row - 1; i < j; i++ {
				next[j] = min(next[j], best[i]+s.squares(i, j))
			}
		}
		best = next
	}
	return best[d]
}

// Where what is split by is what is compared, the rows are the clusters of ckmeans: those of npm's simple-statistics
// 7.12.1 on drawn data (testdata/ckmeans.mjs), after Wang and Song, Ckmeans.1d.dp, The R Journal 3/2, 2011.
func TestRowsEqualPublishedClusters(t *testing.T) {
	data, err := os.ReadFile("testdata/ckmeans.json")
	require.NoError(t, err)
	var cases []struct {
		Rows            int
		Values, Largest []string
		Clusters        []int
	}
	require.NoError(t, json.Unmarshal(data, &cases))
	require.Len(t, cases, 60)
	alike := 0
	for i, c := range cases {
		orders := make([]Order, len(c.Values))
		for j, v := range c.Values {
			orders[j] = Order{Measure: d(v), Cost: d(v)}
		}
		p, err := List(orders, Options{Rows: c.Rows, Digits: 2})
		require.NoError(t, err)
		sum, at := new(big.Rat), 0
		for _, n := range c.Clusters {
			var costs []*big.Rat
			for ; n > 0; n-- {
				costs = append(costs, rat(orders[at].Cost))
				at++
			}
			sum.Add(sum, plainSquares(costs))
		}
		want, _ := sum.Float64()
		assert.InDelta(t, want, p.Squares.Float64(), 1e-9*max(1, want), "case %d", i)
		same := len(p.Rows) == len(c.Largest)
		for j := 0; same && j < len(p.Rows); j++ {
			same = p.Rows[j].At.Fixed(2) == c.Largest[j]
		}
		if same {
			alike++
		}
	}
	assert.GreaterOrEqual(t, alike, 55, "where several splits are best, either may be taken")
}

func TestPricesOfAProposedList(t *testing.T) {
	orders := func(tax string) []Order {
		var list []Order
		for i, cost := range []string{"3.00", "3.10", "3.20", "3.30", "8.00", "8.00", "8.30"} {
			measure := "1"
			if i > 3 {
				measure = "5"
			}
			list = append(list, Order{fmt.Sprint(i), d(measure), d(cost), d(tax)})
		}
		return list
	}
	ninety, err := ParseEndings("0.90", 2)
	require.NoError(t, err)
	half := d("75")
	all := d("100")
	for name, c := range map[string]struct {
		tax    string
		of     Options
		prices []string
		margin string
		worst  string
	}{
		"the mean of 3.15 and of 8.10":  {"0", Options{}, []string{"3.15", "8.10"}, "0.00", "0.20"},
		"with 10 %":                     {"0", Options{Margin: d("10")}, []string{"3.47", "8.91"}, "3.71", "0.00"},
		"with 25 % tax":                 {"25", Options{}, []string{"3.94", "10.13"}, "0.00", "0.20"},
		"that end so":                   {"0", Options{Endings: ninety}, []string{"3.90", "8.90"}, "5.40", "0.00"},
		"that cover three quarters":     {"0", Options{Cover: &half}, []string{"3.20", "8.30"}, "0.80", "0.10"},
		"that cover all":                {"0", Options{Cover: &all}, []string{"3.30", "8.30"}, "1.20", "0.00"},
		"that cover all with 10 %":      {"0", Options{Cover: &all, Margin: d("10")}, []string{"3.63", "9.13"}, "5.01", "0.00"},
		"with 25 % tax, and end so":     {"25", Options{Endings: ninety}, []string{"4.90", "10.90"}, "4.94", "0.00"},
		"below the costs, if so wanted": {"0", Options{Margin: d("-50")}, []string{"1.58", "4.05"}, "-18.43", "4.25"},
	} {
		o := c.of
		o.Rows, o.Digits = 2, 2
		p, err := List(orders(c.tax), o)
		require.NoError(t, err, name)
		require.Len(t, p.Rows, 2, name)
		assert.Equal(t, c.prices, []string{p.Rows[0].Price.Fixed(2), p.Rows[1].Price.Fixed(2)}, name)
		assert.Equal(t, []string{"1", "5"}, []string{p.Rows[0].At.String(), p.Rows[1].At.String()}, name)
		assert.Equal(t, c.worst, p.Worst.Loss().Fixed(2), name)
		if c.tax == "0" {
			assert.Equal(t, c.margin, p.Margin.Fixed(2), name)
		}
		assert.Zero(t, p.Charge.Sub(p.Tax).Sub(p.Cost).Cmp(p.Margin), name)
	}
}

func TestEndings(t *testing.T) {
	for _, c := range []struct{ endings, of, want string }{
		{"0.90", "0", "0.90"}, {"0.90", "0.90", "0.90"}, {"0.90", "0.91", "1.90"}, {"9.90", "10", "19.90"},
		{"9.90", "9.9", "9.90"}, {"0", "3.01", "4.00"}, {"5", "3", "5.00"}, {"5", "5.01", "15.00"}, {"0.50, 0.95", "3.1", "3.50"},
		{"0.50 0.95", "3.51", "3.95"}, {"", "3.001", "3.01"}, {"", "3", "3.00"}, {"10", "11", "110.00"},
	} {
		endings, err := ParseEndings(c.endings, 2)
		require.NoError(t, err)
		assert.Equal(t, c.want, RoundUp(d(c.of), endings, 2).Fixed(2), "%s ending %s", c.of, c.endings)
	}
	for _, text := range []string{"x", "-1", "0.905"} {
		_, err := ParseEndings(text, 2)
		assert.Error(t, err, text)
	}
}

func TestWhatNoListIsMadeOf(t *testing.T) {
	some := []Order{{Measure: d("1"), Cost: d("1")}}
	zero, much := d("0"), d("101")
	for name, c := range map[string]struct {
		orders []Order
		o      Options
	}{
		"nothing":       {nil, Options{Rows: 1}},
		"no row":        {some, Options{}},
		"too many":      {some, Options{Rows: 101}},
		"covers none":   {some, Options{Rows: 1, Cover: &zero}},
		"covers more":   {some, Options{Rows: 1, Cover: &much}},
		"a price below": {some, Options{Rows: 1, Margin: d("-101")}},
	} {
		_, err := List(c.orders, c.o)
		assert.Error(t, err, name)
	}
}

// A proposal for 100,000 orders of a shop and 8 rows, by grams, with costs that grow and scatter.
func BenchmarkProposal(b *testing.B) {
	r := rand.New(rand.NewPCG(3, 4))
	orders := make([]Order, 100_000)
	for i := range orders {
		grams := 20 + r.IntN(30_000)
		orders[i] = Order{Measure: decimal.New(int64(grams), 3), Cost: decimal.New(int64(310+grams/40+r.IntN(400)), 2)}
	}
	for b.Loop() {
		list := append([]Order(nil), orders...)
		if _, err := List(list, Options{Rows: 8, Digits: 2}); err != nil {
			b.Fatal(err)
		}
	}
}
