package edit

import (
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/review/changes"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// threeMethods is a store with three methods; freight has a delivery time of its own.
func threeMethods(t *testing.T) *store.File {
	t.Helper()
	table := `"tables": [{"id": "l", "zones": ["fi", "se"], "by": "order", "rows": [{"at": null, "charges": ["6",
		 "9"]}]}]`
	f, faults := store.Read([]byte(`{"format": "diadrom-store/1", "store": {"currency": "EUR"},
		"zones": [{"id": "fi", "name": "Finland", "places": [{"country": "FI"}]},
		{"id": "se", "name": "Sweden", "places": [{"country": "SE"}]}, {"id": "no", "places": [{"country": "NO"}]}],
		"methods": [{"id": "parcel", "name": "Parcel", ` + table + `}, {"id": "letter", "name": "Letter", ` + table +
		`},
		{"id": "freight", "name": "Freight", "days": {"min": 4, "max": 8, "business": true}, ` + table + `}]}`))
	require.Empty(t, faults)
	return f
}

// sound says that a store holds together after an edit, and reads back as it was written.
func sound(t *testing.T, f *store.File) {
	t.Helper()
	again, faults := store.Read(f.Write())
	require.Empty(t, faults)
	assert.Equal(t, string(f.Write()), string(again.Write()))
}

func TestADefaultIsSetOnceAndFollowed(t *testing.T) {
	f := threeMethods(t)
	before := f.Clone()
	assert.True(t, Follows(f, f.Method("parcel"), terms.Days), "it has none of its own")
	assert.False(t, Follows(f, f.Method("freight"), terms.Days))
	require.NoError(t, SetSeveral(f, Several{Field: terms.Days, Text: "2-4", Default: true,
		Methods: []string{"parcel", "letter"}}))
	sound(t, f)
	assert.Equal(t, "2 to 4 working days", DefaultText(f, terms.Days))
	assert.Equal(t, []string{
		"The shop, default delivery time: nothing → 2 to 4 working days",
		"Parcel, days: nothing → 2 to 4 working days",
		"Letter, days: nothing → 2 to 4 working days",
	}, changes.Sentences(changes.Between(changes.Of(before), changes.Of(f))))

	require.NoError(t, SetSeveral(f, Several{Field: terms.Days, Text: "1-3", Default: true,
		Methods: []string{"parcel", "letter"}}), "a later change applies to all")
	sound(t, f)
	assert.Equal(t, int64(3), f.Method("letter").Days.Max)
	assert.Equal(t, int64(8), f.Method("freight").Days.Max)

	days := Term{Field: terms.Days}
	assert.Equal(t, "", TermText(f, f.Method("letter"), days), "an inherited term is not its own")
	require.NoError(t, SetTerm(f, f.Method("letter"), days, "", "5-7"))
	sound(t, f)
	assert.Equal(t, "5 to 7 working days", TermText(f, f.Method("letter"), days))
	require.NoError(t, SetTerm(f, f.Method("letter"), days, "5 to 7 working days", "none"))
	sound(t, f)
	assert.Nil(t, f.Method("letter").Days)
	assert.Equal(t, None, TermText(f, f.Method("letter"), days), "none reads back as such")
	require.NoError(t, SetTerm(f, f.Method("letter"), days, None, ""))
	sound(t, f)
	assert.True(t, f.Method("letter").Inheriting(store.InheritDays), "an empty cell inherits again")

	zones := f.Method("parcel").TermsIn("se").Days
	assert.Equal(t, int64(3), zones.Max, "zones without days of their own have them from the method")
	require.NoError(t, SetSeveral(f, Several{Field: terms.Days, Text: "", Default: true, Methods: []string{"parcel"}}))
	sound(t, f)
	assert.Nil(t, f.Method("parcel").Days)
	assert.Equal(t, int64(3), f.Method("letter").Days.Max, "one that no longer inherits keeps what it had")
	assert.Empty(t, f.Method("letter").Inherits)
}

func TestANewMethodInheritsTheDefaults(t *testing.T) {
	f := threeMethods(t)
	require.NoError(t, SetSeveral(f, Several{Field: terms.FreeFrom, Text: "75", Default: true}))
	require.NoError(t, SetSeveral(f, Several{Field: TaxedField, Text: "no", Default: true}))
	require.NoError(t, AddMethod(f, "Locker", "weight", store.Delivery))
	sound(t, f)
	m := f.Method("locker")
	assert.Equal(t, []store.Inherited{store.InheritFree, store.InheritTaxable}, m.Inherits)
	assert.Equal(t, "75", m.Free.Subtotal.String())
	assert.False(t, m.Taxable)
	SetSwitch(f, m, Taxable, true)
	sound(t, f)
	assert.Equal(t, []store.Inherited{store.InheritFree}, m.Inherits)
}

func TestConditionsAreInheritedTogether(t *testing.T) {
	f := threeMethods(t)
	all := []string{"parcel", "letter", "freight"}
	require.NoError(t, SetSeveral(f, Several{Field: terms.Weight, Text: "up to 30", Default: true, Methods: all}))
	require.NoError(t, SetSeveral(f, Several{Field: terms.LongestSide, Text: "120", Default: true, Methods: all}))
	sound(t, f)
	assert.Equal(t, "30", f.Method("letter").Needs.Weight.To.String())
	require.NoError(t, SetTerm(f, f.Method("letter"), Term{Field: terms.Weight}, "", "up to 2 kg"))
	sound(t, f)
	assert.Equal(t, "120", f.Method("letter").Needs.LongestSide.To.String(), "the others stay as they were")
	assert.False(t, f.Method("letter").Inheriting(store.InheritNeeds))
	assert.True(t, f.Method("parcel").Inheriting(store.InheritNeeds))
}

func TestATermForSeveralMethodsAndZones(t *testing.T) {
	f := threeMethods(t)
	require.NoError(t, SetSeveral(f, Several{Field: terms.Handling, Text: "1.50", Methods: []string{"parcel",
		"letter"}}))
	require.NoError(t, SetSeveral(f, Several{Field: terms.Days, Text: "5-9", Methods: []string{"parcel", "freight"},
		Zones: []string{"se"}}))
	sound(t, f)
	assert.Equal(t, "1.5", f.Method("letter").Handling.Amount.String())
	assert.Nil(t, f.Method("freight").Handling)
	assert.Equal(t, int64(9), f.Method("freight").TermsIn("se").Days.Max)
	assert.Equal(t, int64(8), f.Method("freight").TermsIn("fi").Days.Max)
	two := Several{Field: terms.Days, Text: "3", Methods: []string{"parcel"}, Zones: []string{"no", "fi"}}
	require.NoError(t, SetSeveral(f, two))
	assert.Equal(t, []string{"Parcel to no"}, two.LeftOut(f), "it has no prices there, which is said")
	assert.EqualValues(t, 3, f.Method("parcel").TermsIn("fi").Days.Max)
	for want, s := range map[string]Several{
		"choose at least one method": {Field: terms.Days, Text: "2"},
		"choose what is set":         {Field: "colour", Text: "2"},
		"Parcel: write it as 2 to 4": {Field: terms.Days, Text: "soon", Methods: []string{"parcel"}},
		"none of these methods has a price": {Field: terms.Days, Text: "2", Methods: []string{"parcel"},
			Zones: []string{"no"}},
		"removed meanwhile":               {Field: terms.Days, Text: "2", Methods: []string{"gone"}},
		"a default is for everywhere":     {Field: terms.Days, Text: "2", Default: true, Zones: []string{"se"}},
		"this has no default":             {Field: terms.LeadDays, Text: "2", Default: true},
		"write it as 2 to 4 working days": {Field: terms.Days, Text: "soon", Default: true},
		"Parcel: choose the zones":        {Field: terms.Offered, Text: "no", Methods: []string{"parcel"}},
		"Parcel: this holds for the whole": {Field: terms.Divisor, Text: "5000", Methods: []string{"parcel"},
			Zones: []string{"se"}},
		"Parcel: a method is taxed": {Field: TaxedField, Text: "no", Methods: []string{"parcel"},
			Zones: []string{"se"}},
		"write yes or no": {Field: TaxedField, Text: "maybe", Default: true},
	} {
		assert.ErrorContains(t, SetSeveral(f.Clone(), s), want)
	}
}

// Whatever is put back by itself, the store holds together: methods follow a default, or have of their own what
// differs.
func TestAnyChangeOfDefaultsIsPutBackByItself(t *testing.T) {
	before := threeMethods(t)
	require.NoError(t, SetSeveral(before, Several{Field: terms.Days, Text: "2-4", Default: true,
		Methods: []string{"parcel", "letter"}}))
	after := before.Clone()
	require.NoError(t, SetSeveral(after, Several{Field: terms.Days, Text: "1-3", Default: true,
		Methods: []string{"parcel", "freight"}}))
	list := changes.Between(changes.Of(before), changes.Of(after))
	require.NotEmpty(t, list)
	for i := range list {
		f := after.Clone()
		if err := list[i].PutBack(f); err != nil {
			require.ErrorContains(t, err, "the shop's default is another by now", list[i].String())
			continue
		}
		sound(t, f)
	}
	all := after.Clone()
	for i := range list {
		require.NoError(t, list[i].PutBack(all))
	}
	sound(t, all)
}
