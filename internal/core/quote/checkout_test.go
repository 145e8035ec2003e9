package quote

import (
	"fmt"
	"strings"
	"sync"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/fault"
	"diadrom/internal/core/place"
	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// checkoutStore has collection at two places and a price that looks at a German region.
const checkoutStore = `{"format":"diadrom-store/1","store":{"currency":"EUR","tax":{"prices_include_tax":true}%s},
 "locations":[{"id":"a","name":"Workshop","country":"FI","postcode":"21100","city":"Naantali","street":"Verstaskuja 3",
		"lat":"60.4674","lon":"22.0260","ships_from":true,"pickup":true},
  {"id":"b","name":"Market","country":"FI","city":"Turku","lat":"60.4492","lon":"22.2661","pickup":true},{"id":"c",
		"name":"Store room","country":"FI"},{"id":"d","name":"Kiosk","country":"FI","pickup":true}],
 "zones":[{"id":"by","places":[{"country":"DE","region":"DE-BY"}]},{"id":"all","places":[{"world":true}]}],
 "methods":[{"id":"collect","kind":"pickup","tables":[{"id":"t","zones":["all"],"by":"order",
		"rows":[{"charges":["0"]}]}]},
  {"id":"there","kind":"pickup","from":"b","tables":[{"id":"t","zones":["all"],"by":"order",
		"rows":[{"charges":["2"]}]}]},
  {"id":"post","preselected":true,"free":{"subtotal":"90"},"tables":[{"id":"t","zones":["all","by"],"by":"order",
		"rows":[{"charges":["5","6"]}]}]}]}`

func checkoutEngine(t *testing.T, settings string) *Engine {
	f, faults := store.Read([]byte(fmt.Sprintf(checkoutStore, settings)))
	require.Empty(t, faults)
	return Compile(f, nil)
}

func TestACheckoutIsToldWhatTheAddressLacks(t *testing.T) {
	e := checkoutEngine(t, "")
	for _, tt := range []struct {
		to, lacks, wrong string
	}{
		{`{"country":"FI"}`, "postcode", ""},
		{`{"country":"FI","postcode":"21100"}`, "", ""},
		{`{"country":"FI","postcode":"SW1A 1AA"}`, "", "postcode"}, // another country's form
		{`{"country":"HK"}`, "city", ""},                           // no postcodes
		{`{"country":"HK","city":"Kowloon"}`, "", ""},
		{`{"country":"US","postcode":"73301"}`, "region", ""}, // no list of places says the state
		{`{"country":"US","postcode":"73301","region":"TX"}`, "", ""},
		{`{"country":"US","postcode":"73301","region":"Nowhere"}`, "", "region"},
		{`{"country":"DE","postcode":"80331"}`, "region", ""}, // a zone looks at it
		{`{"country":"DE","postcode":"80331","region":"Bavaria"}`, "", ""},
		{`{"country":"FR","postcode":"75001"}`, "", ""}, // nothing looks at it
	} {
		q, _, faults := e.ReadRequest(
			[]byte(`{"checkout":true,"to":` + tt.to + `,"lines":[{"price":"10","quantity":1}]}`),
		)
		require.Empty(t, faults)
		c := e.Quote(&q[0]).Checkout
		lacks, wrong := "", ""
		if len(c.Lacks) > 0 {
			lacks = c.Lacks[0]
		}
		if len(c.Faults) > 0 {
			wrong = c.Faults[0].Field
		}
		assert.Equal(t, tt.lacks, lacks, tt.to)
		assert.Equal(t, tt.wrong, wrong, tt.to)
		assert.False(t, c.Wait, "prices show from the country on")
	}
	waits := checkoutEngine(t, `,"checkout":{"prices_wait":true}`)
	for to, wait := range map[string]bool{`{"country":"FI"}`: true, `{"country":"FI","postcode":"2110"}`: true,
		`{"country":"FI","postcode":"21100"}`: false} {
		q, _, _ := waits.ReadRequest(
			[]byte(`{"checkout":true,"to":` + to + `,"lines":[{"price":"10","quantity":1}]}`),
		)
		assert.Equal(t, wait, waits.Quote(&q[0]).Checkout.Wait, to)
	}
}

func TestACheckoutIsToldWhereGoodsAreCollected(t *testing.T) {
	e := checkoutEngine(t, "")
	q, _, faults := e.ReadRequest(
		[]byte(
			`{"checkout":true,"to":{"country":"FI","postcode":"20100","lat":"60.4518","lon":"22.2666"},
		"lines":[{"price":"82.50","quantity":1}]}`,
		),
	)
	require.Empty(t, faults)
	a := e.Quote(&q[0])
	var names []string
	for _, p := range a.Options[0].Offer.Points {
		names = append(names, p.Name)
	}
	assert.Equal(
		t,
		[]string{"Market", "Workshop", "Kiosk"},
		names,
		"the nearest first, those of which the distance is not known last",
	)
	assert.Nil(t, a.Options[0].Offer.Points[2].Distance)
	assert.Equal(t, "Verstaskuja 3, 21100 Naantali", a.Options[0].Offer.Points[1].Address)
	require.Len(t, a.Options[1].Offer.Points, 1, "a method with a place of its own has that one")
	// 60.4518 N to 60.4492 N on a meridian: 0.0026 degrees of 111.4 km, the length of a degree at this latitude
	// (WGS 84).
	d := decimal.MustParse(*a.Options[1].Offer.Points[0].Distance)
	assert.InDelta(t, 0.0026*111.42, d.Float64(), 0.002)
	post := a.Options[2].Offer
	assert.True(t, post.Preselected)
	assert.Equal(t, "Spend €7.50 more for free delivery", post.Hint)
	assert.Empty(t, post.Points, "nothing is collected of what is delivered")

	q[0].Checkout = false
	a = e.Quote(&q[0])
	assert.Nil(t, a.Checkout, "only a checkout is told more than the price")
	assert.Nil(t, a.Options[0].Offer)
}

// What is said to be lacking is what is lacking.
func TestWhatMakesAnOptionFree(t *testing.T) {
	f, faults := store.Read([]byte(fmt.Sprintf(checkoutStore, "")))
	require.Empty(t, faults)
	u := f.Store.Units()
	ninety, three := decimal.MustParse("90.00"), int64(3)
	for _, tt := range []struct {
		free *store.Free
		own  *store.Free // the zone's
		want string
	}{
		{nil, nil, ""},
		{&store.Free{Subtotal: &ninety}, nil, "Spend 7.50 more for free delivery"},
		{&store.Free{Quantity: &three}, nil, "Add 2 items for free delivery"},
		{&store.Free{Subtotal: &ninety, Quantity: &three}, nil, "Spend 7.50 more or add 2 items for free delivery"},
		{&store.Free{Subtotal: &ninety, Quantity: &three, Require: store.RequireAll}, nil,
			"Spend 7.50 more and add 2 items for free delivery"},
		{&store.Free{Subtotal: &ninety, Coupons: []string{"X"}, Require: store.RequireAll}, nil, ""},
		{&store.Free{Coupons: []string{"X"}}, nil, ""},
		{&store.Free{Quantity: &three}, &store.Free{Subtotal: &ninety}, "Spend 7.50 more for free delivery"},
	} {
		m := &store.Method{Free: tt.free, Terms: map[string]store.Terms{"z": {Free: tt.own}}}
		has := &Measures{Subtotal: "82.50", Quantity: 1}
		assert.Equal(t, tt.want, FreeHint(&Option{Charge: "5.00", Free: m.TermsIn("z").Free}, has, u, u.Money))
		assert.Empty(t, FreeHint(&Option{Charge: "0.00", Free: m.TermsIn("z").Free}, has, u, u.Money))
	}
}

func TestTheBuyerIsToldWhichMethodRefusesTheOrder(t *testing.T) {
	f, faults := store.Read(
		[]byte(
			`{"format":"diadrom-store/1","store":{"currency":"EUR"},"zones":[{"id":"all","places":[{"world":true}]}],
		"methods":[{"id":"letter","label":"Letter to your mailbox","needs":{"weight":{"to":"2"}},"tables":[{"id":"t",
		"zones":["all"],"by":"order","rows":[{"charges":["2"]}]}]}]}`,
		),
	)
	require.Empty(t, faults)
	e := Compile(f, nil)
	q, _, faults := e.ReadRequest(
		[]byte(`{"to":{"country":"HK","city":"Kowloon"},"lines":[{"price":"1","weight":"3","quantity":1}]}`),
	)
	require.Empty(t, faults)
	a := e.Quote(&q[0])
	assert.Equal(
		t,
		"We cannot deliver this order to Kowloon, Hong Kong: too heavy for Letter to your mailbox (3 kg, limit 2 kg).",
		a.Message,
	)
	assert.Equal(
		t,
		"too heavy (3 kg, limit 2 kg)",
		a.Refused[0].Reason,
		"the owner reads it beside the method's name",
	)
	assert.Equal(t, OverLimit, a.Refused[0].Why.Cause)
}

// What is remembered is what would be worked out, also when it begins anew.
func TestWhatIsRememberedIsTheSame(t *testing.T) {
	var m memo[int, int]
	var asking sync.WaitGroup
	for w := range 4 {
		asking.Go(func() {
			for i := range maxMemo + 5000 {
				if got := m.get(i/(w+1), func() int { return 3 * (i / (w + 1)) }); got != 3*(i/(w+1)) {
					t.Errorf("%d: %d", i, got)
				}
			}
		})
	}
	asking.Wait()
	assert.LessOrEqual(t, len(m.known), maxMemo)
	e := checkoutEngine(t, "")
	for _, a := range []place.Address{{Country: "FI", Postcode: "21100"}, {Country: "FI", Postcode: "211 00"},
		{Country: "FI", City: "Turku", Region: "FI-19"}, {Country: "FI", City: strings.Repeat("ä", 300)}} {
		for range 2 {
			assert.Equal(t, a.Resolve(nil), e.Resolve(a))
		}
	}
}

// Goods are collected at one place, at several or at all; the buyer says which, and it is ready when that place says.
func TestWhereGoodsAreCollected(t *testing.T) {
	file := func(method string) []byte {
		return []byte(`{"format":"diadrom-store/1","store":{"name":"Made","currency":"EUR",
		"dispatch":{"time_zone":"UTC",
		"cut_off":"14:00"},"tax":{"prices_include_tax":true}},"locations":[
		{"id":"w","name":"Workshop","country":"FI","lat":"60.4674","lon":"22.0260","pickup":true,
		"hours":"Mon–Fri 10–18"},
		{"id":"hall","name":"Hall","country":"FI","lat":"60.4492","lon":"22.2661","pickup":true,
		 "ready":{"min":2,"max":3,"business":true}},
		{"id":"kiosk","name":"Kiosk","country":"FI","lat":"60.30","lon":"22.30"}],
		"zones":[{"id":"fi","places":[{"country":"FI"}]}],
		"methods":[{"id":"c","name":"Collect","kind":"pickup","days":{"min":0,"max":1,"business":true}` + method + `,
		"tables":[{"id":"t","zones":["fi"],"by":"order","rows":[{"charges":["0"]}]}]}]}`)
	}
	ask := func(point string) string {
		return `{"to":{"country":"FI","lat":"60.45","lon":"22.25"},"lines":[{"price":"10","weight":"1","quantity":1}],
		"at":"2026-11-26T10:00:00Z","checkout":true` + point + `}`
	}
	names := func(a *Answer) (list []string) {
		for _, p := range a.Options[0].Offer.Points {
			list = append(list, p.Location)
		}
		return list
	}
	for method, want := range map[string][]string{
		"":                              {"hall", "w"},
		`,"from":"kiosk"`:               {"kiosk"},
		`,"points":["kiosk","w"]`:       {"w", "kiosk"},
		`,"from":"w","points":["w"]`:    {"w"},
		`,"points":["kiosk","hall"]`:    {"hall", "kiosk"},
		`,"from":"w","points":["hall"]`: {"hall"},
	} {
		e := compiled(t, file(method))
		assert.Equal(t, want, names(e.Quote(read(t, e, ask("")))), "the nearest first: %s", method)
	}
	e := compiled(t, file(""))
	bare := e.Quote(read(t, e, ask(""))).Options[0].Offer.Points[0]
	assert.True(t, bare.Lat == "" && bare.Days == nil, "who does not know of points is answered as before")
	o := e.Quote(read(t, e, ask(`,"point":""`))).Options[0]
	assert.Empty(t, o.Point)
	assert.Equal(t, "2026-11-26", o.Dates.From)
	hall, w := o.Offer.Points[0], o.Offer.Points[1]
	assert.Equal(t, "0.891", *hall.Distance)
	assert.Equal(t, "2026-11-30", hall.Dates.From, "two working days after Thursday")
	assert.Equal(t, "2026-11-26", w.Dates.From, "as the method says")
	assert.Equal(t, [2]string{"60.4674", "22.026"}, [2]string{w.Lat, w.Lon})

	o = e.Quote(read(t, e, ask(`,"point":"hall"`))).Options[0]
	assert.Equal(t, "hall", o.Point)
	assert.Equal(t, "2026-11-30", o.Dates.From)
	assert.True(t, o.Offer.Points[0].Chosen && !o.Offer.Points[1].Chosen)
	assert.Equal(t, "2026-11-26", o.Offer.Points[1].Dates.From, "the other place is as soon as before")
	o = e.Quote(read(t, e, ask(`,"point":"kiosk"`))).Options[0]
	assert.Empty(t, o.Point, "it is not collected there")
	_, _, faults := e.ReadRequest([]byte(ask(`,"point":"harbour"`)))
	require.Len(t, faults, 1)
	assert.Equal(t, "/point", faults[0].Path)
	assert.Equal(t, fault.Reference, faults[0].Code)
	_, faults = store.Read(file(`,"points":["w","harbour"]`))
	require.Len(t, faults, 1)
	assert.Equal(t, "/methods/0/points/1", faults[0].Path)
}
