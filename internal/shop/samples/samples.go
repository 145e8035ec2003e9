// Package samples tries a shop's prices with what the owner keeps for it: what lies in the Till, the sample
// carts and the usual destinations.
package samples

import (
	"context"
	"strings"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/core/world"
	"diadrom/internal/review/compare"
	"diadrom/internal/sqlite"
)

// Source is where what owners try their prices with is kept.
type Source interface {
	LoadTill(ctx context.Context) (t sqlite.Till, ok bool, err error)
	Samples(ctx context.Context) (carts []sqlite.SampleCart, destinations []string, err error)
}

// emptyCart is what a shop without goods tries its prices with.
var emptyCart = []sqlite.CartLine{{Name: "A parcel", Price: "20.00", Weight: "1", Quantity: 1}}

// Till is what lies in the Till; something to begin with where it was never changed.
func Till(ctx context.Context, db Source, f *store.File) (sqlite.Till, error) {
	t, ok, err := db.LoadTill(ctx)
	if err == nil && !ok {
		t = sqlite.Till{Cart: emptyCart, Destination: "Finland"}
		if h := f.Home(); h != "" {
			t.Destination = world.CountryName(h)
		}
	}
	return t, err
}

// Request makes a Till a request, with the lines of the cart that each of its lines is. Lines whose product is
// gone are left out; the error is of the destination, of which as much is there as could be read.
func Request(e *quote.Engine, t sqlite.Till) (q quote.Request, lines []int, err error) {
	f := e.Store()
	q.At, q.Coupons, q.Customer, q.Group = time.Now(), Coupons(t.Coupons), t.Customer, t.Group
	q.To, err = typed.For(f, e.Gazetteer()).Address(t.Destination)
	for i, l := range t.Cart {
		p := store.Product{Name: l.Name, NeedsShipping: true}
		if l.SKU != "" {
			known := f.Product(l.SKU)
			if known == nil {
				continue
			}
			p = *known
		}
		said(&p, &l, f)
		q.Lines, lines = append(q.Lines, quote.Line{Product: p, Quantity: l.Quantity}), append(lines, i)
	}
	return q, lines, err
}

// said gives goods what a line says of them by itself. A class or a place of the shop that is gone counts as none.
func said(p *store.Product, l *sqlite.CartLine, f *store.File) {
	if d, err := decimal.Parse(l.Price); err == nil {
		p.Price = d
	}
	for _, m := range []struct {
		text string
		into **decimal.Decimal
	}{{l.Weight, &p.Weight}, {l.Length, &p.Length}, {l.Width, &p.Width}, {l.Height, &p.Height}} {
		if d, err := decimal.Parse(m.text); err == nil {
			*m.into = &d
		}
	}
	if l.Class != "" && f.Class(l.Class) != nil {
		p.Class = l.Class
	}
	if l.From != "" && f.Location(l.From) != nil {
		p.From = l.From
	}
	if l.NeedsShipping != nil {
		p.NeedsShipping = *l.NeedsShipping
	}
	p.ShipsFree, p.OwnParcel = p.ShipsFree || l.ShipsFree, p.OwnParcel || l.OwnParcel
	p.Upright = p.Upright || l.Upright
}

// Coupons reads coupons as they are typed.
func Coupons(text string) (list []string) {
	for _, c := range strings.Split(text, ",") {
		if c = strings.TrimSpace(c); c != "" {
			list = append(list, c)
		}
	}
	return list
}

// Compare quotes the sample carts to the usual destinations from two stores; those of the Till where there are
// none. before may be nil.
func Compare(ctx context.Context, db Source, before, after *quote.Engine) (compare.Report, error) {
	carts, destinations, err := db.Samples(ctx)
	if err != nil {
		return compare.Report{}, err
	}
	t, err := Till(ctx, db, after.Store())
	if err != nil {
		return compare.Report{}, err
	}
	if len(carts) == 0 {
		carts = []sqlite.SampleCart{{Name: "The Till's cart", Lines: t.Cart}}
	}
	if len(destinations) == 0 {
		destinations = []string{t.Destination}
	}
	var cases []compare.Case
	for _, cart := range carts {
		for _, to := range destinations {
			try := t
			try.Cart, try.Destination = cart.Lines, to
			c := compare.Case{Cart: cart.Name, To: to, After: whole(after, try)}
			if before != nil {
				c.Before = whole(before, try)
			}
			cases = append(cases, c)
		}
	}
	return compare.Quotes(before, after, cases), nil
}

// whole is what lies in a Till as a request; nil where the store lacks some of the goods, or cannot read the address.
func whole(e *quote.Engine, t sqlite.Till) *quote.Request {
	q, lines, err := Request(e, t)
	if err != nil || len(lines) != len(t.Cart) {
		return nil
	}
	return &q
}
