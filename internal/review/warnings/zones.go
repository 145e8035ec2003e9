package warnings

import (
	"cmp"
	"slices"
	"sort"
	"strconv"

	"diadrom/internal/core/place"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/store"
	"diadrom/internal/review/coverage"
)

// zones reads the zones as they lie to one another, and their lists of postcodes.
func (r *reader) zones() {
	for i := range r.f.Zones {
		z := &r.f.Zones[i]
		if !z.Enabled {
			continue
		}
		if len(z.Places) == 0 {
			r.say(Warning{Code: ZoneEmpty, Severity: Untidy, About: "zones/" + z.ID, Subject: r.f.ZoneName(z.ID),
				Text: "it has no places, so no address gets it"}, always)
			continue
		}
		r.entries(z)
	}
	r.ties()
}

// maxTies is how many pairs of zones that tie are named.
const maxTies = 200

// ties finds zones of which only the order in the file tells which counts.
func (r *reader) ties() {
	summary := r.summary()
	said := 0
	for _, o := range summary.Overlaps {
		if o.Kind != coverage.Ties || said == maxTies {
			continue
		}
		said++
		one, other := &r.f.Zones[o.Zone], &r.f.Zones[o.Other]
		name, with := r.f.ZoneName(one.ID), r.f.ZoneName(other.ID)
		r.say(Warning{Code: ZonesTie, Severity: Untidy, About: "zones/" + one.ID, thing: other.ID, Subject: name,
			Text: "it ties with " + with + " at " + o.At.Line(r.f.Home()) + ", where " + name +
				" counts because it stands first. Take it out of one of them",
			Witness: r.usual(o.At)}, before(one.ID, other.ID))
	}
}

// unreached finds zones that no address gets: others come before them everywhere, and no method is served by them.
func (r *reader) unreached() {
	first, in := make([]bool, len(r.f.Zones)), make([]int, len(r.f.Zones))
	at := make([]int, len(r.f.Zones))
	for i := range r.ground.spots {
		s := &r.ground.spots[i]
		for j, z := range s.Zones {
			first[z] = first[z] || j == 0
			if in[z]++; in[z] == 1 || r.ground.spots[at[z]].Bare && !s.Bare {
				at[z] = i
			}
		}
	}
	for _, m := range r.methods {
		for z := range m.zones {
			first[z] = true
		}
	}
	for i := range r.f.Zones {
		z := &r.f.Zones[i]
		if first[i] || !z.Enabled || len(z.Places) == 0 {
			continue
		}
		priced := slices.ContainsFunc(r.methods, func(m *methodFacts) bool { return m.priced[int32(i)] })
		w := Warning{Code: ZoneUnreachable, Severity: Untidy, About: "zones/" + z.ID, Subject: r.f.ZoneName(z.ID),
			Text: "no address gets this zone: all that it takes is left out again"}
		if priced {
			w.Severity = Deters
			w.Text += ", so its prices count for nobody"
		}
		shows := always
		if in[i] > 0 {
			s := &r.ground.spots[at[i]]
			first := r.f.Zones[s.Zones[0]].ID
			w.Text = "no address gets this zone, because others come before it: " + r.where(s) + " goes to " +
				r.f.ZoneName(first)
			if priced {
				w.Text += ", so its prices count for nobody"
			}
			w.Witness = r.usual(&s.Spot.At)
			shows = behind(z.ID)
		}
		if !r.numbered(z) {
			w.Tried = max(in[i], 1)
		}
		r.say(w, shows)
	}
}

// numbered says whether all codes that a zone names are numbers, which are all looked at, and no area is drawn.
func (r *reader) numbered(z *store.Zone) bool {
	return !slices.ContainsFunc(z.Places, func(rule place.Rule) bool {
		_, ok := postcode.AllDigits(rule.Country)
		return rule.Level() == place.Shape || rule.Level() == place.Postcode && !ok
	})
}

// entries finds postcodes of a zone that stand twice, that lie in another entry, and that no list has.
func (r *reader) entries(z *store.Zone) {
	countries := map[string][]listedEntry{}
	for i := range z.Places {
		rule := &z.Places[i]
		if rule.Level() != place.Postcode || rule.Region != "" || rule.City != "" {
			continue
		}
		for j, e := range rule.Postcodes {
			countries[rule.Country] = append(countries[rule.Country], listedEntry{e, i, j})
		}
	}
	for _, country := range sorted(countries) {
		list := countries[country]
		seen, twice := map[postcode.Entry]bool{}, []listedEntry(nil)
		var once []listedEntry
		for _, e := range list {
			if seen[e.Entry] {
				twice = append(twice, e)
				continue
			}
			seen[e.Entry] = true
			once = append(once, e)
		}
		if len(twice) > 0 {
			r.sayEntries(z, country, EntryRepeated, twice, "%s twice in this zone",
				removeEntries(z, r.f, country, twice, "Remove the repeated ", ""))
		}
		if inside := swallowed(country, once); len(inside) > 0 {
			var mend *Mend
			if r.alone(z, country, inside) {
				behind := ": another entry covers it"
				if len(inside) > 1 {
					behind = ": other entries cover them"
				}
				mend = removeEntries(z, r.f, country, inside, "Remove ", behind)
			}
			r.sayEntries(z, country, EntrySwallowed, inside, "%s inside another entry of this zone", mend)
		}
		if unlisted := r.unlisted(country, once); len(unlisted) > 0 {
			r.sayEntries(z, country, EntryUnlisted, unlisted, "%s on no list of places: is that a typing error?", nil)
		}
	}
}

// listedEntry is an entry with where it stands.
type listedEntry struct {
	postcode.Entry
	rule, at int
}

func words(country string, list []listedEntry) string {
	names := make([]string, len(list))
	for i := range list {
		names[i] = list[i].String()
	}
	return country + " " + plural.Few(names)
}

// sayEntries says something of entries of a zone; %s of the text is "stands" or "stand".
func (r *reader) sayEntries(z *store.Zone, country string, code Code, list []listedEntry, text string, mend *Mend) {
	verb := map[bool]string{true: "stands", false: "stand"}[len(list) == 1]
	if code == EntryUnlisted || code == EntrySwallowed {
		verb = map[bool]string{true: "is", false: "are"}[len(list) == 1]
	}
	w := Warning{Code: code, Severity: Untidy, About: "zones/" + z.ID + "/places/" + strconv.Itoa(list[0].rule),
		Subject: r.f.ZoneName(
			z.ID,
		), Text: words(country, list) + " " + verb + text[len("%s"):], Mend: mend, thing: country}
	to := place.Address{Country: country, Postcode: list[0].First(country)}
	w.Witness = r.usual(&to)
	shows := takes(z.ID)
	if !r.shown(w.Witness, shows) { // an exception leaves it out
		w.Witness, shows = nil, always
	}
	r.say(w, shows)
}

// removeEntries is the mend that removes entries of a zone, the last ones of their text first.
func removeEntries(z *store.Zone, f *store.File, country string, list []listedEntry, verb, behind string) *Mend {
	id := z.ID
	return &Mend{verb + words(country, list) + " from " + f.ZoneName(id) + behind, func(f *store.File) error {
		z, err := zoneIn(f, id)
		if err != nil {
			return err
		}
		for _, e := range list {
			if e.rule >= len(z.Places) || e.at >= len(z.Places[e.rule].Postcodes) ||
				z.Places[e.rule].Postcodes[e.at] != e.Entry {
				return ErrMoved
			}
		}
		for i := range z.Places {
			z.Places[i].Postcodes = slices.Clone(z.Places[i].Postcodes)
		}
		back := slices.Clone(list)
		slices.SortFunc(back, func(a, b listedEntry) int { return cmp.Or(b.rule-a.rule, b.at-a.at) })
		for _, e := range back {
			rule := &z.Places[e.rule]
			if rule.Postcodes = slices.Delete(rule.Postcodes, e.at, e.at+1); len(rule.Postcodes) == 0 {
				z.Places = slices.Delete(z.Places, e.rule, e.rule+1)
			}
		}
		return nil
	}}
}

// swallowed lists the entries that lie wholly in another one of a list without repeats.
func swallowed(country string, list []listedEntry) (inside []listedEntry) {
	length, ok := postcode.AllDigits(country)
	if !ok {
		return swallowedLetters(country, list)
	}
	order := slices.Clone(list)
	type span struct{ from, to uint64 }
	of := func(e *listedEntry) span {
		from, to := e.Numbers(length)
		return span{from, to}
	}
	slices.SortStableFunc(order, func(a, b listedEntry) int {
		x, y := of(&a), of(&b)
		return cmp.Or(cmp.Compare(x.from, y.from), cmp.Compare(y.to, x.to))
	})
	reach, any := uint64(0), false
	for i := range order {
		s := of(&order[i])
		if any && s.to <= reach {
			inside = append(inside, order[i])
			continue
		}
		reach, any = max(reach, s.to), true
	}
	return inTextOrder(inside)
}

func inTextOrder(list []listedEntry) []listedEntry {
	slices.SortFunc(list, func(a, b listedEntry) int { return cmp.Or(a.rule-b.rule, a.at-b.at) })
	return list
}

// swallowedLetters is swallowed where codes have letters: an entry lies in another where that takes all codes at its
// edges, and its beginning begins as the other does.
func swallowedLetters(country string, list []listedEntry) (inside []listedEntry) {
	if len(list) > maxLetters {
		return nil
	}
	byStart := map[string][]postcode.Entry{}
	for _, e := range list {
		byStart[e.Beginning()] = append(byStart[e.Beginning()], e.Entry)
	}
	for _, e := range list {
		start := e.Beginning()
		var codes []postcode.Code
		for n := range len(start) + 1 {
			for _, other := range byStart[start[:n]] {
				if other == e.Entry || other.Compare(e.Entry) <= 0 {
					continue
				}
				if codes == nil {
					codes = slices.DeleteFunc(postcode.Samples(country, e.Entry),
						func(c postcode.Code) bool { return !e.Takes(c) })
				}
				if len(codes) > 0 &&
					!slices.ContainsFunc(codes, func(c postcode.Code) bool { return !other.Takes(c) }) {
					inside = append(inside, e)
					codes = nil
					break
				}
			}
			if len(inside) > 0 && inside[len(inside)-1] == e {
				break
			}
		}
	}
	return inside
}

// maxLetters is how many entries with letters of a zone are compared.
const maxLetters = 20_000

// alone says whether no other zone takes what entries take: then nobody notices which entry it was.
func (r *reader) alone(z *store.Zone, country string, list []listedEntry) bool {
	length, ok := postcode.AllDigits(country)
	if !ok {
		return false
	}
	me := int32(r.zoneAt(z.ID))
	for i := range r.ground.spots {
		if s := &r.ground.spots[i]; s.At.Country == country && slices.Contains(s.Zones, me) && len(s.Zones) > 1 &&
			!s.Bare {
			return r.aloneIn(z, country, length, list)
		}
	}
	return true
}

// maxAlone is how many entries are asked one by one.
const maxAlone = 200

// aloneIn says whether no other zone names a code of the entries, or a narrower place in their country.
func (r *reader) aloneIn(z *store.Zone, country string, length int, list []listedEntry) bool {
	if len(list) > maxAlone {
		return false
	}
	s, me := r.spansOf(country, length), int32(r.zoneAt(z.ID))
	for _, e := range list {
		from, to := e.Numbers(length)
		if s.takenBeside(me, from, to) {
			return false
		}
	}
	return true
}

// spans are the entries of all zones in a country whose codes are numbers, by where they begin.
type spans struct {
	from     []uint64
	reach    []reach  // of those up to each place: the farthest, and the farthest of another zone
	narrower [2]int32 // two zones with narrower places in the country; −1 for none
}

// reach is how far entries reach, with whose they are.
type reach struct {
	to, other uint64
	zone      int32
	more      bool // there is an entry of another zone
}

// takenBeside says whether another zone than one names a code of a span, or a narrower place in the country.
func (s *spans) takenBeside(zone int32, from, to uint64) bool {
	for _, n := range s.narrower {
		if n >= 0 && n != zone {
			return true
		}
	}
	i := sort.Search(len(s.from), func(i int) bool { return s.from[i] > to }) - 1
	if i < 0 {
		return false
	}
	if r := s.reach[i]; r.zone != zone {
		return r.to >= from
	} else if r.more {
		return r.other >= from
	}
	return false
}

// spansOf lays the entries of a country out. A broader rule comes after any entry, so that it hides none.
func (r *reader) spansOf(country string, length int) *spans {
	if s := r.between[country]; s != nil {
		return s
	}
	type span struct {
		from, to uint64
		zone     int32
	}
	s, list := &spans{narrower: [2]int32{-1, -1}}, []span(nil)
	for i := range r.f.Zones {
		if !r.f.Zones[i].Enabled {
			continue
		}
		for j := range r.f.Zones[i].Places {
			rule := &r.f.Zones[i].Places[j]
			switch {
			case rule.Level() == place.Postcode && rule.Country == country:
				for _, o := range rule.Postcodes {
					from, to := o.Numbers(length)
					list = append(list, span{from, to, int32(i)})
				}
			case rule.Level() < place.Postcode && takesCountry(rule, country):
				if s.narrower[0] < 0 {
					s.narrower[0] = int32(i)
				} else if s.narrower[0] != int32(i) {
					s.narrower[1] = int32(i)
				}
			}
		}
	}
	slices.SortFunc(list, func(a, b span) int { return cmp.Compare(a.from, b.from) })
	far := reach{zone: -1}
	for _, l := range list {
		switch {
		case far.zone < 0 || l.zone == far.zone:
			far.to, far.zone = max(far.to, l.to), l.zone
		case l.to > far.to:
			far.to, far.other, far.zone, far.more = l.to, far.to, l.zone, true
		default:
			far.other, far.more = max(far.other, l.to), true
		}
		s.from, s.reach = append(s.from, l.from), append(s.reach, far)
	}
	if r.between == nil {
		r.between = map[string]*spans{}
	}
	r.between[country] = s
	return s
}

func takesCountry(r *place.Rule, country string) bool { return r.Country == "" || r.Country == country }

// unlisted lists the entries that no listed code of their country is like.
func (r *reader) unlisted(country string, list []listedEntry) (out []listedEntry) {
	g := r.e.Gazetteer()
	if g == nil || !r.ground.listed[country] {
		return nil
	}
	length, digits := postcode.AllDigits(country)
	for _, e := range list {
		switch {
		case e.Single():
			if known, _ := g.Knows(country, postcode.Read(country, e.String())); known {
				continue
			}
		case digits:
			from, to := e.Numbers(length)
			if len(g.CodesBetween(country, pad(from, length), pad(to, length))) > 0 {
				continue
			}
		default:
			if start := e.Beginning(); start == "" || len(g.CodesFrom(country, start)) > 0 {
				continue
			}
		}
		out = append(out, e)
	}
	return out
}

func pad(n uint64, length int) string {
	text := strconv.FormatUint(n, 10)
	for len(text) < length {
		text = "0" + text
	}
	return text
}
