package coverage

import (
	"slices"

	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
)

// prior is what was laid out for an earlier state of which the zones are the same but for their rules. It has nothing of
// states before that.
type prior struct {
	rules []place.Owner
	lines map[[2]string]*Line
}

func (m *Map) asPrior() *prior {
	p := &prior{rules: m.Rules, lines: map[[2]string]*Line{}}
	m.lines.Range(func(key, l any) bool {
		p.lines[key.([2]string)] = l.(*Line)
		return true
	})
	return p
}

// span is codes from one to another, both included, as numbers.
type span struct{ from, to uint64 }

// again lays a line of numbers out as it was in the earlier state, and anew only where entries came or went. It is false
// where that does not tell: where there was no such line, and where broader or narrower places have changed.
func (m *Map) again(l *Line) bool {
	if m.prior == nil || len(m.prior.rules) != len(m.Rules) {
		return false
	}
	was := m.prior.lines[[2]string{l.Country, ""}]
	if was == nil || m.byPlace(l.Country) {
		return false
	}
	changed, ok := m.changed(l)
	if !ok {
		return false
	}
	l.Listed = was.Listed
	next := uint64(0)
	for _, c := range changed {
		l.take(m, was, next, c.from)
		m.lay(l, c)
		next = c.to + 1
	}
	l.take(m, was, next, l.Last+1)
	l.count(numbersOf(m.listed(l.Country), l.Length))
	return true
}

// changed are the spans of a line in which entries came or went, in order and apart.
func (m *Map) changed(l *Line) (spans []span, ok bool) {
	for i := range m.Rules {
		a, b := &m.prior.rules[i], &m.Rules[i]
		if a.Equal(*b) {
			continue
		}
		for _, pair := range [2][2][]place.Rule{{a.Places, b.Places}, {a.Except, b.Except}} {
			was, beside := entriesIn(pair[0], l.Country)
			is, besideNow := entriesIn(pair[1], l.Country)
			if !slices.EqualFunc(beside, besideNow, (*place.Rule).Equal) {
				return nil, false
			}
			for e, n := range was {
				if is[e] != n {
					spans = append(spans, spanOf(e, l))
				}
			}
			for e := range is {
				if was[e] == 0 {
					spans = append(spans, spanOf(e, l))
				}
			}
		}
	}
	slices.SortFunc(spans, func(a, b span) int {
		if a.from < b.from {
			return -1
		} else if a.from > b.from {
			return 1
		}
		return 0
	})
	apart := spans[:0]
	for _, s := range spans {
		if n := len(apart); n > 0 && s.from <= apart[n-1].to+1 {
			apart[n-1].to = max(apart[n-1].to, s.to)
			continue
		}
		apart = append(apart, s)
	}
	return apart, true
}

func spanOf(e postcode.Entry, l *Line) span {
	from, to := e.Numbers(l.Length)
	return span{from, min(to, l.Last)}
}

// entriesIn counts the entries that rules have in a country, and lists the other rules that may take some of it.
func entriesIn(rules []place.Rule, country string) (entries map[postcode.Entry]int, beside []*place.Rule) {
	entries = map[postcode.Entry]int{}
	for i := range rules {
		r := &rules[i]
		switch {
		case r.Country != "" && r.Country != country:
		case r.Level() != place.Postcode || r.Region != "" || r.City != "" || r.Group != "":
			beside = append(beside, r)
		default:
			for _, e := range r.Postcodes {
				entries[e]++
			}
		}
	}
	return entries, beside
}

// take takes over the stretches of another line from one position up to another.
func (l *Line) take(m *Map, was *Line, from, below uint64) {
	if from >= below {
		return
	}
	for i := was.At(from); i < len(was.Stretches); i++ {
		s := was.Stretches[i]
		if s.From >= below {
			return
		}
		s.From, s.To, s.Listed = max(s.From, from), min(s.To, below-1), 0
		l.add(m, s)
	}
}

// lay lays a span out.
func (m *Map) lay(l *Line, c span) {
	starts := []uint64{c.from}
	for r := range m.rules(l.Country) {
		for _, e := range r.Postcodes {
			from, to := e.Numbers(l.Length)
			for _, at := range [2]uint64{from, to + 1} {
				if c.from < at && at <= c.to {
					starts = append(starts, at)
				}
			}
		}
	}
	slices.Sort(starts)
	starts = slices.Compact(starts)
	for i, from := range starts {
		to := c.to
		if i+1 < len(starts) {
			to = starts[i+1] - 1
		}
		resolved := place.Address{Country: l.Country, Postcode: l.Text(from)}.Resolve(m.Gazetteer)
		l.add(m, Stretch{From: from, To: to, Zones: m.Match(&resolved, nil)})
	}
}

// add adds a stretch behind the others, to the last one where the same zones take it.
func (l *Line) add(m *Map, s Stretch) {
	if n := len(l.Stretches); n > 0 && m.alike(l.Stretches[n-1].Zones, s.Zones) {
		l.Stretches[n-1].To = s.To
		return
	}
	l.Stretches = append(l.Stretches, s)
}
