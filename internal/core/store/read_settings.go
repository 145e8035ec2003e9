package store

import (
	"cmp"
	"slices"
	"strings"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/fault"
	"diadrom/internal/core/place"
	"diadrom/internal/core/world"
)

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
			s.WeightUnit = choice(r, "kg", "g", "oz", "lb")
		case "length_unit":
			s.LengthUnit = choice(r, "cm", "mm", "m", "in")
		case "distance_unit":
			s.DistanceUnit = choice(r, "km", "mi")
		case "distance_by":
			if s.DistanceBy = choice(r, Straight, ByRoad); s.DistanceBy == Straight {
				s.DistanceBy = "" // absent and straight mean the same, and older files have neither
			}
		case "road_factor":
			s.RoadFactor = r.roadFactor()
		case "assumed_weight":
			s.AssumedWeight = r.amount()
		case "volumetric_divisor":
			s.Volumetric = r.divisor()
		case "dispatch":
			s.Dispatch = r.dispatch()
		case "checkout":
			s.Checkout = r.checkout()
		case "subtotal_counts":
			s.SubtotalCounts = choice(r, Shipped, All)
		case "tax":
			r.tax(&s.Tax)
		case "sells_to":
			s.SellsTo = r.rules()
		case "defaults":
			r.defaults(&s.Defaults)
		default:
			return false
		}
		return true
	})
	s.digits, _ = world.CurrencyDigits(s.Currency)
	s.WeightUnit = cmp.Or(s.WeightUnit, "kg")
	s.LengthUnit = cmp.Or(s.LengthUnit, "cm")
	s.SubtotalCounts = cmp.Or(s.SubtotalCounts, Shipped)
	s.DistanceUnit, s.metres = cmp.Or(s.DistanceUnit, "km"), place.MetresPerKilometre
	if s.DistanceUnit == "mi" {
		s.metres = place.MetresPerMile
	}
}

// checkout reads how the checkout asks; nil where it is absent.
func (r *reader) checkout() *Checkout {
	c := &Checkout{Options: OptionsList, Address: AskDelivery}
	ok := r.Object(func(name []byte) bool {
		switch string(name) {
		case "prices_wait":
			c.PricesWait = r.Bool(false)
		case "options":
			c.Options = choice(r, OptionsList, OptionsMenu)
		case "address":
			c.Address = choice(r, AskDelivery, AskBilling, AskOnlyBilling)
		default:
			return false
		}
		return true
	})
	if !ok {
		return nil
	}
	return c
}

// defaults reads terms that methods may inherit.
func (r *reader) defaults(d *Defaults) {
	r.Object(func(name []byte) bool {
		switch Inherited(name) {
		case InheritDays:
			d.Days = r.days()
		case InheritFree:
			d.Free = r.free()
		case InheritHandling:
			d.Handling = r.handling()
		case InheritMinimum:
			d.Minimum = r.amount()
		case InheritMaximum:
			d.Maximum = r.amount()
		case InheritNeeds:
			d.Needs = r.needs()
		case InheritTaxable:
			taxable := r.Bool(true)
			d.Taxable = &taxable
		default:
			return false
		}
		return true
	})
}

// dispatch reads when orders leave; nil where it is absent.
func (r *reader) dispatch() *calendar.Plan {
	var p calendar.Plan
	before := len(r.Faults)
	said := func(code string, err error) {
		if err != nil {
			r.Fault(code, "%s", err.Error())
		}
	}
	ok := r.Object(func(name []byte) bool {
		switch string(name) {
		case "time_zone":
			if p.TimeZone = r.Text(); p.TimeZone != "" {
				_, err := calendar.Location(p.TimeZone)
				said(fault.Choice, err)
			}
		case "cut_off":
			p.CutOff = r.cutOff()
		case "lead_days":
			if n := r.leadDays(); n != nil {
				p.LeadDays = *n
			}
		case "weekdays":
			p.Weekdays = r.weekdays()
		case "holidays":
			if p.Holidays = r.country(); p.Holidays != "" && !calendar.Known(p.Holidays) {
				r.Fault(
					fault.Choice,
					"the public holidays of %s are not known here; known are %s",
					p.Holidays,
					strings.Join(calendar.Countries(), ", "),
				)
			}
		case "closed":
			p.Closed = r.closed()
		default:
			return false
		}
		return true
	})
	if !ok {
		return nil
	}
	if len(r.Faults) == before && p.TimeZone == "" {
		r.FaultBelow(
			fault.Path{"time_zone"},
			fault.Missing,
			"say the time zone of the cut-off, such as Europe/Helsinki",
		)
	}
	if len(r.Faults) == before && p.CutOff == "" {
		r.FaultBelow(
			fault.Path{"cut_off"},
			fault.Missing,
			"say until when orders leave on the same day, such as 14:00",
		)
	}
	return &p
}

// cutOff reads a time of day.
func (r *reader) cutOff() string {
	text := r.Text()
	if text != "" {
		if _, err := calendar.Time(text); err != nil {
			r.Fault(fault.Range, "%s", err.Error())
		}
	}
	return text
}

// leadDays reads how many days pass before an order leaves.
func (r *reader) leadDays() *int64 {
	n := r.count()
	if n != nil && *n > calendar.MaxLeadDays {
		r.Fault(fault.Range, "%d lead days are more than %d", *n, calendar.MaxLeadDays)
		return nil
	}
	return n
}

// closed reads the days on which the shop is closed.
func (r *reader) closed() (days []string) {
	r.List(func(i int) {
		before := len(r.Faults)
		text := r.Text()
		if len(r.Faults) == before {
			if _, err := calendar.Date(text); err != nil {
				r.Fault(fault.Range, "%s", err.Error())
			}
		}
		if i == calendar.MaxClosed {
			r.Fault(fault.TooLarge, "there are at most %d closed days", calendar.MaxClosed)
		}
		days = append(days, text)
	})
	return days
}

// weekdays reads days of the week; nil is Monday to Friday.
func (r *reader) weekdays() (days []string) {
	r.List(func(int) {
		if day := choice(r, append([]string{""}, calendar.Weekdays...)...); day != "" {
			if slices.Contains(days, day) {
				r.Fault(fault.Duplicate, "%s stands twice", day)
			}
			days = append(days, day)
		}
	})
	return days
}

func (r *reader) tax(t *Tax) {
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "prices_include_tax":
			t.PricesIncludeTax = r.Bool(false)
		case "rates":
			t.Rates = list(r, func() TaxRate {
				var rate TaxRate
				var percent *decimal.Decimal
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
