// Package history keeps a shop's past orders and rates them anew. A file is kept in the shop's folder until it has been
// taken in, part by part, each with how far the file has been read; after the process was killed it goes on from there.
// What is kept of an order has no names and no streets, and stays in a file of its own (see sqlite.Past).
package history

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strconv"
	"sync"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/past"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/orderlist"
	"diadrom/internal/tables/sheet"
)

// MaxBytes is the largest file of past orders.
const MaxBytes = 1 << 30

// folder is where files lie in the shop's folder until they are taken in.
const folder = "orders"

// Choices are how a file is read, as somebody said or as it shows.
type Choices struct {
	Columns   []orderlist.Field   `json:"columns"`
	Decimal   string              `json:"decimal"` // "." or ","; "" is not known
	Dates     orderlist.DateOrder `json:"dates"`
	Separator string              `json:"separator"`
	Currency  string              `json:"currency"`
	Location  string              `json:"location"` // time zone
	Country   string              `json:"country"`  // of orders that say none
}

// History keeps the past orders of one shop. It is safe for many goroutines.
type History struct {
	db  *sqlite.Past
	dir string

	// Log gets the files that could not be taken in; nil for no log.
	Log *slog.Logger

	wake    chan struct{}
	mu      sync.Mutex
	stop    map[int64]context.CancelFunc // of files that are being taken in
	known   *overview                    // nil where the orders have changed since
	reports *reports
}

// overview is what the screens say of the orders, which takes a look at all of them.
type overview struct {
	span  sqlite.PastSpan
	zeros []string
}

// overview says what orders there are, and the months in which all cost 0; as long as they do not change, from memory.
func (h *History) overview(ctx context.Context) (*overview, error) {
	h.mu.Lock()
	known := h.known
	h.mu.Unlock()
	if known != nil {
		return known, nil
	}
	var o overview
	var err error
	if o.span, err = h.db.Span(ctx); err != nil {
		return nil, err
	}
	if o.zeros, err = h.db.ZeroMonths(ctx); err != nil {
		return nil, err
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	if len(h.stop) == 0 { // while a file is taken in, they change
		h.known = &o
	}
	return &o, nil
}

// Span says what orders there are.
func (h *History) Span(ctx context.Context) (sqlite.PastSpan, error) {
	o, err := h.overview(ctx)
	if err != nil {
		return sqlite.PastSpan{}, err
	}
	return o.span, nil
}

// ZeroMonths are the months in which every order is said to have cost 0.
func (h *History) ZeroMonths(ctx context.Context) ([]string, error) {
	o, err := h.overview(ctx)
	if err != nil {
		return nil, err
	}
	return o.zeros, nil
}

// New keeps the past orders of the shop in a folder.
func New(db *sqlite.Past, dir string) *History {
	return &History{db: db, dir: filepath.Join(dir, folder), wake: make(chan struct{}, 1),
		stop: map[int64]context.CancelFunc{}, reports: newReports()}
}

// DB is where the orders are kept.
func (h *History) DB() *sqlite.Past { return h.db }

// changed says that the orders are others.
func (h *History) changed() {
	h.mu.Lock()
	h.known = nil
	h.mu.Unlock()
	h.reports.forget()
}

func (h *History) file(id int64) string {
	return filepath.Join(h.dir, strconv.FormatInt(id, 10)+".csv")
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
		if body, err = table(body); err != nil {
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

// packed says whether a file is a workbook or a page rather than text.
func packed(start []byte) bool {
	return bytes.HasPrefix(start, []byte("PK\x03\x04")) ||
		bytes.HasPrefix(bytes.TrimLeft(start, " \t\r\n\ufeff"), []byte("<"))
}

// table is the table of a workbook or a page as text.
func table(r io.Reader) (io.Reader, error) {
	data, err := io.ReadAll(io.LimitReader(r, grid.MaxBytes+1))
	if err != nil {
		return nil, err
	}
	t, err := grid.ReadTable(data)
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

// Look is what a file shows before it is taken in.
type Look struct {
	Head    []string
	Rows    [][]string // the first
	Guessed []orderlist.Field
	Sample  orderlist.Sample // for the columns that were chosen
	Choices Choices          // what would be taken in as things are
	Orders  []past.Order     // the first, as they would be read
	Refused []orderlist.Refused
	Count   orderlist.Result // of the first lines
	Missing string           // what keeps it from being taken in
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
	l := &Look{Head: head, Guessed: orderlist.Guess(head), Choices: c}
	if len(c.Columns) != len(head) {
		l.Choices.Columns = l.Guessed
	}
	l.Choices.Separator = string(sep)
	rows, err := sheet.ReadAs(append([]byte(nil), text...), "", rune(sep))
	if err == nil {
		var cells [][]string
		for i := range rows.Rows {
			cells = append(cells, rows.Rows[i].Cells)
		}
		l.Rows, l.Sample = cells[:min(len(cells), shownRows)], orderlist.Look(cells, l.Choices.Columns)
	}
	if l.Choices.Decimal == "" && l.Sample.Numbers.Decimal != 0 {
		l.Choices.Decimal = string(l.Sample.Numbers.Decimal)
	}
	if l.Choices.Dates == orderlist.DatesUnknown {
		l.Choices.Dates = l.Sample.Dates
	}
	if l.Missing = orderlist.Missing(l.Choices.Columns, c.Country); l.Missing != "" {
		return l, nil
	}
	switch {
	case l.Choices.Decimal == "":
		l.Missing = "Say which decimal sign the numbers have: " + l.Sample.TwoWays + " is a thousand or one"
	case l.Sample.Ambiguous != "" && l.Choices.Dates == orderlist.DatesUnknown:
		l.Missing = "Say what comes first in dates such as " + l.Sample.Ambiguous + ": the day or the month"
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

// Begin has a file be taken in as it was looked at.
func (h *History) Begin(ctx context.Context, id int64, c Choices) error {
	options, err := json.Marshal(c)
	if err != nil {
		return err
	}
	if err := h.db.SetState(ctx, id, sqlite.PastWaiting, string(options), ""); err != nil {
		return err
	}
	select {
	case h.wake <- struct{}{}:
	default:
	}
	return nil
}

// Stop stops taking a file in. What has been taken in stays.
func (h *History) Stop(ctx context.Context, id int64) error {
	h.mu.Lock()
	stop := h.stop[id]
	h.mu.Unlock()
	if stop != nil {
		stop()
	}
	f, ok, err := h.db.File(ctx, id)
	if err != nil || !ok {
		return err
	}
	if f.State == sqlite.PastWaiting || f.State == sqlite.PastPreview {
		err = h.db.SetState(ctx, id, sqlite.PastStopped, f.Options, "")
	}
	return errors.Join(err, h.drop(id))
}

// drop removes a file that is not needed any more.
func (h *History) drop(id int64) error {
	err := os.Remove(h.file(id))
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	return err
}

// keptFor is how long a file is kept that nobody has said how to read: it may have names and streets.
const keptFor = 24 * time.Hour

// clean throws away files that nobody needs: previews of the day before, and what a process that was killed left.
func (h *History) clean(ctx context.Context, now time.Time) error {
	files, err := h.db.Files(ctx)
	if err != nil {
		return err
	}
	needed := map[string]bool{}
	for i := range files {
		f := &files[i]
		switch {
		case f.State == sqlite.PastWaiting, f.State == sqlite.PastPreview && now.Sub(f.Added) < keptFor:
			needed[h.file(f.ID)] = true
		case f.State == sqlite.PastPreview:
			err = errors.Join(err, h.db.RemoveFile(ctx, f.ID))
		}
	}
	lying, readErr := os.ReadDir(h.dir)
	if errors.Is(readErr, os.ErrNotExist) {
		return err
	}
	for _, f := range lying {
		if name := filepath.Join(h.dir, f.Name()); !needed[name] {
			err = errors.Join(err, os.Remove(name))
		}
	}
	return errors.Join(err, readErr)
}

// Run takes in what is waiting and what is added, until ctx is done.
func (h *History) Run(ctx context.Context) error {
	if err := h.clean(ctx, time.Now()); err != nil {
		h.log("leftovers of past orders", err)
	}
	for {
		files, err := h.db.Files(ctx)
		if err != nil && ctx.Err() == nil {
			h.log("past orders", err)
		}
		for i := len(files) - 1; i >= 0 && ctx.Err() == nil; i-- {
			if f := &files[i]; f.State == sqlite.PastWaiting {
				if err := h.take(ctx, f); err != nil && ctx.Err() == nil {
					h.log(f.Name, err)
				}
			}
		}
		select {
		case <-ctx.Done():
			return nil
		case <-h.wake:
		}
	}
}

func (h *History) log(what string, err error) {
	if h.Log != nil {
		h.Log.Error("taking past orders in", "what", what, "error", err)
	}
}

// Take takes a file in before it returns.
func (h *History) Take(ctx context.Context, f *sqlite.PastFile, c Choices) error {
	options, err := json.Marshal(c)
	if err != nil {
		return err
	}
	f.Options = string(options)
	return h.take(ctx, f)
}

// take takes a file in from where it was left.
func (h *History) take(ctx context.Context, f *sqlite.PastFile) (err error) {
	running, stop := context.WithCancel(ctx)
	defer stop()
	h.mu.Lock()
	h.stop[f.ID], h.known = stop, nil
	h.mu.Unlock()
	defer func() {
		h.mu.Lock()
		delete(h.stop, f.ID)
		h.mu.Unlock()
		h.changed()
	}()
	err = h.parts(running, f)
	switch {
	case err == nil:
		return errors.Join(h.db.SetState(ctx, f.ID, sqlite.PastDone, f.Options, ""), h.drop(f.ID))
	case ctx.Err() != nil: // the program ends; it goes on when it runs again
		return err
	case running.Err() != nil: // somebody stopped it, and has said so
		return nil
	}
	text := "it could not be read to its end"
	if errors.Is(err, orderlist.ErrLong) {
		text = err.Error()
	}
	return errors.Join(err, h.db.SetState(ctx, f.ID, sqlite.PastFailed, f.Options, text), h.drop(f.ID))
}

// parts takes in the parts of a file that have not been.
func (h *History) parts(ctx context.Context, f *sqlite.PastFile) error {
	var c Choices
	if err := json.Unmarshal([]byte(f.Options), &c); err != nil {
		return err
	}
	in, err := os.Open(h.file(f.ID))
	if err != nil {
		return err
	}
	defer in.Close()
	_, _, rest, err := orderlist.Open(in)
	if err != nil {
		return err
	}
	before := f.Taken
	if _, err := io.CopyN(io.Discard, rest, before); err != nil {
		return err
	}
	o := c.options()
	o.Skip = max(f.Line, 1)
	var part sqlite.PastPart
	return orderlist.Parts(ctx, rest, o, func(order *past.Order, line int) error {
		row := sqlite.NewPastRow(order)
		row.Line = line
		part.Orders = append(part.Orders, row)
		return nil
	}, func(p *orderlist.Part) error {
		part.Lines, part.Count, part.Refunds, part.Refunded = p.Lines, p.RefusedLines, p.Refunds, p.Refunded
		part.Bytes, part.Line = before+int64(p.Bytes), p.Line
		for _, r := range p.Refused {
			part.Refused = append(part.Refused, sqlite.PastRefused{Line: r.Line, Text: r.Text, Reason: r.Reason})
		}
		err := h.db.AddPart(ctx, f, &part)
		part = sqlite.PastPart{Orders: part.Orders[:0]}
		return err
	})
}

// Invoices reads a carrier's invoices and gives orders what they cost. The columns are found by their heads: the order's
// or the parcel's number, and the sum without tax.
func (h *History) Invoices(
	ctx context.Context,
	data []byte,
) (out sqlite.Invoiced, refused []orderlist.Refused, err error) {
	t, err := grid.ReadTable(data)
	if err != nil {
		return out, nil, err
	}
	columns := orderlist.Guess(t.Rows[0].Cells)
	at := map[orderlist.Field]int{}
	for i, f := range columns {
		if f != "" {
			at[f] = i
		}
	}
	sum, ok := at[orderlist.Cost]
	if !ok {
		if sum, ok = at[orderlist.Price]; !ok {
			sum, ok = at[orderlist.Paid]
		}
	}
	number, byOrder := at[orderlist.OrderID]
	tracking, byTracking := at[orderlist.Tracking]
	if !ok || !byOrder && !byTracking {
		return out, nil, errors.New(
			"the first line has to name the columns: the number of the order or of the parcel, " +
				"such as “Order” or “Tracking number”, and the sum without tax, such as “Cost”",
		)
	}
	var cells [][]string
	for _, r := range t.Rows[1:] {
		cells = append(cells, r.Cells)
	}
	sample := orderlist.Look(cells, costColumn(len(columns), sum))
	if sample.Numbers.Decimal == 0 {
		return out, nil, fmt.Errorf("%s is a thousand or one: write the sums with two decimals", sample.TwoWays)
	}
	var list []sqlite.Invoice
	for _, r := range t.Rows[1:] {
		cell := func(i int, ok bool) string {
			if !ok || i >= len(r.Cells) {
				return ""
			}
			return r.Cells[i]
		}
		one := sqlite.Invoice{Order: cell(number, byOrder), Tracking: cell(tracking, byTracking), Line: r.Line}
		cost, why := billed(cell(sum, true), sample.Numbers)
		if why == "" && one.Order == "" && one.Tracking == "" {
			why = "it names no order and no parcel"
		}
		if why != "" {
			refused = append(refused, orderlist.Refused{Line: r.Line, Text: cell(sum, true), Reason: why})
			continue
		}
		one.Cost = cost
		list = append(list, one)
	}
	if out, err = h.db.AddInvoices(ctx, list); err == nil {
		h.changed()
	}
	return out, refused, err
}

// costColumn are columns of which one has sums.
func costColumn(n, at int) []orderlist.Field {
	columns := make([]orderlist.Field, n)
	columns[at] = orderlist.Cost
	return columns
}

// billed reads a sum of an invoice, which may be a credit.
func billed(text string, numbers measure.Column) (decimal.Decimal, string) {
	if text == "" {
		return decimal.Zero, "it has no sum"
	}
	bare, credit := text, false
	for _, sign := range []string{"-", "−"} {
		if len(text) > len(sign) && text[:len(sign)] == sign {
			bare, credit = text[len(sign):], true
		}
	}
	d, _, err := numbers.Parse(bare)
	if err != nil {
		return d, err.Error()
	}
	if credit {
		d = d.Neg()
	}
	return d, ""
}

// NameMethod remembers which method files mean by a name.
func (h *History) NameMethod(ctx context.Context, name, method string) error {
	defer h.changed()
	return h.db.NameMethod(ctx, name, method)
}

// ForgetZeros has the costs of 0 of a month count as not known.
func (h *History) ForgetZeros(ctx context.Context, month string) error {
	defer h.changed()
	return h.db.ForgetZeros(ctx, month)
}

// Forget removes all past orders and what was remembered of them.
func (h *History) Forget(ctx context.Context) error {
	h.mu.Lock()
	for _, stop := range h.stop {
		stop()
	}
	h.mu.Unlock()
	defer h.changed()
	return h.db.Forget(ctx)
}
