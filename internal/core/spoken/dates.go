package spoken

import (
	"fmt"
	"time"

	"golang.org/x/text/language"
)

// names are the days of the week from Sunday, short, and the months, as they stand in a date (CLDR, format
// abbreviated and format wide).
type names struct {
	days   [7]string
	months [12]string
	dot    string // behind the number of a day
	of     string // between the number of a day and the month
	year   string // between month and year
	after  string // between the day of the week and the rest
}

var dateNames = map[language.Tag]names{
	language.Finnish: {
		days: [7]string{"su", "ma", "ti", "ke", "to", "pe", "la"},
		months: [12]string{"tammikuuta", "helmikuuta", "maaliskuuta", "huhtikuuta", "toukokuuta", "kesäkuuta", "heinäkuuta",
			"elokuuta", "syyskuuta", "lokakuuta", "marraskuuta", "joulukuuta"},
		dot: ".", of: " ", year: " ", after: " ",
	},
	language.Swedish: {
		days: [7]string{"sön", "mån", "tis", "ons", "tors", "fre", "lör"},
		months: [12]string{"januari", "februari", "mars", "april", "maj", "juni", "juli", "augusti", "september", "oktober",
			"november", "december"},
		of: " ", year: " ", after: " ",
	},
	language.German: {
		days: [7]string{"So.", "Mo.", "Di.", "Mi.", "Do.", "Fr.", "Sa."},
		months: [12]string{"Januar", "Februar", "März", "April", "Mai", "Juni", "Juli", "August", "September", "Oktober",
			"November", "Dezember"},
		dot: ".", of: " ", year: " ", after: ", ",
	},
	language.French: {
		days: [7]string{"dim.", "lun.", "mar.", "mer.", "jeu.", "ven.", "sam."},
		months: [12]string{"janvier", "février", "mars", "avril", "mai", "juin", "juillet", "août", "septembre", "octobre",
			"novembre", "décembre"},
		of: " ", year: " ", after: " ",
	},
	language.Spanish: {
		days: [7]string{"dom", "lun", "mar", "mié", "jue", "vie", "sáb"},
		months: [12]string{"enero", "febrero", "marzo", "abril", "mayo", "junio", "julio", "agosto", "septiembre", "octubre",
			"noviembre", "diciembre"},
		of: " de ", year: " de ", after: ", ",
	},
}

// date writes a day of ISO 8601: "24. Dezember 2026".
func date(tag language.Tag, iso string) string {
	day, err := time.Parse(time.DateOnly, iso)
	n, ok := dateNames[tag]
	if err != nil || !ok {
		return iso
	}
	return fmt.Sprintf("%d%s%s%s%s%d", day.Day(), n.dot, n.of, n.months[day.Month()-1], n.year, day.Year())
}

// dates writes from when to when, days of ISO 8601: "Di., 8. – Do., 10. Dezember"; with the years where they differ.
func dates(tag language.Tag, from, to string) string {
	a, err := time.Parse(time.DateOnly, from)
	b, errTo := time.Parse(time.DateOnly, to)
	n, ok := dateNames[tag]
	if err != nil || errTo != nil || !ok {
		return from + " – " + to
	}
	day := func(t time.Time, month, year bool) string {
		text := fmt.Sprintf("%s%s%d%s", n.days[t.Weekday()], n.after, t.Day(), n.dot)
		if month {
			text += n.of + n.months[t.Month()-1]
		}
		if year {
			text += fmt.Sprint(n.year, t.Year())
		}
		return text
	}
	switch {
	case a.Equal(b):
		return day(b, true, false)
	case a.Year() != b.Year():
		return day(a, true, true) + " – " + day(b, true, true)
	case a.Month() != b.Month():
		return day(a, true, false) + " – " + day(b, true, false)
	}
	return day(a, false, false) + " – " + day(b, true, false)
}
