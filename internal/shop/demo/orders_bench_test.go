package demo

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"io"
	"os"
	"runtime"
	"strconv"
	"testing"
	"time"

	"diadrom/internal/core/measure"
	"diadrom/internal/core/past"
	"diadrom/internal/core/quote"
	"diadrom/internal/tables/orderlist"

	"github.com/stretchr/testify/require"
)

// madeOrders are so many invented orders as text; 100,000, or as many as DIADROM_TEST_ORDERS says. Of carts there are
// so many different ones: shops sell the same goods together again and again.
func madeOrders(tb testing.TB, carts int) []byte {
	n := 100_000
	if text := os.Getenv("DIADROM_TEST_ORDERS"); text != "" {
		n, _ = strconv.Atoi(text)
	}
	var text bytes.Buffer
	require.NoError(tb, WriteOrders(&text, min(n, carts), time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)))
	head, body, _ := bytes.Cut(text.Bytes(), []byte("\n"))
	return append(append(bytes.Clone(head), '\n'), bytes.Repeat(body, max(1, n/carts))...)
}

// Orders rated anew under two stores, beside parsing them with encoding/csv.
func BenchmarkRerate(b *testing.B) {
	text := madeOrders(b, 1<<30)
	b.Run("encoding/csv", func(b *testing.B) {
		b.SetBytes(int64(len(text)))
		for b.Loop() {
			r := csv.NewReader(bytes.NewReader(text))
			r.ReuseRecord = true
			for {
				if _, err := r.Read(); errors.Is(err, io.EOF) {
					break
				} else if err != nil {
					b.Fatal(err)
				}
			}
		}
	})
	again := madeOrders(b, 20_000)
	for _, one := range []struct {
		name  string
		boxes bool
		text  []byte
	}{{"all carts different", false, text}, {"20,000 different carts", false, again},
		{"20,000 carts in boxes", true, again},
		{"all carts different in boxes", true, text}} {
		b.Run(one.name, func(b *testing.B) {
			f, err := Store()
			require.NoError(b, err)
			for i := range f.Methods {
				if !one.boxes {
					f.Methods[i].Parcels = nil
				}
			}
			g, err := Gazetteer()
			require.NoError(b, err)
			dearer := f.Clone()
			dearer.Methods[1].Tables[0].Rows[0].Charges[0] = nil
			first, second := quote.Compile(f, g), quote.Compile(dearer, g)
			b.SetBytes(int64(len(one.text)))
			for b.Loop() {
				var before, after runtime.MemStats
				runtime.ReadMemStats(&before)
				rerateText(b, one.text, past.NewRater(first), past.NewRater(second))
				runtime.ReadMemStats(&after)
				b.ReportMetric(float64(after.Sys)/(1<<20), "MB-sys")
			}
		})
	}
}

// rerateText rates orders under two stores, by method and zone, and gives all groups.
func rerateText(tb testing.TB, text []byte, first, second *past.Rater) *past.Report {
	head, sep, rest, err := orderlist.Open(bytes.NewReader(text))
	require.NoError(tb, err)
	columns, ignored, err := orderlist.Contract(head)
	require.NoError(tb, err)
	require.Empty(tb, ignored)
	by := []past.By{past.Method, past.Zone, past.Month}
	reports := make([]*past.Report, runtime.GOMAXPROCS(0))
	handlers := make([]func(*past.Order) error, len(reports))
	for i := range reports {
		reports[i] = past.NewReport(by)
		handlers[i] = past.Into(reports[i], first, second)
	}
	result, err := orderlist.Each(context.Background(), rest, &orderlist.Options{Columns: columns, Separator: sep,
		Numbers: measure.Column{Decimal: '.'}, Currency: "EUR", Skip: 1}, handlers, nil)
	require.NoError(tb, err)
	require.Zero(tb, result.RefusedLines, "%v", result.Refused)
	total := past.NewReport(by)
	for _, r := range reports {
		total.Merge(r)
	}
	return total
}
