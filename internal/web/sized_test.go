package web

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/terms"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/productlist"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// bench is a shop that is served, for looking at what its size costs.
type bench struct {
	t   testing.TB
	dir string
	db  *sqlite.DB
	d   *draft.Draft
	h   *Server
	n   int // counts what was typed, so that each edit changes something
}

func benchOf(t testing.TB, size storetest.Size, dir string) *bench {
	db, err := sqlite.Open(context.Background(), dir)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	d, err := draft.Open(context.Background(), db, nil, size.Store())
	require.NoError(t, err)
	return &bench{t: t, dir: dir, db: db, d: d, h: served(t, d, db, dir)}
}

func (b *bench) do(r *http.Request, want int) string {
	w := httptest.NewRecorder()
	b.h.ServeHTTP(w, r)
	require.Equal(b.t, want, w.Code, "%s %s: %.300s", r.Method, r.URL, w.Body)
	return w.Body.String()
}

func (b *bench) get(path string) string {
	r := httptest.NewRequest(http.MethodGet, path, nil)
	if strings.Count(path, "/") > 2 || part[path] {
		r.Header.Set("HX-Request", "true")
	}
	return b.do(r, http.StatusOK)
}

func (b *bench) post(path, from string, form url.Values) string {
	r := httptest.NewRequest(http.MethodPost, path, strings.NewReader(form.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set("HX-Request", "true")
	r.Header.Set("HX-Current-URL", "http://example.com"+from)
	return b.do(r, http.StatusOK)
}

func (b *bench) term() {
	b.n++
	f := b.d.State().File
	was := edit.TermText(f, &f.Methods[1], edit.Term{Field: terms.Days})
	b.post("/methods/m1/term", "/methods/m1", url.Values{"field": {"days"}, "text": {fmt.Sprint(3 + b.n%50)},
		"was": {was}})
}

func (b *bench) price() {
	b.n++
	f := b.d.State().File
	was := charge.Format(f.Methods[1].Tables[0].Rows[2].Charges[1], f.Words())
	zone := f.Methods[1].Tables[0].Zones[1]
	b.post("/rates/m1/list/cell", "/rates/m1",
		url.Values{"zone": {zone}, "at": {"3"}, "was": {was}, "text": {fmt.Sprintf("%d.%02d", 5+b.n/100, b.n%100)}})
}

func (b *bench) product() {
	b.n++
	f := b.d.State().File
	was := productlist.Text(f, &f.Products[7], productlist.Price)
	b.post("/goods/cell", "/goods",
		url.Values{"sku": {"P7"}, "field": {"price"}, "was": {was}, "text": {fmt.Sprintf("%d.5", 10+b.n)}})
}

func (b *bench) places() {
	b.n++
	b.post("/zones/z1/places", "/zones", url.Values{"places": {fmt.Sprintf("%05d", 99999-b.n)}})
}

func (b *bench) undo() { b.post("/undo", "/rates/m1", nil) }

func (b *bench) publish() {
	turn := int64(0)
	if live := b.d.Live(); live != nil {
		turn = live.Turn
	}
	b.post("/live", "/live", url.Values{"revision": {fmt.Sprint(b.d.State().Revision)}, "turn": {fmt.Sprint(turn)}})
}

// screens are the pages of every station.
var screens = []string{"/shop", "/extras", "/book", "/zones", "/map", "/goods", "/goods/boxes", "/carriers",
	"/methods", "/methods/m1", "/methods/m1/row", "/policy", "/languages", "/defaults", "/rates/m1",
	"/rates/m1/list/read", "/costs", "/quotes", "/quotes/why", "/promises", "/warnings", "/live", "/live/changes",
	"/checkout", "/people", "/till/options", "/find?text=zone+1"}

// part are the parts of pages that are fetched by themselves.
var part = map[string]bool{"/live/changes": true, "/till/options": true, "/quotes/why": true}

// middle is the time in the middle of some runs.
func middle(runs int, do func()) time.Duration {
	times := make([]time.Duration, runs)
	for i := range times {
		start := time.Now()
		do()
		times[i] = time.Since(start)
	}
	slices.Sort(times)
	return times[runs/2]
}

func folderBytes(t testing.TB, path string) int64 {
	total := int64(0)
	for _, suffix := range []string{"", "-wal"} {
		if info, err := os.Stat(path + suffix); err == nil {
			total += info.Size()
		}
	}
	return total
}

// TestSizes prints what a large shop costs beside a small one: DIADROM_TEST_SIZES=1. It asserts nothing of time.
func TestSizes(t *testing.T) {
	if os.Getenv("DIADROM_TEST_SIZES") == "" {
		t.Skip("a measurement: DIADROM_TEST_SIZES=1")
	}
	only := regexp.MustCompile(os.Getenv("DIADROM_TEST_SIZES_OF"))
	type row struct {
		times [2]time.Duration
		bytes [2]int
	}
	rows, order := map[string]*row{}, []string{}
	for i, size := range []storetest.Size{storetest.Small, storetest.Large} {
		b := benchOf(t, size, t.TempDir())
		measure := func(name string, runs int, do func() int) {
			if !only.MatchString(name) {
				return
			}
			r := rows[name]
			if r == nil {
				r = &row{}
				rows[name] = r
				order = append(order, name)
			}
			r.bytes[i] = do()
			r.times[i] = middle(runs, func() { r.bytes[i] = do() })
		}
		change := func(name string, do func()) { measure(name, 9, func() int { do(); return 0 }) }
		start := time.Now()
		db, err := sqlite.Open(context.Background(), b.dir)
		require.NoError(t, err)
		_, err = draft.Open(context.Background(), db, nil, draft.Empty())
		require.NoError(t, err)
		up := time.Since(start)
		require.NoError(t, db.Close())
		measure("start-up without edition", 1, func() int { return 0 })
		if r := rows["start-up without edition"]; r != nil {
			r.times[i] = up
		}
		b.publish() // the first backup of the day is whole
		publish := func() int {
			b.term()
			start = time.Now()
			b.publish()
			up = time.Since(start)
			return 0
		}
		measure("publish", 5, publish)
		change("edit term", b.term)
		change("edit price", b.price)
		change("edit product", b.product)
		change("edit places", b.places)
		change("undo", b.undo)
		change("redo", func() { b.post("/redo", "/rates/m1", nil) })
		b.d.State().Warnings() // pages are looked at when it has been read
		for _, path := range screens {
			if strings.HasPrefix(path, "/search") && !hasSearch {
				continue
			}
			measure(path, 5, func() int { return len(b.get(path)) })
		}
	}
	for _, name := range order {
		r := rows[name]
		t.Logf("%-24s %9.2f ms %9.2f ms  ×%-7.1f %6d kB %6d kB", name, ms(r.times[0]), ms(r.times[1]),
			float64(r.times[1])/float64(r.times[0]), r.bytes[0]/1000, r.bytes[1]/1000)
	}
}

const hasSearch = false

func ms(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }

// BenchmarkSized are single edits of a large shop, to be looked into with -cpuprofile.
func BenchmarkSized(b *testing.B) {
	large := benchOf(b, storetest.Large, b.TempDir())
	large.publish()
	large.get("/rates/m1")
	for _, edit := range []struct {
		name string
		do   func()
	}{{"term", large.term}, {"price", large.price}, {"product", large.product}, {"places", large.places}} {
		b.Run(edit.name, func(b *testing.B) {
			for b.Loop() {
				edit.do()
			}
		})
	}
}

// BenchmarkPublishSized publishes a large shop after an edit.
func BenchmarkPublishSized(b *testing.B) {
	for name, size := range map[string]storetest.Size{"small": storetest.Small, "large": storetest.Large} {
		shop := benchOf(b, size, b.TempDir())
		shop.publish()
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				shop.term()
				shop.publish()
			}
		})
	}
}

// BenchmarkScreenSized is a page of a large shop, to be looked into: DIADROM_TEST_DUMP=/extras.
func BenchmarkScreenSized(b *testing.B) {
	shop := benchOf(b, storetest.Large, b.TempDir())
	shop.publish()
	shop.d.State().Warnings()
	for b.Loop() {
		shop.get(os.Getenv("DIADROM_TEST_DUMP"))
	}
}

// BenchmarkOpenSized opens a large shop.
func BenchmarkOpenSized(b *testing.B) {
	shop := benchOf(b, storetest.Large, b.TempDir())
	shop.publish()
	for b.Loop() {
		_, err := draft.Open(context.Background(), shop.db, nil, draft.Empty())
		require.NoError(b, err)
	}
}

// No screen of a large shop is larger than can be read.
func TestScreensOfALargeShopCanBeRead(t *testing.T) {
	b := benchOf(t, storetest.Large, t.TempDir())
	b.publish()
	b.price()
	for _, path := range screens {
		assert.LessOrEqual(t, len(b.get(path)), 300_000, path)
	}
}
