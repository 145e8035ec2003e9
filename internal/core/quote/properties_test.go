package quote

import (
	"encoding/json"

	"math"
	"math/big"
	"slices"
	"strings"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/store"
	"diadrom/internal/test/drawn"

	"github.com/paulmach/orb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Drawn stores and requests.
var (
	drawStore   = drawn.Store
	drawRequest = drawn.Request
	drawRule    = drawn.Rule
	drawAmount  = drawn.Amount
	maybe       = drawn.Maybe
)

func encode(t require.TestingT, v any) []byte {
	out, err := json.Marshal(v)
	require.NoError(t, err)
	return out
}

func engineOf(t require.TestingT, file obj) *Engine {
	f, faults := store.Read(encode(t, file))
	require.Empty(t, faults)
	return Compile(f, nil)
}

func ask(t require.TestingT, e *Engine, request obj) *Answer {
	requests, _, faults := e.ReadRequest(encode(t, request))
	require.Empty(t, faults)
	return e.Quote(&requests[0])
}

func zoneIDs(a *Answer) (ids []string) {
	for _, z := range a.Zones {
		ids = append(ids, z.Zone)
	}
	return ids
}

// asPlain is an option as the plain evaluation has it.
func asPlain(o *Option) plainOption {
	p := plainOption{Charge: o.Charge, Tax: o.Tax, Total: o.Total, Zone: o.Zone}
	if o.Dates != nil {
		p.Dates = o.Dates.From + " " + o.Dates.To
	}
	if p.Cost, p.Margin = string(o.Cost), string(o.Margin); o.Costs != nil {
		six := func(s json.RawMessage) string { return halfUp(rat(strings.Trim(string(s), `"`)), 6).FloatString(6) }
		p.Cost, p.Margin = six(o.Cost), six(o.Margin)
	}
	return p
}

func TestQuotesEqualThePlainEvaluation(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		file, request, outside := drawStore(t), drawRequest(t), drawOutside(t)
		e := engineOf(t, file)
		if outside.metres != nil || outside.street != nil {
			e = e.Asking(drawnOutside{e, outside})
		}
		e = e.AskingCarriers(outside.carrier)
		said := func(method string, all bool) []Parcel { return parcelsOf(t, e, request, method, all) }
		want, have := plainQuote(file, request, outside, said), ask(t, e, request)
		if have.Measures.Distance == nil {
			assert.Empty(t, want.distance)
		} else {
			assert.Equal(t, want.distance, *have.Measures.Distance)
		}
		estimated := slices.ContainsFunc(have.Warnings, func(w Warning) bool { return w.Code == RoadEstimated })
		assert.True(t, estimated || !want.nearestEstimated, "an estimate that nobody is told of")
		assert.True(t, want.estimated || !estimated, "%+v", have.Warnings)
		assert.Equal(t, want.zones, zoneIDs(have))
		assert.Equal(t, want.needsShipping, have.NeedsShipping)
		options, refused := map[string]plainOption{}, map[string]string{}
		for _, o := range have.Options {
			key := o.Method
			if o.Service != "" {
				key += "/" + o.Service
			}
			options[key] = asPlain(&o)
			assert.Equal(t, o.Estimated, slices.ContainsFunc(have.Warnings, func(w Warning) bool {
				return w.Code == CarrierFallback
			}) && o.Estimated)
		}
		for _, r := range have.Refused {
			refused[r.Method] = r.Code
			assert.NotEmpty(t, r.Reason)
		}
		assert.Equal(t, want.options, options)
		assert.Equal(t, want.refused, refused)
		assert.Equal(t, have.NeedsShipping && len(options) == 0, have.Message != "", have.Message)
	})
}

// parcelsOf are the parcels that the engine makes for a method, also where it does not offer it.
func parcelsOf(t require.TestingT, e *Engine, request obj, method string, all bool) []Parcel {
	requests, _, faults := e.ReadRequest(encode(t, request))
	require.Empty(t, faults)
	a := &asked{e: e, q: &requests[0]}
	a.q.Parcels = true
	e.measure(&a.cart, a.q.Lines)
	for i := range e.methods {
		if m := &e.methods[i]; m.ID == method {
			return a.list(m, a.parcelled(m.plan, all).parcels, math.MaxInt)
		}
	}
	return nil
}

// drawOutside draws what services outside say; often there are none.
func drawOutside(t *rapid.T) (o plainOutside) {
	if rapid.Bool().Draw(t, "roads") {
		o.metres = obj{}
		for _, id := range []string{"w", "hall"} {
			o.metres[id] = rapid.SampledFrom([]string{"", "12345.6", "20000", "8046.72", "1234.5", "15000.5"}).Draw(t,
				"metres")
		}
	}
	o.carrier.rates = map[string][2]string{}
	for _, service := range []string{"slow", "express"} {
		if rapid.IntRange(0, 3).Draw(t, service) > 0 {
			o.carrier.rates[service] = [2]string{drawAmount(t, "for a parcel"), drawAmount(t, "for a kilogram")}
		}
	}
	o.carrier.days = map[string][2]int64{}
	for _, service := range []string{"slow", "express"} {
		if maybe(t, "days of "+service) {
			o.carrier.days[service] = [2]int64{rapid.Int64Range(0, 3).Draw(t, "from"), rapid.Int64Range(3, 9).Draw(t,
				"to")}
		}
	}
	o.carrier.fails = maybe(t, "the carrier fails")
	if rapid.Bool().Draw(t, "addresses") {
		o.street = obj{"lat": "60.451", "lon": "22.149"}
	}
	return o
}

// drawnOutside says what was drawn, as services outside would.
type drawnOutside struct {
	e    *Engine
	says plainOutside
}

func (d drawnOutside) Roads(from []orb.Point, _ orb.Point) (list []*decimal.Decimal, why string) {
	for _, p := range from {
		var metres *decimal.Decimal
		for id, at := range map[string]orb.Point{"w": {22.026, 60.4674}, "hall": {22.2661, 60.4492}} {
			if text, _ := d.says.metres[id].(string); p == at && text != "" {
				m := decimal.MustParse(text)
				metres = &m
			}
		}
		list = append(list, metres)
	}
	return list, "the road service knows no way"
}

func (d drawnOutside) Streets() bool { return true }

func (d drawnOutside) Ahead([]orb.Point, []orb.Point, []*place.Address) Outside { return d }

func (d drawnOutside) Locate(*place.Address) (*orb.Point, string) {
	if d.says.street == nil {
		return nil, ""
	}
	return &orb.Point{22.149, 60.451}, ""
}

func TestStepsAddUpToTheCharge(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		for _, o := range ask(t, engineOf(t, drawStore(t)), drawRequest(t)).Options {
			sum := new(big.Rat)
			for _, s := range o.Steps {
				sum.Add(sum, rat(s.Amount))
				assert.NotEmpty(t, s.Text)
			}
			assert.Zero(t, sum.Cmp(rat(o.Charge)), "%+v", o.Steps)
			assert.GreaterOrEqual(t, sum.Sign(), 0)
		}
	})
}

func TestTheOrderOfZonesMattersOnlyInTies(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		file, request := drawStore(t), drawRequest(t)
		zones := plainZones(file, sub(request, "to"))
		for i := 1; i < len(zones); i++ {
			a, b := zones[i-1], zones[i]
			if a.zone["rank"] == b.zone["rank"] &&
				(a.zone["rank"] != nil || a.level == b.level && a.size.Cmp(b.size) == 0) {
				return // a tie: the file's order decides
			}
		}
		before := ask(t, engineOf(t, file), request)
		file["zones"] = rapid.Permutation(file["zones"].([]any)).Draw(t, "order")
		assert.Equal(t, before, ask(t, engineOf(t, file), request))
	})
}

func TestAnExceptionNeverWidensAZone(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		file, request := drawStore(t), drawRequest(t)
		before := zoneIDs(ask(t, engineOf(t, file), request))
		zone := rapid.SampledFrom(file["zones"].([]any)).Draw(t, "zone").(obj)
		zone["except"] = append(zone["except"].([]any), drawRule(t))
		for _, id := range zoneIDs(ask(t, engineOf(t, file), request)) {
			assert.Contains(t, before, id)
		}
	})
}

func TestAFreeRuleNeverRaisesAPrice(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		file, request := drawStore(t), drawRequest(t)
		method := rapid.SampledFrom(file["methods"].([]any)).Draw(t, "method").(obj)
		delete(method, "free")
		delete(method, "terms")
		before := map[string]string{}
		for _, o := range ask(t, engineOf(t, file), request).Options {
			before[o.Method] = o.Charge
		}
		method["free"] = obj{"subtotal": drawAmount(t, "from")}
		after := ask(t, engineOf(t, file), request)
		assert.Len(t, after.Options, len(before))
		for _, o := range after.Options {
			assert.LessOrEqual(t, decimal.MustParse(o.Charge).Cmp(decimal.MustParse(before[o.Method])), 0)
		}
	})
}

func TestExportThenImportGivesTheSameAnswers(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		file, request := drawStore(t), drawRequest(t)
		e := engineOf(t, file)
		written := e.Store().Write()
		again, faults := store.Read(written)
		require.Empty(t, faults, string(written))
		assert.Equal(t, string(written), string(again.Write()), "the export of an import is the same file")
		was, err := json.Marshal(ask(t, e, request))
		require.NoError(t, err)
		is, err := json.Marshal(ask(t, Compile(again, nil), request))
		require.NoError(t, err)
		assert.JSONEq(t, string(was), string(is))
	})
}

// Rates says what was drawn, as a carrier would.
func (c plainCarrier) Ahead(asks []CarrierAsk) []CarrierAnswer { return c.Rates(asks) }

func (c plainCarrier) Rates(asks []CarrierAsk) []CarrierAnswer {
	answers := make([]CarrierAnswer, len(asks))
	for i := range asks {
		if c.fails {
			answers[i].Failure = "did not answer within 1.5 s"
			continue
		}
		for service, rate := range c.rates {
			r := CarrierRate{Service: service, Name: "Post " + service}
			for _, p := range asks[i].Parcels {
				perKilogram := decimal.MustParse(rate[1]).Mul(p.Kilograms)
				r.Amounts = append(r.Amounts, decimal.MustParse(rate[0]).Add(perKilogram).Round(2))
			}
			if d, ok := c.days[service]; ok {
				r.Days = &store.Days{Min: d[0], Max: d[1]}
			}
			answers[i].Rates = append(answers[i].Rates, r)
		}
	}
	return answers
}
