package web

import (
	"fmt"
	"net/http"
	"runtime"
	"strings"
	"testing"

	"diadrom/internal/review/promise"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/promises"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPromisesAreCheckedAtEveryEdit(t *testing.T) {
	s := lauha(t) // with four promises of its own; two towels and a ladle to Merimasku in the Till
	keep := func(pairs ...string) string {
		status, body := s.post("/promises", pairs...)
		require.Equal(t, http.StatusOK, status)
		return body
	}
	holds(
		t,
		keep("method", "parcel", "holds", "price", "amount", "6.90"),
		"5 promises hold",
		"Promised: 2 × Linen towel, 70 × 140, 1 × Birch ladle to 21160 Merimasku",
	)
	holds(
		t,
		keep("method", "parcel", "holds", "price", "amount", "6.90"),
		"5 promises hold",
		"This is promised already",
	)
	holds(t, keep("method", "locker", "holds", "at_most", "amount", "5.90"), "6 promises hold")
	holds(t, keep("method", "freight", "holds", "not_offered"), "7 promises hold")
	holds(t, keep("holds", "zone", "zone", "van-round"), "8 promises hold")
	holds(t, keep("method", "parcel", "holds", "price", "amount", "1.00"), "8 promises hold", "changed meanwhile")
	holds(t, keep("method", "parcel", "holds", "never"), "8 promises hold", "choose what must hold")
	holds(t, keep("method", "nobody", "holds", "offered"), "8 promises hold", "removed meanwhile")
	holds(t, keep("method", "parcel", "holds", "price", "amount", "cheap"), "8 promises hold", "no amount")

	_, body := s.post("/rates/parcel/list/cell", "zone", "finland", "at", "2", "was", "6.90", "text", "7.20")
	holds(t, body, "2 of 8 promises broken") // the Till's and the demo's towel to Helsinki, in the same exchange
	_, body = s.get("/promises")
	holds(
		t,
		body,
		"Parcel to your door costs €6.90",
		"now €7.20; it was €6.90, until Parcel to the door, Finland, up to and including 2 kg: 6.90 → 7.20",
		"Van round takes the address",
		"Freight to your yard is not offered",
	)
	_, _ = s.post("/methods/locker/switch", "field", "enabled", "value", "")
	_, body = s.get("/promises")
	holds(
		t,
		body,
		"now not offered; it was €5.90, until Parcel locker: switched off",
		"until Parcel to the door, Finland, up to and including 2 kg: 6.90 → 7.20",
	)
	_, body = s.post("/undo")
	holds(t, body, "2 of 8 promises broken")
	_, body = s.post("/undo")
	holds(t, body, "8 promises hold")
	_, body = s.post("/redo")
	holds(t, body, "2 of 8 promises broken")
	_, body = s.get("/promises")
	holds(t, body, "until doing again: Parcel to the door, Finland, up to and including 2 kg: 6.90 → 7.20")

	_, body = s.post("/promises/aland/try")
	holds(t, body, `value="22100 Mariehamn"`)
	_, body = s.post("/promises/helsinki/forget")
	holds(t, body, "1 of 7 promises broken")
	assert.NotContains(t, body, `id="promise-helsinki"`)
	_, body = s.get("/promises.json")
	list, faults := promise.Read([]byte(body))
	require.Empty(t, faults)
	assert.Len(t, list, 7)
	status, body := s.post("/promises/gone/try")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "removed meanwhile")

	_, kept := s.get("/promises.json")
	status, body = s.send("/promises/file", "mine.json", kept)
	assert.Equal(t, http.StatusOK, status)
	assert.NotContains(t, body, "not taken in")
	_, again := s.get("/promises.json")
	assert.Equal(t, kept, again, "its own list changes nothing")
	status, body = s.send(
		"/promises/file",
		"mine.json",
		strings.Replace(kept, `"holds":"price"`, `"holds":"always"`, 1),
	)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(
		t,
		body,
		`mine.json was not imported: "always" is none of price, at_most, offered, not_offered, zone at /promises/`,
	)
	_, again = s.get("/promises.json")
	assert.Equal(t, kept, again, "nothing of a list with a fault is taken in")

	empty := opened(t, draft.Empty(), false)
	_, _ = empty.send("/promises/file", "mine.json", kept)
	_, body = empty.get("/promises")
	holds(t, body, "cannot be asked: the store has no product")
	empty = opened(t, draft.Empty(), false)
	_, body = empty.get("/promises")
	holds(t, body, "every change then says at once whether it still holds")
	assert.NotContains(t, body, "promises hold")
}

// What is said to be lacking is what is lacking: with so much more in the cart it is free.
func TestTheTillSaysWhatMakesAnOptionFree(t *testing.T) {
	s := lauha(t) // 82.00 of goods; the locker is free from 90.00, the parcel from 120.00
	_, body := s.get("/zones")
	holds(
		t,
		body,
		"Spend €38.00 more for free delivery",
		"Spend €8.00 more for free delivery",
		`<a href="/rates/parcel">`,
		`<a href="/zones?zone=finland#zone-finland">Finland</a>`,
	)
	_, body = s.post("/goods/cell", "sku", "LADLE-B", "field", "price", "was", "24.00", "text", "32.00")
	holds(t, body, "Spend €30.00 more for free delivery", `<a href="/methods/locker#terms">free from 90.00`)
}

func TestTheLastDestinationsAreAtHand(t *testing.T) {
	s := lauha(t)
	near := func(line string) string { return `hx-vals='{"to":"` + line + `"}'>` + line + "</button>" }
	_, body := s.get("/zones")
	holds(t, body, near("21660 Nauvo")) // the shop's usual ones, where nothing was tried yet
	for _, to := range []string{"22100 Mariehamn", "99980 Utsjoki", "NO 0150 Oslo"} {
		_, body = s.post("/till/destination", "to", to)
	}
	order := []string{near("99980 Utsjoki"), near("22100 Mariehamn"), near("21160 Merimasku"), near("21660 Nauvo")}
	holds(t, body, order...)
	for i := 1; i < len(order); i++ {
		assert.Less(t, strings.Index(body, order[i-1]), strings.Index(body, order[i]), "the last first")
	}
	assert.NotContains(t, body, near("NO 0150 Oslo"), "it is there already")
}

func TestTheTillAsksWhoBuysWherePricesLookAtIt(t *testing.T) {
	s := lauha(t)
	_, _ = s.post(
		"/methods/parcel/term",
		"zone",
		"",
		"field",
		"free",
		"was",
		"from 120.00",
		"text",
		"from 120 or with coupon LÖYLY",
	)
	_, body := s.get("/zones")
	holds(t, body, `id="till-coupons"`)
	assert.NotContains(t, body, `id="till-group"`)
	_, body = s.post("/till/buyer", "field", "coupons", "value", "  löyly ")
	holds(t, body, `value="löyly"`, "free with a coupon")
	_, body = s.post("/promises", "method", "parcel", "holds", "price", "amount", "0.00")
	holds(t, body, "Promised: ")
	_, _ = s.post("/till/buyer", "field", "coupons", "value", "")
	_, body = s.get("/promises")
	holds(t, body, "5 promises hold") // with the coupon that it was kept with
	_, body = s.post("/promises/promise/try")
	holds(t, body, `value="löyly"`)
	_, _ = s.post("/methods/locker/term", "zone", "", "field", "groups", "was", "", "text", "trade")
	_, body = s.get("/zones")
	holds(t, body, `<option value="trade">trade</option>`, "Parcel locker near you</b> ")
	_, body = s.post("/till/buyer", "field", "group", "value", "trade")
	holds(t, body, `<option value="trade" selected>trade</option>`, `data-method="locker"`)
	status, _ := s.post("/till/buyer", "field", "customer", "value", strings.Repeat("x", 400))
	assert.Equal(t, http.StatusUnprocessableEntity, status)
}

// A shop keeps so many promises and no more, and its own export always fits back in.
func TestPromisesAreBoundedForTheShop(t *testing.T) {
	s := lauha(t)
	lines := strings.Repeat(`{"quantity":1},`, 9_000) + `{"quantity":1}`
	list := func(from, to int) string {
		var b strings.Builder
		b.WriteString(`{"format":"diadrom-promises/1","promises":[`)
		for i := from; i < to; i++ {
			if i > from {
				b.WriteByte(',')
			}
			fmt.Fprintf(
				&b,
				`{"id":"p%d","name":"P","holds":"offered","method":"parcel","request":{"to":{"country":"FI",
		"postcode":"00100"},"lines":[%s]}}`,
				i,
				lines,
			)
		}
		return b.String() + "]}"
	}
	status, _ := s.send("/promises/file", "p.json", list(0, 30))
	require.Equal(t, http.StatusOK, status)
	status, body := s.send("/promises/file", "p.json", list(30, 60))
	require.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "a shop keeps at most 10000 promises, of 6 MB together")
	_, kept := s.get("/promises.json")
	assert.Less(t, len(kept), promises.MaxFile)
	status, _ = s.send("/promises/file", "p.json", kept)
	assert.Equal(t, http.StatusOK, status)
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	_, _ = s.post("/rates/parcel/list/at", "at", "3", "was", "2")
	runtime.ReadMemStats(&after)
	assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(1<<30), "an edit checks all of them, one at a time")
}

// Many promises are shown in parts, the broken ones first, and found by what they say.
func TestManyPromisesAreShownInPartsAndFound(t *testing.T) {
	s := lauha(t) // with four of its own
	var b strings.Builder
	b.WriteString(`{"format":"diadrom-promises/1","promises":[`)
	for i := range 120 {
		if i > 0 {
			b.WriteByte(',')
		}
		kind := "offered"
		if i == 100 {
			kind = "not_offered" // which is broken
		}
		fmt.Fprintf(&b, `{"id":"p%d","name":"Order %d","holds":%q,"method":"parcel","request":{"to":{"country":"FI",
			"postcode":"00100"},"lines":[{"sku":"TOWEL-70","quantity":1}]}}`, i, i, kind)
	}
	status, body := s.send("/promises/file", "p.json", b.String()+"]}")
	require.Equal(t, http.StatusOK, status)
	rows := func(body string) int { return strings.Count(body, `aria-label="Forget: `) }
	assert.Equal(t, 50, rows(body))
	_, body = s.get("/promises")
	assert.Equal(t, 50, rows(body))
	holds(t, body, "1 of 124 promises broken", `id="promise-p100"`, `href="?from=51" rel="next"`)
	_, body = s.get("/promises?from=101")
	assert.Equal(t, 24, rows(body))
	assert.NotContains(t, body, `id="promise-p100"`)
	_, body = s.get("/promises?find=order+10")
	assert.Equal(t, 12, rows(body), "10, 100 to 109, 110")
	holds(t, body, "12 found", `value="order 10"`)
	_, body = s.get("/promises?find=nobody+has+this")
	assert.Zero(t, rows(body))
	holds(t, body, "0 found", "1 of 124 promises broken", "Show all")
	assert.NotContains(t, body, "A promise is a cart")
	_, body = s.get("/promises?find=order")
	assert.Equal(t, 50, rows(body))
	holds(t, body, "120 found", `from=51" rel="next"`, `find=order`)
}
