package setup

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
	"time"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/edit"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// dispatchView is when orders leave, as its fields show it.
type dispatchView struct {
	Made            bool // else only the cut-off is asked for
	CutOff, Zone    string
	Closed, Lead    string
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
	if p.LeadDays > 0 {
		v.Lead = strconv.FormatInt(p.LeadDays, 10)
	}
	for _, day := range calendar.Weekdays {
		v.Days = append(v.Days, shell.Choice{ID: day, Name: dayNames[day], Chosen: slices.Contains(edit.Workdays(p),
			day)})
	}
	v.Countries = []shell.Choice{{Name: "no country", Chosen: p.Holidays == ""}}
	for _, code := range calendar.Countries() {
		v.Countries = append(v.Countries, shell.Choice{ID: code, Name: world.CountryName(code),
			Chosen: p.Holidays == code})
	}
	slices.SortFunc(v.Countries[1:], func(a, b shell.Choice) int { return cmp.Compare(a.Name, b.Name) })
	if c, err := calendar.New(p); err == nil {
		leaves := c.Leaves(now)
		v.Now = calendar.Format(leaves, leaves)
	}
	return v
}

// editDispatch sets one field of when orders leave.
func (s *Screens) editDispatch(c *gin.Context) {
	field, typed := edit.Dispatch(c.PostForm("field")), strings.TrimSpace(c.PostForm("value"))
	s.editAll(c, func(f *store.File) error {
		if field == "day" {
			return edit.SetWorkday(f, typed, c.PostForm("on") == "on")
		}
		return edit.SetDispatch(f, field, typed, c.PostForm("browser_zone"))
	}, func(v *view, text string) {
		d := &v.Dispatch
		d.Field, d.Slip = string(field), text
		switch field {
		case edit.CutOff:
			d.CutOff = typed
		case edit.TimeZone:
			d.Zone = typed
		case edit.Closed:
			d.Closed = typed
		case edit.LeadDays:
			d.Lead = typed
		}
	})
}
