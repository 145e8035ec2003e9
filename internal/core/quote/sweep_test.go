package quote

import (
	"strings"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var sweeps = []rate.By{rate.ByQuantity, rate.ByWeight, rate.BySubtotal}

// steps is a shop whose prices only change at breaks, of three measures.
const steps = `"needs":{"weight":{"to":"20"}},"free":{"subtotal":"120.00"},"tables":[{"id":"t","zones":["fi"],
		"by":"weight","edges":"up_to","rows":[{"at":"2","charges":["6.90"]},{"at":"10","charges":["9.90"]},{"at":null,
		"charges":["14.00"]}]}]`

func TestASweepTestsEachBreakUnderOnAndOver(t *testing.T) {
	e := compiled(t, []byte(shopWith(steps, "")))
	q := read(t, e, goods(`"price":"100","weight":"1.5","quantity":1`)+"}")
	said := func(by rate.By) string {
		var b strings.Builder
		for _, s := range e.Sweep(q, by) {
			b.WriteString([]string{"<", "=", ">"}[s.Side+1] + s.Break.String() + " " + s.At.String() + ": ")
			if len(s.Answer.Options) > 0 {
				b.WriteString(s.Answer.Options[0].Charge)
			} else {
				b.WriteString(s.Answer.Refused[0].Code)
			}
			b.WriteString("; ")
		}
		return b.String()
	}
	assert.Equal(
		t,
		"<2 1.999: 6.90; =2 2: 6.90; >2 2.001: 9.90; <10 9.999: 9.90; =10 10: 9.90; >10 10.001: 14.00; <20 19.999: "+
			"14.00; =20 20: 14.00; >20 20.001: needs; ",
		said(rate.ByWeight),
	)
	assert.Equal(t, "<120 119.99: 6.90; =120 120: 0.00; >120 120.01: 0.00; ", said(rate.BySubtotal))
	// 2 kg lies between one and two of 1.5 kg, 10 between six and seven, 20 between thirteen and fourteen;
	// 120.00 between one and two.
	assert.Equal(
		t,
		"<1 1: 6.90; >1 2: 0.00; <6 6: 0.00; >6 7: 0.00; <13 13: 0.00; >13 14: needs; ",
		said(rate.ByQuantity),
	)
	q = read(t, e, goods(`"price":"40","weight":"0.5","quantity":1`)+"}")
	assert.Equal(
		t,
		"<3 2: 6.90; =3 3: 0.00; =4 4: 0.00; >4 5: 0.00; <20 19: 0.00; =20 20: 0.00; >20 21: 0.00; <40 39: 0.00; "+
			"=40 40: 0.00; >40 41: needs; ",
		said(rate.ByQuantity),
	)
	assert.Empty(t, e.Sweep(&Request{}, rate.ByQuantity))
}

func TestASweepEqualsThePlainEvaluation(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		file, request := drawStore(t), drawRequest(t)
		delete(request, "costs") // a sweep is of what buyers pay
		e := engineOf(t, file)
		requests, _, faults := e.ReadRequest(encode(t, request))
		require.Empty(t, faults)
		by := rapid.SampledFrom(sweeps).Draw(t, "by")
		swept := e.Sweep(&requests[0], by)
		for i, s := range swept {
			require.True(t, i == 0 || swept[i-1].At.Less(s.At), "ascending, each once")
			lines, ok := e.sweptLines(&requests[0], by, s.At)
			require.True(t, ok)
			p := lines[0].Product
			if lines[0].Quantity > 400 {
				continue // the plain evaluation takes unit by unit
			}
			line := obj{
				"price":          p.Price.String(),
				"weight":         "",
				"class":          p.Class,
				"quantity":       float64(lines[0].Quantity),
				"needs_shipping": true,
				"ships_free":     p.ShipsFree,
				"own_parcel":     p.OwnParcel,
				"upright":        p.Upright,
				"from":           p.From,
			}
			for name, side := range map[string]*decimal.Decimal{"weight": p.Weight, "length": p.Length,
				"width": p.Width, "height": p.Height} {
				if line[name] = ""; side != nil {
					line[name] = side.String()
				}
			}
			if p.Weight == nil {
				line["weight"] = "0" // no drawn store assumes one
			}
			asked := obj{"lines": []any{line}}
			for _, name := range []string{"at", "to", "coupons", "group", "customer"} {
				if request[name] != nil {
					asked[name] = request[name]
				}
			}
			said := func(method string, all bool) []Parcel { return parcelsOf(t, e, asked, method, all) }
			want := plainQuote(file, asked, plainOutside{carrier: plainCarrier{fails: true}}, said)
			have := map[string]plainOption{}
			for _, o := range s.Answer.Options {
				have[o.Method] = asPlain(&o)
			}
			require.Equal(t, want.options, have)
		}
	})
}

// Where prices go by steps, what a sweep shows is all there is: anything else costs what its nearest point from
// below costs.
func TestNothingChangesBetweenBreaks(t *testing.T) {
	e := compiled(t, []byte(shopWith(steps, "")))
	q := read(t, e, goods(`"price":"100","weight":"1.5","quantity":1`)+"}")
	charge := func(a *Answer) string {
		if len(a.Options) == 0 {
			return a.Refused[0].Code
		}
		return a.Options[0].Charge
	}
	rapid.Check(t, func(t *rapid.T) {
		by := rapid.SampledFrom([]rate.By{rate.ByWeight, rate.BySubtotal}).Draw(t, "by")
		scale := map[rate.By]int{rate.ByWeight: 3, rate.BySubtotal: 2}[by]
		at := decimal.New(rapid.Int64Range(1, 30_000).Draw(t, "at"), scale)
		swept := e.Sweep(q, by)
		want := charge(swept[0].Answer)
		for _, s := range swept {
			if !at.Less(s.At) {
				want = charge(s.Answer)
			}
		}
		asked := *q
		asked.Lines, _ = e.sweptLines(q, by, at)
		require.Equal(t, want, charge(e.Quote(&asked)), at)
	})
}
