package history_test

import (
	"bytes"
	"context"
	"database/sql"
	"path/filepath"
	"testing"

	"diadrom/internal/core/past"
	"diadrom/internal/shop/demo"
	"diadrom/internal/shop/history"
	"diadrom/internal/sqlite"

	"github.com/stretchr/testify/require"
)

// Taking 50,000 orders in from a file, beside a bare prepared insert of the same rows in one transaction.
func BenchmarkTakingOrdersIn(b *testing.B) {
	var text bytes.Buffer
	require.NoError(b, demo.WriteOrders(&text, 50_000, until))
	var rows []sqlite.PastRow
	b.Run("taken in", func(b *testing.B) {
		for b.Loop() {
			dir := b.TempDir()
			db, err := sqlite.OpenPast(ctx, dir)
			require.NoError(b, err)
			h := history.New(db, dir, nil)
			f, err := h.Keep(ctx, "orders.csv", bytes.NewReader(text.Bytes()))
			require.NoError(b, err)
			l, err := h.Look(&f, history.Choices{Currency: "EUR"})
			require.NoError(b, err)
			require.NoError(b, h.Take(ctx, &f, l.Choices))
			if rows == nil {
				b.StopTimer()
				require.NoError(b, db.Orders(ctx, "", nil, func(o *past.Order) error {
					rows = append(rows, sqlite.NewPastRow(o))
					return nil
				}))
				b.StartTimer()
			}
			db.Close()
		}
	})
	b.Run("bare insert", func(b *testing.B) {
		for b.Loop() {
			dir := b.TempDir()
			past, err := sqlite.OpenPast(ctx, dir) // with the same tables
			require.NoError(b, err)
			past.Close()
			db, err := sql.Open(
				"sqlite",
				"file:"+filepath.Join(dir, sqlite.PastName)+"?_pragma=journal_mode(WAL)&_pragma=synchronous(NORMAL)",
			)
			require.NoError(b, err)
			tx, err := db.BeginTx(context.Background(), nil)
			require.NoError(b, err)
			insert, err := tx.Prepare(
				"INSERT INTO past_order (file, number, at, day, country, region, city, postcode, buyer, coupons, " +
					"method, paid, cost, tracking, lines) VALUES (1, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
			)
			require.NoError(b, err)
			for i := range rows {
				o := &rows[i]
				_, err := insert.Exec(
					o.Number,
					o.At,
					o.Day,
					o.Country,
					o.Region,
					o.City,
					o.Postcode,
					o.Buyer,
					o.Coupons,
					o.Method,
					o.Paid,
					o.Cost,
					o.Tracking,
					o.Lines,
				)
				require.NoError(b, err)
			}
			require.NoError(b, tx.Commit())
			db.Close()
		}
	})
}

// benchHistory is past orders taken in.
func benchHistory(b *testing.B, text []byte) *history.History {
	b.Helper()
	dir := b.TempDir()
	db, err := sqlite.OpenPast(ctx, dir)
	require.NoError(b, err)
	b.Cleanup(func() { db.Close() })
	h := history.New(db, dir, nil)
	f, err := h.Keep(ctx, "orders.csv", bytes.NewReader(text))
	require.NoError(b, err)
	l, err := h.Look(&f, history.Choices{Currency: "EUR"})
	require.NoError(b, err)
	require.NoError(b, h.Take(ctx, &f, l.Choices))
	return h
}
