package packing

import (
	"cmp"
	"math/rand/v2"
	"slices"
)

// single packs everything into one box, the smallest in which that works.
func (j *job) single() (open, bool) {
	size, weight := j.totals()
	for b := range j.boxes {
		box := &j.boxes[b]
		if box.size < size || box.room < weight ||
			slices.ContainsFunc(j.kinds, func(k kind) bool { return !k.takes[b] }) {
			continue
		}
		var contents []Content
		for i := range j.kinds {
			contents = append(contents, Content{i, j.kinds[i].count})
		}
		if o, ok := j.all(b, contents, j.budget()); ok {
			return o, true
		}
	}
	return open{}, false
}

// all packs contents into one box of a kind, if that is found to work within so many steps.
func (j *job) all(box int, contents []Content, steps int64) (open, bool) {
	var sized []run
	for _, c := range contents {
		if j.kinds[c.Kind].solid() {
			sized = append(sized, run{kind: c.Kind, count: c.Count})
		}
	}
	with := func(o open) (open, bool) {
		for _, c := range contents {
			if !j.kinds[c.Kind].solid() {
				j.lean(&o, c.Kind, c.Count)
			}
		}
		return o, true
	}
	if len(sized) == 0 {
		return with(j.begin(box))
	}
	if len(sized) == 1 {
		if n := sized[0].count; j.most(box, sized[0].kind, n) == n {
			return with(j.some(box, sized[0].kind, n))
		}
		return open{}, false
	}
	units := int64(0)
	for _, r := range sized {
		units = min(noLimit, units+r.count)
	}
	until := j.steps + steps
	for order := range 3 {
		runs := j.arranged(sized, order)
		if runs == nil {
			continue
		}
		for by := range rules {
			for _, blocks := range []bool{true, false} {
				if !blocks && (units > singly || j.steps > until) {
					continue
				}
				if o, ok := j.fill(box, runs, by, blocks); ok {
					return with(o)
				}
			}
		}
	}
	if o, ok := j.tumble(box, sized, units, until); ok {
		return with(o)
	}
	return open{}, false
}

// tumble tries to fill a box with units in other orders and otherwise turned: always the same ones, many of few units.
func (j *job) tumble(box int, sized []run, units, until int64) (open, bool) {
	const few = 8
	tries := 60
	if units > few {
		size := int64(0)
		for _, r := range sized {
			size += saturated(r.count, j.kinds[r.kind].size)
		}
		if tries = 16; units > unitsCounted || size/17 >= j.boxes[box].size/20 { // more than 85 % full
			return open{}, false
		}
	}
	var runs []run
	for _, r := range sized {
		for range r.count {
			runs = append(runs, run{kind: r.kind, count: 1})
		}
	}
	random := rand.New(rand.NewPCG(uint64(units), uint64(box)))
	for try := range tries {
		if j.steps > until {
			break
		}
		if units <= few {
			random.Shuffle(len(runs), func(a, b int) { runs[a], runs[b] = runs[b], runs[a] })
		} else {
			a, b := random.IntN(len(runs)), random.IntN(len(runs))
			runs[a], runs[b] = runs[b], runs[a]
		}
		for i := range runs {
			runs[i].turn = random.IntN(1 + len(j.kinds[runs[i].kind].turns))
		}
		if o, ok := j.fill(box, runs, rule(try)%rules, false); ok {
			return o, true
		}
	}
	return open{}, false
}

// arranged are runs by falling volume (0), as they are, largest face (1) or longest side (2); nil where that is no
// other order.
func (j *job) arranged(runs []run, order int) []run {
	if order == 0 {
		return runs
	}
	sorted := slices.Clone(runs)
	slices.SortStableFunc(sorted, func(a, b run) int {
		x, y := &j.kinds[a.kind], &j.kinds[b.kind]
		if order == 1 {
			return cmp.Compare(saturated(y.turns[0][0], y.turns[0][1]), saturated(x.turns[0][0], x.turns[0][1]))
		}
		return cmp.Compare(max(y.sides[0], y.sides[2]), max(x.sides[0], x.sides[2]))
	})
	if slices.Equal(sorted, runs) {
		return nil
	}
	return sorted
}

// fill packs runs into one box; false where they do not all go in.
func (j *job) fill(box int, runs []run, by rule, blocks bool) (open, bool) {
	o := j.begin(box)
	for _, r := range runs {
		if j.putTurned(&o, r, by, blocks) < r.count {
			j.discard([]open{o})
			return open{}, false
		}
	}
	return o, true
}

// shrink exchanges each box for the smallest kind that is found to hold the same goods.
func (j *job) shrink(boxes []open) {
	for i := range boxes {
		o := &boxes[i]
		contents := o.contents()
		size, weight := int64(0), int64(0)
		for _, c := range contents {
			size = min(noLimit, size+saturated(c.Count, j.kinds[c.Kind].size))
			weight = min(noLimit, weight+saturated(c.Count, j.kinds[c.Kind].weight))
		}
		for b := range o.box {
			box := &j.boxes[b]
			if box.size < size || box.room < weight || j.steps > 2*j.budget() ||
				slices.ContainsFunc(contents, func(c Content) bool { return !j.kinds[c.Kind].takes[b] }) {
				continue
			}
			if smaller, ok := j.all(b, contents, j.budget()/16); ok {
				smaller.count = o.count
				j.discard([]open{*o})
				boxes[i] = smaller
				break
			}
		}
	}
}

// improve swaps units in the order in which they are packed, and turns some, while that may save a box: always the same
// ones.
func (j *job) improve(best *result, least int64) {
	var runs []run
	for i := range j.sized {
		for range j.kinds[i].count {
			runs = append(runs, run{kind: i, count: 1})
		}
	}
	random := rand.New(rand.NewPCG(uint64(len(runs)), uint64(least)))
	have := *best
	have.boxes = nil
	lightest := noLimit
	for tries := 0; tries < 12+3*len(runs) && best.count > least && j.steps < j.budget(); tries++ {
		next := slices.Clone(runs)
		for range 1 + tries%3 {
			a, b := random.IntN(len(next)), random.IntN(len(next))
			next[a], next[b] = next[b], next[a]
			if c := random.IntN(len(next)); random.IntN(2) == 0 {
				next[c].turn = random.IntN(1 + len(j.kinds[next[c].kind].turns))
			}
		}
		w := way{next, rule(tries) % rules, whole - opening(tries/3%2), false}
		boxes, ok := j.pack(&w, best, true)
		if !ok {
			continue
		}
		r, least := j.judged(boxes), j.lightest(boxes)
		if r.count < have.count || r.count == have.count && least <= lightest {
			have.count, lightest, runs = r.count, least, next
		}
		if r.count < best.count {
			j.shrink(r.boxes)
			j.discard(best.boxes)
			*best = j.judged(r.boxes)
			continue
		}
		j.discard(boxes)
	}
}

// lightest is the volume of the goods in the box that has least of it: where that falls, the box may soon be empty.
func (j *job) lightest(boxes []open) int64 {
	least := noLimit
	for i := range boxes {
		least = min(least, j.boxes[boxes[i].box].size-boxes[i].free)
	}
	return least
}
