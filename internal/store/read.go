package store

import (
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/exact"
	"diadrom/internal/fault"
	"diadrom/internal/jsonread"
	"diadrom/internal/place"
	"diadrom/internal/postcode"
	"diadrom/internal/rate"
	"diadrom/internal/world"
)

// MaxSize is the largest store file that is read, in bytes.
const MaxSize = 64 << 20

// Read reads a store file and checks it. The list holds every fault; only a file without any may be used.
func Read(data []byte) (*File, fault.List) {
	if len(data) > MaxSize {
		return nil, fault.List{{Code: fault.TooLarge, Message: fmt.Sprintf("a store file has at most %d MB", MaxSize>>20)}}
	}
	r := &reader{jsonread.New(data, "")}
	f := &File{}
	r.file(f)
	r.End()
	if r.Failed() {
		return f, r.Faults
	}
	c := checker{file: f, faults: r.Faults}
	c.check()
	return f, c.faults
}

// reader reads the parts of a store file; what can be judged by itself is judged here, what refers to other parts by checker.
type reader struct{ *jsonread.Reader }

func (r *reader) file(f *File) {
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "format":
			f.Format = r.Text()
			if f.Format != "" && f.Format != Format {
				r.Fault(fault.Choice, "this file's format is %.60q; this version reads %q", f.Format, Format)
			}
		case "store":
			r.settings(&f.Store)
		case "locations":
			f.Locations = list(r, r.location)
		case "classes":
			f.Classes = list(r, r.class)
		case "products":
			f.Products = list(r, func() Product {
				p := Product{NeedsShipping: true}
				r.Object(func(name []byte) bool { return r.productField(name, &p) })
				return p
			})
		case "zones":
			f.Zones = list(r, r.zone)
		case "methods":
			f.Methods = list(r, r.method)
		case "surcharges":
			f.Surcharges = list(r, r.surcharge)
		case "agreed":
			f.Agreed = list(r, r.agreed)
		default:
			return false
		}
		return true
	})
}

func list[T any](r *reader, item func() T) []T {
	var out []T
	r.List(func(int) { out = append(out, item()) })
	return out
}

// choice reads one of some words; the first stands for absence.
func (r *reader) choice(words ...string) string {
	s := r.Text()
	if s == "" {
		return words[0]
	}
	if slices.Contains(words, s) {
		return s
	}
	r.Fault(fault.Choice, "%.60q is none of %s", s, strings.TrimPrefix(strings.Join(words, ", "), ", "))
	return words[0]
}

// amount reads a decimal that is not negative.
func (r *reader) amount() *exact.Decimal {
	d := r.Decimal()
	if d != nil && d.Sign() < 0 {
		r.Fault(fault.Range, "%s is below 0", d)
		return nil
	}
	return d
}

func (r *reader) amountOrZero() exact.Decimal {
	if d := r.amount(); d != nil {
		return *d
	}
	return exact.Zero
}

// degrees reads a latitude (limit 90) or longitude (limit 180).
func (r *reader) degrees(limit int64) *exact.Decimal {
	d := r.Decimal()
	if d != nil && (exact.FromInt(limit).Less(*d) || d.Less(exact.FromInt(-limit))) {
		r.Fault(fault.Range, "%s is not between −%d and %d degrees", d, limit, limit)
		return nil
	}
	return d
}

// count reads a whole number that is not negative.
func (r *reader) count() *int64 {
	n := r.Int()
	if n != nil && *n < 0 {
		r.Fault(fault.Range, "%d is below 0", *n)
		return nil
	}
	return n
}

func (r *reader) id() string {
	s := r.Text()
	if s != "" && !ValidID(s) {
		r.Fault(fault.Choice, "an id is made of small letters, digits and hyphens, and does not begin with a hyphen: %.60q is not", s)
	}
	return s
}

// ValidID says whether s can be an id.
func ValidID(s string) bool {
	for i := range len(s) {
		c := s[i]
		if !(c >= 'a' && c <= 'z' || c >= '0' && c <= '9' || c == '-' && i > 0) {
			return false
		}
	}
	return s != ""
}

// country reads ISO 3166-1 alpha-2 or alpha-3 and gives alpha-2.
func (r *reader) country() string {
	s := r.Text()
	if s == "" {
		return ""
	}
	c, ok := world.CountryByCode(s)
	if !ok {
		r.Fault(fault.Place, "there is no country %.60q in ISO 3166-1", s)
		return ""
	}
	return c.Alpha2
}

func (r *reader) settings(s *Settings) {
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "name":
			s.Name = r.Text()
		case "currency":
			s.Currency = r.Text()
			if _, ok := world.CurrencyDigits(s.Currency); !ok && s.Currency != "" {
				r.Fault(fault.Choice, "there is no currency %.60q in ISO 4217", s.Currency)
			}
		case "weight_unit":
			s.WeightUnit = r.choice("kg", "g", "oz", "lb")
		case "length_unit":
			s.LengthUnit = r.choice("cm", "mm", "m", "in")
		case "distance_unit":
			s.DistanceUnit = r.choice("km", "mi")
		case "assumed_weight":
			s.AssumedWeight = r.amount()
		case "subtotal_counts":
			s.SubtotalCounts = r.choice("shipped", "all")
		case "tax":
			r.tax(&s.Tax)
		default:
			return false
		}
		return true
	})
	s.digits, _ = world.CurrencyDigits(s.Currency)
	s.WeightUnit, s.LengthUnit, s.SubtotalCounts = or(s.WeightUnit, "kg"), or(s.LengthUnit, "cm"), or(s.SubtotalCounts, "shipped")
	s.DistanceUnit, s.metres = or(s.DistanceUnit, "km"), place.MetresPerKilometre
	if s.DistanceUnit == "mi" {
		s.metres = place.MetresPerMile
	}
}

func or(s, otherwise string) string {
	if s == "" {
		return otherwise
	}
	return s
}

func (r *reader) tax(t *Tax) {
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "prices_include_tax":
			t.PricesIncludeTax = r.Bool(false)
		case "rates":
			t.Rates = list(r, func() TaxRate {
				var rate TaxRate
				var percent *exact.Decimal
				rate.Rule = r.rule(func(name []byte) bool {
					if string(name) != "percent" {
						return false
					}
					percent = r.amount()
					return true
				})
				if percent != nil {
					rate.Percent = *percent
				}
				return rate
			})
		default:
			return false
		}
		return true
	})
}

func (r *reader) location() (l Location) {
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "id":
			l.ID = r.id()
		case "name":
			l.Name = r.Text()
		case "country":
			l.Country = r.country()
		case "postcode":
			l.Postcode = r.Text()
		case "city":
			l.City = r.Text()
		case "street":
			l.Street = r.Text()
		case "lat":
			l.Lat = r.degrees(90)
		case "lon":
			l.Lon = r.degrees(180)
		case "ships_from":
			l.ShipsFrom = r.Bool(false)
		case "pickup":
			l.Pickup = r.Bool(false)
		default:
			return false
		}
		return true
	})
	return l
}

func (r *reader) class() (c Class) {
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "id":
			c.ID = r.id()
		case "name":
			c.Name = r.Text()
		case "note":
			c.Note = r.Text()
		default:
			return false
		}
		return true
	})
	return c
}

func (r *reader) productField(name []byte, p *Product) bool {
	switch string(name) {
	case "sku":
		p.SKU = r.Text()
	case "name":
		p.Name = r.Text()
	case "price":
		p.Price = r.amountOrZero()
	case "weight":
		p.Weight = r.amount()
	case "length":
		p.Length = r.amount()
	case "width":
		p.Width = r.amount()
	case "height":
		p.Height = r.amount()
	case "class":
		p.Class = r.Text()
	case "needs_shipping":
		p.NeedsShipping = r.Bool(true)
	case "ships_free":
		p.ShipsFree = r.Bool(false)
	case "own_parcel":
		p.OwnParcel = r.Bool(false)
	default:
		return false
	}
	return true
}

func (r *reader) zone() Zone {
	z := Zone{Enabled: true}
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "id":
			z.ID = r.id()
		case "name":
			z.Name = r.Text()
		case "enabled":
			z.Enabled = r.Bool(true)
		case "rank":
			z.Rank = r.Int()
		case "only":
			z.Only = r.Bool(false)
		case "places":
			z.Places = r.rules()
		case "except":
			z.Except = r.rules()
		default:
			return false
		}
		return true
	})
	return z
}

func (r *reader) rules() []place.Rule {
	return list(r, func() place.Rule { return r.rule(func([]byte) bool { return false }) })
}

// rule reads a place rule; extra reads fields that stand beside it.
func (r *reader) rule(extra func(name []byte) bool) (rule place.Rule) {
	var region string
	var codes []string
	before := len(r.Faults)
	isObject := r.Object(func(name []byte) bool {
		switch string(name) {
		case "world":
			rule.World = r.Bool(false)
		case "group":
			if rule.Group = r.Text(); rule.Group != "" {
				g, ok := world.GroupByCode(rule.Group)
				if !ok {
					r.Fault(fault.Place, "%.60q is neither a region of UN M.49 nor EU", rule.Group)
				}
				rule.Group = g.Code
			}
		case "country":
			rule.Country = r.country()
		case "region":
			region = r.Text()
		case "city":
			rule.City = strings.TrimSpace(r.Text())
		case "postcodes":
			codes = r.Texts()
		case "area":
			if r.Kind() != '{' {
				r.Object(nil)
			} else if raw := r.Raw(); raw != nil && string(raw) != "{}" {
				var err error
				if rule.Area, err = place.ParseArea(raw); err != nil {
					r.Fault(fault.Place, "%v", err)
				}
			}
		case "within":
			rule.Within = r.within()
		default:
			return extra(name)
		}
		return true
	})
	if !isObject || r.Failed() {
		return rule
	}
	faulty := len(r.Faults) > before
	if rule.Country == "" && (region != "" || rule.City != "" || len(codes) > 0) {
		if !faulty {
			r.FaultBelow(fault.Path{"country"}, fault.Missing, "say which country the %s is in", narrowest(region, rule.City, codes))
		}
		return rule
	}
	if region != "" {
		found, ok := world.RegionByCode(rule.Country, region)
		if !ok {
			r.FaultBelow(fault.Path{"region"}, fault.Place, "%s has no region %.60q in ISO 3166-2", world.CountryName(rule.Country), region)
		}
		rule.Region = found.Code
	}
	if len(codes) > 0 {
		rule.Postcodes = make([]postcode.Entry, 0, len(codes))
		for i, text := range codes {
			entry, err := postcode.ParseEntry(rule.Country, text)
			if err != nil {
				r.FaultBelow(fault.Path{"postcodes", i}, fault.Place, "%v", err)
				continue
			}
			rule.Postcodes = append(rule.Postcodes, entry)
		}
	}
	if rule.Level() == 0 && len(r.Faults) == before {
		r.Fault(fault.Missing, "name a place: world, group, country, region, city, postcodes, area or within")
	}
	return rule
}

func narrowest(region, city string, codes []string) string {
	switch {
	case len(codes) > 0:
		return "list of postcodes"
	case city != "":
		return "city"
	}
	return "region"
}

func (r *reader) within() *place.Within {
	w := &place.Within{}
	var lat, lon, distance *exact.Decimal
	before := len(r.Faults)
	empty := true
	if !r.Object(func(name []byte) bool {
		empty = false
		switch string(name) {
		case "location":
			w.Location = r.Text()
		case "lat":
			lat = r.degrees(90)
		case "lon":
			lon = r.degrees(180)
		case "distance":
			distance = r.amount()
		default:
			return false
		}
		return true
	}) || empty {
		return nil
	}
	if len(r.Faults) > before {
		return w
	}
	if distance == nil {
		r.FaultBelow(fault.Path{"distance"}, fault.Missing, "say within what distance")
	} else {
		w.Distance = *distance
	}
	switch {
	case w.Location == "" && (lat == nil || lon == nil):
		r.FaultBelow(fault.Path{"location"}, fault.Missing, "name a location, or give lat and lon")
	case w.Location != "" && (lat != nil || lon != nil):
		r.FaultBelow(fault.Path{"location"}, fault.Shape, "name a location or give lat and lon, not both")
	case lat != nil:
		w.Lat, w.Lon, w.Located = *lat, *lon, true
		w.Name = lat.String() + ", " + lon.String()
	}
	return w
}

func (r *reader) method() Method {
	m := Method{Enabled: true, Taxable: true, Kind: Delivery, Classes: "together", WhenRefused: "hide"}
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "id":
			m.ID = r.id()
		case "name":
			m.Name = r.Text()
		case "label":
			m.Label = r.Text()
		case "kind":
			m.Kind = r.choice(Delivery, Pickup, Carrier)
		case "enabled":
			m.Enabled = r.Bool(true)
		case "taxable":
			m.Taxable = r.Bool(true)
		case "classes":
			m.Classes = r.choice("together", "add", "dearest")
		case "from":
			m.From = r.Text()
		case "days":
			m.Days = r.days()
		case "handling":
			m.Handling = r.handling()
		case "needs":
			m.Needs = r.needs()
		case "free":
			m.Free = r.free()
		case "minimum":
			m.Minimum = r.amount()
		case "maximum":
			m.Maximum = r.amount()
		case "preselected":
			m.Preselected = r.Bool(false)
		case "when_refused":
			m.WhenRefused = r.choice("hide", "tell")
		case "refused_text":
			m.RefusedText = r.Text()
		case "terms":
			r.Object(func(zone []byte) bool {
				if m.Terms == nil {
					m.Terms = map[string]Terms{}
				}
				id := string(zone) // before reading on, which overwrites it
				m.Terms[id] = r.terms()
				return true
			})
		case "tables":
			m.Tables = list(r, r.table)
		default:
			return false
		}
		return true
	})
	return m
}

func (r *reader) terms() Terms {
	t := Terms{Enabled: true}
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "enabled":
			t.Enabled = r.Bool(true)
		case "days":
			t.Days = r.days()
		case "handling":
			t.Handling = r.handling()
		case "needs":
			t.Needs = r.needs()
		case "free":
			t.Free = r.free()
		case "minimum":
			t.Minimum = r.amount()
		case "maximum":
			t.Maximum = r.amount()
		default:
			return false
		}
		return true
	})
	return t
}

func (r *reader) days() *Days {
	d := &Days{}
	var lo, hi *int64
	ok := r.Object(func(name []byte) bool {
		switch string(name) {
		case "min":
			lo = r.count()
		case "max":
			hi = r.count()
		case "business":
			d.Business = r.Bool(false)
		default:
			return false
		}
		return true
	})
	if !ok || lo == nil && hi == nil {
		return nil
	}
	if lo == nil {
		lo = hi
	}
	if hi == nil {
		hi = lo
	}
	if *hi < *lo {
		r.FaultBelow(fault.Path{"max"}, fault.Range, "at most %d days is less than at least %d", *hi, *lo)
	}
	d.Min, d.Max = *lo, *hi
	return d
}

func (r *reader) handling() *Handling {
	h := &Handling{}
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "amount":
			h.Amount = r.amount()
		case "percent":
			h.Percent = r.amount()
		case "of":
			h.Of = r.choice("charge", "subtotal")
		default:
			return false
		}
		return true
	})
	if h.Amount == nil && h.Percent == nil {
		return nil
	}
	return h
}

func (r *reader) free() *Free {
	f := &Free{}
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "subtotal":
			f.Subtotal = r.amount()
		case "quantity":
			f.Quantity = r.count()
		case "coupons":
			f.Coupons = r.Texts()
		case "require":
			f.Require = r.choice("any", "all")
		default:
			return false
		}
		return true
	})
	if f.Subtotal == nil && f.Quantity == nil && len(f.Coupons) == 0 {
		return nil
	}
	return f
}

func (r *reader) needs() *Needs {
	n := &Needs{}
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "subtotal":
			n.Subtotal = r.bounds(false)
		case "weight":
			n.Weight = r.bounds(false)
		case "quantity":
			n.Quantity = r.bounds(true)
		case "distance":
			n.Distance = r.bounds(false)
		case "longest_side":
			n.LongestSide = r.bounds(false)
		case "coupons":
			n.Coupons = r.Texts()
		case "groups":
			n.Groups = r.Texts()
		case "only_classes":
			n.OnlyClasses = r.Texts()
		case "without_classes":
			n.WithoutClasses = r.Texts()
		default:
			return false
		}
		return true
	})
	if n.empty() {
		return nil
	}
	return n
}

func (n *Needs) empty() bool {
	return n.Subtotal == nil && n.Weight == nil && n.Quantity == nil && n.Distance == nil && n.LongestSide == nil &&
		len(n.Coupons)+len(n.Groups)+len(n.OnlyClasses)+len(n.WithoutClasses) == 0
}

// bounds reads {"from", "to"}; those of a count may be JSON integers.
func (r *reader) bounds(ofCount bool) *Bounds {
	b := &Bounds{}
	read := r.amount
	if ofCount {
		read = r.countOrAmount
	}
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "from":
			b.From = read()
		case "to":
			b.To = read()
		default:
			return false
		}
		return true
	})
	if b.From == nil && b.To == nil {
		return nil
	}
	if b.From != nil && b.To != nil && b.To.Less(*b.From) {
		r.FaultBelow(fault.Path{"to"}, fault.Range, "to %s lies below from %s", b.To, b.From)
	}
	return b
}

// countOrAmount reads a number that may be a JSON integer.
func (r *reader) countOrAmount() *exact.Decimal {
	if r.Kind() != '0' {
		return r.amount()
	}
	if n := r.count(); n != nil {
		d := exact.FromInt(*n)
		return &d
	}
	return nil
}

func (r *reader) table() (t rate.Table) {
	var integers []fault.Path // break points written as JSON integers, which only counts may be
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "id":
			t.ID = r.id()
		case "name":
			t.Name = r.Text()
		case "zones":
			t.Zones = r.Texts()
		case "classes":
			t.Classes = r.Texts()
		case "by":
			if r.Kind() == '"' {
				t.By = rate.By(r.choice("", string(rate.ByOrder), string(rate.ByWeight), string(rate.BySubtotal), string(rate.ByQuantity), string(rate.ByDistance)))
			} else {
				r.Text()
			}
		case "edges":
			t.Edges = rate.Edges(r.choice("", string(rate.From), string(rate.UpTo)))
		case "graduated":
			t.Graduated = r.Bool(false)
		case "rows":
			r.List(func(i int) {
				row, integer := r.row()
				t.Rows = append(t.Rows, row)
				if integer {
					integers = append(integers, fault.Path{"rows", i, "at"})
				}
			})
		default:
			return false
		}
		return true
	})
	if t.By != rate.ByQuantity {
		for _, path := range integers {
			r.FaultBelow(path, fault.Type, "write this number as a string, such as \"4.90\": JSON numbers are not exact")
		}
	}
	return t
}

func (r *reader) row() (row rate.Row, integer bool) {
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "at":
			integer = r.Kind() == '0'
			row.At = r.countOrAmount()
		case "charges":
			row.Charges = list(r, r.charge)
		default:
			return false
		}
		return true
	})
	return row, integer
}

func (r *reader) charge() *rate.Charge {
	switch r.Kind() {
	case 'n':
		r.Skip()
		return nil
	case '"', '0':
		base := r.amount()
		if base == nil {
			return nil
		}
		return &rate.Charge{Base: base}
	}
	c := &rate.Charge{}
	before := len(r.Faults)
	ok := r.Object(func(name []byte) bool {
		switch string(name) {
		case "base":
			c.Base = r.amount()
		case "per_item":
			c.PerItem = r.amount()
		case "first_item":
			c.FirstItem = r.amount()
		case "next_item":
			c.NextItem = r.amount()
		case "per_weight":
			c.PerWeight = r.perUnit()
		case "per_distance":
			c.PerDistance = r.perUnit()
		case "percent":
			c.Percent = r.amount()
		default:
			return false
		}
		return true
	})
	if ok && *c == (rate.Charge{}) && len(r.Faults) == before {
		return nil // an empty object is the same as absence: not offered
	}
	return c
}

func (r *reader) perUnit() *rate.PerUnit {
	p := &rate.PerUnit{}
	var amount *exact.Decimal
	before, fields := len(r.Faults), 0
	ok := r.Object(func(name []byte) bool {
		fields++
		switch string(name) {
		case "amount":
			amount = r.amount()
		case "every":
			p.Every = r.amount()
			if p.Every != nil && p.Every.IsZero() {
				r.Fault(fault.Range, "a step of 0 cannot be counted")
				p.Every = nil
			}
		case "above":
			p.Above = r.amount()
		case "part":
			p.Started = r.choice("exact", "started") == "started"
		default:
			return false
		}
		return true
	})
	if !ok || fields == 0 {
		return nil
	}
	if amount != nil {
		p.Amount = *amount
	} else if len(r.Faults) == before {
		r.FaultBelow(fault.Path{"amount"}, fault.Missing, "say how much for each")
	}
	return p
}

func (r *reader) surcharge() (s Surcharge) {
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "id":
			s.ID = r.id()
		case "name":
			s.Name = r.Text()
		case "places":
			s.Places = r.rules()
		case "except":
			s.Except = r.rules()
		case "methods":
			s.Methods = r.Texts()
		case "amount":
			s.Amount = r.amount()
		case "percent":
			s.Percent = r.amount()
		default:
			return false
		}
		return true
	})
	return s
}

func (r *reader) agreed() (a Agreed) {
	var amount *exact.Decimal
	before := len(r.Faults)
	ok := r.Object(func(name []byte) bool {
		switch string(name) {
		case "id":
			a.ID = r.id()
		case "name":
			a.Name = r.Text()
		case "customer":
			a.Customer = strings.TrimSpace(r.Text())
		case "group":
			a.Group = strings.TrimSpace(r.Text())
		case "place":
			a.Place = r.agreedPlace()
		case "methods":
			a.Methods = r.Texts()
		case "amount":
			amount = r.amount()
		default:
			return false
		}
		return true
	})
	if !ok || len(r.Faults) > before {
		return a
	}
	if amount == nil {
		r.FaultBelow(fault.Path{"amount"}, fault.Missing, "say what was agreed")
	} else {
		a.Amount = *amount
	}
	if a.Customer == "" && a.Group == "" && a.Place == nil {
		r.Fault(fault.Missing, "say with whom this was agreed: a customer, a group or a place")
	}
	return a
}

func (r *reader) agreedPlace() *AgreedPlace {
	p := &AgreedPlace{}
	before := len(r.Faults)
	ok := r.Object(func(name []byte) bool {
		switch string(name) {
		case "country":
			p.Country = r.country()
		case "postcode":
			p.Postcode = r.Text()
		case "street":
			p.Street = r.Text()
		default:
			return false
		}
		return true
	})
	if !ok || *p == (AgreedPlace{}) && len(r.Faults) == before {
		return nil
	}
	if p.Country == "" && len(r.Faults) == before {
		r.FaultBelow(fault.Path{"country"}, fault.Missing, "say which country this place is in")
	}
	if p.Country != "" && p.Postcode != "" && !postcode.Possible(p.Country, p.Postcode) {
		r.FaultBelow(fault.Path{"postcode"}, fault.Place, "%.60s cannot be a postcode of %s: they are %s", p.Postcode, world.CountryName(p.Country), postcode.Shape(p.Country))
	}
	return p
}

// ProductField reads a field of a product, as a product of the file or a line of a request carries it; it returns false,
// without reading, where a product has no such field.
func ProductField(r *jsonread.Reader, name []byte, p *Product) bool {
	return (&reader{r}).productField(name, p)
}

// ReadAddress reads an address, as a request carries it.
func ReadAddress(jr *jsonread.Reader) (a place.Address) {
	r := &reader{jr}
	before := len(r.Faults)
	ok := r.Object(func(name []byte) bool {
		switch string(name) {
		case "country":
			a.Country = r.country()
		case "region":
			a.Region = r.Text()
		case "city":
			a.City = r.Text()
		case "postcode":
			a.Postcode = r.Text()
		case "street":
			a.Street = r.Text()
		case "lat":
			a.Lat = r.degrees(90)
		case "lon":
			a.Lon = r.degrees(180)
		default:
			return false
		}
		return true
	})
	if !ok || len(r.Faults) > before {
		return a
	}
	switch {
	case a.Country == "":
		r.FaultBelow(fault.Path{"country"}, fault.Missing, "say which country the order goes to")
	case a.Lat == nil && a.Lon != nil:
		r.FaultBelow(fault.Path{"lat"}, fault.Missing, "a point needs both lat and lon")
	case a.Lon == nil && a.Lat != nil:
		r.FaultBelow(fault.Path{"lon"}, fault.Missing, "a point needs both lat and lon")
	}
	return a
}
