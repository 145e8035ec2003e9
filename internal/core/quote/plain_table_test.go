package quote

import (
	"math/big"
	"slices"
)

// Tables and parcels in the plain evaluation.

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
	cm := rat(
		map[string]string{"": "1", "cm": "1", "mm": "0.1", "m": "100", "in": "2.54"}[text(sub(file, "store"),
			"length_unit")],
	)
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
	kilograms := map[string]string{"": "1", "kg": "1", "g": "0.001", "lb": "0.45359237",
		"oz": "0.028349523125"}[text(sub(file, "store"), "weight_unit")]
	v := new(big.Rat).Quo(volume, new(big.Rat).Mul(divisor, rat(kilograms)))
	if v.Cmp(weight) > 0 {
		return v
	}
	return weight
}

const (
	plainPriced = iota
	plainNoRate
	plainNoDistance
	plainFailed
)

func plainTable(t obj, column int, g plainGoods, distance *big.Rat) (*big.Rat, int) {
	by, rows := text(t, "by"), list(t, "rows")
	quantity := new(big.Rat).SetInt64(g.quantity)
	x := map[string]*big.Rat{"order": new(big.Rat), "weight": g.weight, "billed_weight": g.weight,
		"subtotal": g.subtotal, "quantity": quantity, "distance": distance}[by]
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
		plus(new(big.Rat).Quo(new(big.Rat).Mul(ratOr(p, "amount", "0"), over), every))
	}
	term := map[string]string{"weight": "per_weight", "billed_weight": "per_weight", "distance": "per_distance",
		"quantity": "per_item"}[by]
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

func plainTables(file, m obj, zone string, parcels []plainParcel, distanceFrom func(from string) *big.Rat) (
	*big.Rat, int) {
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
	whole := map[int]plainGoods{}  // of tables per order
	farthest := map[int]*big.Rat{} // of the parcels that they price
	unknown := map[int]bool{}      // where a distance is not known
	for _, parcel := range parcels {
		goods := map[int]plainGoods{}
		for _, g := range parcel.goods {
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
			if parcel.box != nil {
				g.weight = new(big.Rat).Add(g.weight, ratOr(parcel.box, "weight", "0"))
				g.volume = plainVolume(file, parcel.box)
			}
			if text(tables[i].(obj), "by") == "billed_weight" {
				g.weight = plainBilled(file, m, g.weight, g.volume)
			}
			if text(tables[i].(obj), "per") == "order" {
				have, ok := whole[i]
				if !ok {
					have = plainGoods{g.class, new(big.Rat), new(big.Rat), 0, new(big.Rat)}
				}
				have.add(g)
				whole[i] = have
				if d := distanceFrom(parcel.from); d == nil {
					unknown[i] = true
				} else if farthest[i] == nil || farthest[i].Cmp(d) < 0 {
					farthest[i] = d
				}
				continue
			}
			amount, outcome := plainTable(tables[i].(obj), column, g, distanceFrom(parcel.from))
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
	var dearest *big.Rat
	for i := range tables {
		g, ok := whole[i]
		if !ok {
			continue
		}
		distance := farthest[i]
		if unknown[i] {
			distance = nil
		}
		_, column := tableOf(g.class)
		amount, outcome := plainTable(tables[i].(obj), column, g, distance)
		switch {
		case outcome != plainPriced:
			worst = max(worst, outcome)
		case text(m, "classes") != "dearest":
			sum.Add(sum, amount)
		case dearest == nil || dearest.Cmp(amount) < 0:
			dearest = amount
		}
	}
	if dearest != nil {
		sum.Add(sum, dearest)
	}
	return sum, worst
}
