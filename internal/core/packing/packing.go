// Package packing says which goods go into which box, and where in it.
//
// A unit with three sides is a cuboid that lies parallel to the sides of its box; it may be turned in all six ways, or
// in two where it stays upright. Units lie wholly inside and do not overlap. Units that lack a side take no room, but
// they weigh. [Packer.Pack] aims at the fewest boxes, then at the smallest, with heuristics whose effort is bounded by
// counted steps and never by a clock: the same goods are packed the same way everywhere, whatever their order.
//
// A box keeps a list of its maximal free spaces: cuboids without goods that cannot grow in any direction, as in
// "empty maximal-spaces" (Lai and Chan, "Developing a simulated annealing algorithm for the cutting stock problem",
// Computers and Industrial Engineering 32, 1997). A unit that can be added at all fits into one of them. Goods come
// first fit by falling volume, area or longest side; the best packing is kept (after Crainic, Perboli and Tadei,
// "Extreme point-based heuristics for three-dimensional bin packing", INFORMS Journal on Computing 20, 2008).
//
// Lengths are whole numbers of the smallest decimal that occurs, so comparisons are exact. Only where sides have more
// than 18 digits together before and behind the point are units rounded up and boxes down.
package packing

import (
	"cmp"
	"math"
	"math/big"
	"slices"

	"diadrom/internal/core/decimal"
)

// Box is a kind of box of which there are as many as are needed. Its sides are above 0, in the unit in which those of
// goods are; weights are not negative and in one unit too.
type Box struct {
	Length, Width, Height decimal.Decimal
	Weight                decimal.Decimal  // of the empty box
	MaxWeight             *decimal.Decimal // of the goods in it; nil: no limit
}

// Takes says whether an empty box takes a unit of goods, where a packed one weighs at most limit; nil is no limit.
func (b *Box) Takes(g *Goods, limit *decimal.Decimal) bool {
	if b.MaxWeight != nil && b.MaxWeight.Less(g.Weight) || limit != nil && limit.Less(g.Weight.Add(b.Weight)) {
		return false
	}
	if !g.sized() {
		return true
	}
	unit := []decimal.Decimal{*g.Length, *g.Width, *g.Height}
	room := []decimal.Decimal{b.Length, b.Width, b.Height}
	turned := len(unit)
	if g.Upright {
		turned--
	}
	slices.SortFunc(unit[:turned], decimal.Decimal.Cmp)
	slices.SortFunc(room[:turned], decimal.Decimal.Cmp)
	for axis := range unit {
		if room[axis].Less(unit[axis]) {
			return false
		}
	}
	return true
}

// Goods are some units of a kind.
type Goods struct {
	Length, Width, Height *decimal.Decimal // not negative; where one is nil the units take no room
	Upright               bool             // the height stays vertical
	Weight                decimal.Decimal  // of each unit, not negative
	Count                 int64            // 1 or more
}

func (g *Goods) sized() bool { return g.Length != nil && g.Width != nil && g.Height != nil }

// Packing is how goods are packed. Goods that are alike in size and weight are one kind, so that it does not depend on
// the order of what was given.
type Packing struct {
	Kinds   [][]int  // of each kind, the indexes of the goods that are of it, ascending
	Parcels []Parcel // in the order in which they are packed
	Alone   []Content
	Steps   int64 // of work that it took, for tests and benchmarks
}

// Boxes is the number of boxes.
func (p *Packing) Boxes() (n int64) {
	for i := range p.Parcels {
		n += p.Parcels[i].Count
	}
	return n
}

// Parcel is a packed box, Count times.
type Parcel struct {
	Box      int // index of the packer's boxes
	Count    int64
	Contents []Content // of each of them, by kind
	Blocks   []Block   // where units with sides lie, in the order in which they are packed
}

// Content is some units of a kind.
type Content struct {
	Kind  int
	Count int64
}

// Block is units of a kind that lie side by side, turned alike: Along[0] of them along the box's length, each of
// Sides[0], Along[1] along its width and Along[2] upwards. At is the corner that is nearest to the box's origin.
type Block struct {
	Kind      int
	At, Sides [3]decimal.Decimal
	Along     [3]int64
}

// Count is the number of units in the block.
func (b *Block) Count() int64 { return b.Along[0] * b.Along[1] * b.Along[2] }

// Unit is where the i-th unit of the block lies: rows along the length first, then layers, then upwards.
func (b *Block) Unit(i int64) (at [3]decimal.Decimal) {
	n := [3]int64{i % b.Along[0], i / b.Along[0] % b.Along[1], i / b.Along[0] / b.Along[1]}
	for axis := range at {
		at[axis] = b.At[axis].Add(b.Sides[axis].Mul(decimal.FromInt(n[axis])))
	}
	return at
}

// Packer packs into kinds of boxes. It is safe for many goroutines.
type Packer struct {
	boxes []Box
	limit *decimal.Decimal
}

// New is a packer for kinds of boxes, at least one, of which a packed one weighs at most limit, the box included; nil
// is no limit.
func New(boxes []Box, limit *decimal.Decimal) *Packer { return &Packer{boxes, limit} }

// Lengths and weights as whole numbers are below these, so that sums do not overflow.
const (
	maxLength = int64(1) << 60
	maxWeight = int64(1) << 61
	noLimit   = int64(math.MaxInt64) / 4
)

// boxKind is a kind of box in whole numbers.
type boxKind struct {
	index int // of the packer's boxes
	sides [3]int64
	room  int64 // that the goods may weigh
	size  int64 // volume in coarse units, rounded up
}

// kind is goods that are alike, in whole numbers.
type kind struct {
	goods   []int
	sides   [3]int64 // the longest first; of upright ones the height last
	sized   bool
	flat    bool // has a side of 0, so that it always goes against a wall of a box that takes it
	upright bool
	weight  int64
	count   int64
	size    int64      // volume in coarse units, rounded down
	turns   [][3]int64 // in which the unit may lie
	takes   []bool     // by box, in the job's order: whether an empty one takes a unit
}

// job is one packing under way.
type job struct {
	boxes   []boxKind // the smallest first
	kinds   []kind    // the largest first; behind them flat ones, and those without sides, the heaviest first
	sized   int       // how many kinds have a volume
	digits  int       // decimals of lengths
	coarse  uint      // by how many bits lengths are shifted before volumes are taken
	least   [3]int64  // the least side of any unit along each axis
	units   int64     // that have a volume, at most 1<<40
	steps   int64
	spare   []open // boxes of earlier ways, whose memory is used again
	scratch []space
	fulls   map[fullKey]*filled
}

// Pack packs goods.
func (p *Packer) Pack(goods []Goods) *Packing {
	j := p.job(goods)
	out := &Packing{}
	alone := j.loners()
	best := j.solve()
	place := make([]int, len(j.kinds)) // of the job's kinds, in the answer
	for i := range j.kinds {
		place[i] = i
		out.Kinds = append(out.Kinds, j.kinds[i].goods)
	}
	for _, c := range alone {
		out.Kinds = append(out.Kinds, c.goods)
		out.Alone = append(out.Alone, Content{len(out.Kinds) - 1, c.count})
	}
	for i := range best {
		out.Parcels = append(out.Parcels, j.parcel(&best[i]))
	}
	out.Steps = j.steps
	return out
}

// job makes whole numbers of boxes and goods.
func (p *Packer) job(goods []Goods) *job {
	lengths, weights := newScale(maxLength), newScale(maxWeight)
	for i := range goods {
		g := &goods[i]
		if g.sized() {
			lengths.see(*g.Length, true)
			lengths.see(*g.Width, true)
			lengths.see(*g.Height, true)
		}
		weights.see(g.Weight, true)
	}
	for i := range p.boxes {
		b := &p.boxes[i]
		lengths.see(b.Length, false)
		lengths.see(b.Width, false)
		lengths.see(b.Height, false)
		if room := p.room(b); room != nil {
			weights.see(*room, false)
		}
	}
	j := &job{digits: lengths.digits}
	for i := range p.boxes {
		b := &p.boxes[i]
		k := boxKind{index: i, room: noLimit}
		k.sides = [3]int64{lengths.down(b.Length), lengths.down(b.Width), lengths.down(b.Height)}
		if room := p.room(b); room != nil {
			if room.Sign() < 0 { // the empty box is too heavy
				continue
			}
			k.room = weights.down(*room)
		}
		j.boxes = append(j.boxes, k)
	}
	j.merge(goods, lengths, weights)
	j.measure()
	return j
}

// room is what the goods in a box may weigh; nil for no limit.
func (p *Packer) room(b *Box) *decimal.Decimal {
	room := b.MaxWeight
	if p.limit != nil {
		if rest := p.limit.Sub(b.Weight); room == nil || rest.Less(*room) {
			room = &rest
		}
	}
	return room
}

// merge makes kinds of goods, in an order that does not depend on theirs.
func (j *job) merge(goods []Goods, lengths, weights *scale) {
	for i := range goods {
		g := &goods[i]
		k := kind{goods: []int{i}, weight: weights.up(g.Weight), count: g.Count, sized: g.sized(),
			upright: g.Upright && g.sized()}
		if k.sized {
			k.sides = [3]int64{lengths.up(*g.Length), lengths.up(*g.Width), lengths.up(*g.Height)}
			ordered := k.sides[:]
			if k.upright {
				ordered = k.sides[:2]
			}
			slices.SortFunc(ordered, func(a, b int64) int { return cmp.Compare(b, a) })
			k.flat = min(k.sides[0], k.sides[1], k.sides[2]) == 0
		}
		at := slices.IndexFunc(j.kinds, func(h kind) bool { return h.alike(&k) })
		if at < 0 || len(goods) > manyGoods {
			j.kinds = append(j.kinds, k)
			continue
		}
		j.kinds[at].count += k.count
		j.kinds[at].goods = append(j.kinds[at].goods, i)
	}
	slices.SortStableFunc(j.kinds, func(a, b kind) int { return a.compare(&b) })
	if len(goods) > manyGoods {
		j.kinds = compact(j.kinds)
	}
}

// manyGoods is from how many goods on those that are alike are found by sorting.
const manyGoods = 32

// compact makes one of kinds that are alike and stand beside one another.
func compact(kinds []kind) []kind {
	out := kinds[:0]
	for i := range kinds {
		if n := len(out); n > 0 && out[n-1].alike(&kinds[i]) {
			out[n-1].count += kinds[i].count
			out[n-1].goods = append(out[n-1].goods, kinds[i].goods...)
			continue
		}
		out = append(out, kinds[i])
	}
	return out
}

// solid says whether a unit takes room.
func (k *kind) solid() bool { return k.sized && !k.flat }

func (k *kind) alike(h *kind) bool {
	return k.sides == h.sides && k.sized == h.sized && k.upright == h.upright && k.weight == h.weight
}

// compare puts what is harder to place first.
func (k *kind) compare(h *kind) int {
	if k.sized != h.sized {
		if k.sized {
			return -1
		}
		return 1
	}
	if c := compareVolumes(h.sides, k.sides); c != 0 {
		return c
	}
	for axis := range k.sides {
		if c := cmp.Compare(h.sides[axis], k.sides[axis]); c != 0 {
			return c
		}
	}
	if k.upright != h.upright {
		if k.upright {
			return -1
		}
		return 1
	}
	return cmp.Compare(h.weight, k.weight)
}

// compareVolumes compares exactly.
func compareVolumes(a, b [3]int64) int {
	if max(a[0], a[1], a[2], b[0], b[1], b[2]) < 1<<20 {
		return cmp.Compare(a[0]*a[1]*a[2], b[0]*b[1]*b[2])
	}
	return bigVolume(a).Cmp(bigVolume(b))
}

func bigVolume(a [3]int64) *big.Int {
	v := new(big.Int).Mul(big.NewInt(a[0]), big.NewInt(a[1]))
	return v.Mul(v, big.NewInt(a[2]))
}

// measure fills in what follows from the sides.
func (j *job) measure() {
	slices.SortStableFunc(j.boxes, func(a, b boxKind) int { return compareVolumes(a.sides, b.sides) })
	longest := int64(0)
	for i := range j.boxes {
		longest = max(longest, j.boxes[i].sides[0], j.boxes[i].sides[1], j.boxes[i].sides[2])
	}
	for longest>>j.coarse >= 1<<20 {
		j.coarse++
	}
	for i := range j.boxes {
		j.boxes[i].size = j.volume(j.boxes[i].sides, true)
	}
	for i := range j.kinds {
		k := &j.kinds[i]
		k.turns = turns(k.sides, k.upright)
		k.takes = make([]bool, len(j.boxes))
		fits := false
		for b := range j.boxes {
			k.takes[b] = j.boxes[b].takes(k)
			fits = fits || k.takes[b]
		}
		if k.sized && fits {
			k.size = j.volume(k.sides, false)
		}
	}
}

// volume is a volume in coarse units: that of a box rounded up, that of a unit rounded down.
func (j *job) volume(sides [3]int64, up bool) int64 {
	v := int64(1)
	for _, s := range sides {
		c := s >> j.coarse
		if up && c<<j.coarse < s {
			c++
		}
		v *= c
	}
	return v
}

// turns are the ways in which a unit may lie, each once, those that lie flat first.
func turns(s [3]int64, upright bool) (list [][3]int64) {
	all := [][3]int64{{s[0], s[1], s[2]}, {s[1], s[0], s[2]}, {s[0], s[2], s[1]}, {s[2], s[0], s[1]},
		{s[1], s[2], s[0]},
		{s[2], s[1], s[0]}}
	if upright {
		all = all[:2]
	}
	for _, t := range all {
		if !slices.Contains(list, t) {
			list = append(list, t)
		}
	}
	return list
}

// takes says whether an empty box takes a unit.
func (b *boxKind) takes(k *kind) bool {
	if k.weight > b.room {
		return false
	}
	if !k.sized {
		return true
	}
	return slices.ContainsFunc(k.turns, func(t [3]int64) bool {
		return t[0] <= b.sides[0] && t[1] <= b.sides[1] && t[2] <= b.sides[2]
	})
}

// loners removes the kinds that no box takes.
func (j *job) loners() (alone []kind) {
	rest := j.kinds[:0:0]
	for i := range j.kinds {
		if slices.Contains(j.kinds[i].takes, true) {
			rest = append(rest, j.kinds[i])
		} else {
			alone = append(alone, j.kinds[i])
		}
	}
	j.kinds = rest
	j.least = [3]int64{maxLength, maxLength, maxLength}
	for i := range j.kinds {
		k := &j.kinds[i]
		if !k.solid() {
			continue
		}
		j.sized++
		j.units = min(j.units+k.count, 1<<40)
		for _, t := range k.turns {
			for axis := range t {
				j.least[axis] = min(j.least[axis], t[axis])
			}
		}
	}
	return alone
}

// parcel is a packed box as callers see it.
func (j *job) parcel(o *open) Parcel {
	out := Parcel{Box: j.boxes[o.box].index, Count: o.count, Contents: o.contents()}
	for i := range o.blocks {
		b := &o.blocks[i]
		block := Block{Kind: b.kind, Along: b.along}
		for axis := range b.at {
			block.At[axis] = decimal.FromInt(b.at[axis]).Mul(decimal.New(1, j.digits))
			block.Sides[axis] = decimal.FromInt(b.sides[axis]).Mul(decimal.New(1, j.digits))
		}
		out.Blocks = append(out.Blocks, block)
	}
	return out
}

// scale makes whole numbers of decimals: with as many decimals as any of them has, or as fit.
type scale struct {
	digits int
	most   int64 // numbers become smaller than this
	larger decimal.Decimal
}

func newScale(most int64) *scale { return &scale{most: most} }

// see takes a number into account; those of boxes may become too large, which then are as large as can be.
func (s *scale) see(d decimal.Decimal, whole bool) {
	s.digits = max(s.digits, d.Decimals())
	if whole && s.larger.Less(d) {
		s.larger = d
	}
	for s.digits > 0 && decimal.FromInt(s.most).Less(s.larger.Mul(power(s.digits))) {
		s.digits--
	}
}

func power(digits int) decimal.Decimal {
	p := decimal.One
	for range digits {
		p = p.Mul(decimal.FromInt(10))
	}
	return p
}

func (s *scale) up(d decimal.Decimal) int64   { return d.Whole(s.digits, true, s.most) }
func (s *scale) down(d decimal.Decimal) int64 { return d.Whole(s.digits, false, s.most) }
