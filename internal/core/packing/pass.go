package packing

import "slices"

// passing is a way under way.
type passing struct {
	*job
	*way
	boxes         []open
	count, most   int64
	until         int64 // steps
	sizes, weight int64 // of what is still to be packed
}

// run packs units of a kind: first into the boxes that are open, then into new ones.
func (p *passing) run(r run) bool {
	left := r.count
	from := 0
	if len(p.kinds) > manyKinds {
		from = max(0, len(p.boxes)-lookBack)
	}
	for i := from; i < len(p.boxes) && left > 0; i++ {
		left, i = p.into(i, run{r.kind, left, r.turn})
	}
	for left > 0 {
		o := p.begin(p.which(r.kind))
		per := p.putTurned(&o, run{r.kind, left, r.turn}, p.by, p.blocks)
		o.count = max(1, left/max(per, 1))
		left -= per * o.count
		p.count += o.count
		p.boxes = append(p.boxes, o)
		if per == 0 || p.count > p.most || p.steps > p.until {
			return false
		}
	}
	p.used(r)
	return true
}

// used notes that goods are packed.
func (p *passing) used(r run) {
	k := &p.kinds[r.kind]
	p.sizes = max(0, p.sizes-saturated(r.count, k.size))
	p.weight = max(0, p.weight-saturated(r.count, k.weight))
}

// into packs units of a kind into the i-th of the open boxes, alike as they are; it gives what is left of them, and
// the last of the boxes that came of it.
func (p *passing) into(i int, r run) (rest int64, last int) {
	o, k, left := &p.boxes[i], &p.kinds[r.kind], r.count
	if k.weight > o.room || k.size > o.free || len(o.spaces) == 0 {
		return left, i
	}
	if o.count == 1 {
		return left - p.putTurned(o, r, p.by, p.blocks), i
	}
	packed := p.clone(o)
	per := p.putTurned(&packed, r, p.by, p.blocks)
	if per == 0 {
		p.discard([]open{packed})
		return left, i
	}
	alike := min(left/per, o.count)
	packed.count, o.count = alike, o.count-alike
	left -= alike * per
	more := []open{packed}
	if left > 0 && o.count > 0 { // for fewer than go into one: one box gets them
		one := p.clone(o)
		one.count = 1
		o.count--
		left -= p.putTurned(&one, run{r.kind, left, r.turn}, p.by, p.blocks)
		more = append(more, one)
	}
	if o.count == 0 {
		p.boxes = slices.Delete(p.boxes, i, i+1)
	}
	p.boxes = slices.Insert(p.boxes, i, more...)
	return left, i + len(more) - 1
}

// which is the kind of box that is opened for a unit.
func (p *passing) which(kind int) int {
	takes := p.kinds[kind].takes
	last := -1
	for i, t := range takes {
		if !t {
			continue
		}
		if p.opening == smallest ||
			p.opening == whole && p.job.boxes[i].size >= p.sizes && p.job.boxes[i].room >= p.weight {
			return i
		}
		last = i
	}
	return last
}

// loose adds units that take no room: to the boxes that are open, as they can bear them, then to new ones.
func (p *passing) loose(kind int) bool {
	k := &p.kinds[kind]
	left := k.count
	for i := 0; i < len(p.boxes) && left > 0; i++ {
		o := &p.boxes[i]
		per := k.bears(o.room, left)
		if per == 0 || !k.takes[o.box] {
			continue
		}
		alike := min(left/per, o.count)
		if alike < o.count {
			rest := p.clone(o)
			rest.count = o.count - alike
			p.boxes = slices.Insert(p.boxes, i+1, rest)
			o = &p.boxes[i]
			o.count = alike
		}
		p.lean(o, kind, per)
		left -= per * alike
	}
	for left > 0 {
		o := p.begin(p.which(kind))
		per := k.bears(o.room, left)
		p.lean(&o, kind, per)
		o.count = left / per
		left -= per * o.count
		p.count += o.count
		p.boxes = append(p.boxes, o)
		if p.count > p.most {
			return false
		}
	}
	p.used(run{kind: kind, count: k.count})
	return true
}

// bears is how many of up to n units a box may hold that has so much room by weight.
func (k *kind) bears(room, n int64) int64 {
	if k.weight > 0 {
		n = min(n, room/k.weight)
	}
	return n
}

// lean adds units that take no room to a box that takes them: flat ones against a wall, where nothing can overlap them.
func (j *job) lean(o *open, kindIndex int, n int64) {
	k := &j.kinds[kindIndex]
	o.room -= n * k.weight
	if !k.flat {
		o.loose = append(o.loose, Content{kindIndex, n})
		return
	}
	walls := &j.boxes[o.box].sides
	for _, t := range k.turns {
		if t[0] <= walls[0] && t[1] <= walls[1] && t[2] <= walls[2] {
			b := block{kind: kindIndex, sides: t, along: [3]int64{1, 1, 1}}
			b.along[slices.Index(t[:], 0)] = n
			o.blocks = append(o.blocks, b)
			return
		}
	}
}
