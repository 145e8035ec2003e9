package packing

import (
	"fmt"
	"math/rand/v2"
	"testing"
)

// cart draws units of a shop's goods.
func cart(units int, seed uint64) (in []Goods) {
	r := rand.New(rand.NewPCG(seed, 7))
	for range units {
		in = append(in, goods(fmt.Sprint(5+r.IntN(25)), fmt.Sprint(4+r.IntN(15)), fmt.Sprint(2+r.IntN(12)),
			fmt.Sprintf("0.%d", 1+r.IntN(9)), 1))
	}
	return in
}

var benchBoxes = []Box{box("20", "15", "10"), box("30", "25", "15"), box("40", "30", "25"), box("60", "40", "40")}

func BenchmarkPack(b *testing.B) {
	for _, units := range []int{1, 5, 10, 20, 60, 200} {
		b.Run(fmt.Sprint(units), func(b *testing.B) {
			p := New(benchBoxes, nil)
			carts := make([][]Goods, 20)
			for i := range carts {
				carts[i] = cart(units, uint64(i))
			}
			var steps, boxes int64
			for i := 0; b.Loop(); i++ {
				out := p.Pack(carts[i%20])
				steps, boxes = steps+out.Steps, boxes+out.Boxes()
			}
			b.ReportMetric(float64(steps)/float64(b.N), "steps/op")
			b.ReportMetric(float64(boxes)/float64(b.N), "boxes/op")
		})
	}
}
