package screen

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"diadrom/internal/draft"
	"diadrom/internal/intake"
	"diadrom/internal/storage"
	"diadrom/internal/store"
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

// The zones' page of a small and of a very large store, and the answer to an edit there: what of it depends on the size is
// laid out once for an edit.
func BenchmarkZonesPage(b *testing.B) {
	for _, size := range []struct{ zones, entries int }{{10, 10}, {1000, 100}} {
		ctx, dir := context.Background(), b.TempDir()
		db, err := storage.Open(ctx, dir)
		if err != nil {
			b.Fatal(err)
		}
		defer db.Close()
		d, err := draft.Open(ctx, db, nil, madeZones(b, size.zones, size.entries))
		if err != nil {
			b.Fatal(err)
		}
		h, err := New(d, db, intake.New(db, dir, "", d.SetGazetteer), slog.New(slog.DiscardHandler), nil)
		if err != nil {
			b.Fatal(err)
		}
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
				r := httptest.NewRequest(http.MethodPost, "/zones/z1/places", io.NopCloser(strings.NewReader("places="+code)))
				if n%2 == 0 {
					r = httptest.NewRequest(http.MethodPost, "/zones/z1/name", io.NopCloser(strings.NewReader(fmt.Sprintf("name=Zone+one+%d", n))))
				}
				r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
				ask(b, r)
			}
		})
	}
}
