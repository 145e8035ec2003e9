package web

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/demo"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"

	"github.com/paulmach/orb"
	"github.com/stretchr/testify/require"
)

// madeAreas is a store of so many zones, of which so many have a drawn area of so many corners: stars on a grid over
// Finland. The others have postcodes. Made-up data.
func madeAreas(t testing.TB, zones, areas, corners int) *store.File {
	t.Helper()
	f, faults := store.Read([]byte(`{"format":"diadrom-store/1","store":{"currency":"EUR"},"locations":[{"id":"w",
		"name":"Workshop","country":"FI","lat":"60.4674","lon":"22.0260","ships_from":true}],"zones":[{"id":"fi",
		"name":"Finland","places":[{"country":"FI"}]}]}`))
	require.Empty(t, faults)
	for i := range zones {
		z := store.Zone{ID: fmt.Sprintf("z%d", i), Name: fmt.Sprintf("Zone %d", i), Enabled: true}
		if i < areas {
			middle := orb.Point{21.5 + float64(i%20)/2.5, 60.3 + float64(i/20)/2.5}
			var ring orb.Ring
			for k := range corners {
				angle, far := 2*math.Pi*float64(k)/float64(corners), 0.1+0.05*math.Sin(float64(k))
				ring = append(ring, orb.Point{middle[0] + 2*far*math.Cos(angle), middle[1] + far*math.Sin(angle)})
			}
			a, err := place.NewArea(orb.MultiPolygon{{append(ring, ring[0])}})
			require.NoError(t, err)
			z.Places = []place.Rule{{Area: a}}
		} else {
			some, faults := store.Read(fmt.Appendf(nil, `{"format":"diadrom-store/1","store":{"currency":"EUR"},
		"zones":[{
				"id":"z","places":[{"country":"FI","postcodes":["%05d"]}]}]}`, i*97%100000))
			require.Empty(t, faults)
			z.Places = some.Zones[0].Places
		}
		f.Zones = append(f.Zones, z)
	}
	return f
}

// madePlaces is a list of so many places of Finland. Made-up data.
func madePlaces(t testing.TB, n int) *gazetteer.Gazetteer {
	t.Helper()
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "FI\t%05d\tTown %d\tUusimaa\t18\tTown\t\t\t\t%.4f\t%.4f\t4\n", i, i/20, 60+float64(i%331)*0.03,
			21+float64(i/331)*0.028)
	}
	g, _, err := gazetteer.Read(strings.NewReader(b.String()))
	require.NoError(t, err)
	return g
}

// The map of the demo and of a very large shop: its page, what it shows beside tiles, a tile of zones as it is asked
// for first and again, and an edit. Judged as ratios: see docs/performance.md.
func BenchmarkMap(b *testing.B) {
	lauha, err := demo.Store()
	require.NoError(b, err)
	finland, err := demo.Gazetteer()
	require.NoError(b, err)
	for _, shop := range []struct {
		name string
		file *store.File
		list *gazetteer.Gazetteer
	}{{"demo", lauha, finland}, {"large", madeAreas(b, 1000, 200, 500), madePlaces(b, 100_000)}} {
		ctx, dir := context.Background(), b.TempDir()
		db, err := sqlite.Open(ctx, dir)
		require.NoError(b, err)
		defer db.Close()
		d, err := draft.Open(ctx, db, shop.list, shop.file)
		require.NoError(b, err)
		h := served(b, d, db, dir)
		ask := func(b *testing.B, path string) {
			w := httptest.NewRecorder()
			h.ServeHTTP(w, httptest.NewRequest(http.MethodGet, path, nil))
			if w.Code != http.StatusOK {
				b.Fatal(w.Code, w.Body.String())
			}
			b.SetBytes(int64(w.Body.Len()))
		}
		stamp := fmt.Sprintf("%d-%d", d.State().Revision, shop.list.Len())
		for name, path := range map[string]string{"page": "/map", "now": "/map/now", "zone": "/map/now?zone=" +
			d.State().File.Zones[1].ID,
			"tile/8": "/map/over/" + stamp + "/8/144/74", "tile/5": "/map/over/" + stamp + "/5/18/9"} {
			b.Run(name+"/"+shop.name, func(b *testing.B) {
				for b.Loop() {
					ask(b, path)
				}
			})
		}
	}
}

// Finding the zones of an address that lies in one of 10, or of 200, areas of 500 corners.
func BenchmarkMatchingAreas(b *testing.B) {
	for _, areas := range []int{10, 200} {
		e := quote.Compile(madeAreas(b, areas, areas, 500), nil)
		to := e.Resolve(place.At("FI", orb.Point{21.51, 60.31}))
		var zones []place.Match
		b.Run(fmt.Sprint(areas), func(b *testing.B) {
			for b.Loop() {
				zones = e.AppendZones(&to, zones[:0])
			}
			if len(zones) != 2 {
				b.Fatal(zones)
			}
		})
	}
}
