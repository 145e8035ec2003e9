package packing

import "slices"

// bound is a number of boxes below which no packing can be: by volume, by weight, and by units of which no two go
// into one box.
func (j *job) bound() int64 {
	size, weight := j.totals()
	var largest, strongest int64
	for i := range j.boxes {
		largest, strongest = max(largest, j.boxes[i].size), max(strongest, j.boxes[i].room)
	}
	least := int64(1)
	if largest > 0 && size < noLimit {
		least = max(least, (size-1)/largest+1)
	}
	if strongest > 0 && strongest < noLimit && weight < noLimit {
		least = max(least, (weight-1)/strongest+1)
	}
	return max(least, j.apart())
}

// apart counts units of which each needs a box of its own: no two of them go into one.
func (j *job) apart() (n int64) {
	var chosen []int
	for i := range min(len(j.kinds), manyKinds) {
		ok := !slices.ContainsFunc(chosen, func(c int) bool { return j.together(c, i) })
		if !ok {
			continue
		}
		if j.together(i, i) {
			if len(chosen) == 0 {
				chosen, n = []int{i}, 1
			}
			continue
		}
		chosen = append(chosen, i)
		n += j.kinds[i].count
	}
	return n
}

// together says whether one box takes a unit of each of two kinds: two cuboids lie apart along some axis.
func (j *job) together(a, b int) bool {
	x, y := &j.kinds[a], &j.kinds[b]
	for i := range j.boxes {
		box := &j.boxes[i]
		if !x.takes[i] || !y.takes[i] || x.weight+y.weight > box.room {
			continue
		}
		if !x.solid() || !y.solid() {
			return true
		}
		for _, s := range x.turns {
			for _, t := range y.turns {
				for axis := range s {
					sides := [3]int64{max(s[0], t[0]), max(s[1], t[1]), max(s[2], t[2])}
					sides[axis] = s[axis] + t[axis]
					if sides[0] <= box.sides[0] && sides[1] <= box.sides[1] && sides[2] <= box.sides[2] {
						return true
					}
				}
			}
		}
	}
	return false
}
