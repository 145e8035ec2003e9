package warnings

import (
	"cmp"
	"slices"

	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
)

// extras reads surcharges, agreed charges and tax beside where the shop delivers.
func (r *reader) extras() {
	r.unreached()
	if !r.priced() {
		return
	}
	for i := range r.f.Surcharges {
		r.surcharge(&r.f.Surcharges[i], r.ground.first.surcharges+int32(i))
	}
	for i := range r.f.Agreed {
		r.agreed(&r.f.Agreed[i], r.ground.first.agreed+int32(i))
	}
	r.tax()
}

// among are the methods that an entry names: all of them where it names none.
func (r *reader) among(ids []string) (list []*methodFacts) {
	for _, m := range r.methods {
		if len(ids) == 0 || slices.Contains(ids, m.m.ID) {
			list = append(list, m)
		}
	}
	return list
}

// servedAt says whether one of some methods serves an address of an owner.
func (r *reader) servedAt(methods []*methodFacts, owner int32) bool {
	for i := range r.ground.spots {
		if r.ground.spots[i].has(owner) &&
			slices.ContainsFunc(methods, func(m *methodFacts) bool { return m.serves(i) }) {
			return true
		}
	}
	return false
}

// surcharge finds a surcharge that nobody pays.
func (r *reader) surcharge(s *store.Surcharge, owner int32) {
	name := cmp.Or(s.Name, s.ID)
	w := Warning{Code: SurchargeIdle, Severity: Untidy, About: "surcharges/" + s.ID, Subject: name}
	methods := r.among(s.Methods)
	switch {
	case len(s.Places) == 0:
		w.Text = "it has no place, so nobody pays it"
	case s.Amount == nil && s.Percent == nil:
		w.Text = "it has no amount, so nobody pays anything"
	case len(methods) == 0:
		w.Text = "its delivery methods are switched off, so nobody pays it"
	case !r.servedAt(methods, owner):
		w.Text = "no delivery method that it is for is offered at its places, so nobody pays it"
	default:
		return
	}
	r.say(w, always)
}

// agreed finds an agreed charge that holds for nobody.
func (r *reader) agreed(a *store.Agreed, owner int32) {
	w := Warning{Code: AgreedIdle, Severity: Untidy, About: "agreed/" + a.ID, Subject: cmp.Or(a.Name, a.ID)}
	methods := r.among(a.Methods)
	switch {
	case len(methods) == 0:
		w.Text = "its delivery methods are switched off, so it holds for nobody"
	case a.Place != nil && !r.servedAt(methods, owner):
		w.Text = "no delivery method that it is for is offered at its place, so it holds for nobody"
	default:
		return
	}
	r.say(w, always)
}

// tax finds countries that are delivered to at prices that include tax, and for which no rate says how much: the shop's
// own, and others of the European Union for a shop in it, where a consumer's country taxes what is sent there (Council
// Directive 2006/112/EC, article 33). Elsewhere goods leave untaxed.
func (r *reader) tax() {
	if !r.f.Store.Tax.PricesIncludeTax {
		return
	}
	home := r.f.Home()
	union, _ := world.GroupByCode("EU")
	within := slices.Contains(union.Countries, home)
	missing := map[string]int{}
	for i := range r.ground.spots {
		s := &r.ground.spots[i]
		c := s.At.Country
		if s.Bare || c != home && !(within && slices.Contains(union.Countries, c)) ||
			s.taken(r.ground.first.taxes, r.ground.first.agreed) {
			continue
		}
		for _, m := range r.methods {
			if _, had := missing[c]; !had && m.m.Taxable && !asks(m.m) && m.opens(i) {
				missing[c] = i
				break
			}
		}
	}
	if len(missing) == 0 {
		return
	}
	var names []string
	spot := -1
	for _, c := range sorted(missing) {
		if c == home {
			names, spot = slices.Insert(names, 0, world.CountryName(c)), missing[c]
			continue
		}
		if names = append(names, world.CountryName(c)); spot < 0 {
			spot = missing[c]
		}
	}
	s := &r.ground.spots[spot]
	for _, m := range r.methods {
		if !m.m.Taxable || asks(m.m) || !m.opens(spot) {
			continue
		}
		q := r.order(m.m, m.spots[spot], goods{to: &s.At})
		shows := untaxed(m.m.ID)
		if r.shown(q, shows) {
			r.say(Warning{Code: TaxMissing, Severity: Loses, About: "store/tax/rates", Witness: q,
				Text: "prices include tax, and no rate says how much in " + plural.Few(names) +
					". Add one, 0 % too where that is meant"}, shows)
			return
		}
	}
}
