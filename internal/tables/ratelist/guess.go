package ratelist

import (
	"cmp"
	"slices"
	"strings"

	"diadrom/internal/core/rate"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/heads"
)

// Mapping says how a list is read.
type Mapping struct {
	Columns []Field // by column; "" is not used
	By      rate.By
	Edges   rate.Edges // on which side of its bounds a line lies where both ends meet
}

func (m Mapping) has(fields ...Field) bool {
	return slices.ContainsFunc(fields, func(f Field) bool { return slices.Contains(m.Columns, f) })
}

func (m Mapping) at(f Field) int { return slices.Index(m.Columns, f) }

// column are the texts of a column below the head.
func (b *block) column(i int) []string {
	cells := make([]string, len(b.rows))
	for j := range b.rows {
		cells[j] = b.rows[j].Cells[i].Text
	}
	return cells
}

func (b *block) headText(i int) string { return b.head.Cells[i].Text }

// bands says whether most cells of a list are bands, and whether some of them say so themselves.
func bands(cells []string) (most, told bool) {
	filled, are := 0, 0
	for _, text := range cells {
		if text == "" {
			continue
		}
		filled++
		if b, ok := ParseBand(text); ok {
			are++
			told = told || !b.Bare || b.Unit != ""
		}
	}
	return filled > 0 && are*10 >= filled*mostly, told
}

// guess finds what the columns of a list hold, by their heads and by what stands below them. zone says whether a text
// is the name of a zone of the shop.
func (b *block) guess(zone func(string) bool) Mapping {
	m := Mapping{Columns: make([]Field, len(b.head.Cells)), By: "", Edges: rate.UpTo}
	b.twice = map[int]Field{}
	for i := range b.head.Cells {
		if zone(b.headText(i)) || i > 0 && b.codeAmongCodes(i) { // "Island" may be a zone of the shop
			continue
		}
		field, by := meaning(b.headText(i))
		if field == Country && slices.Contains(m.Columns, Country) { // its code beside its name
			field = ""
		}
		m.By = cmp.Or(m.By, by)
		switch {
		case !slices.Contains(m.Columns, field):
			m.Columns[i] = field
		case field != "":
			b.twice[i] = field
		}
	}
	b.minimum(&m)
	b.destinations(&m, zone)
	if b.headless {
		b.unnamed(&m)
	} else {
		b.shape(&m)
	}
	b.lowerBounds(&m)
	if m.By == "" {
		m.By = b.byUnits(m)
	}
	if b.unsaid = m.By == ""; b.unsaid {
		m.By = rate.ByWeight
		if m.has(Price, PerWeight) && !m.has(From, To, Bands, Prices) && m.has(destinations...) {
			m.By = rate.ByOrder
		}
	}
	m.Edges = b.edges(m)
	return m
}

// shape finds bounds and prices where the heads alone do not say which they are.
func (b *block) shape(m *Mapping) {
	if m.has(Price) || m.has(PerWeight) && m.has(destinations...) && !b.acrossBands(m) {
		b.bandColumn(m)
		return
	}
	switch {
	case m.has(From) && m.has(To), b.oneBound(m):
		b.prices(m)
	case b.acrossBands(m):
		b.turned(m)
	case b.downBands():
		m.Columns[0] = Bands
		b.prices(m)
	default:
		b.bandColumn(m)
		switch {
		case m.has(destinations...):
			b.onePrice(m)
		case m.has(Bands):
			b.prices(m)
		}
	}
}

// unnamed finds what the columns of a list without heads hold: the last one with numbers the price, one before it
// bands, two before it from and to.
func (b *block) unnamed(m *Mapping) {
	var numbered []int
	for i, field := range m.Columns {
		filled, are := 0, 0
		for j := range b.rows {
			c := &b.rows[j].Cells[i]
			if c.Text == "" {
				continue
			}
			_, band := ParseBand(c.Text)
			if filled++; c.Number || band || isPrice(c.Text) {
				are++
			}
		}
		if field == "" && filled > 0 && are*10 >= filled*mostly {
			numbered = append(numbered, i)
		}
	}
	switch n := len(numbered); n {
	case 0:
	case 1, 2:
		m.Columns[numbered[n-1]] = Price
		if n == 2 {
			m.Columns[numbered[0]] = Bands
		}
	default:
		m.Columns[numbered[n-1]], m.Columns[numbered[n-2]], m.Columns[numbered[n-3]] = Price, To, From
	}
}

// destinations finds a column with zones of the shop or countries by its cells, in a list that names none and has other
// columns with numbers.
func (b *block) destinations(m *Mapping, zone func(string) bool) {
	if m.has(destinations...) || len(m.Columns) < 3 {
		return
	}
	for i, field := range m.Columns {
		if field != "" || measured(b.headText(i)) {
			continue
		}
		filled, are := 0, 0
		for j := range b.rows[:min(len(b.rows), maxLooked)] {
			text := b.rows[j].Cells[i].Text
			if text == "" {
				continue
			}
			if filled++; !isDigit(text[0]) && (zone(text) || len(destination.Places(text)) > 0) {
				are++
			}
		}
		if filled > 0 && are*10 >= filled*mostly {
			m.Columns[i] = Zone
			return
		}
	}
}

// maxLooked is in how many rows a column is looked at.
const maxLooked = 200

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

// onePrice has the only column with prices hold the price, in a list of lines whose heads do not say which it is.
func (b *block) onePrice(m *Mapping) {
	at := -1
	for i, field := range m.Columns {
		if field != "" || b.headText(i) == "" || percentColumn(b.headText(i)) || !b.priced(i) ||
			heads.HoldsAny(foldedHead(b.headText(i)), heads.Asides) {
			continue
		}
		if at >= 0 {
			return
		}
		at = i
	}
	if at >= 0 {
		m.Columns[at] = Price
	}
}

// lowerBounds has a column of numbers alone hold lower bounds where one of them is 0, which bounds nothing from above.
func (b *block) lowerBounds(m *Mapping) {
	at := m.at(Bands)
	if at < 0 {
		return
	}
	zero := false
	for _, text := range b.column(at) {
		one, ok := ParseBand(text)
		if text != "" && (!ok || !one.Bare) {
			return
		}
		zero = zero || strings.Trim(one.To, "0.,") == "" && one.To != ""
	}
	if zero {
		m.Columns[at] = From
	}
}

// oneBound says whether one column is named as a bound, "Up to (kg)", and the others have prices below names.
func (b *block) oneBound(m *Mapping) bool {
	if !m.has(From, To) || m.has(Zone, Country) {
		return false
	}
	at := max(m.at(From), m.at(To))
	if most, _ := bands(b.column(at)); !most {
		return false
	}
	return at <= 1
}

// bandColumn finds a column of bands in a list with one price a line: "0–2 kg".
func (b *block) bandColumn(m *Mapping) {
	if m.has(From) && m.has(To) {
		return
	}
	for i, field := range m.Columns {
		if field != "" && field != From && field != To || b.headText(i) == "" && field == "" && i > 0 ||
			field == "" && heads.HoldsAny(foldedHead(b.headText(i)), heads.Asides) {
			continue
		}
		cells := b.column(i)
		most, told := bands(cells)
		named := measured(b.headText(i)) // "Weight", which does not say on which side of its numbers a line lies
		wide := slices.ContainsFunc(cells, func(text string) bool {
			one, ok := ParseBand(text)
			return ok && !one.Bare
		})
		if most && (told && wide || named && field == "") {
			m.Columns[i] = Bands
			return
		}
	}
}

// priced says whether half the cells of a column or more are prices, or say that there is none: what the others are is
// refused line by line.
func (b *block) priced(i int) bool {
	filled, are := 0, 0
	for j := range b.rows {
		c := &b.rows[j].Cells[i]
		if c.Text == "" {
			continue
		}
		if filled++; c.Number || isPrice(c.Text) || strings.ContainsAny(c.Text, "0123456789") {
			are++
		}
	}
	return are*2 >= filled
}

// prices has the columns that are left hold prices for what their heads name.
func (b *block) prices(m *Mapping) {
	for i, field := range m.Columns {
		folded := foldedHead(b.headText(i))
		if field == "" && b.codeAmongCodes(i) && b.priced(i) { // NO is Norway beside SE, and "No" a number beside others
			m.Columns[i] = Prices
			continue
		}
		if field != "" || b.headText(i) == "" || percentColumn(b.headText(i)) || !b.priced(i) ||
			slices.Contains(heads.Asides, folded) || heads.HoldsAny(folded, []string{"days", "remarks", "transit"}) {
			continue
		}
		m.Columns[i] = Prices
	}
}

// codeAmongCodes says whether a head is the code of a country in capitals, as another head beside it is.
func (b *block) codeAmongCodes(i int) bool {
	code := func(text string) bool {
		c, ok := world.CountryByCode(text)
		return ok && text == c.Alpha2
	}
	if !code(b.headText(i)) {
		return false
	}
	for j := range b.head.Cells {
		if j != i && code(b.headText(j)) {
			return true
		}
	}
	return false
}

// downBands says whether bands go down the first column and zones across.
func (b *block) downBands() bool {
	if len(b.head.Cells) < 2 {
		return false
	}
	cells := b.column(0)
	most, told := bands(cells)
	if named := measured(b.headText(0)); named && !most { // some rows may be surcharges or sums
		n := 0
		for _, text := range cells {
			if _, ok := ParseBand(text); ok {
				n++
			}
		}
		most = n*2 >= len(cells)
	}
	return most && (told || measured(b.headText(0)) || b.headText(0) == "")
}

// acrossBands says whether bands go across and zones down.
func (b *block) acrossBands(m *Mapping) bool {
	cells, filled, are, told := b.head.Cells, 0, 0, false
	for i := 1; i < len(cells); i++ {
		text := cells[i].Text
		if text == "" || m.Columns[i] != "" && m.Columns[i] != PerWeight {
			continue
		}
		filled++
		if one, ok := ParseBand(text); ok {
			are++
			told = told || !one.Bare || one.Unit != ""
		}
	}
	if are == 0 || filled == 0 || are*10 < filled*6 {
		return false
	}
	corner := cells[0].Text
	down, downTold := bands(b.column(0))
	switch {
	case headPair(corner), m.Columns[0] != "" && slices.Contains(destinations, m.Columns[0]):
		return true
	case down && (downTold || measured(corner)): // codes such as 01–09 look like bands
		return false
	}
	return told || measured(corner) || slices.ContainsFunc(b.titles, func(r grid.Row) bool {
		return measured(r.Said())
	})
}

// turned has the columns whose heads are bands hold prices, and the first one the zones.
func (b *block) turned(m *Mapping) {
	for i := range m.Columns {
		one, ok := ParseBand(b.headText(i))
		switch {
		case i == 0 && !m.has(destinations...):
			m.Columns[i] = Zone
		case ok && i > 0 && (m.Columns[i] == "" || m.Columns[i] == PerWeight && one.Whole):
			m.Columns[i] = Prices
		case m.Columns[i] == From, m.Columns[i] == To:
			m.Columns[i] = ""
		}
	}
	if !m.has(destinations...) {
		m.Columns[0] = Zone
	}
}

// byUnits is what the units in the cells say that the bounds measure; "" where they say nothing.
func (b *block) byUnits(m Mapping) rate.By {
	var cells []string
	for i, field := range m.Columns {
		if field == Bands || field == From || field == To {
			cells = append(cells, b.column(i)...)
		}
		if field == Prices {
			cells = append(cells, b.headText(i))
		}
	}
	for _, text := range cells {
		one, ok := ParseBand(text)
		if !ok {
			continue
		}
		switch one.Unit {
		case "km", "mi":
			return rate.ByDistance
		case "EUR":
			return rate.BySubtotal
		case "pcs", "items", "item":
			return rate.ByQuantity
		case "":
		default:
			return rate.ByWeight
		}
	}
	for i := range b.titles {
		if _, by := meaning(b.titles[i].Said()); by != "" {
			return by
		}
	}
	return ""
}

// edges says on which side of its bounds a line lies.
func (b *block) edges(m Mapping) rate.Edges {
	edges := rate.UpTo
	if m.has(Bands, Prices) && !m.has(From, To) {
		return b.bandEdges(m)
	}
	if !m.has(To) {
		edges = rate.From
	}
	// What a head says of the bound itself counts: "over 5" leaves 5 out, "under 5" too.
	for i, f := range m.Columns {
		padded := " " + plainly(foldedHead(b.headText(i))) + " "
		says := func(words ...string) bool {
			return slices.ContainsFunc(words, func(w string) bool {
				return strings.Contains(padded, " "+w+" ") && !strings.Contains(padded, " and "+w+" ")
			})
		}
		switch {
		case f == From && says("over", "above", "more than", "greater than", "heavier than", "exceeding", "uber", "yli") &&
			!m.has(To):
			edges = rate.UpTo
		case f == To && says("under", "below", "less than", "unter"):
			edges = rate.From
		}
	}
	return edges
}

// bandEdges says on which side of their bounds bands lie, as they say themselves.
func (b *block) bandEdges(m Mapping) rate.Edges {
	var cells []string
	for i, field := range m.Columns {
		switch field {
		case Bands:
			cells = append(cells, b.column(i)...)
		case Prices:
			if !m.has(Bands) {
				cells = append(cells, b.headText(i))
			}
		}
	}
	upper, over, under, from := false, false, false, false
	for _, text := range cells {
		one, ok := ParseBand(text)
		if !ok || one.Every != "" {
			continue
		}
		upper = upper || one.To != "" && !one.Under
		over, under, from = over || one.Over, under || one.Under, from || one.From != "" && one.To == "" && !one.Over
	}
	if !over && (under || from && !upper) {
		return rate.From
	}
	return rate.UpTo
}

// unitOf is the unit in which the bounds of a list are that name none themselves: as the heads of the bounds say, or
// else a title. False where a head names several.
func (b *block) unitOf(m Mapping) (string, bool) {
	for i, field := range m.Columns {
		if field == Bands || field == From || field == To || i == 0 && field == Zone && headPair(b.headText(0)) {
			if unit, ok := headUnit(b.headText(i)); !ok || unit != "" {
				return unit, ok
			}
		}
	}
	for i := range b.titles {
		text := b.titles[i].Said()
		if _, by := meaning(text); by == rate.ByWeight && len(strings.Fields(text)) <= 6 {
			if unit, ok := headUnit(text); ok && unit != "" {
				return unit, true
			}
		}
	}
	return "", true
}
