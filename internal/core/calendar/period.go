package calendar

import (
	"fmt"
	"strings"
	"time"
)

// Period is a time by dates in ISO 8601, both included; "" is no end.
type Period struct {
	From string `json:"from,omitempty"`
	To   string `json:"to,omitempty"`
}

// Has says whether a day, as [Calendar.Today] gives it, lies in the period; a period that is nil has every day.
func (p *Period) Has(day time.Time) bool {
	if p == nil {
		return true
	}
	date := day.Format(time.DateOnly)
	return (p.From == "" || p.From <= date) && (p.To == "" || date <= p.To)
}

// String says the period as people write it: "1 December 2026 to 24 December 2026", "from 1 December 2026", "until 24
// December 2026"; "" for a period that is nil. [ParsePeriod] reads it back.
func (p *Period) String() string {
	switch {
	case p == nil || p.From == "" && p.To == "":
		return ""
	case p.To == "":
		return "from " + written(p.From)
	case p.From == "":
		return "until " + written(p.To)
	case p.From == p.To:
		return written(p.From)
	}
	return written(p.From) + " to " + written(p.To)
}

func written(date string) string {
	day, err := Date(date)
	if err != nil {
		return date
	}
	return day.Format("2 January 2006")
}

// ParsePeriod reads a period as it is typed: dates as [ParseDates] takes them, with "to" between them, or "from" or
// "until" before one. "" and "always" are no period.
func ParsePeriod(text string) (*Period, error) {
	text = strings.Join(strings.Fields(text), " ")
	lower := strings.ToLower(text)
	var first, last string
	switch {
	case text == "" || lower == "always":
		return nil, nil
	case strings.HasPrefix(lower, "until "):
		last = text[len("until "):]
	default:
		from := text
		open := strings.HasPrefix(lower, "from ")
		if open {
			from = text[len("from "):]
		}
		var ranged bool
		if first, last, ranged = cutFold(from, " to "); !ranged && !open {
			last = first
		}
	}
	var p Period
	for _, end := range []struct {
		text string
		into *string
	}{{first, &p.From}, {last, &p.To}} {
		if end.text == "" {
			continue
		}
		day, err := typedDate(end.text)
		if err != nil {
			return nil, err
		}
		*end.into = day.Format(time.DateOnly)
	}
	if p.To != "" && p.To < p.From {
		return nil, fmt.Errorf("%.60q ends before it begins", text)
	}
	return &p, nil
}

// cutFold is strings.Cut without case.
func cutFold(text, sep string) (before, after string, found bool) {
	i := strings.Index(strings.ToLower(text), sep)
	if i < 0 {
		return text, "", false
	}
	return text[:i], text[i+len(sep):], true
}
