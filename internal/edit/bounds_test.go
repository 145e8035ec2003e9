package edit

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestALowestAndAHighestPriceTypedIntoACell(t *testing.T) {
	f := threeMethods(t)
	for typed, want := range map[string]Bounds{
		"min 5":                        {Minimum: "5.00"},
		"5 %, min 4.00, max 20":        {Rest: "5 %", Minimum: "4.00", Maximum: "20.00"},
		"1.20 per kg at least 6":       {Rest: "1.20 per kg", Minimum: "6.00"},
		"at most €30":                  {Maximum: "30.00"},
		"Minimum: 5 EUR":               {Minimum: "5.00"},
		"2 + 1 per item capped at 12,": {Rest: "2 + 1 per item", Maximum: "12.00"},
	} {
		got, ok := BoundsTyped(f, typed)
		assert.True(t, ok, typed)
		assert.Equal(t, want, got, typed)
	}
	for _, typed := range []string{"5", "min", "min 5 min 6", "soon, min 5", "5 per mine 4", "minute 5", ""} {
		_, ok := BoundsTyped(f, typed)
		assert.False(t, ok, typed)
	}
	m := f.Method("parcel")
	cell := Cell{Zone: "se"}
	require.NoError(t, SetBounds(f, m, &m.Tables[0], cell, "9.00", Bounds{Rest: "5 %", Minimum: "4.00",
		Maximum: "20.00"}))
	sound(t, f)
	assert.Equal(t, "4", m.TermsIn("se").Minimum.String())
	assert.Equal(t, "20", m.TermsIn("se").Maximum.String())
	assert.Nil(t, m.TermsIn("fi").Minimum, "it is a term of that zone alone")
	var conflict *Conflict
	assert.ErrorAs(t, SetBounds(f, m, &m.Tables[0], cell, "9.00", Bounds{Rest: "7 %"}), &conflict)
}
