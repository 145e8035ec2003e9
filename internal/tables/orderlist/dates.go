package orderlist

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// The forms of a date, and of what may stand behind it.
var (
	isoDate    = regexp.MustCompile(`^(\d{4})-(\d{1,2})-(\d{1,2})(?:[T ]+(.+))?$`)
	dottedDate = regexp.MustCompile(`^(\d{1,2})\. ?(\d{1,2})\. ?(\d{4})(?:,? +(.+))?$`)
	slashDate  = regexp.MustCompile(`^(\d{1,2})([/-])(\d{1,2})[/-](\d{4})(?:,? +(.+))?$`)
	clock      = regexp.MustCompile(
		`(?i)^(\d{1,2})[:.](\d{2})(?:[:.](\d{2})(?:[.,]\d+)?)? ?(am|pm)?(?: ?(Z|UTC|[+-]\d{2}:?\d{2}))?$`,
	)
)

// moment reads when an order was placed; zero where nothing is said. A date alone is its noon, so that it is the same
// day in the shop whatever zone it was written in.
func (p *parser) moment(text string) (time.Time, string) {
	if text == "" {
		return time.Time{}, ""
	}
	if len(text) == len("2026-03-02T10:00:00+02:00") || text[len(text)-1] == 'Z' {
		if t, err := time.Parse(time.RFC3339, text); err == nil {
			return t, ""
		}
	}
	t, err := ParseDate(text, p.o.Dates, p.o.Location)
	if err != nil {
		return t, "at: " + err.Error()
	}
	return t, ""
}

// TwoDates is the error of a date of which nobody can say which number is the day and which the month.
type TwoDates struct {
	Text              string
	DayFirst, MonthIs time.Time
}

// Error says what the date may be.
func (e *TwoDates) Error() string {
	return fmt.Sprintf("%.30q is %s or %s: say which comes first", e.Text, e.DayFirst.Format("2 January"),
		e.MonthIs.Format("2 January"))
}

// ParseDate reads a date with or without a time of day: as ISO 8601 and RFC 3339 write it, with points (day first), or
// with strokes, where the order says what comes first unless one of the numbers is above 12. Times without a zone are
// in the given place.
func ParseDate(text string, order DateOrder, in *time.Location) (time.Time, error) {
	if in == nil {
		in = time.UTC
	}
	if m := isoDate.FindStringSubmatch(text); m != nil {
		return dated(text, m[1], m[2], m[3], m[4], in)
	}
	if m := dottedDate.FindStringSubmatch(text); m != nil {
		return dated(text, m[3], m[2], m[1], m[4], in)
	}
	m := slashDate.FindStringSubmatch(text)
	if m == nil {
		return time.Time{}, fmt.Errorf("%.40q is not a date such as 2026-03-02 or 2.3.2026", text)
	}
	day, dayErr := dated(text, m[4], m[3], m[1], m[5], in)
	month, monthErr := dated(text, m[4], m[1], m[3], m[5], in)
	switch {
	case dayErr != nil && monthErr != nil:
		return day, dayErr
	case order == DayFirst && dayErr == nil, monthErr != nil && order != MonthFirst, dayErr == nil && day.Equal(month):
		return day, dayErr
	case order == MonthFirst && monthErr == nil, dayErr != nil && order != DayFirst:
		return month, monthErr
	case order == DayFirst:
		return day, dayErr
	case order == MonthFirst:
		return month, monthErr
	}
	return time.Time{}, &TwoDates{text, day, month}
}

func dated(text, year, month, day, at string, in *time.Location) (t time.Time, err error) {
	y, _ := strconv.Atoi(year)
	m, _ := strconv.Atoi(month)
	d, _ := strconv.Atoi(day)
	hour, minute, second := 12, 0, 0
	if at != "" {
		c := clock.FindStringSubmatch(at)
		if c == nil {
			return t, fmt.Errorf("%.40q has no time of day such as 14:05", text)
		}
		hour, _ = strconv.Atoi(c[1])
		minute, _ = strconv.Atoi(c[2])
		second, _ = strconv.Atoi(c[3])
		switch half := strings.ToLower(c[4]); {
		case half != "" && (hour < 1 || hour > 12):
			return t, fmt.Errorf("%.40q has no time of day such as 14:05", text)
		case half == "am":
			hour %= 12
		case half == "pm":
			hour = hour%12 + 12
		}
		if zone := c[5]; zone != "" {
			in = time.UTC
			if zone[0] == '+' || zone[0] == '-' {
				z, err := time.Parse("-0700", strings.Replace(zone, ":", "", 1))
				if err != nil {
					return t, fmt.Errorf("%.40q: %s is no offset from UTC such as +02:00", text, zone)
				}
				_, offset := z.Zone()
				in = time.FixedZone("", offset)
			}
		}
	}
	t = time.Date(y, time.Month(m), d, hour, minute, second, 0, in)
	if y < 1900 || t.Day() != d || int(t.Month()) != m || hour > 23 || minute > 59 || second > 60 {
		return t, fmt.Errorf("%.40q is not a date such as 2026-03-02", text)
	}
	return t, nil
}
