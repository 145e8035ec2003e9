package calendar

import (
	"slices"
	"time"

	"github.com/rickar/cal/v2"
	"github.com/rickar/cal/v2/ar"
	"github.com/rickar/cal/v2/at"
	"github.com/rickar/cal/v2/be"
	"github.com/rickar/cal/v2/bg"
	"github.com/rickar/cal/v2/br"
	"github.com/rickar/cal/v2/ca"
	"github.com/rickar/cal/v2/ch"
	"github.com/rickar/cal/v2/cz"
	"github.com/rickar/cal/v2/de"
	"github.com/rickar/cal/v2/dk"
	"github.com/rickar/cal/v2/es"
	"github.com/rickar/cal/v2/fr"
	"github.com/rickar/cal/v2/gb"
	"github.com/rickar/cal/v2/gr"
	"github.com/rickar/cal/v2/hr"
	"github.com/rickar/cal/v2/ie"
	"github.com/rickar/cal/v2/it"
	"github.com/rickar/cal/v2/jp"
	"github.com/rickar/cal/v2/lt"
	"github.com/rickar/cal/v2/lv"
	"github.com/rickar/cal/v2/mw"
	"github.com/rickar/cal/v2/nc"
	"github.com/rickar/cal/v2/nl"
	"github.com/rickar/cal/v2/no"
	"github.com/rickar/cal/v2/nz"
	"github.com/rickar/cal/v2/pl"
	"github.com/rickar/cal/v2/ro"
	"github.com/rickar/cal/v2/ru"
	"github.com/rickar/cal/v2/se"
	"github.com/rickar/cal/v2/si"
	"github.com/rickar/cal/v2/sk"
	"github.com/rickar/cal/v2/ua"
	"github.com/rickar/cal/v2/us"
	"github.com/rickar/cal/v2/za"
)

// finland's are the church's holidays by the Church Act, New Year's Day, May Day (act 272/1944) and Independence Day (act 388/1937), the acts
// from memory; with Midsummer Eve and Christmas Eve, which are not, but on which nothing is delivered (common practice, no source).
var finland = []*cal.Holiday{
	fixed("Uudenvuodenpäivä", time.January, 1), fixed("Loppiainen", time.January, 6), fixed("Vappu", time.May, 1),
	fixed("Itsenäisyyspäivä", time.December, 6), fixed("Jouluaatto", time.December, 24), fixed("Joulupäivä", time.December, 25),
	fixed("Tapaninpäivä", time.December, 26),
	easter("Pitkäperjantai", -2), easter("Pääsiäispäivä", 0), easter("2. pääsiäispäivä", 1), easter("Helatorstai", 39), easter("Helluntaipäivä", 49),
	from("Juhannusaatto", time.June, 19, time.Friday), from("Juhannuspäivä", time.June, 20, time.Saturday),
	from("Pyhäinpäivä", time.October, 31, time.Saturday),
}

func fixed(name string, month time.Month, day int) *cal.Holiday {
	return &cal.Holiday{Name: name, Month: month, Day: day, Func: cal.CalcDayOfMonth}
}

func easter(name string, offset int) *cal.Holiday {
	return &cal.Holiday{Name: name, Offset: offset, Func: cal.CalcEasterOffset}
}

func from(name string, month time.Month, day int, weekday time.Weekday) *cal.Holiday {
	return &cal.Holiday{Name: name, Month: month, Day: day, Weekday: weekday, Offset: 1, Func: cal.CalcWeekdayFrom}
}

// holidays are the public holidays of countries, as rickar/cal has them; it lacks Finland's.
var holidays = map[string][]*cal.Holiday{
	"AR": ar.Holidays,
	"AT": at.Holidays,
	"BE": be.Holidays,
	"BG": bg.Holidays,
	"BR": br.Holidays,
	"CA": ca.Holidays,
	"CH": ch.Holidays,
	"CZ": cz.Holidays,
	"DE": de.Holidays,
	"DK": dk.Holidays,
	"ES": es.Holidays,
	"FR": fr.Holidays,
	"GB": gb.Holidays,
	"GR": gr.Holidays,
	"HR": hr.Holidays,
	"IE": ie.Holidays,
	"IT": it.Holidays,
	"JP": jp.Holidays,
	"LT": lt.Holidays,
	"LV": lv.Holidays,
	"MW": mw.Holidays,
	"NC": nc.Holidays,
	"NL": nl.Holidays,
	"NO": no.Holidays,
	"NZ": nz.Holidays,
	"PL": pl.Holidays,
	"RO": ro.Holidays,
	"RU": ru.Holidays,
	"SE": se.Holidays,
	"SI": si.Holidays,
	"SK": sk.Holidays,
	"UA": ua.Holidays,
	"US": us.Holidays,
	"ZA": za.Holidays,
	"FI": finland,
}

// Countries lists the countries whose public holidays are known, by their ISO 3166-1 codes.
func Countries() []string {
	list := make([]string, 0, len(holidays))
	for code := range holidays {
		list = append(list, code)
	}
	slices.Sort(list)
	return list
}

// Known says whether the public holidays of a country are known.
func Known(country string) bool { return holidays[country] != nil }

// publicHolidays are the days of a year that are public holidays of the country, or on which one is observed.
func publicHolidays(country string, year int) map[time.Time]bool {
	days := map[time.Time]bool{}
	for _, h := range holidays[country] {
		for y := year - 1; y <= year+1; y++ { // New Year may be observed in the old one
			actual, observed := h.Calc(y)
			for _, t := range []time.Time{actual, observed} {
				if t.Year() == year {
					days[time.Date(year, t.Month(), t.Day(), 0, 0, 0, 0, time.UTC)] = true
				}
			}
		}
	}
	return days
}
