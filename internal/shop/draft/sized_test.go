package draft

import (
	"context"
	"fmt"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/sqlite"
	"diadrom/internal/test/storetest"
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
