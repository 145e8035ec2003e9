package terms

import (
	"testing"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTermsOfAWholeMethod(t *testing.T) {
	f := &store.File{Locations: []store.Location{{ID: "hall", Name: "Market hall"}}}
	m := &store.Method{}
	require.ErrorContains(t, Set(f, m, "", LeavesOn, "fri"), "say for the shop first")
	f.Store.Dispatch = &calendar.Plan{TimeZone: "UTC", CutOff: "14:00"}
	for _, c := range []struct {
		field       Field
		typed, text string
	}{
		{Available, "1.12.2026 to 24.12.2026", "1 December 2026 to 24 December 2026"},
		{LeavesOn, "Fridays and mon", "mon, fri"},
		{CutOff, "9.30", "09:30"},
		{LeadDays, "5 working days", "5"},
		{LeadDays, "0", "0"},
		{From, "market HALL", "Market hall"},
		{Divisor, "5000", "5000"},
	} {
		require.NoError(t, Set(f, m, "", c.field, c.typed), c.typed)
		text, own := Text(f, m, "", c.field)
		assert.Equal(t, c.text, text)
		assert.True(t, own)
		require.NoError(t, Set(f, m, "", c.field, text), "what is shown reads back")
		again, _ := Text(f, m, "", c.field)
		assert.Equal(t, text, again)

		other := &store.Method{}
		assert.False(t, Same(m, other, "", c.field))
		Copy(other, m, "", c.field)
		assert.True(t, Same(m, other, "", c.field), c.field)
	}
	for field, typed := range map[Field]string{
		Available: "for ever", LeavesOn: "someday", CutOff: "25:00", LeadDays: "61", From: "Moon", Divisor: "0",
	} {
		assert.Error(t, Set(f, m, "", field, typed), field)
		assert.ErrorContains(t, Set(f, m, "z", field, ""), "for the whole method")
		require.NoError(t, Set(f, m, "", field, ""))
		text, own := Text(f, m, "", field)
		assert.Empty(t, text)
		assert.False(t, own)
	}
	assert.Equal(t, &store.Method{}, m, "nothing is left over")
}
