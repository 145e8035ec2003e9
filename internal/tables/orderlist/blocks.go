package orderlist

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"diadrom/internal/core/past"
	"diadrom/internal/tables/sheet"

	"golang.org/x/sync/errgroup"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// Sizes of what is read at once, in bytes. A record is a line, or several where a cell has line ends in quotes.
const (
	blockSize  = 256 << 10
	maxRecord  = 64 << 10
	bufferSize = blockSize + 4*maxRecord
	maxOrder   = 16 << 20
)

// block is some whole orders of the text.
type block struct {
	line  int // of its first, from 1
	data  []byte
	bytes int // of the file that were read up to its end
}

// ErrLong is the error of a table that has an order or a line too long to be one.
var ErrLong = errors.New("a line is longer than 64 kB: this is no table of orders")

var errLongOrder = errors.New("an order has more lines than any has: does the column with its number hold something " +
	"else?")

// blocks cuts a text into blocks of whole orders. Its memory does not grow with the text.
type blocks struct {
	in    io.Reader
	sep   byte
	id    int // column of the order's number
	size  int // from how many bytes on a block ends
	buf   []byte
	line  int
	ended bool
	read  int
}

func newBlocks(in io.Reader, line int, sep byte, id int) *blocks {
	return &blocks{in: in, sep: sep, id: id, size: blockSize, buf: make([]byte, 0, bufferSize), line: line}
}

// next gives the next block; io.EOF after the last.
func (b *blocks) next() (block, error) {
	at, lines := 0, 0      // up to where records are whole, and how many lines these have
	last, due := "", false // the order of the record before, once the block is long enough
	for {
		n, ends, ok := b.record(b.buf[at:])
		switch {
		case !ok && !b.ended:
			if err := b.fill(); err != nil {
				return block{}, err
			}
			continue
		case !ok && at == len(b.buf):
			if at == 0 {
				return block{}, io.EOF
			}
			return b.cut(at, lines), nil
		case !ok:
			n, ends = len(b.buf)-at, 1
		}
		if n > maxRecord {
			return block{}, fmt.Errorf("line %d: %w", b.line+lines, ErrLong)
		}
		if at+n >= b.size && len(bytes.TrimSpace(b.buf[at:at+n])) > 0 { // a line without a cell parts no order
			id := b.orderOf(b.buf[at : at+n])
			if due && id != last {
				return b.cut(at, lines), nil
			}
			if at > maxOrder {
				return block{}, fmt.Errorf("line %d: %w", b.line+lines, errLongOrder)
			}
			last, due = id, true
		}
		at, lines = at+n, lines+ends
	}
}

// cut takes the first bytes out of the buffer.
func (b *blocks) cut(at, lines int) block {
	out := block{b.line, bytes.Clone(b.buf[:at]), b.read - (len(b.buf) - at)}
	b.buf = b.buf[:copy(b.buf, b.buf[at:])]
	b.line += lines
	return out
}

// fill reads more of the text.
func (b *blocks) fill() error {
	if len(b.buf)+maxRecord > cap(b.buf) {
		b.buf = append(make([]byte, 0, 2*cap(b.buf)), b.buf...)
	}
	n, err := b.in.Read(b.buf[len(b.buf):cap(b.buf)])
	b.buf, b.read = b.buf[:len(b.buf)+n], b.read+n
	if err == io.EOF {
		b.ended = true
		return nil
	}
	return err
}

// record finds how long the record is that data begins with, and how many lines it has; false where its end is not
// there. A quote that is not closed within the longest record is a stray one: the record is then its first line.
func (b *blocks) record(data []byte) (n, lines int, ok bool) {
	end := bytes.IndexByte(data, '\n')
	if end < 0 {
		return 0, 0, false
	}
	first := end + 1
	lines = 1
	quoted := opens(data[:first], b.sep, false)
	for quoted {
		more := bytes.IndexByte(data[end+1:], '\n')
		if more < 0 && !b.ended && len(data) <= maxRecord {
			return 0, 0, false
		}
		if more < 0 || end+1+more > maxRecord {
			return first, 1, true
		}
		quoted = opens(data[end+1:end+2+more], b.sep, true)
		end, lines = end+1+more, lines+1
	}
	return end + 1, lines, true
}

// opens says whether a line ends within quotes; quoted is whether it began so.
func opens(line []byte, sep byte, quoted bool) bool {
	if bytes.IndexByte(line, '"') < 0 {
		return quoted
	}
	start := !quoted // whether a cell begins here
	for i := 0; i < len(line); i++ {
		c := line[i]
		switch {
		case quoted && c == '"' && i+1 < len(line) && line[i+1] == '"':
			i++
		case quoted && c == '"':
			quoted = false
		case quoted:
		case c == '"' && start:
			quoted = true
		}
		start = !quoted && c == sep
	}
	return quoted
}

// orderOf is the number of the order that a record is of.
func (b *blocks) orderOf(record []byte) string {
	return idIn(string(record), b.sep, b.id)
}

// idIn is the number of the order of a record, also of one whose quotes are wrong behind it; "" where there is none.
func idIn(record string, sep byte, column int) string {
	cells, err := split(record, sep, nil)
	if err != nil {
		cells = strings.Split(record, string(sep))
	}
	if column < 0 || column >= len(cells) {
		return ""
	}
	return strings.TrimSpace(cells[column])
}

// split makes cells of a record. Without quotes that is a cut at each separator; encoding/csv reads the others.
func split(record string, sep byte, into []string) ([]string, error) {
	record = strings.TrimRight(record, "\r\n")
	if strings.IndexByte(record, '"') >= 0 {
		r := csv.NewReader(strings.NewReader(record))
		r.Comma, r.FieldsPerRecord = rune(sep), -1
		cells, err := r.Read()
		if err != nil {
			return nil, errors.New("a quote is not closed, or stands in the middle of a cell that is not quoted")
		}
		return append(into, cells...), nil
	}
	for {
		i := strings.IndexByte(record, sep)
		if i < 0 {
			return append(into, record), nil
		}
		into, record = append(into, record[:i]), record[i+1:]
	}
}

// block reads the orders of a block.
func (p *parser) block(b *block, sep byte) error {
	data := b.data
	if !utf8.Valid(data) {
		data, _ = charmap.Windows1252.NewDecoder().Bytes(data) // every byte has a meaning or becomes U+FFFD
	}
	text, line := string(data), b.line
	if bytes.ContainsFunc(data, func(r rune) bool { return r > 0x5ff }) {
		text = sheet.PlainDigits(text)
		data = []byte(text)
	}
	records := blocks{sep: sep, ended: true}
	var cells []string
	for len(text) > 0 {
		n := strings.IndexByte(text, '\n') + 1
		lines := 1
		switch {
		case n == 0:
			n = len(text)
		case strings.IndexByte(text[:n], '"') >= 0:
			if whole, count, ok := records.record(data[len(data)-len(text):]); ok {
				n, lines = whole, count
			}
		}
		record := text[:n]
		text = text[n:]
		var err error
		cells, err = split(record, sep, cells[:0])
		shown := strings.TrimRight(record, "\r\n")
		switch {
		case err != nil:
			p.broken(line, shown, idIn(record, sep, p.at[fOrder]), err.Error())
		case len(cells) == 1 && strings.TrimSpace(cells[0]) == "":
		case len(cells) != len(p.o.Columns):
			p.broken(
				line,
				shown,
				idIn(record, sep, p.at[fOrder]),
				fmt.Sprintf("it has %d cells; the first line has %d", len(cells),
					len(p.o.Columns)),
			)
		default:
			p.add(line, cells, shown)
		}
		if p.err != nil {
			return p.err
		}
		line += lines
	}
	p.end()
	return p.err
}

// Each reads the orders of a text, whose first lines have been read already, on as many goroutines as there are
// handlers; a handler is called by one of them and must not keep what it is given. progress is told now and then how
// many bytes are done.
func Each(ctx context.Context, in io.Reader, o *Options, handlers []func(*past.Order) error,
	progress func(bytes int)) (*Result, error) {
	id := -1
	for i, f := range o.Columns {
		if f == OrderID {
			id = i
		}
	}
	group, ctx := errgroup.WithContext(ctx)
	work := make(chan block, len(handlers))
	group.Go(func() error {
		defer close(work)
		cut := newBlocks(in, o.Skip+1, o.Separator, id)
		for {
			b, err := cut.next()
			if err == io.EOF {
				return nil
			}
			if err != nil {
				return err
			}
			select {
			case work <- b:
			case <-ctx.Done():
				return ctx.Err()
			}
		}
	})
	parsers := make([]*parser, len(handlers))
	for i, handle := range handlers {
		p := newParser(o, handle)
		parsers[i] = p
		group.Go(func() error {
			for b := range work {
				if err := p.block(&b, o.Separator); err != nil {
					return err
				}
				if progress != nil {
					progress(b.bytes)
				}
			}
			return nil
		})
	}
	err := group.Wait()
	total := &Result{}
	for _, p := range parsers {
		total.merge(&p.result)
	}
	total.cut()
	return total, err
}

// Open begins to read a text: its head, whatever encoding it is in, and what parts its cells. rest is what follows the
// head.
func Open(in io.Reader) (head []string, sep byte, rest io.Reader, err error) {
	raw := make([]byte, maxRecord)
	n, err := io.ReadFull(in, raw)
	if err != nil && err != io.ErrUnexpectedEOF && err != io.EOF {
		return nil, 0, nil, err
	}
	decoded := io.MultiReader(bytes.NewReader(raw[:n]), in)
	if d := sheet.Decoder(sheet.Detect(raw[:n])); d != nil {
		decoded = transform.NewReader(decoded, d)
	} else {
		decoded = transform.NewReader(decoded, unicode.BOMOverride(transform.Nop))
	}
	start := make([]byte, maxRecord)
	n, err = io.ReadFull(decoded, start)
	if err != nil && err != io.ErrUnexpectedEOF && err != io.EOF {
		return nil, 0, nil, err
	}
	start = start[:n]
	end := bytes.IndexByte(start, '\n') + 1
	if end == 0 {
		end = len(start)
	}
	line := start[:end]
	if !utf8.Valid(line) {
		line, _ = charmap.Windows1252.NewDecoder().Bytes(line)
	}
	sep = ','
	for _, c := range []byte{';', '\t', '|'} {
		if bytes.Count(line, []byte{c}) > bytes.Count(line, []byte{sep}) {
			sep = c
		}
	}
	head, err = split(string(line), sep, nil)
	if err != nil {
		return nil, 0, nil, fmt.Errorf("line 1: %w", err)
	}
	if len(bytes.TrimSpace(line)) == 0 {
		return nil, 0, nil, errors.New("this file is empty")
	}
	return head, sep, io.MultiReader(bytes.NewReader(start[end:]), decoded), nil
}

// Part is what was made of a part of a text: whole orders.
type Part struct {
	Result
	Bytes int // of the text, up to the end of the part
	Line  int // how many lines that are
}

// Parts reads the orders of a text part by part, in its order, so that reading can go on behind the last: visit is
// called with each order, which it must not keep, and done after each part. The text begins behind the lines that
// Options.Skip counts, and bytes are counted from there.
func Parts(ctx context.Context, in io.Reader, o *Options, visit func(o *past.Order, line int) error,
	done func(*Part) error) error {
	id := -1
	for i, f := range o.Columns {
		if f == OrderID {
			id = i
		}
	}
	p := newParser(o, nil)
	p.visit = func(order *past.Order) error { return visit(order, p.line) }
	cut := newBlocks(in, o.Skip+1, o.Separator, id)
	for {
		b, err := cut.next()
		if err == io.EOF {
			return nil
		}
		if err == nil {
			err = ctx.Err()
		}
		if err == nil {
			err = p.block(&b, o.Separator)
		}
		if err != nil {
			return err
		}
		part := &Part{p.result, b.bytes, cut.line - 1}
		p.result = Result{}
		if err := done(part); err != nil {
			return err
		}
	}
}
