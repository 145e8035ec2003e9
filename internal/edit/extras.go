package edit

import (
	"cmp"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/zonelist"
)

// AddSurcharge adds a surcharge by its name and the places that it is for, as they are typed.
func AddSurcharge(f *store.File, r typed.Reader, name, places string) (err error) {
	s := store.Surcharge{}
	if s.Name, err = Name(name); err != nil {
		return err
	}
	s.ID = store.NewID(s.Name, "surcharge", func(id string) bool {
		return slices.ContainsFunc(f.Surcharges, func(o store.Surcharge) bool { return o.ID == id })
	})
	if err = setPlaces(&s, r, places); err == nil {
		f.Surcharges = append(f.Surcharges, s)
	}
	return err
}

func setPlaces(s *store.Surcharge, r typed.Reader, text string) error {
	read := r.Text(text)
	switch {
	case len(read.Slips) > 0:
		return Problemf("%s", Reasons(read.Slips))
	case len(read.Places) == 0:
		return Problemf("say where it is added, such as FI 99* or Lapland")
	}
	s.Places, s.Except = read.Places, read.Except
	return nil
}

// SurchargeField is what of a surcharge is typed.
type SurchargeField string

// Fields of a surcharge.
const (
	SurchargeName    SurchargeField = "name"
	SurchargePlaces  SurchargeField = "places"
	SurchargeAmount  SurchargeField = "amount"
	SurchargePercent SurchargeField = "percent" // of the price of the lists
	SurchargeMethods SurchargeField = "methods" // names, "" for all
)

// SurchargeText writes a field of a surcharge as it is typed.
func SurchargeText(f *store.File, r typed.Reader, s *store.Surcharge, field SurchargeField) string {
	switch field {
	case SurchargeName:
		return cmp.Or(s.Name, s.ID)
	case SurchargePlaces:
		return zonelist.Text(s.Places, s.Except, r)
	case SurchargeAmount:
		return amountText(f, s.Amount)
	case SurchargePercent:
		if s.Percent != nil {
			return s.Percent.String()
		}
	case SurchargeMethods:
		return methodsText(f, s.Methods)
	}
	return ""
}

// SetSurcharge sets a field of a surcharge as it is typed.
func SetSurcharge(f *store.File, r typed.Reader, id string, field SurchargeField, text string) (err error) {
	i := slices.IndexFunc(f.Surcharges, func(s store.Surcharge) bool { return s.ID == id })
	if i < 0 {
		return Problemf("this surcharge was removed meanwhile; nothing was changed")
	}
	s := &f.Surcharges[i]
	switch field {
	case SurchargeName:
		s.Name, err = Name(text)
	case SurchargePlaces:
		err = setPlaces(s, r, text)
	case SurchargeAmount:
		s.Amount, err = amountTyped(f, text)
	case SurchargePercent:
		s.Percent, err = percentTyped(text)
	case SurchargeMethods:
		s.Methods, err = methodsCalled(f, text)
	}
	return err
}

// RemoveSurcharge removes a surcharge.
func RemoveSurcharge(f *store.File, id string) {
	f.Surcharges = slices.DeleteFunc(f.Surcharges, func(s store.Surcharge) bool { return s.ID == id })
}

// AgreedField is what of an agreed charge is typed.
type AgreedField string

// Fields of an agreed charge.
const (
	AgreedName     AgreedField = "name"
	AgreedCustomer AgreedField = "customer"
	AgreedGroup    AgreedField = "group"
	AgreedPlace    AgreedField = "place"  // "Street 1, 21100, Finland", a postcode, or a country
	AgreedAmount   AgreedField = "amount" // 0 for free
	AgreedMethods  AgreedField = "methods"
)

// AddAgreed adds a charge agreed with a customer, a group or a place, as they are typed; at least one must be given.
func AddAgreed(f *store.File, typed map[AgreedField]string) (err error) {
	a := store.Agreed{}
	if a.Name, err = Name(typed[AgreedName]); err != nil {
		return err
	}
	a.ID = store.NewID(a.Name, "agreed", func(id string) bool {
		return slices.ContainsFunc(f.Agreed, func(o store.Agreed) bool { return o.ID == id })
	})
	f.Agreed = append(f.Agreed, a)
	for _, field := range []AgreedField{AgreedCustomer, AgreedGroup, AgreedPlace, AgreedMethods, AgreedAmount} {
		if err := setAgreed(f, &f.Agreed[len(f.Agreed)-1], field, typed[field]); err != nil {
			return err
		}
	}
	return complete(&f.Agreed[len(f.Agreed)-1])
}

// complete says what an agreed charge lacks.
func complete(a *store.Agreed) error {
	if a.Customer == "" && a.Group == "" && a.Place == nil {
		return Problemf("say with whom it was agreed: a customer, a group or a place")
	}
	return nil
}

// AgreedText writes a field of an agreed charge as it is typed.
func AgreedText(f *store.File, a *store.Agreed, field AgreedField) string {
	switch field {
	case AgreedName:
		return cmp.Or(a.Name, a.ID)
	case AgreedCustomer:
		return a.Customer
	case AgreedGroup:
		return a.Group
	case AgreedPlace:
		if a.Place == nil {
			return ""
		}
		var parts []string
		for _, p := range []string{a.Place.Street, a.Place.Postcode, world.CountryName(a.Place.Country)} {
			if p != "" {
				parts = append(parts, p)
			}
		}
		return strings.Join(parts, ", ")
	case AgreedAmount:
		return f.Store.Units().Money(a.Amount)
	case AgreedMethods:
		return methodsText(f, a.Methods)
	}
	return ""
}

// SetAgreed sets a field of an agreed charge as it is typed.
func SetAgreed(f *store.File, id string, field AgreedField, text string) error {
	i := slices.IndexFunc(f.Agreed, func(a store.Agreed) bool { return a.ID == id })
	if i < 0 {
		return Problemf("this agreed charge was removed meanwhile; nothing was changed")
	}
	if err := setAgreed(f, &f.Agreed[i], field, text); err != nil {
		return err
	}
	return complete(&f.Agreed[i])
}

func setAgreed(f *store.File, a *store.Agreed, field AgreedField, text string) (err error) {
	text = strings.Join(strings.Fields(text), " ")
	switch field {
	case AgreedName:
		a.Name, err = Name(text)
	case AgreedCustomer:
		a.Customer, err = Line(text)
	case AgreedGroup:
		a.Group, err = Line(text)
	case AgreedPlace:
		a.Place, err = agreedPlace(f, text)
	case AgreedMethods:
		a.Methods, err = methodsCalled(f, text)
	case AgreedAmount:
		amount, err := amountTyped(f, text)
		if err != nil {
			return err
		}
		if amount == nil {
			return Problemf("write the price that was agreed, 0 for free")
		}
		a.Amount = *amount
	}
	return err
}

// agreedPlace reads a place in one line: its street, its postcode and its country, as far as they are given.
func agreedPlace(f *store.File, text string) (*store.AgreedPlace, error) {
	if text == "" {
		return nil, nil
	}
	p := store.AgreedPlace{Country: f.Home()}
	parts := strings.Split(text, ",")
	if c, err := countryCalled(strings.TrimSpace(parts[len(parts)-1])); err == nil && c != "" {
		p.Country, parts = c, parts[:len(parts)-1]
	}
	if p.Country == "" {
		return nil, Problemf("say which country, such as %s, Finland", text)
	}
	if n := len(parts); n > 0 {
		words := strings.Fields(parts[n-1])
		reader := typed.Reader{Home: p.Country}
		if a, err := reader.Address(strings.Join(words, " ")); err == nil && a.Postcode != "" {
			p.Postcode, parts = a.Postcode, parts[:n-1]
		}
	}
	p.Street = strings.TrimSpace(strings.Join(parts, ","))
	if p.Street != "" && p.Postcode == "" {
		return nil, Problemf("put the postcode behind the street: %s, 21100, %s", p.Street,
			world.CountryName(p.Country))
	}
	return &p, nil
}

// RemoveAgreed removes an agreed charge.
func RemoveAgreed(f *store.File, id string) {
	f.Agreed = slices.DeleteFunc(f.Agreed, func(a store.Agreed) bool { return a.ID == id })
}

func amountText(f *store.File, d *decimal.Decimal) string {
	if d == nil {
		return ""
	}
	return f.Store.Units().Money(*d)
}

// amountTyped reads an amount of money; "" is none.
func amountTyped(f *store.File, text string) (*decimal.Decimal, error) {
	if text = strings.TrimSpace(text); text == "" {
		return nil, nil
	}
	d, err := measure.Number(text, strings.ToLower(f.Store.Currency))
	if err != nil && (strings.HasPrefix(text, "-") || strings.HasPrefix(text, "−")) {
		return nil, Problemf("the amount cannot be below 0")
	}
	if err != nil {
		return nil, Problemf("write the amount as a number, such as 4.00")
	}
	return &d, nil
}

// percentTyped reads a percentage; "" is none.
func percentTyped(text string) (*decimal.Decimal, error) {
	if text = strings.TrimSpace(text); text == "" {
		return nil, nil
	}
	d, err := measure.Number(text, "%")
	if err != nil && (strings.HasPrefix(text, "-") || strings.HasPrefix(text, "−")) {
		return nil, Problemf("the percentage cannot be below 0")
	}
	if err != nil {
		return nil, Problemf("write the percentage as a number, such as 5")
	}
	return &d, nil
}

func methodsText(f *store.File, ids []string) string {
	names := make([]string, len(ids))
	for i, id := range ids {
		names[i] = f.MethodText(id)
	}
	return strings.Join(names, "; ")
}

// methodsCalled are the ids of methods by their names, with semicolons between them; "" and "all" are none, which is
// all.
func methodsCalled(f *store.File, text string) (ids []string, err error) {
	if strings.EqualFold(strings.TrimSpace(text), "all") {
		return nil, nil
	}
	for _, name := range strings.Split(text, ";") {
		if name = strings.TrimSpace(name); name == "" {
			continue
		}
		called := f.MethodsCalled(name)
		switch {
		case len(called) == 0:
			return nil, Problemf("there is no delivery method %.40q", name)
		case len(called) > 1:
			return nil, Problemf("%d delivery methods are called %.40q: write which, %s", len(called), name,
				strings.Join(called, " or "))
		}
		if !slices.Contains(ids, called[0]) {
			ids = append(ids, called[0])
		}
	}
	if ids == nil && strings.Contains(text, ";") {
		return nil, Problemf("name the delivery methods, or leave the field empty for all")
	}
	return ids, nil
}
