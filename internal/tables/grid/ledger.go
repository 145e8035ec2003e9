package grid

// Account is what became of a cell of a file.
type Account uint8

// The accounts. A cell that says something has exactly one of them when a file has been read, and none is [Unread]
// then.
const (
	Unread     Account = iota // nothing was made of it yet
	AsPrice                   // a price
	AsBound                   // a place or a weight, or whatever else a price is for
	AsHead                    // a heading, a title, or a note that was understood
	SetAside                  // it says nothing of prices, or somebody said to leave it out
	AskedAbout                // a question or a refused line has it
)

// Ledger has the account of each cell of a grid.
type Ledger struct {
	grid *Grid
	row  map[int]int // the index of the row with a line
	of   [][]Account
}

// NewLedger makes the ledger of a grid, in which nothing has been read.
func NewLedger(g *Grid) *Ledger {
	l := &Ledger{grid: g, row: make(map[int]int, len(g.Rows)), of: make([][]Account, len(g.Rows))}
	for i := range g.Rows {
		l.row[g.Rows[i].Line] = i
		l.of[i] = make([]Account, len(g.Rows[i].Cells))
	}
	return l
}

// Mark gives a cell its account, by the number of its line and its column from 0. The first that it is given counts,
// but that a question is about it counts more.
func (l *Ledger) Mark(line, column int, a Account) {
	i, ok := l.row[line]
	if !ok || column < 0 || column >= len(l.of[i]) {
		return
	}
	if at := &l.of[i][column]; *at == Unread || a == AskedAbout {
		*at = a
	}
}

// MarkRow gives all cells of a line that have no account yet one, from a column on to another.
func (l *Ledger) MarkRow(line, from, to int, a Account) {
	if i, ok := l.row[line]; ok {
		for j := max(0, from); j < min(to, len(l.of[i])); j++ {
			l.Mark(line, j, a)
		}
	}
}

// At is the account of a cell.
func (l *Ledger) At(line, column int) Account {
	if i, ok := l.row[line]; ok && column >= 0 && column < len(l.of[i]) {
		return l.of[i][column]
	}
	return Unread
}

// Counts counts the cells that say something, by their accounts.
func (l *Ledger) Counts() map[Account]int {
	counts := map[Account]int{}
	for i := range l.of {
		for j, a := range l.of[i] {
			if c := &l.grid.Rows[i].Cells[j]; c.Text != "" && !c.Carried {
				counts[a]++
			}
		}
	}
	return counts
}

// Left are the rows with cells that say something and have no account, each with those cells alone.
func (l *Ledger) Left() (rows []Row) {
	for i := range l.of {
		var left *Row
		for j, a := range l.of[i] {
			c := &l.grid.Rows[i].Cells[j]
			if a != Unread || c.Text == "" || c.Carried {
				continue
			}
			if left == nil {
				rows = append(rows, Row{Line: l.grid.Rows[i].Line, Cells: make([]Cell, len(l.of[i]))})
				left = &rows[len(rows)-1]
			}
			left.Cells[j] = *c
		}
	}
	return rows
}
