package files

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"

	"diadrom/internal/shop/confined"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/sheet"
)

// tableArgs are how a table is read: the sheets of a workbook that are wanted, one grid each, by the same options.
type tableArgs struct {
	Options grid.Options
	Sheets  []string // "" is the first that has anything in it
}

// Kinds of failures of a table.
const (
	kindEmpty = "empty"
	kindLine  = "line"
	kindGrid  = "grid"
)

// readTable writes a byte and a grid for each sheet: 1 before a grid, 0 for a sheet that cannot be read while others can.
// What all of them hold together is bounded as one table is.
func readTable(args []byte, in io.Reader, out *confined.Out) error {
	var a tableArgs
	if err := json.Unmarshal(args, &a); err != nil {
		return err
	}
	data, err := io.ReadAll(in)
	if err != nil {
		return err
	}
	cells, text := 0, 0
	for i, name := range a.Sheets {
		a.Options.Sheet = name
		g, err := grid.ReadReporting(data, a.Options, func(cells int) {
			out.Progress(confined.Progress{Done: int64(cells), What: "cells"})
		})
		if err != nil {
			if len(a.Sheets) == 1 {
				return failed(err)
			}
			if _, err := out.Write([]byte{0}); err != nil {
				return err
			}
			continue
		}
		for j := range g.Rows {
			cells += len(g.Rows[j].Cells)
			for k := range g.Rows[j].Cells {
				text += len(g.Rows[j].Cells[k].Text)
			}
		}
		if i > 0 && (cells > sheet.MaxCells || text > grid.MaxText) {
			return failed(&grid.Error{Reason: "the sheets of this workbook hold too much to be looked through " +
				"together: choose one, or remove those that are not needed"})
		}
		if _, err := out.Write([]byte{1}); err != nil {
			return err
		}
		if err := g.Write(out); err != nil {
			return err
		}
	}
	return nil
}

// failed is an error of a table as it is sent.
func failed(err error) error {
	var line *sheet.Error
	var table *grid.Error
	switch {
	case errors.Is(err, sheet.ErrEmpty):
		return &confined.Failure{Kind: kindEmpty, Message: err.Error()}
	case errors.As(err, &line):
		return &confined.Failure{Kind: kindLine, Line: line.Line, Message: line.Reason}
	case errors.As(err, &table):
		return &confined.Failure{Kind: kindGrid, Message: table.Reason}
	}
	return err
}

// received is a failure as the error of a table that it was.
func received(err error) error {
	var f *confined.Failure
	if !errors.As(err, &f) {
		return err
	}
	switch f.Kind {
	case kindEmpty:
		return sheet.ErrEmpty
	case kindLine:
		return &sheet.Error{Line: f.Line, Reason: f.Message}
	case kindGrid:
		return &grid.Error{Reason: f.Message}
	}
	return err
}

// table is a file with tables, of which what was read is remembered: a preview reads it several times. It is not safe for
// several goroutines.
type table struct {
	ctx    context.Context
	reader *Reader
	data   []byte
	known  map[grid.Options]read
}

type read struct {
	grid *grid.Grid
	err  error
}

// Table is a file with tables, to be read in a child while the context lasts. Its errors are those of [grid.Read] and of
// [confined.Places.Run].
func (r *Reader) Table(ctx context.Context, data []byte) grid.Source {
	return &table{ctx, r, data, map[grid.Options]read{}}
}

// Read reads a sheet. With the second that is asked for, the others come too: whoever looks into one looks into all.
func (t *table) Read(o grid.Options) (*grid.Grid, error) {
	if known, ok := t.known[o]; ok {
		return known.grid, known.err
	}
	wanted := []string{o.Sheet}
	if first := t.known[grid.Options{Encoding: o.Encoding, Separator: o.Separator}]; o.Sheet != "" && first.grid != nil {
		for _, name := range first.grid.Sheets[:min(len(first.grid.Sheets), grid.MaxOtherSheets)] {
			if name != o.Sheet && name != first.grid.Sheet {
				wanted = append(wanted, name)
			}
		}
	}
	err := t.read(o, wanted)
	if err != nil && len(wanted) > 1 {
		err = t.read(o, wanted[:1]) // together they are too much
	}
	if err != nil {
		t.known[o] = read{err: err}
	}
	return t.known[o].grid, t.known[o].err
}

func (t *table) read(o grid.Options, sheets []string) error {
	got := 0
	err := t.reader.Run(t.ctx, "table", tableArgs{o, sheets}, bytes.NewReader(t.data), int64(len(t.data)),
		func(in io.Reader) error {
			r := bufio.NewReaderSize(in, 64<<10)
			for ; got < len(sheets); got++ {
				there, err := r.ReadByte()
				if err != nil {
					return err
				}
				one := read{err: sheet.ErrEmpty}
				if there == 1 {
					if one.grid, one.err = grid.ReadWritten(r); one.err != nil {
						return one.err
					}
				}
				o.Sheet = sheets[got]
				t.known[o] = one
			}
			return nil
		})
	return received(err)
}
