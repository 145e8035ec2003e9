package draft

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/sqlite"
)

// One edit, from change to saved and compiled, of a small and a very large store.
func BenchmarkEdit(b *testing.B) {
	for _, size := range []struct{ zones, entries int }{{10, 10}, {1000, 100}} {
		b.Run(fmt.Sprintf("%dx%d", size.zones, size.entries), func(b *testing.B) {
			var text strings.Builder
			text.WriteString(`{"format":"diadrom-store/1","store":{"currency":"EUR"},"zones":[`)
			for i := range size.zones {
				if i > 0 {
					text.WriteByte(',')
				}
				fmt.Fprintf(&text, `{"id":"z%d","places":[{"country":"FI","postcodes":["%05d"`, i, i)
				for j := range size.entries - 1 {
					fmt.Fprintf(&text, `,"%05d"`, (i*97+j*13)%100000)
				}
				text.WriteString(`]}]}`)
			}
			text.WriteString(`]}`)
			f, faults := store.Read([]byte(text.String()))
			if len(faults) > 0 {
				b.Fatal(faults)
			}
			ctx := context.Background()
			db, err := sqlite.Open(ctx, b.TempDir())
			if err != nil {
				b.Fatal(err)
			}
			defer db.Close()
			d, err := Open(ctx, db, nil, f)
			if err != nil {
				b.Fatal(err)
			}
			n := 0
			for b.Loop() {
				n++
				if _, err := d.Edit(ctx, func(f *store.File) error {
					f.Zones[0].Name = fmt.Sprint("Zone ", n)
					return nil
				}); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
