package carriers

import (
	"context"
	"fmt"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/outside/asking"
)

// Adapter speaks with one carrier in the way that it speaks. It is safe for many goroutines, keeps to the time limit of
// its context, and asks once: a quote never waits for a second try. What it answers is judged by its caller.
//
// An error is an [asking.Failure] where the owner is to read it: words that go on after the carrier's name.
type Adapter interface {
	// Services lists what the carrier offers.
	Services(ctx context.Context) ([]Service, error)
	// Rates is what the parcels of a question cost by each service that takes all of them.
	Rates(ctx context.Context, q *Question) (*Answer, error)
	// Resting says why the carrier is not asked at the moment, in words that go on after its name; "" where it is.
	Resting() string
}

// Service is a service of a carrier: its code, what it is called and how long it takes, where that is known.
type Service struct {
	Code string `json:"code"`
	Name string `json:"name"`
	Days *Days  `json:"days,omitempty"`
}

// Days is a delivery time from Min to Max days, working days where Business is set. Where one bound is missing it is
// the other.
type Days struct {
	Min      *int64 `json:"min"`
	Max      *int64 `json:"max"`
	Business bool   `json:"business"`
}

// Question is what a carrier is asked: what parcels cost from an address to another. Nothing else of an order is told.
type Question struct {
	Currency string   `json:"currency"` // ISO 4217
	From     Address  `json:"from"`
	To       Address  `json:"to"`
	Parcels  []Parcel `json:"parcels"`
}

// Address is an address; Country is ISO 3166-1 alpha-2, Region ISO 3166-2, Lat and Lon are degrees (WGS 84).
type Address struct {
	Country  string `json:"country"`
	Region   string `json:"region,omitempty"`
	City     string `json:"city,omitempty"`
	Postcode string `json:"postcode,omitempty"`
	Street   string `json:"street,omitempty"`
	Lat      string `json:"lat,omitempty"`
	Lon      string `json:"lon,omitempty"`
}

// Parcel is a parcel: decimals, in kilograms and centimetres. Sides that are not known are "".
type Parcel struct {
	Weight string `json:"weight_kg"`
	Length string `json:"length_cm,omitempty"`
	Width  string `json:"width_cm,omitempty"`
	Height string `json:"height_cm,omitempty"`
}

// Answer is what a carrier says: for each service that takes all parcels an amount for each of them, in their order.
type Answer struct {
	Currency string
	ValidFor time.Duration // for how long it may be remembered, at most [KeptFor] is
	Rates    []Rate
}

// Rate is what a service costs. Amounts are decimals of 0 or more, one for each parcel.
type Rate struct {
	Service string   `json:"service"`
	Name    string   `json:"name"`
	Amounts []string `json:"amounts"`
	Days    *Days    `json:"days,omitempty"`
}

// MaxDays is the longest delivery time that is believed.
const MaxDays = 3650

// failure is an [asking.Failure] with values in it.
func failure(format string, values ...any) error {
	return asking.Failure(fmt.Sprintf(format, values...))
}

// store gives a delivery time as methods have it; nil for none.
func (d *Days) store() (*store.Days, error) {
	if d == nil {
		return nil, nil
	}
	least, most := d.Min, d.Max
	if least == nil {
		least = most
	}
	if most == nil {
		most = least
	}
	if least == nil || *least < 0 || *most < *least || *most > MaxDays {
		return nil, failure("answered with a delivery time that cannot be")
	}
	return &store.Days{Min: *least, Max: *most, Business: d.Business}, nil
}

// Check judges an answer to a question and gives its rates.
func (a *Answer) Check(q *Question) ([]quote.CarrierRate, error) {
	if a.Currency != q.Currency {
		return nil, failure("answered in %.10q, not in %s", a.Currency, q.Currency)
	}
	if len(a.Rates) > maxRates {
		return nil, failure("answered with more than %d services", maxRates)
	}
	var rates []quote.CarrierRate
	seen := map[string]bool{}
	for _, r := range a.Rates {
		switch {
		case r.Service == "":
			return nil, failure("answered with a price of no service")
		case seen[r.Service]:
			return nil, failure("answered with service %.40q twice", r.Service)
		case len(r.Amounts) != len(q.Parcels):
			return nil, failure("answered with %d amounts for %d parcels", len(r.Amounts), len(q.Parcels))
		}
		seen[r.Service] = true
		rate := quote.CarrierRate{Service: r.Service, Name: cut(r.Name)}
		for _, text := range r.Amounts {
			d, err := decimal.Parse(text)
			if err != nil || d.Sign() < 0 {
				return nil, failure("answered with an amount that is not a decimal of 0 or more: %.20q", text)
			}
			rate.Amounts = append(rate.Amounts, d)
		}
		var err error
		if rate.Days, err = r.Days.store(); err != nil {
			return nil, err
		}
		rates = append(rates, rate)
	}
	return rates, nil
}

// CheckServices judges a list of services.
func CheckServices(list []Service) error {
	seen := map[string]bool{}
	if len(list) > maxRates {
		return failure("has more than %d services", maxRates)
	}
	for _, s := range list {
		if s.Code == "" || seen[s.Code] {
			return failure("answered with service %.40q twice, or without a code", s.Code)
		}
		seen[s.Code] = true
		if _, err := s.Days.store(); err != nil {
			return err
		}
	}
	return nil
}

// cut bounds a name that a carrier gives.
func cut(name string) string {
	if letters := []rune(name); len(letters) > maxName {
		return string(letters[:maxName])
	}
	return name
}

const maxName = 120

// AddressOf is an address as carriers are asked about it.
func AddressOf(a *place.Address) Address {
	out := Address{Country: a.Country, Region: a.Region, City: a.City, Postcode: a.Postcode, Street: a.Street}
	if a.Lat != nil && a.Lon != nil {
		out.Lat, out.Lon = a.Lat.String(), a.Lon.String()
	}
	return out
}

func questionOf(ask *quote.CarrierAsk) Question {
	q := Question{Currency: ask.Currency, From: AddressOf(&ask.From), To: AddressOf(&ask.To)}
	for _, p := range ask.Parcels {
		one := Parcel{Weight: p.Kilograms.String()}
		if len(p.Centimetres) == 3 {
			one.Length, one.Width, one.Height = p.Centimetres[0].String(), p.Centimetres[1].String(),
				p.Centimetres[2].String()
		}
		q.Parcels = append(q.Parcels, one)
	}
	return q
}

// DaysText writes a delivery time as people read it; "" for none.
func DaysText(d *Days) string {
	days, err := d.store()
	if err != nil {
		return ""
	}
	return terms.FormatDays(days)
}
