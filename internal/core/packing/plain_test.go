package packing

import (
	"math/big"
	"slices"
)

// The two plain ways of docs/model.md, written down once more: units by falling volume, each into the first open box
// with room, else into a new box of the smallest, or of the largest, kind that takes it. A unit has room where one of
// its turns, flat ones first, can stand at a corner that the goods and the walls make; it takes the lowest of these.

type plainUnit struct {
	sides  [3]*big.Rat
	sized  bool
	turns  [][3]*big.Rat
	weight *big.Rat
	volume *big.Rat
}

type plainBox struct {
	kind   int
	weight *big.Rat
	lo, hi [][3]*big.Rat
}

func plainBoxes(p *Packer, in []Goods) int64 {
	var units []plainUnit
	for _, g := range in {
		u := plainUnit{weight: rat(g.Weight), sized: g.sized(), volume: new(big.Rat)}
		if u.sized {
			s := [3]*big.Rat{rat(*g.Length), rat(*g.Width), rat(*g.Height)}
			if last := 3; g.Upright {
				last = 2
				slices.SortFunc(s[:last], func(a, b *big.Rat) int { return b.Cmp(a) })
			} else {
				slices.SortFunc(s[:], func(a, b *big.Rat) int { return b.Cmp(a) })
			}
			u.sides = s
			u.volume.Mul(s[0], new(big.Rat).Mul(s[1], s[2]))
			u.turns = [][3]*big.Rat{{s[0], s[1], s[2]}, {s[1], s[0], s[2]}, {s[0], s[2], s[1]}, {s[2], s[0], s[1]},
				{s[1], s[2], s[0]}, {s[2], s[1], s[0]}}
			if g.Upright {
				u.turns = u.turns[:2]
			}
		}
		takes := false
		for i := range p.boxes {
			takes = takes || u.fits(p, i)
		}
		for range g.Count {
			if takes {
				units = append(units, u)
			}
		}
	}
	slices.SortStableFunc(units, func(a, b plainUnit) int {
		if a.sized != b.sized {
			if a.sized {
				return -1
			}
			return 1
		}
		if c := b.volume.Cmp(a.volume); c != 0 || !a.sized {
			return c
		}
		for axis := range a.sides {
			if c := b.sides[axis].Cmp(a.sides[axis]); c != 0 {
				return c
			}
		}
		return len(a.turns) - len(b.turns)
	})
	return min(plainWay(p, units, false), plainWay(p, units, true))
}

func (u *plainUnit) fits(p *Packer, kind int) bool {
	b := plainBox{kind: kind, weight: new(big.Rat)}
	return b.put(p, u)
}

func plainWay(p *Packer, units []plainUnit, largest bool) int64 {
	kinds := make([]int, len(p.boxes))
	for i := range kinds {
		kinds[i] = i
	}
	volume := func(i int) *big.Rat {
		b := &p.boxes[i]
		return new(big.Rat).Mul(rat(b.Length), new(big.Rat).Mul(rat(b.Width), rat(b.Height)))
	}
	slices.SortStableFunc(kinds, func(a, b int) int { return volume(a).Cmp(volume(b)) })
	if largest {
		slices.Reverse(kinds)
	}
	var boxes []*plainBox
units:
	for i := range units {
		u := &units[i]
		for _, b := range boxes {
			if b.put(p, u) {
				continue units
			}
		}
		for _, kind := range kinds {
			if u.fits(p, kind) {
				b := &plainBox{kind: kind, weight: new(big.Rat)}
				b.put(p, u)
				boxes = append(boxes, b)
				break
			}
		}
	}
	return int64(len(boxes))
}

func (b *plainBox) put(p *Packer, u *plainUnit) bool {
	kind := &p.boxes[b.kind]
	weight := new(big.Rat).Add(b.weight, u.weight)
	if kind.MaxWeight != nil && weight.Cmp(rat(*kind.MaxWeight)) > 0 ||
		p.limit != nil && new(big.Rat).Add(weight, rat(kind.Weight)).Cmp(rat(*p.limit)) > 0 {
		return false
	}
	if !u.sized {
		b.weight = weight
		return true
	}
	walls := [3]*big.Rat{rat(kind.Length), rat(kind.Width), rat(kind.Height)}
	var corners [3][]*big.Rat
	for axis := range corners {
		corners[axis] = append(corners[axis], new(big.Rat))
		for i := range b.hi {
			corners[axis] = append(corners[axis], b.hi[i][axis])
		}
		slices.SortFunc(corners[axis], (*big.Rat).Cmp)
		corners[axis] = slices.CompactFunc(corners[axis], func(x, y *big.Rat) bool { return x.Cmp(y) == 0 })
	}
	for _, z := range corners[2] {
		for _, y := range corners[1] {
			for _, x := range corners[0] {
				for _, turn := range u.turns {
					if b.free([3]*big.Rat{x, y, z}, turn, walls) {
						b.weight = weight
						return true
					}
				}
			}
		}
	}
	return false
}

func (b *plainBox) free(at, turn, walls [3]*big.Rat) bool {
	var hi [3]*big.Rat
	for axis := range at {
		if hi[axis] = new(big.Rat).Add(at[axis], turn[axis]); hi[axis].Cmp(walls[axis]) > 0 {
			return false
		}
	}
	for i := range b.lo {
		apart := false
		for axis := range at {
			apart = apart || b.hi[i][axis].Cmp(at[axis]) <= 0 || hi[axis].Cmp(b.lo[i][axis]) <= 0
		}
		if !apart {
			return false
		}
	}
	b.lo, b.hi = append(b.lo, at), append(b.hi, hi)
	return true
}
