package web

import (
	"net/http"
	"strings"
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/widget"

	"github.com/stretchr/testify/assert"
)

func TestTheCheckoutBeginsWithWhatLiesInTheTill(t *testing.T) {
	s := lauha(t)
	_, _ = s.post("/till/destination", "to", "22100 Mariehamn")
	status, body := s.get("/checkout")
	assert.Equal(t, http.StatusOK, status)
	holds(
		t,
		body,
		`"postcode":"22100"`,
		`"sku":"TOWEL-70"`,
		`"shape":"5 digits"`,
		`<option value="FI" selected>Finland`,
		`"currency":"EUR"`,
	)
	assert.NotContains(t, body, "6.90", "no price of delivery is in the page: all are asked of the API")
	_, body = s.get("/checkout/goods?text=stone-20")
	holds(t, body, `"sku":"STONE-20"`, `"price":"39.00"`)
	status, body = s.get("/checkout/goods?text=" + strings.Repeat("%C3%A4", 100))
	assert.Equal(t, http.StatusNotFound, status)
	holds(t, body, "there is no product")
}

func TestTheOwnersChoicesOfTheCheckoutAreAnEdit(t *testing.T) {
	s := lauha(t)
	_, body := s.get("/checkout")
	assert.NotContains(t, body, "set-prices", "what is live is not chosen there")
	_, body = s.post("/checkout/choices", "field", "prices", "value", "wait")
	holds(t, body, `<option value="wait" selected>`)
	_, _ = s.post("/checkout/choices", "field", "options", "value", "menu")
	assert.Equal(
		t,
		&store.Checkout{PricesWait: true, Options: "menu", Address: "delivery"},
		s.draft.State().File.Store.Checkout,
	)
	status, body := s.post("/checkout/choices", "field", "options", "value", "wheel")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, `"wheel" is none of list, menu`, `<option value="menu" selected>`)
	status, _ = s.post("/checkout/choices", "field", "colour", "value", "red")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	_, _ = s.post("/undo")
	_, _ = s.post("/undo")
	assert.Nil(t, s.draft.State().File.Store.Checkout, "undone as any edit")
}

// The page of the element shows what is live with the Till's cart, and says so where nothing is.
func TestTheElementIsShownWithTheTillsCart(t *testing.T) {
	s := opened(t, draft.Empty(), false)
	status, body := s.get("/checkout/element")
	assert.Equal(t, 200, status)
	holds(t, body, "Nothing is live yet", `href="/live"`)
	assert.NotContains(t, body, "diadrom-delivery")
	s = lauha(t)
	_, body = s.get("/checkout/element")
	holds(t, body, "<diadrom-delivery", `country="FI"`, "sku", widget.Path()[1:len("/widget-")],
		widget.Integrity(widget.Script))
	_, people := s.get("/people")
	assert.NotContains(t, people, "/widget-", "the snippet comes with a key")
}
