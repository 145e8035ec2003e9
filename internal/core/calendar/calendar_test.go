package calendar

import (
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func day(t require.TestingT, text string) time.Time {
	d, err := Date(text)
	require.NoError(t, err)
	return d
}

func made(t require.TestingT, p Plan) *Calendar {
	c, err := New(&p)
	require.NoError(t, err)
	return c
}

// The bank holidays of England and Wales as gov.uk/bank-holidays publishes them, and Finland's as the Almanac
// Office of the University of Helsinki publishes them (with the two eves), both written down from memory. What
// falls on a weekend counts as well.
func TestPublicHolidaysAreThosePublished(t *testing.T) {
	for _, tt := range []struct {
		country string
		year    int
		days    string
	}{
		{"GB", 2025, "01-01 04-18 04-21 05-05 05-26 08-25 12-25 12-26"},
		// Boxing Day is on a Saturday: Monday instead
		{"GB", 2026, "01-01 04-03 04-06 05-04 05-25 08-31 12-25 12-26 12-28"},
		{"FI", 2025, "01-01 01-06 04-18 04-20 04-21 05-01 05-29 06-08 06-20 06-21 11-01 12-06 12-24 12-25 12-26"},
		{"FI", 2026, "01-01 01-06 04-03 04-05 04-06 05-01 05-14 05-24 06-19 06-20 10-31 12-06 12-24 12-25 12-26"},
		// opm.gov: New Year 2022 observed in 2021
		{"US", 2021, "01-01 01-18 02-15 05-31 06-18 06-19 07-04 07-05 09-06 10-11 11-11 11-25 12-24 12-25 12-31"},
	} {
		var have []string
		for d := time.Date(tt.year, 1, 1, 0, 0, 0, 0, time.UTC); d.Year() == tt.year; d = d.AddDate(0, 0, 1) {
			if publicHolidays(tt.country, tt.year)[d] {
				have = append(have, d.Format("01-02"))
			}
		}
		assert.Equal(t, tt.days, strings.Join(have, " "), "%s %d", tt.country, tt.year)
	}
	assert.Contains(t, Countries(), "FI")
	assert.False(t, Known("XX"))
}

// The public holidays from Monday to Friday of 2024 to 2030 as date-holidays 3.37.0 (npm, CC BY 3.0), which
// keeps the rules of each country with their sources, has them: make refresh records them. None may be missing
// here, and what is more is a day that it has as a bank holiday, an optional one or an observed one, in the
// countries in which such days count here.
func TestPublicHolidaysAreThoseOfAnOpenDataset(t *testing.T) {
	data, err := os.ReadFile("testdata/holidays.tsv")
	require.NoError(t, err)
	more := map[string]string{
		"BR": "Carnival and Corpus Christi: optional by law, taken by nearly all",
		"DK": "Constitution Day: shops are shut",
		"NL": "Good Friday and Liberation Day",
		"FI": "Midsummer Eve and Christmas Eve",
		"SE": "the eves of Midsummer, Christmas and New Year",
		"SK": "holidays that became working days",
		"US": "Veterans Day, where it is observed",
	}
	countries := map[string]bool{}
	for line := range strings.Lines(string(data)) {
		f := strings.Split(strings.TrimSuffix(line, "\n"), "\t")
		require.Len(t, f, 4, line)
		year, err := strconv.Atoi(f[1])
		require.NoError(t, err)
		have, extra := publicHolidays(f[0], year), strings.Fields(f[3])
		for _, d := range strings.Fields(f[2]) {
			on := day(t, f[1]+"-"+d)
			assert.True(t, have[on], "%s is a holiday in %s", on.Format(time.DateOnly), f[0])
			delete(have, on)
		}
		for on := range have {
			if weekday := on.Weekday(); weekday == time.Saturday || weekday == time.Sunday {
				continue
			}
			assert.True(
				t,
				more[f[0]] != "" && slices.Contains(extra, on.Format("01-02")),
				"%s is no holiday in %s",
				on.Format(time.DateOnly),
				f[0],
			)
		}
		countries[f[0]] = true
	}
	assert.Len(t, countries, 29)
}

// Common practice, no source; the dates by a wall calendar.
func TestOrdersLeaveAndArrive(t *testing.T) {
	c := made(t, Plan{TimeZone: "Europe/Helsinki", CutOff: "14:00", Holidays: "FI", Closed: []string{"2026-11-30"}})
	for _, tt := range []struct {
		at, leaves string
		min, max   int64
		business   bool
		text       string
	}{
		{"2026-11-24T13:59:00+02:00", "2026-11-24", 2, 4, true, "Thu 26 – Mon 30 November"},
		{"2026-11-24T14:00:00+02:00", "2026-11-25", 2, 4, true, "Fri 27 November – Tue 1 December"},
		{"2026-11-24T11:59:00Z", "2026-11-24", 0, 0, true, "Tue 24 November"}, // the shop's time counts
		// there it is half past six in the morning already
		{"2026-11-24T23:30:00-05:00", "2026-11-25", 1, 1, false, "Thu 26 November"},
		// a weekend, and a Monday on which the shop is closed
		{"2026-11-27T15:00:00+02:00", "2026-12-01", 1, 2, true, "Wed 2 – Thu 3 December"},
		{"2026-12-23T10:00:00+02:00", "2026-12-23", 1, 3, true, "Mon 28 – Wed 30 December"},
		{"2026-12-24T10:00:00+02:00", "2026-12-28", 2, 5, true, "Wed 30 December 2026 – Tue 5 January 2027"},
		// calendar days are all days
		{"2026-12-23T10:00:00+02:00", "2026-12-23", 1, 3, false, "Thu 24 – Sat 26 December"},
	} {
		at, err := time.Parse(time.RFC3339, tt.at)
		require.NoError(t, err)
		leaves := c.Leaves(at)
		assert.Equal(t, tt.leaves, leaves.Format(time.DateOnly), tt.at)
		assert.Equal(
			t,
			tt.text,
			Format(c.After(leaves, tt.min, tt.business), c.After(leaves, tt.max, tt.business)),
			tt.at,
		)
	}
	weekend := made(t, Plan{TimeZone: "UTC", CutOff: "24:00", Weekdays: []string{"sat", "sun"}})
	leaves := weekend.Leaves(time.Date(2026, 11, 24, 23, 59, 0, 0, time.UTC))
	assert.Equal(t, "Sat 28 November", Format(leaves, leaves), "a shop that packs on weekends")
	assert.Equal(
		t,
		"2026-11-30",
		weekend.After(leaves, 1, true).Format(time.DateOnly),
		"what it hands over moves on working days",
	)
}

func TestPlansThatCannotBe(t *testing.T) {
	good := Plan{TimeZone: "Europe/Helsinki", CutOff: "14:00"}
	for want, spoil := range map[string]func(*Plan){
		"time zone is needed":         func(p *Plan) { p.TimeZone = "" },
		"no time zone":                func(p *Plan) { p.TimeZone = "Europe/Naantali" },
		"not a time of day":           func(p *Plan) { p.CutOff = "25:00" },
		"not a day of the week":       func(p *Plan) { p.Weekdays = []string{"monday"} },
		"are not known":               func(p *Plan) { p.Holidays = "XX" },
		"not a date such as":          func(p *Plan) { p.Closed = []string{"24.12."} },
		"there are at most 1000 days": func(p *Plan) { p.Closed = make([]string, MaxClosed+1); want1000(p) },
	} {
		p := good
		spoil(&p)
		_, err := New(&p)
		assert.ErrorContains(t, err, strings.Replace(want, "1000 days", "1000 closed days", 1))
	}
	for _, text := range []string{"", "x", "14", "14:60", "-1:00", "24:01", "14:00 pm", "014:00"} {
		_, err := Time(text)
		assert.Error(t, err, text)
	}
	at, err := Time("9.30")
	assert.NoError(t, err)
	assert.Equal(t, 9*time.Hour+30*time.Minute, at)
}

func want1000(p *Plan) {
	for i := range p.Closed {
		p.Closed[i] = "2026-12-24"
	}
}

func TestDatesAsTyped(t *testing.T) {
	days, err := ParseDates("24.12.2026 to 26.12.2026, 1 January 2027\n2026-12-25; 31 Dec 2026")
	require.NoError(t, err)
	assert.Equal(t, []string{"2026-12-24", "2026-12-25", "2026-12-26", "2026-12-31", "2027-01-01"}, days)
	assert.Equal(t, "2026-12-24 to 2026-12-26, 2026-12-31 to 2027-01-01", FormatDates(days))
	for text, want := range map[string]string{"31.2.2026": "not a date", "soon": "not a date",
		"2026-12-26 to 2026-12-24": "ends before", "1.1.2000 to 1.1.2026": "at most"} {
		_, err := ParseDates(text)
		assert.ErrorContains(t, err, want)
	}
}

func TestDatesAreReadBackAsWritten(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		offsets := rapid.SliceOfDistinct(rapid.IntRange(0, 60), rapid.ID[int]).Draw(t, "days")
		set := map[string]bool{}
		for _, o := range offsets {
			set[time.Date(2026, 12, 1+o, 0, 0, 0, 0, time.UTC).Format(time.DateOnly)] = true
		}
		list := make([]string, 0, len(set))
		for d := range set {
			list = append(list, d)
		}
		days, err := ParseDates(strings.Join(list, ","))
		require.NoError(t, err)
		require.Len(t, days, len(set))
		again, err := ParseDates(FormatDates(days))
		require.NoError(t, err)
		require.Equal(t, days, again)
	})
}

// Whatever the plan: an order never leaves before it is placed nor on a day off, a later order never leaves
// earlier, and more days never arrive earlier.
func TestLaterOrdersLeaveLater(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := made(t, Plan{
			TimeZone: rapid.SampledFrom(
				[]string{"UTC", "Europe/Helsinki", "America/New_York", "Pacific/Auckland"},
			).Draw(t, "zone"),
			CutOff: rapid.SampledFrom([]string{"00:00", "12:30", "24:00"}).Draw(t, "cut-off"),
			Weekdays: rapid.SliceOfNDistinct(rapid.SampledFrom(Weekdays), 1, 7, rapid.ID[string]).Draw(
				t,
				"weekdays",
			),
			Holidays: rapid.SampledFrom(append(Countries(), "")).Draw(t, "holidays"),
		})
		at := time.Unix(rapid.Int64Range(1_700_000_000, 1_900_000_000).Draw(t, "at"), 0)
		later := at.Add(time.Duration(rapid.IntRange(0, 200).Draw(t, "hours")) * time.Hour)
		leaves := c.Leaves(at)
		local := at.In(c.location)
		require.False(t, leaves.Before(time.Date(local.Year(), local.Month(), local.Day(), 0, 0, 0, 0, time.UTC)))
		require.True(t, c.works[leaves.Weekday()])
		require.False(t, c.holiday(leaves))
		require.False(t, c.Leaves(later).Before(leaves))
		n := rapid.Int64Range(0, 40).Draw(t, "days")
		business := rapid.Bool().Draw(t, "business")
		require.True(t, c.After(leaves, n+1, business).After(c.After(leaves, n, business)))
		require.False(t, c.After(leaves, n, true).Before(c.After(leaves, n, false)), "working days are never fewer")
	})
}
