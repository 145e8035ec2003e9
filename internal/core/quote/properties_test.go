package quote

import (
	"encoding/json"
	"fmt"
	"math"
	"math/big"
	"slices"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/store"

	"github.com/paulmach/orb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Drawn stores and requests; everything that the contract names occurs.

func drawAmount(t *rapid.T, name string) string {
	return rapid.SampledFrom(
		[]string{"0", "0.50", "1.00", "2.345", "4.90", "6.66", "9.999", "12.00", "30.00", "0.005"},
	).Draw(t, name)
}

func maybe(t *rapid.T, name string) bool { return rapid.IntRange(0, 3).Draw(t, name+"?") == 0 }

func drawRule(t *rapid.T) obj {
	return rapid.SampledFrom([]obj{
		{"world": true},
		{"group": "EU"},
		{"group": "154"},
		{"country": "FI"},
		{"country": "SE"},
		{"country": "FI", "region": "FI-19"},
		{"country": "FI", "city": "Naantali"},
		{"country": "FI", "postcodes": []any{"21100", "22*"}},
		{"country": "FI", "postcodes": []any{"21*"}},
		{"country": "FI", "postcodes": []any{"20100 to 21999"}},
		{"country": "FI", "postcodes": []any{"211*", "99999"}},
		{"country": "SE", "postcodes": []any{"10000 to 19999"}},
		{"within": obj{"location": "w", "distance": "15"}},
		{"within": obj{"lat": "60.45", "lon": "22.25", "distance": "8.5"}},
	}).Draw(t, "rule")
}

func drawRules(t *rapid.T, least, most int) []any {
	rules := []any{}
	for range rapid.IntRange(least, most).Draw(t, "rules") {
		rules = append(rules, drawRule(t))
	}
	return rules
}

func drawCharge(t *rapid.T, graduated bool) any {
	switch rapid.IntRange(0, 5).Draw(t, "charge") {
	case 0:
		if rapid.Bool().Draw(t, "no") {
			return nil
		}
		fallthrough
	case 1:
		return drawAmount(t, "base")
	}
	c := obj{"base": drawAmount(t, "base")}
	for _, key := range []string{"per_item", "first_item", "next_item", "percent"} {
		if maybe(t, key) {
			c[key] = drawAmount(t, key)
		}
	}
	for _, key := range []string{"per_weight", "per_distance"} {
		if maybe(t, key) {
			p := obj{"amount": drawAmount(t, key)}
			if maybe(t, "every") {
				p["every"] = rapid.SampledFrom([]string{"0.5", "3", "7", "1"}).Draw(t, "every")
			}
			if !graduated && maybe(t, "above") {
				p["above"] = rapid.SampledFrom([]string{"1", "2.5", "10"}).Draw(t, "above")
			}
			if !graduated && maybe(t, "started") {
				p["part"] = "started"
			}
			c[key] = p
		}
	}
	return c
}

func drawTable(t *rapid.T, id string, zones, classes []any) obj {
	by := rapid.SampledFrom(
		[]string{"order", "weight", "billed_weight", "subtotal", "quantity", "distance"},
	).Draw(t, "by")
	table := obj{"id": id, "zones": zones, "classes": classes, "by": by}
	row := func(at any) obj {
		graduated, _ := table["graduated"].(bool)
		charges := []any{}
		for range zones {
			charges = append(charges, drawCharge(t, graduated))
		}
		return obj{"at": at, "charges": charges}
	}
	if by == "order" {
		table["rows"] = []any{row(nil)}
		return table
	}
	table["graduated"] = by != "subtotal" && maybe(t, "graduated")
	rows, at := []any{}, 0
	edges := rapid.SampledFrom([]string{"from", "up_to"}).Draw(t, "edges")
	table["edges"] = edges
	if edges == "from" {
		rows = append(rows, row("0"))
	}
	for range rapid.IntRange(1, 3).Draw(t, "rows") {
		at += rapid.IntRange(1, 9).Draw(t, "step")
		rows = append(rows, row(fmt.Sprint(at)))
	}
	if edges == "up_to" && rapid.Bool().Draw(t, "open") {
		rows = append(rows, row(nil))
	}
	table["rows"] = rows
	return table
}

func drawTerms(t *rapid.T, into obj) {
	if maybe(t, "minimum") {
		into["minimum"] = drawAmount(t, "minimum")
	}
	if maybe(t, "maximum") {
		into["maximum"] = drawAmount(t, "maximum")
	}
	if maybe(t, "handling") {
		into["handling"] = obj{
			"amount":  drawAmount(t, "handling"),
			"percent": drawAmount(t, "percent"),
			"of":      rapid.SampledFrom([]string{"charge", "subtotal"}).Draw(t, "of"),
		}
	}
	if maybe(t, "days") {
		least := rapid.IntRange(0, 4).Draw(t, "min days")
		into["days"] = obj{
			"min":      float64(least),
			"max":      float64(least + rapid.IntRange(0, 3).Draw(t, "more days")),
			"business": rapid.Bool().Draw(t, "business"),
		}
	}
	if maybe(t, "free") {
		into["free"] = obj{
			"subtotal": "40",
			"coupons":  []any{"LÖYLY"},
			"require":  rapid.SampledFrom([]string{"any", "all"}).Draw(t, "require"),
		}
		if maybe(t, "quantity") {
			into["free"] = obj{"quantity": float64(4)}
		}
		if maybe(t, "free for a while") {
			into["free"].(obj)["available"] = drawPeriod(t)
		}
	}
	if maybe(t, "needs") {
		into["needs"] = rapid.SampledFrom([]obj{
			{"weight": obj{"to": "9"}},
			{"subtotal": obj{"from": "10", "to": "90"}},
			{"quantity": obj{"from": "2"}},
			{"longest_side": obj{"to": "60"}},
			{"billed_weight": obj{"from": "1", "to": "12"}},
			{"distance": obj{"to": "20"}},
			{"parcel_weight": obj{"to": "9"}},
			{"parcel_weight": obj{"from": "1"}},
			{"girth": obj{"to": "140"}},
			{"coupons": []any{"LÖYLY"}},
			{"groups": []any{"trade"}},
			{"only_classes": []any{"a"}},
			{"without_classes": []any{"b"}},
		}).Draw(t, "needs")
	}
}

func drawStore(t *rapid.T) obj {
	zones, ids := []any{}, []any{}
	for i := range rapid.IntRange(1, 4).Draw(t, "zones") {
		z := obj{
			"id":      fmt.Sprintf("z%d", i),
			"places":  drawRules(t, 1, 2),
			"except":  []any{},
			"enabled": !maybe(t, "off"),
			"only":    maybe(t, "only"),
		}
		if maybe(t, "except") {
			z["except"] = drawRules(t, 1, 1)
		}
		if maybe(t, "rank") {
			z["rank"] = float64(rapid.IntRange(-1, 2).Draw(t, "rank"))
		}
		zones, ids = append(zones, z), append(ids, z["id"])
	}
	methods := []any{}
	for i := range rapid.IntRange(1, 3).Draw(t, "methods") {
		m := obj{"id": fmt.Sprintf("m%d", i), "taxable": !maybe(t, "untaxed"), "enabled": !maybe(t, "off")}
		drawTerms(t, m)
		m["classes"] = rapid.SampledFrom([]string{"together", "add", "dearest"}).Draw(t, "classes")
		served := ids[:rapid.IntRange(1, len(ids)).Draw(t, "served")]
		switch {
		case m["classes"] == "together":
			m["tables"] = []any{drawTable(t, "all", served, []any{})}
		case rapid.Bool().Draw(t, "rest"):
			m["tables"] = []any{drawTable(t, "a", served, []any{"a"}), drawTable(t, "rest", served, []any{})}
		default:
			m["tables"] = []any{drawTable(t, "a", served, []any{"a"}), drawTable(t, "b", served, []any{"b"})}
		}
		if maybe(t, "terms") {
			own := obj{"enabled": !maybe(t, "off")}
			drawTerms(t, own)
			m["terms"] = obj{served[0].(string): own}
		}
		if maybe(t, "from") {
			m["from"] = "hall"
		}
		if maybe(t, "available") {
			m["available"] = drawPeriod(t)
		}
		if maybe(t, "asks a carrier") {
			m["kind"] = "carrier"
			m["carrier"] = rapid.SampledFrom([]obj{
				{"id": "post", "services": []any{obj{"code": "slow"}, obj{"code": "express", "label": "Tomorrow"}}},
				{"id": "post", "services": []any{obj{"code": "express"}, obj{"code": "slow", "enabled": false}},
					"percent": "12.5", "amount": "-0.50", "fallback": true},
				{"id": "post", "services": []any{obj{"code": "slow"}}, "amount": "-100"},
				{"id": "post", "services": []any{obj{"code": "express", "days": obj{"min": 1.0, "max": 4.0,
					"business": true}}, obj{"code": "slow"}}, "percent": "-100", "amount": "3.33"},
				{"id": "post", "services": []any{obj{"code": "unknown"}}, "fallback": true},
			}).Draw(t, "carrier")
		}
		if parcels := drawParcels(t); len(parcels) > 0 {
			m["parcels"] = parcels
		}
		methods = append(methods, m)
	}
	file := obj{
		"format":  store.Format,
		"zones":   zones,
		"methods": methods,
		"classes": []any{obj{"id": "a"}, obj{"id": "b"}},
		"store": obj{
			"currency":        "EUR",
			"subtotal_counts": rapid.SampledFrom([]string{"", "all"}).Draw(t, "counts"),
			"tax": obj{
				"prices_include_tax": rapid.Bool().Draw(t, "included"),
				"rates": []any{
					obj{"country": "FI", "percent": "25.5"},
					obj{"country": "FI", "postcodes": []any{"22*"}, "percent": "0"},
					obj{"group": "EU", "percent": "19"},
				},
			},
		},
		"locations": []any{
			obj{"id": "w", "country": "FI", "lat": "60.4674", "lon": "22.0260", "ships_from": true},
			obj{
				"id":         "hall",
				"country":    "FI",
				"lat":        "60.4492",
				"lon":        "22.2661",
				"ships_from": maybe(t, "hall ships"),
			},
			obj{"id": "shed"}, // nobody knows where
		},
		"carriers": []any{obj{"id": "post", "name": "Post", "url": "http://post.example"}},
		"boxes": []any{
			obj{"id": "small", "length": "50", "width": "20", "height": "15", "weight": "0.2"},
			obj{"id": "large", "length": "80", "width": "40", "height": "35.5", "weight": "1", "max_weight": "25"},
			obj{"id": "tube", "length": "90", "width": "15", "height": "15"},
		},
	}
	shop := file["store"].(obj)
	if rapid.Bool().Draw(t, "volumetric") {
		shop["volumetric_divisor"] = rapid.SampledFrom([]string{"5000", "6000", "7"}).Draw(t, "divisor")
	}
	if maybe(t, "own divisor") {
		methods[0].(obj)["volumetric_divisor"] = rapid.SampledFrom([]string{"4000", "3"}).Draw(t, "own divisor")
	}
	if maybe(t, "units") {
		shop["weight_unit"] = rapid.SampledFrom([]string{"g", "kg", "oz", "lb"}).Draw(t, "weight unit")
		shop["length_unit"] = rapid.SampledFrom([]string{"mm", "cm", "m", "in"}).Draw(t, "length unit")
	}
	if rapid.Bool().Draw(t, "by road") {
		shop["distance_by"] = "road"
		shop["road_factor"] = rapid.SampledFrom([]string{"", "1", "1.3", "1.4567"}).Draw(t, "factor")
	}
	if maybe(t, "miles") {
		shop["distance_unit"] = "mi"
	}
	if rapid.Bool().Draw(t, "dispatch") {
		shop["dispatch"] = obj{
			"time_zone": rapid.SampledFrom([]string{"Europe/Helsinki", "America/New_York", "UTC"}).Draw(t, "time zone"),
			"cut_off":   rapid.SampledFrom([]string{"00:00", "14:00", "24:00"}).Draw(t, "cut-off"),
			"closed":    []any{"2026-12-07", "2026-12-11"},
		}
		drawOwnDispatch(t, shop["dispatch"].(obj))
		for _, m := range methods {
			if maybe(t, "own dispatch") {
				own := obj{}
				if drawOwnDispatch(t, own); maybe(t, "own cut-off") {
					own["cut_off"] = "09:30"
				}
				m.(obj)["dispatch"] = own
			}
		}
	}
	if maybe(t, "surcharge") {
		file["surcharges"] = []any{
			obj{
				"id":      "s",
				"places":  drawRules(t, 1, 2),
				"except":  []any{},
				"amount":  drawAmount(t, "s"),
				"percent": drawAmount(t, "s%"),
			},
		}
	}
	if maybe(t, "agreed") {
		file["agreed"] = []any{
			obj{"id": "g", "group": "trade", "amount": drawAmount(t, "agreed")},
			obj{"id": "c", "customer": "C-1", "amount": drawAmount(t, "agreed")},
			obj{
				"id":      "p",
				"place":   obj{"country": "FI", "postcode": "21100"},
				"methods": []any{"m0"},
				"amount":  drawAmount(t, "agreed"),
			},
		}
	}
	return file
}

// drawParcels draws how a method's goods become parcels.
func drawParcels(t *rapid.T) obj {
	parcels := rapid.SampledFrom([]obj{
		{}, {}, {"boxes": []any{"large", "small"}}, {"boxes": []any{"tube"}}, {"all_boxes": true},
		{"max_weight": "12"}, {"all_boxes": true, "max_weight": "10.5"}, {"boxes": []any{"small"}, "max_weight": "30"},
	}).Draw(t, "parcels")
	copied := obj{}
	for k, v := range parcels {
		copied[k] = v
	}
	return copied
}

// drawPeriod draws a period around the moments of requests.
func drawPeriod(t *rapid.T) obj {
	return rapid.SampledFrom([]obj{
		{"from": "2026-12-01", "to": "2026-12-07"},
		{"from": "2026-12-06"},
		{"to": "2026-12-05"},
		{"from": "2026-12-06", "to": "2026-12-06"},
		{},
	}).Draw(t, "period")
}

// drawOwnDispatch draws what the store and a method say alike of when orders leave.
func drawOwnDispatch(t *rapid.T, into obj) {
	if maybe(t, "weekdays") {
		into["weekdays"] = rapid.SampledFrom([][]any{{"fri"}, {"mon", "wed"}, {"sat", "sun", "tue"}}).Draw(t,
			"weekdays")
	}
	if maybe(t, "lead days") {
		into["lead_days"] = float64(rapid.IntRange(0, 6).Draw(t, "lead days"))
	}
}

func drawRequest(t *rapid.T) obj {
	to := obj{"country": rapid.SampledFrom([]string{"FI", "FI", "FI", "SE", "NO", "US"}).Draw(t, "country")}
	if to["country"] == "FI" {
		to["postcode"] = rapid.SampledFrom(
			[]string{"21100", "21160", "22100", "20100", "20999", "99999", "", "21999"},
		).Draw(t, "postcode")
		to["region"] = rapid.SampledFrom([]string{"", "FI-19", "FI-01"}).Draw(t, "region")
		to["city"] = rapid.SampledFrom([]string{"", "NAANTALI", "Turku"}).Draw(t, "city")
	} else if to["country"] == "SE" {
		to["postcode"] = rapid.SampledFrom([]string{"111 22", "99999"}).Draw(t, "postcode")
	}
	if rapid.Bool().Draw(t, "street") {
		to["street"] = "Satamatie 4"
	}
	if rapid.Bool().Draw(t, "point") {
		p := rapid.SampledFrom(
			[][2]string{{"60.4674", "22.0260"}, {"60.45", "22.25"}, {"60.50", "22.10"}, {"59.33", "18.06"}},
		).Draw(t, "point")
		to["lat"], to["lon"] = p[0], p[1]
	}
	lines := []any{}
	for range rapid.IntRange(0, 4).Draw(t, "lines") {
		lines = append(
			lines,
			obj{
				"price":          drawAmount(t, "price"),
				"weight":         drawAmount(t, "weight"),
				"length":         rapid.SampledFrom([]string{"", "50", "80"}).Draw(t, "length"),
				"width":          rapid.SampledFrom([]string{"", "20", "35.5"}).Draw(t, "width"),
				"height":         rapid.SampledFrom([]string{"", "7", "15"}).Draw(t, "height"),
				"class":          rapid.SampledFrom([]string{"", "a", "b"}).Draw(t, "class"),
				"quantity":       float64(rapid.IntRange(1, 5).Draw(t, "quantity")),
				"needs_shipping": !maybe(t, "digital"),
				"ships_free":     maybe(t, "free"),
				"own_parcel":     maybe(t, "own"),
				"upright":        maybe(t, "upright"),
				"from":           rapid.SampledFrom([]string{"", "", "", "", "w", "hall", "shed"}).Draw(t, "from"),
			},
		)
	}
	q := obj{"to": to, "lines": lines, "coupons": []any{}, "at": rapid.SampledFrom([]string{
		"2026-12-04T13:59:00+02:00", "2026-12-05T23:30:00Z", "2026-12-06T10:00:00-05:00", "2026-12-07T00:00:00+02:00",
	}).Draw(t, "at")}
	if maybe(t, "coupon") {
		q["coupons"] = []any{"LÖYLY"}
	}
	if maybe(t, "group") {
		q["group"] = "trade"
	}
	if maybe(t, "customer") {
		q["customer"] = "C-1"
	}
	return q
}

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
	return p
}

func TestQuotesEqualThePlainEvaluation(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		file, request, outside := drawStore(t), drawRequest(t), drawOutside(t)
		e := engineOf(t, file)
		if outside.metres != nil || outside.street != nil {
			e = e.Asking(drawn{e, outside})
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

// drawn says what was drawn, as services outside would.
type drawn struct {
	e    *Engine
	says plainOutside
}

func (d drawn) Roads(from []orb.Point, _ orb.Point) (list []*decimal.Decimal, why string) {
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

func (d drawn) Ahead([]orb.Point, []orb.Point, []*place.Address) Outside { return d }

func (d drawn) Locate(*place.Address) (*orb.Point, string) {
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
