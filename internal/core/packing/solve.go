package packing

import (
	"cmp"
	"math/rand/v2"
	"slices"
)

// run is some units of a kind that are packed one after another.
type run struct {
	kind  int
	count int64
	turn  int // of the kind's turns the one that is tried first, from 1; 0 for none
}

// opening says which kind of box is opened for a unit for which no open box has room.
type opening uint8

const (
	smallest opening = iota // that takes the unit
	largest                 // that takes the unit
	whole                   // the smallest that may take all that is left, else the largest
)

// way is one way to pack everything.
type way struct {
	runs    []run
	by      rule
	opening opening
	blocks  bool
}

// Effort, in steps: a look at a turn of a unit in a free space, or about as much work. On the machine that the tests
// run on, a thousand of them take about 17 µs.
const (
	stepsOfCart = 120_000 // of any cart
	stepsOfUnit = 18_000  // more for each of its units, the first unitsCounted of them
)

const (
	unitsCounted = 60
	// singly is up to how many units are packed one by one too; more only as blocks.
	singly = 250
	// lookBack is how many open boxes are tried for a kind of goods of a cart with very many kinds.
	lookBack = 64
	// manyKinds is from how many kinds on a cart has very many.
	manyKinds = 300
)

func (j *job) budget() int64 { return stepsOfCart + stepsOfUnit*min(j.units, unitsCounted) }

// solve packs all goods into boxes, as few and as small as it finds.
func (j *job) solve() []open {
	if len(j.kinds) == 0 {
		return nil
	}
	least := j.bound()
	if least == 1 {
		if one, ok := j.single(); ok {
			return []open{one}
		}
	}
	if len(j.kinds) == 1 {
		return j.alike()
	}
	best := j.best(least)
	if len(best.boxes) > 0 && best.count > least && j.units <= singly && j.units > 1 {
		j.improve(&best, least)
	}
	return best.boxes
}

// result is a packing with what it is judged by.
type result struct {
	boxes []open
	count int64
	size  int64 // of the boxes together, in coarse units
}

func (r *result) better(s *result) bool {
	return cmp.Or(cmp.Compare(r.count, s.count), cmp.Compare(r.size, s.size)) < 0
}

func (j *job) judged(boxes []open) (r result) {
	r.boxes = boxes
	for i := range boxes {
		r.count += boxes[i].count
		r.size = min(noLimit, r.size+saturated(boxes[i].count, j.boxes[boxes[i].box].size))
	}
	return r
}

// orders are those in which goods are packed: by falling volume, largest face, longest side and weight.
func (j *job) orders() [][]run {
	byVolume := make([]run, j.sized)
	for i := range byVolume {
		byVolume[i] = run{kind: i, count: j.kinds[i].count}
	}
	orders := [][]run{byVolume}
	for _, of := range []func(k *kind) int64{
		func(k *kind) int64 { return saturated(k.turns[0][0], k.turns[0][1]) },
		func(k *kind) int64 { return max(k.sides[0], k.sides[1], k.sides[2]) },
		func(k *kind) int64 { return k.weight },
	} {
		order := slices.Clone(byVolume)
		slices.SortStableFunc(order, func(a, b run) int {
			return cmp.Compare(of(&j.kinds[b.kind]), of(&j.kinds[a.kind]))
		})
		if !slices.ContainsFunc(orders, func(o []run) bool { return slices.Equal(o, order) }) {
			orders = append(orders, order)
		}
	}
	return orders
}

// best tries the plain ways first, then others while there is hope and effort left.
func (j *job) best(least int64) (best result) {
	ways := j.ways()
	for i := range ways {
		w := &ways[i]
		if i >= plainWays && j.steps > j.budget() {
			break
		}
		boxes, ok := j.pack(w, &best, i >= plainWays)
		if !ok {
			continue
		}
		j.shrink(boxes)
		r := j.judged(boxes)
		if best.boxes == nil || r.better(&best) {
			j.discard(best.boxes)
			best = r
		} else {
			j.discard(boxes)
		}
		if best.count == least && i >= plainWays-1 && (i >= enough || j.smallestOnly(&best)) {
			break
		}
	}
	return best
}

// plainWays is how many ways are tried in any case; enough after how many a packing with the fewest boxes that can be
// is not made smaller any more.
const (
	plainWays = 2
	enough    = 8
)

// smallestOnly says whether all boxes are of the smallest kind.
func (j *job) smallestOnly(r *result) bool {
	return !slices.ContainsFunc(r.boxes, func(o open) bool { return o.box > 0 })
}

// ways lists them, those first that are tried in any case.
func (j *job) ways() (list []way) {
	orders := j.orders()
	blocks := j.units > singly
	seen := func(opening opening, by rule, order int) bool { return opening != whole && by == lowest && order == 0 }
	list = append(list, way{orders[0], lowest, largest, blocks}, way{orders[0], lowest, smallest, blocks})
	for order, runs := range orders {
		for by := range rules {
			for _, o := range []opening{whole, smallest, largest} {
				if seen(o, by, order) {
					continue
				}
				list = append(list, way{runs, by, o, blocks || by == flat})
			}
		}
	}
	return list
}

// pack packs all goods one way; false where that takes more boxes than the best so far or, where it is bounded, too
// long.
func (j *job) pack(w *way, best *result, bounded bool) (boxes []open, ok bool) {
	p := passing{job: j, way: w, most: noLimit, until: noLimit}
	if bounded {
		p.until = 2 * j.budget()
	}
	if best.boxes != nil {
		p.most = best.count
	}
	p.sizes, p.weight = j.totals()
	ok = true
	for _, r := range w.runs {
		if ok = p.run(r); !ok {
			break
		}
	}
	for i := j.sized; ok && i < len(j.kinds); i++ {
		ok = p.loose(i)
	}
	if !ok {
		j.discard(p.boxes)
		return nil, false
	}
	return p.boxes, true
}

// totals are the volume and the weight of all goods.
func (j *job) totals() (size, weight int64) {
	for i := range j.kinds {
		k := &j.kinds[i]
		size = min(noLimit, size+saturated(k.count, k.size))
		weight = min(noLimit, weight+saturated(k.count, k.weight))
	}
	return size, weight
}

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
