package web

import (
	"context"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/demo"
	"diadrom/internal/shop/draft"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The Till says of each option what it costs the shop and what is left, where the shop has said what carriers bill;
// the page that shows what the buyer sees does not.
func TestTheTillSaysWhatAnOptionCostsTheShop(t *testing.T) {
	f, err := demo.Store()
	require.NoError(t, err)
	f.Costs = nil
	data := f.Write()
	entry := `"costs":[{"id":"post","name":"Post 2026","methods":["parcel"],"per_parcel":"0.35","tables":[{"id":"t",` +
		`"zones":["finland"],"by":"weight","edges":"up_to",` +
		`"rows":[{"at":null,"charges":["4.00"]}]}]},` +
		`{"id":"lockers","name":"Lockers 2026","methods":["locker"],"tables":[{"id":"t","zones":["finland"],` +
		`"by":"order","rows":[{"charges":[null]}]}]}]}`
	at := len(data) - 1
	for data[at] != '}' {
		at--
	}
	with, faults := store.Read([]byte(string(data[:at]) + "," + entry))
	require.Empty(t, faults)
	s := opened(t, with, true)
	s.post("/till/destination", "to", "20100 Turku")
	_, body := s.get("/zones")
	holds(t, body, "Costs you €5.45, leaves €0.05 after tax",
		"Cost not known: Lockers 2026 has no price for this order") // 6.90 − 1.40 − 4.00 − 0.35 − 1.10 for the box
	s.post("/till/line", "line", "0", "field", "quantity", "value", "5")
	_, body = s.get("/zones")
	holds(t, body, "cost loses", ", a loss of €") // delivery is free by then
	_, body = s.get("/checkout")
	assert.NotContains(t, body, "Costs you")
	plain := lauha(t)
	plain.post("/till/destination", "to", "20100 Turku")
	_, body = plain.get("/zones")
	assert.NotContains(t, body, "Costs you €5.45")
	assert.NotContains(t, body, "Cost not known")
}

// A shop begins with its costs: an entry, its prices as in any grid, the methods that it is of, and a carrier's file.
func TestCostsAreEnteredAsPricesAre(t *testing.T) {
	s := opened(t, draft.Empty(), false)
	_, body := s.get("/costs")
	holds(t, body, "Costs belong to delivery methods. There are none yet.")
	s = lauha(t)
	_, body = s.get("/costs?new=yes")
	holds(t, body, `value="freight"`, "Or take them from the carrier")
	assert.NotContains(t, body, `value="parcel"`, "its costs are there")
	status, body := s.post("/costs", "method", "parcel", "name", "Twice", "by", "weight")
	assert.Equal(t, 422, status)
	holds(t, body, "what Parcel to the door costs is in Post, parcels 2026 already", `value="Twice"`)
	status, _ = s.post("/costs", "method", "van", "name", "Van 2026", "by", "distance")
	assert.Less(t, status, 400)
	_, body = s.get("/rates/cost--van-2026")
	holds(
		t,
		body,
		"Van 2026, by distance",
		"What a carrier bills you, without tax",
		"now Post, letters 2026",
		"Make new costs",
	)
	assert.NotContains(t, body, `id="said"`)
	dom := "c-list-0-0"
	status, body = s.post(
		"/rates/cost--van-2026/list/cell",
		"dom",
		dom,
		"at",
		"",
		"zone",
		"van-round",
		"was",
		"no",
		"text",
		"2.00 + 0.45 per km",
	)
	assert.Equal(t, 200, status)
	holds(t, body, "2.00 + 0.45 per km")
	status, body = s.post(
		"/rates/cost--van-2026/list/cell",
		"dom",
		dom,
		"at",
		"",
		"zone",
		"home",
		"was",
		"no",
		"text",
		"x",
	)
	assert.Equal(t, 422, status)
	holds(t, body, ">x</textarea>")
	_, body = s.get("/live")
	holds(t, body, "Van 2026")
	status, body = s.post("/costs/van-2026", "field", "per-parcel", "value", "x")
	assert.Equal(t, 422, status)
	holds(t, body, `value="x"`)
	_, _ = s.post("/costs/van-2026", "field", "method", "method", "letter", "value", "on")
	_, body = s.get("/rates/cost--post-letters")
	holds(t, body, "now Van 2026")
	status, _ = s.post("/costs/van-2026/remove")
	assert.Equal(t, 204, status)
	status, _ = s.get("/rates/cost--van-2026")
	assert.Equal(t, 404, status)
	_, _ = s.post("/undo")
	status, _ = s.get("/rates/cost--van-2026")
	assert.Equal(t, 200, status)
}

// A carrier's file becomes new costs, without the tax that it speaks of, and updates those that are there.
func TestACarriersFileBecomesCosts(t *testing.T) {
	s := lauha(t)
	const list = "Prices excl. VAT\nZone,to kg,price\nFinland,2,4.10\nFinland,5,4.90\nLapland,2,5.50\nLapland,5,6.60\n"
	_, page := s.send("/rates-file?into=cost--", "post.csv", list)
	holds(t, page, "Import as costs called")
	assert.NotContains(t, page, "without tax: ", "costs are without tax as the file is")
	status, _ := s.post(form(t, page), "name", "Post 2027")
	assert.Less(t, status, 400)
	c := s.draft.State().File.Costs
	require.Len(t, c, 4)
	assert.Equal(
		t,
		[]any{"Post 2027", 0, []string{"finland", "lapland"}},
		[]any{c[3].Name, len(c[3].Methods), c[3].Tables[0].Zones},
	)
	_, page = s.send("/rates-file?into=cost--post-parcels/list", "post.csv", list)
	holds(t, page, "the costs Post, parcels 2026", "4.10", "was 3.90")
	_, _ = s.post(form(t, page))
	assert.Equal(t, "4.1", s.draft.State().File.Costs[1].Tables[0].Rows[0].Charges[0].Base.String())
	_, page = s.send("/rates-file?into=cost--", "post.csv", strings.Replace(list, "excl.", "incl.", 1))
	holds(t, page, "Costs are without tax")
}

// Under the curve of a method's prices stands what they must be to pay for sending, and where they are less.
func TestCurvesShowWhereAPriceLiesBelowItsCost(t *testing.T) {
	s := lauha(t)
	_, body := s.get("/rates/parcel")
	holds(t, body, "cost-line", "cost-loss", "2.001 kg costs you €12.85 to send")
	_, body = s.get("/rates/van")
	assert.NotContains(t, body, "cost-line", "nothing says what the van costs")
	s.post("/rates/parcel/list/cell", "at", "5", "zone", "baltic", "was", "15.50", "text", "16.50", "dom", "c-list-1-3")
	_, body = s.get("/rates/parcel")
	holds(t, body, "cost-line")
	assert.NotContains(t, body, "to send, which is")
}

// A large shop that says what sending costs is edited without a wait: the lines of costs are drawn as soon as the shop has
// been read.
func TestCostsOfALargeShopAreDrawnOnceItIsRead(t *testing.T) {
	size := storetest.Small
	size.Zones, size.Codes = 250, 100
	b := benchOf(t, size, t.TempDir())
	require.True(t, b.d.State().Large())
	_, err := b.d.Edit(context.Background(), func(f *store.File) error {
		six := decimal.FromInt(6)
		f.Costs = append(f.Costs, store.Cost{ID: "post", Name: "Post", Methods: []string{"m1"}, Classes: store.Together,
			Tables: []rate.Table{{ID: "list", Zones: []string{"fi"}, By: rate.ByOrder, Rows: []rate.Row{{Charges: []*rate.Charge{{Base: &six}}}}}}})
		return nil
	})
	require.NoError(t, err)
	b.price()
	require.Eventually(t, func() bool {
		return strings.Contains(b.get("/rates/m1/list/warnings"), `class="cost-line`)
	}, 30*time.Second, 50*time.Millisecond)
}
