package past

import (
	"encoding/json"
	"maps"
	"math/big"
	"slices"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/test/drawn"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

type obj = map[string]any

func rater(t require.TestingT, text string) *Rater {
	f, faults := store.Read([]byte(text))
	require.Empty(t, faults)
	return NewRater(quote.Compile(f, nil))
}

func sum(text string) *decimal.Decimal {
	d := decimal.MustParse(text)
	return &d
}

const shop = `{"format":"diadrom-store/1","store":{"currency":"EUR","weight_unit":"kg","tax":{"prices_include_tax":true,
	"rates":[{"country":"FI","percent":"25"}]}},"classes":[{"id":"soft"}],
	"products":[{"sku":"towel","price":"20.00","weight":"0.5","class":"soft"},{"sku":"stone","price":"30.00","weight":"12"},
		{"sku":"card","price":"50.00","needs_shipping":false}],
	"zones":[{"id":"fi","places":[{"country":"FI"}]},{"id":"se","places":[{"country":"SE"}]},
		{"id":"no","places":[{"country":"NO"}]}],
	"methods":[{"id":"letter","tables":[{"id":"t","zones":["fi","se"],"by":"weight","edges":"up_to","rows":[{"at":"2",
		"charges":["5.00","8.00"]}]}]},
		{"id":"parcel","tables":[{"id":"t","zones":["fi","se"],"by":"order","rows":[{"charges":["10.00","20.00"]}]}]}],
	"costs":[{"id":"post","methods":["letter"],"per_parcel":"0.50","tables":[{"id":"t","zones":["fi"],"by":"weight",
		"edges":"up_to","rows":[{"at":"1","charges":["3.00"]}]}]}]}`

func order(country, sku string, quantity int64, method string) *Order {
	return &Order{ID: "1", To: place.Address{Country: country}, Lines: []Line{{SKU: sku, Quantity: quantity}},
		Method: method}
}

func TestHowAnOrderIsRated(t *testing.T) {
	r := rater(t, shop)
	own := order("FI", "towel", 2, "letter")
	own.Cost = sum("3.21")
	dear := order("FI", "towel", 1, "")
	dear.Lines[0].Price = sum("25.00")
	described := order("FI", "old soap", 1, "letter")
	described.Lines[0].Weight = sum("0.3")
	for name, c := range map[string]struct {
		of      *Order
		outcome Outcome
		method  string
		zone    string
		charge  string
		cost    string // "": not known
		margin  string
	}{
		"by its method": {order("FI", "towel", 2, "parcel"), ByItsMethod, "parcel", "fi", "10", "", ""},
		"with what it costs: 5.00 − 1.00 tax − 3.50": {order("FI", "towel", 2, "letter"), ByItsMethod, "letter", "fi", "5",
			"3.5", "0.5"},
		"with its own cost":                {own, ByItsMethod, "letter", "fi", "5", "3.21", "0.79"},
		"in a gap of the costs":            {order("FI", "towel", 3, "letter"), ByItsMethod, "letter", "fi", "5", "", ""},
		"in a zone without costs":          {order("SE", "towel", 1, "letter"), ByItsMethod, "letter", "se", "8", "", ""},
		"too heavy for its method":         {order("FI", "stone", 1, "letter"), ByOther, "parcel", "fi", "10", "", ""},
		"of no method: the cheapest":       {dear, ByOther, "letter", "fi", "5", "3.5", "0.5"},
		"of a method that is gone":         {order("FI", "towel", 1, "pigeon"), ByOther, "letter", "fi", "5", "3.5", "0.5"},
		"nothing is offered":               {order("NO", "towel", 1, "letter"), NotOffered, "letter", "no", "0", "", ""},
		"nowhere":                          {order("US", "towel", 1, "letter"), NotOffered, "letter", "", "0", "", ""},
		"nothing needs shipping":           {order("FI", "card", 1, ""), NotOffered, "", "fi", "0", "", ""},
		"goods that the store has no more": {order("FI", "old soap", 1, "letter"), Unrated, "letter", "fi", "0", "", ""},
		"such goods, with what they weigh": {described, ByItsMethod, "letter", "fi", "5", "3.5", "0.5"},
	} {
		for range 2 { // the second time from memory
			is := r.Rate(c.of)
			assert.Equal(t, []any{c.outcome, c.method, c.zone, c.charge, c.cost != ""},
				[]any{is.Outcome, is.Method, is.Zone, is.Charge.String(), is.CostKnown}, name)
			if c.cost != "" {
				assert.Equal(t, []string{c.cost, c.margin}, []string{is.Cost.String(), is.Margin.String()}, name)
			}
		}
	}
	assert.Equal(t, "old soap", r.Rate(order("FI", "old soap", 1, "")).Unknown)
	unclassed := order("FI", "towel", 1, "")
	unclassed.Lines[0].Class = "hard"
	assert.Equal(t, "hard", r.Rate(unclassed).Unknown, "no class is dropped without a word")
	assert.Contains(t, r.Lacks(&unclassed.Lines[0]), "no class")
	assert.Contains(t, r.Lacks(&Line{SKU: "old soap"}), "no product")
	assert.Empty(t, r.Lacks(&Line{SKU: "towel", Class: "soft"}))
	both := order("FI", "towel", 1, "")
	both.Lines = append(both.Lines, Line{SKU: "stone", Quantity: 2}, Line{SKU: "card", Quantity: 1})
	is := r.Rate(both)
	assert.Equal(t, []string{"+soft", "24.5"}, []string{is.Classes, is.Weight.String()}, "cards weigh nothing")
}

func TestOrdersInGroups(t *testing.T) {
	first, second := rater(t, shop), rater(t, `{"format":"diadrom-store/1","store":{"currency":"EUR","weight_unit":"kg",
		"tax":{"prices_include_tax":true}},"products":[{"sku":"towel","weight":"0.5"},{"sku":"stone","weight":"12"}],
		"zones":[{"id":"north","places":[{"country":"FI"},{"country":"NO"}]}],"methods":[{"id":"parcel","tables":[
		{"id":"t","zones":["north"],"by":"order","rows":[{"charges":["7.00"]}]}]}]}`)
	orders := []*Order{
		order("FI", "towel", 1, "letter"), // 5.00, then 7.00 by parcel
		order("FI", "stone", 1, "parcel"), // 10.00, then 7.00
		order("SE", "towel", 1, "letter"), // 8.00, then not served
		order("NO", "towel", 1, "letter"), // not served, then 7.00
		order("FI", "card", 1, ""),        // nothing to ship; the other store does not know it
	}
	for i, o := range orders {
		o.At = time.Date(2026, time.Month(3+i/3), 1, 0, 0, 0, 0, time.UTC)
		if i != 1 {
			o.Paid = sum("4.10")
		}
	}
	wire := func(by ...By) []obj {
		report := NewReport(by)
		add := Into(report, first, second)
		for _, o := range orders {
			require.NoError(t, add(o))
		}
		text, err := json.Marshal(report.Wire(2))
		require.NoError(t, err)
		var list []obj
		require.NoError(t, json.Unmarshal(text, &list))
		return list
	}
	assert.Equal(t, []obj{{"key": obj{}, "orders": 5.0, "paid": "16.40", "paid_unknown": 1.0, "not_offered": 2.0,
		"no_shipping": 1.0, "other_method": 0.0, "unrated": 0.0, "charge": "23.00", "tax": "3.00", "cost": "3.50",
		"margin": "0.50", "cost_unknown": 2.0, "against": obj{"not_offered": 1.0, "no_shipping": 0.0, "other_method": 2.0,
			"unrated": 1.0, "charge": "21.00", "tax": "0.00", "cost": "0.00", "margin": "0.00", "cost_unknown": 3.0},
		"dearer": 1.0, "cheaper": 1.0, "same": 0.0, "lost": 1.0, "gained": 1.0}}, wire())
	keys := func(by ...By) (list []any) {
		for _, g := range wire(by...) {
			list = append(list, g["key"], g["orders"])
		}
		return list
	}
	assert.Equal(t, []any{obj{"month": "2026-03", "country": "FI"}, 2.0, obj{"month": "2026-03", "country": "SE"}, 1.0,
		obj{
			"month":   "2026-04",
			"country": "FI",
		}, 1.0, obj{"month": "2026-04", "country": "NO"}, 1.0}, keys(Month, Country))
	assert.Equal(t, []any{obj{"weight": ""}, 1.0, obj{"weight": "0.5"}, 3.0, obj{"weight": "20"}, 1.0}, keys(Weight))
	assert.Equal(t, []any{obj{"class": ""}, 2.0, obj{"class": "soft"}, 3.0}, keys(Class))
	assert.Equal(t, []any{obj{"method": ""}, 1.0, obj{"method": "letter"}, 3.0, obj{"method": "parcel"}, 1.0},
		keys(Method))
}

func TestBandsOfWeight(t *testing.T) {
	for weight, band := range map[string]string{"0": "0", "0.01": "0.01", "0.011": "0.02", "0.2": "0.2", "0.3": "0.5",
		"0.51": "1", "1": "1", "1.001": "2", "2": "2", "4": "5", "5.5": "10", "11": "20", "600": "1000"} {
		assert.Equal(t, band, Band(decimal.MustParse(weight)).String(), weight)
	}
}

func TestWhatOrdersAreGroupedBy(t *testing.T) {
	by, err := ParseBy(" method, zone")
	require.NoError(t, err)
	assert.Equal(t, []By{Method, Zone}, by)
	by, err = ParseBy("")
	assert.Empty(t, by)
	require.NoError(t, err)
	for _, text := range []string{"colour", "method,method"} {
		_, err = ParseBy(text)
		assert.Error(t, err, text)
	}
}

// drawOrder draws an order of a drawn store, as a request too.
func drawOrder(t *rapid.T) (*Order, obj) {
	request := drawn.Request(t)
	to := request["to"].(obj)
	delete(to, "lat")
	delete(to, "lon")
	request["costs"] = true
	text := func(of obj, key string) string { s, _ := of[key].(string); return s }
	o := &Order{To: place.Address{Country: text(to, "country"), Region: text(to, "region"), City: text(to, "city"),
		Postcode: text(to, "postcode"), Street: text(to, "street")}, Group: text(request, "group"),
		Customer: text(request, "customer"),
		Method:   rapid.SampledFrom([]string{"m0", "m1", "m2", "", "gone"}).Draw(t, "method")}
	o.At, _ = time.Parse(time.RFC3339, text(request, "at"))
	for _, c := range request["coupons"].([]any) {
		o.Coupons = append(o.Coupons, c.(string))
	}
	lines := []any{}
	for _, l := range request["lines"].([]any) {
		kept := obj{}
		for _, key := range []string{"price", "weight", "class", "quantity"} {
			kept[key] = l.(obj)[key]
		}
		lines = append(lines, kept)
		o.Lines = append(o.Lines, Line{Price: sum(text(kept, "price")), Weight: sum(text(kept, "weight")),
			Class: text(kept, "class"), Quantity: int64(kept["quantity"].(float64))})
	}
	request["lines"] = lines
	if drawn.Maybe(t, "paid") {
		o.Paid = sum(drawn.Amount(t, "paid"))
	}
	if drawn.Maybe(t, "own cost") {
		o.Cost = sum(drawn.Amount(t, "own cost"))
	}
	return o, request
}

// drawRater draws a store.
func drawRater(t *rapid.T) *Rater {
	text, err := json.Marshal(drawn.Store(t))
	require.NoError(t, err)
	return rater(t, string(text))
}

// Sums are those of the quotes, added up as fractions by a plain reading of docs/model.md.
func TestSumsEqualThoseOfTheQuotes(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		r := drawRater(t)
		report := NewReport([]By{Method, Zone})
		add := Into(report, r, nil)
		want := map[[2]string]map[string]*big.Rat{}
		for range rapid.IntRange(1, 12).Draw(t, "orders") {
			o, request := drawOrder(t)
			require.NoError(t, add(o))
			body, err := json.Marshal(request)
			require.NoError(t, err)
			requests, _, faults := r.Engine().ReadRequest(body)
			require.Empty(t, faults)
			answer := r.Engine().Quote(&requests[0])
			key, counts := [2]string{o.Method, ""}, []string{"orders"}
			if len(answer.Zones) > 0 {
				key[1] = answer.Zones[0].Zone
			}
			sums := map[string]string{}
			if o.Paid != nil {
				sums["paid"] = o.Paid.String()
			}
			if option := chosen(answer.Options, o.Method); option == nil {
				counts = append(counts, "not_offered")
			} else {
				if option.Method != o.Method {
					counts = append(counts, "other_method")
				}
				key = [2]string{option.Method, option.Zone}
				sums["charge"] = option.Charge
				cost := ""
				if option.Costs != nil {
					cost = option.Costs.Cost.Written().String()
				}
				if o.Cost != nil {
					cost = o.Cost.String()
				}
				if cost == "" {
					counts = append(counts, "cost_unknown")
				} else {
					sums["cost"] = cost
				}
			}
			if want[key] == nil {
				want[key] = map[string]*big.Rat{}
			}
			for _, name := range counts {
				plus(want[key], name, "1")
			}
			for name, text := range sums {
				plus(want[key], name, text)
			}
		}
		assert.Len(t, report.Groups(), len(want))
		for _, g := range report.Groups() {
			w := want[[2]string{g.Key[0], g.Key[1]}]
			for name, have := range map[string]string{"orders": decimal.FromInt(int64(g.Orders)).String(),
				"paid": g.Paid.String(), "charge": g.Charge.String(),
				"not_offered": decimal.FromInt(int64(g.NotOffered)).String(), "cost": g.Cost.Written().String(),
				"other_method": decimal.FromInt(int64(g.OtherMethod)).String(),
				"cost_unknown": decimal.FromInt(int64(g.CostUnknown)).String()} {
				rat, _ := new(big.Rat).SetString(have)
				expected := w[name]
				if expected == nil {
					expected = new(big.Rat)
				}
				assert.Equal(t, expected.FloatString(5), rat.FloatString(5), "%s of %v", name, g.Key)
			}
		}
	})
}

func plus(sums map[string]*big.Rat, name, text string) {
	if sums[name] == nil {
		sums[name] = new(big.Rat)
	}
	d, _ := new(big.Rat).SetString(text)
	sums[name].Add(sums[name], d)
}

// chosen is the option by which an order of a method is charged.
func chosen(options []quote.Option, method string) *quote.Option {
	least := func(list []*quote.Option) *quote.Option {
		if len(list) == 0 {
			return nil
		}
		return slices.MinFunc(list, func(a, b *quote.Option) int {
			return decimal.MustParse(a.Total).Cmp(decimal.MustParse(b.Total))
		})
	}
	var own, all []*quote.Option
	for i := range options {
		if all = append(all, &options[i]); options[i].Method == method {
			own = append(own, &options[i])
		}
	}
	if o := least(own); o != nil {
		return o
	}
	return least(all)
}

// Orders that are rated under a store and the same store again change nothing, in groups of any kind and in any order.
func TestAStoreAgainstItselfChangesNothing(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		file := drawn.Store(t)
		text, err := json.Marshal(file)
		require.NoError(t, err)
		// A description of the same store that shares nothing with it, and one whose methods all count as changed.
		first, second := rater(t, string(text)), rater(t, string(text))
		same := Unaffected(first.Store(), second.Store())
		assert.Len(t, same, len(file["methods"].([]any)))
		reports := [2]*Report{NewReport(Groupings), NewReport(Groupings)}
		adds := [2]func(*Order) error{Into(reports[0], first, second), Into(reports[1], first, second)}
		for i := range rapid.IntRange(1, 12).Draw(t, "orders") {
			o, _ := drawOrder(t)
			require.NoError(t, adds[i%2](o))
			is, against := first.Rate(o), second.Rate(o)
			assert.Equal(t, is, against)
		}
		reports[0].Merge(reports[1])
		for _, g := range reports[0].Groups() {
			assert.Equal(t, &g.Sums, g.Against)
			assert.Zero(t, g.Dearer+g.Cheaper+g.Lost+g.Gained)
			assert.Equal(t, g.Orders, g.Same+g.NotOffered+g.Unrated)
		}
	})
}

// A method that is said to be unaffected by a change charges what it did.
func TestUnaffectedMethodsChargeTheSame(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		file := drawn.Store(t)
		before, err := json.Marshal(file)
		require.NoError(t, err)
		other := drawn.Store(t)
		for _, part := range rapid.SampledFrom([][]string{{"methods"}, {"methods", "costs"}, {"zones"}, {"boxes", "methods"},
			{"products"}, {}}).Draw(t, "changed") {
			file = maps.Clone(file)
			file[part] = other[part]
		}
		after, err := json.Marshal(file)
		require.NoError(t, err)
		f, faults := store.Read(after)
		if len(faults) > 0 {
			t.Skip("the parts do not go together")
		}
		first, second := rater(t, string(before)), NewRater(quote.Compile(f, nil))
		same := Unaffected(first.Store(), second.Store())
		for range 8 {
			o, _ := drawOrder(t)
			if is := first.Rate(o); is.Outcome == ByItsMethod && same[o.Method] {
				assert.Equal(t, is, second.Rate(o))
			}
		}
	})
}

// Exports of a shop have its methods as their owner or buyers call them.
func TestAnOrderNamesItsMethodAsPeopleDo(t *testing.T) {
	f := storetest.Lauha(t)
	r := NewRater(quote.Compile(f, nil))
	m := f.Method("parcel")
	require.NotNil(t, m)
	for _, name := range []string{"parcel", m.Name, m.Label, "  " + strings.ToUpper(m.Label)} {
		assert.Equal(t, "parcel", r.Own(name), name)
	}
	assert.Equal(t, "Sent by pigeon", r.Own("Sent by pigeon"))
	assert.Empty(t, r.Own(""))
	f.Methods = slices.Clone(f.Methods)
	f.Methods[0].Label = m.Label // two are called so
	r = NewRater(quote.Compile(f, nil))
	assert.Equal(t, m.Label, r.Own(m.Label), "nobody knows which")
	assert.Equal(t, "parcel", r.Own(m.Name))
}
