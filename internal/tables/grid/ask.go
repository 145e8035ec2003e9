package grid

import (
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/world"
)

// Skipped is a row of a list, or a part of one, that nothing was made of, with the reason.
type Skipped struct {
	Line int    `json:"line"`
	Text string `json:"text"`
	Why  string `json:"why"`
}

// Ask is a question that a list leaves open. Until it is answered nobody can say that the list was read rightly.
type Ask struct {
	Code    string `json:"code"`
	Message string `json:"message"`
}

// Asks are the questions of a list, each once, without those that have been answered.
type Asks struct {
	List    []Ask
	settled []string
	asked   map[string]bool
}

// NewAsks makes questions of which those with some codes have been answered.
func NewAsks(settled []string) *Asks { return &Asks{settled: settled, asked: map[string]bool{}} }

// Add asks a question, unless it was asked or answered before.
func (a *Asks) Add(code, message string) { a.once(code, code+"\x00"+message, message) }

// AddOnce asks a question, unless another with its code was asked, or it was answered before.
func (a *Asks) AddOnce(code, message string) { a.once(code, code, message) }

// Opened asks about what a workbook hides, by the code "hidden", and about the sheet that was read where several have what
// is looked for ("addresses"), by the code "sheet".
func (a *Asks) Opened(g *Grid, with []string, what string) {
	if said := g.HiddenSaid(); said != "" {
		a.Add("hidden", said)
	}
	if len(with) > 1 {
		a.Add("sheet", fmt.Sprintf("The sheets %s have %s. Sheet %s was read. If another is right, choose it.",
			strings.Join(with, ", "), what, g.Sheet))
	}
}

func (a *Asks) once(code, key, message string) {
	if slices.Contains(a.settled, code) || a.asked[key] {
		return
	}
	a.asked[key] = true
	a.List = append(a.List, Ask{code, message})
}

// Said is what a row says, in one line.
func (r *Row) Said() string {
	var list []string
	for i := range r.Cells {
		if r.Cells[i].Text != "" && !r.Cells[i].Carried {
			list = append(list, r.Cells[i].Text)
		}
	}
	return strings.Join(list, " · ")
}

// sums are the words that begin a row with a sum of others, folded; common practice, no source.
var sums = []string{"total", "totals", "grand total", "sum", "subtotal", "average", "mean", "gesamt", "summe",
	"gesamtsumme",
	"durchschnitt", "totaux", "somme", "moyenne", "suma", "promedio", "yhteensa", "summa", "keskiarvo", "medelvarde"}

// Sum says whether a row has a sum of others: its first word says so.
func (r *Row) Sum() bool {
	for i := range r.Cells {
		if text := r.Cells[i].Text; text != "" {
			return !strings.ContainsAny(text, "0123456789") && slices.Contains(sums,
				strings.TrimRight(world.Fold(r.Cells[i].Text), ": "))
		}
	}
	return false
}

// Width is how many cells the widest row has.
func (g *Grid) Width() (n int) {
	for i := range g.Rows {
		n = max(n, len(g.Rows[i].Cells))
	}
	return n
}

// Filled counts the cells of a row that say something themselves.
func (r *Row) Filled() int { return filled(r) }

// MaxOtherSheets is how many sheets of a workbook are looked into where nobody named one.
const MaxOtherSheets = 20

// Choose reads the sheet of a workbook that somebody named, or else the first that usable says is one. with are the
// names of those that are, where nobody named one.
func Choose(source Source, o Options, usable func(*Grid) bool) (g *Grid, with []string, err error) {
	if g, err = source.Read(o); err != nil || o.Sheet != "" || len(g.Sheets) < 2 {
		return g, nil, err
	}
	chosen := g
	for _, name := range g.Sheets[:min(len(g.Sheets), MaxOtherSheets)] {
		one := g
		if name != g.Sheet {
			if one, err = source.Read(Options{Sheet: name}); err != nil {
				continue // an empty sheet
			}
		}
		if usable(one) {
			if with = append(with, name); len(with) == 1 {
				chosen = one
			}
		}
	}
	return chosen, with, nil
}
