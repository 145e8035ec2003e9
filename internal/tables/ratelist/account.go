package ratelist

import (
	"fmt"
	"slices"

	"diadrom/internal/core/plural"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/heads"
	"diadrom/internal/tables/notes"
)

// Each cell of a list has an account when it has been read: used as a price, as what a price is for or as a heading,
// set aside because it says nothing or because somebody said so, or asked about. What has none in the end is asked
// about, so that no number is passed over because nobody thought of it.

// settled says whether somebody has answered a question by leaving things as they are.
func (o *opening) settled(code string) bool { return slices.Contains(o.c.Settled, code) }

// asideOr is the account of what a question is about: set aside where that was answered.
func (o *opening) asideOr(code string) grid.Account {
	if o.settled(code) {
		return grid.SetAside
	}
	return grid.AskedAbout
}

// account gives the cells of the lists that were read their accounts. all are all lists of the sheet.
func (o *opening) account(l *layout, all, lists []*list) {
	ledger := o.r.Ledger
	for _, one := range lists {
		o.accountHeads(one)
		for i := range one.surcharges {
			ledger.MarkRow(one.surcharges[i].Line, one.at, one.at+len(one.head.Cells), o.asideOr(AskSurcharge))
		}
	}
	for _, b := range l.blocks {
		if b.keyish() {
			ledger.MarkRow(b.head.Line, b.at, b.at+len(b.head.Cells), grid.AsHead)
		}
	}
	for _, line := range l.heads {
		ledger.MarkRow(line, 0, o.r.Grid.Width(), grid.AsHead)
	}
	for i := range l.skipped {
		if s := &l.skipped[i]; s.Why == whyKey || s.Why == whyHeads {
			ledger.MarkRow(s.Line, 0, o.r.Grid.Width(), grid.AsBound)
		}
	}
	for _, one := range all { // lists that were not chosen
		if slices.ContainsFunc(lists, func(l *list) bool { return l.block == one.block }) {
			continue
		}
		account := o.asideOr(AskList)
		if o.c.List > 0 {
			account = grid.SetAside
		}
		ledger.MarkRow(one.head.Line, one.at, one.at+len(one.head.Cells), account)
		for i := range one.rows {
			ledger.MarkRow(one.rows[i].Line, one.at, one.at+len(one.head.Cells), account)
		}
	}
	if p := o.r.Plan; p != nil {
		o.accountPrices(lists)
	}
	if o.c.Head > 0 {
		for i := range o.r.Grid.Rows {
			if line := o.r.Grid.Rows[i].Line; line < o.c.Head {
				ledger.MarkRow(line, 0, o.r.Grid.Width(), grid.SetAside)
			}
		}
	}
	o.accountRest()
}

// accountHeads gives the headings of a list their accounts, and columns that are not used theirs.
func (o *opening) accountHeads(l *list) {
	ledger := o.r.Ledger
	for i, field := range l.mapping.Columns {
		if field != "" {
			ledger.Mark(l.head.Line, l.at+i, grid.AsHead)
			continue
		}
		account := grid.Unread
		head := l.headText(i)
		_, chosen := o.c.Columns[l.at+i]
		switch {
		case chosen, o.c.OnlyColumns, o.settled(AskColumns):
			account = grid.SetAside
		case l.services != nil && l.services[i] != "":
			account = o.asideOr(AskList)
		case i == l.least && head != "":
			account = o.asideOr(AskMinimum)
		case l.twice[i] != "":
			account = o.asideOr(AskColumns)
		case percentColumn(head) && head != "" && surcharge.MatchString(foldedHead(head)):
			account = o.asideOr(AskSurcharge)
		case head != "" && (percentColumn(head) || heads.HoldsAny(foldedHead(head), heads.Asides)):
			account = grid.SetAside // what it is is known, and is no price
		}
		if account == grid.Unread {
			continue
		}
		ledger.Mark(l.head.Line, l.at+i, account)
		for j := range l.rows {
			ledger.Mark(l.rows[j].Line, l.at+i, account)
		}
	}
}

// accountPrices gives the cells of each price their accounts.
func (o *opening) accountPrices(lists []*list) {
	ledger := o.r.Ledger
	for i := range o.r.Plan.Lines {
		p, line := &o.made[i], &o.r.Plan.Lines[i]
		price, other := grid.AsPrice, grid.AsBound
		if line.Status == Refused || line.Status == Contradicts {
			price, other = grid.AskedAbout, grid.AskedAbout
		}
		if line.Status == LeftOut {
			price, other = grid.SetAside, grid.SetAside
		}
		l := p.in
		for j, field := range l.mapping.Columns {
			switch {
			case field == Prices && l.at+j != p.column:
			case field == Price, field == Prices, field == PerWeight:
				ledger.Mark(p.line, l.at+j, price)
			case field != "":
				ledger.Mark(p.line, l.at+j, other)
			}
		}
	}
	for _, l := range lists { // a step without a price is no price of the list
		for i := range l.rows {
			for j, field := range l.mapping.Columns {
				if field == Prices && l.rows[i].Cells[j].Text == "" {
					ledger.Mark(l.rows[i].Line, l.at+j, grid.SetAside)
				}
			}
		}
	}
}

// maxLeft is how many lines that were passed over are asked about one by one.
const maxLeft = 8

// accountRest sets aside what says nothing of prices, and asks about what is left.
func (o *opening) accountRest() {
	ledger := o.r.Ledger
	rows := ledger.Left()
	if o.r.Plan == nil { // something else is answered first
		for i := range rows {
			ledger.MarkRow(rows[i].Line, 0, len(rows[i].Cells), grid.AskedAbout)
		}
		return
	}
	told, more := 0, 0
	for i := range rows {
		row := &rows[i]
		for j := range row.Cells {
			c := &row.Cells[j]
			if c.Text == "" {
				continue
			}
			if !c.Number && !notes.Counts(world.Fold(c.Text)) {
				ledger.Mark(row.Line, j, grid.SetAside)
				continue
			}
			ledger.Mark(row.Line, j, o.asideOr(AskNote))
			if told++; told > maxLeft {
				more++
				continue
			}
			o.asks.Add(AskNote, fmt.Sprintf("Line %d: “%s” is not used. Choose what its column holds, or leave it out.",
				row.Line, grid.Cut(c.Text)))
		}
	}
	if more > 0 {
		o.asks.Add(AskNote, plural.Count(more, "more cell")+" like that.")
	}
}
