package draft

import (
	"context"
	"fmt"
	"os"
	"runtime"
	"slices"
	"strconv"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/sqlite"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/require"
)

// An edit, from change to saved and compiled, of each kind of a small and of a large shop.
func BenchmarkEditSized(b *testing.B) {
	ctx := context.Background()
	n := int64(0)
	for _, edit := range []struct {
		name   string
		change func(f *store.File) error
	}{
		{"term", func(f *store.File) error { f.Methods[1].Days = &store.Days{Min: 1, Max: n}; return nil }},
		{"price", func(f *store.File) error {
			d := decimal.New(n, 2)
			f.Methods[1].Tables[0].Rows[2].Charges[1] = &rate.Charge{Base: &d}
			return nil
		}},
		{"product", func(f *store.File) error { f.Products[7].Price = decimal.New(n, 2); return nil }},
		{"name", func(f *store.File) error { f.Zones[1].Name = fmt.Sprint("Zone ", n); return nil }},
		{"places", func(f *store.File) error {
			e, err := postcode.ParseEntry("FI", fmt.Sprintf("%05d", 99_999-n%50_000))
			f.Zones[1].Places[0].Postcodes = append(f.Zones[1].Places[0].Postcodes, e)
			return err
		}},
	} {
		for name, size := range map[string]storetest.Size{"small": storetest.Small, "large": storetest.Large} {
			db, err := sqlite.Open(ctx, b.TempDir())
			if err != nil {
				b.Fatal(err)
			}
			d, err := Open(ctx, db, nil, size.Store())
			if err != nil {
				b.Fatal(err)
			}
			b.Run(edit.name+"/"+name, func(b *testing.B) {
				for b.Loop() {
					n++
					if _, err := d.Edit(ctx, edit.change); err != nil {
						b.Fatal(err)
					}
				}
			})
			db.Close()
		}
	}
}

// Reading a large shop for warnings after an edit of each kind.
func BenchmarkReadingSized(b *testing.B) {
	ctx := context.Background()
	db, err := sqlite.Open(ctx, b.TempDir())
	if err != nil {
		b.Fatal(err)
	}
	defer db.Close()
	d, err := Open(ctx, db, nil, storetest.Large.Store())
	if err != nil {
		b.Fatal(err)
	}
	d.State().Warnings()
	n := int64(0)
	for name, change := range map[string]func(f *store.File) error{
		"product": func(f *store.File) error { f.Products[777].Price = decimal.New(n, 2); return nil },
		"price": func(f *store.File) error {
			p := decimal.New(n, 2)
			f.Methods[1].Tables[0].Rows[2].Charges[1] = &rate.Charge{Base: &p}
			return nil
		},
		"places": func(f *store.File) error {
			e, err := postcode.ParseEntry("FI", fmt.Sprintf("%05d", 99_999-n%50_000))
			f.Zones[1].Places[0].Postcodes = append(f.Zones[1].Places[0].Postcodes, e)
			return err
		},
	} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				b.StopTimer()
				n++
				s, err := d.Edit(ctx, change)
				if err != nil {
					b.Fatal(err)
				}
				b.StartTimer()
				s.Warnings()
			}
		})
	}
}

// What an edit leaves behind in memory is bounded: states share what they have in common, and none holds the ones
// before it. DIADROM_TEST_EDITS=10000 edits so often.
func TestMemoryDoesNotGrowWithEdits(t *testing.T) {
	ctx := context.Background()
	edits := 1200
	if text := os.Getenv("DIADROM_TEST_EDITS"); text != "" {
		n, err := strconv.Atoi(text)
		require.NoError(t, err)
		edits = n
	}
	db, err := sqlite.Open(ctx, t.TempDir())
	require.NoError(t, err)
	defer db.Close()
	size := storetest.Small
	size.Products, size.Codes = 1000, 100
	d, err := Open(ctx, db, nil, size.Store())
	require.NoError(t, err)
	inUse := func() uint64 {
		runtime.GC()
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		return m.HeapAlloc
	}
	var early uint64
	for n := range edits {
		_, err := d.Edit(ctx, func(f *store.File) error {
			price := decimal.New(int64(n), 2)
			switch n % 5 {
			case 0:
				f.Methods[1].Days = &store.Days{Min: 1, Max: int64(1 + n%60)}
			case 1:
				f.Methods[1].Tables[0].Rows[n%6].Charges[n%4] = &rate.Charge{Base: &price}
			case 2:
				f.Products[n%1000].Price = price
			case 3:
				f.Zones[n%10].Name = fmt.Sprint("Zone ", n)
			case 4:
				e, err := postcode.ParseEntry("FI", fmt.Sprintf("%05d", 99_999-n%50_000))
				codes := &f.Zones[n%10].Places[0].Postcodes
				*codes = append(slices.Clone((*codes)[1:]), e)
				return err
			}
			return nil
		})
		require.NoError(t, err)
		if n%100 == 99 {
			d.State().Warnings()
		}
		if n == edits/4 {
			early = inUse()
		}
	}
	late := inUse()
	require.Less(t, float64(late), 1.3*float64(early), "after four times as many edits")
	t.Logf("%.1f MB after %d edits, %.1f MB after %d", float64(early)/1e6, edits/4, float64(late)/1e6, edits)
}
