package calendar

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/rickar/cal/v2"
	"github.com/rickar/cal/v2/ar"
	"github.com/rickar/cal/v2/at"
	"github.com/rickar/cal/v2/au"
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

// finland's are the church's holidays by the Church Act, New Year's Day, May Day (act 272/1944) and
// Independence Day (act 388/1937), the acts from memory; with Midsummer Eve and Christmas Eve, which are not,
// but on which nothing is delivered (common practice, no source).
var finland = []*cal.Holiday{
	fixed("Uudenvuodenpäivä", time.January, 1),
	fixed("Loppiainen", time.January, 6),
	fixed("Vappu", time.May, 1),
	fixed("Itsenäisyyspäivä", time.December, 6),
	fixed("Jouluaatto", time.December, 24),
	fixed("Joulupäivä", time.December, 25),
	fixed("Tapaninpäivä", time.December, 26),
	easter("Pitkäperjantai", -2),
	easter("Pääsiäispäivä", 0),
	easter("2. pääsiäispäivä", 1),
	easter("Helatorstai", 39),
	easter("Helluntaipäivä", 49),
	from("Juhannusaatto", time.June, 19, time.Friday),
	from("Juhannuspäivä", time.June, 20, time.Saturday),
	from("Pyhäinpäivä", time.October, 31, time.Saturday),
}

// estonia's are those of its Act on Public Holidays and Days of National Importance, from memory and as
// date-holidays has them.
var estonia = []*cal.Holiday{
	fixed("uusaasta", time.January, 1),
	fixed("iseseisvuspäev", time.February, 24),
	fixed("kevadpüha", time.May, 1),
	fixed("võidupüha", time.June, 23),
	fixed("jaanipäev", time.June, 24),
	fixed("taasiseseisvumispäev", time.August, 20),
	fixed("jõululaupäev", time.December, 24),
	fixed("esimene jõulupüha", time.December, 25),
	fixed("teine jõulupüha", time.December, 26),
	easter("suur reede", -2),
	easter("ülestõusmispühade 1. püha", 0),
	easter("nelipühade 1. püha", 49),
}

// Of Australia and Switzerland only what holds in every state and in nearly every canton; rickar/cal has them
// by state, and as all of the cantons' together.
var (
	australia = []*cal.Holiday{
		au.NewYear,
		au.AustraliaDay,
		au.GoodFriday,
		au.EasterMonday,
		au.AnzacDay,
		au.ChristmasDay,
		au.BoxingDay,
	}
	switzerland = []*cal.Holiday{
		ch.Neujahr,
		ch.Karfreitag,
		ch.Ostermontag,
		ch.Auffahrt,
		ch.Pfingstmontag,
		ch.Bundesfeiertag,
		ch.Weihnachtstag,
		ch.ZweiterWeihnachtsfeiertag,
	}
)

// matariki are the days of the Te Kāhui o Matariki Public Holiday Act 2022 of New Zealand, schedule 1, as
// date-holidays has them: month and day for each year from 2022.
var matariki = strings.Fields(
	`06-24 07-14 06-28 06-20 07-10 06-25 07-14 07-06 06-21 07-11 07-02 06-24 07-07 06-29 07-18 07-10 06-25 07-15 07-06
	07-19 07-11 07-03 06-24 07-07 06-29 07-19 07-03 06-25 07-15 06-30 06-21`,
)

func matarikiOf(_ *cal.Holiday, year int) time.Time {
	if i := year - 2022; i >= 0 && i < len(matariki) {
		if d, err := Date(strconv.Itoa(year) + "-" + matariki[i]); err == nil {
			return d
		}
	}
	return time.Time{}
}

// since adds a holiday that a later law has made to those of a country.
func since(year int, h *cal.Holiday, list []*cal.Holiday) []*cal.Holiday {
	h.StartYear = year
	return append(slices.Clip(list), h)
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

// holidays are the public holidays of countries, as rickar/cal has them; it lacks Estonia's and Finland's, and
// what the laws of Brazil (14.759/2023), Italy (151/2025), New Zealand and Poland (of 6 December 2024; the laws
// from memory) have added.
var holidays = map[string][]*cal.Holiday{
	"AR": ar.Holidays,
	"AT": at.Holidays,
	"AU": australia,
	"BE": be.Holidays,
	"BG": bg.Holidays,
	"BR": since(2024, fixed("Dia Nacional de Zumbi e da Consciência Negra", time.November, 20), br.Holidays),
	"CA": ca.Holidays,
	"CH": switzerland,
	"CZ": cz.Holidays,
	"DE": de.Holidays,
	"DK": dk.Holidays,
	"EE": estonia,
	"ES": es.Holidays,
	"FR": fr.Holidays,
	"GB": gb.Holidays,
	"GR": gr.Holidays,
	"HR": hr.Holidays,
	"IE": ie.Holidays,
	"IT": since(2026, fixed("San Francesco d'Assisi", time.October, 4), it.Holidays),
	"JP": jp.Holidays,
	"LT": lt.Holidays,
	"LV": lv.Holidays,
	"MW": mw.Holidays,
	"NC": nc.Holidays,
	"NL": nl.Holidays,
	"NO": no.Holidays,
	"NZ": since(2022, &cal.Holiday{Name: "Matariki", Func: matarikiOf}, nz.Holidays),
	"PL": since(2025, fixed("Wigilia", time.December, 24), pl.Holidays),
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
