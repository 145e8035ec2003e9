package packing

import (
	"fmt"
	"math/big"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestSplitByWeight(t *testing.T) {
	for _, tt := range []struct {
		name  string
		limit string
		in    []Goods
		want  []string
	}{
		{"all in one", "30", []Goods{goods("", "", "", "10", 3)}, []string{"1 × 30"}},
		{"up to and including the limit", "30", []Goods{goods("", "", "", "10", 4)}, []string{"1 × 30", "1 × 10"}},
		{"the heaviest first, then what has room", "10",
			[]Goods{goods("", "", "", "3", 2), goods("", "", "", "7", 2)}, []string{"2 × 10"}},
		{"too heavy by itself", "10", []Goods{goods("", "", "", "12", 2), goods("", "", "", "0", 5)},
			[]string{"2 × 12", "1 × 0"}},
		{"a million parcels", "1", []Goods{goods("", "", "", "0.6", 1000000), goods("", "", "", "0.4", 1)},
			[]string{"1 × 1", "999999 × 0.6"}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			var have []string
			out := Split(tt.in, num(tt.limit))
			for _, p := range out.Parcels {
				weight := new(big.Rat)
				for _, c := range p.Contents {
					each := rat(tt.in[out.Kinds[c.Kind][0]].Weight)
					weight.Add(weight, new(big.Rat).Mul(each, new(big.Rat).SetInt64(c.Count)))
				}
				f, _ := weight.Float64()
				have = append(have, fmt.Sprintf("%d × %v", p.Count, f))
			}
			assert.Equal(t, tt.want, have)
		})
	}
}

// TestSplitIsFirstFit compares with units that are taken one by one.
func TestSplitIsFirstFit(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		limit := rapid.IntRange(1, 60).Draw(t, "limit")
		var in []Goods
		var units []int
		for range rapid.IntRange(1, 6).Draw(t, "goods") {
			w, n := rapid.IntRange(0, 70).Draw(t, "weight"), rapid.IntRange(1, 20).Draw(t, "n")
			in = append(in, goods("", "", "", fmt.Sprint(w), int64(n)))
			for range n {
				units = append(units, w)
			}
		}
		slices.SortFunc(units, func(a, b int) int { return b - a })
		var parcels []int
	units:
		for _, w := range units {
			for i := range parcels {
				if parcels[i]+w <= limit {
					parcels[i] += w
					continue units
				}
			}
			parcels = append(parcels, w)
		}
		out := Split(in, num(fmt.Sprint(limit)))
		if out.Boxes() > int64(len(parcels)) {
			t.Fatalf("%d parcels, first fit takes %d", out.Boxes(), len(parcels))
		}
		owed := make([]int64, len(out.Kinds))
		for kind, list := range out.Kinds {
			for _, g := range list {
				owed[kind] += in[g].Count
			}
		}
		for _, p := range out.Parcels {
			weight := int64(0)
			for _, c := range p.Contents {
				owed[c.Kind] -= c.Count * p.Count
				weight += c.Count * rat(in[out.Kinds[c.Kind][0]].Weight).Num().Int64()
			}
			if weight > int64(limit) && (len(p.Contents) > 1 || p.Contents[0].Count > 1) {
				t.Fatalf("a parcel of %d, limit %d", weight, limit)
			}
		}
		for kind, n := range owed {
			if n != 0 {
				t.Fatalf("of kind %d %d units are left over", kind, n)
			}
		}
	})
}
