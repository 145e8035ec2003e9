package edit

import (
	"cmp"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
)

// maxURL is the longest address of a carrier.
const maxURL = 500

// AddCarrier connects a carrier by its name and address, as they are typed.
func AddCarrier(f *store.File, name, url string) error {
	name, err := Name(name)
	if err != nil {
		return err
	}
	c := store.Carrier{Name: name}
	if c.URL, err = carrierURL(url); err != nil {
		return err
	}
	c.ID = store.NewID(name, "carrier", func(id string) bool { return f.Carrier(id) != nil })
	f.Carriers = append(f.Carriers, c)
	return nil
}

func carrierURL(typed string) (string, error) {
	typed = strings.TrimRight(strings.TrimSpace(typed), "/")
	if len(typed) > maxURL || !store.ServiceURL(typed) {
		return "", Problemf("%.80q is not the address of a service: write it such as https://post.example/rates", typed)
	}
	return typed, nil
}

// carrierOf finds a carrier that may have been removed meanwhile.
func carrierOf(f *store.File, id string) (*store.Carrier, error) {
	if c := f.Carrier(id); c != nil {
		return c, nil
	}
	return nil, Problemf("this carrier was removed meanwhile; nothing was changed")
}

// NameCarrier gives a carrier the name by which owners know it.
func NameCarrier(f *store.File, id, typed string) error {
	c, err := carrierOf(f, id)
	if err != nil {
		return err
	}
	c.Name, err = nameOr(typed, c.Name)
	return err
}

// nameOr reads a name; where it is refused the name stays.
func nameOr(typed, now string) (string, error) {
	name, err := Name(typed)
	if err != nil {
		return now, err
	}
	return name, nil
}

// MoveCarrier has a carrier asked at another address.
func MoveCarrier(f *store.File, id, typed string) error {
	c, err := carrierOf(f, id)
	if err != nil {
		return err
	}
	url, err := carrierURL(typed)
	if err != nil {
		return err
	}
	c.URL = url
	return nil
}

// CarrierUses names the methods that ask a carrier.
func CarrierUses(f *store.File, id string) (names []string) {
	for i := range f.Methods {
		if m := &f.Methods[i]; m.Carrier != nil && m.Carrier.ID == id {
			names = append(names, cmp.Or(m.Name, m.ID))
		}
	}
	return names
}

// RemoveCarrier removes a carrier that no method asks.
func RemoveCarrier(f *store.File, id string) error {
	if _, err := carrierOf(f, id); err != nil {
		return err
	}
	if uses := CarrierUses(f, id); len(uses) > 0 {
		return Problemf("%s asks it: remove that first, or have it ask another carrier", FirstFew(uses))
	}
	f.Carriers = slices.DeleteFunc(f.Carriers, func(c store.Carrier) bool { return c.ID == id })
	return nil
}

// AddCarrierMethod adds a method that asks a carrier, to all zones, with services of which those that are named are
// on. It has an empty price list, for the zones that it serves, and for the prices that stand in where the carrier
// fails.
func AddCarrierMethod(f *store.File, carrier, name string, codes []string) error {
	c, err := carrierOf(f, carrier)
	if err != nil {
		return err
	}
	if err := AddMethod(f, cmp.Or(strings.TrimSpace(name), c.Name, c.ID), rate.ByWeight, store.Delivery); err != nil {
		return err
	}
	m := &f.Methods[len(f.Methods)-1]
	m.Kind, m.Carrier = store.CarrierKind, &store.Asks{ID: carrier, Fallback: true}
	for _, code := range codes {
		if err := AddService(m, code, true); err != nil {
			return err
		}
	}
	return nil
}

// maxServices is how many services of a carrier a method has at most.
const maxServices = 200

// AddService adds a service to those of a method, by the carrier's code for it.
func AddService(m *store.Method, code string, on bool) error {
	code, err := Line(code)
	switch {
	case err != nil:
		return err
	case m.Carrier == nil:
		return Problemf("this method asks no carrier")
	case code == "":
		return Problemf("write the carrier's code for the service, such as express")
	case len([]rune(code)) > MaxName:
		return Problemf("a code has at most %d letters", MaxName)
	case serviceOf(m, code) != nil:
		return Problemf("%s is there already", code)
	case len(m.Carrier.Services) >= maxServices:
		return Problemf("a method has at most %d services", maxServices)
	}
	m.Carrier.Services = append(m.Carrier.Services, store.Service{Code: code, Enabled: on})
	return nil
}

func serviceOf(m *store.Method, code string) *store.Service {
	if m.Carrier == nil {
		return nil
	}
	i := slices.IndexFunc(m.Carrier.Services, func(s store.Service) bool { return s.Code == code })
	if i < 0 {
		return nil
	}
	return &m.Carrier.Services[i]
}

// ServiceField is a field of a service as it is typed.
type ServiceField string

// The fields of a service.
const (
	ServiceOn    ServiceField = "on" // "on", or anything else
	ServiceLabel ServiceField = "label"
	ServiceDays  ServiceField = "days"
)

// SetService sets a field of a service of a method as it is typed.
func SetService(m *store.Method, code string, field ServiceField, typed string) error {
	s := serviceOf(m, code)
	if s == nil {
		return Problemf("this service was removed meanwhile; nothing was changed")
	}
	switch field {
	case ServiceOn:
		s.Enabled = typed == "on"
	case ServiceLabel:
		if typed = strings.TrimSpace(typed); typed == "" {
			s.Label = "" // the carrier's name
			return nil
		}
		label, err := Name(typed)
		if err != nil {
			return err
		}
		s.Label = label
	case ServiceDays:
		days, err := terms.ParseDays(typed)
		if err != nil {
			return Problemf("%s", err.Error())
		}
		s.Days = days
	default:
		return Problemf("a service has no such field")
	}
	return nil
}

// StepService moves a service a place up or down in the order that buyers see.
func StepService(m *store.Method, code string, up bool) error {
	if serviceOf(m, code) == nil {
		return Problemf("this service was removed meanwhile; nothing was changed")
	}
	list := m.Carrier.Services
	at := slices.IndexFunc(list, func(s store.Service) bool { return s.Code == code })
	to := at + 1
	if up {
		to = at - 1
	}
	if to >= 0 && to < len(list) {
		list[at], list[to] = list[to], list[at]
	}
	return nil
}

// RemoveService removes a service from those of a method.
func RemoveService(m *store.Method, code string) error {
	if serviceOf(m, code) == nil {
		return Problemf("this service was removed meanwhile; nothing was changed")
	}
	m.Carrier.Services = slices.DeleteFunc(m.Carrier.Services, func(s store.Service) bool { return s.Code == code })
	return nil
}

// AsksField is what a method asks, and what it makes of the prices, as it is typed.
type AsksField string

// The fields.
const (
	AsksCarrier  AsksField = "carrier"  // its id
	AsksPercent  AsksField = "percent"  // "10 %", "-5"
	AsksAmount   AsksField = "amount"   // "0.50", "-1"
	AsksFallback AsksField = "fallback" // "on", or anything else
)

// SetAsks sets what a method asks as it is typed.
func SetAsks(f *store.File, m *store.Method, field AsksField, typed string) error {
	if m.Carrier == nil {
		return Problemf("this method asks no carrier")
	}
	typed = strings.TrimSpace(typed)
	switch field {
	case AsksCarrier:
		if _, err := carrierOf(f, typed); err != nil {
			return err
		}
		m.Carrier.ID = typed
	case AsksFallback:
		m.Carrier.Fallback = typed == "on"
	case AsksPercent:
		d, err := signed(strings.TrimSuffix(typed, "%"), func(text string) (*decimal.Decimal, error) {
			d, err := measure.Number(text, "")
			return &d, err
		})
		switch {
		case err != nil:
			return Problemf("%q is not a percentage: write it such as 10 %%, or -5 %% to take something off", typed)
		case d != nil && d.Less(decimal.FromInt(-100)):
			return Problemf("%s takes more off than there is: write -100 %% or more", typed)
		}
		m.Carrier.Percent = d
	case AsksAmount:
		d, err := signed(typed, func(text string) (*decimal.Decimal, error) {
			return terms.ParseMoney(text,
				f.Words())
		})
		if err != nil {
			return Problemf("%s; -0.50 takes something off", strings.TrimSuffix(err.Error(), "."))
		}
		m.Carrier.Amount = d
	default:
		return Problemf("there is no such field")
	}
	return nil
}

// signed reads a number that may be below 0 by a reader of those that may not; nil for none, and for 0.
func signed(typed string, read func(string) (*decimal.Decimal, error)) (*decimal.Decimal, error) {
	rest, below := strings.CutPrefix(strings.Replace(strings.TrimSpace(typed), "−", "-", 1), "-")
	if rest = strings.TrimPrefix(strings.TrimSpace(rest), "+"); rest == "" && !below {
		return nil, nil
	}
	d, err := read(rest)
	if err != nil {
		return nil, err
	}
	if d == nil || d.IsZero() {
		return nil, nil
	}
	if below {
		n := d.Neg()
		d = &n
	}
	return d, nil
}
