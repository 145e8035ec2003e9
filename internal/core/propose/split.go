package propose

import "math"

// group is the orders of one measure.
type group struct {
	n     float64 // how many
	sum   float64 // of their costs, less the mean of all orders' each
	sumSq float64 // of the squares of the same
}

// piece is a range of means over which one beginning of the last row is best.
type piece struct {
	from, to float64
	begin    int // index of the row's first group
}

// splitter finds the rows of least squares. Orders lie by their measure, while it is their costs that are compared, and
// these need not grow with the measure: the splits that are best for the first orders are not monotone in their number,
// and a division by halves would miss the best. What is exact for costs in any order is functional pruning (Rigaill,
// Pruned dynamic programming for optimal multiple change-point detection, 2010): for the mean that the last row may
// have, only the beginning that is best for some mean is kept. The difference between two beginnings is the same
// parabola for ever, so that a beginning which is best for no mean never is again. Its time is O(K·n·p), where p is how
// many beginnings are left: in a list of costs it stays at some tens; O(K·n²) at worst.
type splitter struct {
	n, sum, sumSq []float64 // of the groups before each, by compensated addition
	least, most   float64   // means that a row may have
}

func newSplitter(groups []group) *splitter {
	s := &splitter{n: prefix(groups, func(g *group) float64 { return g.n }),
		sum:   prefix(groups, func(g *group) float64 { return g.sum }),
		sumSq: prefix(groups, func(g *group) float64 { return g.sumSq }),
		least: math.Inf(1), most: math.Inf(-1)}
	for i := range groups {
		mean := groups[i].sum / groups[i].n
		s.least, s.most = min(s.least, mean), max(s.most, mean)
	}
	return s
}

// prefix adds up what groups have (Neumaier's variant of Kahan's summation), so that each sum is right to its last
// place however many there are.
func prefix(groups []group, of func(*group) float64) []float64 {
	out := make([]float64, len(groups)+1)
	sum, lost := 0.0, 0.0
	for i := range groups {
		x := of(&groups[i])
		t := sum + x
		if math.Abs(sum) >= math.Abs(x) {
			lost += sum - t + x
		} else {
			lost += x - t + sum
		}
		sum = t
		out[i+1] = sum + lost
	}
	return out
}

// squares is the sum of squared differences from their mean of the costs of the groups from i up to but without j.
func (s *splitter) squares(i, j int) float64 {
	sum := s.sum[j] - s.sum[i]
	return max(0, s.sumSq[j]-s.sumSq[i]-sum*sum/(s.n[j]-s.n[i]))
}

// split gives the indexes of the first groups of at most k rows, and of no more than are needed for the least squares.
func (s *splitter) split(k int) []int {
	d := len(s.n) - 1
	k = min(k, d)
	best := make([]float64, d+1) // with one row
	for j := 1; j <= d; j++ {
		best[j] = s.squares(0, j)
	}
	begins := make([][]int32, k+1)
	ends := []float64{math.Inf(1), best[d]}
	for row := 2; row <= k; row++ {
		next := make([]float64, d+1)
		begins[row] = make([]int32, d+1)
		s.layer(row, best, next, begins[row])
		best = next
		ends = append(ends, best[d])
	}
	rows := k
	small := 1e-12 * s.squares(0, d)
	for rows > 1 && ends[rows-1] <= ends[k]+small {
		rows--
	}
	first := make([]int, rows)
	for j, row := d, rows; row > 1; row-- {
		j = int(begins[row][j])
		first[row-1] = j
	}
	return first
}

// layer finds the least squares with one row more: next of the groups before each j, and where its last row begins.
func (s *splitter) layer(row int, best, next []float64, begins []int32) {
	d := len(next) - 1
	var pieces, kept []piece
	for j := range next {
		next[j] = math.Inf(1)
	}
	for j := row; j <= d; j++ {
		// The last row may begin with the group before j.
		begin := j - 1
		kept = kept[:0]
		if len(pieces) == 0 {
			kept = append(kept, piece{s.least, s.most, begin})
		}
		for _, p := range pieces {
			lo, hi, below := s.below(p.begin, begin, best[begin]-best[p.begin])
			lo, hi = max(lo, p.from), min(hi, p.to)
			if !below || lo > hi {
				kept = join(kept, piece{p.from, p.to, begin})
				continue
			}
			if p.from < lo {
				kept = join(kept, piece{p.from, lo, begin})
			}
			kept = join(kept, piece{lo, hi, p.begin})
			if hi < p.to {
				kept = join(kept, piece{hi, p.to, begin})
			}
		}
		pieces, kept = kept, pieces
		for _, p := range pieces {
			n, sum := s.n[j]-s.n[p.begin], s.sum[j]-s.sum[p.begin]
			mean := min(max(sum/n, p.from), p.to)
			value := best[p.begin] + s.sumSq[j] - s.sumSq[p.begin] + mean*(n*mean-2*sum)
			if value < next[j] {
				next[j], begins[j] = value, int32(p.begin)
			}
		}
		next[j] = best[begins[j]] + s.squares(int(begins[j]), j)
	}
}

// below gives the means for which the groups from i up to but without j are closer than a bound.
func (s *splitter) below(i, j int, bound float64) (from, to float64, ok bool) {
	n, sum := s.n[j]-s.n[i], s.sum[j]-s.sum[i]
	mean := sum / n
	rest := bound - (s.sumSq[j] - s.sumSq[i] - sum*mean)
	if rest < 0 {
		return 0, 0, false
	}
	half := math.Sqrt(rest / n)
	return mean - half, mean + half, true
}

// join adds a piece behind others; one with the same beginning as the last becomes part of it.
func join(list []piece, p piece) []piece {
	if n := len(list); n > 0 && list[n-1].begin == p.begin {
		list[n-1].to = p.to
		return list
	}
	return append(list, p)
}
