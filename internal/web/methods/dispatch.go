package methods

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// dispatchView is when orders leave, as its fields show it.
type dispatchView struct {
	Made            bool // else only the cut-off is asked for
	CutOff, Zone    string
	Closed          string
	Days, Countries []shell.Choice
	Now             string // when an order placed now leaves
	Field, Slip     string // what is wrong, and with which field
}

var dayNames = map[string]string{
	"mon": "Mon",
	"tue": "Tue",
	"wed": "Wed",
	"thu": "Thu",
	"fri": "Fri",
	"sat": "Sat",
	"sun": "Sun",
}

func dispatchViewOf(f *store.File, now time.Time) dispatchView {
	p := f.Store.Dispatch
	if p == nil {
		return dispatchView{}
	}
	v := dispatchView{Made: true, CutOff: p.CutOff, Zone: p.TimeZone, Closed: calendar.FormatDates(p.Closed)}
	for _, day := range calendar.Weekdays {
		v.Days = append(v.Days, shell.Choice{ID: day, Name: dayNames[day], Chosen: slices.Contains(workdays(p), day)})
	}
	v.Countries = []shell.Choice{{Name: "no country", Chosen: p.Holidays == ""}}
	for _, code := range calendar.Countries() {
		v.Countries = append(v.Countries, shell.Choice{ID: code, Name: world.CountryName(code), Chosen: p.Holidays == code})
	}
	slices.SortFunc(v.Countries[1:], func(a, b shell.Choice) int { return cmp.Compare(a.Name, b.Name) })
	if c, err := calendar.New(p); err == nil {
		leaves := c.Leaves(now)
		v.Now = calendar.Format(leaves, leaves)
	}
	return v
}

// workdays are the days on which a shop works, in their order.
func workdays(p *calendar.Plan) []string {
	if len(p.Weekdays) == 0 {
		return calendar.Weekdays[:5]
	}
	return p.Weekdays
}

// editDispatch sets one field of when orders leave. Without a cut-off there is no plan.
func (s *Screens) editDispatch(c *gin.Context) {
	field, typed := c.PostForm("field"), strings.TrimSpace(c.PostForm("value"))
	s.editMethods(c, func(f *store.File) error {
		p := f.Store.Dispatch
		if p == nil {
			if field != "cut-off" {
				return shell.Refusef("the cut-off was removed meanwhile; reload to see it")
			}
			p = &calendar.Plan{TimeZone: cmp.Or(c.PostForm("browser_zone"), "UTC")}
			if country := f.Home(); calendar.Known(country) {
				p.Holidays = country
			}
		}
		if err := setDispatch(p, field, typed, c.PostForm("on") == "on"); err != nil {
			return shell.Refusef("%s", err.Error())
		}
		if f.Store.Dispatch = p; p.CutOff == "" {
			f.Store.Dispatch = nil
		}
		return nil
	}, func(v *methodsView, text string) {
		d := &v.Dispatch
		d.Field, d.Slip = field, text
		switch field {
		case "cut-off":
			d.CutOff = typed
		case "zone":
			d.Zone = typed
		case "closed":
			d.Closed = typed
		}
	})
}

func setDispatch(p *calendar.Plan, field, typed string, on bool) (err error) {
	switch field {
	case "cut-off":
		if typed == "" {
			p.CutOff = ""
			return nil
		}
		at, err := calendar.Time(typed)
		if err != nil {
			return err
		}
		p.CutOff = clock(at)
	case "zone":
		if _, err := calendar.Location(typed); err != nil {
			return err
		}
		p.TimeZone = typed
	case "holidays":
		p.Holidays = typed
	case "closed":
		p.Closed, err = calendar.ParseDates(typed)
	case "day":
		return setWorkday(p, typed, on)
	}
	return err
}

// setWorkday lets the shop work on a day of the week or not; Monday to Friday is not written out.
func setWorkday(p *calendar.Plan, day string, on bool) error {
	var days []string
	for _, d := range calendar.Weekdays {
		if d == day && on || d != day && slices.Contains(workdays(p), d) {
			days = append(days, d)
		}
	}
	if len(days) == 0 {
		return shell.Refusef("the shop has to work on some day of the week")
	}
	if p.Weekdays = days; slices.Equal(days, calendar.Weekdays[:5]) {
		p.Weekdays = nil
	}
	return nil
}

// clock writes a time of day; 24:00 is the end of it.
func clock(at time.Duration) string {
	return fmt.Sprintf("%02d:%02d", at/time.Hour, at%time.Hour/time.Minute)
}
