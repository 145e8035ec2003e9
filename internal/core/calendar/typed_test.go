package calendar

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestDaysOfTheWeekAreReadAsTheyAreTyped(t *testing.T) {
	for typed, want := range map[string]string{
		"fri": "fri", "Fridays": "fri", "thursday, Mon and wed": "mon wed thu", "mon to fri": "mon tue wed thu fri",
		"sat to mon": "mon sat sun", "": "", "tues": "tue", "sunday;sunday": "sun",
	} {
		days, err := ParseWeekdays(typed)
		require.NoError(t, err, typed)
		assert.Equal(t, want, strings.Join(days, " "), typed)
	}
	for _, typed := range []string{"someday", "freitag", "mon to", "m", "fridayz"} {
		_, err := ParseWeekdays(typed)
		assert.Error(t, err, typed)
	}
}

func TestPeriodsAreReadAsTheyAreTyped(t *testing.T) {
	for typed, want := range map[string]Period{
		"1.12.2026 to 24 December 2026": {"2026-12-01", "2026-12-24"},
		"from 1 Dec 2026":               {From: "2026-12-01"},
		"From 1 Dec 2026 to 2026-12-24": {"2026-12-01", "2026-12-24"},
		"until 24.12.2026":              {To: "2026-12-24"},
		"2026-12-06":                    {"2026-12-06", "2026-12-06"},
	} {
		p, err := ParsePeriod(typed)
		require.NoError(t, err, typed)
		assert.Equal(t, want, *p, typed)
	}
	for _, typed := range []string{"", "always"} {
		p, err := ParsePeriod(typed)
		require.NoError(t, err)
		assert.Nil(t, p)
	}
	for _, typed := range []string{"24.12.2026 to 1.12.2026", "until Christmas", "from", "1.12. to 24.12."} {
		_, err := ParsePeriod(typed)
		assert.Error(t, err, typed)
	}
}

func TestAPeriodReadsBackAndHasBothItsEnds(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		day := func(name string) string {
			return Today(time.Date(2026, 1, 1+rapid.IntRange(0, 700).Draw(t, name), 0, 0, 0, 0,
				time.UTC)).Format(time.DateOnly)
		}
		p := &Period{day("from"), day("to")}
		if p.To < p.From {
			p.From, p.To = p.To, p.From
		}
		switch rapid.IntRange(0, 2).Draw(t, "open") {
		case 1:
			p.From = ""
		case 2:
			p.To = ""
		}
		read, err := ParsePeriod(p.String())
		require.NoError(t, err)
		assert.Equal(t, p, read)
		for _, end := range []string{p.From, p.To} {
			if end == "" {
				continue
			}
			at, _ := Date(end)
			assert.True(t, p.Has(at))
		}
		if p.To != "" {
			at, _ := Date(p.To)
			assert.False(t, p.Has(at.AddDate(0, 0, 1)))
		}
	})
}

// A van on Fridays, and goods that are made to order in five working days (common practice, no source).
func TestAMethodLeavesOnItsOwnDays(t *testing.T) {
	shop := &Plan{TimeZone: "Europe/Helsinki", CutOff: "14:00", Holidays: "FI", Closed: []string{"2026-12-11"}}
	five := int64(5)
	for _, c := range []struct {
		own  *Own
		at   string
		want string
	}{
		{nil, "2026-12-07T13:59:00+02:00", "2026-12-07"},
		{nil, "2026-12-07T14:00:00+02:00", "2026-12-08"},
		{&Own{Weekdays: []string{"fri"}}, "2026-12-07T10:00:00+02:00", "2026-12-18"}, // the 11th is closed
		{&Own{CutOff: "09:30"}, "2026-12-07T10:00:00+02:00", "2026-12-08"},
		{&Own{LeadDays: &five}, "2026-12-07T10:00:00+02:00", "2026-12-15"}, // over a closed Friday and a weekend
		{&Own{Weekdays: []string{"fri"}, LeadDays: &[]int64{1}[0]}, "2026-12-01T10:00:00+02:00", "2026-12-18"},
	} {
		cal, err := New(shop.With(c.own))
		require.NoError(t, err)
		at, _ := time.Parse(time.RFC3339, c.at)
		assert.Equal(t, c.want, cal.Leaves(at).Format(time.DateOnly), "%+v %s", c.own, c.at)
	}
	shop.LeadDays = 61
	_, err := New(shop)
	assert.ErrorContains(t, err, "61 lead days")
}
