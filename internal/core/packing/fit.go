package packing

import "slices"

// Most is how many units of a kind are found to go into each of the packer's boxes, by room and by weight, counted up
// to limit; 0 where not one does. An order of no more of them than that is packed into one such box.
func (p *Packer) Most(g Goods, limit int64) []int64 {
	counts := make([]int64, len(p.boxes))
	g.Count = limit
	j := p.job([]Goods{g})
	j.loners()
	if len(j.kinds) == 0 {
		return counts
	}
	for b := range j.boxes {
		if j.kinds[0].takes[b] {
			counts[j.boxes[b].index] = j.most(b, 0, limit)
		}
	}
	return counts
}

// most is how many units of one kind go into an empty box, counted up to limit.
func (j *job) most(box, kindIndex int, limit int64) int64 {
	k := &j.kinds[kindIndex]
	limit = k.bears(j.boxes[box].room, limit)
	if k.solid() && j.grid(box, kindIndex).count < limit {
		limit = min(limit, j.full(box, kindIndex).count)
	}
	return limit
}

// grid is a box that is full of one kind of goods that are all turned alike.
func (j *job) grid(box, kindIndex int) *pattern {
	c := cutter{job: j, kind: &j.kinds[kindIndex], known: map[cut]*pattern{}}
	return c.fill(j.boxes[box].sides, 0)
}

// filled is a box that is full of one kind of goods, as far as room goes.
type filled struct {
	blocks []block
	count  int64
}

// fullKey is a kind of goods in a kind of box.
type fullKey struct{ box, kind int }

// full fills an empty box with one kind: the best of what the rules find and of blocks that are cut apart.
func (j *job) full(box, kindIndex int) *filled {
	key := fullKey{box, kindIndex}
	if f := j.fulls[key]; f != nil {
		return f
	}
	k, best := &j.kinds[kindIndex], &filled{}
	c := cutter{job: j, kind: k, known: map[cut]*pattern{}}
	p := c.fill(j.boxes[box].sides, cuts)
	best.count = p.count
	p.lay(kindIndex, [3]int64{}, &best.blocks)
	for by := range rules {
		for _, blocks := range []bool{true, false} {
			if best.count >= noLimit || k.size > 0 && best.count >= j.boxes[box].size/k.size ||
				!blocks && best.count > singly {
				continue
			}
			o := j.begin(box)
			o.room = noLimit
			lighter := *k
			lighter.weight = 0
			if n := j.fillWith(&o, kindIndex, &lighter, by, blocks); n > best.count {
				best.count, best.blocks = n, slices.Clone(o.blocks)
			}
			j.discard([]open{o})
		}
	}
	if j.fulls == nil {
		j.fulls = map[fullKey]*filled{}
	}
	j.fulls[key] = best
	return best
}

// fillWith fills a box with a kind whatever it weighs.
func (j *job) fillWith(o *open, kindIndex int, k *kind, by rule, blocks bool) int64 {
	was := j.kinds[kindIndex]
	j.kinds[kindIndex] = *k
	n := j.put(o, kindIndex, noLimit, by, blocks)
	j.kinds[kindIndex] = was
	return n
}

// some is a box with so many units of a kind, which go in.
func (j *job) some(box, kindIndex int, n int64) open {
	o, k := j.begin(box), &j.kinds[kindIndex]
	if !k.solid() {
		j.lean(&o, kindIndex, n)
		return o
	}
	o.room -= n * k.weight
	o.spaces = o.spaces[:0]
	left := n
	var blocks []block
	if p := j.grid(box, kindIndex); p.count >= n {
		p.lay(kindIndex, [3]int64{}, &blocks)
	} else {
		blocks = j.full(box, kindIndex).blocks
	}
	for _, b := range blocks {
		for left > 0 && b.count() > 0 {
			part, rest := b.first(left)
			o.blocks = append(o.blocks, part)
			left -= part.count()
			if rest == nil || left == 0 {
				break
			}
			b = *rest
		}
	}
	o.free -= min(o.free, saturated(n, k.size))
	return o
}

// first is the part of a block that has whole layers, or a whole row, or a part of a row, of at most n units; the rest
// of its topmost layer or row is what may follow, nil for none.
func (b *block) first(n int64) (part block, rest *block) {
	if n >= b.count() {
		return *b, nil
	}
	part = *b
	for axis := 2; axis >= 0; axis-- {
		each := b.count() / b.along[axis]
		if whole := n / each; whole > 0 {
			next := *b
			part.along[axis] = whole
			next.at[axis] += whole * b.sides[axis]
			next.along[axis] = 1
			return part, &next
		}
		part.along[axis], b = 1, &part
	}
	return part, nil
}

// alike packs one kind of goods alone: full boxes of one kind, and the rest in the smallest box that holds it. Of the
// kinds of boxes that one is taken with which the boxes are fewest, then smallest.
func (j *job) alike() []open {
	var best result
	for b := range j.boxes {
		if !j.kinds[0].takes[b] {
			continue
		}
		if r := j.judged(j.alikeIn(b)); best.boxes == nil || r.better(&best) {
			best = r
		}
	}
	return best.boxes
}

func (j *job) alikeIn(box int) (boxes []open) {
	k := &j.kinds[0]
	per := j.most(box, 0, k.count)
	if n := k.count / per; n > 0 {
		o := j.some(box, 0, per)
		o.count = n
		boxes = append(boxes, o)
	}
	if rest := k.count % per; rest > 0 {
		for b := range j.boxes {
			if k.takes[b] && j.most(b, 0, rest) >= rest {
				return append(boxes, j.some(b, 0, rest))
			}
		}
	}
	return boxes
}

// maxCount is up to how many units of a kind are counted in a box.
const maxCount = int64(1) << 40

// cuts is how often a box is cut in two, each part filled by itself.
const cuts = 2

// cutter fills cuboids with one kind of goods, cut in two up to a depth: a guillotine pattern.
type cutter struct {
	*job
	kind  *kind
	known map[cut]*pattern
}

// cut is a cuboid that may be cut further, depth times.
type cut struct {
	sides [3]int64
	depth int
}

// pattern is how a cuboid is filled: with units that are all turned alike, or in parts beside one another.
type pattern struct {
	count       int64
	turn, along [3]int64
	parts       []placedPattern
}

type placedPattern struct {
	at [3]int64
	*pattern
}

func (c *cutter) fill(sides [3]int64, depth int) *pattern {
	key := cut{sides, depth}
	if p := c.known[key]; p != nil {
		return p
	}
	best := &pattern{}
	for _, turn := range c.kind.turns {
		if turn[0] > sides[0] || turn[1] > sides[1] || turn[2] > sides[2] {
			continue
		}
		p := pattern{turn: turn, count: 1}
		for axis := range turn {
			p.along[axis] = min(maxCount/p.count, sides[axis]/turn[axis])
			p.count *= p.along[axis]
		}
		if p.count > best.count {
			best = &p
		}
	}
	c.known[key] = best
	c.steps += int64(len(c.kind.turns))
	if depth == 0 || best.count == 0 || c.isFull(best, sides) || c.steps > c.budget() {
		return best
	}
	for axis := range sides {
		for _, side := range c.lengths(axis) {
			for _, n := range multiples(sides[axis] / side) {
				low, high := sides, sides
				low[axis], high[axis] = n*side, sides[axis]-n*side
				a, b := c.fill(low, depth-1), c.fill(high, depth-1)
				if a.count+b.count > best.count {
					var at [3]int64
					at[axis] = low[axis]
					best = &pattern{count: a.count + b.count, parts: []placedPattern{{pattern: a}, {at, b}}}
				}
			}
		}
	}
	if depth == cuts && best.count < singly {
		best = c.pinwheel(sides, best)
	}
	c.known[key] = best
	return best
}

// pinwheel cuts a cuboid into four parts around a fifth, through all of its depth along each axis in turn, where that
// holds more than the best so far.
func (c *cutter) pinwheel(sides [3]int64, best *pattern) *pattern {
	for depth := range 3 {
		u, v := (depth+1)%3, (depth+2)%3
		us, vs := c.stations(u, sides[u]), c.stations(v, sides[v])
		for _, low := range us {
			for _, high := range us {
				if high >= low {
					continue
				}
				for _, left := range vs {
					for _, right := range vs {
						if right <= left {
							continue
						}
						if c.isFull(best, sides) || c.steps > c.budget() {
							return best
						}
						parts := [5][4]int64{{0, 0, low, left}, {low, 0, sides[u], right},
							{high, right, sides[u], sides[v]},
							{0, left, high, sides[v]}, {high, left, low, right}}
						best = c.wheel(sides, depth, &parts, best)
					}
				}
			}
		}
	}
	return best
}

// wheel is the best so far, or five parts where they hold more: each from one corner to another of the plane.
func (c *cutter) wheel(sides [3]int64, depth int, parts *[5][4]int64, best *pattern) *pattern {
	c.steps++
	u, v := (depth+1)%3, (depth+2)%3
	count, patterns := int64(0), [5]*pattern{}
	for i, p := range parts {
		part := sides
		part[u], part[v] = p[2]-p[0], p[3]-p[1]
		patterns[i] = c.fill(part, 0)
		count += patterns[i].count
	}
	if count <= best.count {
		return best
	}
	whole := &pattern{count: count}
	for i, p := range parts {
		var at [3]int64
		at[u], at[v] = p[0], p[1]
		whole.parts = append(whole.parts, placedPattern{at, patterns[i]})
	}
	return whole
}

// stations are some multiples of a unit's lengths along an axis, at which a cuboid is cut.
func (c *cutter) stations(axis int, length int64) (list []int64) {
	for _, side := range c.lengths(axis) {
		for _, n := range multiples(length / side) {
			if !slices.Contains(list, n*side) {
				list = append(list, n*side)
			}
		}
	}
	slices.Sort(list)
	const most = 10
	if n := len(list); n > most {
		list = slices.Delete(list, most/2, n-most/2)
	}
	return list
}

// isFull says whether no further unit could go in, by volume.
func (c *cutter) isFull(p *pattern, sides [3]int64) bool {
	return c.kind.size == 0 || p.count >= c.volume(sides, true)/c.kind.size
}

// lengths are those that a unit may have along an axis, each once.
func (c *cutter) lengths(axis int) (list []int64) {
	for _, t := range c.kind.turns {
		if !slices.Contains(list, t[axis]) {
			list = append(list, t[axis])
		}
	}
	return list
}

// multiples are the numbers of units after which a cuboid that is n units long is cut: all where they are few.
func multiples(n int64) (list []int64) {
	const few = 8
	if n <= few {
		for i := int64(1); i <= n; i++ {
			list = append(list, i)
		}
		return list
	}
	return []int64{1, 2, 3, n / 2, n - 3, n - 2, n - 1, n}
}

// lay appends the blocks of a pattern that begins at a corner.
func (p *pattern) lay(kindIndex int, at [3]int64, blocks *[]block) {
	for i := range p.parts {
		corner := p.parts[i].at
		for axis := range corner {
			corner[axis] += at[axis]
		}
		p.parts[i].lay(kindIndex, corner, blocks)
	}
	if len(p.parts) == 0 && p.count > 0 {
		*blocks = append(*blocks, block{kindIndex, at, p.turn, p.along})
	}
}
