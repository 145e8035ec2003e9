// Package coverage lays the postcodes of a country out as a line, tells which zone takes each stretch of it,
// and how the zones of a store lie to one another: what each takes out of which, where two tie or cross, which
// one is never reached.
//
// Where codes are numbers of one length, the line is that of the numbers. Between two neighbouring ends of the
// zones' entries (and, where zones name regions, cities or circles, between two neighbouring codes of the
// gazetteer) every code is taken alike, so one code of each such stretch is asked for all. Where codes have
// letters, the line is one of cells: areas, or districts of one area, in Great Britain, the beginnings of codes
// elsewhere; see cells.go.
package coverage

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/store"
)

// Map is the zones of a store as this package looks at them. It is safe for many goroutines, and is not changed
// once made.
type Map struct {
	Rules []place.Owner // by zone; those that are switched off take nothing
	// appends the zones that take an address, the one that counts first
	Match     func(*place.Resolved, []place.Match) []place.Match
	Tie       func(a, b place.Match) bool // whether only their order in the file tells which of two counts first
	Gazetteer *gazetteer.Gazetteer        // may be nil

	zones   []store.Zone // of the engine, if it is of one
	prior   *prior       // nil: nothing is taken over
	lines   sync.Map     // of [2]string, country and within, to *Line; laid out when it is first asked for
	summary sync.Once
	summed  *Summary
}

// Stretch is neighbouring codes that the same zones take.
type Stretch struct {
	From, To uint64        // positions on the line, both included; on a line of numbers they are the codes
	Zones    []place.Match // those that take it, the one that counts first; none is a hole
	Listed   int           // codes of the gazetteer in it
	Entry    string        // on a line of cells: what to type for it
}

// Codes is how many positions the stretch has.
func (s Stretch) Codes() uint64 { return s.To - s.From + 1 }

// Line is a country's codes from the lowest to the highest.
type Line struct {
	Country   string
	Within    string // on a line of cells: the beginning, or the area, that all of it has
	Length    int    // digits of a code; 0 on a line of cells
	Last      uint64 // the last position
	Stretches []Stretch
	Cells     []Cell // none on a line of numbers
	Listed    bool   // whether the gazetteer has codes of the country
}

// Text writes a number of the line as a code.
func (l *Line) Text(n uint64) string { return fmt.Sprintf("%0*d", l.Length, n) }

// Entry is what to type for the codes from one position to another within a stretch, without the country.
func (l *Line) Entry(s *Stretch, from, to uint64) string {
	switch {
	case l.Length == 0:
		return s.Entry
	case from == to:
		return l.Text(from)
	}
	return l.Text(from) + " to " + l.Text(to)
}

// At is the stretch of a position, −1 where there is none.
func (l *Line) At(position uint64) int {
	i, _ := slices.BinarySearchFunc(l.Stretches, position, func(s Stretch, p uint64) int {
		switch {
		case s.To < p:
			return -1
		case s.From > p:
			return 1
		}
		return 0
	})
	if i == len(l.Stretches) {
		return -1
	}
	return i
}

// longestNumber is how many digits a code may have to be laid out as a number.
const longestNumber = 9

func numbers(country string) (length int, ok bool) {
	length, ok = postcode.AllDigits(country)
	return length, ok && length <= longestNumber
}

// Line lays out a country's codes, on a line of cells those that begin as within does. It is kept for the next time.
func (m *Map) Line(country, within string) *Line {
	length, ok := numbers(country)
	if ok {
		within = ""
	}
	key := [2]string{country, within}
	if kept, has := m.lines.Load(key); has {
		return kept.(*Line)
	}
	var l *Line
	if ok {
		l = m.numbered(country, length)
	} else {
		l = m.celled(country, within)
	}
	kept, _ := m.lines.LoadOrStore(key, l)
	return kept.(*Line)
}

func (m *Map) numbered(country string, length int) *Line {
	l := &Line{Country: country, Length: length, Last: 1}
	for range length {
		l.Last *= 10
	}
	l.Last--
	if m.again(l) {
		return l
	}
	starts := []uint64{0}
	for r := range m.rules(country) {
		for _, e := range r.Postcodes {
			from, to := e.Numbers(length)
			starts = append(starts, from, to+1)
		}
	}
	listed := m.listed(country)
	l.Listed = len(listed) > 0
	if m.byPlace(country) {
		for _, n := range numbersOf(listed, length) {
			starts = append(starts, n, n+1)
		}
	}
	slices.Sort(starts)
	starts = slices.Compact(starts)
	var all []place.Match // of all stretches: they share one array
	for i, from := range starts {
		if from > l.Last {
			break
		}
		to := l.Last
		if i+1 < len(starts) {
			to = min(starts[i+1]-1, l.Last)
		}
		resolved := place.Address{Country: country, Postcode: l.Text(from)}.Resolve(m.Gazetteer)
		before := len(all)
		all = m.Match(&resolved, all)
		zones := all[before:len(all):len(all)]
		if n := len(l.Stretches); n > 0 && m.alike(l.Stretches[n-1].Zones, zones) {
			l.Stretches[n-1].To, all = to, all[:before]
			continue
		}
		l.Stretches = append(l.Stretches, Stretch{From: from, To: to, Zones: zones})
	}
	l.count(numbersOf(listed, length))
	return l
}

// count counts listed codes, which are in order, by their stretches.
func (l *Line) count(listed []uint64) {
	at := 0
	for _, n := range listed {
		for l.Stretches[at].To < n {
			at++
		}
		l.Stretches[at].Listed++
	}
}

func sameZone(a, b place.Match) bool { return a.Owner == b.Owner }

// alike says whether the same zones take two codes in the same order, and the same of them tie: a zone may take one
// code by its country and the next by a range.
func (m *Map) alike(a, b []place.Match) bool {
	if !slices.EqualFunc(a, b, sameZone) {
		return false
	}
	if slices.EqualFunc(a, b, func(x, y place.Match) bool { return x.Narrow == y.Narrow }) {
		return true
	}
	for i := range a {
		for j := i + 1; j < len(a); j++ {
			if m.Tie(a[i], a[j]) != m.Tie(b[i], b[j]) {
				return false
			}
		}
	}
	return true
}

// rules runs through the rules, exceptions too, that may tell codes of a country apart.
func (m *Map) rules(country string) func(func(*place.Rule) bool) {
	return func(yield func(*place.Rule) bool) {
		for i := range m.Rules {
			for _, rules := range [2][]place.Rule{m.Rules[i].Places, m.Rules[i].Except} {
				for j := range rules {
					if r := &rules[j]; (r.Country == "" || r.Country == country) && !yield(r) {
						return
					}
				}
			}
		}
	}
}

// byPlace says whether some zone takes codes of the country by where they lie.
func (m *Map) byPlace(country string) bool {
	for r := range m.rules(country) {
		if r.Region != "" || r.City != "" || r.Level() == place.Shape {
			return true
		}
	}
	return false
}

func (m *Map) listed(country string) []gazetteer.Code {
	if m.Gazetteer == nil {
		return nil
	}
	return m.Gazetteer.Codes(country)
}

// numbersOf are listed codes as numbers, in order; those of another length are no codes of the country.
func numbersOf(codes []gazetteer.Code, length int) []uint64 {
	out := make([]uint64, 0, len(codes))
	for i := range codes {
		if n, ok := numberOf(&codes[i], length); ok {
			out = append(out, n)
		}
	}
	return out
}

// numberOf is a code as a number; false for one of another length, which is no code of the country.
func numberOf(c *gazetteer.Code, length int) (uint64, bool) {
	if len(c.Text) != length {
		return 0, false
	}
	n, err := strconv.ParseUint(c.Text, 10, 64)
	return n, err == nil
}

// Drawable lists the countries of which zones name codes, the one with the most entries first.
func (m *Map) Drawable() []string {
	entries := map[string]int{}
	for i := range m.Rules {
		for j := range m.Rules[i].Places {
			if r := &m.Rules[i].Places[j]; r.Level() == place.Postcode {
				entries[r.Country] += len(r.Postcodes)
			}
		}
	}
	list := make([]string, 0, len(entries))
	for c := range entries {
		list = append(list, c)
	}
	slices.SortFunc(list, func(a, b string) int {
		if entries[a] != entries[b] {
			return entries[b] - entries[a]
		}
		return strings.Compare(a, b)
	})
	return list
}
