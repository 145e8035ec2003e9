package grid

import (
	"bufio"
	"encoding/binary"
	"encoding/json"
	"errors"
	"io"

	"diadrom/internal/tables/sheet"
)

// cellBits is how many bits say what a cell is.
const cellBits = 4

// Write writes a grid for [ReadWritten]: its head as a line of JSON, then its rows. A row is its line, the number of its
// cells and of the bytes of their texts, for each cell the length of its text and four bits (a number, carried, a
// formula, a date), and the texts. Numbers are varints (encoding/binary).
func (g *Grid) Write(to io.Writer) error {
	w := bufio.NewWriterSize(to, 64<<10)
	head := *g
	head.Rows = nil
	line, err := json.Marshal(head)
	if err != nil {
		return err
	}
	if _, err := w.Write(append(line, '\n')); err != nil {
		return err
	}
	buf := binary.AppendUvarint(nil, uint64(len(g.Rows)))
	for i := range g.Rows {
		r := &g.Rows[i]
		size := 0
		for j := range r.Cells {
			size += len(r.Cells[j].Text)
		}
		buf = binary.AppendUvarint(buf, uint64(r.Line))
		buf = binary.AppendUvarint(buf, uint64(len(r.Cells)))
		buf = binary.AppendUvarint(buf, uint64(size))
		for j := range r.Cells {
			buf = binary.AppendUvarint(buf, uint64(len(r.Cells[j].Text))<<cellBits|r.Cells[j].bits())
		}
		if _, err := w.Write(buf); err != nil {
			return err
		}
		for j := range r.Cells {
			if _, err := w.WriteString(r.Cells[j].Text); err != nil {
				return err
			}
		}
		buf = buf[:0]
	}
	if _, err := w.Write(buf); err != nil { // of a grid without rows
		return err
	}
	return w.Flush()
}

func (c *Cell) bits() (n uint64) {
	for i, is := range [cellBits]bool{c.Number, c.Carried, c.Formula, c.Date} {
		if is {
			n |= 1 << i
		}
	}
	return n
}

// errWritten is what is wrong with something that [Grid.Write] did not write.
var errWritten = errors.New("a table was not written whole")

// ReadWritten reads what [Grid.Write] wrote. It takes no more than a table may hold, whatever it is given.
func ReadWritten(r *bufio.Reader) (*Grid, error) {
	line, err := r.ReadBytes('\n')
	if err != nil {
		return nil, err
	}
	g := &Grid{}
	if err := json.Unmarshal(line, g); err != nil {
		return nil, err
	}
	rows, err := binary.ReadUvarint(r)
	if err != nil {
		return nil, err
	}
	if rows > sheet.MaxRows {
		return nil, errWritten
	}
	g.Rows = make([]Row, 0, rows)
	cells, text := 0, 0
	for range rows {
		var n [3]uint64
		for i := range n {
			if n[i], err = binary.ReadUvarint(r); err != nil {
				return nil, err
			}
		}
		if n[0] > 1<<31 || n[1] > sheet.MaxColumns || n[2] > MaxText {
			return nil, errWritten
		}
		if cells, text = cells+int(n[1]), text+int(n[2]); cells > sheet.MaxCells || text > MaxText {
			return nil, errWritten
		}
		row := Row{Line: int(n[0]), Cells: make([]Cell, n[1])}
		if err := row.read(r, int(n[2])); err != nil {
			return nil, err
		}
		g.Rows = append(g.Rows, row)
	}
	return g, nil
}

// read reads the cells of a row, whose texts have so many bytes together.
func (row *Row) read(r *bufio.Reader, size int) error {
	ends := make([]int, len(row.Cells))
	at := 0
	for j := range row.Cells {
		n, err := binary.ReadUvarint(r)
		if err != nil {
			return err
		}
		if n>>cellBits > uint64(size-at) {
			return errWritten
		}
		at += int(n >> cellBits)
		ends[j] = at
		row.Cells[j] = Cell{Number: n&1 != 0, Carried: n&2 != 0, Formula: n&4 != 0, Date: n&8 != 0}
	}
	if at != size {
		return errWritten
	}
	all := make([]byte, size)
	if _, err := io.ReadFull(r, all); err != nil {
		return err
	}
	texts, from := string(all), 0
	for j := range row.Cells {
		row.Cells[j].Text = texts[from:ends[j]]
		from = ends[j]
	}
	return nil
}
