package ratelist

import (
	"regexp"
	"slices"

	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
)

// block is a list within a sheet: a sheet may have several, side by side or beneath one another.
type block struct {
	keyLine int  // the line of the heads of which isKey tells
	isKey   bool // whether they are those of a key

	at       int        // its first column in the sheet
	titles   []grid.Row // rows with a single cell above its head
	head     grid.Row
	rows     []grid.Row
	sections []section  // titles between its rows
	asides   []grid.Row // rows with a single cell below its last row
	mapping  Mapping
	headless bool
	unsaid   bool          // nothing says what its bounds measure
	least    int           // the column with a least price for each line; −1 for none
	per      string        // a second row of heads says that its prices are for each of this unit
	services []string      // of a second row of heads, by column; nil where there is none
	twice    map[int]Field // columns whose heads mean what an earlier one does
}

// section is a title between the rows of a list.
type section struct {
	before int // the index of the row that it stands above
	row    grid.Row
}

// Reasons why a row is no part of a list that say that it was used otherwise.
const (
	whyKey   = "it says where a zone is"
	whyHeads = "it repeats the headings"
)

// layout is a sheet while its blocks are found.
type layout struct {
	headWords map[string]bool // texts, and whether they are what a column is called

	blocks  []*block
	key     key
	skipped []grid.Skipped
	orphans []grid.Row // heads without prices below them
	heads   []int      // lines that were joined to the headings below or above them
	pending []grid.Row // rows with a single cell that belong to what comes next
	cur     *block
	at      int
	width   int
	last    int // the line of the last row with several cells
	forced  int // the line of the heads that somebody chose; 0 for none
}

// mostly is the share of cells, in tenths, that have to be of a kind for a column or a row to be of it.
const mostly = 7

// blocksOf finds the lists of a sheet, and what it says of where its zones are. forced is the line of the heads where
// somebody chose it.
func blocksOf(g *grid.Grid, forced int) *layout {
	l := &layout{key: key{}, forced: forced}
	for _, s := range strips(g) {
		l.strip(g, s[0], s[1])
	}
	if len(l.blocks) == 0 && len(l.key) == 0 { // no row looks like heads: the usual one is taken
		l.skipped = nil
		head := g.Head()
		if numbers(&g.Rows[head]) {
			l.headless(g)
			return l
		}
		width := g.Width()
		b := &block{head: part(&g.Rows[head], 0, width), titles: g.Rows[:head]}
		for i := range g.Rows[head+1:] {
			b.rows = append(b.rows, part(&g.Rows[head+1+i], 0, width))
		}
		l.blocks = append(l.blocks, b)
	}
	return l
}

// numbers says whether a row has numbers, so that it hardly heads columns.
func numbers(row *grid.Row) bool {
	return slices.ContainsFunc(row.Cells, func(c grid.Cell) bool {
		return c.Number || isPrice(c.Text) &&
			!unpriced(c.Text)
	})
}

// headless makes a block of a list without heads. What its columns hold is made out of their cells, and asked.
func (l *layout) headless(g *grid.Grid) {
	width := g.Width()
	b := &block{head: grid.Row{Cells: make([]grid.Cell, width)}, headless: true}
	for i := range g.Rows {
		if row := part(&g.Rows[i], 0, width); row.Filled() > 1 {
			b.rows = append(b.rows, row)
		} else {
			l.drop([]grid.Row{row}, "a note")
		}
	}
	l.blocks = append(l.blocks, b)
}

// strips are the columns of lists that stand side by side, as pairs of the first column and the one behind the last:
// empty columns part them, unless what stands to the right cannot be read without what stands to the left.
func strips(g *grid.Grid) [][2]int {
	width := g.Width()
	used := make([]bool, width)
	for i := range g.Rows {
		if single(&g.Rows[i]) {
			continue
		}
		for j, c := range g.Rows[i].Cells {
			used[j] = used[j] || c.Text != ""
		}
	}
	var list [][2]int
	for j := 0; j < width; {
		if !used[j] {
			j++
			continue
		}
		from := j
		for j < width && used[j] {
			j++
		}
		if n := len(list); n > 0 && !standsAlone(g, from, j) {
			list[n-1][1] = j
			continue
		}
		list = append(list, [2]int{from, j})
	}
	if len(list) == 1 {
		return repeated(g, list[0])
	}
	if len(list) == 0 {
		return [][2]int{{0, width}}
	}
	list[0][0], list[len(list)-1][1] = 0, width
	return list
}

// repeated parts columns where the head of the first one, which names a measure, stands again.
func repeated(g *grid.Grid, s [2]int) [][2]int {
	for i := range g.Rows[:min(len(g.Rows), grid.MaxTitles)] {
		cells := g.Rows[i].Cells
		if len(cells) <= s[0] || cells[s[0]].Text == "" || !headWord(cells[s[0]].Text) {
			continue
		}
		list := [][2]int{{s[0], s[1]}}
		for j := s[0] + 2; j < min(s[1], len(cells)); j++ {
			if !cells[j].Carried && foldedHead(cells[j].Text) == foldedHead(cells[s[0]].Text) {
				list[len(list)-1][1] = j
				list = append(list, [2]int{j, s[1]})
			}
		}
		return list
	}
	return [][2]int{s}
}

// standsAlone says whether some columns can be read by themselves: they begin with a measure, a destination, or the
// label of a zone.
func standsAlone(g *grid.Grid, from, to int) bool {
	if to-from < 2 {
		return false
	}
	for i := range g.Rows {
		row := part(&g.Rows[i], from, to)
		if row.Filled() < 2 {
			continue
		}
		return headWord(row.Cells[0].Text) || zoneLabel(row.Cells[0].Text, false) &&
			len(destination.Places(row.Cells[1].Text)) > 0
	}
	return false
}

// part is the columns of a row from one on to another.
func part(r *grid.Row, from, to int) grid.Row {
	out := grid.Row{Line: r.Line, Cells: make([]grid.Cell, max(0, to-from))}
	if from < len(r.Cells) {
		copy(out.Cells, r.Cells[from:min(to, len(r.Cells))])
	}
	return out
}

func single(r *grid.Row) bool { return r.Filled() < 2 }

// strip finds the blocks in some columns.
func (l *layout) strip(g *grid.Grid, from, to int) {
	l.cur, l.pending, l.at, l.width = nil, nil, from, to-from
	for i := range g.Rows {
		row := part(&g.Rows[i], from, to)
		switch n := row.Filled(); {
		case n == 0:
		case l.forced > 0 && row.Line < l.forced:
			l.pending = append(l.pending, row)
		case l.forced == row.Line && l.forced > 0:
			l.begin(row)
		case n == 1 && l.key.single(&row):
			l.skipped = append(l.skipped, grid.Skipped{Line: row.Line, Text: row.Said(),
				Why: whyKey})
		case n == 1 && l.width > 1 && l.title(&row):
			l.pending = append(l.pending, row)
		default:
			l.row(row)
		}
	}
	l.end()
}

// title says whether a row with a single cell is a title or a note: it is no row of the list that lacks its prices.
func (l *layout) title(row *grid.Row) bool {
	_, band := ParseBand(row.Cells[0].Text)
	return l.cur == nil || !band && !isPrice(row.Said())
}

// end closes the block that is read.
func (l *layout) end() {
	if l.cur != nil {
		l.cur.asides = append(l.cur.asides, l.pending...)
	} else {
		l.drop(l.pending, "a note")
	}
	l.pending, l.cur = nil, nil
}

// drop tells rows that are no part of a list.
func (l *layout) drop(rows []grid.Row, why string) {
	for i := range rows {
		l.skipped = append(l.skipped, grid.Skipped{Line: rows[i].Line, Text: rows[i].Said(), Why: why})
	}
}

// row puts a row of several cells where it belongs.
func (l *layout) row(row grid.Row) {
	defer func() { l.last = row.Line }()
	switch {
	case l.cur != nil && len(l.cur.rows) > 0 && row.Sum() && numbers(&row):
		l.skipped = append(l.skipped, grid.Skipped{Line: row.Line, Text: row.Said(), Why: "a sum"})
	case l.key.take(l.cur, &row):
		l.skipped = append(l.skipped, grid.Skipped{Line: row.Line, Text: row.Said(), Why: whyKey})
	case l.cur != nil && len(l.pending) == 0 && sameCells(row.Cells, l.cur.head.Cells):
		l.skipped = append(l.skipped, grid.Skipped{Line: row.Line, Text: row.Said(), Why: whyHeads})
	case l.isHead(&row):
		if l.cur != nil && len(l.cur.rows) == 0 && len(l.pending) == 0 && l.cur.head.Line != l.forced {
			l.secondHead(row)
			return
		}
		l.begin(row)
	case l.cur == nil:
		l.pending = append(l.pending, row) // above the heads: "Valid from · 1.1.2027"
	default:
		if len(l.pending) > 0 {
			for _, p := range l.pending {
				l.cur.sections = append(l.cur.sections, section{len(l.cur.rows), p})
			}
			l.pending = nil
		}
		l.cur.rows = append(l.cur.rows, row)
	}
}

// begin begins a block with its heads.
func (l *layout) begin(head grid.Row) {
	if l.cur != nil && len(l.cur.rows) == 0 && len(l.blocks) > 0 { // heads without a list below them are titles
		l.blocks = l.blocks[:len(l.blocks)-1]
		l.pending = append(slices.Concat(l.cur.titles, []grid.Row{l.cur.head}), l.pending...)
	}
	l.cur = &block{at: l.at, head: head, titles: l.pending}
	l.blocks = append(l.blocks, l.cur)
	l.pending = nil
}

// isPrice says whether a cell is a price, a charge that begins with a number, or says that there is none.
var priceCell = regexp.MustCompile(
	`^(?:[A-Z]{3}|[A-Z]{0,2}\p{Sc}|kr\.?)?\s*[-−]?[0-9][0-9.,'’ \x{a0}\x{202f}]*` +
		`(?:[*%]|[A-Z]{3}|\p{Sc}|kr|,-|$|\s+\+|\s*/|` +
		`\s+(?:[A-Z]{3}|\p{Sc}|kr|per|pro|je|par|por|first|%)(?:\b|\s|$))`)

func isPrice(text string) bool {
	return text != "" && (simple(text) || priceCell.MatchString(text) || unpriced(text) || free(text))
}

// simple says whether a text is digits with at most one point or comma among them, as most prices are.
func simple(text string) bool {
	sign := false
	for i := range len(text) {
		switch c := text[i]; {
		case c >= '0' && c <= '9':
		case (c == '.' || c == ',') && !sign && i > 0 && i < len(text)-1:
			sign = true
		default:
			return false
		}
	}
	return text != ""
}

// noPrice are the cells that say that nothing is offered; common practice, no source.
var noPrice = []string{"-", "–", "—", "--", "---", "x", "no", "n/a", "na", "n.a.", "none", "not available",
	"not offered",
	"on request", "por", "p.o.r.", "auf anfrage", "a.a.", "nein", "sur demande", "non", "nicht verfugbar",
	"non disponible", "a consultar", "no disponible", "bajo demanda", "ei", "pyydettaessa", "ei saatavilla",
	"sopimuksen mukaan",
	"nej", "pa begaran", "enligt offert", "ej tillganglig", "/", "./.", "call", "ask", "tbd", "closed", "poa", "p.o.a.",
	"p.o.a",
	"price on application", "price on request"}

func unpriced(text string) bool { return slices.Contains(noPrice, bandText(text)) }

// freeWords are the cells that say that the delivery is free.
var freeWords = []string{"free", "gratis", "kostenlos", "frei", "gratuit", "gratuito", "ilmainen", "maksuton", "fri",
	"fritt", "offert", "incluido", "included"}

func free(text string) bool { return slices.Contains(freeWords, bandText(text)) }
