package quote

import (
	"cmp"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
)

// Checkout is what a checkout shows beside the quote: what the address still lacks, and whether prices wait for it.
type Checkout struct {
	Lacks  []string      `json:"lacks"`  // fields of the address, in the order in which they are filled in
	Faults []AddressSlip `json:"faults"` // of fields that are filled in
	Wait   bool          `json:"wait"`   // no price is to be shown yet: the store wants the whole address first
}

// AddressSlip is what is wrong with a field of an address, in the buyer's words.
type AddressSlip struct {
	Field   string `json:"field"`
	Message string `json:"message"`
}

// Offer is what a checkout shows of an option beside its price.
type Offer struct {
	Preselected bool    `json:"preselected"`
	Hint        string  `json:"hint"`   // what the cart lacks for the option to be free
	Points      []Point `json:"points"` // where goods are collected, the nearest first
}

// Point is where goods are collected.
type Point struct {
	Location string  `json:"location"`
	Name     string  `json:"name"`
	Address  string  `json:"address"`
	Distance *string `json:"distance"` // in the store's unit, null where it is not known
	Unit     string  `json:"unit"`
	Hours    string  `json:"hours,omitempty"` // when it is open, in the shop's words
	// Of a request with a point, also an empty one: where it is, in degrees, absent where that is not known; and when
	// goods are ready there, the method's days where the location says nothing else.
	Lat    string      `json:"lat,omitempty"`
	Lon    string      `json:"lon,omitempty"`
	Days   *store.Days `json:"days,omitempty"`
	Dates  *Dates      `json:"dates,omitempty"`
	Chosen bool        `json:"chosen,omitempty"`
}

// collect notes the location that the buyer has chosen, where the method is collected there, and when goods are ready.
func (a *asked) collect(o *Option, m *method) {
	if a.q.Point == "" {
		return
	}
	for _, l := range a.e.file.CollectAt(m.Method) {
		if l.ID == a.q.Point {
			o.Point = l.ID
			if l.Ready != nil {
				o.Days, o.Dates = l.Ready, a.dates(m, l.Ready)
			}
		}
	}
}

// Form is what is asked of an address in a country: its region where the country's addresses name one, or where
// a zone, a surcharge or a tax of the store looks at it and its postcodes do not say it; its town likewise, and where the
// country has no postcodes.
func (e *Engine) Form(country string) place.Form {
	byRegion, byCity := false, false
	look := func(rules []place.Rule) {
		for i := range rules {
			byRegion = byRegion || rules[i].Country == country && rules[i].Region != ""
			byCity = byCity || rules[i].Country == country && rules[i].City != ""
		}
	}
	for i := range e.file.Zones {
		look(e.file.Zones[i].Places)
		look(e.file.Zones[i].Except)
	}
	for i := range e.file.Surcharges {
		look(e.file.Surcharges[i].Places)
		look(e.file.Surcharges[i].Except)
	}
	for i := range e.file.Store.Tax.Rates {
		look([]place.Rule{e.file.Store.Tax.Rates[i].Rule})
	}
	listed := e.listed(country)
	return place.FormOf(country, byRegion && !listed, byCity && !listed)
}

// listed says whether a list of places knows the postcodes of a country.
func (e *Engine) listed(country string) bool {
	return e.gaz != nil && postcode.HasFormat(country) && len(e.gaz.Codes(country)) > 0
}

// address says what an address lacks to be quoted for good.
func (e *Engine) address(to *place.Address, resolved *place.Resolved) *Checkout {
	c := &Checkout{Lacks: []string{}, Faults: []AddressSlip{}}
	form := e.Form(to.Country)
	wrong := func(field, message string) { c.Faults = append(c.Faults, AddressSlip{field, message}) }
	if form.Postcode {
		switch {
		case strings.TrimSpace(to.Postcode) == "":
			c.Lacks = append(c.Lacks, "postcode")
		case !postcode.Possible(to.Country, to.Postcode):
			wrong(
				"postcode",
				"This cannot be a postcode of "+world.CountryName(to.Country)+": they are "+form.Shape,
			)
		}
	} else if strings.TrimSpace(to.City) == "" {
		c.Lacks = append(c.Lacks, "city")
	}
	if len(form.Regions) > 0 && len(resolved.Regions) == 0 {
		if strings.TrimSpace(to.Region) == "" {
			c.Lacks = append(c.Lacks, "region")
		} else {
			wrong("region", world.CountryName(to.Country)+" has no such region")
		}
	}
	c.Wait = e.file.Store.Checkout != nil && e.file.Store.Checkout.PricesWait && len(c.Lacks)+len(c.Faults) > 0
	return c
}

// offer is what a checkout shows of an option; ready is how long it takes where a location says nothing else.
func (a *asked) offer(m *method, ready *store.Days, o *Option, has *Measures) *Offer {
	price := func(d decimal.Decimal) string { return world.Price(a.e.units.Money(d), a.e.file.Store.Currency) }
	offer := &Offer{
		Preselected: m.Preselected,
		Hint:        FreeHint(o, has, a.e.units, price),
		Points:      []Point{},
	}
	if m.Kind != store.Pickup {
		return offer
	}
	type near struct {
		Point
		at *decimal.Decimal
	}
	var points []near
	for _, l := range a.e.file.CollectAt(m.Method) {
		days := ready
		if l.Ready != nil {
			days = l.Ready
		}
		p := near{
			Point: Point{
				Location: l.ID,
				Name:     cmp.Or(l.Name, l.ID),
				Address:  l.Address(),
				Unit:     a.e.units.Distance,
				Hours:    l.Hours,
			},
		}
		if a.q.Collects {
			p.Days, p.Dates, p.Chosen = days, a.dates(m, days), l.ID == a.q.Point
		}
		if at, ok := a.e.originOf[l.ID]; ok {
			if a.q.Collects {
				where := place.At(l.Country, a.e.origins[at].point)
				p.Lat, p.Lon = where.Lat.String(), where.Lon.String()
			}
			if p.at = a.wayFrom(at).length; p.at != nil {
				d := p.at.String()
				p.Distance = &d
			}
		}
		points = append(points, p)
	}
	slices.SortStableFunc(points, func(x, y near) int {
		switch {
		case x.at != nil && y.at != nil:
			return x.at.Cmp(*y.at)
		case x.at == nil && y.at == nil:
			return 0
		}
		return cmp.Compare(known(y.at), known(x.at))
	})
	for _, p := range points {
		offer.Points = append(offer.Points, p.Point)
	}
	return offer
}

func known(d *decimal.Decimal) int {
	if d == nil {
		return 0
	}
	return 1
}

// FreeHint says how much more of goods makes an option free, sums written by price; "" where it is free, or
// more alone does not make it so.
func FreeHint(o *Option, has *Measures, u rate.Units, price func(decimal.Decimal) string) string {
	free := o.Free
	if free == nil || o.Charge == decimal.Zero.Fixed(u.Digits) {
		return ""
	}
	var lacks []string
	if free.Subtotal != nil {
		if sum, err := decimal.Parse(has.Subtotal); err == nil && sum.Less(*free.Subtotal) {
			lacks = append(lacks, "spend "+price(free.Subtotal.Sub(sum))+" more")
		}
	}
	if free.Quantity != nil && has.Quantity < *free.Quantity {
		lacks = append(lacks, "add "+u.Measure(rate.ByQuantity, decimal.FromInt(*free.Quantity-has.Quantity)))
	}
	switch {
	case len(lacks) == 0 || free.Require == store.RequireAll && len(free.Coupons) > 0:
		return ""
	case free.Require == store.RequireAll:
		return sentence(strings.Join(lacks, " and ")) + " for free delivery"
	}
	return sentence(strings.Join(lacks, " or ")) + " for free delivery"
}
