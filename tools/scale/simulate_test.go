package main

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
)

// mean is the mean of all waits.
func mean(o *outcome) float64 {
	sum := 0.0
	for _, w := range o.waits {
		sum += w
	}
	return sum / float64(len(o.waits))
}

// TestOneNodeWaitsAsPollaczekAndKhinchineSay compares one core with the mean wait of M/G/1: λ·E[S²] / (2·(1−ρ)), for equal and
// for exponential times of service (L. Kleinrock, Queueing Systems I, 1975, 5.6; from memory).
func TestOneNodeWaitsAsPollaczekAndKhinchineSay(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	drawn := make([]float64, 20_000)
	for i := range drawn {
		drawn[i] = r.ExpFloat64()
	}
	for name, service := range map[string][]float64{"equal": {1}, "exponential": drawn} {
		for _, busy := range []float64{0.3, 0.6, 0.8} {
			first, second := 0.0, 0.0
			for _, s := range service {
				first += s / float64(len(service))
				second += s * s / float64(len(service))
			}
			rate := busy / first
			o := simulate(farm{nodes: 1, cores: 1, rate: rate, service: service, length: 400_000, random: r})
			want := first + rate*second/(2*(1-busy))
			require.InEpsilonf(t, want, mean(o), 0.05, "%s, %.1f busy", name, busy)
			require.InDelta(t, busy, o.busiest, 0.02)
			require.Zero(t, o.failed+o.retried)
		}
	}
}

// TestCoresOfANodeWaitAsErlangSays compares M/M/c with Erlang's C formula (A. K. Erlang, 1917; ITU-T handbook Teletraffic
// Engineering, 9.2; from memory).
func TestCoresOfANodeWaitAsErlangSays(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	service := make([]float64, 50_000)
	sum := 0.0
	for i := range service {
		service[i] = r.ExpFloat64()
		sum += service[i]
	}
	first := sum / float64(len(service))
	for _, c := range []int{2, 4, 8} {
		offered := 0.7 * float64(c)
		b := 1.0 // Erlang B, by its recursion
		for n := 1; n <= c; n++ {
			b = offered * b / (float64(n) + offered*b)
		}
		waits := b / (1 - 0.7*(1-b))
		want := first + waits*first/(float64(c)-offered)
		o := simulate(farm{nodes: 1, cores: c, rate: offered / first, service: service, length: 200_000, random: r})
		require.InEpsilonf(t, want, mean(o), 0.05, "%d cores", c)
	}
}

// TestEveryRequestIsAnsweredOnceOrFails draws farms with failures and counts.
func TestEveryRequestIsAnsweredOnceOrFails(t *testing.T) {
	for seed := range uint64(40) {
		r := rand.New(rand.NewPCG(seed, 5))
		nodes := 2 + r.IntN(5)
		f := farm{
			nodes:    nodes,
			cores:    1 + r.IntN(2),
			service:  []float64{0.001, 0.002, 0.01},
			length:   20,
			connect:  0.1,
			check:    1,
			random:   r,
			failures: []failure{{nodes: 1 + r.IntN(nodes), at: 5, until: 12, host: r.IntN(2) == 0}},
		}
		f.rate = 0.4 * float64(f.nodes*f.cores) / 0.00433
		o := simulate(f)
		asked := len(o.waits) + o.failed
		require.InDelta(t, f.rate*f.length, asked, 6*math.Sqrt(f.rate*f.length), "as many as came")
		if f.failures[0].nodes < nodes {
			require.Lessf(t, float64(o.failed), 0.02*float64(asked), "%d of %d nodes ended", f.failures[0].nodes, nodes)
			continue
		}
		require.Positive(t, o.failed, "all nodes had ended")
	}
}

// TestALoadAboveWhatANodeServesNeverEnds has waits grow with the length of the load.
func TestALoadAboveWhatANodeServesNeverEnds(t *testing.T) {
	waits := func(length float64) float64 {
		o := simulate(
			farm{
				nodes:   2,
				cores:   1,
				rate:    2.4,
				service: []float64{1},
				length:  length,
				random:  rand.New(rand.NewPCG(6, 7)),
			},
		)
		return o.waits[len(o.waits)-1]
	}
	require.Greater(t, waits(2000), 1.6*waits(1000))
}
