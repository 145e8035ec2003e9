package quote

import (
	"fmt"
	"math/big"
	"slices"
)

// Parcels in the plain evaluation. Which goods share a box is taken from what the engine says, and checked against the
// contract; all that follows from it is worked out here.

// plainParcel is one parcel.
type plainParcel struct {
	from   string
	box    obj // nil: none
	goods  []plainGoods
	girths []*big.Rat // of the box, or of each unit with sides
}

// all is everything in the parcel, its box too.
func (p *plainParcel) all() plainGoods {
	sum := plainGoods{"", new(big.Rat), new(big.Rat), 0, new(big.Rat)}
	for _, g := range p.goods {
		sum.add(g)
	}
	if p.box != nil {
		sum.weight.Add(sum.weight, ratOr(p.box, "weight", "0"))
	}
	return sum
}

func plainGirth(o obj) *big.Rat {
	sides := []*big.Rat{ratOr(o, "length", "0"), ratOr(o, "width", "0"), ratOr(o, "height", "0")}
	slices.SortFunc(sides, func(a, b *big.Rat) int { return b.Cmp(a) })
	across := new(big.Rat).Add(sides[1], sides[2])
	return new(big.Rat).Add(sides[0], across.Mul(across, big.NewRat(2, 1)))
}

func sized(o obj) bool { return given(o, "length") && given(o, "width") && given(o, "height") }

// put adds units of a line.
func (p *plainParcel) put(file, line obj, n int64) {
	count := new(big.Rat).SetInt64(n)
	unit := func(key string) *big.Rat { return new(big.Rat).Mul(ratOr(line, key, "0"), count) }
	p.goods = append(p.goods, plainGoods{text(line, "class"), unit("weight"), unit("price"), n,
		new(big.Rat).Mul(plainVolume(file, line), count)})
	if p.box == nil && sized(line) {
		p.girths = append(p.girths, plainGirth(line))
	}
}

// plainParcels are those of a method's charged goods, or of all that are shipped.
func plainParcels(file, request, m obj, all bool, said func(method string, all bool) []Parcel) (parcels []plainParcel) {
	lines, shared := list(request, "lines"), map[int]bool{}
	for i, v := range lines {
		line := v.(obj)
		switch n := int64(line["quantity"].(float64)); {
		case !truth(line, "needs_shipping", true) || !all && truth(line, "ships_free", false):
		case truth(line, "own_parcel", false):
			for range n {
				p := plainParcel{from: text(line, "from")}
				p.put(file, line, 1)
				parcels = append(parcels, p)
			}
		default:
			shared[i] = true
		}
	}
	boxes := texts(sub(m, "parcels"), "boxes")
	if truth(sub(m, "parcels"), "all_boxes", false) {
		for _, v := range list(file, "boxes") {
			boxes = append(boxes, text(v.(obj), "id"))
		}
	}
	if len(boxes) == 0 && !given(sub(m, "parcels"), "max_weight") {
		for _, from := range []string{"", "w", "hall", "shed"} {
			p := plainParcel{from: from}
			for i, v := range lines {
				if line := v.(obj); shared[i] && text(line, "from") == from {
					p.put(file, line, int64(line["quantity"].(float64)))
				}
			}
			if len(p.goods) > 0 {
				parcels = append(parcels, p)
			}
		}
		return parcels
	}
	left := map[int]int64{}
	for i := range shared {
		left[i] = int64(lines[i].(obj)["quantity"].(float64))
	}
	splits := map[string]int{}
	for _, of := range said(text(m, "id"), all) {
		p := plainParcel{from: of.From}
		if of.Box != nil {
			p.box = plainBox(file, *of.Box)
			p.girths = []*big.Rat{plainGirth(p.box)}
		}
		for _, l := range of.Lines {
			line := lines[l.Line].(obj)
			if text(line, "from") != of.From {
				panic("goods of another place are in the parcel")
			}
			p.put(file, line, l.Quantity)
			left[l.Line] -= l.Quantity
		}
		if first := of.Lines[0].Line; !shared[first] {
			continue // a parcel of its own, counted above
		} else if of.Box == nil && len(boxes) > 0 {
			plainNoBox(file, m, boxes, lines[first].(obj), of)
		}
		plainMay(file, m, boxes, &p, len(of.Lines) == 1 && of.Lines[0].Quantity == 1)
		splits[of.From]++
		parcels = append(parcels, p)
	}
	for i := range shared {
		if left[i] != 0 {
			panic(fmt.Sprint("of line ", i, " there are left ", left[i]))
		}
	}
	if len(boxes) == 0 {
		for from, n := range splits {
			if most := plainSplit(lines, shared, from, rat(sub(m, "parcels")["max_weight"])); n > most {
				panic(fmt.Sprint(n, " parcels, heaviest first ", most))
			}
		}
	}
	return parcels
}

func plainBox(file obj, id string) obj {
	for _, v := range list(file, "boxes") {
		if text(v.(obj), "id") == id {
			return v.(obj)
		}
	}
	panic("no box " + id)
}

// plainMay checks that a parcel is not heavier than it may be; one unit that no box takes may.
func plainMay(file, m obj, boxes []string, p *plainParcel, single bool) {
	weight := p.all().weight
	if p.box != nil {
		if !slices.Contains(boxes, text(p.box, "id")) {
			panic("a box that is not listed")
		}
		goods := new(big.Rat).Sub(weight, ratOr(p.box, "weight", "0"))
		if given(p.box, "max_weight") && goods.Cmp(ratOr(p.box, "max_weight", "0")) > 0 {
			panic("a box bears too much")
		}
	}
	if limit := sub(m, "parcels"); given(limit, "max_weight") && weight.Cmp(ratOr(limit, "max_weight", "0")) > 0 &&
		!(p.box == nil && single) {
		panic("a parcel is too heavy, and need not be")
	}
}

// plainNoBox checks that no box takes a unit.
func plainNoBox(file, m obj, boxes []string, line obj, of Parcel) {
	if len(of.Lines) != 1 || of.Lines[0].Quantity != 1 {
		panic("several units travel alone together")
	}
	for _, id := range boxes {
		box := plainBox(file, id)
		whole := new(big.Rat).Add(ratOr(line, "weight", "0"), ratOr(box, "weight", "0"))
		if given(box, "max_weight") && ratOr(line, "weight", "0").Cmp(rat(box["max_weight"])) > 0 ||
			given(sub(m, "parcels"), "max_weight") && whole.Cmp(rat(sub(m, "parcels")["max_weight"])) > 0 {
			continue
		}
		unit := []*big.Rat{ratOr(line, "length", "0"), ratOr(line, "width", "0"), ratOr(line, "height", "0")}
		room := []*big.Rat{rat(box["length"]), rat(box["width"]), rat(box["height"])}
		turned := 3
		if truth(line, "upright", false) {
			turned = 2
		}
		slices.SortFunc(unit[:turned], (*big.Rat).Cmp)
		slices.SortFunc(room[:turned], (*big.Rat).Cmp)
		if !sized(line) || unit[0].Cmp(room[0]) <= 0 && unit[1].Cmp(room[1]) <= 0 && unit[2].Cmp(room[2]) <= 0 {
			panic("box " + id + " takes what travels alone")
		}
	}
}

// plainSplit counts parcels by weight: the heaviest unit first, into the first with room.
func plainSplit(lines []any, shared map[int]bool, from string, limit *big.Rat) int {
	var units, parcels []*big.Rat
	for i := range lines {
		if line := lines[i].(obj); shared[i] && text(line, "from") == from {
			for range int(line["quantity"].(float64)) {
				units = append(units, ratOr(line, "weight", "0"))
			}
		}
	}
	slices.SortFunc(units, func(a, b *big.Rat) int { return b.Cmp(a) })
units:
	for _, u := range units {
		for i := range parcels {
			if sum := new(big.Rat).Add(parcels[i], u); sum.Cmp(limit) <= 0 {
				parcels[i] = sum
				continue units
			}
		}
		parcels = append(parcels, u)
	}
	return len(parcels)
}
