// Package coverage lays the postcodes of a country out as a line and tells which zone takes each stretch of it.
//
// It serves countries whose codes are numbers of one length. Between two neighbouring ends of the zones' entries (and, where
// zones name regions or cities, between two neighbouring codes of the gazetteer) every code is taken alike, so one code of each
// such stretch is asked for all.
package coverage

import (
	"fmt"
	"slices"

	"diadrom/internal/gazetteer"
	"diadrom/internal/place"
	"diadrom/internal/postcode"
)

// Stretch is neighbouring codes that the same zones take.
type Stretch struct {
	From, To uint64 // the codes as numbers, both included
	Zones    []int  // that take it, the one that counts first; none is a hole
	Levels   []place.Level
}

// Codes is how many codes the stretch has.
func (s Stretch) Codes() uint64 { return s.To - s.From + 1 }

// Line is a country's codes from the lowest to the highest.
type Line struct {
	Country   string
	Length    int // digits of a code
	Stretches []Stretch
}

// Text writes a number of the line as a code.
func (l *Line) Text(n uint64) string { return fmt.Sprintf("%0*d", l.Length, n) }

// Zones finds which zones take an address, the one that counts first.
type Zones func(*place.Spotted) []place.Match

// Of lays out a country's line for the rules of all zones; false where its codes are not numbers of one length.
func Of(country string, owners []place.Owner, zones Zones, g *gazetteer.Gazetteer) (*Line, bool) {
	length, ok := postcode.AllDigits(country)
	if !ok || length > 9 {
		return nil, false
	}
	l := &Line{Country: country, Length: length}
	last := uint64(1)
	for range length {
		last *= 10
	}
	starts := []uint64{0}
	byPlace := false
	for _, o := range owners {
		for _, rules := range [][]place.Rule{o.Places, o.Except} {
			for i := range rules {
				r := &rules[i]
				if r.Country != "" && r.Country != country {
					continue
				}
				byPlace = byPlace || r.Level() == place.Region || r.Level() == place.City || r.Level() == place.Spot
				for _, e := range r.Postcodes {
					from, to := e.Numbers(length)
					starts = append(starts, from, to+1)
				}
			}
		}
	}
	if byPlace && g != nil {
		for _, code := range g.Codes(country) {
			n := uint64(0)
			for _, c := range code.Text {
				n = 10*n + uint64(c-'0')
			}
			if len(code.Text) == length {
				starts = append(starts, n, n+1)
			}
		}
	}
	slices.Sort(starts)
	starts = slices.Compact(starts)
	for i, from := range starts {
		if from >= last {
			break
		}
		to := last - 1
		if i+1 < len(starts) && starts[i+1] < last {
			to = starts[i+1] - 1
		}
		spotted := place.Address{Country: country, Postcode: l.Text(from)}.Spot(g)
		s := Stretch{From: from, To: to}
		for _, m := range zones(&spotted) {
			s.Zones, s.Levels = append(s.Zones, m.Owner), append(s.Levels, m.Narrow.Level)
		}
		if n := len(l.Stretches); n > 0 && slices.Equal(l.Stretches[n-1].Zones, s.Zones) {
			l.Stretches[n-1].To = to
			continue
		}
		l.Stretches = append(l.Stretches, s)
	}
	return l, true
}

// Taken says how many codes a zone gets on the line, and out of which zones: those that would have them without it.
func (l *Line) Taken(zone int) (codes uint64, outOf map[int]uint64) {
	outOf = map[int]uint64{}
	for _, s := range l.Stretches {
		if len(s.Zones) == 0 || s.Zones[0] != zone {
			continue
		}
		codes += s.Codes()
		if len(s.Zones) > 1 {
			outOf[s.Zones[1]] += s.Codes()
		}
	}
	return codes, outOf
}
