package packing

import (
	"cmp"
	"slices"

	"diadrom/internal/core/decimal"
)

// Split divides goods among parcels by weight alone, each of at most limit: the heaviest unit first, into the first
// parcel with room. A unit that is heavier than that is a parcel by itself. Kinds and contents are as [Packer.Pack]
// gives them; the parcels have no box and no blocks.
func Split(goods []Goods, limit decimal.Decimal) *Packing {
	weights := newScale(maxWeight)
	for i := range goods {
		weights.see(goods[i].Weight, true)
	}
	weights.see(limit, false)
	most := weights.down(limit)
	order := make([]int, len(goods))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return goods[b].Weight.Cmp(goods[a].Weight) })
	out := &Packing{}
	s := splitting{limit: most}
	for _, i := range order {
		weight := weights.up(goods[i].Weight)
		if n := len(out.Kinds); n > 0 && goods[out.Kinds[n-1][0]].Weight.Cmp(goods[i].Weight) == 0 {
			out.Kinds[n-1] = append(out.Kinds[n-1], i)
		} else {
			out.Kinds = append(out.Kinds, []int{i})
		}
		s.add(len(out.Kinds)-1, weight, goods[i].Count)
	}
	slices.SortStableFunc(s.parcels, func(a, b part) int { return cmp.Compare(b.weight, a.weight) })
	for i := range s.parcels {
		p := &s.parcels[i]
		out.Parcels = append(out.Parcels, Parcel{Box: -1, Count: p.count, Contents: p.contents})
	}
	return out
}

// splitting is goods being divided; parcels that are alike are one part.
type splitting struct {
	limit   int64
	parcels []part
	full    int // before that parcel none has room any more
}

type part struct {
	count, weight int64
	contents      []Content
}

func (p *part) with(kind int, weight, n int64) part {
	more := part{p.count, p.weight + weight*n, slices.Clone(p.contents)}
	if last := len(more.contents) - 1; last >= 0 && more.contents[last].Kind == kind {
		more.contents[last].Count += n
	} else {
		more.contents = append(more.contents, Content{kind, n})
	}
	return more
}

// add divides units of one weight, which is not above that of those before.
func (s *splitting) add(kind int, weight, left int64) {
	for s.full < len(s.parcels) && s.parcels[s.full].weight >= s.limit && weight > 0 {
		s.full++
	}
	for i := s.full; i < len(s.parcels) && left > 0; i++ {
		p := &s.parcels[i]
		per := s.room(p.weight, weight, left)
		if per == 0 {
			continue
		}
		alike := min(left/per, p.count)
		more := p.with(kind, weight, per)
		more.count = alike
		left -= alike * per
		if alike == p.count {
			s.parcels[i] = more
			continue
		}
		parts := []part{more}
		if left > 0 { // fewer than go into one
			one := p.with(kind, weight, left)
			one.count, left = 1, 0
			parts = append(parts, one)
		}
		if p.count -= alike + int64(len(parts)-1); p.count > 0 {
			parts = append(parts, *p)
		}
		s.parcels = slices.Replace(s.parcels, i, i+1, parts...)
	}
	for left > 0 {
		per := max(1, s.room(0, weight, left))
		p := (&part{}).with(kind, weight, per)
		p.count = left / per
		left -= p.count * per
		s.parcels = append(s.parcels, p)
	}
}

// room is how many more units of a weight a parcel may have, of up to n.
func (s *splitting) room(has, weight, n int64) int64 {
	if has > s.limit {
		return 0
	}
	if weight > 0 {
		n = min(n, (s.limit-has)/weight)
	}
	return n
}
