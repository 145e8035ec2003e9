package calendar

import (
	"fmt"
	"strings"
	"time"
)

// ParseMoment reads a date with a time of day in a time zone: "2026-12-01 08:00", "1.12.2026 8.00". A date alone is its
// first moment. A time that the clocks skip in spring is refused; of one that they show twice in autumn, the first is
// meant.
func ParseMoment(text string, in *time.Location) (time.Time, error) {
	text = strings.Join(strings.Fields(strings.ReplaceAll(text, ",", " ")), " ")
	date, clock := text, "00:00"
	if i := strings.LastIndexAny(text, " T"); i > 0 {
		if _, err := Time(text[i+1:]); err == nil {
			date, clock = text[:i], text[i+1:]
		}
	}
	day, err := typedDate(date)
	if err != nil {
		return time.Time{}, fmt.Errorf("%.40q is not a date and time such as 2026-12-24 08:00", text)
	}
	of, err := Time(clock)
	if err != nil {
		return time.Time{}, err
	}
	hours, minutes := int(of/time.Hour), int(of%time.Hour/time.Minute)
	t := time.Date(day.Year(), day.Month(), day.Day(), hours, minutes, 0, 0, in)
	if t.Minute() != minutes || t.Hour() != hours%24 {
		return time.Time{}, fmt.Errorf("%s does not exist on %s: the clocks go forward then", Clock(of),
			day.Format("2 January 2006"))
	}
	for _, shift := range []time.Duration{time.Hour, time.Hour / 2} {
		if e := t.Add(-shift); e.Hour() == t.Hour() && e.Minute() == t.Minute() {
			return e, nil
		}
	}
	return t, nil
}
