package packing

import "slices"

// space is a cuboid of a box: lo ≤ x ≤ hi along each axis.
type space struct{ lo, hi [3]int64 }

func (s *space) holds(t *space) bool {
	return s.lo[0] <= t.lo[0] && s.lo[1] <= t.lo[1] && s.lo[2] <= t.lo[2] &&
		t.hi[0] <= s.hi[0] && t.hi[1] <= s.hi[1] && t.hi[2] <= s.hi[2]
}

// meets says whether the insides of two cuboids overlap; one without thickness meets what it cuts through.
func (s *space) meets(t *space) bool {
	return s.lo[0] < t.hi[0] && t.lo[0] < s.hi[0] && s.lo[1] < t.hi[1] && t.lo[1] < s.hi[1] &&
		s.lo[2] < t.hi[2] && t.lo[2] < s.hi[2]
}

// block is a [Block] in whole numbers.
type block struct {
	kind             int
	at, sides, along [3]int64
}

func (b *block) count() int64 { return b.along[0] * b.along[1] * b.along[2] }

// open is a box that is being packed, count times.
type open struct {
	box    int // in the job's order
	count  int64
	room   int64   // what goods may still be added by weight
	free   int64   // by volume, in coarse units
	spaces []space // maximal, without goods
	blocks []block
	loose  []Content // goods without sides
}

// contents are the goods in each box, by kind.
func (o *open) contents() (list []Content) {
	add := func(kind int, n int64) {
		at := slices.IndexFunc(list, func(c Content) bool { return c.Kind == kind })
		if at < 0 {
			list = append(list, Content{kind, n})
		} else {
			list[at].Count += n
		}
	}
	for i := range o.blocks {
		add(o.blocks[i].kind, o.blocks[i].count())
	}
	for _, c := range o.loose {
		add(c.Kind, c.Count)
	}
	return list
}

// begin is an empty box, with memory of one that is no longer needed.
func (j *job) begin(box int) (o open) {
	if n := len(j.spare); n > 0 {
		o, j.spare = j.spare[n-1], j.spare[:n-1]
	}
	b := &j.boxes[box]
	return open{box: box, count: 1, room: b.room, free: b.size,
		spaces: append(o.spaces[:0], space{hi: b.sides}), blocks: o.blocks[:0], loose: o.loose[:0]}
}

// clone is a copy that can be packed further by itself.
func (j *job) clone(o *open) open {
	c := j.begin(o.box)
	c.count, c.room, c.free = o.count, o.room, o.free
	c.spaces = append(c.spaces[:0], o.spaces...)
	c.blocks = append(c.blocks, o.blocks...)
	c.loose = append(c.loose, o.loose...)
	return c
}

// discard keeps the memory of boxes for others.
func (j *job) discard(list []open) {
	for i := range list {
		j.spare = append(j.spare, list[i])
		list[i] = open{}
	}
}

// rule says which of the places in which a unit fits is taken.
type rule uint8

// The rules. Each prefers the first turn of those that are equal.
const (
	lowest rule = iota // the lowest corner, then the one furthest back, then the one furthest left
	flat               // the lowest top, then the lowest corner
	snug               // the least that is left over on the tightest side, then the lowest corner
	rules
)

// put puts up to n units of a kind into a box and says how many went in: one by one, or as blocks as large as fit.
func (j *job) put(o *open, kindIndex int, n int64, by rule, blocks bool) (placed int64) {
	return j.putTurned(o, run{kind: kindIndex, count: n}, by, blocks)
}

// putTurned is put, with the units turned as the run wants where they fit so.
func (j *job) putTurned(o *open, r run, by rule, blocks bool) (placed int64) {
	k, n := &j.kinds[r.kind], r.count
	for placed < n {
		left := n - placed
		if k.weight > 0 {
			left = min(left, o.room/k.weight)
		}
		if left <= 0 || k.size > o.free {
			return placed
		}
		at, turn, ok := 0, [3]int64{}, false
		if r.turn > 0 {
			at, turn, ok = j.find(o, k.turns[r.turn-1:r.turn], by)
		}
		if !ok {
			at, turn, ok = j.find(o, k.turns, by)
		}
		if !ok {
			return placed
		}
		b := block{kind: r.kind, at: o.spaces[at].lo, sides: turn, along: [3]int64{1, 1, 1}}
		if blocks {
			b.along = grid(&o.spaces[at], turn, left)
		}
		j.add(o, &b, k)
		placed += b.count()
	}
	return placed
}

// grid is how many units go along each axis of a space: rows first, then layers, then upwards, none of them begun
// and not filled.
func grid(s *space, turn [3]int64, most int64) (along [3]int64) {
	for axis := range along {
		along[axis] = min(most, (s.hi[axis]-s.lo[axis])/turn[axis])
		most /= along[axis]
	}
	return along
}

// find is the space in which a unit is placed, and how it is turned; it lies at the space's lowest corner.
func (j *job) find(o *open, turns [][3]int64, by rule) (at int, turn [3]int64, ok bool) {
	var best [5]int64
	j.steps += int64(len(o.spaces)) * int64(len(turns))
	for i := range o.spaces {
		s := &o.spaces[i]
		lengths := [3]int64{s.hi[0] - s.lo[0], s.hi[1] - s.lo[1], s.hi[2] - s.lo[2]}
		for t, sides := range turns {
			if sides[0] > lengths[0] || sides[1] > lengths[1] || sides[2] > lengths[2] {
				continue
			}
			score := [5]int64{0, s.lo[2], s.lo[1], s.lo[0], int64(t)}
			switch by {
			case flat:
				score[0] = s.lo[2] + sides[2]
			case snug:
				score[0] = min(lengths[0]-sides[0], lengths[1]-sides[1], lengths[2]-sides[2])
			}
			if !ok || less(&score, &best) {
				at, turn, best, ok = i, sides, score, true
			}
		}
	}
	return at, turn, ok
}

func less(a, b *[5]int64) bool {
	for i := range a {
		if a[i] != b[i] {
			return a[i] < b[i]
		}
	}
	return false
}

// add places a block, and leaves the maximal spaces beside it.
func (j *job) add(o *open, b *block, k *kind) {
	n := b.count()
	o.blocks = append(o.blocks, *b)
	o.room -= n * k.weight
	o.free -= min(o.free, saturated(n, k.size))
	var full space
	for axis := range full.lo {
		full.lo[axis], full.hi[axis] = b.at[axis], b.at[axis]+b.sides[axis]*b.along[axis]
	}
	kept, parts := o.spaces[:0], j.scratch[:0]
	for i := range o.spaces {
		s := o.spaces[i]
		if !s.meets(&full) {
			kept = append(kept, s)
			continue
		}
		for axis := range full.lo {
			if part := s; s.lo[axis] < full.lo[axis] {
				part.hi[axis] = full.lo[axis]
				parts = j.keep(parts, &part)
			}
			if part := s; full.hi[axis] < s.hi[axis] {
				part.lo[axis] = full.hi[axis]
				parts = j.keep(parts, &part)
			}
		}
	}
	j.steps += int64(len(parts)) * int64(len(kept)+len(parts)) / 4
	for i := range parts {
		if !slices.ContainsFunc(kept, func(s space) bool { return s.holds(&parts[i]) }) {
			kept = append(kept, parts[i])
		}
	}
	o.spaces, j.scratch = kept, parts
}

// keep notes a part of a space, unless no unit fits into it or another part holds it; those that it holds are dropped.
func (j *job) keep(parts []space, part *space) []space {
	for axis := range part.lo {
		if part.hi[axis]-part.lo[axis] < j.least[axis] {
			return parts
		}
	}
	rest := parts[:0]
	for i := range parts {
		if parts[i].holds(part) {
			return parts
		}
		if !part.holds(&parts[i]) {
			rest = append(rest, parts[i])
		}
	}
	return append(rest, *part)
}

// saturated is a × b, or the largest number where that is too large.
func saturated(a, b int64) int64 {
	if a == 0 || b == 0 {
		return 0
	}
	if c := a * b; a < 1<<31 && b < 1<<31 || c/b == a && c > 0 {
		return c
	}
	return noLimit
}
