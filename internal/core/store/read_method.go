package store

import (
	"diadrom/internal/core/calendar"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/fault"
	"diadrom/internal/core/rate"
)

func (r *reader) method() Method {
	m := Method{Enabled: true, Taxable: true, Kind: Delivery, Classes: Together, WhenRefused: Hide}
	r.Object(func(name []byte) bool { return r.methodField(&m, string(name)) || r.methodTerm(&m, string(name)) })
	return m
}

// methodField reads what a method is; false where a field is none of that.
func (r *reader) methodField(m *Method, name string) bool {
	switch name {
	case "id":
		m.ID = r.id()
	case "name":
		m.Name = r.Text()
	case "label":
		m.Label = r.Text()
	case "kind":
		m.Kind = choice(r, Delivery, Pickup, CarrierKind)
	case "enabled":
		m.Enabled = r.Bool(true)
	case "taxable":
		m.Taxable = r.Bool(true)
	case "classes":
		m.Classes = choice(r, Together, Add, Dearest)
	case "from":
		m.From = r.Text()
	case "points":
		m.Points = r.Texts()
	case "preselected":
		m.Preselected = r.Bool(false)
	case "when_refused":
		m.WhenRefused = choice(r, Hide, Tell)
	case "refused_text":
		m.RefusedText = r.Text()
	case "labels":
		m.Labels = r.texts()
	case "refused_texts":
		m.RefusedTexts = r.texts()
	case "tables":
		m.Tables = list(r, r.table)
	default:
		return false
	}
	return true
}

// methodTerm reads a method's terms; false where a field is none of them.
func (r *reader) methodTerm(m *Method, name string) bool {
	switch name {
	case "days":
		m.Days = r.days()
	case "dispatch":
		m.Dispatch = r.ownDispatch()
	case "available":
		m.Available = r.period()
	case "volumetric_divisor":
		m.Volumetric = r.divisor()
	case "parcels":
		m.Parcels = r.parcels()
	case "carrier":
		m.Carrier = r.asks()
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
	case "inherits":
		m.Inherits = list(r, func() Inherited { return choice(r, append([]Inherited{""}, InheritedTerms...)...) })
	case "terms":
		r.Object(func(zone []byte) bool {
			if m.Terms == nil {
				m.Terms = map[string]Terms{}
			}
			id := string(zone) // before reading on, which overwrites it
			m.Terms[id] = r.terms()
			return true
		})
	default:
		return false
	}
	return true
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

// ownDispatch reads what a method has of its own of when orders leave; nil where that is nothing.
func (r *reader) ownDispatch() *calendar.Own {
	var o calendar.Own
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "weekdays":
			o.Weekdays = r.weekdays()
		case "cut_off":
			o.CutOff = r.cutOff()
		case "lead_days":
			o.LeadDays = r.leadDays()
		default:
			return false
		}
		return true
	})
	if len(o.Weekdays) == 0 && o.CutOff == "" && o.LeadDays == nil {
		return nil
	}
	return &o
}

// period reads a time by dates; nil where it has no end.
func (r *reader) period() *calendar.Period {
	var p calendar.Period
	before := len(r.Faults)
	date := func() string {
		text := r.Text()
		if text != "" {
			if _, err := calendar.Date(text); err != nil {
				r.Fault(fault.Range, "%s", err.Error())
			}
		}
		return text
	}
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "from":
			p.From = date()
		case "to":
			p.To = date()
		default:
			return false
		}
		return true
	})
	if p == (calendar.Period{}) {
		return nil
	}
	if len(r.Faults) == before && p.From != "" && p.To != "" && p.To < p.From {
		r.FaultBelow(fault.Path{"to"}, fault.Range, "%s is before %s", p.To, p.From)
	}
	return &p
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
			h.Of = choice(r, OfCharge, OfSubtotal)
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
			f.Require = choice(r, RequireAny, RequireAll)
		case "available":
			f.Available = r.period()
		default:
			return false
		}
		return true
	})
	if f.Subtotal == nil && f.Quantity == nil && len(f.Coupons) == 0 {
		if f.Available != nil {
			r.Fault(fault.Missing, "say from what sum or number, or with which coupon, delivery is free then")
		}
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
		case "billed_weight":
			n.BilledWeight = r.bounds(false)
		case "parcel_weight":
			n.ParcelWeight = r.bounds(false)
		case "girth":
			n.Girth = r.bounds(false)
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
		n.BilledWeight == nil && n.ParcelWeight == nil && n.Girth == nil &&
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
func (r *reader) countOrAmount() *decimal.Decimal {
	if r.Kind() != '0' {
		return r.amount()
	}
	if n := r.count(); n != nil {
		d := decimal.FromInt(*n)
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
				t.By = choice(r, append([]rate.By{""}, rate.Measures...)...)
			} else {
				r.Text()
			}
		case "per":
			if t.Per = choice(r, "", "parcel", rate.PerOrder); t.Per != rate.PerOrder {
				t.Per = rate.PerParcel
			}
		case "edges":
			t.Edges = choice(r, "", rate.From, rate.UpTo)
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
			r.FaultBelow(
				path,
				fault.Type,
				"write this number as a string, such as \"4.90\": JSON numbers are not exact",
			)
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
	var amount *decimal.Decimal
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
			p.Started = choice(r, "exact", "started") == "started"
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
