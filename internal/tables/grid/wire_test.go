package grid

import (
	"bufio"
	"bytes"
	"testing"

	"diadrom/internal/tables/sheet"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// What is written reads back the same.
func TestGridsAreWrittenAndRead(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		g := &Grid{Format: Workbook, Encoding: rapid.String().Draw(t, "encoding"), Sheet: "A", Sheets: []string{"A", "B"},
			Rows: []Row{}, Hidden: rapid.SliceOfN(rapid.IntRange(1, 99), 1, 3).Draw(t, "hidden")}
		for i := range rapid.IntRange(0, 20).Draw(t, "rows") {
			row := Row{Line: i*3 + 1, Cells: []Cell{}}
			for range rapid.IntRange(0, 8).Draw(t, "cells") {
				row.Cells = append(row.Cells, Cell{Text: rapid.String().Draw(t, "text"), Number: rapid.Bool().Draw(t, "number"),
					Carried: rapid.Bool().Draw(t, "carried"), Formula: rapid.Bool().Draw(t, "formula"), Date: rapid.Bool().Draw(t, "date")})
			}
			g.Rows = append(g.Rows, row)
		}
		var b bytes.Buffer
		require.NoError(t, g.Write(&b))
		got, err := ReadWritten(bufio.NewReader(&b))
		require.NoError(t, err)
		assert.Equal(t, g, got)
		assert.Zero(t, b.Len())
	})
}

// Nothing that is read makes more than a table may have, or ends in a panic.
func FuzzReadWritten(f *testing.F) {
	var b bytes.Buffer
	g := &Grid{Format: Text, Rows: []Row{{Line: 1, Cells: []Cell{{Text: "a"}, {Text: "1", Number: true}}}}}
	require.NoError(f, g.Write(&b))
	f.Add(b.Bytes())
	f.Add([]byte("{}\n\xff\xff\xff\xff\x0f"))
	f.Add([]byte("{}\n\x01\x01\xff\xff\xff\xff\x0f\x01"))
	f.Fuzz(func(t *testing.T, data []byte) {
		g, err := ReadWritten(bufio.NewReader(bytes.NewReader(data)))
		if err != nil {
			return
		}
		assert.LessOrEqual(t, len(g.Rows), sheet.MaxRows)
		for i := range g.Rows {
			assert.LessOrEqual(t, len(g.Rows[i].Cells), sheet.MaxColumns)
		}
	})
}
