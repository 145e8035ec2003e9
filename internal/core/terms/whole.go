package terms

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/store"
)

// Terms of a method as a whole: no zone has them of its own.
const (
	Available Field = "available" // a period, "" for always
	LeavesOn  Field = "leaves_on" // days of the week, "" for the shop's
	CutOff    Field = "cut_off"   // a time of day, "" for the shop's
	LeadDays  Field = "lead_days" // working days, "" for the shop's
	From      Field = "from"      // a place of the shop, "" for the nearest that ships
	Points    Field = "points"    // places of the shop at which goods are collected, "" for those that are said so
	Divisor   Field = "volumetric_divisor"
	// kinds of boxes that goods are packed into, "all" for all of the store's, "" for none
	Boxes     Field = "boxes"
	MaxParcel Field = "max_parcel" // the most that a parcel may weigh, "" for no limit
)

// whole are the fields that a method has as a whole.
var whole = []Field{Available, LeavesOn, CutOff, LeadDays, From, Points, Divisor, Boxes, MaxParcel}

// IsWhole says whether a field is of a method as a whole, and of no zone.
func (f Field) IsWhole() bool { return slices.Contains(whole, f) }

// wholeText writes a field of a method as a whole.
func wholeText(f *store.File, m *store.Method, field Field) string {
	o := m.Dispatch
	if o == nil {
		o = &calendar.Own{}
	}
	switch field {
	case Available:
		return m.Available.String()
	case LeavesOn:
		return strings.Join(o.Weekdays, ", ")
	case CutOff:
		return o.CutOff
	case LeadDays:
		if o.LeadDays != nil {
			return strconv.FormatInt(*o.LeadDays, 10)
		}
	case From:
		return f.LocationText(m.From)
	case Points:
		names := make([]string, len(m.Points))
		for i, id := range m.Points {
			names[i] = f.LocationText(id)
		}
		return strings.Join(names, "; ")
	case Divisor:
		if m.Volumetric != nil {
			return m.Volumetric.String()
		}
	case Boxes, MaxParcel:
		return parcelsText(f, m.Parcels, field)
	}
	return ""
}

// setWhole sets a field of a method as a whole, as it is typed.
func setWhole(f *store.File, m *store.Method, field Field, text string) (err error) {
	switch field {
	case Available:
		m.Available, err = calendar.ParsePeriod(text)
	case From:
		m.From, err = LocationCalled(f, text)
	case Points:
		m.Points, err = locationsCalled(f, text)
	case Divisor:
		m.Volumetric, err = ParseDivisor(text)
	case Boxes, MaxParcel:
		err = setParcels(f, m, field, text)
	default:
		err = setOwn(f, m, field, text)
	}
	return err
}

// thousands are grouped by points or commas: no divisor is 6.000 cm³.
var thousands = regexp.MustCompile(`^[1-9][0-9]{0,2}([.,][0-9]{3})+$`)

// ParseDivisor reads a volumetric divisor in cm³ for each kilogram: 5000, 6,000, 6 000 cm³; "" is nil.
func ParseDivisor(text string) (*decimal.Decimal, error) {
	if text = strings.TrimSpace(text); text == "" {
		return nil, nil
	}
	plain := strings.ReplaceAll(strings.TrimSpace(strings.TrimSuffix(text, "cm³")), " ", "")
	if thousands.MatchString(plain) {
		plain = strings.NewReplacer(",", "", ".", "").Replace(plain)
	}
	d, err := measure.Number(plain, "")
	switch {
	case err != nil && strings.Contains(text, ","):
		return nil, err
	case err != nil || d.Sign() <= 0:
		return nil, fmt.Errorf("the divisor is how many cm³ count as 1 kg, such as 5000 or 6000; %.20q is not", text)
	}
	return &d, nil
}

// setOwn sets what a method has of its own of when orders leave.
func setOwn(f *store.File, m *store.Method, field Field, text string) (err error) {
	if text != "" && f.Store.Dispatch == nil {
		return errors.New("say for the shop first until when orders leave on the same day: a method only says what " +
			"is different")
	}
	var o calendar.Own
	if m.Dispatch != nil {
		o = *m.Dispatch
	}
	switch field {
	case LeavesOn:
		o.Weekdays, err = calendar.ParseWeekdays(text)
	case CutOff:
		o.CutOff = ""
		if text != "" {
			o.CutOff, err = calendar.ParseTime(text)
		}
	case LeadDays:
		o.LeadDays, err = ParseLeadDays(text)
	}
	if err != nil {
		return err
	}
	putOwn(m, &o)
	return nil
}

// putOwn gives a method days of its own; nothing of them is none.
func putOwn(m *store.Method, o *calendar.Own) {
	if len(o.Weekdays) == 0 && o.CutOff == "" && o.LeadDays == nil {
		o = nil
	}
	m.Dispatch = o
}

// ParseLeadDays reads how many working days pass before an order leaves: "5", "5 days", "5 working days"; "" is nil.
func ParseLeadDays(text string) (*int64, error) {
	if text == "" {
		return nil, nil
	}
	number, unit, _ := strings.Cut(strings.Join(strings.Fields(strings.ToLower(text)), " "), " ")
	n, err := strconv.ParseInt(number, 10, 64)
	if err != nil || n < 0 || n > calendar.MaxLeadDays || !slices.Contains(leadUnits, unit) {
		return nil, fmt.Errorf("write how many working days pass first, from 0 to %d", calendar.MaxLeadDays)
	}
	return &n, nil
}

var leadUnits = []string{"", "day", "days", "working day", "working days", "business day", "business days"}

// LocationCalled is the id of a place of the shop, by its name or its id; "" is none.
func LocationCalled(f *store.File, text string) (string, error) {
	if text == "" {
		return "", nil
	}
	switch ids := f.LocationsCalled(text); {
	case len(ids) == 1:
		return ids[0], nil
	case len(ids) > 1:
		return "", fmt.Errorf("%d places are called %.40q: write which, %s", len(ids), text, strings.Join(ids, " or "))
	}
	var names []string
	for _, l := range f.Locations {
		names = append(names, f.LocationText(l.ID))
	}
	if len(names) == 0 {
		return "", errors.New("the shop has no places yet: add one under Shop")
	}
	return "", fmt.Errorf("the shop has no place %.40q: it has %s", text, strings.Join(names, ", "))
}

// locationsCalled are the ids of places of the shop by their names or ids.
func locationsCalled(f *store.File, text string) ([]string, error) {
	return called(text, func(name string) (string, error) { return LocationCalled(f, name) })
}

// called are the ids of what a text names, each once, with a semicolon between the names; a comma does as well where no
// name has one.
func called(text string, one func(name string) (string, error)) (ids []string, err error) {
	parts := strings.Split(text, ";")
	if _, err := one(strings.TrimSpace(text)); len(parts) == 1 && err != nil {
		parts = strings.Split(text, ",")
	}
	for _, part := range parts {
		part = strings.TrimSpace(part)
		if part == "" {
			continue
		}
		id, err := one(part)
		if err != nil {
			return nil, err
		}
		if !slices.Contains(ids, id) {
			ids = append(ids, id)
		}
	}
	return ids, nil
}

// wholePart is what a field of a method as a whole says, as the store has it.
func wholePart(m *store.Method, field Field) any {
	o := m.Dispatch
	if o == nil {
		o = &calendar.Own{}
	}
	switch field {
	case Available:
		return m.Available
	case LeavesOn:
		return o.Weekdays
	case CutOff:
		return o.CutOff
	case LeadDays:
		return o.LeadDays
	case From:
		return m.From
	case Points:
		return m.Points
	case Boxes, MaxParcel:
		return parcelsPart(m.Parcels, field)
	}
	return m.Volumetric
}

// copyWhole makes a field of a method as a whole what it is in another state of it.
func copyWhole(to, from *store.Method, field Field) {
	switch field {
	case Available:
		to.Available = from.Available
		return
	case From:
		to.From = from.From
		return
	case Points:
		to.Points = slices.Clone(from.Points)
		return
	case Divisor:
		to.Volumetric = from.Volumetric
		return
	case Boxes, MaxParcel:
		copyParcels(to, from, field)
		return
	}
	var o, theirs calendar.Own
	if to.Dispatch != nil {
		o = *to.Dispatch
	}
	if from.Dispatch != nil {
		theirs = *from.Dispatch
	}
	switch field {
	case LeavesOn:
		o.Weekdays = theirs.Weekdays
	case CutOff:
		o.CutOff = theirs.CutOff
	case LeadDays:
		o.LeadDays = theirs.LeadDays
	}
	putOwn(to, &o)
}
