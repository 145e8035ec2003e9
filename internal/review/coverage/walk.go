package coverage

import (
	"diadrom/internal/core/atlas"
	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"

	"github.com/paulmach/orb"
)

// walk goes through the addresses that tell the rules of a map apart.
type walk struct {
	m *Map
	// ask is given an address with the owners that take it, the one that counts first; it stands for so many postcodes,
	// listed ones where there are lists of its country, and for none where it has no code.
	ask func(at place.Address, matches []place.Match, codes uint64)
	// listed is given each listed code with the owners that take it; may be nil
	listed func(country string, matches []place.Match, code gazetteer.Code)
}

func (w *walk) all() {
	named := w.named()
	for _, c := range world.Countries() {
		at := place.Address{Country: c.Alpha2}
		w.ask(at, w.match(at), 0)
		if named[c.Alpha2] {
			w.codes(c.Alpha2)
		}
	}
	w.spots()
}

// named lists the countries of which zones take a part; all that are listed where they do so by circles and areas.
func (w *walk) named() map[string]bool {
	named := map[string]bool{}
	for r := range w.m.rules("") {
		if r.Level() == place.Shape && w.m.Gazetteer != nil {
			all, _ := w.m.Gazetteer.Countries()
			for _, c := range all {
				named[c] = true
			}
		}
	}
	for i := range w.m.Rules {
		for _, rules := range [2][]place.Rule{w.m.Rules[i].Places, w.m.Rules[i].Except} {
			for j := range rules {
				if r := &rules[j]; r.Country != "" && r.Level() < place.Country {
					named[r.Country] = true
				}
			}
		}
	}
	return named
}

func (w *walk) match(at place.Address) []place.Match {
	resolved := at.Resolve(w.m.Gazetteer)
	return w.m.Match(&resolved, nil)
}

// codes asks for the codes of a country, and for the regions and towns that rules name in it.
func (w *walk) codes(country string) {
	w.towns(country)
	listed := w.m.listed(country)
	if _, ok := numbers(country); ok {
		w.numbered(country, listed)
		return
	}
	for _, c := range listed {
		at := place.Address{Country: country, Postcode: c.Text}
		matches := w.match(at)
		w.ask(at, matches, 1)
		if w.listed != nil {
			w.listed(country, matches, c)
		}
	}
	seen := map[string]bool{}
	for r := range w.m.rules(country) {
		for _, e := range r.Postcodes {
			for _, code := range postcode.Samples(country, e) {
				if !seen[code.Text] && postcode.Possible(country, code.Text) {
					seen[code.Text] = true
					at := place.Address{Country: country, Postcode: code.Text}
					w.ask(at, w.match(at), 0)
				}
			}
		}
	}
}

// towns asks for the regions and towns that rules name in a country.
func (w *walk) towns(country string) {
	asked := map[[2]string]bool{}
	for r := range w.m.rules(country) {
		if r.Country == country && (r.Region != "" || r.City != "") && !asked[[2]string{r.Region, r.City}] {
			asked[[2]string{r.Region, r.City}] = true
			at := place.Address{Country: country, Region: r.Region, City: r.City}
			w.ask(at, w.match(at), 0)
		}
	}
}

// numbered asks for a code of each stretch of a country whose codes are numbers.
func (w *walk) numbered(country string, listed []gazetteer.Code) {
	l := w.m.Line(country, "")
	for i := range l.Stretches {
		s := &l.Stretches[i]
		at := place.Address{Country: country, Postcode: l.Text(s.From)}
		if s.Listed > 0 { // one that somebody has
			at.Postcode = w.m.Gazetteer.CodesBetween(country, at.Postcode, l.Text(s.To))[0].Text
		}
		weight := s.Codes()
		if l.Listed {
			weight = uint64(s.Listed)
		}
		w.ask(at, s.Zones, weight)
	}
	if w.listed == nil {
		return
	}
	at := 0
	for i := range listed { // in order, as the stretches are
		n, ok := numberOf(&listed[i], l.Length)
		if !ok {
			continue
		}
		for l.Stretches[at].To < n {
			at++
		}
		w.listed(country, l.Stretches[at].Zones, listed[i])
	}
}

// spots asks for the middle of each circle and a point of each area.
func (w *walk) spots() {
	for i := range w.m.Rules {
		for j := range w.m.Rules[i].Places {
			r := &w.m.Rules[i].Places[j]
			if r.Level() != place.Shape {
				continue
			}
			if p, ok := r.Inside(); ok {
				at, matches := w.m.near(p, r.Country)
				w.ask(at, matches, 0)
			}
		}
	}
}

// near is a point as an address; where the rule names no country, in the one on whose land it lies, or at sea in that
// of the nearest listed place.
func (m *Map) near(p orb.Point, country string) (place.Address, []place.Match) {
	if country == "" {
		country = atlas.CountryAt(p)
	}
	if country == "" && m.Gazetteer != nil {
		country = m.Gazetteer.CountryAt(p.Lat(), p.Lon())
	}
	at := place.At(country, p)
	resolved := at.Resolve(m.Gazetteer)
	return at, m.Match(&resolved, nil)
}
