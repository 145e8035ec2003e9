package ratelist

import (
	"slices"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// Sample is a price read back from the table that a list makes: what delivery costs for one value of what the table
// measures.
type Sample struct {
	Why     string // which price it is: "cheapest", "dearest", "in the middle", "changed most"
	Zone    string // its id
	By      rate.By
	At      decimal.Decimal // what the table measures
	Price   decimal.Decimal
	Offered bool
	Line    int              // of the file that says so; 0 where none does
	Was     *decimal.Decimal // in the list that is updated; nil where it had no price
}

// result is the table as it will be, and as it was where one is updated.
func (r *Reading) result() (is, was *rate.Table) {
	if len(r.Updates) == 1 && r.Updates[0].Problem == "" {
		return &r.Updates[0].Is, &r.Updates[0].Was
	}
	if r.Plan == nil {
		return nil, nil
	}
	return &r.Plan.Table, nil
}

// Samples reads prices back from the table that the list makes, by evaluating it as a quote does: the cheapest, one in the
// middle, the dearest, and where a list is updated the one that changed most. None where there is no table yet, or where
// the file updates several.
func (r *Reading) Samples() (list []Sample) {
	is, was := r.result()
	if is == nil || len(r.Updates) > 1 {
		return nil
	}
	all := r.samples()
	if len(all) == 0 {
		return nil
	}
	slices.SortStableFunc(all, func(a, b Sample) int { return a.Price.Cmp(b.Price) })
	add := func(s Sample, why string) {
		s.Why, s.Line = why, r.lineOf(s.Zone, s.At)
		if !slices.ContainsFunc(list, func(o Sample) bool { return o.Zone == s.Zone && o.At.Cmp(s.At) == 0 }) {
			list = append(list, s)
		}
	}
	add(all[0], "cheapest")
	add(all[len(all)/2], "in the middle")
	add(all[len(all)-1], "dearest")
	if was == nil {
		return list
	}
	most, at := decimal.Zero, -1
	for i := range all {
		if all[i].Was == nil || all[i].Was.IsZero() {
			continue
		}
		change := all[i].Price.Sub(*all[i].Was)
		if change.Sign() < 0 {
			change = change.Neg()
		}
		if change = change.Quo(*all[i].Was); most.Less(change) {
			most, at = change, i
		}
	}
	if at >= 0 {
		add(all[at], "changed most")
	}
	return list
}

// samples are a price for each line that was taken.
func (r *Reading) samples() (all []Sample) {
	is, was := r.result()
	column, before := columnsOf(is), columnsOf(was)
	for i := range r.Plan.Lines {
		l := &r.Plan.Lines[i]
		if l.Status != Taken || l.charge == nil {
			continue
		}
		zone := r.Plan.Zones[l.zone].ID
		at, ok := column[zone]
		if !ok {
			continue
		}
		wasAt, had := before[zone]
		if !had {
			wasAt = -1
		}
		if s := readBack(is, was, at, wasAt, l.within(r.Plan.Table.By)); s.Offered {
			s.Zone = zone
			all = append(all, s)
		}
	}
	return all
}

// columnsOf are the columns of a table by the ids of their zones; none for nil.
func columnsOf(t *rate.Table) map[string]int {
	columns := map[string]int{}
	if t != nil {
		for i, zone := range t.Zones {
			columns[zone] = i
		}
	}
	return columns
}

// readBack reads a price back from a column of a table, and of the table as it was; before is −1 for none.
func readBack(is, was *rate.Table, column, before int, x decimal.Decimal) Sample {
	s := Sample{By: is.By, At: x}
	goods := rate.Goods{Quantity: 1}
	s.Price, s.Offered = is.At(column, goods, x)
	if before >= 0 {
		if p, ok := was.At(before, goods, x); ok {
			s.Was = &p
		}
	}
	return s
}

// within is a value that a line covers: three fifths of the way from its lower to its upper bound, or one above the lower
// where it has no upper.
func (l *Line) within(by rate.By) decimal.Decimal {
	low := decimal.Zero
	if l.from != nil {
		low = *l.from
	}
	if l.to == nil {
		return low.Add(decimal.One)
	}
	if by == rate.ByQuantity {
		return *l.to
	}
	at := low.Add(l.to.Sub(low).Mul(decimal.FromInt(3)).Quo(decimal.FromInt(5)))
	for digits := range 4 {
		if round := at.Round(digits); low.Less(round) && round.Less(*l.to) {
			return round
		}
	}
	return *l.to
}

// Quote reads the price back that the table of the list has for a zone where it measures x.
func (r *Reading) Quote(zone string, x decimal.Decimal) Sample {
	is, was := r.result()
	s := Sample{Zone: zone, At: x}
	if is == nil {
		return s
	}
	s.By = is.By
	if column := slices.Index(is.Zones, zone); column >= 0 {
		before := -1
		if was != nil {
			before = slices.Index(was.Zones, zone)
		}
		s = readBack(is, was, column, before, x)
		s.Zone, s.Line = zone, r.lineOf(zone, x)
	}
	return s
}

// lineOf is the line of the file whose price holds for a zone where the table measures x; 0 where none does. Of lines that
// begin or end nowhere the one that ends first counts, whatever their order.
func (r *Reading) lineOf(zone string, x decimal.Decimal) int {
	table := &r.Plan.Table
	var best *Line
	for i := range r.Plan.Lines {
		l := &r.Plan.Lines[i]
		if l.Status != Taken || r.Plan.Zones[l.zone].ID != zone {
			continue
		}
		above, below := true, true
		if l.from != nil {
			above = l.from.Less(x) || table.Edges == rate.From && l.from.Cmp(x) == 0 || l.from.IsZero()
		}
		if l.to != nil {
			below = x.Less(*l.to) || table.Edges != rate.From && l.to.Cmp(x) == 0
		}
		if (table.By == rate.ByOrder || above && below) && (best == nil || l.nearer(best)) {
			best = l
		}
	}
	if best == nil {
		return 0
	}
	return best.Line
}

// nearer says whether a line ends before another, or begins after it where they end alike.
func (l *Line) nearer(o *Line) bool {
	switch {
	case l.to == nil || o.to == nil:
		if l.to != nil || o.to != nil {
			return l.to != nil
		}
	case l.to.Cmp(*o.to) != 0:
		return l.to.Less(*o.to)
	}
	return l.from != nil && (o.from == nil || o.from.Less(*l.from))
}

// Words are a sample in words: "1.2 kg to Germany".
func (s *Sample) Words(r *Reading, f *store.File) string {
	name := f.ZoneName(s.Zone)
	for i := range r.Plan.Zones {
		if r.Plan.Zones[i].ID == s.Zone {
			name = r.Plan.Zones[i].Name
		}
	}
	if s.By == rate.ByOrder {
		return "An order to " + name
	}
	words := f.Store.Units().Measure(s.By, s.At)
	if s.By == rate.BySubtotal {
		words = "Goods for " + words
	}
	return words + " to " + name
}
