package edit_test

import (
	"fmt"
	"testing"

	"diadrom/internal/core/place"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/edit"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func read(text string) *typed.Text {
	t := typed.Reader{Home: "FI"}.Text(text)
	return &t
}

func words(rules []place.Rule) (all []string) {
	for i := range rules {
		all = append(all, rules[i].Words()...)
	}
	return all
}

func TestAZoneIsNamedAfterItsPlaces(t *testing.T) {
	for typed, name := range map[string]string{
		"Finland":                  "Finland",
		"FI-19":                    "Southwest Finland",
		"Norway, Sweden":           "Norway and 1 more",
		"21100 21110 21120":        "Finland 21100 and 2 more",
		"Åland Islands":            "Åland Islands",
		"FI 22*, not FI 22150":     "Finland 22*",
		"21160 to 21190, Estonia":  "Finland 21160 to 21190 and 1 more",
		"everywhere, not Svalbard": "everywhere",
	} {
		f := storetest.Lauha(t)
		id, err := edit.AddZone(f, read(typed))
		if !assert.NoError(t, err, typed) {
			continue
		}
		z := f.Zone(id)
		assert.Equal(t, name, z.Name, typed)
		assert.True(t, z.Enabled)
	}
}

func TestATextOfWhichNothingCanBeUsedMakesNoZone(t *testing.T) {
	for typed, says := range map[string]string{
		"":             "name a place",
		"2110":         "2110 is not a whole postcode of Finland",
		"1, 2, 3, 4":   "none of these can be taken",
		"not FI 21180": "say first what the zone takes",
	} {
		f := storetest.Lauha(t)
		n := len(f.Zones)
		_, err := edit.AddZone(f, read(typed))
		require.ErrorContains(t, err, says, typed)
		assert.Len(t, f.Zones, n)
	}
}

func TestPlacesOfAZone(t *testing.T) {
	z := &store.Zone{ID: "z"}
	require.NoError(t, edit.AddPlaces(z, read("21100 21110, Estonia, not FI 21100")))
	again := read("21110 21120, Estonia")
	require.NoError(t, edit.AddPlaces(z, again))
	assert.Equal(t, []string{"FI 21110", "Estonia"}, again.Repeats)
	assert.Equal(t, 1, again.Taken)
	assert.Equal(t, []string{"FI 21100", "FI 21110", "FI 21120", "Estonia"}, words(z.Places))
	require.ErrorContains(t, edit.AddPlaces(z, read("Estonia")), "Estonia is in this zone already")
	require.ErrorContains(t, edit.AddPlaces(z, read("2110")), "not a whole postcode")

	for _, p := range []edit.Part{{Rule: -1}, {Rule: 9}, {Code: -1}, {Code: 9}, {Code: 0}, {Except: true, Rule: 1}} {
		require.ErrorContains(
			t,
			edit.RemovePlace(z, p, "FI 21110"),
			"FI 21110 is not in this zone any more",
			p,
		)
	}
	require.NoError(t, edit.RemovePlace(z, edit.Part{Code: 1}, "FI 21110"))
	require.NoError(t, edit.RemovePlace(z, edit.Part{Rule: 1}, "Estonia"))
	require.NoError(t, edit.RemovePlace(z, edit.Part{Except: true}, "FI 21100"))
	assert.Equal(t, []string{"FI 21100", "FI 21120"}, words(z.Places))
	assert.Empty(t, z.Except)
}

func TestCodesAddedTwiceAreThereOnce(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		z := &store.Zone{}
		codes := rapid.SliceOfN(rapid.IntRange(21100, 21130), 1, 20).Draw(t, "codes")
		distinct := map[int]bool{}
		for _, code := range codes {
			err := edit.AddPlaces(z, read(fmt.Sprintf("FI %05d", code)))
			assert.Equal(t, distinct[code], err != nil)
			distinct[code] = true
		}
		assert.Len(t, words(z.Places), len(distinct))
	})
}

func TestAZoneWithPricesStays(t *testing.T) {
	f, m, list := shop(t, rate.ByWeight, rate.UpTo, "2 | 4.90 | 6.90")
	a := f.Zone("a")
	m.Name = "Post"
	require.ErrorContains(t, edit.RemoveZone(f, a), "A has prices in Post: remove its column there first")
	require.NoError(t, edit.RemoveColumn(m, list, "a"))
	require.NoError(t, edit.RemoveZone(f, a))
	gone, i := f.Zone("a"), f.ZoneIndex("a")
	assert.Nil(t, gone)
	assert.Equal(t, -1, i)
	b := f.Zone("b")
	require.ErrorContains(t, edit.NameZone(f, b, "c"), "another zone is called C already")
	require.NoError(t, edit.NameZone(f, b, "B"), "as it is called already")
}

func TestAPinnedZoneComesBeforeThoseThatArePinned(t *testing.T) {
	f, _, _ := shop(t, rate.ByWeight, rate.UpTo, "2 | 4.90")
	for _, id := range []string{"a", "b", "c"} {
		z := f.Zone(id)
		edit.PinZone(f, z, true)
	}
	rank := func(id string) int64 { z := f.Zone(id); return *z.Rank }
	assert.Less(t, rank("c"), rank("b"))
	assert.Less(t, rank("b"), rank("a"))
	c := f.Zone("c")
	edit.PinZone(f, c, false)
	assert.Nil(t, c.Rank)
}

func TestUnitsStayOnceThereAreNumbersInThem(t *testing.T) {
	f := storetest.Lauha(t)
	is := edit.Shop{
		Name:     "Lauha & co.",
		Currency: "eur ",
		Weight:   f.Store.WeightUnit,
		Distance: f.Store.DistanceUnit,
	}
	require.NoError(t, edit.SetShop(f, is))
	assert.Equal(t, "Lauha & co.", f.Store.Name)
	is.Weight = "lb"
	require.ErrorContains(t, edit.SetShop(f, is), "another currency or unit would change what they mean")
	f.Products, f.Methods = nil, nil
	require.ErrorContains(t, edit.SetShop(f, is), "would change what they mean", "boxes have sides and weights")
	f.Boxes = nil
	require.NoError(t, edit.SetShop(f, is))
	assert.Equal(t, "lb", f.Store.WeightUnit)
	is.Name = ""
	require.ErrorContains(t, edit.SetShop(f, is), "a name is needed")
}
