package edit_test

import (
	"strings"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// asking is a shop with a carrier and a method that asks it.
func asking(t require.TestingT) (*store.File, *store.Method) {
	f, faults := store.Read([]byte(`{"format":"diadrom-store/1","store":{"currency":"EUR"},"zones":[{"id":"fi",
	"name":"Finland","places":[{"country":"FI"}]}]}`))
	require.Empty(t, faults)
	require.NoError(t, edit.AddCarrier(f, " Kuikka Post ", " https://kuikka.example/rates/ "))
	require.NoError(t, edit.AddCarrierMethod(f, "kuikka-post", "", []string{"express", "parcel"}))
	return f, &f.Methods[0]
}

// sound checks that a store file holds together as it would be written.
func sound(t require.TestingT, f *store.File) {
	_, faults := store.Read(f.Write())
	require.Empty(t, faults)
}

func TestACarrierIsConnectedAndAsked(t *testing.T) {
	f, m := asking(t)
	assert.Equal(t, []store.Carrier{{ID: "kuikka-post", Name: "Kuikka Post", URL: "https://kuikka.example/rates"}},
		f.Carriers)
	assert.Equal(t, store.CarrierKind, m.Kind)
	assert.Equal(t, "Kuikka Post", m.Name)
	assert.Equal(t, &store.Asks{ID: "kuikka-post", Fallback: true, Services: []store.Service{
		{Code: "express", Enabled: true}, {Code: "parcel", Enabled: true}}}, m.Carrier)
	assert.Equal(t, []string{"fi"}, m.ServedZones(), "all zones, before anything has a price")
	sound(t, f)

	require.ErrorContains(t, edit.RemoveCarrier(f, "kuikka-post"), "Kuikka Post asks it")
	for _, bad := range []string{"", "kuikka", "ftp://kuikka.example", "https://u:p@kuikka.example",
		"https://k.example?a=1",
		"https://" + strings.Repeat("k", 600) + ".example"} {
		require.ErrorContains(t, edit.MoveCarrier(f, "kuikka-post", bad), "is not the address of a service", bad)
		require.Error(t, edit.AddCarrier(f, "Other", bad))
	}
	require.Error(t, edit.AddCarrier(f, " ", "https://other.example"))
	require.Error(t, edit.NameCarrier(f, "kuikka-post", ""))
	assert.Equal(t, "Kuikka Post", f.Carriers[0].Name)
	require.NoError(t, edit.NameCarrier(f, "kuikka-post", "Kuikka"))
	require.ErrorContains(t, edit.NameCarrier(f, "nobody", "X"), "removed meanwhile")
	require.NoError(t, edit.RemoveMethod(f, m.ID))
	require.NoError(t, edit.RemoveCarrier(f, "kuikka-post"))
	assert.Empty(t, f.Carriers)
}

func TestServicesOfAMethod(t *testing.T) {
	f, m := asking(t)
	require.NoError(t, edit.AddService(m, " night ", true))
	require.ErrorContains(t, edit.AddService(m, "night", true), "night is there already")
	require.ErrorContains(t, edit.AddService(m, " ", true), "the carrier's code")
	require.NoError(t, edit.SetService(m, "night", edit.ServiceLabel, " By night "))
	require.NoError(t, edit.SetService(m, "night", edit.ServiceDays, "1 to 2 working days"))
	require.NoError(t, edit.SetService(m, "parcel", edit.ServiceOn, ""))
	require.Error(t, edit.SetService(m, "night", edit.ServiceDays, "soon"))
	require.ErrorContains(t, edit.SetService(m, "gone", edit.ServiceOn, "on"), "removed meanwhile")
	require.NoError(t, edit.StepService(m, "night", true))
	require.NoError(t, edit.StepService(m, "night", true))
	require.NoError(t, edit.StepService(m, "night", true), "the first stays first")
	assert.Equal(t, []store.Service{{Code: "night", Label: "By night", Enabled: true, Days: &store.Days{Min: 1, Max: 2,
		Business: true}}, {Code: "express", Enabled: true}, {Code: "parcel"}}, m.Carrier.Services)
	sound(t, f)
	require.NoError(t, edit.SetService(m, "night", edit.ServiceLabel, ""))
	require.NoError(t, edit.SetService(m, "night", edit.ServiceDays, ""))
	require.NoError(t, edit.RemoveService(m, "express"))
	assert.Equal(t, []store.Service{{Code: "night", Enabled: true}, {Code: "parcel"}}, m.Carrier.Services)
}

func TestWhatAMethodMakesOfACarriersPrice(t *testing.T) {
	number := func(d *decimal.Decimal) string {
		if d == nil {
			return ""
		}
		return d.String()
	}
	for _, tt := range []struct {
		field       edit.AsksField
		typed, want string
		slip        string
	}{
		{edit.AsksPercent, "10 %", "10", ""},
		{edit.AsksPercent, " -7,5", "-7.5", ""},
		{edit.AsksPercent, "−5 %", "-5", ""},
		{edit.AsksPercent, "+5", "5", ""},
		{edit.AsksPercent, "0", "", ""},
		{edit.AsksPercent, "", "", ""},
		{edit.AsksPercent, "-100 %", "-100", ""},
		{edit.AsksPercent, "-100.1", "", "takes more off than there is"},
		{edit.AsksPercent, "-", "", "is not a percentage"},
		{edit.AsksPercent, "ten", "", "is not a percentage"},
		{edit.AsksPercent, "--5", "", "is not a percentage"},
		{edit.AsksAmount, "0.50", "0.5", ""},
		{edit.AsksAmount, "-1,20", "-1.2", ""},
		{edit.AsksAmount, "-1 EUR", "-1", ""},
		{edit.AsksAmount, "1.2.3", "", "takes something off"},
		{edit.AsksAmount, "lots", "", "takes something off"},
	} {
		f, m := asking(t)
		err := edit.SetAsks(f, m, tt.field, tt.typed)
		if tt.slip != "" {
			require.ErrorContains(t, err, tt.slip, tt.typed)
			continue
		}
		require.NoError(t, err, tt.typed)
		is := m.Carrier.Percent
		if tt.field == edit.AsksAmount {
			is = m.Carrier.Amount
		}
		assert.Equal(t, tt.want, number(is), tt.typed)
		sound(t, f)
	}
	f, m := asking(t)
	require.NoError(t, edit.AddCarrier(f, "Vaaru", "https://vaaru.example"))
	require.NoError(t, edit.SetAsks(f, m, edit.AsksCarrier, "vaaru"))
	require.NoError(t, edit.SetAsks(f, m, edit.AsksFallback, ""))
	assert.Equal(t, "vaaru", m.Carrier.ID)
	assert.False(t, m.Carrier.Fallback)
	require.ErrorContains(t, edit.SetAsks(f, m, edit.AsksCarrier, "nobody"), "removed meanwhile")
	require.NoError(t, edit.SetKind(f, m, store.Delivery))
	require.NoError(t, edit.SetKind(f, m, store.CarrierKind))
	assert.Equal(t, "vaaru", m.Carrier.ID, "what it asked is there again")
}

// Whatever is typed, the store file stays one that is read again.
func TestWhateverIsTypedOfCarriersIsReadAgain(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f, m := asking(t)
		for range rapid.IntRange(1, 8).Draw(t, "edits") {
			typed := rapid.SampledFrom([]string{"", "on", "express", "parcel", "5", "-3,20", "200 %", "1 to 3 days",
				"https://x.example", "kuikka-post", rapid.String().Draw(t, "text")}).Draw(t, "typed")
			code := rapid.SampledFrom([]string{"express", "parcel", typed}).Draw(t, "code")
			switch rapid.IntRange(0, 6).Draw(t, "what") {
			case 0:
				_ = edit.AddService(m, typed, true)
			case 1:
				_ = edit.SetService(m, code, rapid.SampledFrom([]edit.ServiceField{edit.ServiceOn, edit.ServiceLabel,
					edit.ServiceDays, "x"}).Draw(t, "field"), typed)
			case 2:
				_ = edit.StepService(m, code, len(typed)%2 == 0)
			case 3:
				_ = edit.RemoveService(m, code)
			case 4, 5:
				_ = edit.SetAsks(f, m, rapid.SampledFrom([]edit.AsksField{edit.AsksCarrier, edit.AsksPercent,
					edit.AsksAmount, edit.AsksFallback, "x"}).Draw(t, "asks"), typed)
			case 6:
				_ = edit.MoveCarrier(f, "kuikka-post", typed)
			}
		}
		sound(t, f)
	})
}
