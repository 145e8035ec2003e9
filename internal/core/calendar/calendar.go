// Package calendar turns days of delivery into dates.
//
// An order leaves the shop on the day on which it is placed, if the shop works on it and it is placed before
// the cut-off; else on the shop's next working day; and so many lead days later, counted in days on which the shop
// works. From that day on working days are counted from Monday to
// Friday without the public holidays of the shop's country, calendar days all of them. The shop's own closed
// days and its working days only say when an order leaves: carriers do not keep them.
package calendar

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"
	_ "time/tzdata" // time zones of the IANA database, also where the machine has none
)

// Plan is when a shop hands over what was ordered. Dates are written as in ISO 8601.
type Plan struct {
	TimeZone string `json:"time_zone"` // of the IANA database, such as Europe/Helsinki
	// the time from which orders leave a working day later, 00:00 to 24:00
	CutOff   string   `json:"cut_off"`
	Weekdays []string `json:"weekdays,omitempty"`  // mon to sun, on which the shop works; Monday to Friday where absent
	Holidays string   `json:"holidays,omitempty"`  // the country whose public holidays are kept; "" is none
	Closed   []string `json:"closed,omitempty"`    // the shop's own closed days
	LeadDays int64    `json:"lead_days,omitempty"` // further working days that pass before an order leaves
}

// Own is what a delivery method has of its own of a plan; what is absent is the plan's.
type Own struct {
	Weekdays []string `json:"weekdays,omitempty"`
	CutOff   string   `json:"cut_off,omitempty"`
	LeadDays *int64   `json:"lead_days,omitempty"`
}

// With is the plan for a method with something of its own.
func (p *Plan) With(o *Own) *Plan {
	if o == nil {
		return p
	}
	own := *p
	if len(o.Weekdays) > 0 {
		own.Weekdays = o.Weekdays
	}
	own.CutOff = cmp.Or(o.CutOff, p.CutOff)
	if o.LeadDays != nil {
		own.LeadDays = *o.LeadDays
	}
	return &own
}

// MaxLeadDays is the most days that may pass before an order leaves.
const MaxLeadDays = 60

// Weekdays are the names of the days of the week in a plan, from Monday on.
var Weekdays = []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}

// MaxClosed is how many closed days a plan may have.
const MaxClosed = 1000

// Location finds the time zone of a name. An error says in words what would be right.
func Location(name string) (*time.Location, error) {
	if name == "" || name == "Local" {
		return nil, errors.New("a time zone is needed, such as Europe/Helsinki")
	}
	l, err := time.LoadLocation(name)
	if err != nil {
		return nil, fmt.Errorf("there is no time zone %.60q: write it as Europe/Helsinki", name)
	}
	return l, nil
}

// Time reads a time of day as hours and minutes, 00:00 to 24:00.
func Time(text string) (time.Duration, error) {
	var hours, minutes int
	if n, err := fmt.Sscanf(
		strings.Replace(text, ".", ":", 1)+" ",
		"%d:%d ",
		&hours,
		&minutes,
	); n != 2 || err != nil || hours < 0 || minutes < 0 || minutes > 59 || hours*60+minutes > 24*60 ||
		len(text) > 5 {
		return 0, fmt.Errorf("%.20q is not a time of day such as 14:00", text)
	}
	return time.Duration(hours)*time.Hour + time.Duration(minutes)*time.Minute, nil
}

// Date reads a date in ISO 8601.
func Date(text string) (time.Time, error) {
	day, err := time.Parse(time.DateOnly, text)
	if err != nil {
		return day, fmt.Errorf("%.20q is not a date such as 2026-12-24", text)
	}
	return day, nil
}

// Calendar is a plan made ready. It can be used by many at once.
type Calendar struct {
	location *time.Location
	cutOff   time.Duration
	works    [7]bool // by time.Weekday
	lead     int64
	country  string
	closed   map[time.Time]bool
	years    sync.Map // of years to the public holidays in them, a map[time.Time]bool
}

// New makes a plan ready.
func New(p *Plan) (*Calendar, error) {
	c := &Calendar{country: p.Holidays, lead: p.LeadDays, closed: make(map[time.Time]bool, len(p.Closed))}
	var err error
	if c.location, err = Location(p.TimeZone); err != nil {
		return nil, err
	}
	if c.cutOff, err = Time(p.CutOff); err != nil {
		return nil, err
	}
	if p.Holidays != "" && !Known(p.Holidays) {
		return nil, fmt.Errorf("the public holidays of %.20q are not known", p.Holidays)
	}
	if p.LeadDays < 0 || p.LeadDays > MaxLeadDays {
		return nil, fmt.Errorf("%d lead days are not from 0 to %d", p.LeadDays, MaxLeadDays)
	}
	days := p.Weekdays
	if len(days) == 0 {
		days = Weekdays[:5]
	}
	for _, name := range days {
		i := slices.Index(Weekdays, name)
		if i < 0 {
			return nil, fmt.Errorf("%.20q is not a day of the week: %s", name, strings.Join(Weekdays, ", "))
		}
		c.works[(i+1)%7] = true
	}
	if len(p.Closed) > MaxClosed {
		return nil, fmt.Errorf("there are at most %d closed days", MaxClosed)
	}
	for _, text := range p.Closed {
		day, err := Date(text)
		if err != nil {
			return nil, err
		}
		c.closed[day] = true
	}
	return c, nil
}

// holiday says whether a day is a public holiday of the shop's country.
func (c *Calendar) holiday(day time.Time) bool {
	if c.country == "" {
		return false
	}
	year, ok := c.years.Load(day.Year())
	if !ok {
		year, _ = c.years.LoadOrStore(day.Year(), publicHolidays(c.country, day.Year()))
	}
	return year.(map[time.Time]bool)[day]
}

// Leaves is the day on which an order of a moment leaves the shop.
func (c *Calendar) Leaves(at time.Time) time.Time {
	local := at.In(c.location)
	day := dayOf(local)
	if time.Duration(local.Hour())*time.Hour+time.Duration(local.Minute())*time.Minute >= c.cutOff {
		day = day.AddDate(0, 0, 1)
	}
	day = c.open(day)
	for range c.lead {
		day = c.open(day.AddDate(0, 0, 1))
	}
	return day
}

// open is the first day from a day on, itself included, on which the shop works.
func (c *Calendar) open(day time.Time) time.Time {
	for !c.works[day.Weekday()] || c.closed[day] || c.holiday(day) {
		day = day.AddDate(0, 0, 1)
	}
	return day
}

// Today is the day of a moment in the plan's time zone.
func (c *Calendar) Today(at time.Time) time.Time { return dayOf(at.In(c.location)) }

// Today is the day of a moment in UTC, for shops without a plan.
func Today(at time.Time) time.Time { return dayOf(at.UTC()) }

func dayOf(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, time.UTC)
}

// After is the day so many days, or working days, after another.
func (c *Calendar) After(day time.Time, days int64, business bool) time.Time {
	if !business {
		return day.AddDate(0, 0, int(days))
	}
	for range days {
		day = day.AddDate(0, 0, 1)
		for day.Weekday() == time.Saturday || day.Weekday() == time.Sunday || c.holiday(day) {
			day = day.AddDate(0, 0, 1)
		}
	}
	return day
}

// Format says from when to when: "Tue 8 – Thu 10 December", with the years where they differ.
func Format(from, to time.Time) string {
	switch {
	case from.Equal(to):
		return to.Format("Mon 2 January")
	case from.Year() != to.Year():
		return from.Format("Mon 2 January 2006") + " – " + to.Format("Mon 2 January 2006")
	case from.Month() != to.Month():
		return from.Format("Mon 2 January") + " – " + to.Format("Mon 2 January")
	}
	return from.Format("Mon 2") + " – " + to.Format("Mon 2 January")
}
