package history

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"time"

	"diadrom/internal/core/measure"
	"diadrom/internal/core/past"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/orderlist"
	"diadrom/internal/tables/sheet"
)

// Choices are how a file is read, as somebody said or as it shows.
type Choices struct {
	Columns   []orderlist.Field   `json:"columns"`
	Decimal   string              `json:"decimal"` // "." or ","; "" is not known
	Dates     orderlist.DateOrder `json:"dates"`
	Separator string              `json:"separator"`
	Currency  string              `json:"currency"`
	Location  string              `json:"location"` // time zone
	Country   string              `json:"country"`  // of orders that say none
	Unit      string              `json:"unit"`     // of weights
	Weights   string              `json:"weights"`  // the store's unit of weight
	Zeros     destination.Zeros   `json:"zeros"`
	States    map[string]bool     `json:"states"` // whether orders in a state count, by the folded state

	Settled []string `json:"-"` // codes of questions that are answered by leaving things as they are
}

// ErrEmpty and ErrLarge are what is wrong with a file that is not kept.
var (
	ErrEmpty = errors.New("this file is empty")
	ErrLarge = fmt.Errorf("a file of orders has at most %d MB", MaxBytes>>20)
)

// Keep keeps a file to be looked at. A workbook or a page is kept as the table that it has.
func (h *History) Keep(ctx context.Context, name string, r io.Reader) (f sqlite.PastFile, err error) {
	if err := os.MkdirAll(h.dir, 0o700); err != nil {
		return f, err
	}
	part, err := os.CreateTemp(h.dir, "*.part")
	if err != nil {
		return f, err
	}
	defer os.Remove(part.Name())
	defer part.Close()
	start := make([]byte, 512)
	n, err := io.ReadFull(r, start)
	if err != nil && err != io.ErrUnexpectedEOF && err != io.EOF {
		return f, err
	}
	start = start[:n]
	if len(bytes.TrimSpace(start)) == 0 {
		return f, ErrEmpty
	}
	body := io.MultiReader(bytes.NewReader(start), r)
	if packed(start) {
		if body, err = h.table(ctx, body); err != nil {
			return f, err
		}
	}
	size, err := io.Copy(part, io.LimitReader(body, MaxBytes+1))
	if err == nil && size > MaxBytes {
		err = ErrLarge
	}
	if err == nil {
		err = part.Sync()
	}
	if err != nil {
		return f, err
	}
	if f, err = h.db.AddFile(ctx, name, size, time.Now()); err != nil {
		return f, err
	}
	return f, os.Rename(part.Name(), h.file(f.ID))
}

// source is a file with a table.
func (h *History) source(ctx context.Context, data []byte) grid.Source {
	if h.files == nil {
		return grid.Bytes(data)
	}
	return h.files.Table(ctx, data)
}

// packed says whether a file is a workbook or a page rather than text.
func packed(start []byte) bool {
	return bytes.HasPrefix(start, []byte("PK\x03\x04")) ||
		bytes.HasPrefix(bytes.TrimLeft(start, " \t\r\n\ufeff"), []byte("<"))
}

// table is the table of a workbook or a page as text.
func (h *History) table(ctx context.Context, r io.Reader) (io.Reader, error) {
	data, err := io.ReadAll(io.LimitReader(r, grid.MaxBytes+1))
	if err != nil {
		return nil, err
	}
	t, err := grid.ReadTable(h.source(ctx, data))
	if err != nil {
		return nil, err
	}
	var rows [][]string
	for i := range t.Rows {
		rows = append(rows, t.Rows[i].Cells)
	}
	width := 0
	for _, row := range rows {
		width = max(width, len(row))
	}
	for i := range rows { // a spreadsheet has no cells behind the last that is filled
		for len(rows[i]) < width {
			rows[i] = append(rows[i], "")
		}
	}
	var text bytes.Buffer
	err = sheet.Write(&text, rows)
	return &text, err
}

// unreadable are the codes of questions before whose answers no order can be read.
var unreadable = []string{orderlist.AskTwice, orderlist.AskOrder, orderlist.AskGoods, orderlist.AskCountry, orderlist.AskDecimal}

// Look is what a file shows before it is taken in.
type Look struct {
	Head    []string
	Rows    [][]string       // the first
	Sample  orderlist.Sample // for the columns that were chosen
	Choices Choices          // what would be taken in as things are
	Orders  []past.Order     // the first, as they would be read
	Refused []orderlist.Refused
	Count   orderlist.Result // of the first lines
	Asks    []grid.Ask       // what keeps it from being taken in
	Found   []string
	States  []string // that are asked about
	Cost    int      // the column of which it is asked whether it was paid or billed
	Totals  bool     // a line is an order, with what its goods come to
}

// looked is how much of a file is looked at, in bytes, and how many rows and orders are shown.
const (
	looked    = 1 << 20
	shownRows = 4
	shownMost = 8
)

// Look looks at a file as it would be read with some choices; columns that are not chosen are as their heads say.
func (h *History) Look(f *sqlite.PastFile, c Choices) (*Look, error) {
	in, err := os.Open(h.file(f.ID))
	if err != nil {
		return nil, err
	}
	defer in.Close()
	head, sep, rest, err := orderlist.Open(in)
	if err != nil {
		return nil, err
	}
	text, err := io.ReadAll(io.LimitReader(rest, looked))
	if err != nil {
		return nil, err
	}
	if end := bytes.LastIndexByte(text, '\n'); end > 0 && len(text) == looked {
		text = text[:end+1]
	}
	rows, err := sheet.ReadAs(append([]byte(nil), text...), "", rune(sep))
	var cells [][]string
	if err == nil {
		for i := range rows.Rows {
			cells = append(cells, rows.Rows[i].Cells)
		}
	}
	set := orderlist.Choices{Columns: c.Columns, Dates: c.Dates, Country: c.Country, Zeros: c.Zeros, States: c.States,
		Settled: c.Settled, Weights: c.Weights}
	if c.Decimal != "" {
		set.Decimal = c.Decimal[0]
	}
	p := orderlist.Make(head, cells, set)
	l := &Look{Head: head, Choices: c, Sample: p.Sample, Asks: p.Asks, Found: p.Found, States: p.States, Cost: p.Cost, Totals: p.Totals}
	l.Choices.Columns, l.Choices.Unit, l.Choices.Separator = p.Columns, p.Unit, string(sep)
	if err == nil {
		l.Rows = cells[:min(len(cells), shownRows)]
	}
	if l.Choices.Decimal == "" && l.Sample.Numbers.Decimal != 0 {
		l.Choices.Decimal = string(l.Sample.Numbers.Decimal)
	}
	if l.Choices.Dates == orderlist.DatesUnknown {
		l.Choices.Dates = l.Sample.Dates
	}
	if slices.ContainsFunc(l.Asks, func(a grid.Ask) bool { return slices.Contains(unreadable, a.Code) }) {
		return l, nil
	}
	o := l.Choices.options()
	err = orderlist.Parts(context.Background(), bytes.NewReader(text), o, func(order *past.Order, _ int) error {
		if len(l.Orders) < shownMost {
			kept := *order
			kept.Lines = append([]past.Line(nil), order.Lines...)
			l.Orders = append(l.Orders, kept)
		}
		return nil
	}, func(p *orderlist.Part) error {
		l.Count.Orders, l.Count.Lines = l.Count.Orders+p.Orders, l.Count.Lines+p.Lines
		l.Count.RefusedLines, l.Count.Refunds = l.Count.RefusedLines+p.RefusedLines, l.Count.Refunds+p.Refunds
		l.Refused = append(l.Refused, p.Refused...)
		return nil
	})
	l.Refused = l.Refused[:min(len(l.Refused), shownMost)]
	return l, err
}

// options are how a file is read.
func (c *Choices) options() *orderlist.Options {
	o := &orderlist.Options{
		Columns:   c.Columns,
		Separator: ',',
		Dates:     c.Dates,
		Currency:  c.Currency,
		Country:   c.Country,
		Export:    true,
		Unit:      c.Unit,
		Weights:   c.Weights,
		Zeros:     c.Zeros,
		States:    c.States,
		Skip:      1,
		Private:   true,
	}
	if c.Separator != "" {
		o.Separator = c.Separator[0]
	}
	if c.Decimal != "" {
		o.Numbers = measure.Column{Decimal: c.Decimal[0]}
	}
	o.Location, _ = time.LoadLocation(c.Location)
	return o
}
