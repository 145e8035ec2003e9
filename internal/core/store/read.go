package store

import (
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/fault"
	"diadrom/internal/core/jsonread"
	"diadrom/internal/core/world"
)

// MaxSize is the largest store file that is read, in bytes.
const MaxSize = 64 << 20

// Read reads a store file and checks it. The list holds every fault; only a file without any may be used.
func Read(data []byte) (*File, fault.List) {
	if len(data) > MaxSize {
		return nil, fault.List{
			{Code: fault.TooLarge, Message: fmt.Sprintf("a store file has at most %d MB", MaxSize>>20)},
		}
	}
	r := &reader{jsonread.New(data, "")}
	f := &File{}
	r.file(f)
	r.End()
	if r.Failed() {
		return f, r.Faults
	}
	c := checker{file: f, faults: r.Faults, faulty: make(map[string]bool, len(r.Faults))}
	for i := range r.Faults {
		c.faulty[r.Faults[i].Path] = true
	}
	c.check()
	return f, c.faults
}

// reader reads the parts of a store file; what can be judged by itself is judged here, what refers to other
// parts by checker.
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
		case "boxes":
			f.Boxes = list(r, r.box)
		case "products":
			f.Products = list(r, r.product)
		case "zones":
			f.Zones = list(r, r.zone)
		case "carriers":
			f.Carriers = list(r, r.carrier)
		case "methods":
			f.Methods = list(r, r.method)
		case "surcharges":
			f.Surcharges = list(r, r.surcharge)
		case "agreed":
			f.Agreed = list(r, r.agreed)
		case "costs":
			f.Costs = list(r, r.cost)
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
func choice[S ~string](r *reader, words ...S) S {
	s := S(r.Text())
	if s == "" {
		return words[0]
	}
	if slices.Contains(words, s) {
		return s
	}
	names := make([]string, 0, len(words))
	for _, word := range words {
		if word != "" {
			names = append(names, string(word))
		}
	}
	r.Fault(fault.Choice, "%.60q is none of %s", string(s), strings.Join(names, ", "))
	return words[0]
}

// amount reads a decimal that is not negative.
func (r *reader) amount() *decimal.Decimal {
	d := r.Decimal()
	if d != nil && d.Sign() < 0 {
		r.Fault(fault.Range, "%s is below 0", d)
		return nil
	}
	return d
}

// MaxRoadFactor is the largest road factor: no country's roads are that winding.
const MaxRoadFactor = 10

// roadFactor reads how many times the straight line a way by road is: a way is never shorter than that line.
func (r *reader) roadFactor() *decimal.Decimal {
	d := r.amount()
	if d != nil && (d.Less(decimal.One) || decimal.FromInt(MaxRoadFactor).Less(*d)) {
		r.Fault(fault.Range, "a road factor is from 1 to %d, not %s", MaxRoadFactor, d)
		return nil
	}
	return d
}

// divisor reads a number above 0.
func (r *reader) divisor() *decimal.Decimal {
	d := r.amount()
	if d != nil && d.IsZero() {
		r.Fault(fault.Range, "a divisor of 0 divides nothing: leave it out where only weights are billed")
		return nil
	}
	return d
}

func (r *reader) amountOrZero() decimal.Decimal {
	if d := r.amount(); d != nil {
		return *d
	}
	return decimal.Zero
}

// degrees reads a latitude (limit 90) or longitude (limit 180).
func (r *reader) degrees(limit int64) *decimal.Decimal {
	d := r.Decimal()
	if d != nil && (decimal.FromInt(limit).Less(*d) || d.Less(decimal.FromInt(-limit))) {
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
		r.Fault(
			fault.Choice,
			"an id is made of small letters, digits and hyphens, and does not begin with a hyphen: %.60q is not",
			s,
		)
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
		case "hours":
			l.Hours = r.Text()
		case "names":
			l.Names = r.texts()
		case "hours_texts":
			l.HoursTexts = r.texts()
		case "ready":
			l.Ready = r.days()
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

func (r *reader) product() Product {
	p := Product{NeedsShipping: true}
	r.Object(func(name []byte) bool { return r.productField(name, &p) })
	return p
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
	case "upright":
		p.Upright = r.Bool(false)
	case "from":
		p.From = r.Text()
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
	var amount *decimal.Decimal
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

// ProductField reads a field of a product, as a product of the file or a line of a request carries it; it
// returns false, without reading, where a product has no such field.
func ProductField(r *jsonread.Reader, name []byte, p *Product) bool {
	return (&reader{r}).productField(name, p)
}
