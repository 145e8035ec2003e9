package calendar

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"
)

// forms are the ways to write a date; the first is how it is kept.
var forms = []string{time.DateOnly, "2.1.2006", "2 January 2006", "2 Jan 2006", "January 2 2006"}

var parts = regexp.MustCompile(`[,;\n]+`)

// ParseDates reads dates as they are typed, one after another with commas or lines between them: 2026-12-24,
// 24.12.2026, 24 December 2026, and from one to another ("24.12.2026 to 1.1.2027"). They come in order, each
// once, as in ISO 8601.
func ParseDates(text string) ([]string, error) {
	var days []string
	for _, part := range parts.Split(text, -1) {
		part = strings.Join(strings.Fields(part), " ")
		if part == "" {
			continue
		}
		first, last, ranged := strings.Cut(part, " to ")
		from, err := typedDate(first)
		if err != nil {
			return nil, err
		}
		to := from
		if ranged {
			if to, err = typedDate(last); err != nil {
				return nil, err
			}
		}
		if to.Before(from) {
			return nil, fmt.Errorf("%.60q ends before it begins", part)
		}
		for day := from; !day.After(to); day = day.AddDate(0, 0, 1) {
			if days = append(days, day.Format(time.DateOnly)); len(days) > MaxClosed {
				return nil, fmt.Errorf("there are at most %d closed days", MaxClosed)
			}
		}
	}
	slices.Sort(days)
	return slices.Compact(days), nil
}

func typedDate(text string) (time.Time, error) {
	text = strings.TrimSpace(text)
	for _, form := range forms {
		if day, err := time.Parse(form, text); err == nil && day.Year() >= 1 {
			return day, nil
		}
	}
	return time.Time{}, fmt.Errorf("%.40q is not a date such as 2026-12-24 or 24.12.2026", text)
}

// FormatDates writes dates of ISO 8601 in their order, runs of them as from one to another; ParseDates reads it back.
func FormatDates(dates []string) string {
	var out []string
	for i := 0; i < len(dates); {
		j := i
		for j+1 < len(dates) && next(dates[j]) == dates[j+1] {
			j++
		}
		if j > i {
			out = append(out, dates[i]+" to "+dates[j])
		} else {
			out = append(out, dates[i])
		}
		i = j + 1
	}
	return strings.Join(out, ", ")
}

func next(date string) string {
	day, err := Date(date)
	if err != nil {
		return ""
	}
	return day.AddDate(0, 0, 1).Format(time.DateOnly)
}
