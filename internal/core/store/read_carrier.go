package store

import (
	"net/url"
	"slices"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/fault"
)

func (r *reader) carrier() (c Carrier) {
	before, given := len(r.Faults), false
	ok := r.Object(func(name []byte) bool {
		switch string(name) {
		case "id":
			c.ID = r.id()
		case "name":
			c.Name = r.Text()
		case "url":
			given = true
			if c.URL = r.Text(); c.URL != "" && !ServiceURL(c.URL) {
				r.Fault(fault.Choice, "%.80q is not the address of a service: write it such as "+
					"https://post.example/rates",
					c.URL)
			}
		default:
			return false
		}
		return true
	})
	if ok && len(r.Faults) == before && (!given || c.URL == "") {
		r.FaultBelow(fault.Path{"url"}, fault.Missing, "say at which address this carrier is asked")
	}
	return c
}

// ServiceURL says whether a text is the address of a service: http or https, with a host, without a name, a query or a
// fragment.
func ServiceURL(text string) bool {
	u, err := url.Parse(text)
	return err == nil && u.Host != "" && (u.Scheme == "http" || u.Scheme == "https") && u.User == nil &&
		u.RawQuery == "" && u.Fragment == ""
}

// asks reads whom a method asks; nil where that is nobody.
func (r *reader) asks() *Asks {
	var a Asks
	before := len(r.Faults)
	ok := r.Object(func(name []byte) bool {
		switch string(name) {
		case "id":
			a.ID = r.Text()
		case "services":
			a.Services = r.services()
		case "amount":
			a.Amount = r.Decimal()
		case "percent":
			a.Percent = r.Decimal()
		case "fallback":
			a.Fallback = r.Bool(false)
		default:
			return false
		}
		return true
	})
	if !ok {
		return nil
	}
	if len(r.Faults) == before && a.ID == "" {
		if len(a.Services) == 0 && a.Amount == nil && a.Percent == nil && !a.Fallback {
			return nil
		}
		r.FaultBelow(fault.Path{"id"}, fault.Missing, "say which carrier is asked")
	}
	if a.Percent != nil && a.Percent.Less(decimal.FromInt(-100)) {
		r.FaultBelow(fault.Path{"percent"}, fault.Range, "%s %% takes more off than there is", a.Percent)
	}
	return &a
}

func (r *reader) services() (list []Service) {
	r.List(func(int) {
		s := Service{Enabled: true}
		before := len(r.Faults)
		r.Object(func(name []byte) bool {
			switch string(name) {
			case "code":
				s.Code = r.Text()
			case "label":
				s.Label = r.Text()
			case "labels":
				s.Labels = r.texts()
			case "enabled":
				s.Enabled = r.Bool(true)
			case "days":
				s.Days = r.days()
			default:
				return false
			}
			return true
		})
		if len(r.Faults) == before {
			switch {
			case s.Code == "":
				r.FaultBelow(fault.Path{"code"}, fault.Missing, "say which service of the carrier this is")
			case slices.ContainsFunc(list, func(have Service) bool { return have.Code == s.Code }):
				r.FaultBelow(fault.Path{"code"}, fault.Duplicate, "service %.60q stands twice", s.Code)
			}
		}
		list = append(list, s)
	})
	return list
}
