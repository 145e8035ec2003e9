package edit

import (
	"cmp"
	"slices"
	"strings"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
)

// Dispatch is a field of when orders leave.
type Dispatch string

// Fields of when orders leave.
const (
	CutOff   Dispatch = "cut-off"  // a time of day, "" for no plan
	TimeZone Dispatch = "zone"     // a name of the IANA time zone database
	Holidays Dispatch = "holidays" // ISO 3166-1 alpha-2, "" for none
	Closed   Dispatch = "closed"   // dates
	LeadDays Dispatch = "lead"     // working days that pass before an order leaves
)

// SetDispatch sets a field of when orders leave, as it is typed. A shop has a plan once it has a cut-off, and none
// without: a first one is for the time zone zone, UTC where that is "", and for the holidays of the shop's country.
func SetDispatch(f *store.File, field Dispatch, typed, zone string) error {
	typed = strings.TrimSpace(typed)
	p := f.Store.Dispatch
	if p == nil {
		if field != CutOff {
			return errNoPlan
		}
		p = &calendar.Plan{TimeZone: cmp.Or(zone, "UTC")}
		if country := f.Home(); calendar.Known(country) {
			p.Holidays = country
		}
	}
	if err := setDispatch(p, field, typed); err != nil {
		return Problemf("%s", err.Error())
	}
	if f.Store.Dispatch = p; p.CutOff == "" {
		f.Store.Dispatch = nil
	}
	return nil
}

var errNoPlan = Problemf("the cut-off was removed meanwhile; reload to see it")

func setDispatch(p *calendar.Plan, field Dispatch, typed string) (err error) {
	switch field {
	case CutOff:
		if typed == "" {
			p.CutOff = ""
			return nil
		}
		p.CutOff, err = calendar.ParseTime(typed)
	case TimeZone:
		if _, err := calendar.Location(typed); err != nil {
			return err
		}
		p.TimeZone = typed
	case Holidays:
		p.Holidays = typed
	case Closed:
		p.Closed, err = calendar.ParseDates(typed)
	case LeadDays:
		var n *int64
		if n, err = terms.ParseLeadDays(typed); err == nil && n != nil {
			p.LeadDays = *n
		} else if err == nil {
			p.LeadDays = 0
		}
	}
	return err
}

// SetWorkday has the shop work on a day of the week, or not. Monday to Friday is not written out.
func SetWorkday(f *store.File, day string, on bool) error {
	p := f.Store.Dispatch
	if p == nil {
		return errNoPlan
	}
	var days []string
	for _, d := range calendar.Weekdays {
		if d == day && on || d != day && slices.Contains(Workdays(p), d) {
			days = append(days, d)
		}
	}
	if len(days) == 0 {
		return Problemf("the shop has to work on some day of the week")
	}
	if p.Weekdays = days; slices.Equal(days, calendar.Weekdays[:5]) {
		p.Weekdays = nil
	}
	return nil
}

// Workdays are the days on which a shop works, in their order.
func Workdays(p *calendar.Plan) []string {
	if len(p.Weekdays) == 0 {
		return calendar.Weekdays[:5]
	}
	return p.Weekdays
}
