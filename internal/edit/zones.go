package edit

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/core/world"
)

// nothingTaken is the problem of a text of which nothing can be used.
func nothingTaken(t *typed.Text) error {
	switch {
	case t.Taken > 0:
		return nil
	case len(t.Slips) == 1:
		return Problemf("%s", t.Slips[0].Reason)
	case len(t.Slips) > 1:
		return Problemf("none of these can be taken: %s", Reasons(t.Slips))
	}
	return Problemf("name a place: a country such as Finland, or codes such as FI 22*")
}

// Reasons says what is wrong with the first few parts of a text.
func Reasons(slips []*typed.TextError) string {
	var out []string
	for _, s := range slips[:min(3, len(slips))] {
		out = append(out, s.Reason)
	}
	if more := len(slips) - len(out); more > 0 {
		out = append(out, "and "+strconv.Itoa(more)+" more")
	}
	return strings.Join(out, "; ")
}

// AddZone adds a zone that takes the places of a text, named after them, and says its id.
func AddZone(f *store.File, text *typed.Text) (id string, err error) {
	if err := nothingTaken(text); err != nil {
		return "", err
	}
	if len(text.Places) == 0 {
		return "", Problemf("say first what the zone takes, then what it leaves out")
	}
	name := zoneName(text.Places)
	if len(text.Parts) > 0 && text.Parts[0].Name != "" {
		name = text.Parts[0].Name
		if name = strings.ToUpper(name[:1]) + name[1:]; len(text.Parts) > 1 {
			name += " and " + strconv.Itoa(len(text.Parts)-1) + " more"
		}
	}
	id = store.NewID(name, "zone", func(id string) bool { return f.Zone(id) != nil })
	f.Zones = append(f.Zones, store.Zone{
		ID: id, Name: name, Enabled: true, Places: text.Places, Except: text.Except,
	})
	return id, nil
}

// zoneName is the name that a new zone gets from its places.
func zoneName(places []place.Rule) string {
	words := places[0].Words()
	name := words[0]
	switch r := &places[0]; r.Level() {
	case place.Region:
		region, _ := world.RegionByCode(r.Country, r.Region)
		name = region.Name
	case place.City:
		name = r.City
	case place.Postcode:
		name = world.CountryName(r.Country) + " " + strings.TrimPrefix(words[0], r.Country+" ")
	}
	if more := len(places) + len(words) - 2; more > 0 {
		name += " and " + strconv.Itoa(more) + " more"
	}
	return name
}

// NameZone names a zone as it is typed, as no other one is called.
func NameZone(f *store.File, z *store.Zone, typed string) error {
	name, err := Name(typed)
	if err != nil {
		return err
	}
	for i := range f.Zones {
		if other := &f.Zones[i]; other.ID != z.ID && strings.EqualFold(other.Name, name) {
			return Problemf("another zone is called %s already", other.Name)
		}
	}
	z.Name = name
	return nil
}

// AddPlaces adds the places of a text to a zone. What the zone has already goes to the text's repeats.
func AddPlaces(z *store.Zone, text *typed.Text) error {
	if err := nothingTaken(text); err != nil {
		return err
	}
	for _, l := range []struct {
		into *[]place.Rule
		more []place.Rule
	}{{&z.Places, text.Places}, {&z.Except, text.Except}} {
		for _, more := range l.more {
			var again []string
			*l.into, again = addRule(*l.into, more)
			text.Repeats, text.Taken = append(text.Repeats, again...), text.Taken-len(again)
		}
	}
	if text.Taken == 0 && len(text.Slips) == 0 {
		return Problemf("%s is in this zone already", FirstFew(text.Repeats))
	}
	return nil
}

// addRule adds a rule to a list; what is there already is returned.
func addRule(rules []place.Rule, more place.Rule) (all []place.Rule, again []string) {
	if more.Level() != place.Postcode {
		for i := range rules {
			if rules[i].Level() == more.Level() && slices.Equal(rules[i].Words(), more.Words()) {
				return rules, more.Words()
			}
		}
		return append(rules, more), nil
	}
	for i := range rules {
		r := &rules[i]
		if r.Level() != place.Postcode || r.Country != more.Country {
			continue
		}
		have := make(map[postcode.Entry]bool, len(r.Postcodes))
		for _, e := range r.Postcodes {
			have[e] = true
		}
		for _, e := range more.Postcodes {
			if have[e] {
				again = append(again, more.Country+" "+e.String())
				continue
			}
			r.Postcodes = append(r.Postcodes, e)
		}
		return rules, again
	}
	return append(rules, more), nil
}

// Part is a part of a zone's rules: which rule of its places, or of its exceptions, and which of its codes.
type Part struct {
	Except     bool
	Rule, Code int
}

// RemovePlace removes a part of a zone's rules that reads as the owner saw it.
func RemovePlace(z *store.Zone, p Part, text string) error {
	list := &z.Places
	if p.Except {
		list = &z.Except
	}
	gone := Problemf("%s is not in this zone any more", text)
	if p.Rule < 0 || p.Rule >= len(*list) {
		return gone
	}
	r := &(*list)[p.Rule]
	if p.Code < 0 || p.Code >= r.Count() || r.Word(p.Code) != text { // another window has changed the list
		return gone
	}
	if r.Level() == place.Postcode && len(r.Postcodes) > 1 {
		r.Postcodes = slices.Delete(slices.Clone(r.Postcodes), p.Code, p.Code+1) // shared with other states
	} else {
		*list = slices.Delete(*list, p.Rule, p.Rule+1)
	}
	return nil
}

// RemoveZone removes a zone that no price list has a column for.
func RemoveZone(f *store.File, z *store.Zone) error {
	for i := range f.Methods {
		if m := &f.Methods[i]; slices.Contains(m.ServedZones(), z.ID) {
			return Problemf("%s has prices in %s: remove its column there first, or switch the zone off",
				cmp.Or(z.Name, z.ID), cmp.Or(m.Name, m.ID))
		}
	}
	for i := range f.Costs {
		for j := range f.Costs[i].Tables {
			if c := &f.Costs[i]; slices.Contains(c.Tables[j].Zones, z.ID) {
				return Problemf("%s has costs in %s: remove its column there first, or switch the zone off",
					cmp.Or(z.Name, z.ID), costName(c))
			}
		}
	}
	i := f.ZoneIndex(z.ID)
	f.Zones = slices.Delete(f.Zones, i, i+1)
	return nil
}

// PinZone gives a zone a rank before all others, or removes its rank.
func PinZone(f *store.File, z *store.Zone, on bool) {
	z.Rank = nil
	if !on {
		return
	}
	first := int64(0)
	for i := range f.Zones {
		if r := f.Zones[i].Rank; r != nil && *r <= first {
			first = *r - 1
		}
	}
	z.Rank = &first
}

// Shop is what holds for all of a shop, as it is typed.
type Shop struct{ Name, Currency, Weight, Length, Distance string }

// unitsFixed says whether a file has prices or weights, which another currency or unit would give another meaning.
func unitsFixed(f *store.File) bool {
	return len(f.Products) > 0 || len(f.Boxes) > 0 ||
		slices.ContainsFunc(f.Methods, func(m store.Method) bool { return len(m.Tables) > 0 })
}

// SetShop sets what holds for all of a shop. Currency and units stay as they are once there are numbers in them.
func SetShop(f *store.File, typed Shop) error {
	name, err := Name(typed.Name)
	if err != nil {
		return err
	}
	currency := strings.ToUpper(strings.TrimSpace(typed.Currency))
	is := &f.Store
	typed.Length = cmp.Or(typed.Length, is.LengthUnit)
	if currency != is.Currency || typed.Weight != is.WeightUnit || typed.Length != is.LengthUnit ||
		typed.Distance != is.DistanceUnit {
		if unitsFixed(f) {
			return Problemf(
				"there are prices and weights already: another currency or unit would change what they mean",
			)
		}
	}
	is.Name, is.Currency = name, currency
	is.WeightUnit, is.LengthUnit, is.DistanceUnit = typed.Weight, typed.Length, typed.Distance
	return nil
}

// PutZones makes zones the shop's: one whose id the shop has replaces that zone where it stands, others are added
// behind all. No zone goes.
func PutZones(f *store.File, zones []store.Zone) {
	for _, z := range zones {
		if i := f.ZoneIndex(z.ID); i >= 0 {
			f.Zones[i] = z
		} else {
			f.Zones = append(f.Zones, z)
		}
	}
}
