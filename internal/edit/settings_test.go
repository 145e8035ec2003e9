package edit_test

import (
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/edit"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWhenOrdersLeave(t *testing.T) {
	f := &store.File{Locations: []store.Location{{ID: "shop", Country: "FI", ShipsFrom: true}}}
	require.ErrorContains(t, edit.SetDispatch(f, edit.TimeZone, "UTC", ""), "the cut-off was removed meanwhile")
	require.ErrorContains(t, edit.SetWorkday(f, "sat", true), "the cut-off was removed meanwhile")
	require.Error(t, edit.SetDispatch(f, edit.CutOff, "25:61", ""))
	assert.Nil(t, f.Store.Dispatch, "what was refused makes no plan")

	require.NoError(t, edit.SetDispatch(f, edit.CutOff, " 14:30 ", "Europe/Helsinki"))
	p := f.Store.Dispatch
	assert.Equal(t, "14:30", p.CutOff)
	assert.Equal(t, "Europe/Helsinki", p.TimeZone)
	assert.Equal(t, "FI", p.Holidays, "of the country that the shop ships from")
	assert.Equal(t, []string{"mon", "tue", "wed", "thu", "fri"}, edit.Workdays(p))

	require.NoError(t, edit.SetWorkday(f, "sat", true))
	assert.Equal(t, []string{"mon", "tue", "wed", "thu", "fri", "sat"}, p.Weekdays)
	require.NoError(t, edit.SetWorkday(f, "sat", false))
	assert.Empty(t, p.Weekdays, "Monday to Friday is not written out")
	for _, day := range []string{"mon", "tue", "wed", "thu"} {
		require.NoError(t, edit.SetWorkday(f, day, false))
	}
	require.ErrorContains(t, edit.SetWorkday(f, "fri", false), "has to work on some day")
	assert.Equal(t, []string{"fri"}, p.Weekdays)

	require.NoError(t, edit.SetDispatch(f, edit.CutOff, "", ""))
	assert.Nil(t, f.Store.Dispatch, "without a cut-off there is no plan")
}

func TestHowTheCheckoutAsks(t *testing.T) {
	f := &store.File{}
	assert.Equal(t, store.Checkout{Options: store.OptionsList, Address: store.AskDelivery}, edit.CheckoutOf(f))
	require.NoError(t, edit.SetCheckout(f, edit.CheckoutOptions, "menu"))
	require.NoError(t, edit.SetCheckout(f, edit.CheckoutPrices, "wait"))
	assert.Equal(t, store.Checkout{PricesWait: true, Options: store.OptionsMenu, Address: store.AskDelivery},
		*f.Store.Checkout)
	require.NoError(t, edit.SetCheckout(f, edit.CheckoutOptions, "list"))
	require.NoError(t, edit.SetCheckout(f, edit.CheckoutPrices, "at once"))
	assert.Nil(t, f.Store.Checkout, "what holds by itself is not written out")
	require.ErrorContains(t, edit.SetCheckout(f, "colour", "red"), "choose what to change")
}

func TestSwitchesOfAMethod(t *testing.T) {
	f := &store.File{Methods: []store.Method{{ID: "a", Preselected: true}, {ID: "b"}}}
	b := &f.Methods[1]
	for _, which := range []edit.Switch{edit.Enabled, edit.Taxable, edit.Preselected, edit.Tells} {
		edit.SetSwitch(f, b, which, true)
	}
	assert.True(t, b.Enabled && b.Taxable && b.Preselected)
	assert.Equal(t, store.Tell, b.WhenRefused)
	assert.False(t, f.Methods[0].Preselected, "only one is")
	edit.SetSwitch(f, b, edit.Tells, false)
	assert.Equal(t, store.Hide, b.WhenRefused)

	require.NoError(t, edit.SetKind(f, b, store.Pickup))
	require.ErrorContains(t, edit.SetKind(f, b, "by air"), "choose whether")
	assert.Equal(t, store.Pickup, b.Kind)
	require.ErrorContains(t, edit.SetKind(f, b, store.CarrierKind), "connect a carrier first")
	require.NoError(t, edit.NameMethod(b, " Van  run "))
	require.NoError(t, edit.LabelMethod(b, "By van"))
	assert.Equal(t, []string{"Van run", "By van"}, []string{b.Name, b.Label})
}

func TestZonesOfATableReplaceAndAdd(t *testing.T) {
	f := &store.File{Zones: []store.Zone{{ID: "a", Name: "A"}, {ID: "b", Name: "B"}}}
	edit.PutZones(f, []store.Zone{{ID: "c", Name: "C"}, {ID: "a", Name: "New"}})
	assert.Equal(t, []store.Zone{{ID: "a", Name: "New"}, {ID: "b", Name: "B"}, {ID: "c", Name: "C"}}, f.Zones)
}
