package quote

import (
	"encoding/json"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/store"

	"github.com/sosodev/duration"
)

type requestWire struct {
	To       addressWire `json:"to"`
	Lines    []lineWire  `json:"lines"`
	Coupons  []string    `json:"coupons,omitempty"`
	Customer string      `json:"customer,omitempty"`
	Group    string      `json:"group,omitempty"`
	Point    string      `json:"point,omitempty"`
	Parcels  bool        `json:"parcels,omitempty"`
	Costs    bool        `json:"costs,omitempty"`
	Checkout bool        `json:"checkout,omitempty"`
	At       string      `json:"at,omitempty"`
	Hold     string      `json:"hold,omitempty"`
	Language string      `json:"language,omitempty"`
}

type addressWire struct {
	Country  string           `json:"country"`
	Region   string           `json:"region,omitempty"`
	City     string           `json:"city,omitempty"`
	Postcode string           `json:"postcode,omitempty"`
	Street   string           `json:"street,omitempty"`
	Lat      *decimal.Decimal `json:"lat,omitempty"`
	Lon      *decimal.Decimal `json:"lon,omitempty"`
}

// lineWire has a field only where the line says it.
type lineWire struct {
	SKU           string           `json:"sku,omitempty"`
	Name          string           `json:"name,omitempty"`
	Price         *decimal.Decimal `json:"price,omitempty"`
	Weight        *decimal.Decimal `json:"weight,omitempty"`
	Length        *decimal.Decimal `json:"length,omitempty"`
	Width         *decimal.Decimal `json:"width,omitempty"`
	Height        *decimal.Decimal `json:"height,omitempty"`
	Class         string           `json:"class,omitempty"`
	NeedsShipping *bool            `json:"needs_shipping,omitempty"`
	ShipsFree     bool             `json:"ships_free,omitempty"`
	OwnParcel     bool             `json:"own_parcel,omitempty"`
	Upright       bool             `json:"upright,omitempty"`
	From          string           `json:"from,omitempty"`
	Quantity      int64            `json:"quantity"`
}

// MarshalJSON writes a request as [Engine.ReadRequest] reads it, with all that its lines say of their goods: it is read
// alike whatever the store that it is asked of has of them. [Request.For] gives the shorter form.
func (q *Request) MarshalJSON() ([]byte, error) { return json.Marshal(q.wire(nil)) }

// For is the request as it is written for a store: goods that are as the store has them are named by their sku alone.
func (q *Request) For(f *store.File) json.Marshaler { return writtenFor{q, f} }

type writtenFor struct {
	q *Request
	f *store.File
}

func (w writtenFor) MarshalJSON() ([]byte, error) { return json.Marshal(w.q.wire(w.f)) }

func (q *Request) wire(f *store.File) requestWire {
	w := requestWire{
		To:      wireAddress(&q.To),
		Lines:   make([]lineWire, len(q.Lines)),
		Coupons: q.Coupons, Customer: q.Customer, Group: q.Group,
		Point: q.Point, Parcels: q.Parcels, Costs: q.Costs, Checkout: q.Checkout, Language: q.Language,
	}
	if !q.At.IsZero() {
		w.At = q.At.Format(time.RFC3339)
	}
	if q.Hold > 0 {
		w.Hold = duration.Format(q.Hold)
	}
	for i := range q.Lines {
		w.Lines[i] = wireLine(f, &q.Lines[i])
	}
	return w
}

func wireAddress(a *place.Address) addressWire {
	return addressWire{a.Country, a.Region, a.City, a.Postcode, a.Street, a.Lat, a.Lon}
}

func wireLine(f *store.File, l *Line) lineWire {
	p := &l.Product
	if f != nil && p.SKU != "" {
		if known := f.Product(p.SKU); known != nil && *known == *p {
			return lineWire{SKU: p.SKU, Quantity: l.Quantity}
		}
	}
	w := lineWire{Name: p.Name, Price: &p.Price, Weight: p.Weight, Length: p.Length, Width: p.Width, Height: p.Height,
		Class: p.Class, ShipsFree: p.ShipsFree, OwnParcel: p.OwnParcel, Upright: p.Upright, From: p.From,
		Quantity: l.Quantity}
	if !p.NeedsShipping {
		w.NeedsShipping = new(bool)
	}
	return w
}
