package ratelist

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/place"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/destination"
)

// destination finds or makes the zone of a price. A line that leaves its destination empty is refused: it may as
// well belong to the line above as to everywhere.
func (b *builder) destination(p *price) (int, error) {
	m := p.in.mapping
	name, country := p.to[0], p.to[1]
	if zone, ok := b.o.c.Places[world.Fold(name)]; ok && (zone != "" || name == "") {
		return b.chosen(zone)
	}
	if zone := b.o.c.Places[world.Fold(p.place())]; zone != "" {
		return b.chosen(zone)
	}
	switch {
	case strings.Join(p.to[:], "") == "":
		if !m.has(destinations...) {
			return b.only()
		}
		return 0, errors.New("it has no destination: write one, or * for everywhere")
	case m.has(Country) && country == "" && name == "":
		return 0, errors.New("it has no country: write it, or * for any")
	case name != "" && !(destination.Wild(name) && m.has(Country) && country != ""):
		return b.named(name, country)
	}
	return b.inCountry(p)
}

// inCountry is the zone of a country with what narrows it.
func (b *builder) inCountry(p *price) (int, error) {
	country, region, city, codes := p.to[1], p.to[2], p.to[3], p.to[4]
	if from, to := p.to[5], p.to[6]; codes == "" && from != "" {
		if codes = from; to != "" && to != from {
			codes += "-" + to
		}
	}
	if destination.Wild(country) && !p.in.mapping.has(Country) && !destination.Wild(region) && destination.Wild(city+codes) {
		if len(region) > 3 && (destination.Vague(region) || len(destination.PlacesOf(region)) > 0) {
			return b.named(region, "") // a list calls countries and groups of them regions
		}
	}
	if destination.Wild(country) {
		if !destination.Wild(region) || !destination.Wild(city) || !destination.Wild(codes) {
			country = b.reader.Home
		}
		if country == "" || destination.Wild(country) {
			return b.typed("everywhere", "")
		}
	}
	code, err := destination.Country(country)
	if reason := destination.NoRegion(code, region); err == nil && reason != "" && !destination.Wild(codes) {
		return 0, errors.New(reason)
	}
	if err == nil {
		if codes, err = b.o.zeros(p.in, p.row, code, codes); err != nil {
			return 0, err
		}
		return b.typed(destination.Within(code, region, city, codes), "")
	}
	if g, isGroup := destination.Group(country); isGroup {
		return b.typed(g, "")
	}
	if list := destination.Places(country); len(list) > 0 {
		return b.typed(strings.Join(list, ", "), "")
	}
	if list, left, known := destination.Except(country); known {
		return b.typed(strings.Join(list, ", ")+without(left), country)
	}
	return 0, err
}

// without is what places leave out, as one types it behind them.
func without(left []string) (text string) {
	for _, place := range left {
		text += ", not " + place
	}
	return text
}

// chosen is the zone that somebody chose for a name of the list: one of the shop, or places as they are typed.
func (b *builder) chosen(text string) (int, error) {
	if z := b.f.Zone(text); z != nil {
		return b.zone(*z, "zone "+z.ID, false), nil
	}
	return b.typed(text, "")
}

// only is the zone of a list that names none: that of the table that it goes into, where it has one alone.
func (b *builder) only() (int, error) {
	if t := b.o.into; t != nil && len(t.Zones) == 1 {
		return b.chosen(t.Zones[0])
	}
	b.o.asks.AddOnce(AskDestination,
		"Nothing says where the parcels of this list go. Name the place, or * for everywhere.")
	return 0, errors.New("nothing says where its parcels go")
}

// named is the zone that a list calls by a name: one of the shop, one that the list itself explains, or a place.
func (b *builder) named(name, country string) (int, error) {
	keyed, explained := b.key.of(name)
	if explained && len(keyed.codes) > 0 {
		codes, err := b.keyedCodes(&keyed)
		if err != nil {
			return 0, err
		}
		keyed.places = append(slices.Clone(keyed.places), codes...)
	}
	for i := range b.f.Zones {
		z := &b.f.Zones[i]
		if world.Fold(z.Name) != world.Fold(name) && z.ID != name {
			continue
		}
		if explained && !b.sameAs(z, keyed.places) {
			b.o.asks.Add(AskZone,
				fmt.Sprintf("This shop's zone %s is not what line %d says that it is: %s. The shop's zone is "+
					"used.", z.Name, keyed.line, strings.Join(keyed.places, ", ")))
		}
		return b.zone(*z, "zone "+z.ID, false), nil
	}
	if explained && len(keyed.places) > 0 {
		label := keyed.label
		if destination.ZoneLabel(label, false) == "" && destination.ZoneLabel(label, true) != "" && !zNumber.MatchString(label) {
			label = "Zone " + label
		}
		return b.typed(strings.Join(keyed.places, ", "), label)
	}
	if label, places, ok := inName(name); ok {
		return b.typed(strings.Join(places, ", "), label)
	}
	if destination.Wild(name) {
		if name != "*" {
			b.o.found("“%s” means everywhere else.", name)
		}
		return b.typed("everywhere", "")
	}
	if home := b.reader.Home; home != "" && destination.Domestic(name) {
		b.o.found("“%s” is the country of this shop.", name)
		return b.typed(home, "")
	}
	if destination.Vague(name) {
		b.o.asks.Add(AskZone,
			fmt.Sprintf("“%s” is drawn differently by each carrier: choose a zone of this shop, or name its countries.",
				name))
		return 0, fmt.Errorf("“%s” may be many places", name)
	}
	if list := destination.Trade(name); len(list) > 0 {
		return b.typed(strings.Join(list, ", "), name)
	}
	if list, left, known := destination.Except(name); known && len(left)+len(list) > 1 && len(destination.Places(name)) == 0 {
		return b.typed(strings.Join(list, ", ")+without(left), name)
	}
	if zoneLabel(name, true) {
		b.o.asks.Add(AskZone, fmt.Sprintf("Nothing says where %s is. Choose a zone of this shop, or name its places.",
			calls(name)))
		return 0, fmt.Errorf("nothing says where %s is", calls(name))
	}
	if list := destination.Places(name); len(list) > 0 {
		return b.typed(strings.Join(list, ", "), "")
	}
	codes := destination.Codes(name, b.reader.Home)
	if b.town(codes) { // "Finland Express" is no town, whatever it is
		b.o.asks.Add(AskZone, fmt.Sprintf("Nothing says where “%s” is. Choose a zone of this shop, or name its places.",
			name))
		return 0, fmt.Errorf("nothing says where %.40q is", name)
	}
	at, err := b.typed(codes, "")
	if err != nil {
		b.o.asks.Add(AskZone, fmt.Sprintf("Nothing says where “%s” is. Choose a zone of this shop, or name its places.",
			name))
	}
	return at, err
}

// keyedCodes are the postcodes of a zone that the list itself explains, each as it is typed. Codes without a country are
// those of the shop's, or of the one that was chosen.
func (b *builder) keyedCodes(k *keyed) (list []string, err error) {
	for _, c := range k.codes {
		country := b.reader.Home
		if !destination.Wild(c.country) {
			if country, err = destination.Country(c.country); err != nil {
				return nil, fmt.Errorf("line %d: %w", c.line, err)
			}
		}
		short, codes := destination.LostZeros(country, c.codes)
		switch {
		case short == "", c.number, b.o.c.Zeros == destination.ZerosLost:
			if short != "" {
				b.o.found("Postcodes of %s that had lost their leading zero have it again: 0%s.", country, short)
			}
		case b.o.c.Zeros == destination.ZerosNone:
			codes = c.codes
		default:
			b.o.askZero(c.line, country, short)
			return nil, fmt.Errorf("line %d: postcode: %s has too few digits", c.line, short)
		}
		list = append(list, destination.Within(country, "", "", codes))
	}
	return list, nil
}

// town says whether a text reads as a town that no list of places knows.
func (b *builder) town(text string) bool {
	read := b.reader.Text(text)
	return slices.ContainsFunc(read.Places, func(r place.Rule) bool {
		return r.Level() == place.City && (b.reader.Gazetteer == nil ||
			b.reader.Doubt(place.Address{Country: r.Country, City: r.City}) != "")
	})
}

// zNumber is a label that says itself that it is a zone: "Z2".
var zNumber = regexp.MustCompile(`^[zZ][0-9]`)

// calls is a label as a person would say it.
func calls(label string) string {
	if destination.ZoneLabel(label, false) == "" && !zNumber.MatchString(label) {
		return "zone " + label
	}
	return label
}

var beside = regexp.MustCompile(`^(.*?)\s*(?:[(\[]\s*(.+?)\s*[)\]]|[:=–—-]\s+(.+))$`)

// inName reads a name that says itself where its zone is: "Zone 1 (FI, SE)", "Zone 2: Estonia".
func inName(name string) (label string, places []string, ok bool) {
	m := beside.FindStringSubmatch(name)
	if m == nil {
		return "", nil, false
	}
	places = destination.Places(m[2] + m[3])
	if own := destination.Places(m[1]); len(own) > 0 { // "Finland (FI)"
		if len(own) == 1 && len(places) == 1 && own[0] == places[0] {
			return "", own, true
		}
		return "", nil, false
	}
	return m[1], places, len(places) > 0
}

// sameAs says whether a zone takes exactly some places.
func (b *builder) sameAs(z *store.Zone, places []string) bool {
	read := b.reader.Text(strings.Join(places, ", "))
	return len(z.Except) == 0 && wordsOf(z.Places) == wordsOf(read.Places)
}

// wordsOf are the places of a zone in words, in an order that does not depend on how they were written.
func wordsOf(places []place.Rule) string {
	var list []string
	for i := range places {
		list = append(list, places[i].Words()...)
	}
	slices.Sort(list)
	return strings.Join(slices.Compact(list), "|")
}

// typed finds or makes the zone of places as they are typed. A new one has the name, or one made of its places.
func (b *builder) typed(text, name string) (int, error) {
	read := b.reader.Text(text)
	if len(read.Slips) > 0 {
		return 0, fmt.Errorf("%s", read.Slips[0].Reason)
	}
	if len(read.Places) == 0 {
		return 0, fmt.Errorf("%.40q names no place", text)
	}
	joined := wordsOf(read.Places)
	if len(read.Except) > 0 {
		joined += " not " + wordsOf(read.Except)
	}
	if z := b.zoneOf(joined); z != nil {
		return b.zone(*z, joined, false), nil
	}
	if name == "" {
		words := strings.Split(joined, "|")
		name = words[0]
		if r := &read.Places[0]; r.Level() == place.Region {
			region, _ := world.RegionByCode(r.Country, r.Region)
			name = region.Name
		}
		if len(words) > 1 {
			name += fmt.Sprintf(" and %d more", len(words)-1)
		}
	}
	return b.zone(store.Zone{Name: name, Enabled: true, Places: read.Places, Except: read.Except}, joined, true), nil
}

// zoneOf is the first zone of the shop, of those that are switched on, with some places in words; nil for none.
func (b *builder) zoneOf(words string) *store.Zone {
	if b.shopZones == nil {
		b.shopZones, b.ids = map[string]*store.Zone{}, map[string]bool{}
		for i := range b.f.Zones {
			z := &b.f.Zones[i]
			b.ids[z.ID] = true
			of := wordsOf(z.Places)
			if len(z.Except) > 0 {
				of += " not " + wordsOf(z.Except)
			}
			if z.Enabled && b.shopZones[of] == nil {
				b.shopZones[of] = z
			}
		}
	}
	return b.shopZones[words]
}

func (b *builder) zone(z store.Zone, key string, isNew bool) int {
	if !isNew {
		key = "zone " + z.ID
	}
	if i, ok := b.byPlaces[key]; ok {
		return i
	}
	if isNew {
		z.ID = store.NewID(z.Name, "zone", func(id string) bool { return b.ids[id] })
		b.ids[z.ID] = true
	}
	b.byPlaces[key] = len(b.p.Zones)
	b.p.Zones, b.p.New = append(b.p.Zones, z), append(b.p.New, isNew)
	return len(b.p.Zones) - 1
}
