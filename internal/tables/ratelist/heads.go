package ratelist

import (
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/world"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
)

func sameCells(a, b []grid.Cell) bool {
	return slices.EqualFunc(a, b, func(x, y grid.Cell) bool { return world.Fold(x.Text) == world.Fold(y.Text) })
}

var onlyUnit = regexp.MustCompile(`^[(\[]?(?:[A-Z]{3}|\p{Sc}|[a-z]{1,3}|\p{Sc}/[a-z]{1,4}|[A-Z]{3}/[a-z]{1,4})[)\]]?$`)

// secondHead joins a second row of heads to the first: units and currencies belong to them, places say where the zones
// above them are, and else the lower row counts.
func (l *layout) secondHead(row grid.Row) {
	head := l.cur.head
	l.heads = append(l.heads, head.Line, row.Line)
	if reach := reaching(&head, &row); servicesBelow(&reach, &row) {
		reach.Line = row.Line
		l.cur.head, l.cur.services = reach, make([]string, len(row.Cells))
		for i, c := range row.Cells {
			l.cur.services[i] = c.Text
		}
		return
	}
	joined := grid.Row{Line: row.Line, Cells: slices.Clone(head.Cells)}
	switch units, places := secondRow(&head, &row); {
	case units:
		l.cur.per = perBelow(&row)
		for i, c := range row.Cells {
			if l.cur.per != "" && i > 0 {
				c.Text = strings.TrimSpace(perOnly.ReplaceAllString(c.Text, ""))
			}
			joined.Cells[i].Text = strings.TrimSpace(joined.Cells[i].Text + " " + c.Text)
		}
	case places:
		for i, c := range row.Cells {
			if explains(head.Cells[i].Text, c.Text) {
				l.key.add(head.Cells[i].Text, c.Text, row.Line)
			}
		}
	default:
		l.cur.titles = append(l.cur.titles, head)
		lowerRow(&joined, &row)
	}
	l.cur.head = joined
}

// perOnly is the unit behind a currency in a second row of heads: "EUR/kg".
var perOnly = regexp.MustCompile(`(?i)\s*(?:/|\bper\b|\bje\b|\bpro\b)\s*(kg|g|lb)$`)

// perBelow is the unit of weight for which a second row of heads says that all prices are; "" for none.
func perBelow(row *grid.Row) (unit string) {
	for i, c := range row.Cells {
		if i == 0 || c.Text == "" {
			continue
		}
		m := perOnly.FindStringSubmatch(c.Text)
		if m == nil || unit != "" && unit != strings.ToLower(m[1]) {
			return ""
		}
		unit = strings.ToLower(m[1])
	}
	return unit
}

// reaching is a row of heads each of which reaches over the empty cells to its right that have something below them, as
// merged cells do.
func reaching(head, below *grid.Row) grid.Row {
	out := grid.Row{Line: head.Line, Cells: slices.Clone(head.Cells)}
	for i := 2; i < len(out.Cells); i++ {
		if out.Cells[i].Text == "" && below.Cells[i].Text != "" {
			out.Cells[i].Text = out.Cells[i-1].Text
		}
	}
	return out
}

// servicesBelow says whether a second row of heads parts the columns of each head above into the same services:
// "Standard", "Express". The heads above are merged, so that each stands above several.
func servicesBelow(head, row *grid.Row) bool {
	under := map[string][]string{} // what stands below a head
	var order []string
	for i, c := range row.Cells {
		above := world.Fold(head.Cells[i].Text)
		if c.Text == "" || above == "" || i == 0 {
			continue
		}
		if under[above] == nil {
			order = append(order, above)
		}
		under[above] = append(under[above], world.Fold(c.Text))
	}
	for _, above := range order {
		if len(under[above]) < 2 || !slices.Equal(under[above], under[order[0]]) {
			return false
		}
	}
	return len(order) > 1
}

// explains says whether a text below the label of a zone says where that is.
func explains(label, text string) bool {
	return label != "" && zoneLabel(label, true) && len(destination.Places(text)) > 0
}

// secondRow says whether a second row of heads has only units, or mostly places of the zones above.
func secondRow(head, row *grid.Row) (onlyUnits, mostlyPlaces bool) {
	units, places, count := 0, 0, 0
	for i, c := range row.Cells {
		switch {
		case c.Text == "":
			continue
		case onlyUnit.MatchString(c.Text) && len(destination.Places(c.Text)) == 0:
			units++
		case explains(head.Cells[i].Text, c.Text):
			places++
		case i == 0 && headWord(c.Text):
			continue
		}
		count++
	}
	return units == count, places > 0 && places*10 >= count*mostly
}

// lowerRow has the heads of a lower row count; one that stands there twice is told apart by what stands above it.
func lowerRow(joined, row *grid.Row) {
	twice := map[string]int{}
	for _, c := range row.Cells {
		twice[world.Fold(c.Text)]++
	}
	for i, c := range row.Cells {
		if c.Text == "" {
			continue
		}
		if above := joined.Cells[i].Text; above != "" && twice[world.Fold(c.Text)] > 1 {
			joined.Cells[i].Text = above + " " + c.Text
		} else {
			joined.Cells[i].Text = c.Text
		}
		joined.Cells[i].Carried = false
	}
}

// headWord says whether a text is what a column is called.
func headWord(text string) bool {
	if simple(text) { // a bound or a price
		return false
	}
	if _, band := ParseBand(text); text == "" || band || isPrice(text) {
		return false
	}
	field, by := meaning(text)
	if field == To || field == From { // "Maximum weight 30 kg" is a note, "Max. weight" a head
		return len(strings.Fields(text)) < 5
	}
	folded := foldedHead(text)
	return field != "" || by != "" && len(strings.Fields(text)) < 5 ||
		slices.ContainsFunc(strings.FieldsFunc(folded, func(r rune) bool { return r == ' ' }), func(word string) bool {
			f, ok := headings[word]
			return ok && (f == Zone || f == Country) && word == folded
		}) || headPair(text)
}

// headPair says whether a text is what stands in a corner: "Zone / kg".
func headPair(text string) bool {
	first, second, ok := strings.Cut(strings.NewReplacer("\\", "/", "|", "/").Replace(text), "/")
	if !ok {
		return false
	}
	is := func(t string) bool { f, by := meaning(t); return f != "" || by != "" }
	return is(first) && is(second)
}

// isHeadWord is [headWord], remembered: lists have the same text in the first cell of many rows.
func (l *layout) isHeadWord(text string) bool {
	is, known := l.headWords[text]
	if !known {
		if l.headWords == nil || len(l.headWords) > maxHeadWords {
			l.headWords = map[string]bool{}
		}
		is = headWord(text)
		l.headWords[text] = is
	}
	return is
}

// maxHeadWords is how many texts are remembered.
const maxHeadWords = 10_000

// isHead says whether a row heads columns.
func (l *layout) isHead(row *grid.Row) bool {
	corner := &row.Cells[0]
	if corner.Text != "" && !corner.Number && l.isHeadWord(corner.Text) {
		return true
	}
	others, texts := 0, 0
	for i, c := range row.Cells {
		if i == 0 || c.Text == "" {
			continue
		}
		if others++; !c.Number && !isPrice(c.Text) {
			texts++
		}
	}
	wordy := texts*10 >= others*6
	switch {
	case l.cur == nil:
		return others > 0 && (wordy && !corner.Number || texts == 0 && corner.Text == "")
	case len(l.cur.rows) == 0:
		return wordy && corner.Text == ""
	}
	if _, band := ParseBand(corner.Text); band || len(l.pending) == 0 && row.Line == l.last+1 {
		return false // heads of another list stand apart; a row with words for prices is refused where it stands
	}
	return l.cur.wordsForPrices(row)
}

// wordsForPrices says whether a row has words in most of the columns that have prices.
func (b *block) wordsForPrices(row *grid.Row) bool {
	priced, words := 0, 0
	for j := 1; j < len(row.Cells); j++ {
		is, n := 0, 0
		for i := range b.rows[:min(len(b.rows), grid.MaxTitles)] {
			if c := b.rows[i].Cells[j]; c.Text != "" {
				if n++; c.Number || isPrice(c.Text) {
					is++
				}
			}
		}
		if n == 0 || is*10 < n*mostly {
			continue
		}
		priced++
		if c := row.Cells[j]; c.Text != "" && !c.Number && !isPrice(c.Text) {
			words++
		}
	}
	return priced > 0 && words*10 >= priced*6
}
