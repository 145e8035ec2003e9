package standin

import (
	"encoding/json"
	"net/http"
	"slices"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/jsonread"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
)

// Carrier is a carrier whose services are the methods of a store, quoted by the same engine, a parcel at a time. It is
// safe for many goroutines.
type Carrier struct{ engine *quote.Engine }

// NewCarrier makes a carrier of a store.
func NewCarrier(e *quote.Engine) *Carrier { return &Carrier{e} }

// validFor is for how many seconds its rates hold.
const validFor = 300

// maxQuestion is the longest question that is read, in bytes.
const maxQuestion = 1 << 20

type carrierDays struct {
	Min      int64 `json:"min"`
	Max      int64 `json:"max"`
	Business bool  `json:"business"`
}

func daysOf(d *store.Days) *carrierDays {
	if d == nil {
		return nil
	}
	return &carrierDays{d.Min, d.Max, d.Business}
}

// carrierParcel is a parcel of a question.
type carrierParcel struct {
	Weight string `json:"weight_kg"`
	Length string `json:"length_cm"`
	Width  string `json:"width_cm"`
	Height string `json:"height_cm"`
}

// carrierRate is a rate of an answer.
type carrierRate struct {
	Service string       `json:"service"`
	Name    string       `json:"name"`
	Amounts []string     `json:"amounts"`
	Days    *carrierDays `json:"days,omitempty"`
}

// ServeHTTP answers what the carrier's services are, and what parcels cost.
func (c *Carrier) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch {
	case r.Method == http.MethodGet && r.URL.Path == "/services":
		c.services(w)
	case r.Method == http.MethodPost && r.URL.Path == "/rates":
		c.rates(w, r)
	default:
		send(w, http.StatusNotFound, map[string]any{"error": "there is GET /services and POST /rates"})
	}
}

func (c *Carrier) services(w http.ResponseWriter) {
	type service struct {
		Code string       `json:"code"`
		Name string       `json:"name"`
		Days *carrierDays `json:"days,omitempty"`
	}
	list := []service{}
	f := c.engine.Store()
	for i := range f.Methods {
		if m := &f.Methods[i]; m.Enabled {
			list = append(list, service{m.ID, m.BuyersLabel(), daysOf(m.Days)})
		}
	}
	send(w, http.StatusOK, map[string]any{"services": list})
}

func (c *Carrier) rates(w http.ResponseWriter, r *http.Request) {
	refuse := func(why string) { send(w, http.StatusUnprocessableEntity, map[string]any{"error": why}) }
	var asked struct {
		Currency string          `json:"currency"`
		To       json.RawMessage `json:"to"`
		Parcels  []carrierParcel `json:"parcels"`
	}
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, maxQuestion)).Decode(&asked); err != nil {
		refuse("the question is not of the form that is expected")
		return
	}
	f := c.engine.Store()
	if asked.Currency != f.Store.Currency {
		refuse("rates are in " + f.Store.Currency)
		return
	}
	reader := jsonread.New(asked.To, "/to")
	q := quote.Request{To: store.ReadAddress(reader)}
	if reader.End(); len(reader.Faults) > 0 {
		refuse(reader.Faults[0].Message)
		return
	}
	var rates []carrierRate
	for i := range asked.Parcels {
		p, ok := c.product(&asked.Parcels[i])
		if !ok {
			refuse("a parcel has a weight and, where they are known, sides: decimals as strings")
			return
		}
		q.Lines = []quote.Line{{Product: p, Quantity: 1}}
		rates = add(rates, c.engine.Quote(&q).Options, i)
	}
	rates = slices.DeleteFunc(rates, func(r carrierRate) bool { return len(r.Amounts) < len(asked.Parcels) })
	if rates == nil {
		rates = []carrierRate{}
	}
	send(w, http.StatusOK, map[string]any{"currency": asked.Currency, "valid_for": validFor, "rates": rates})
}

// add adds what the i-th parcel costs to the services that took all before it.
func add(rates []carrierRate, options []quote.Option, i int) []carrierRate {
	for _, o := range options {
		at := slices.IndexFunc(rates, func(r carrierRate) bool { return r.Service == o.Method })
		if at < 0 {
			rates = append(rates, carrierRate{Service: o.Method, Name: o.Label, Days: daysOf(o.Days)})
			at = len(rates) - 1
		}
		if len(rates[at].Amounts) == i {
			rates[at].Amounts = append(rates[at].Amounts, o.Charge)
		}
	}
	return rates
}

// answeredDecimals is to how many decimals the stand-in rounds measures in the unit of its own store.
const answeredDecimals = 6

// product is a parcel as goods of the store.
func (c *Carrier) product(p *carrierParcel) (out store.Product, ok bool) {
	s := &c.engine.Store().Store
	out = store.Product{Name: "parcel", NeedsShipping: true}
	weight, err := decimal.Parse(p.Weight)
	if err != nil || weight.Sign() < 0 {
		return out, false
	}
	weight = measure.ConvertTo(measure.Weight, weight, "kg", s.WeightUnit, answeredDecimals)
	out.Weight = &weight
	for _, side := range []struct {
		text string
		into **decimal.Decimal
	}{{p.Length, &out.Length}, {p.Width, &out.Width}, {p.Height, &out.Height}} {
		if side.text == "" {
			continue
		}
		d, err := decimal.Parse(side.text)
		if err != nil || d.Sign() < 0 {
			return out, false
		}
		d = measure.ConvertTo(measure.Length, d, "cm", s.LengthUnit, answeredDecimals)
		*side.into = &d
	}
	return out, true
}
