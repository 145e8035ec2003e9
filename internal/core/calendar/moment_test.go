package calendar

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// The clocks of the EU go forward on the last Sunday of March and back on the last Sunday of October, at 1:00 UTC
// (Directive 2000/84/EC).
func TestMomentsAreReadAsTheyAreTyped(t *testing.T) {
	helsinki, err := Location("Europe/Helsinki")
	require.NoError(t, err)
	for typed, want := range map[string]string{
		"2026-12-01 08:00":  "2026-12-01T08:00:00+02:00",
		"2026-12-01T8:00":   "2026-12-01T08:00:00+02:00",
		"1.12.2026 8.30":    "2026-12-01T08:30:00+02:00",
		"2026-12-01, 08:00": "2026-12-01T08:00:00+02:00",
		" 2026-12-01 ":      "2026-12-01T00:00:00+02:00",
		"2026-12-31 24:00":  "2027-01-01T00:00:00+02:00",
		"2026-07-01 00:00":  "2026-07-01T00:00:00+03:00",
		"2026-10-25 03:30":  "2026-10-25T03:30:00+03:00", // shown twice: the first
	} {
		got, err := ParseMoment(typed, helsinki)
		require.NoError(t, err, typed)
		assert.Equal(t, want, got.Format(time.RFC3339), typed)
	}
	for typed, want := range map[string]string{
		"":                 "is not a date and time",
		"tomorrow":         "is not a date and time",
		"2026-02-30 08:00": "is not a date and time",
		"2026-12-01 25:00": "is not a date and time",
		"08:00":            "is not a date and time",
		"2026-03-29 03:30": "03:30 does not exist on 29 March 2026",
	} {
		_, err := ParseMoment(typed, helsinki)
		assert.ErrorContains(t, err, want, typed)
	}
}

func TestAMomentReadsBackAsWritten(t *testing.T) {
	zone, err := Location("America/New_York")
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		at := time.Unix(rapid.Int64Range(0, 4e9).Draw(t, "at")/60*60, 0).In(zone)
		got, err := ParseMoment(at.Format("2006-01-02 15:04"), zone)
		require.NoError(t, err)
		assert.Equal(t, at.Format("2006-01-02 15:04"), got.Format("2006-01-02 15:04"))
	})
}
