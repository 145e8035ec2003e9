package quote

import (
	"math/big"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/geodesic"
)

// The plain evaluation: docs/model.md written down once more, slowly and without any of the engine's parts:
// rationals, lists, and the JSON of the file as maps. It quotes Finnish, Swedish and British addresses.

type obj = map[string]any

type plainOption struct {
	Charge, Tax, Total string
	Zone               string
	Dates              string // the first and the last day of arrival
	Cost, Margin       string // to six decimals; "" where they were not asked for, "null" where they are not known
}

type plainAnswer struct {
	needsShipping bool
	zones         []string
	options       map[string]plainOption
	refused       map[string]string
	distance      string

	nearestEstimated bool // the distance from the nearest place that ships is an estimate
	estimated        bool // some distance is
}

func rat(s any) *big.Rat {
	r, ok := new(big.Rat).SetString(s.(string))
	if !ok {
		panic(s)
	}
	return r
}

func ratOr(o obj, key, otherwise string) *big.Rat {
	if s, ok := o[key].(string); ok && s != "" {
		return rat(s)
	}
	return rat(otherwise)
}

func given(o obj, key string) bool {
	s, isString := o[key].(string)
	return o[key] != nil && (!isString || s != "")
}

func sub(o obj, key string) obj {
	m, _ := o[key].(obj)
	return m
}

func list(o obj, key string) []any {
	l, _ := o[key].([]any)
	return l
}

func texts(o obj, key string) (out []string) {
	for _, v := range list(o, key) {
		out = append(out, v.(string))
	}
	return out
}

func truth(o obj, key string, otherwise bool) bool {
	if b, ok := o[key].(bool); ok {
		return b
	}
	return otherwise
}

func text(o obj, key string) string {
	s, _ := o[key].(string)
	return s
}

func halfUp(r *big.Rat, digits int) *big.Rat {
	p := new(big.Rat).SetInt(new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(digits)), nil))
	scaled := new(big.Rat).Mul(r, p)
	doubled := new(big.Int).Add(new(big.Int).Mul(scaled.Num(), big.NewInt(2)), scaled.Denom())
	whole := new(big.Int).Div(doubled, new(big.Int).Mul(scaled.Denom(), big.NewInt(2)))
	return new(big.Rat).Quo(new(big.Rat).SetInt(whole), p)
}

func plainDistance(file obj, lat1, lon1, lat2, lon2 string) *big.Rat {
	f := func(s string) float64 { v, _ := strconv.ParseFloat(s, 64); return v }
	metres := 1000.0
	if text(sub(file, "store"), "distance_unit") == "mi" {
		metres = 1609.344
	}
	return halfUp(new(big.Rat).SetFloat64(geodesic.Distance(f(lat1), f(lon1), f(lat2), f(lon2))/metres), 3)
}

// plainOutside is what services outside say: metres by road from each place of the shop ("" for no way) to wherever the
// order goes, and where its street lies ("lat", "lon"; nil where that is not known).
type plainOutside struct {
	metres  obj
	street  obj
	carrier plainCarrier
}

// plainWay is the distance from a place of the shop to an address, and whether it is an estimate.
func plainWay(file, location, to obj, outside plainOutside) (*big.Rat, bool) {
	d := plainDistance(file, text(location, "lat"), text(location, "lon"), text(to, "lat"), text(to, "lon"))
	if text(sub(file, "store"), "distance_by") != "road" {
		return d, false
	}
	metres, known := outside.metres[text(location, "id")].(string)
	if !known || metres == "" {
		return halfUp(new(big.Rat).Mul(d, ratOr(sub(file, "store"), "road_factor", "1.3")), 3), true
	}
	unit := rat("1000")
	if text(sub(file, "store"), "distance_unit") == "mi" {
		unit = rat("1609.344")
	}
	return halfUp(new(big.Rat).Quo(rat(metres), unit), 3), false
}

// plainQuote answers a request of lines with fields of their own.
func plainQuote(file, request obj, outside plainOutside, said func(method string, all bool) []Parcel) plainAnswer {
	to, shop := sub(request, "to"), sub(file, "store")
	if text(to, "street") != "" && text(to, "lat") == "" && outside.street != nil {
		at := obj{}
		for k, v := range to {
			at[k] = v
		}
		at["lat"], at["lon"] = outside.street["lat"], outside.street["lon"]
		to = at
		request = obj{"to": to, "lines": request["lines"], "coupons": request["coupons"], "at": request["at"],
			"group": request["group"], "customer": request["customer"], "costs": request["costs"]}
	}
	a := plainAnswer{options: map[string]plainOption{}, refused: map[string]string{}}
	zones := plainZones(file, to)
	for _, z := range zones {
		a.zones = append(a.zones, text(z.zone, "id"))
	}
	distanceFrom := func(id string) (least *big.Rat) {
		for _, v := range list(file, "locations") {
			l := v.(obj)
			if text(to, "lat") == "" || text(l, "lat") == "" || id == "" && !truth(l, "ships_from", false) ||
				id != "" && text(l, "id") != id {
				continue
			}
			d, guessed := plainWay(file, l, to, outside)
			a.estimated = a.estimated || guessed
			if least == nil || d.Cmp(least) < 0 {
				least = d
			}
		}
		return least
	}
	if d := distanceFrom(""); d != nil {
		a.nearestEstimated = a.estimated
		a.distance = strings.TrimSuffix(strings.TrimRight(d.FloatString(3), "0"), ".")
	}
	subtotal, weight, longest, quantity := new(big.Rat), new(big.Rat), new(big.Rat), int64(0)
	classes := map[string]bool{}
	for _, v := range list(request, "lines") {
		line := v.(obj)
		n := int64(line["quantity"].(float64))
		count := new(big.Rat).SetInt64(n)
		price, unit := ratOr(line, "price", "0"), ratOr(line, "weight", "")
		if truth(line, "needs_shipping", true) || text(shop, "subtotal_counts") == "all" {
			subtotal.Add(subtotal, new(big.Rat).Mul(price, count))
		}
		if !truth(line, "needs_shipping", true) {
			continue
		}
		a.needsShipping = true
		weight.Add(weight, new(big.Rat).Mul(unit, count))
		quantity += n
		classes[text(line, "class")] = true
		if side := ratOr(line, "length", "0"); side.Cmp(longest) > 0 {
			longest = side
		}
	}
	if !a.needsShipping {
		return a
	}
	for _, v := range list(file, "methods") {
		m := v.(obj)
		id := text(m, "id")
		if !truth(m, "enabled", true) {
			continue
		}
		distanceFrom(text(m, "from")) // may be an estimate
		parcels := plainParcels(file, request, m, false, said)
		for _, way := range plainServices(file, m, parcels, outside.carrier) {
			option, code := plainMethod(file, request, m, zones, parcels, plainCart{subtotal, weight, longest, quantity,
				classes,
				plainParcels(file, request, obj{}, true, nil), plainParcels(file, request, m, true, said)},
				func(from string) *big.Rat {
					if from == "" {
						from = text(m, "from")
					}
					return distanceFrom(from)
				}, way)
			if code != "" {
				a.refused[id] = code
			} else {
				a.options[id+way.name] = option
			}
		}
	}
	return a
}

type plainCart struct {
	subtotal, weight, longest *big.Rat
	quantity                  int64
	classes                   map[string]bool
	apart                     []plainParcel // all shipped goods, without boxes
	shipped                   []plainParcel // all shipped goods, as the method parcels them
}

func plainMethod(
	file, request, m obj,
	zones []plainZone,
	parcels []plainParcel,
	cart plainCart,
	distanceFrom func(from string) *big.Rat,
	way plainWayTo,
) (plainOption, string) {
	to := sub(request, "to")
	position, zone := -1, ""
	for i, z := range zones {
		for _, t := range list(m, "tables") {
			if slices.Contains(texts(t.(obj), "zones"), text(z.zone, "id")) && position < 0 {
				position, zone = i, text(z.zone, "id")
			}
		}
	}
	if position < 0 {
		return plainOption{}, OutsideZones
	}
	for i, z := range zones {
		if truth(z.zone, "only", false) && i < position {
			return plainOption{}, ZoneOnly
		}
	}
	own := sub(sub(m, "terms"), zone)
	term := func(key string) any {
		if given(own, key) {
			return own[key]
		}
		return m[key]
	}
	if !plainHas(sub(m, "available"), plainToday(file, request)) {
		return plainOption{}, NotAvailable
	}
	asObj := func(v any) obj { o, _ := v.(obj); return o }
	needs := asObj(term("needs"))
	within := func(key string, x *big.Rat) bool {
		b := sub(needs, key)
		return !(given(b, "from") && x.Cmp(ratOr(b, "from", "0")) < 0 || given(b, "to") &&
			x.Cmp(ratOr(b, "to", "0")) > 0)
	}
	quantity := new(big.Rat).SetInt64(cart.quantity)
	used := texts(request, "coupons")
	anyOf := func(wanted, have []string) bool {
		return slices.ContainsFunc(wanted, func(w string) bool { return slices.Contains(have, w) })
	}
	billed := new(big.Rat)
	for _, p := range cart.apart {
		all := p.all()
		billed.Add(billed, plainBilled(file, m, all.weight, all.volume))
	}
	var distance *big.Rat // the largest of the shipped goods', unknown where one is
	unknown := false
	for _, p := range cart.apart {
		d := distanceFrom(p.from)
		unknown = unknown || d == nil
		if d != nil && (distance == nil || d.Cmp(distance) > 0) {
			distance = d
		}
	}
	if unknown {
		distance = nil
	}
	for _, p := range cart.shipped {
		if !within("parcel_weight", p.all().weight) {
			return plainOption{}, Needs
		}
		for _, girth := range p.girths {
			if !within("girth", girth) {
				return plainOption{}, Needs
			}
		}
	}
	if !within("billed_weight", billed) || !within("subtotal", cart.subtotal) || !within("weight", cart.weight) ||
		!within("quantity", quantity) ||
		!within("longest_side", cart.longest) ||
		distance != nil && !within("distance", distance) ||
		len(texts(needs, "coupons")) > 0 && !anyOf(texts(needs, "coupons"), used) ||
		len(texts(needs, "groups")) > 0 && !anyOf(texts(needs, "groups"), []string{text(request, "group")}) {
		return plainOption{}, Needs
	}
	for c := range cart.classes {
		if only := texts(needs, "only_classes"); len(only) > 0 && !slices.Contains(only, c) ||
			slices.Contains(texts(needs, "without_classes"), c) {
			return plainOption{}, Needs
		}
	}
	for _, p := range parcels {
		if limit := sub(m, "parcels"); given(limit, "max_weight") &&
			p.all().weight.Cmp(ratOr(limit, "max_weight", "0")) > 0 {
			return plainOption{}, ParcelTooHeavy
		}
	}
	if needs["distance"] != nil && distance == nil {
		return plainOption{}, NoDistance
	}
	if !truth(own, "enabled", true) {
		return plainOption{}, NoRate
	}
	sum, outcome := new(big.Rat), plainPriced
	if len(parcels) > 0 {
		var agreed *big.Rat
		for _, kind := range []string{"customer", "group", "place"} {
			for _, v := range list(file, "agreed") {
				g := v.(obj)
				if agreed != nil || !given(g, kind) || kind == "group" && given(g, "customer") ||
					kind == "place" && (given(g, "customer") || given(g, "group")) {
					continue
				}
				if given(g, "customer") && text(g, "customer") != text(request, "customer") ||
					given(g, "group") && text(g, "group") != text(request, "group") {
					continue
				}
				if p := sub(g, "place"); p != nil &&
					(text(p, "country") != text(to, "country") || text(p, "postcode") != text(to, "postcode")) {
					continue
				}
				if on := texts(g, "methods"); len(on) > 0 && !slices.Contains(on, text(m, "id")) {
					continue
				}
				agreed = rat(g["amount"])
			}
		}
		if way.step1 != nil {
			sum, outcome = way.step1()
		} else {
			sum, outcome = plainTables(file, m, zone, parcels, distanceFrom)
		}
		switch {
		case outcome == plainPriced:
			sum = plainExtras(file, m, term, to, cart, sum)
		case agreed == nil && outcome == plainNoDistance:
			return plainOption{}, NoDistance
		case agreed == nil && outcome == plainFailed:
			return plainOption{}, Carrier
		case agreed == nil:
			return plainOption{}, NoRate
		}
		if agreed != nil {
			sum = agreed
		}
		if free := asObj(term("free")); free != nil && plainHas(sub(free, "available"), plainToday(file, request)) {
			var met []bool
			if given(free, "subtotal") {
				met = append(met, cart.subtotal.Cmp(ratOr(free, "subtotal", "0")) >= 0)
			}
			if n, ok := free["quantity"].(float64); ok {
				met = append(met, cart.quantity >= int64(n))
			}
			if c := texts(free, "coupons"); len(c) > 0 {
				met = append(met, anyOf(c, used))
			}
			if text(free, "require") == "all" && !slices.Contains(met, false) ||
				text(free, "require") != "all" && slices.Contains(met, true) {
				sum = new(big.Rat)
			}
		}
	}
	charge := halfUp(sum, 2)
	tax, total := new(big.Rat), charge
	if truth(m, "taxable", true) {
		shopTax := sub(sub(file, "store"), "tax")
		percent, level, size := new(big.Rat), 99, new(big.Rat)
		for _, v := range list(shopTax, "rates") {
			if l, s, ok := plainMatch(file, v.(obj), to); ok && (l < level || l == level && s.Cmp(size) < 0) {
				percent, level, size = rat(v.(obj)["percent"]), l, s
			}
		}
		if truth(shopTax, "prices_include_tax", false) {
			tax = halfUp(
				new(big.Rat).Quo(new(big.Rat).Mul(charge, percent), new(big.Rat).Add(big.NewRat(100, 1), percent)),
				2,
			)
		} else {
			tax = halfUp(new(big.Rat).Quo(new(big.Rat).Mul(charge, percent), big.NewRat(100, 1)), 2)
			total = new(big.Rat).Add(charge, tax)
		}
	}
	days := asObj(term("days"))
	if way.days != nil {
		days = way.days
	}
	option := plainOption{
		Charge: charge.FloatString(2),
		Tax:    tax.FloatString(2),
		Total:  total.FloatString(2),
		Zone:   zone,
		Dates:  plainDates(file, m, days, request),
	}
	if truth(request, "costs", false) {
		option.Cost, option.Margin = "null", "null"
		if cost := plainCost(file, m, zones, parcels, distanceFrom, way); cost != nil {
			left := new(big.Rat).Sub(charge, cost)
			if truth(sub(sub(file, "store"), "tax"), "prices_include_tax", false) {
				left.Sub(left, tax)
			}
			option.Cost, option.Margin = halfUp(cost, 6).FloatString(6), halfUp(left, 6).FloatString(6)
		}
	}
	return option, ""
}

// plainExtras is steps 2 to 4.
func plainExtras(file, m obj, term func(string) any, to obj, cart plainCart, sum *big.Rat) *big.Rat {
	fee := func(o obj, of *big.Rat) *big.Rat {
		return new(big.Rat).Add(
			ratOr(o, "amount", "0"),
			new(big.Rat).Mul(of, new(big.Rat).Quo(ratOr(o, "percent", "0"), big.NewRat(100, 1))),
		)
	}
	tables := new(big.Rat).Set(sum)
	for _, v := range list(file, "surcharges") {
		s := v.(obj)
		on := texts(s, "methods")
		if _, takes := plainTakes(file, s, to); takes && (len(on) == 0 || slices.Contains(on, text(m, "id"))) {
			sum = new(big.Rat).Add(sum, fee(s, tables))
		}
	}
	if s, ok := term("minimum").(string); ok && s != "" && sum.Cmp(rat(s)) < 0 {
		sum = rat(s)
	}
	if s, ok := term("maximum").(string); ok && s != "" && sum.Cmp(rat(s)) > 0 {
		sum = rat(s)
	}
	if h, ok := term("handling").(obj); ok {
		of := sum
		if text(h, "of") == "subtotal" {
			of = cart.subtotal
		}
		sum = new(big.Rat).Add(sum, fee(h, of))
	}
	return sum
}
