package coverage

import (
	"slices"
	"strings"

	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
)

// Cell is a part of a line of cells: an area or district in Great Britain, a beginning of codes elsewhere.
type Cell struct {
	From, To uint64 // positions on the line, both included
	Text     string // BT, M5V
	Entry    string // what to type for all of it, without the country; "" for the rest that nothing names
	Deeper   bool   // whether it can be looked at closer
}

// unitsPerCell is how many positions a cell has, which what lies in it shares.
const unitsPerCell = 1 << 20

// probe is a code that is asked for, and what to type for it.
type probe struct {
	code  string
	entry string
	list  bool // of the gazetteer
}

// celled lays out the cells of a country. Cells are those that the gazetteer has codes in or that the zones
// name; the last one stands for all others where there is no list of the country. Within a cell the codes of
// the gazetteer are asked, or else those at the edges of the zones' entries.
func (m *Map) celled(country, within string) *Line {
	l := &Line{Country: country, Within: within}
	probes := map[string][]probe{}
	add := func(code postcode.Code, entry string, list bool) {
		if cell, ok := cellOf(country, within, code); ok {
			probes[cell] = append(probes[cell], probe{code.Text, entry, list})
		}
	}
	for _, c := range m.listed(country) {
		l.Listed = true
		add(c.Code, c.Text, true)
	}
	for r := range m.rules(country) {
		for _, e := range r.Postcodes {
			samples := postcode.Samples
			if postcode.British(country) {
				samples = postcode.Examples
			}
			for _, code := range samples(country, e) {
				switch {
				case e.Takes(code):
					add(code, e.String(), false)
				case !l.Listed: // what lies beside it tells where it ends
					add(code, code.Text, false)
				}
			}
		}
	}
	if !l.Listed && !postcode.British(country) { // all beginnings are few enough to show
		for _, c := range postcode.Next(country, within) {
			cell := within + string(c)
			if first := postcode.First(country, cell); first != "" {
				probes[cell] = append(probes[cell], probe{first, cell + "*", false})
			}
		}
	}
	names := make([]string, 0, len(probes))
	for cell := range probes {
		names = append(names, cell)
	}
	slices.SortFunc(names, postcode.CompareDistricts)
	if !postcode.British(country) {
		slices.Sort(names)
	}
	for _, name := range names {
		m.cell(l, name, probes[name])
	}
	if postcode.British(country) && !l.Listed {
		m.others(l, probes)
	}
	if n := len(l.Cells); n > 0 {
		l.Last = l.Cells[n-1].To
	}
	return l
}

// cellOf is the cell of a code on a line; false where it lies on another.
func cellOf(country, within string, code postcode.Code) (string, bool) {
	if postcode.British(country) {
		area, district := postcode.Outward(code)
		if within == "" {
			return area, area != ""
		}
		return district, area == within && district != area
	}
	if len(code.Text) <= len(within) || !strings.HasPrefix(code.Text, within) {
		return "", false
	}
	return code.Text[:len(within)+1], true
}

// cell lays out what lies in one cell.
func (m *Map) cell(l *Line, name string, probes []probe) {
	british := postcode.British(l.Country)
	c := Cell{Text: name, Entry: name}
	if l.Cells != nil {
		c.From = l.Cells[len(l.Cells)-1].To + 1
	}
	c.To = c.From + unitsPerCell - 1
	first := ""
	switch {
	case british && l.Within == "":
		c.Deeper, first = true, postcode.First(l.Country, name+"1")
	case british:
		first = name + "1AA"
	case len(postcode.Next(l.Country, name)) > 0:
		c.Deeper, first = true, postcode.First(l.Country, name)
		c.Entry += "*"
	}
	if first != "" && !slices.ContainsFunc(probes, func(p probe) bool { return p.list }) {
		probes = append(probes, probe{first, c.Entry, false})
	}
	slices.SortFunc(probes, func(a, b probe) int {
		if british {
			_, da := postcode.Outward(postcode.Read(l.Country, a.code))
			_, db := postcode.Outward(postcode.Read(l.Country, b.code))
			if d := postcode.CompareDistricts(da, db); d != 0 {
				return d
			}
		}
		return strings.Compare(a.code, b.code)
	})
	probes = slices.CompactFunc(probes, func(a, b probe) bool { return a.code == b.code })
	var runs []Stretch
	var weights []uint64
	for _, p := range probes {
		resolved := place.Address{Country: l.Country, Postcode: p.code}.Resolve(m.Gazetteer)
		s := Stretch{Zones: m.Match(&resolved, nil), Entry: p.entry}
		if p.list {
			s.Listed = 1
		}
		if n := len(runs); n > 0 && slices.EqualFunc(runs[n-1].Zones, s.Zones, sameZone) {
			if runs[n-1].Entry != s.Entry {
				runs[n-1].Entry = c.Entry
			}
			runs[n-1].Listed += s.Listed
			weights[n-1]++
			continue
		}
		runs, weights = append(runs, s), append(weights, 1)
	}
	if len(runs) == 1 {
		runs[0].Entry = c.Entry
	}
	share(runs, weights, c)
	l.Cells, l.Stretches = append(l.Cells, c), append(l.Stretches, runs...)
}

// share divides the positions of a cell among its runs, by weight, at least one each.
func share(runs []Stretch, weights []uint64, c Cell) {
	total := uint64(0)
	for _, w := range weights {
		total += w
	}
	at, passed := c.From, uint64(0)
	for i := range runs {
		passed += weights[i]
		runs[i].From = at
		end := c.From + max(passed*unitsPerCell/total, 1) - 1
		runs[i].To = max(end, at)
		if i == len(runs)-1 {
			runs[i].To = max(c.To, at)
		}
		at = runs[i].To + 1
	}
}

// others stands for the areas, or districts, that no zone names.
func (m *Map) others(l *Line, named map[string][]probe) {
	for a := range 26 * 27 {
		cell := strings.TrimSpace(string(rune('A'+a/27)) + string(" ABCDEFGHIJKLMNOPQRSTUVWXYZ"[a%27]))
		if l.Within != "" {
			if a > 99 {
				return
			}
			cell = l.Within + string(rune('0'+a%10))
			if a >= 10 {
				cell = l.Within + string(rune('0'+a/10)) + string(rune('0'+a%10))
			}
		}
		first := postcode.First(l.Country, cell+"1")
		if first == "" || named[cell] != nil {
			continue
		}
		c := Cell{Text: "all others"}
		if l.Cells != nil {
			c.From = l.Cells[len(l.Cells)-1].To + 1
		}
		c.To = c.From + unitsPerCell - 1
		resolved := place.Address{Country: l.Country, Postcode: first}.Resolve(m.Gazetteer)
		s := Stretch{From: c.From, To: c.To, Zones: m.Match(&resolved, nil)}
		l.Cells, l.Stretches = append(l.Cells, c), append(l.Stretches, s)
		return
	}
}
