package web

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/importer"
	"diadrom/internal/sqlite"
	"diadrom/internal/test/storetest"
	"diadrom/internal/web/signin"
)

// madeZones is a store of so many zones, each with so many postcode entries of Finland. Made-up data.
func madeZones(b *testing.B, zones, entries int) *store.File {
	var text strings.Builder
	text.WriteString(`{"format":"diadrom-store/1","store":{"currency":"EUR"},"zones":[`)
	for i := range zones {
		fmt.Fprintf(&text, `{"id":"z%d","name":"Zone %d","places":[{"country":"FI","postcodes":[`, i, i)
		for j := range entries {
			if j > 0 {
				text.WriteByte(',')
			}
			switch n := (i*7919 + j*104729) % 100000; {
			case j%20 == 19:
				fmt.Fprintf(&text, `"%05d to %05d"`, n, min(n+25, 99999))
			default:
				fmt.Fprintf(&text, `"%05d"`, n)
			}
		}
		text.WriteString(`]}]},`)
	}
	text.WriteString(`{"id":"fi","name":"Finland","places":[{"country":"FI"}]}]}`)
	f, faults := store.Read([]byte(text.String()))
	if len(faults) > 0 {
		b.Fatal(faults[0])
	}
	return f
}

// The zones' page of a small and of a very large store, and the answer to an edit there: what of it depends on
// the size is laid out once for an edit.
func BenchmarkZonesPage(b *testing.B) {
	for _, size := range []struct{ zones, entries int }{{10, 10}, {1000, 100}} {
		ctx, dir := context.Background(), b.TempDir()
		db, err := sqlite.Open(ctx, dir)
		if err != nil {
			b.Fatal(err)
		}
		defer db.Close()
		d, err := draft.Open(ctx, db, nil, madeZones(b, size.zones, size.entries))
		if err != nil {
			b.Fatal(err)
		}
		h := served(b, d, db, dir)
		ask := func(b *testing.B, r *http.Request) {
			w := httptest.NewRecorder()
			h.ServeHTTP(w, r)
			if w.Code != http.StatusOK {
				b.Fatal(w.Code, w.Body.String())
			}
			b.SetBytes(int64(w.Body.Len()))
		}
		name := fmt.Sprintf("%dx%d", size.zones, size.entries)
		b.Run("page/"+name, func(b *testing.B) {
			for b.Loop() {
				ask(b, httptest.NewRequest(http.MethodGet, "/zones", nil))
			}
		})
		b.Run("edit/"+name, func(b *testing.B) {
			n := 0
			for b.Loop() {
				n++
				code := fmt.Sprintf("%05d", 99999-n%1000)
				r := httptest.NewRequest(
					http.MethodPost,
					"/zones/z1/places",
					io.NopCloser(strings.NewReader("places="+code)),
				)
				if n%2 == 0 {
					r = httptest.NewRequest(
						http.MethodPost,
						"/zones/z1/name",
						io.NopCloser(strings.NewReader(fmt.Sprintf("name=Zone+one+%d", n))),
					)
				}
				r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
				ask(b, r)
			}
		})
	}
}

// A page of 50 out of 25 and out of 10,000 products, found and sorted.
func BenchmarkGoodsPage(b *testing.B) {
	for _, n := range []int{50, 10_000} {
		ctx, dir := context.Background(), b.TempDir()
		db, err := sqlite.Open(ctx, dir)
		if err != nil {
			b.Fatal(err)
		}
		defer db.Close()
		d, err := draft.Open(ctx, db, nil, storetest.WithProducts(n))
		if err != nil {
			b.Fatal(err)
		}
		h := served(b, d, db, dir)
		for name, path := range map[string]string{"first": "/goods", "found": "/goods?find=thing+1&sort=-name"} {
			b.Run(fmt.Sprintf("%s/%d", name, n), func(b *testing.B) {
				for b.Loop() {
					w := httptest.NewRecorder()
					h.ServeHTTP(w, httptest.NewRequest(http.MethodGet, path, nil))
				}
			})
		}
		b.Run(fmt.Sprintf("cell/%d", n), func(b *testing.B) {
			i := 0
			for b.Loop() {
				i++
				if _, err := d.Edit(ctx, func(f *store.File) error {
					f.Products[7].Price = decimal.FromInt(int64(i))
					return nil
				}); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

// One edit of a cell of a small and of a large price list, by its handler: the answer has the cell, the Till
// requoted, the curve and what the list says of itself.
func BenchmarkCell(b *testing.B) {
	for _, size := range []struct{ rows, zones int }{{6, 4}, {60, 40}} {
		var zones, ids, charges, rows []string
		for i := range size.zones {
			zones = append(
				zones,
				fmt.Sprintf(
					`{"id":"z%d","name":"Zone %d","places":[{"country":"FI","postcodes":["%02d*"]}]}`,
					i,
					i,
					i+10,
				),
			)
			ids, charges = append(ids, fmt.Sprintf(`"z%d"`, i)), append(charges, fmt.Sprintf(`"%d.90"`, i+5))
		}
		for i := range size.rows {
			rows = append(rows, fmt.Sprintf(`{"at":"%d","charges":[%s]}`, i+1, strings.Join(charges, ",")))
		}
		f, faults := store.Read(
			[]byte(
				`{"format":"diadrom-store/1","store":{"currency":"EUR"},"zones":[` + strings.Join(
					zones,
					",",
				) + `],"methods":[{"id":"m","tables":[{"id":"t","zones":[` + strings.Join(
					ids,
					",",
				) + `],"by":"weight","edges":"up_to","rows":[` + strings.Join(rows, ",") + `]}]}]}`,
			),
		)
		if len(faults) > 0 {
			b.Fatal(faults)
		}
		ctx, dir := context.Background(), b.TempDir()
		db, err := sqlite.Open(ctx, dir)
		if err != nil {
			b.Fatal(err)
		}
		defer db.Close()
		d, err := draft.Open(ctx, db, nil, f)
		if err != nil {
			b.Fatal(err)
		}
		h := served(b, d, db, dir)
		b.Run(fmt.Sprintf("%dx%d", size.rows, size.zones), func(b *testing.B) {
			was, n := charge.Format(
				d.State().File.Methods[0].Tables[0].Rows[2].Charges[1],
				d.State().File.Words(),
			), 0
			for b.Loop() {
				n++
				next := fmt.Sprintf("%d.%02d", 5+n%2, n%100)
				form := url.Values{"zone": {"z1"}, "at": {"3"}, "was": {was}, "text": {next}}
				r := httptest.NewRequest(http.MethodPost, "/rates/m/t/cell", strings.NewReader(form.Encode()))
				r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
				w := httptest.NewRecorder()
				h.ServeHTTP(w, r)
				if w.Code != http.StatusOK {
					b.Fatal(w.Code, w.Body.String())
				}
				was = next
			}
			d.Edit(ctx, func(f *store.File) error {
				f.Methods[0].Tables[0].Rows[2].Charges[1] = f.Methods[0].Tables[0].Rows[2].Charges[0]
				return nil
			})
		})
	}
}

// served serves a shop to everybody as its owner.
func served(b testing.TB, d *draft.Draft, db *sqlite.DB, dir string) *Server {
	b.Helper()
	in := importer.New(db, dir, "", d.SetGazetteer)
	h, err := New(d, db, in, slog.New(slog.DiscardHandler), Options{SignIn: signin.Options{Demo: true}})
	if err != nil {
		b.Fatal(err)
	}
	return h
}
