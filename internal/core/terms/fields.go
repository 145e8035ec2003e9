package terms

import (
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
)

// Field is one of a method's terms, for everywhere or for a zone.
type Field string

// The fields, in the order in which people meet them.
const (
	Offered      Field = "offered" // of a zone only: yes or no
	Days         Field = "days"
	FreeFrom     Field = "free"
	Minimum      Field = "minimum"
	Maximum      Field = "maximum"
	Handling     Field = "handling"
	Weight       Field = "weight"
	BilledWeight Field = "billed_weight"
	Subtotal     Field = "subtotal"
	Quantity     Field = "quantity"
	Distance     Field = "distance"
	LongestSide  Field = "longest_side"
	ParcelWeight Field = "parcel_weight"
	Girth        Field = "girth" // longest side + 2 × the sum of the other two
	OnlyClasses  Field = "only_classes"
	Without      Field = "without_classes"
	Coupons      Field = "coupons"
	Groups       Field = "groups"
)

// Fields lists them.
var Fields = slices.Concat([]Field{
	Offered,
	Available,
	Days,
	LeavesOn,
	CutOff,
	LeadDays,
	From,
	Points,
	FreeFrom,
	Minimum,
	Maximum,
	Handling,
	Divisor,
	Boxes,
	MaxParcel,
}, needs)

// needs are the fields that are conditions.
var needs = []Field{
	Weight,
	BilledWeight,
	LongestSide,
	ParcelWeight,
	Girth,
	Subtotal,
	Quantity,
	Distance,
	OnlyClasses,
	Without,
	Coupons,
	Groups,
}

// IsNeed says whether a field is a condition. A zone's conditions replace all of the method's.
func (f Field) IsNeed() bool { return slices.Contains(needs, f) }

// Inherited is the term of the store's defaults that a field is, or is a part of; "" for none.
func (f Field) Inherited() store.Inherited {
	switch f {
	case Days, Minimum, Maximum, Handling, FreeFrom:
		return store.Inherited(f)
	}
	if f.IsNeed() {
		return store.InheritNeeds
	}
	return ""
}

// bounds gives the bounds of a condition, and how they are written.
func bounds(
	f *store.File,
	n *store.Needs,
	field Field,
) (b **store.Bounds, unit string, write func(decimal.Decimal) string) {
	u := f.Store.Units()
	measured := func(by rate.By) func(decimal.Decimal) string {
		return func(d decimal.Decimal) string { return u.Measure(by, d) }
	}
	switch field {
	case Weight:
		return &n.Weight, u.Weight, measured(rate.ByWeight)
	case BilledWeight:
		return &n.BilledWeight, u.Weight, measured(rate.ByBilled)
	case Subtotal:
		return &n.Subtotal, f.Store.Currency, u.Money
	case Quantity:
		return &n.Quantity, "items", measured(rate.ByQuantity)
	case Distance:
		return &n.Distance, u.Distance, measured(rate.ByDistance)
	case ParcelWeight:
		return &n.ParcelWeight, u.Weight, measured(rate.ByWeight)
	case LongestSide:
		return &n.LongestSide, f.Store.LengthUnit, length(f)
	case Girth:
		return &n.Girth, f.Store.LengthUnit, length(f)
	}
	return nil, "", nil
}

// length writes lengths in the store's unit.
func length(f *store.File) func(decimal.Decimal) string {
	return func(d decimal.Decimal) string { return d.String() + " " + f.Store.LengthUnit }
}

func list(n *store.Needs, field Field) *[]string {
	switch field {
	case OnlyClasses:
		return &n.OnlyClasses
	case Without:
		return &n.WithoutClasses
	case Coupons:
		return &n.Coupons
	}
	return &n.Groups
}

// of gives the terms of a method, "" for everywhere, or those that a zone has of its own.
func of(m *store.Method, zone string) store.Terms {
	if zone == "" {
		return m.Everywhere()
	}
	t, _ := m.OwnTerms(zone)
	return t
}

// put sets them.
func put(m *store.Method, zone string, t store.Terms) {
	if zone == "" {
		m.Days, m.Handling, m.Needs, m.Free, m.Minimum, m.Maximum = t.Days, t.Handling, t.Needs, t.Free, t.Minimum,
			t.Maximum
		return
	}
	if reflect.DeepEqual(t, store.Terms{Enabled: true}) {
		delete(m.Terms, zone)
		return
	}
	if m.Terms == nil {
		m.Terms = map[string]store.Terms{}
	}
	m.Terms[zone] = t
}

// Text writes a field of a method, for everywhere ("") or a zone; own is false where a zone takes it from the method.
func Text(f *store.File, m *store.Method, zone string, field Field) (text string, own bool) {
	if field.IsWhole() {
		text = wholeText(f, m, field)
		return text, zone == "" && text != ""
	}
	t := of(m, zone)
	text, own = text1(f, t, field)
	if zone != "" && !own && field != Offered {
		text, _ = text1(f, of(m, ""), field)
	}
	return text, own
}

func text1(f *store.File, t store.Terms, field Field) (text string, own bool) {
	w := f.Words()
	switch field {
	case Offered:
		if t.Enabled {
			return "yes", false
		}
		return "no", true
	case Days:
		return FormatDays(t.Days), t.Days != nil
	case FreeFrom:
		return FormatFree(t.Free, w), t.Free != nil
	case Minimum:
		return FormatMoney(t.Minimum, w), t.Minimum != nil
	case Maximum:
		return FormatMoney(t.Maximum, w), t.Maximum != nil
	case Handling:
		return FormatHandling(t.Handling, w), t.Handling != nil
	}
	if t.Needs == nil {
		return "", false
	}
	if b, _, write := bounds(f, t.Needs, field); b != nil {
		return FormatBounds(*b, write), true
	}
	names := slices.Clone(*list(t.Needs, field))
	if field == OnlyClasses || field == Without {
		for i, id := range names {
			names[i] = f.ClassName(id)
		}
	}
	return strings.Join(names, ", "), true
}

// Set sets a field as it is typed. In a zone, "" has it as everywhere; "any" there asks for nothing.
func Set(f *store.File, m *store.Method, zone string, field Field, text string) error {
	text = strings.TrimSpace(text)
	if field.IsWhole() {
		if zone != "" {
			return errors.New("this holds for the whole method: set it there")
		}
		return setWhole(f, m, field, text)
	}
	w, t := f.Words(), of(m, zone)
	var err error
	switch field {
	case Offered:
		switch world.Fold(text) {
		case "yes", "":
			t.Enabled = true
		case "no":
			t.Enabled = false
		default:
			return errors.New("write yes or no")
		}
	case Days:
		t.Days, err = ParseDays(text)
	case FreeFrom:
		if zone != "" && m.Free != nil && (strings.EqualFold(text, "no") || strings.EqualFold(text, "never")) {
			return errors.New(
				"this method is free from something everywhere: name a sum here that nobody reaches, such as from " +
					"999999",
			)
		}
		t.Free, err = ParseFree(text, w)
	case Minimum:
		t.Minimum, err = ParseMoney(text, w)
	case Maximum:
		t.Maximum, err = ParseMoney(text, w)
	case Handling:
		t.Handling, err = ParseHandling(text, w)
	default:
		if !field.IsNeed() {
			return errors.New("this cannot be changed here")
		}
		t.Needs, err = setNeed(f, m, zone, field, text)
	}
	if err != nil {
		return err
	}
	put(m, zone, t)
	return nil
}

// namesOf reads the names of a list: of classes their ids; "any" is none.
func namesOf(f *store.File, field Field, text string) ([]string, error) {
	if strings.EqualFold(text, "any") {
		return nil, nil
	}
	names := ParseList(text)
	if field != OnlyClasses && field != Without {
		return names, nil
	}
	for i, name := range names {
		at := slices.IndexFunc(f.Classes, func(c store.Class) bool {
			return world.Fold(c.ID) == world.Fold(name) || world.Fold(c.Name) == world.Fold(name)
		})
		if at < 0 {
			return nil, fmt.Errorf("there is no class %.40q: add it under Products", name)
		}
		names[i] = f.Classes[at].ID
	}
	return names, nil
}

// setNeed gives the conditions with one of them set. Those of a zone begin as the method's.
func setNeed(f *store.File, m *store.Method, zone string, field Field, text string) (*store.Needs, error) {
	n, base := &store.Needs{}, &store.Needs{}
	if hold := m.TermsIn(zone).Needs; hold != nil {
		*n = *hold
	}
	if zone != "" && m.Needs != nil {
		base = m.Needs
	}
	if b, unit, _ := bounds(f, n, field); b != nil {
		parsed, err := ParseBounds(text, unit)
		if err != nil {
			return nil, err
		}
		if *b = parsed; text == "" {
			theirs, _, _ := bounds(f, base, field)
			*b = *theirs
		}
	} else {
		names, err := namesOf(f, field, text)
		if err != nil {
			return nil, err
		}
		if *list(n, field) = names; text == "" {
			*list(n, field) = *list(base, field)
		}
	}
	if reflect.DeepEqual(*n, store.Needs{}) {
		if zone != "" && m.Needs != nil {
			return nil, errors.New(
				"a zone without any condition has the method's: write one here that everybody meets",
			)
		}
		return nil, nil
	}
	if zone != "" && m.Needs != nil && reflect.DeepEqual(n, m.Needs) {
		return nil, nil
	}
	return n, nil
}
