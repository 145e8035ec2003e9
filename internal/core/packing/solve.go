package packing

import (
	"cmp"
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
