package edit

import (
	"slices"
	"strings"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// Table finds a price list of a method, or of what sending costs, by their ids: those of [Owner].
func Table(f *store.File, method, table string) (*store.Method, *rate.Table, error) {
	m := Owner(f, method)
	if m == nil {
		return nil, nil, Problemf("this method was removed meanwhile; nothing was changed")
	}
	if t := m.Table(table); t != nil {
		return m, t, nil
	}
	return nil, nil, Problemf("this price list was removed meanwhile; nothing was changed")
}

// Row finds a row by its break point, as [AtText] writes it; −1 where there is none.
func Row(t *rate.Table, at string) int {
	return slices.IndexFunc(t.Rows, func(r rate.Row) bool { return AtText(r.At) == at })
}

// Cell is a cell of a price list: the break point of its row and its zone.
type Cell struct{ At, Zone string }

// SetCell sets the charge of a cell as it is typed. was is what the owner saw there; where it is something
// else by now, and not what is typed, the error is a [*Conflict]. Row and column are where the cell
// stands.
func SetCell(f *store.File, t *rate.Table, cell Cell, was, typed string) (row, column int, err error) {
	if row = Row(t, cell.At); row < 0 {
		return row, -1, Problemf(
			"the row %s is not there any more; reload to see the list as it is now",
			cell.At,
		)
	}
	if column = slices.Index(t.Zones, cell.Zone); column < 0 {
		return row, column, Problemf(
			"this zone's column was removed meanwhile; reload to see the list as it is now",
		)
	}
	w := f.Words()
	parsed, err := charge.Parse(typed, w)
	if now := charge.Format(t.Rows[row].Charges[column], w); now != was {
		if err == nil && charge.Format(parsed, w) == now {
			return row, column, nil // it is so already
		}
		return row, column, &Conflict{now}
	}
	if err != nil {
		return row, column, Problemf("%s", err.Error())
	}
	t.Rows[row].Charges[column] = parsed
	return row, column, nil
}

// free refuses a break point that a row, but for the given one, has already.
func free(t *rate.Table, row int, at *decimal.Decimal) error {
	for i := range t.Rows {
		if other := t.Rows[i].At; i != row && other != nil && other.Cmp(*at) == 0 {
			return Problemf("there is a row at %s already", at)
		}
	}
	return nil
}

// MoveBreak gives a row another break point, between its neighbours', and says which row it is (−1 for none).
func MoveBreak(f *store.File, t *rate.Table, was, typed string) (row int, err error) {
	if row = Row(t, was); row < 0 || was == "" {
		return row, Problemf("the row %s is not there any more; reload to see the list as it is now", was)
	}
	at, err := readBreak(f, t, typed, false)
	if err != nil {
		return row, err
	}
	if err := free(t, row, at); err != nil {
		return row, err
	}
	if row > 0 && t.Rows[row-1].At != nil && at.Less(*t.Rows[row-1].At) {
		return row, Problemf("rows ascend: %s lies below the row before (%s)", at, t.Rows[row-1].At)
	}
	if row+1 < len(t.Rows) && t.Rows[row+1].At != nil && t.Rows[row+1].At.Less(*at) {
		return row, Problemf("rows ascend: %s lies above the next row (%s)", at, t.Rows[row+1].At)
	}
	t.Rows[row].At = at
	return row, nil
}

// AddRow adds a break point where it belongs; its charges are those of the row that covered it until now.
func AddRow(f *store.File, t *rate.Table, typed string) error {
	at, err := readBreak(f, t, typed, true)
	if err != nil {
		return err
	}
	if err := free(t, -1, at); err != nil {
		return err
	}
	insertRow(t, at)
	return nil
}

// insertRow puts a row where its break point belongs, with the charges of the row that covered it until
// now, and says where.
func insertRow(t *rate.Table, at *decimal.Decimal) int {
	covering, ok := t.Row(*at)
	if !ok {
		covering = len(t.Rows) - 1
	}
	row := rate.Row{At: at, Charges: slices.Clone(t.Rows[covering].Charges)}
	i := slices.IndexFunc(t.Rows, func(r rate.Row) bool { return r.At == nil || at.Less(*r.At) })
	if i < 0 {
		i = len(t.Rows)
	}
	t.Rows = slices.Insert(t.Rows, i, row)
	return i
}

// RemoveRow removes a row; what it covered goes to its neighbour.
func RemoveRow(t *rate.Table, at string) error {
	i := Row(t, at)
	switch {
	case i < 0:
		return Problemf("this row is not there any more")
	case len(t.Rows) == 1:
		return Problemf("a price list keeps one row; to stop offering a method switch it off")
	}
	t.Rows = slices.Delete(t.Rows, i, i+1)
	if t.Edges == rate.From {
		zero := decimal.Zero
		t.Rows[0].At = &zero
	}
	return nil
}

// ZoneCalled is the id of the zone that is typed: by its id, or by its name in any case.
func ZoneCalled(f *store.File, text string) (string, error) {
	if text = strings.TrimSpace(text); text == "" {
		return "", Problemf("choose a zone")
	}
	if f.Zone(text) != nil {
		return text, nil
	}
	found := ""
	for i := range f.Zones {
		if z := &f.Zones[i]; strings.EqualFold(z.Name, text) {
			if found != "" {
				return "", Problemf("two zones are called %s: type the id of one of them, %s or %s", text, found, z.ID)
			}
			found = z.ID
		}
	}
	if found == "" {
		return "", Problemf("no zone is called %.60s: type the name of one, or add it on Zones", text)
	}
	return found, nil
}

// AddColumn adds a column for a zone, which is given by its id or its name, in which nothing is offered yet.
func AddColumn(f *store.File, t *rate.Table, typed string) error {
	zone, err := ZoneCalled(f, typed)
	if err != nil {
		return err
	}
	if slices.Contains(t.Zones, zone) {
		return Problemf("this zone has a column already")
	}
	t.Zones = append(t.Zones, zone)
	for i := range t.Rows {
		t.Rows[i].Charges = append(t.Rows[i].Charges, nil)
	}
	return nil
}

// RemoveColumn removes a zone's column from a price list of a method, and the zone's terms with its last
// column. Where a broader zone has a column its prices count for the zone's addresses then.
func RemoveColumn(m *store.Method, t *rate.Table, zone string) error {
	j := slices.Index(t.Zones, zone)
	if j < 0 {
		return Problemf("this column is not there any more")
	}
	t.Zones = slices.Delete(slices.Clone(t.Zones), j, j+1)
	for i := range t.Rows {
		t.Rows[i].Charges = slices.Delete(slices.Clone(t.Rows[i].Charges), j, j+1)
	}
	if !slices.Contains(m.ServedZones(), zone) { // another list may price it
		delete(m.Terms, zone)
	}
	return nil
}

// WithoutColumn is a method as it would be without a zone's column in one of its price lists; the method
// stays as it is.
func WithoutColumn(m *store.Method, table, zone string) *store.Method {
	after := *m
	after.Terms = nil
	after.Tables = slices.Clone(m.Tables)
	for i := range after.Tables {
		if after.Tables[i].ID == table {
			after.Tables[i].Rows = slices.Clone(after.Tables[i].Rows)
			if err := RemoveColumn(&after, &after.Tables[i], zone); err != nil {
				return m
			}
		}
	}
	after.Terms = m.Terms
	return &after
}

// CloseColumn has nothing offered in any row of a zone's column: the method is not offered to the zone,
// whatever broader zones have.
func CloseColumn(t *rate.Table, zone string) error {
	j := slices.Index(t.Zones, zone)
	if j < 0 {
		return Problemf("this column is not there any more")
	}
	for i := range t.Rows {
		t.Rows[i].Charges[j] = nil
	}
	return nil
}

// MoveColumn moves a zone's column by one to the left or the right.
func MoveColumn(t *rate.Table, zone string, right bool) error {
	i := slices.Index(t.Zones, zone)
	j := i - 1
	if right {
		j = i + 1
	}
	if i < 0 || j < 0 || j >= len(t.Zones) {
		return Problemf("this column cannot go further")
	}
	t.Zones[i], t.Zones[j] = t.Zones[j], t.Zones[i]
	for r := range t.Rows {
		t.Rows[r].Charges[i], t.Rows[r].Charges[j] = t.Rows[r].Charges[j], t.Rows[r].Charges[i]
	}
	return nil
}

// CopyColumn makes a column as another is, with a change as it is typed ("plus 20 %").
func CopyColumn(f *store.File, t *rate.Table, zone, from, typed string) error {
	to, as := slices.Index(t.Zones, zone), slices.Index(t.Zones, from)
	if to < 0 || as < 0 {
		return Problemf("choose two columns of this list")
	}
	w := f.Words()
	change, err := charge.ParseChange(typed, w)
	if err != nil {
		return Problemf("%s", err.Error())
	}
	for i := range t.Rows {
		made, err := change.Apply(t.Rows[i].Charges[as], w)
		if err != nil {
			return Problemf("%s", err.Error())
		}
		t.Rows[i].Charges[to] = made
	}
	return nil
}

// Pasted is what became of a block of cells.
type Pasted struct {
	Taken  int
	Zones  map[string]int // how many cells of each zone were taken
	Below  int            // rows that lie below the last row
	Beside int            // columns that lie right of the last zone
	Slips  map[Cell]Typed // cells that were not taken
}

// Typed is what was typed into a cell and what is wrong with it.
type Typed struct{ Text, Slip string }

// Paste takes a block of cells, parted by tabs and line ends, from a cell on to the right and down. Pasted
// at a break point (no zone), its first column are break points, which make rows where they are new, and the second
// belongs to the zone beside, "" for the list's first. What cannot be taken is told of; where nothing can, that is the
// error.
func Paste(f *store.File, t *rate.Table, at Cell, beside, block string) (p Pasted, err error) {
	p.Slips, p.Zones = map[Cell]Typed{}, map[string]int{}
	lines := lines(block)
	w := f.Words()
	first := slices.Index(t.Zones, at.Zone)
	row := Row(t, at.At)
	next := max(0, slices.Index(t.Zones, beside))
	if row < 0 || first < 0 && at.Zone != "" || beside != "" && t.Zones[next] != beside {
		return p, Problemf("this row or column is not there any more; reload to see the list as it is now")
	}
	for i, line := range lines {
		cells, column := strings.Split(line, "\t"), first
		if at.Zone == "" { // break points in front
			column = next
			if row, err = breakRow(f, t, cells[0]); err != nil {
				return p, Problemf("line %d of what was pasted: %s", i+1, err.Error())
			}
			cells = cells[1:]
		}
		if row >= len(t.Rows) {
			p.Below = len(lines) - i
			break
		}
		for j, text := range cells {
			if column+j >= len(t.Zones) {
				p.Beside = max(p.Beside, len(cells)-j)
				break
			}
			parsed, err := charge.Parse(text, w)
			if strings.TrimSpace(text) == "" {
				parsed, err = nil, nil
			}
			if err != nil {
				p.Slips[Cell{AtText(t.Rows[row].At), t.Zones[column+j]}] = Typed{
					strings.TrimSpace(text),
					err.Error(),
				}
				continue
			}
			t.Rows[row].Charges[column+j] = parsed
			p.Taken++
			p.Zones[t.Zones[column+j]]++
		}
		if at.Zone != "" {
			row++
		}
	}
	if p.Taken == 0 {
		return p, Problemf("none of the pasted cells can be taken")
	}
	return p, nil
}

// lines parts a pasted block into its rows.
func lines(block string) []string {
	return strings.Split(strings.TrimRight(strings.ReplaceAll(block, "\r\n", "\n"), "\n"), "\n")
}

// breakRow is the row of a break point as it is typed, made where there is none; its charges are those of
// the row that covered it.
func breakRow(f *store.File, t *rate.Table, typed string) (int, error) {
	if t.By == rate.ByOrder {
		return 0, Problemf("a list with one price for every order has no break points")
	}
	at, err := readBreak(f, t, typed, false)
	if err != nil {
		return 0, err
	}
	if i := slices.IndexFunc(
		t.Rows,
		func(r rate.Row) bool { return r.At != nil && r.At.Cmp(*at) == 0 },
	); i >= 0 {
		return i, nil
	}
	return insertRow(t, at), nil
}
