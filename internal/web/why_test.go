package web

import (
	"testing"

	"diadrom/internal/shop/draft"
)

func TestWhereAPriceComesFromIsShownForTheTill(t *testing.T) {
	s := lauha(t)
	s.post("/till/destination", "to", "99980 Utsjoki")
	_, body := s.get("/quotes/why?method=parcel")
	holds(t, body, "Parcel to your door for the Till's cart to 99980 Utsjoki", "Far north: 4.00", "not this order",
		"would come next", "included in the price")
	s.post("/till/buyer", "field", "customer", "value", "C-1007")
	_, body = s.get("/quotes/why?method=parcel")
	holds(t, body, "customer C-1007", "decides", "would decide", "€10.00")
	_, body = s.get("/zones")
	holds(t, body, `href="/quotes/why?method=parcel">Where this price comes from`)
	s.post("/till/destination", "to", "10115 Berlin, Germany")
	_, body = s.get("/quotes/why?method=van")
	holds(t, body, "not offered")
	_, body = s.get("/quotes/why?method=gone")
	holds(t, body, "Letter to your mailbox for the Till's cart")
	empty := opened(t, draft.Empty(), false)
	_, body = empty.get("/quotes/why")
	holds(t, body, "There is no method yet")
}
