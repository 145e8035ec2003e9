package history_test

import (
	"bytes"
	"fmt"
	"testing"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/past"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/demo"
	"diadrom/internal/shop/history"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// said is a report in lines, to compare.
func said(r *history.Result) (lines []string) {
	sums := func(s *past.Sums) string {
		return fmt.Sprint(
			s.NotOffered,
			s.NoShipping,
			s.OtherMethod,
			s.Unrated,
			s.CostUnknown,
			s.Charge,
			s.Tax,
			s.Cost,
			s.Margin,
		)
	}
	for _, list := range [][]*past.Group{r.Groups, r.Zones, {r.Total}} {
		for _, g := range list {
			lines = append(
				lines,
				fmt.Sprint(g.Key, g.Orders, g.Paid, sums(&g.Sums), sums(g.Against), g.Dearer, g.Cheaper, g.Same,
					g.Lost, g.Gained),
			)
		}
	}
	for _, d := range r.Differences {
		lines = append(lines, fmt.Sprint(d.At, d.Count))
	}
	return lines
}

// A report that begins with the one before is the one that is made of all orders, whatever was edited meanwhile.
func TestWhatIsRatedAgainEqualsTheWhole(t *testing.T) {
	h, _ := opened(t)
	var text bytes.Buffer
	require.NoError(t, demo.WriteOrders(&text, 120, until))
	take(t, h, text.String())
	live, err := demo.Store()
	require.NoError(t, err)
	under, asked := quote.Compile(live, nil), 0
	rapid.Check(t, func(t *rapid.T) {
		draft := live
		for i := range rapid.IntRange(1, 3).Draw(t, "edits") {
			draft = draft.Clone()
			m := &draft.Methods[rapid.IntRange(0, len(draft.Methods)-1).Draw(t, "method")]
			list := &m.Tables[0]
			row := rapid.IntRange(0, len(list.Rows)-1).Draw(t, "row")
			column := rapid.IntRange(0, len(list.Zones)-1).Draw(t, "column")
			price := decimal.New(int64(rapid.IntRange(0, 3000).Draw(t, "price")), 2)
			switch rapid.SampledFrom([]string{"price", "price", "price", "no", "off", "terms", "costs", "row", "zone", "same"}).
				Draw(t, "edit") {
			case "price":
				list.Rows[row].Charges[column] = &rate.Charge{Base: &price}
			case "no":
				list.Rows[row].Charges[column] = nil
			case "off":
				m.Enabled = !m.Enabled
			case "terms":
				m.Minimum = &price
			case "costs":
				draft.Costs[1].Tables[0].Rows[0].Charges[0] = &rate.Charge{Base: &price}
			case "row":
				if len(list.Rows) > 1 && list.Edges == rate.UpTo {
					list.Rows = list.Rows[1:]
				}
			case "zone":
				draft.Zones[2].Enabled = !draft.Zones[2].Enabled
			}
			against := quote.Compile(draft, nil)
			ask := history.Ask{Under: under, Against: against, By: []past.By{past.Method, past.Month}}
			asked++
			ask.Key = fmt.Sprint(asked)
			again, at := h.Report(ask, time.Minute)
			require.NoError(t, at.Err)
			fresh := history.New(h.DB(), "", nil)
			whole, at := fresh.Report(ask, time.Minute)
			require.NoError(t, at.Err)
			assert.Equal(t, said(whole), said(again), "after edit %d", i)
		}
	})
}

// The report after a change of one price of one method in one zone, beside a report of all orders.
func BenchmarkReportAfterAPrice(b *testing.B) {
	var text bytes.Buffer
	require.NoError(b, demo.WriteOrders(&text, 60_000, until))
	h := benchHistory(b, text.Bytes())
	live, err := demo.Store()
	require.NoError(b, err)
	under, n := quote.Compile(live, nil), 0
	ask := func(h *history.History, f *store.File) {
		n++
		r, at := h.Report(history.Ask{Key: fmt.Sprint(n), Under: under, Against: quote.Compile(f, nil),
			By: []past.By{past.Zone}}, time.Hour)
		require.NoError(b, at.Err)
		require.Equal(b, 60_000, r.Total.Orders)
	}
	dearer := func() *store.File {
		f := live.Clone()
		price := decimal.New(int64(700+n), 2)
		f.Method("parcel").Tables[0].Rows[0].Charges[2] = &rate.Charge{Base: &price} // Lapland
		return f
	}
	b.Run("all orders", func(b *testing.B) {
		for b.Loop() {
			ask(history.New(h.DB(), "", nil), dearer())
		}
	})
	ask(h, dearer())
	b.Run("after a price", func(b *testing.B) {
		for b.Loop() {
			ask(h, dearer())
		}
	})
}
