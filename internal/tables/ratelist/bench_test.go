package ratelist

import (
	"bytes"
	"fmt"
	"testing"

	"diadrom/internal/core/typed"
	"diadrom/internal/tables/grid"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// matrix is a list of 60 zones by 400 weights, as a workbook and as text.
func matrix(t require.TestingT) map[string][]byte {
	f := excelize.NewFile()
	var text bytes.Buffer
	head := []any{"Weight (kg)"}
	text.WriteString("Weight (kg)")
	for zone := range 60 {
		head = append(head, fmt.Sprintf("%d*", zone+10))
		fmt.Fprintf(&text, ",%d*", zone+10)
	}
	require.NoError(t, f.SetSheetRow("Sheet1", "A1", &head))
	for row := range 400 {
		cells := []any{fmt.Sprintf("%d–%d", row, row+1)}
		fmt.Fprintf(&text, "\n%d–%d", row, row+1)
		for zone := range 60 {
			cells = append(cells, float64(row*10+zone)/100+5)
			fmt.Fprintf(&text, ",%d.%02d", row/10+5, zone)
		}
		require.NoError(t, f.SetSheetRow("Sheet1", fmt.Sprintf("A%d", row+2), &cells))
	}
	b, err := f.WriteToBuffer()
	require.NoError(t, err)
	return map[string][]byte{"workbook": b.Bytes(), "text": text.Bytes()}
}

// Making a rate table of a matrix of 60 by 400, beside reading its file alone.
func BenchmarkMatrix(b *testing.B) {
	f := storetest.Lauha(b)
	for name, data := range matrix(b) {
		b.Run(name+"/read", func(b *testing.B) {
			for b.Loop() {
				if _, err := grid.Read(data, grid.Options{}); err != nil {
					b.Fatal(err)
				}
			}
		})
		b.Run(name+"/preview", func(b *testing.B) {
			for b.Loop() {
				r, err := Open(grid.Bytes(data), f, typed.For(f, nil), Choices{})
				if err != nil || r.Problem() != "" || len(r.Plan.Table.Rows) != 400 {
					b.Fatal(err, r.Problem())
				}
			}
		})
	}
}

// long are lists of 50,000 lines: codes each with a zone of its own, and bands of a few countries.
func long(t require.TestingT) map[string][]byte {
	out := map[string][]byte{}
	for name, line := range map[string]func(i int) []any{
		"codes": func(i int) []any { return []any{"DE", fmt.Sprintf("%05d", 10000+i), 5, 5.5 + float64(i%30)} },
		"bands": func(i int) []any { return []any{[]string{"FI", "SE", "DE"}[i%3], "", i/3 + 1, 5.5 + float64(i/30)} },
	} {
		f := excelize.NewFile()
		w, err := f.NewStreamWriter("Sheet1")
		require.NoError(t, err)
		require.NoError(t, w.SetRow("A1", []any{"country", "postcode", "to", "price"}))
		for i := range 50_000 {
			require.NoError(t, w.SetRow(fmt.Sprintf("A%d", i+2), line(i)))
		}
		require.NoError(t, w.Flush())
		b, err := f.WriteToBuffer()
		require.NoError(t, err)
		out[name] = b.Bytes()
	}
	return out
}

// Previewing a workbook of 50,000 lines, beside reading its cells alone.
func BenchmarkLongList(b *testing.B) {
	f := storetest.Lauha(b)
	for name, data := range long(b) {
		b.Run(name+"/read", func(b *testing.B) {
			for b.Loop() {
				if _, err := grid.Read(data, grid.Options{}); err != nil {
					b.Fatal(err)
				}
			}
		})
		b.Run(name+"/preview", func(b *testing.B) {
			for b.Loop() {
				r, err := Open(grid.Bytes(data), f, typed.For(f, nil), Choices{})
				if err != nil || r.Plan == nil || len(r.Samples()) == 0 {
					b.Fatal(err, r.Missing)
				}
			}
		})
	}
}
