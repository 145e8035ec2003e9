package calendar

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// ParseTime reads a time of day as it is typed, and writes it as hours and minutes: "9.30" is "09:30".
func ParseTime(text string) (string, error) {
	at, err := Time(text)
	if err != nil {
		return "", err
	}
	return Clock(at), nil
}

// Clock writes a time of day; 24:00 is the end of it.
func Clock(at time.Duration) string {
	return fmt.Sprintf("%02d:%02d", at/time.Hour, at%time.Hour/time.Minute)
}

// ParseWeekdays reads days of the week as they are typed: "fri", "Fridays", "mon, wed and thursday", "mon to fri". They
// come in the order of the week; "" is none.
func ParseWeekdays(text string) (days []string, err error) {
	split := func(r rune) bool { return strings.ContainsRune(" ,;", r) }
	words := strings.FieldsFunc(strings.ReplaceAll(strings.ToLower(text), " and ", " "), split)
	on := map[string]bool{}
	for i := 0; i < len(words); i++ {
		first, err := weekday(words[i])
		if err != nil {
			return nil, err
		}
		last := first
		if i+2 < len(words) && words[i+1] == "to" {
			if last, err = weekday(words[i+2]); err != nil {
				return nil, err
			}
			i += 2
		}
		for day := first; ; day = (day + 1) % 7 {
			on[Weekdays[day]] = true
			if day == last {
				break
			}
		}
	}
	for _, day := range Weekdays {
		if on[day] {
			days = append(days, day)
		}
	}
	return days, nil
}

// weekday is the place of a day in [Weekdays], by its first letters.
func weekday(word string) (int, error) {
	i := slices.IndexFunc(Weekdays, func(day string) bool { return strings.HasPrefix(word, day) })
	if i < 0 || !strings.HasPrefix(strings.ToLower(dayNames[i])+"s", word) {
		return 0, fmt.Errorf("%.20q is not a day of the week such as fri", word)
	}
	return i, nil
}

var dayNames = []string{"Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"}

// DayName is the name of a day of [Weekdays].
func DayName(day string) string {
	if i := slices.Index(Weekdays, day); i >= 0 {
		return dayNames[i]
	}
	return day
}
