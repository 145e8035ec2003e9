package ratelist

import (
	"slices"
	"strings"

	"diadrom/internal/tables/grid"
)

// maxServices is how many lists one column may tell apart.
const maxServices = 30

// byService parts a list whose heads have services below them: a list for each.
func (b *block) byService() []*list {
	if b.services == nil {
		return (&list{block: b}).apart()
	}
	var names []string
	for i, field := range b.mapping.Columns {
		if name := b.services[i]; field == Prices && name != "" && !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	if len(names) == 0 {
		return []*list{{block: b}}
	}
	var lists []*list
	for _, name := range names {
		one := *b
		one.titles = append(slices.Clone(b.titles), grid.Row{Line: b.head.Line, Cells: []grid.Cell{{Text: name}}})
		one.mapping.Columns = slices.Clone(b.mapping.Columns)
		for i := range one.mapping.Columns {
			if one.mapping.Columns[i] == Prices && b.services[i] != name {
				one.mapping.Columns[i] = ""
			}
		}
		lists = append(lists, &list{block: &one})
	}
	return lists
}

// apart parts a list that has several prices for the same by the column that tells them apart, such as the service: a
// list for each of its values. A list without such prices, or without such a column, stays whole.
func (l *list) apart() []*list {
	if !l.mapping.has(Price) || !slices.Contains(l.mapping.Columns, "") {
		return []*list{l}
	}
	prices := l.unfold(nil)
	if !contradict(prices, func(*price) string { return "" }) {
		return []*list{l}
	}
	for i, field := range l.mapping.Columns {
		if field != "" || percentColumn(l.headText(i)) {
			continue
		}
		values := slices.Compact(slices.Sorted(slices.Values(l.column(i))))
		if len(values) < 2 || len(values) > maxServices || values[0] == "" ||
			contradict(prices, func(p *price) string { return p.row.Cells[i].Text }) {
			continue
		}
		return l.parted(i)
	}
	return []*list{l}
}

// parted is a list for each value of a column, in the order in which they first stand.
func (l *list) parted(column int) (lists []*list) {
	at := map[string]*list{}
	for i := range l.rows {
		value := l.rows[i].Cells[column].Text
		one := at[value]
		if one == nil {
			b := *l.block
			b.rows, b.sections = nil, nil
			b.titles = append(slices.Clone(b.titles), grid.Row{Line: l.rows[i].Line, Cells: []grid.Cell{{Text: value}}})
			one = &list{block: &b}
			at[value], lists = one, append(lists, one)
		}
		one.rows = append(one.rows, l.rows[i])
	}
	return lists
}

// contradict says whether some prices differ for the same destination and band. tell is what else tells them apart.
func contradict(prices []price, tell func(*price) string) bool {
	sums := map[string]string{}
	for i := range prices {
		p := &prices[i]
		at := p.where() + "\x00" + tell(p)
		if sum, ok := sums[at]; ok && sum != p.sum.said {
			return true
		}
		sums[at] = p.sum.said
	}
	return false
}

// where is what a price is for: its destination and its band, as they stand in the list.
func (p *price) where() string {
	at := strings.Join(p.to[:], "\x00") + "\x00" + p.from.said + p.from.unit + "\x00" + p.up.said + p.up.unit
	if p.step != nil {
		at += "\x00" + p.step.each
	}
	return at
}
