package warnings

import (
	"cmp"
	"regexp"
	"slices"
	"strings"
	"sync"

	"diadrom/internal/core/world"
)

// texts reads what buyers are told of a method beside what it does.
func (r *reader) texts(m *methodFacts) {
	r.untrue(m)
	if r.offeredElsewhere(m, methodName(m.m)) {
		return
	}
	if label := m.m.BuyersLabel(); label != methodName(m.m) && r.offeredElsewhere(m, label) {
		return
	}
	if m.m.RefusedText != "" {
		r.offeredElsewhere(m, m.m.RefusedText)
	}
}

// named is a place that a text names, and how.
type named struct {
	name string
	not  bool // the text says that the method is not for it
	has  func(*spot) bool
}

// notTo are words before a place that a text leaves out, inTo such before one that it is for.
var (
	notTo = regexp.MustCompile(
		`(?:^|[^\pL])(?:not to|not in|except|except to|excluding|without|outside|outside of|no delivery to)$`,
	)
	inTo = regexp.MustCompile(`(?:^|[^\pL])(?:to|in|within|for|inside)$`)
	only = regexp.MustCompile(`^only(?:[^\pL]|$)`)
	home = regexp.MustCompile(`(?:^|[^\pL])(?:domestic|inland|national)(?:[^\pL]|$)`)
	away = regexp.MustCompile(`(?:^|[^\pL])(?:abroad|international|overseas)(?:[^\pL]|$)`)
)

// placesIn finds the zones of the shop and the countries that a text says a method is for, or is not for. A place
// counts only with a word that says so ("to Finland", "Finland only"), or where the text is nothing else.
func (r *reader) placesIn(text string) (list []named) {
	folded := world.Fold(text)
	look := func(name, key string, has func(*spot) bool) {
		if len(key) < 4 {
			return
		}
		for from := 0; ; {
			at := strings.Index(folded[from:], key)
			if at < 0 {
				return
			}
			at += from
			from = at + len(key)
			before, behind := strings.TrimSpace(folded[:at]), strings.TrimSpace(folded[from:])
			if at > 0 && letter(folded[at-1]) || from < len(folded) && letter(folded[from]) {
				continue
			}
			switch {
			case notTo.MatchString(before):
				list = append(list, named{name, true, has})
			case inTo.MatchString(before), only.MatchString(behind), before == "" && behind == "":
				list = append(list, named{name, false, has})
			}
		}
	}
	if r.names == nil {
		r.names = make([]string, len(r.f.Zones))
		for i := range r.f.Zones {
			r.names[i] = world.Fold(cmp.Or(r.f.Zones[i].Name, r.f.Zones[i].ID))
		}
	}
	for i, key := range r.names {
		if !strings.Contains(folded, key) {
			continue
		}
		look(
			cmp.Or(r.f.Zones[i].Name, r.f.Zones[i].ID),
			key,
			func(s *spot) bool { return slices.Contains(s.Zones, int32(i)) },
		)
	}
	for _, c := range countries() {
		if strings.Contains(folded, c.folded) &&
			!slices.ContainsFunc(list, func(n named) bool { return n.name == c.name }) {
			look(c.name, c.folded, func(s *spot) bool { return s.At.Country == c.code })
		}
	}
	country := r.f.Home()
	isHome := func(s *spot) bool { return s.At.Country == country }
	switch name := world.CountryName(country); {
	case country == "":
	case home.MatchString(folded):
		list = append(list, named{name, false, isHome})
	case away.MatchString(folded):
		list = append(list, named{name, true, isHome})
	}
	return list
}

type foldedCountry struct{ code, name, folded string }

// countries are the countries with their names as they are compared.
var countries = sync.OnceValue(func() (list []foldedCountry) {
	for _, c := range world.Countries() {
		list = append(list, foldedCountry{c.Alpha2, c.Name, world.Fold(c.Name)})
	}
	return list
})

func letter(c byte) bool { return 'a' <= c && c <= 'z' || c >= 0x80 }

// offeredElsewhere finds a method that is offered where a text says that it is not: often a broader zone serves what
// lost its own column.
func (r *reader) offeredElsewhere(m *methodFacts, text string) bool {
	places := r.placesIn(text)
	if len(places) == 0 {
		return false
	}
	for i := range r.ground.spots {
		s := &r.ground.spots[i]
		if !m.serves(i) || s.Bare {
			continue
		}
		wanted, inside, left := false, false, ""
		for _, p := range places {
			switch has := p.has(s); {
			case p.not && has:
				left = p.name
			case !p.not:
				wanted, inside = true, inside || has
			}
		}
		if left == "" && (!wanted || inside) {
			continue
		}
		by := r.f.Zones[m.spots[i]].ID
		q := r.order(m.m, m.spots[i], goods{to: &s.At})
		shows := offersBy(m.m.ID, by)
		if asks(m.m) || !r.shown(q, shows) {
			continue
		}
		r.say(Warning{Code: OfferedElsewhere, Severity: Loses, About: "methods/" + m.m.ID + "/name", Method: m.m.ID,
			Witness: q, Text: "“" + text + "” is offered to " + r.where(s) + " too, at the prices of " +
				r.f.ZoneName(by)}, shows)
		return true
	}
	return false
}

// where says which place a spot stands for: its address, with the town where a list has its code.
func (r *reader) where(s *spot) string {
	at := s.At
	if g := r.e.Gazetteer(); g != nil && at.Postcode != "" && at.City == "" {
		to := at.Resolve(g)
		if known := g.Postcode(at.Country, to.Postcode); len(known) > 0 {
			at.City = known[0].Name
		}
	}
	return at.Line(r.f.Home())
}
