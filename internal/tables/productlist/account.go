package productlist

import (
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/measure"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/heads"
	"diadrom/internal/tables/notes"
)

// ofGoods are words in headings of columns that say what delivery may depend on, folded; common practice, no source.
var ofGoods = slices.Concat([]string{"kg", "lb", "oz", "surcharge", "zuschlag", "supplement", "recargo", "lisamaksu", "tillagg",
	"freight", "delivery", "hazmat", "hazard", "hazardous", "dangerous", "gefahrgut", "sperrgut", "bulky"},
	heads.Words(heads.Weight, heads.UnitPrice, heads.Class, heads.NeedsShipping, heads.ShipsFree, heads.OwnParcel),
	[]string{"price", "preis", "prix", "precio", "hinta", "pris", "length", "width", "height", "depth", "breite", "hohe", "tiefe",
		"longueur", "largeur", "hauteur", "ancho", "alto", "pituus", "leveys", "korkeus", "langd", "bredd", "hojd", "dimensions",
		"abmessungen", "medidas", "mitat", "matt"})

// besideGoods are words in headings of columns that do not change what delivery costs, although they have a word that
// others have; folded.
var besideGoods = []string{"compare at", "cost", "purchase", "einkaufspreis", "ek", "unit", "einheit", "label", "time", "lieferzeit", "note",
	"policy", "service", "inventory", "currency", "category", "grams", "recommended", "rrp", "uvp", "tax", "date", "per kg", "per l",
	"grundpreis", "seo", "google", "screen", "sleeve"}

// unitColumns puts the unit that a column of its own names behind the weights or the sides of each row.
func (o *opening) unitColumns() {
	t := o.r.Table
	m := Guess(t, &o.f.Store)
	for i, head := range t.Rows[0].Cells {
		if slices.Contains([]string{"unit", "units", "einheit", "unite", "unidad", "yksikko", "enhet"}, heads.Fold(head)) &&
			o.areUnits(i) { // of the weights
			for j, field := range m.Columns {
				if field == Weight && HeadUnit(field, t.Rows[0].Cells[j]) == "" {
					o.unitsBehind(j, i, measure.Weight)
				}
			}
		}
		for concept, fields := range map[heads.Concept][]Field{heads.WeightUnit: {Weight}, heads.LengthUnit: {Length, Width, Height}} {
			if !heads.Is(head, concept) {
				continue
			}
			for j, field := range m.Columns {
				if slices.Contains(fields, field) && HeadUnit(field, t.Rows[0].Cells[j]) == "" {
					o.unitsBehind(j, i, kinds[field])
				}
			}
		}
	}
}

// areUnits says whether all cells of a column are units of weight.
func (o *opening) areUnits(column int) bool {
	n := 0
	for _, row := range o.r.Table.Rows[1:] {
		text := cell(row.Cells, column)
		if text == "" {
			continue
		}
		if _, ok := measure.Unit(measure.Weight, text); !ok {
			return false
		}
		n++
	}
	return n > 0
}

// unitsBehind puts the units of one column behind the numbers of another.
func (o *opening) unitsBehind(column, units int, kind measure.Kind) {
	t, wrong, line := o.r.Table, "", 0
	for i := range t.Rows[1:] {
		row := &t.Rows[i+1]
		number, unit := cell(row.Cells, column), cell(row.Cells, units)
		if number == "" || unit == "" || strings.Trim(number, "0123456789., ") != "" {
			continue
		}
		if _, ok := measure.Unit(kind, unit); !ok {
			if wrong == "" {
				wrong, line = unit, row.Line
			}
			continue
		}
		row.Cells[column] = number + " " + unit
	}
	if wrong != "" {
		o.asks.Add(AskUnit, fmt.Sprintf("Line %d: “%s” is not a unit. Its number is read as the shop's.", line, grid.Cut(wrong)))
	}
	o.usedUnits = append(o.usedUnits, units)
}

// same tells the words that say what is so in the shop anyway.
func (o *opening) same(word string) bool {
	s := &o.f.Store
	if world.NamesCurrency(word, s.Currency) || world.NamesCurrency(strings.ToUpper(word), s.Currency) {
		return true
	}
	weight, isWeight := measure.Unit(measure.Weight, word)
	length, isLength := measure.Unit(measure.Length, word)
	return isWeight && weight == s.WeightUnit || isLength && length == s.LengthUnit || notes.WeightUnit(word) == s.WeightUnit
}

func (o *opening) asideOr(code string) grid.Account {
	if slices.Contains(o.c.Settled, code) {
		return grid.SetAside
	}
	return grid.AskedAbout
}

// account gives each cell of the file its account, and asks about what is not used and may count.
func (o *opening) account() {
	g := o.r.Grid
	o.r.Ledger = grid.NewLedger(g)
	refused := map[int]bool{}
	for i := range o.r.Rows {
		if o.r.Rows[i].Status == Refused {
			refused[o.r.Rows[i].Line] = true
		}
	}
	o.accountColumns()
	read := make(map[int]bool, len(o.r.Table.Rows))
	for i := range o.r.Table.Rows[1:] {
		read[o.r.Table.Rows[i+1].Line] = true
	}
	told, more := 0, 0
	for i := range g.Rows {
		row := &g.Rows[i]
		switch {
		case row.Line == o.r.Head:
		case !read[row.Line]:
			o.note(row)
		case o.r.Rows == nil: // something else is answered first
			o.r.Ledger.MarkRow(row.Line, 0, len(row.Cells), grid.AskedAbout)
		default:
			o.accountRow(row, refused[row.Line], &told, &more)
		}
	}
	if more > 0 {
		o.asks.Add(AskNote, plural.Count(more, "more cell")+" like that.")
	}
}

// maxTold is how many cells that are in no column are asked about one by one.
const maxTold = 8

// accountRow gives the cells of a row of products their accounts.
func (o *opening) accountRow(row *grid.Row, refused bool, told, more *int) {
	columns := o.r.Mapping.Columns
	for j := range row.Cells {
		c := &row.Cells[j]
		account := grid.AsBound
		switch {
		case c.Text == "":
			continue
		case j < len(columns) && columns[j] != "":
			if columns[j] == Price {
				account = grid.AsPrice
			}
			if refused {
				account = grid.AskedAbout
			}
		case j < len(columns) && o.r.Table.Rows[0].Cells[j] != "":
			continue // its column has an account
		case !c.Number && !notes.Says(c.Text, o.same):
			account = grid.SetAside
		default:
			account = o.asideOr(AskNote)
			if *told++; *told > maxTold {
				*more++
				break
			}
			o.asks.Add(AskNote, fmt.Sprintf("Line %d: “%s” is in a column without a heading, and is not used.", row.Line,
				grid.Cut(c.Text)))
		}
		o.r.Ledger.Mark(row.Line, j, account)
	}
}

// accountColumns gives the headings their accounts, and columns that are not used theirs: one whose heading says that
// delivery may depend on it is asked about.
func (o *opening) accountColumns() {
	var unused []string
	for i, head := range o.r.Table.Rows[0].Cells {
		account := grid.AsHead
		folded := heads.Fold(head)
		_, chosen := o.c.Columns[i]
		switch m := &o.r.Mapping; {
		case m.Columns[i] != "", slices.Contains(o.usedUnits, i):
		case head == "", chosen, o.c.OnlyColumns:
			account = grid.SetAside
		case m.twice[i] != "":
			account = o.asideOr(AskColumns)
		case heads.HoldsAny(folded, ofGoods) && !heads.HoldsAny(folded, besideGoods):
			account = o.asideOr(AskColumns)
			unused = append(unused, "“"+head+"”")
		default:
			account = grid.SetAside
		}
		o.r.Ledger.Mark(o.r.Head, i, account)
		if o.r.Mapping.Columns[i] != "" || head == "" {
			continue
		}
		if account == grid.AsHead {
			account = grid.AsBound
		}
		for j := range o.r.Table.Rows[1:] {
			o.r.Ledger.Mark(o.r.Table.Rows[j+1].Line, i, account)
		}
	}
	if len(unused) > 0 {
		o.asks.Add(AskColumns, "These columns are not used: "+strings.Join(unused, ", ")+". Choose what they hold, or leave them out.")
	}
}

// note reads a row beside the list: a title or a note. It is asked about where it says something that may count.
func (o *opening) note(row *grid.Row) {
	text, account := row.Said(), grid.SetAside
	if row.Line >= o.c.Head && notes.Says(text, o.same) && !row.Sum() && !o.repeats(row) {
		account = o.asideOr(AskNote)
		o.asks.Add(AskNote, fmt.Sprintf("Line %d says “%s”, which is not used. Change the list so that it counts, or leave it out.",
			row.Line, strings.TrimSuffix(grid.Cut(text), ".")))
	}
	o.r.Ledger.MarkRow(row.Line, 0, len(row.Cells), account)
}

// repeats says whether a row has the headings again.
func (o *opening) repeats(row *grid.Row) bool {
	for i, head := range o.r.Table.Rows[0].Cells {
		if i < len(row.Cells) && row.Cells[i].Text != head {
			return false
		}
	}
	return true
}
