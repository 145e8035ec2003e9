package products

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/csv"
	"net/url"
	"path/filepath"
	"testing"

	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/productlist"
	"diadrom/internal/tables/sheet"
	"diadrom/internal/test/storetest"
)

// Taking 50,000 products in from a table, beside parsing the table alone and a bare insert of its rows with one
// prepared statement in one transaction.
func BenchmarkProductList(b *testing.B) {
	ctx := context.Background()
	var text bytes.Buffer
	if err := sheet.Write(&text, productlist.Write(storetest.WithProducts(50_000))); err != nil {
		b.Fatal(err)
	}
	b.Run("import", func(b *testing.B) {
		for b.Loop() {
			b.StopTimer()
			db, err := sqlite.Open(ctx, b.TempDir())
			if err != nil {
				b.Fatal(err)
			}
			first := storetest.WithProducts(1)
			first.Products = nil
			d, err := draft.Open(ctx, db, nil, first)
			if err != nil {
				b.Fatal(err)
			}
			job := &takingGoods{}
			b.StartTimer()
			if err := takeGoodsRows(ctx, d, grid.Bytes(text.Bytes()), url.Values{}, job); err != nil {
				b.Fatal(err)
			}
			b.StopTimer()
			if len(d.State().File.Products) != 50_000 {
				b.Fatal(job.counts)
			}
			db.Close()
			b.StartTimer()
		}
	})
	b.Run("bare", func(b *testing.B) {
		for b.Loop() {
			b.StopTimer()
			db, err := sql.Open(
				"sqlite",
				"file:"+filepath.Join(
					b.TempDir(),
					"bare.db",
				)+"?_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)",
			)
			if err != nil {
				b.Fatal(err)
			}
			if _, err := db.Exec(
				"CREATE TABLE product (sku TEXT PRIMARY KEY, b TEXT, c TEXT, d TEXT, e TEXT, f TEXT, g TEXT, h " +
					"TEXT, i TEXT, j TEXT, k TEXT, l TEXT, m TEXT)",
			); err != nil {
				b.Fatal(err)
			}
			b.StartTimer()
			rows, err := csv.NewReader(bytes.NewReader(grid.Bytes(text.Bytes()))).ReadAll()
			if err != nil {
				b.Fatal(err)
			}
			tx, err := db.Begin()
			if err != nil {
				b.Fatal(err)
			}
			insert, err := tx.Prepare("INSERT INTO product VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)")
			if err != nil {
				b.Fatal(err)
			}
			values := make([]any, len(rows[0]))
			for _, row := range rows[1:] {
				for i, cell := range row {
					values[i] = cell
				}
				if _, err := insert.Exec(values...); err != nil {
					b.Fatal(err)
				}
			}
			if err := tx.Commit(); err != nil {
				b.Fatal(err)
			}
			b.StopTimer()
			db.Close()
			b.StartTimer()
		}
	})
}
