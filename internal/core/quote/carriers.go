package quote

import (
	"cmp"
	"encoding/binary"
	"slices"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/place"
	"diadrom/internal/core/store"
)

// Carriers asks carriers what parcels cost. It is safe for many goroutines and answers in bounded time, from memory
// where it can.
type Carriers interface {
	// Rates asks all at once and gives an answer for each, in the same order.
	Rates(asks []CarrierAsk) []CarrierAnswer
	// Ahead asks many at once, for some seconds: a list of quotes would wait for one after the other. What was not
	// answered in time has failed.
	Ahead(asks []CarrierAsk) []CarrierAnswer
}

// CarrierAsk is a question to a carrier: what parcels that leave from one place cost to an address.
type CarrierAsk struct {
	Carrier  *store.Carrier
	Currency string // ISO 4217, that of the store
	From, To place.Address
	Parcels  []CarrierParcel
}

// CarrierParcel is a parcel as carriers measure it.
type CarrierParcel struct {
	Kilograms   decimal.Decimal
	Centimetres []decimal.Decimal // length, width, height; none where they are not known
}

// CarrierAnswer is what a carrier said, or why it said nothing: words that go on after its name, such as "did not
// answer within 1.5 s".
type CarrierAnswer struct {
	Rates   []CarrierRate
	Failure string
	Pending bool // it is being asked, and the quote does not wait for it
}

// CarrierRate is the price of a service: an amount for each parcel that was asked about.
type CarrierRate struct {
	Service, Name string
	Amounts       []decimal.Decimal
	Days          *store.Days // nil: not said
}

// Instead is what a buyer was shown of a method whose carrier failed.
type Instead string

// What buyers are shown where a carrier fails.
const (
	InsteadTables Instead = "tables" // the price of the method's own price lists, as an estimate
	InsteadAgreed Instead = "agreed" // the charge that was agreed with them
	InsteadNone   Instead = "none"   // not the method
)

// CarrierWatcher is a [Carriers] that is told what became of a method whose carrier failed.
type CarrierWatcher interface {
	Instead(c *store.Carrier, m *store.Method, i Instead)
}

// Pending is a method whose carrier is still being asked: it may get an option for each of its services.
type Pending struct {
	Method   string `json:"method"`
	Label    string `json:"label"`
	Services int    `json:"services"` // how many are on
	// Before is how many of the options stand before those of the method.
	Before int `json:"before"`
}

// pending is the code of the refusal that stands for a method while its carrier is asked; no answer has it.
const pending = "pending"

// CarrierFallback warns that a carrier failed and a method's tables stand in.
const CarrierFallback = "carrier_fallback"

// MaxAskedParcels is about how many parcels a carrier is asked at most.
const MaxAskedParcels = 500

// LaterCarriers is a [Carriers] with a view that does not wait: what it does not remember it begins to ask, and answers
// that it is pending.
type LaterCarriers interface {
	Carriers
	Later() Carriers
}

// NotWaiting is the engine that does not wait for carriers: methods whose carriers are still being asked are pending.
func (e *Engine) NotWaiting() *Engine {
	if of, ok := e.carriers.(LaterCarriers); ok && e.asksCarriers {
		return e.AskingCarriers(of.Later())
	}
	return e
}

// Like is the engine that asks the same services outside and the same carriers as another.
func (e *Engine) Like(other *Engine) *Engine {
	return e.Asking(other.outside).AskingCarriers(other.carriers)
}

// AsksCarriers says whether a method of the store asks a carrier, and there is somebody who asks it.
func (e *Engine) AsksCarriers() bool { return e.carriers != nil && e.asksCarriers }

// AskingCarriers is the engine with carriers to ask.
func (e *Engine) AskingCarriers(c Carriers) *Engine {
	with := *e
	with.carriers = c
	return &with
}

// carrierAsked is what was asked for a method: an ask for each place that its goods leave from.
type carrierAsked struct {
	asks    []int // into the quote's asks
	parcels int   // of all of them
}

// services lists those of a method that are on.
func services(m *store.Method) (list []store.Service) {
	if m.Kind != store.CarrierKind || m.Carrier == nil {
		return nil
	}
	for _, s := range m.Carrier.Services {
		if s.Enabled {
			list = append(list, s)
		}
	}
	return list
}

// askCarriers asks all carriers of the methods that get so far, all at once.
func (a *asked) askCarriers() {
	if a.e.carriers == nil || !a.e.asksCarriers || !a.cart.charged() {
		return
	}
	var asks []CarrierAsk
	var keys map[string]int
	for i := range a.e.methods {
		m := &a.e.methods[i]
		if len(m.services) == 0 {
			continue
		}
		way, refused := a.reach(m)
		if refused.Code != "" {
			continue
		}
		var of carrierAsked
		for _, from := range a.origins() {
			ask := a.carrierAsk(m, from, &way.from)
			if len(ask.Parcels) == 0 {
				continue
			}
			of.parcels += len(ask.Parcels)
			key := ask.Key()
			at, known := keys[key]
			if !known {
				if at = len(asks); keys == nil {
					keys = map[string]int{}
				}
				keys[key], asks = at, append(asks, ask)
			}
			of.asks = append(of.asks, at)
		}
		if a.carriers == nil {
			a.carriers = map[*method]carrierAsked{}
		}
		a.carriers[m] = of
	}
	if len(asks) > 0 {
		a.said.rates = a.e.carriers.Rates(asks)
	}
}

// Key tells asks apart: two have the same key where all that a carrier is asked is the same.
func (c *CarrierAsk) Key() string {
	key := make([]byte, 0, 128+16*len(c.Parcels))
	for _, part := range []string{c.Carrier.ID, c.Carrier.URL, c.Currency} {
		key = append(binary.AppendUvarint(key, uint64(len(part))), part...)
	}
	for _, a := range []*place.Address{&c.From, &c.To} {
		for _, part := range []string{a.Country, a.Region, a.Postcode, a.City, a.Street} {
			key = append(binary.AppendUvarint(key, uint64(len(part))), part...)
		}
		if a.Lat != nil && a.Lon != nil {
			key = a.Lon.Append(append(a.Lat.Append(append(key, 0), 0), ' '), 0)
		}
	}
	for i := range c.Parcels {
		p := &c.Parcels[i]
		key = p.Kilograms.Append(append(key, '|'), 0)
		for _, side := range p.Centimetres {
			key = side.Append(append(key, ' '), 0)
		}
	}
	return string(key)
}

// carrierAsk is the question about the parcels of a method that leave from a place, "" for the usual one.
func (a *asked) carrierAsk(m *method, from string, usual *way) CarrierAsk {
	ask := CarrierAsk{Carrier: a.e.file.Carrier(m.Carrier.ID), Currency: a.e.file.Store.Currency,
		To: a.q.To, From: a.sender(m, from, usual)}
	list := a.parcelled(m.plan, false).parcels
	for i := range list {
		p := &list[i]
		if p.from != from {
			continue
		}
		one := CarrierParcel{Kilograms: a.kilograms(p.all.Weight)}
		switch {
		case p.box != nil:
			one.Centimetres = a.centimetres(p.box.sides[:])
		case p.unit != nil && p.unit.Sized():
			one.Centimetres = a.centimetres([]decimal.Decimal{*p.unit.Length, *p.unit.Width, *p.unit.Height})
		}
		for range min(p.count, MaxAskedParcels+1) {
			if len(ask.Parcels) > MaxAskedParcels {
				return ask
			}
			ask.Parcels = append(ask.Parcels, one)
		}
	}
	return ask
}

// askedDecimals is how many decimals weights and sides of a question have at most.
const askedDecimals = 6

func (a *asked) kilograms(d decimal.Decimal) decimal.Decimal {
	return measure.ConvertTo(measure.Weight, d, a.e.file.Store.WeightUnit, "kg", askedDecimals)
}

func (a *asked) centimetres(sides []decimal.Decimal) []decimal.Decimal {
	out := make([]decimal.Decimal, len(sides))
	for i := range sides {
		out[i] = measure.ConvertTo(measure.Length, sides[i], a.e.file.Store.LengthUnit, "cm", askedDecimals)
	}
	return out
}

// sender is the address of the place from which goods of a method leave: theirs, or with "" the usual one.
func (a *asked) sender(m *method, from string, usual *way) place.Address {
	l := a.e.file.Location(cmp.Or(from, usual.id, m.From))
	for i := 0; l == nil && i < len(a.e.file.Locations); i++ {
		if a.e.file.Locations[i].ShipsFrom {
			l = &a.e.file.Locations[i]
		}
	}
	if l == nil {
		return place.Address{Country: a.e.file.Home()}
	}
	return place.Address{Country: l.Country, City: l.City, Postcode: l.Postcode, Street: l.Street, Lat: l.Lat,
		Lon: l.Lon}
}

// carrierPrice is what a service costs for all parcels of a method.
type carrierPrice struct {
	service, label string
	days           *store.Days
	amounts        []decimal.Decimal
}

// carrierPrices are those of a method's services for which the carrier names a price, in their order; failure is why
// it names none at all, in words that go on after its name.
func (a *asked) carrierPrices(m *method) (list []carrierPrice, failure string) {
	if a.e.carriers == nil {
		return nil, "is not asked here"
	}
	of := a.carriers[m]
	for _, at := range of.asks {
		if f := a.said.rates[at].Failure; f != "" {
			return nil, f
		}
	}
	for _, s := range m.services {
		p := carrierPrice{service: s.Code, label: s.Label}
		for _, at := range of.asks {
			for _, r := range a.said.rates[at].Rates {
				if r.Service == s.Code {
					p.amounts = append(p.amounts, r.Amounts...)
					p.label, p.days = cmp.Or(p.label, r.Name), slower(p.days, r.Days)
					break
				}
			}
		}
		if len(p.amounts) == of.parcels && of.parcels > 0 {
			p.label, p.days = cmp.Or(p.label, s.Code), cmp.Or(s.Days, p.days)
			list = append(list, p)
		}
	}
	return list, ""
}

// slower is the delivery time of goods that come from two places, each with its own; nil where neither is known.
func slower(x, y *store.Days) *store.Days {
	switch {
	case x == nil || y == nil:
		return cmp.Or(x, y)
	case x.Business == y.Business:
		return &store.Days{Min: max(x.Min, y.Min), Max: max(x.Max, y.Max), Business: x.Business}
	case calendarDays(x) > calendarDays(y):
		return x
	}
	return y
}

// calendarDays is the longest of a delivery time in days of the calendar, five working days to a week.
func calendarDays(d *store.Days) int64 {
	if d.Business {
		return (d.Max*7 + 4) / 5
	}
	return d.Max
}

// pending says whether a carrier of a method is still being asked.
func (a *asked) pending(m *method) bool {
	return slices.ContainsFunc(a.carriers[m].asks, func(at int) bool { return a.said.rates[at].Pending })
}

// instead tells whoever watches the carriers what a buyer is shown of a method whose carrier failed.
func (a *asked) instead(m *method, what Instead) {
	if w, ok := a.e.carriers.(CarrierWatcher); ok {
		w.Instead(a.e.file.Carrier(m.Carrier.ID), m.Method, what)
	}
}

// byCarrier notes an option for each service that the carrier prices. Where it fails, the tables stand in, or the
// method is refused.
func (a *asked) byCarrier(m *method, w *reached) Refusal {
	carrier := a.e.file.Carrier(m.Carrier.ID)
	name := cmp.Or(carrier.Name, carrier.ID)
	if a.pending(m) {
		return Refusal{Code: pending}
	}
	prices, failure := a.carrierPrices(m)
	switch {
	case failure != "" && m.Carrier.Fallback:
		p := w.pricing(a, m)
		p.estimated = true
		begun := len(a.steps)
		charge, r := p.price(p.tables)
		if r.Code == "" {
			a.note(m, w, begun, charge, optionNote{estimated: true, days: w.s.terms.Days})
			a.fallen = append(a.fallen, name+" "+failure+": "+m.label+" is priced by its own price list")
			a.instead(m, InsteadTables)
		} else {
			r.Fell = name + " " + failure
			a.instead(m, InsteadNone)
		}
		return r
	case failure != "", len(prices) == 0:
		r := Refusal{Code: NoRate, Cause: CarrierUnpriced, Names: []string{name}}
		if failure != "" {
			r = Refusal{Code: Carrier, Cause: CarrierFailed, Names: []string{name, failure}}
		}
		p, begun := w.pricing(a, m), len(a.steps)
		charge, r := p.price(func() Refusal { return r })
		what := InsteadNone
		if r.Code == "" { // a charge was agreed
			a.note(m, w, begun, charge, optionNote{days: w.s.terms.Days})
			what = InsteadAgreed
		}
		if failure != "" {
			a.instead(m, what)
		}
		return r
	}
	for i := range prices {
		c := &prices[i]
		p, begun := w.pricing(a, m), len(a.steps)
		charge, r := p.price(func() Refusal { return p.carrierStep(name, c) })
		if r.Code != "" {
			return r
		}
		said := decimal.Zero
		for _, amount := range c.amounts {
			said = said.Add(amount)
		}
		a.note(m, w, begun, charge, optionNote{service: c.service, label: c.label, said: &said,
			days: cmp.Or(c.days, w.s.terms.Days)})
	}
	return Refusal{}
}

// carrierStep is step 1 for a service: what the carrier said, and what the method makes of it.
func (p *pricing) carrierStep(name string, c *carrierPrice) Refusal {
	said, at := decimal.Zero, p.begin()
	p.write(name + " " + c.service + ", " + countParcels(len(c.amounts)) + ": ")
	for i, amount := range c.amounts {
		if i > 0 {
			p.write(" + ")
		}
		if i < maxNamed {
			p.writeMoney(amount)
		} else if i == maxNamed {
			p.write("…")
		}
		said = said.Add(amount)
	}
	p.step(StepCarrier, at, said)
	of, made := p.m.Carrier, said
	at = p.begin()
	p.write("adjusted:")
	if of.Percent != nil {
		made = made.Add(said.Percent(*of.Percent))
		p.write(" " + of.Percent.String() + " %")
	}
	if of.Amount != nil {
		made = made.Add(*of.Amount)
		p.write(" ")
		p.writeMoney(*of.Amount)
	}
	if made.Sign() < 0 {
		made = decimal.Zero
		p.write(", but never below 0")
	}
	if of.Percent == nil && of.Amount == nil {
		p.text = p.text[:at]
		return Refusal{}
	}
	p.step(StepAdjusted, at, made.Sub(said))
	return Refusal{}
}

func countParcels(n int) string {
	if n == 1 {
		return "1 parcel"
	}
	return decimal.FromInt(int64(n)).String() + " parcels"
}
