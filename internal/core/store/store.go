// Package store is the store file: everything that a shop has decided about its shipping, as docs/model.md
// describes it.
//
// [Read] turns the file into a [File] and finds every fault on the way: what it returns without faults holds
// together and can be compiled and quoted. [File.Write] writes the file back.
package store

import (
	"encoding/json"
	"maps"
	"slices"
	"strings"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/rate"
)

// Format is the format of store files that this version reads and writes.
const Format = "diadrom-store/1"

// File is a whole store.
type File struct {
	Format     string      `json:"format"`
	Store      Settings    `json:"store"`
	Locations  []Location  `json:"locations"`
	Classes    []Class     `json:"classes"`
	Boxes      []Box       `json:"boxes,omitempty"`
	Products   []Product   `json:"products"`
	Zones      []Zone      `json:"zones"`
	Carriers   []Carrier   `json:"carriers,omitempty"`
	Methods    []Method    `json:"methods"`
	Surcharges []Surcharge `json:"surcharges"`
	Agreed     []Agreed    `json:"agreed"`
	Costs      []Cost      `json:"costs,omitempty"`

	index map[string]map[string]int // where entries stood when the file was taken apart, by list and id
}

// Home is the country that codes and towns belong to where none is named: the one that the shop ships from, or
// else has a location in, or else the first that a zone names; "" where there is none.
func (f *File) Home() string {
	for _, l := range f.Locations {
		if l.ShipsFrom && l.Country != "" {
			return l.Country
		}
	}
	for _, l := range f.Locations {
		if l.Country != "" {
			return l.Country
		}
	}
	for i := range f.Zones {
		for j := range f.Zones[i].Places {
			if c := f.Zones[i].Places[j].Country; c != "" {
				return c
			}
		}
	}
	return ""
}

// Settings are what holds for all of the store.
type Settings struct {
	Name           string           `json:"name"`
	Currency       string           `json:"currency"`                     // ISO 4217
	WeightUnit     string           `json:"weight_unit"`                  // g, kg, oz, lb; kg where absent
	LengthUnit     string           `json:"length_unit"`                  // mm, cm, m, in; cm where absent
	DistanceUnit   string           `json:"distance_unit"`                // km, mi; km where absent
	DistanceBy     DistanceBy       `json:"distance_by,omitempty"`        // straight, road; straight where absent
	RoadFactor     *decimal.Decimal `json:"road_factor,omitempty"`        // 1 to 10; nil: [UsualRoadFactor]
	AssumedWeight  *decimal.Decimal `json:"assumed_weight,omitempty"`     // of goods without a weight
	Volumetric     *decimal.Decimal `json:"volumetric_divisor,omitempty"` // cm³ per kg; nil: only weights are billed
	SubtotalCounts SubtotalCounts   `json:"subtotal_counts"`              // shipped, all; shipped where absent
	// when orders leave; nil: days are not made dates
	Dispatch *calendar.Plan `json:"dispatch,omitempty"`
	Checkout *Checkout      `json:"checkout,omitempty"` // how the shop's checkout asks; nil: as its zero value
	Tax      Tax            `json:"tax"`
	SellsTo  PlaceRules     `json:"sells_to,omitempty"` // where the shop sells; none: not said
	Defaults Defaults       `json:"defaults,omitzero"`  // terms that methods may inherit
	digits   int
	metres   float64
}

// Digits is the number of minor digits of the currency.
func (s *Settings) Digits() int { return s.digits }

// Metres is the length of the store's unit of distance.
func (s *Settings) Metres() float64 { return s.metres }

// UsualRoadFactor is how many times longer than the straight line a way by road is taken to be where no road service
// says how long it is and the store has no factor of its own.
var UsualRoadFactor = decimal.MustParse("1.3")

// Road is how many times the straight line a way by road is taken to be where it has to be estimated.
func (s *Settings) Road() decimal.Decimal {
	if s.RoadFactor != nil {
		return *s.RoadFactor
	}
	return UsualRoadFactor
}

// Checkout says how a checkout asks and shows.
type Checkout struct {
	PricesWait bool            `json:"prices_wait"` // no price before the address is complete
	Options    CheckoutOptions `json:"options"`     // list, menu; list where absent
	Address    CheckoutAddress `json:"address"`     // delivery, billing, only_billing; delivery where absent
}

// Tax says how shipping is taxed.
type Tax struct {
	PricesIncludeTax bool      `json:"prices_include_tax"`
	Rates            []TaxRate `json:"rates,omitempty"`
}

// TaxRate is the percentage where a place rule holds.
type TaxRate struct {
	place.Rule
	Percent decimal.Decimal
}

// PlaceRules are place rules that stand by themselves: an address that one of them takes is meant.
type PlaceRules []place.Rule

// Location is a place of the shop's own.
type Location struct {
	ID        string           `json:"id"`
	Name      string           `json:"name"`
	Country   string           `json:"country"`
	Postcode  string           `json:"postcode"`
	City      string           `json:"city"`
	Street    string           `json:"street"`
	Lat       *decimal.Decimal `json:"lat,omitempty"`
	Lon       *decimal.Decimal `json:"lon,omitempty"`
	ShipsFrom bool             `json:"ships_from"`
	Pickup    bool             `json:"pickup"`
	Hours     string           `json:"hours,omitempty"` // opening hours as buyers read them
	// its name and its opening hours in other languages
	Names      Texts `json:"names,omitempty"`
	HoursTexts Texts `json:"hours_texts,omitempty"`
	// how long until goods can be collected there; nil: as the method says
	Ready *Days `json:"ready,omitempty"`
}

// Address is the location's address in one line, without its country.
func (l *Location) Address() string {
	var parts []string
	for _, p := range []string{l.Street, strings.TrimSpace(l.Postcode + " " + l.City)} {
		if p != "" {
			parts = append(parts, p)
		}
	}
	return strings.Join(parts, ", ")
}

// Class is a shipping class.
type Class struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Note string `json:"note"`
}

// Box is a kind of box that goods are packed into. Its sides are both inner and outer.
type Box struct {
	ID        string           `json:"id"`
	Name      string           `json:"name"`
	Length    decimal.Decimal  `json:"length"` // above 0, in the store's unit, as the other sides
	Width     decimal.Decimal  `json:"width"`
	Height    decimal.Decimal  `json:"height"`
	Weight    *decimal.Decimal `json:"weight,omitempty"`     // of the empty box; nil: 0
	MaxWeight *decimal.Decimal `json:"max_weight,omitempty"` // of the goods in it; nil: no limit
	Cost      *decimal.Decimal `json:"cost,omitempty"`       // to the shop; nil: 0
	Names     Texts            `json:"names,omitempty"`      // in other languages
}

// Product is something that the shop sells.
type Product struct {
	SKU           string           `json:"sku"`
	Name          string           `json:"name"`
	Price         decimal.Decimal  `json:"price"`
	Weight        *decimal.Decimal `json:"weight,omitempty"`
	Length        *decimal.Decimal `json:"length,omitempty"`
	Width         *decimal.Decimal `json:"width,omitempty"`
	Height        *decimal.Decimal `json:"height,omitempty"`
	Class         string           `json:"class"`
	NeedsShipping bool             `json:"needs_shipping"`
	ShipsFree     bool             `json:"ships_free"`
	OwnParcel     bool             `json:"own_parcel"`
	Upright       bool             `json:"upright,omitempty"` // its height stays vertical in a box
	// id of the location that it leaves from; "": the usual place
	From string `json:"from,omitempty"`
}

// Sized says whether all three sides are known, so that it can be placed in a box.
func (p *Product) Sized() bool { return p.Length != nil && p.Width != nil && p.Height != nil }

// ProductJSON is a product as it is written in a store file.
func ProductJSON(p *Product) []byte {
	out, err := json.Marshal(p)
	if err != nil {
		panic(err) // texts, numbers, yes and no
	}
	return out
}

// Overlay puts the fields that are given by name, as own has them, in the place of the product's; its sku stays.
func (p *Product) Overlay(own *Product, given []string) {
	for _, name := range given {
		switch name {
		case "name":
			p.Name = own.Name
		case "price":
			p.Price = own.Price
		case "weight":
			p.Weight = own.Weight
		case "length":
			p.Length = own.Length
		case "width":
			p.Width = own.Width
		case "height":
			p.Height = own.Height
		case "class":
			p.Class = own.Class
		case "needs_shipping":
			p.NeedsShipping = own.NeedsShipping
		case "ships_free":
			p.ShipsFree = own.ShipsFree
		case "own_parcel":
			p.OwnParcel = own.OwnParcel
		case "upright":
			p.Upright = own.Upright
		case "from":
			p.From = own.From
		}
	}
}

// Zone is where the shop ships on the same terms.
type Zone struct {
	ID      string       `json:"id"`
	Name    string       `json:"name"`
	Enabled bool         `json:"enabled"`
	Rank    *int64       `json:"rank,omitempty"` // lower first, before all zones without one
	Only    bool         `json:"only"`
	Places  []place.Rule `json:"places"`
	Except  []place.Rule `json:"except"`
}

// Country is the country of the zone's postcodes or, where it has none, of its first place; "" where it has no
// places. Postcodes typed into the zone without a country are that country's.
func (z *Zone) Country() string {
	country := ""
	for i := range z.Places {
		switch r := &z.Places[i]; {
		case r.Level() == place.Postcode:
			return r.Country
		case country == "":
			country = r.Country
		}
	}
	return country
}

// Method is a delivery method.
type Method struct {
	ID      string  `json:"id"`
	Name    string  `json:"name"`  // what the owner calls it
	Label   string  `json:"label"` // what the buyer reads; the name where absent
	Kind    Kind    `json:"kind"`
	Enabled bool    `json:"enabled"`
	Taxable bool    `json:"taxable"`
	Classes Combine `json:"classes"` // how tables combine: together, add, dearest
	From    string  `json:"from,omitempty"`
	// ids of locations at which goods are collected; none: see [File.CollectAt]
	Points     []string         `json:"points,omitempty"`
	Days       *Days            `json:"days,omitempty"`
	Dispatch   *calendar.Own    `json:"dispatch,omitempty"`           // when its orders leave; nil: as the store's
	Available  *calendar.Period `json:"available,omitempty"`          // when it is offered; nil: always
	Volumetric *decimal.Decimal `json:"volumetric_divisor,omitempty"` // cm³ per kg; nil: the store's
	// how goods are parcelled; nil: one parcel for each place that they leave from
	Parcels     *Parcels         `json:"parcels,omitempty"`
	Carrier     *Asks            `json:"carrier,omitempty"` // of kind carrier: who is asked; nil: nobody
	Handling    *Handling        `json:"handling,omitempty"`
	Needs       *Needs           `json:"needs,omitempty"`
	Free        *Free            `json:"free,omitempty"`
	Minimum     *decimal.Decimal `json:"minimum,omitempty"`
	Maximum     *decimal.Decimal `json:"maximum,omitempty"`
	Preselected bool             `json:"preselected"`
	WhenRefused WhenRefused      `json:"when_refused"` // hide, tell
	RefusedText string           `json:"refused_text,omitempty"`
	// the label and the text of a refusal in other languages
	Labels       Texts            `json:"labels,omitempty"`
	RefusedTexts Texts            `json:"refused_texts,omitempty"`
	Inherits     []Inherited      `json:"inherits,omitempty"` // terms that it has from the store's defaults
	Terms        map[string]Terms `json:"terms,omitempty"`    // by zone
	Tables       []rate.Table     `json:"tables"`
}

// Parcels says how the goods of a method become parcels.
type Parcels struct {
	Boxes     []string         `json:"boxes,omitempty"`      // ids; none with AllBoxes
	AllBoxes  bool             `json:"all_boxes,omitempty"`  // all of the store's
	MaxWeight *decimal.Decimal `json:"max_weight,omitempty"` // of a parcel, its box included; nil: no limit
}

// Carrier is a service that is asked over HTTP what parcels cost. Its secret is kept elsewhere, by its id.
type Carrier struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	URL  string `json:"url"` // http or https, below which its addresses are
}

// Asks says what a method of kind carrier asks of which carrier, and what it makes of the prices.
type Asks struct {
	ID       string           `json:"id"` // of the carrier
	Services []Service        `json:"services,omitempty"`
	Amount   *decimal.Decimal `json:"amount,omitempty"`   // added, may be below 0
	Percent  *decimal.Decimal `json:"percent,omitempty"`  // of what the carrier said, added before, may be below 0
	Fallback bool             `json:"fallback,omitempty"` // whether the tables price it where the carrier fails
}

// Service is a service of a carrier, by its code there.
type Service struct {
	Code    string `json:"code"`
	Label   string `json:"label,omitempty"`  // what buyers read; "": the carrier's name for it
	Labels  Texts  `json:"labels,omitempty"` // the same in other languages
	Enabled bool   `json:"enabled"`
	Days    *Days  `json:"days,omitempty"` // own delivery time; nil: what the carrier says, or else the method's
}

// ServedZones lists the ids of the zones that a method has prices for, in the order of its columns.
func (m *Method) ServedZones() (zones []string) {
	for i := range m.Tables {
		for _, z := range m.Tables[i].Zones {
			if !slices.Contains(zones, z) {
				zones = append(zones, z)
			}
		}
	}
	return zones
}

// Priced says whether a price list of the method has a price for a zone.
func (m *Method) Priced(zone string) bool {
	for i := range m.Tables {
		t := &m.Tables[i]
		column := slices.Index(t.Zones, zone)
		if column >= 0 && slices.ContainsFunc(t.Rows, func(r rate.Row) bool { return r.Charges[column] != nil }) {
			return true
		}
	}
	return false
}

// TermZones lists the ids of the zones that may have terms of their own: those that have prices, and behind
// them those that have terms all the same, which count once a table serves the zone.
func (m *Method) TermZones() []string {
	zones := m.ServedZones()
	for _, zone := range slices.Sorted(maps.Keys(m.Terms)) {
		if !slices.Contains(zones, zone) {
			zones = append(zones, zone)
		}
	}
	return zones
}

// BuyersLabel is what the buyer reads.
func (m *Method) BuyersLabel() string {
	switch {
	case m.Label != "":
		return m.Label
	case m.Name != "":
		return m.Name
	}
	return m.ID
}

// Terms are a zone's own; each that is given replaces the method's.
type Terms struct {
	Enabled  bool             `json:"enabled"`
	Days     *Days            `json:"days,omitempty"`
	Handling *Handling        `json:"handling,omitempty"`
	Needs    *Needs           `json:"needs,omitempty"`
	Free     *Free            `json:"free,omitempty"`
	Minimum  *decimal.Decimal `json:"minimum,omitempty"`
	Maximum  *decimal.Decimal `json:"maximum,omitempty"`
}

// Days is how long delivery takes.
type Days struct {
	Min      int64 `json:"min"`
	Max      int64 `json:"max"`
	Business bool  `json:"business"` // working days
}

// Handling is a fee on top: an amount, a percentage of the charge so far or of the subtotal, or both.
type Handling struct {
	Amount  *decimal.Decimal `json:"amount,omitempty"`
	Percent *decimal.Decimal `json:"percent,omitempty"`
	Of      ShareOf          `json:"of,omitempty"` // charge, subtotal; charge where absent
}

// Free makes the charge 0 when any, or all, of what is given is reached.
type Free struct {
	Subtotal *decimal.Decimal `json:"subtotal,omitempty"`
	Quantity *int64           `json:"quantity,omitempty"`
	Coupons  []string         `json:"coupons,omitempty"`
	Require  Require          `json:"require,omitempty"` // any, all; any where absent
	// when it counts; nil: always
	Available *calendar.Period `json:"available,omitempty"`
}

// Bounds are both included; nil is unbounded.
type Bounds struct {
	From *decimal.Decimal `json:"from,omitempty"`
	To   *decimal.Decimal `json:"to,omitempty"`
}

// Needs are the conditions of a method.
type Needs struct {
	Subtotal       *Bounds  `json:"subtotal,omitempty"`
	Weight         *Bounds  `json:"weight,omitempty"`
	Quantity       *Bounds  `json:"quantity,omitempty"`
	Distance       *Bounds  `json:"distance,omitempty"`
	LongestSide    *Bounds  `json:"longest_side,omitempty"`
	BilledWeight   *Bounds  `json:"billed_weight,omitempty"`
	ParcelWeight   *Bounds  `json:"parcel_weight,omitempty"` // of each parcel, its box included
	Girth          *Bounds  `json:"girth,omitempty"`         // of each parcel: longest side + 2 × the other two
	Coupons        []string `json:"coupons,omitempty"`
	Groups         []string `json:"groups,omitempty"`
	OnlyClasses    []string `json:"only_classes,omitempty"`
	WithoutClasses []string `json:"without_classes,omitempty"`
}

// Surcharge is added where its places take the address.
type Surcharge struct {
	ID      string           `json:"id"`
	Name    string           `json:"name"`
	Places  []place.Rule     `json:"places"`
	Except  []place.Rule     `json:"except"`
	Methods []string         `json:"methods,omitempty"` // none means all
	Amount  *decimal.Decimal `json:"amount,omitempty"`
	Percent *decimal.Decimal `json:"percent,omitempty"` // of what the tables give
}

// Agreed is a charge agreed with a customer, a group or a place; all that is given must hold.
type Agreed struct {
	ID       string          `json:"id"`
	Name     string          `json:"name"`
	Customer string          `json:"customer"`
	Group    string          `json:"group"`
	Place    *AgreedPlace    `json:"place,omitempty"`
	Methods  []string        `json:"methods,omitempty"` // none means all
	Amount   decimal.Decimal `json:"amount"`
}

// Cost is what sending by some methods costs the shop, without tax: what a carrier bills. Its tables are those of a
// method, with zones, rows and charges of their own.
type Cost struct {
	ID        string           `json:"id"`
	Name      string           `json:"name"`
	Methods   []string         `json:"methods"` // ids; a method has at most one entry
	Classes   Combine          `json:"classes"` // how tables combine: together, add, dearest
	Tables    []rate.Table     `json:"tables"`
	PerParcel *decimal.Decimal `json:"per_parcel,omitempty"` // for each parcel beside; nil: 0
}

// AgreedPlace is an address, or all those of a postcode or a country.
type AgreedPlace struct {
	Country  string `json:"country"`
	Postcode string `json:"postcode,omitempty"`
	Street   string `json:"street,omitempty"`
}

// WeightOf is what a unit of a product weighs: what is assumed where it has no weight, 0 where nothing is.
func (s *Settings) WeightOf(p *Product) decimal.Decimal {
	switch {
	case p.Weight != nil:
		return *p.Weight
	case s.AssumedWeight != nil:
		return *s.AssumedWeight
	}
	return decimal.Zero
}

// Units are how the store writes its measures.
func (s *Settings) Units() rate.Units {
	return rate.Units{Digits: s.digits, Weight: s.WeightUnit, Distance: s.DistanceUnit}
}
