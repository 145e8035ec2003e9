package screen

import (
	"net/http"
	"testing"

	"diadrom/internal/draft"
	"diadrom/internal/promise"

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
	holds(t, keep("method", "parcel", "holds", "price", "amount", "6.90"), "5 promises hold", "Promised: 2 × Linen towel, 70 × 140, 1 × Birch ladle to 21160 Merimasku")
	holds(t, keep("method", "parcel", "holds", "price", "amount", "6.90"), "5 promises hold", "This is promised already")
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
	holds(t, body, "Parcel to your door costs 6.90", "now 7.20; it was 6.90, until method Parcel to the door changed", "Van round takes the address", "Freight to your yard is not offered")
	_, _ = s.post("/methods/locker/switch", "field", "enabled", "value", "")
	_, body = s.get("/promises")
	holds(t, body, "now not offered; it was 5.90, until method Parcel locker changed", "until method Parcel to the door changed")
	_, body = s.post("/undo")
	holds(t, body, "2 of 8 promises broken")
	_, body = s.post("/undo")
	holds(t, body, "8 promises hold")
	_, body = s.post("/redo")
	holds(t, body, "2 of 8 promises broken")
	_, body = s.get("/promises")
	holds(t, body, "until doing again: method Parcel to the door changed")

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
	holds(t, body, "taken out meanwhile")

	empty := opened(t, draft.Empty(), false)
	_, body = empty.get("/promises")
	holds(t, body, "every change then says at once whether it still holds")
	assert.NotContains(t, body, "promises hold")
}
