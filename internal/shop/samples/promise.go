package samples

import (
	"cmp"
	"encoding/json"
	"fmt"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/review/promise"
	"diadrom/internal/sqlite"
)

// Wanted is what an owner wants to hold of what the Till shows.
type Wanted struct {
	Holds   promise.Kind
	Method  string // of a price, or of what is offered or not
	Service string // of the method's carrier; "" where it asks none
	Amount  string // of a price
	Zone    string // of the zone that takes the address
}

// Promise makes a promise, without an id, of what the Till shows. It must hold.
func Promise(e *quote.Engine, t sqlite.Till, want Wanted) (p promise.Promise, err error) {
	p.Holds = want.Holds
	switch want.Holds {
	case promise.Price, promise.AtMost:
		d, err := decimal.Parse(want.Amount)
		if err != nil {
			return p, edit.Problemf("%.20q is no amount to promise", want.Amount)
		}
		p.Method, p.Service, p.Amount = want.Method, want.Service, &d
	case promise.Offered, promise.NotOffered:
		p.Method, p.Service = want.Method, want.Service
	case promise.Zone:
		p.Zone = want.Zone
	default:
		return p, edit.Problemf("choose what must hold")
	}
	if p.Method != "" && e.Store().Method(p.Method) == nil {
		return p, edit.Problemf("this method was removed meanwhile; nothing was kept")
	}
	q, _, err := Request(e, t)
	if err != nil {
		return p, edit.Problemf("%s", err.Error())
	}
	if p.Request, err = requestJSON(&q, t.Cart); err != nil {
		return p, err
	}
	p.Name = goodsOf(e.Store(), t.Cart) + " to " + t.Destination
	if !p.Check(e).Holds {
		return p, edit.Problemf("the quote has changed meanwhile; nothing was kept")
	}
	return p, nil
}

// requestJSON is a request as the promises' file has it.
func requestJSON(q *quote.Request, cart []sqlite.CartLine) ([]byte, error) {
	if cart == nil {
		cart = []sqlite.CartLine{}
	}
	request := map[string]any{"to": addressJSON(q.To), "lines": cart}
	if len(q.Coupons) > 0 {
		request["coupons"] = q.Coupons
	}
	if q.Customer != "" {
		request["customer"] = q.Customer
	}
	if q.Group != "" {
		request["group"] = q.Group
	}
	return json.Marshal(request)
}

// addressJSON is an address as a request has it.
func addressJSON(a place.Address) map[string]string {
	out := map[string]string{"country": a.Country}
	for name, value := range map[string]string{
		"region": a.Region, "city": a.City, "postcode": a.Postcode, "street": a.Street,
	} {
		if value != "" {
			out[name] = value
		}
	}
	if a.Lat != nil && a.Lon != nil {
		out["lat"], out["lon"] = a.Lat.String(), a.Lon.String()
	}
	return out
}

// goodsOf says in a few words what is in a cart.
func goodsOf(f *store.File, cart []sqlite.CartLine) string {
	var names []string
	for _, l := range cart {
		name := cmp.Or(l.Name, l.SKU)
		if p := f.Product(l.SKU); p != nil {
			name = cmp.Or(p.Name, p.SKU)
		}
		names = append(names, fmt.Sprintf("%d × %s", l.Quantity, name))
	}
	switch {
	case len(names) == 0:
		return "Nothing"
	case len(names) > 3:
		names = append(names[:2], fmt.Sprintf("%d more", len(names)-2))
	}
	return strings.Join(names, ", ")
}

// OfRequest is a Till with a request as JSON in it; home is the country in which addresses are written without one.
func OfRequest(data []byte, home string) (sqlite.Till, error) {
	var request struct {
		To              struct{ Country, Region, City, Postcode, Street, Lat, Lon string }
		Lines           []sqlite.CartLine
		Coupons         []string
		Customer, Group string
	}
	if err := json.Unmarshal(data, &request); err != nil {
		return sqlite.Till{}, err
	}
	to := request.To
	a := place.Address{Country: to.Country, Region: to.Region, City: to.City, Postcode: to.Postcode, Street: to.Street}
	if lat, err := decimal.Parse(to.Lat); err == nil {
		if lon, err := decimal.Parse(to.Lon); err == nil {
			a.Lat, a.Lon = &lat, &lon
		}
	}
	return sqlite.Till{
		Cart:        request.Lines,
		Destination: a.Line(home),
		Coupons:     strings.Join(request.Coupons, ", "),
		Customer:    request.Customer,
		Group:       request.Group,
	}, nil
}
