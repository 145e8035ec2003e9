package quote

import (
	"math/big"
	"slices"
	"sort"
	"strconv"
	"strings"

	"diadrom/internal/geodesic"
	"diadrom/internal/world"
)

// The plain evaluation: docs/model.md written down once more, slowly and without any of the engine's parts: rationals,
// lists, and the JSON of the file as maps. It quotes Finnish, Swedish and British addresses.

type obj = map[string]any

type plainOption struct {
	Charge, Tax, Total string
	Zone               string
}

type plainAnswer struct {
	needsShipping bool
	zones         []string
	options       map[string]plainOption
	refused       map[string]string
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

// carried is a quotient: exact where it ends, else to 12 decimals.
func carried(r *big.Rat) *big.Rat {
	d := new(big.Int).Set(r.Denom())
	for _, prime := range []int64{2, 5} {
		for new(big.Int).Mod(d, big.NewInt(prime)).Sign() == 0 {
			d.Div(d, big.NewInt(prime))
		}
	}
	if d.Cmp(big.NewInt(1)) == 0 {
		return r
	}
	return halfUp(r, 12)
}

func plainDistance(file obj, lat1, lon1, lat2, lon2 string) *big.Rat {
	f := func(s string) float64 { v, _ := strconv.ParseFloat(s, 64); return v }
	metres := 1000.0
	if text(sub(file, "store"), "distance_unit") == "mi" {
		metres = 1609.344
	}
	return halfUp(new(big.Rat).SetFloat64(geodesic.Distance(f(lat1), f(lon1), f(lat2), f(lon2))/metres), 3)
}

// plainMatch says whether a rule takes an address, and how narrowly: level and size within it.
func plainMatch(file, rule, to obj) (level int, size *big.Rat, ok bool) {
	zero := new(big.Rat)
	country, code := text(to, "country"), strings.NewReplacer(" ", "", "-", "").Replace(text(to, "postcode"))
	switch {
	case rule["within"] != nil:
		w := sub(rule, "within")
		lat, lon := text(w, "lat"), text(w, "lon")
		for _, l := range list(file, "locations") {
			if o := l.(obj); text(o, "id") == text(w, "location") {
				lat, lon = text(o, "lat"), text(o, "lon")
			}
		}
		if text(to, "lat") == "" {
			return 0, nil, false
		}
		radius := ratOr(w, "distance", "0")
		return 1, new(big.Rat).Mul(radius, radius), plainDistance(file, lat, lon, text(to, "lat"), text(to, "lon")).Cmp(radius) <= 0
	case rule["postcodes"] != nil:
		if text(rule, "country") != country || code == "" {
			return 0, nil, false
		}
		best := -1
		for _, e := range texts(rule, "postcodes") {
			codes, takes := 0, false
			switch from, until, isRange := strings.Cut(e, " to "); {
			case isRange:
				takes = len(code) == len(from) && code >= from && code <= until
				a, _ := strconv.Atoi(from)
				b, _ := strconv.Atoi(until)
				codes = b - a + 1
			case strings.HasSuffix(e, "*"):
				prefix := strings.TrimSuffix(e, "*")
				takes = strings.HasPrefix(code, prefix)
				codes = 1
				for range 5 - len(prefix) {
					codes *= 10
				}
			default:
				takes = code == e
			}
			if takes && (best < 0 || codes < best) {
				best = codes
			}
		}
		return 2, new(big.Rat).SetInt64(int64(max(best, 0))), best >= 0
	case text(rule, "city") != "":
		return 3, zero, text(rule, "country") == country && world.Fold(text(rule, "city")) == world.Fold(text(to, "city"))
	case text(rule, "region") != "":
		return 4, zero, text(rule, "country") == country && text(rule, "region") == text(to, "region")
	case text(rule, "country") != "":
		return 5, zero, text(rule, "country") == country
	case text(rule, "group") != "":
		g, _ := world.GroupByCode(text(rule, "group"))
		return 6, new(big.Rat).SetInt64(int64(len(g.Countries))), slices.Contains(g.Countries, country)
	}
	return 7, zero, truth(rule, "world", false)
}

type plainZone struct {
	index, level int
	size         *big.Rat
	zone         obj
}

func plainTakes(file, owner, to obj) (z plainZone, ok bool) {
	for _, r := range list(owner, "except") {
		if _, _, takes := plainMatch(file, r.(obj), to); takes {
			return z, false
		}
	}
	for _, r := range list(owner, "places") {
		if level, size, takes := plainMatch(file, r.(obj), to); takes {
			if !ok || level < z.level || level == z.level && size.Cmp(z.size) < 0 {
				z.level, z.size, ok = level, size, true
			}
		}
	}
	return z, ok
}

func plainZones(file, to obj) (out []plainZone) {
	for i, v := range list(file, "zones") {
		zone := v.(obj)
		if z, ok := plainTakes(file, zone, to); ok && truth(zone, "enabled", true) {
			z.index, z.zone = i, zone
			out = append(out, z)
		}
	}
	sort.SliceStable(out, func(i, j int) bool {
		a, b := out[i], out[j]
		ra, rankedA := a.zone["rank"].(float64)
		rb, rankedB := b.zone["rank"].(float64)
		switch {
		case rankedA != rankedB:
			return rankedA
		case rankedA && ra != rb:
			return ra < rb
		case a.level != b.level:
			return a.level < b.level
		}
		return a.size.Cmp(b.size) < 0
	})
	return out
}

// plainGoods is what a table measures.
type plainGoods struct {
	class            string
	weight, subtotal *big.Rat
	quantity         int64
	volume           *big.Rat // cm³
}

func (g *plainGoods) add(h plainGoods) {
	g.weight = new(big.Rat).Add(g.weight, h.weight)
	g.subtotal = new(big.Rat).Add(g.subtotal, h.subtotal)
	g.quantity += h.quantity
	g.volume = new(big.Rat).Add(g.volume, h.volume)
}

// plainVolume is that of one unit of a line in cm³, 0 where a side is missing.
func plainVolume(file, line obj) *big.Rat {
	cm := rat(map[string]string{"": "1", "cm": "1", "mm": "0.1", "m": "100", "in": "2.54"}[text(sub(file, "store"), "length_unit")])
	v := new(big.Rat).SetInt64(1)
	for _, side := range []string{"length", "width", "height"} {
		v.Mul(v, new(big.Rat).Mul(ratOr(line, side, "0"), cm))
	}
	return v
}

// plainBilled is the larger of a weight and the volumetric weight of a volume.
func plainBilled(file, m obj, weight, volume *big.Rat) *big.Rat {
	divisor := ratOr(sub(file, "store"), "volumetric_divisor", "0")
	if given(m, "volumetric_divisor") {
		divisor = rat(m["volumetric_divisor"])
	}
	if divisor.Sign() == 0 {
		return weight
	}
	kilograms := map[string]string{"": "1", "kg": "1", "g": "0.001", "lb": "0.45359237", "oz": "0.028349523125"}[text(sub(file, "store"), "weight_unit")]
	v := carried(new(big.Rat).Quo(volume, new(big.Rat).Mul(divisor, rat(kilograms))))
	if v.Cmp(weight) > 0 {
		return v
	}
	return weight
}

const (
	plainPriced = iota
	plainNoRate
	plainNoDistance
)

func plainTable(t obj, column int, g plainGoods, distance *big.Rat) (*big.Rat, int) {
	by, rows := text(t, "by"), list(t, "rows")
	quantity := new(big.Rat).SetInt64(g.quantity)
	x := map[string]*big.Rat{"order": new(big.Rat), "weight": g.weight, "billed_weight": g.weight, "subtotal": g.subtotal, "quantity": quantity, "distance": distance}[by]
	if x == nil {
		return nil, plainNoDistance
	}
	at := func(i int) *big.Rat {
		if s, ok := rows[i].(obj)["at"].(string); ok {
			return rat(s)
		}
		return nil
	}
	row := -1
	for i := range rows {
		switch {
		case by == "order":
			row = i
		case text(t, "edges") == "from" && at(i).Cmp(x) <= 0:
			row = i
		case text(t, "edges") == "up_to" && row < 0 && (at(i) == nil || x.Cmp(at(i)) <= 0):
			row = i
		}
	}
	if row < 0 {
		return nil, plainNoRate
	}
	cell := func(i int) any { return list(rows[i].(obj), "charges")[column] }
	if cell(row) == nil {
		return nil, plainNoRate
	}
	asCharge := func(v any) obj {
		if s, ok := v.(string); ok {
			return obj{"base": s}
		}
		return v.(obj)
	}
	sum := new(big.Rat)
	plus := func(r *big.Rat) { sum.Add(sum, r) }
	perUnit := func(p obj, x *big.Rat) {
		over := new(big.Rat).Sub(x, ratOr(p, "above", "0"))
		if over.Sign() <= 0 {
			return
		}
		every := ratOr(p, "every", "1")
		if text(p, "part") == "started" {
			units := new(big.Rat).Quo(over, every)
			whole := new(big.Int).Neg(new(big.Int).Div(new(big.Int).Neg(units.Num()), units.Denom()))
			plus(new(big.Rat).Mul(ratOr(p, "amount", "0"), new(big.Rat).SetInt(whole)))
			return
		}
		plus(carried(new(big.Rat).Quo(new(big.Rat).Mul(ratOr(p, "amount", "0"), over), every)))
	}
	term := map[string]string{"weight": "per_weight", "billed_weight": "per_weight", "distance": "per_distance", "quantity": "per_item"}[by]
	graduated := truth(t, "graduated", false)
	if graduated {
		for i := 0; i <= row; i++ {
			if cell(i) == nil {
				return nil, plainNoRate
			}
			low, high := new(big.Rat), x
			if text(t, "edges") == "from" {
				low = at(i)
				if i+1 < len(rows) && at(i+1).Cmp(x) < 0 {
					high = at(i + 1)
				}
			} else {
				if i > 0 {
					low = at(i - 1)
				}
				if at(i) != nil && at(i).Cmp(x) < 0 {
					high = at(i)
				}
			}
			part := new(big.Rat).Sub(high, low)
			switch p := asCharge(cell(i))[term].(type) {
			case string:
				plus(new(big.Rat).Mul(rat(p), part))
			case obj:
				perUnit(p, part)
			}
		}
	}
	c := asCharge(cell(row))
	if s := text(c, "base"); s != "" {
		plus(rat(s))
	}
	if s := text(c, "per_item"); s != "" && !(graduated && term == "per_item") {
		plus(new(big.Rat).Mul(rat(s), quantity))
	}
	if s := text(c, "first_item"); s != "" {
		plus(rat(s))
	}
	if s := text(c, "next_item"); s != "" {
		plus(new(big.Rat).Mul(rat(s), new(big.Rat).SetInt64(g.quantity-1)))
	}
	if p := sub(c, "per_weight"); p != nil && !(graduated && term == "per_weight") {
		perUnit(p, g.weight)
	}
	if p := sub(c, "per_distance"); p != nil && !(graduated && term == "per_distance") {
		if distance == nil {
			return nil, plainNoDistance
		}
		perUnit(p, distance)
	}
	if s := text(c, "percent"); s != "" {
		plus(new(big.Rat).Mul(g.subtotal, new(big.Rat).Quo(rat(s), big.NewRat(100, 1))))
	}
	return sum, plainPriced
}

// plainQuote answers a request of lines with fields of their own.
func plainQuote(file, request obj) plainAnswer {
	to, shop := sub(request, "to"), sub(file, "store")
	a := plainAnswer{options: map[string]plainOption{}, refused: map[string]string{}}
	zones := plainZones(file, to)
	for _, z := range zones {
		a.zones = append(a.zones, text(z.zone, "id"))
	}
	subtotal, weight, longest, quantity := new(big.Rat), new(big.Rat), new(big.Rat), int64(0)
	classes := map[string]bool{}
	var parcels, shippedParcels [][]plainGoods
	shippedMain := plainGoods{"", new(big.Rat), new(big.Rat), 0, new(big.Rat)}
	var main []plainGoods
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
		volume := plainVolume(file, line)
		if truth(line, "own_parcel", false) {
			for range n {
				shippedParcels = append(shippedParcels, []plainGoods{{"", unit, price, 1, volume}})
			}
		} else {
			shippedMain.add(plainGoods{"", new(big.Rat).Mul(unit, count), price, n, new(big.Rat).Mul(volume, count)})
		}
		if truth(line, "ships_free", false) {
			continue
		}
		if truth(line, "own_parcel", false) {
			for range n {
				parcels = append(parcels, []plainGoods{{text(line, "class"), unit, price, 1, volume}})
			}
			continue
		}
		main = append(main, plainGoods{text(line, "class"), new(big.Rat).Mul(unit, count), new(big.Rat).Mul(price, count), n, new(big.Rat).Mul(volume, count)})
	}
	if !a.needsShipping {
		return a
	}
	if len(main) > 0 {
		parcels = append(parcels, main)
	}
	distanceFrom := func(id string) (least *big.Rat) {
		for _, v := range list(file, "locations") {
			l := v.(obj)
			if text(to, "lat") == "" || id == "" && !truth(l, "ships_from", false) || id != "" && text(l, "id") != id {
				continue
			}
			if d := plainDistance(file, text(l, "lat"), text(l, "lon"), text(to, "lat"), text(to, "lon")); least == nil || d.Cmp(least) < 0 {
				least = d
			}
		}
		return least
	}
	for _, v := range list(file, "methods") {
		m := v.(obj)
		id := text(m, "id")
		if !truth(m, "enabled", true) {
			continue
		}
		if option, code := plainMethod(file, request, m, zones, parcels, plainCart{subtotal, weight, longest, quantity, classes, append(shippedParcels, []plainGoods{shippedMain})}, distanceFrom(text(m, "from"))); code != "" {
			a.refused[id] = code
		} else {
			a.options[id] = option
		}
	}
	return a
}

type plainCart struct {
	subtotal, weight, longest *big.Rat
	quantity                  int64
	classes                   map[string]bool
	boxes                     [][]plainGoods // all shipped goods, by parcel
}

func plainMethod(file, request, m obj, zones []plainZone, parcels [][]plainGoods, cart plainCart, distance *big.Rat) (plainOption, string) {
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
	asObj := func(v any) obj { o, _ := v.(obj); return o }
	needs := asObj(term("needs"))
	within := func(key string, x *big.Rat) bool {
		b := sub(needs, key)
		return !(given(b, "from") && x.Cmp(ratOr(b, "from", "0")) < 0 || given(b, "to") && x.Cmp(ratOr(b, "to", "0")) > 0)
	}
	quantity := new(big.Rat).SetInt64(cart.quantity)
	used := texts(request, "coupons")
	anyOf := func(wanted, have []string) bool {
		return slices.ContainsFunc(wanted, func(w string) bool { return slices.Contains(have, w) })
	}
	billed := new(big.Rat)
	for _, box := range cart.boxes {
		billed.Add(billed, plainBilled(file, m, box[0].weight, box[0].volume))
	}
	if !within("billed_weight", billed) || !within("subtotal", cart.subtotal) || !within("weight", cart.weight) || !within("quantity", quantity) || !within("longest_side", cart.longest) ||
		distance != nil && !within("distance", distance) ||
		len(texts(needs, "coupons")) > 0 && !anyOf(texts(needs, "coupons"), used) ||
		len(texts(needs, "groups")) > 0 && !anyOf(texts(needs, "groups"), []string{text(request, "group")}) {
		return plainOption{}, Needs
	}
	for c := range cart.classes {
		if only := texts(needs, "only_classes"); len(only) > 0 && !slices.Contains(only, c) || slices.Contains(texts(needs, "without_classes"), c) {
			return plainOption{}, Needs
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
				if agreed != nil || !given(g, kind) || kind == "group" && given(g, "customer") || kind == "place" && (given(g, "customer") || given(g, "group")) {
					continue
				}
				if given(g, "customer") && text(g, "customer") != text(request, "customer") || given(g, "group") && text(g, "group") != text(request, "group") {
					continue
				}
				if p := sub(g, "place"); p != nil && (text(p, "country") != text(to, "country") || text(p, "postcode") != text(to, "postcode")) {
					continue
				}
				if on := texts(g, "methods"); len(on) > 0 && !slices.Contains(on, text(m, "id")) {
					continue
				}
				agreed = rat(g["amount"])
			}
		}
		sum, outcome = plainTables(file, m, zone, parcels, distance)
		switch {
		case outcome == plainPriced:
			sum = plainExtras(file, m, term, to, cart, sum)
		case agreed == nil && outcome == plainNoDistance:
			return plainOption{}, NoDistance
		case agreed == nil:
			return plainOption{}, NoRate
		}
		if agreed != nil {
			sum = agreed
		}
		if free := asObj(term("free")); free != nil {
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
			if text(free, "require") == "all" && !slices.Contains(met, false) || text(free, "require") != "all" && slices.Contains(met, true) {
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
			tax = halfUp(new(big.Rat).Quo(new(big.Rat).Mul(charge, percent), new(big.Rat).Add(big.NewRat(100, 1), percent)), 2)
		} else {
			tax = halfUp(new(big.Rat).Quo(new(big.Rat).Mul(charge, percent), big.NewRat(100, 1)), 2)
			total = new(big.Rat).Add(charge, tax)
		}
	}
	return plainOption{charge.FloatString(2), tax.FloatString(2), total.FloatString(2), zone}, ""
}

func plainTables(file, m obj, zone string, parcels [][]plainGoods, distance *big.Rat) (*big.Rat, int) {
	sum, worst := new(big.Rat), plainPriced
	tables := list(m, "tables")
	tableOf := func(class string) (table, column int) {
		table = -1
		for i, v := range tables {
			t := v.(obj)
			j := slices.Index(texts(t, "zones"), zone)
			claims := texts(t, "classes")
			if j >= 0 && (slices.Contains(claims, class) || len(claims) == 0 && table < 0) {
				table, column = i, j
			}
		}
		return table, column
	}
	for _, parcel := range parcels {
		goods := map[int]plainGoods{}
		for _, g := range parcel {
			t, _ := tableOf(g.class)
			if t < 0 {
				worst = max(worst, plainNoRate)
				continue
			}
			have, ok := goods[t]
			if !ok {
				have = plainGoods{g.class, new(big.Rat), new(big.Rat), 0, new(big.Rat)}
			}
			have.add(g)
			goods[t] = have
		}
		var dearest *big.Rat
		for i := range tables {
			g, ok := goods[i]
			if !ok {
				continue
			}
			_, column := tableOf(g.class)
			if text(tables[i].(obj), "by") == "billed_weight" {
				g.weight = plainBilled(file, m, g.weight, g.volume)
			}
			amount, outcome := plainTable(tables[i].(obj), column, g, distance)
			if outcome != plainPriced {
				worst = max(worst, outcome)
				continue
			}
			if text(m, "classes") != "dearest" {
				sum.Add(sum, amount)
			} else if dearest == nil || dearest.Cmp(amount) < 0 {
				dearest = amount
			}
		}
		if dearest != nil {
			sum.Add(sum, dearest)
		}
	}
	return sum, worst
}

// plainExtras is steps 2 to 4.
func plainExtras(file, m obj, term func(string) any, to obj, cart plainCart, sum *big.Rat) *big.Rat {
	fee := func(o obj, of *big.Rat) *big.Rat {
		return new(big.Rat).Add(ratOr(o, "amount", "0"), new(big.Rat).Mul(of, new(big.Rat).Quo(ratOr(o, "percent", "0"), big.NewRat(100, 1))))
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
