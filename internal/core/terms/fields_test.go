package terms

import (
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func method(f *store.File, id string) *store.Method {
	for i := range f.Methods {
		if f.Methods[i].ID == id {
			return &f.Methods[i]
		}
	}
	return nil
}

func TestEveryTermIsSetAndReadBack(t *testing.T) {
	f := storetest.Lauha(t)
	m := method(f, "parcel")
	for field, text := range map[Field]string{Days: "1 to 2 working days", FreeFrom: "from 99.00", Minimum: "4.00",
		Maximum: "60.00", Handling: "1.00 + 2 % of goods", Weight: "up to 25 kg", BilledWeight: "up to 30 kg",
		LongestSide: "up to 100 cm", Subtotal: "from 10.00", Quantity: "1 item to 9 items", Distance: "up to 900 km",
		OnlyClasses: "Soft and flat, Must not fly", Without: "Bulky", Coupons: "LÖYLY", Groups: "trade"} {
		require.NoError(t, Set(f, m, "", field, text), field)
		got, own := Text(f, m, "", field)
		assert.Equal(t, text, got, field)
		assert.True(t, own, field)
		got, own = Text(f, m, "finland", field)
		if field != Offered {
			assert.Equal(t, text, got, "%s in a zone is as everywhere", field)
			assert.False(t, own, field)
		}
	}
	_, faults := store.Read(f.Write())
	assert.Empty(t, faults)
	for _, field := range Fields[1:] {
		require.NoError(t, Set(f, m, "", field, ""), field)
	}
	assert.Nil(t, m.Needs)
	assert.Nil(t, m.Free)
}

func TestAZoneHasTermsOfItsOwn(t *testing.T) {
	f := storetest.Lauha(t)
	m := method(f, "locker") // up to 15 kg, longest side up to 60 cm, free from 90
	require.NoError(t, Set(f, m, "aland", Weight, "up to 10"))
	got, own := Text(f, m, "aland", Weight)
	assert.Equal(t, "up to 10 kg", got)
	assert.True(t, own)
	got, own = Text(f, m, "aland", LongestSide)
	assert.Equal(t, "up to 60 cm", got, "its conditions begin as the method's")
	assert.True(t, own)
	require.NoError(t, Set(f, m, "aland", LongestSide, "any"))
	got, _ = Text(f, m, "aland", LongestSide)
	assert.Empty(t, got)
	assert.ErrorContains(t, Set(f, m, "aland", Weight, "any"), "has the method's")
	require.NoError(t, Set(f, m, "aland", Weight, ""))
	require.NoError(t, Set(f, m, "aland", LongestSide, ""))
	assert.NotContains(t, m.Terms, "aland", "as everywhere again")
	require.NoError(t, Set(f, m, "aland", Offered, "no"))
	require.NoError(t, Set(f, m, "aland", Days, "5 days"))
	require.NoError(t, Set(f, m, "aland", Offered, "yes"))
	assert.Equal(t, "5 days", FormatDays(m.Terms["aland"].Days))
	assert.ErrorContains(t, Set(f, m, "aland", FreeFrom, "no"), "nobody reaches")
	assert.ErrorContains(t, Set(f, m, "", OnlyClasses, "Odd"), "there is no class")
	assert.ErrorContains(t, Set(f, m, "", Offered, "perhaps"), "yes or no")
	assert.Error(t, Set(f, m, "", "colour", "red"))
}
