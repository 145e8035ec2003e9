package store

import (
	"slices"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/rate"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// dent changes a file in a way that may leave it with faults: what others refer to goes, circles lose their middle, ids
// stand twice.
func dent(t *rapid.T, f *File) {
	pick := func(n int) int { return rapid.IntRange(0, n-1).Draw(t, "at") }
	switch rapid.IntRange(0, 15).Draw(t, "kind") {
	case 0:
		if len(f.Zones) > 1 {
			i := pick(len(f.Zones))
			f.Zones = slices.Delete(f.Zones, i, i+1)
		}
	case 1:
		if len(f.Classes) > 0 {
			i := pick(len(f.Classes))
			f.Classes = slices.Delete(f.Classes, i, i+1)
		}
	case 2:
		if len(f.Locations) > 0 {
			i := pick(len(f.Locations))
			f.Locations = slices.Delete(f.Locations, i, i+1)
		}
	case 3:
		if len(f.Methods) > 1 {
			i := pick(len(f.Methods))
			f.Methods = slices.Delete(f.Methods, i, i+1)
		}
	case 4:
		l := &f.Locations[pick(len(f.Locations))]
		lat := decimal.FromInt(int64(60 + pick(5)))
		l.Lat, l.Lon = &lat, &lat
		l.Name += "!"
	case 5:
		f.Zones[pick(len(f.Zones))].Places = []place.Rule{{Within: &place.Within{
			Location: f.Locations[pick(len(f.Locations))].ID, Distance: decimal.FromInt(5)}}}
	case 6:
		f.Products[pick(len(f.Products))].SKU = f.Products[pick(len(f.Products))].SKU
	case 7:
		f.Zones[pick(len(f.Zones))].ID = f.Zones[pick(len(f.Zones))].ID
	case 8:
		p := &f.Products[pick(len(f.Products))]
		p.Class = []string{"", "nowhere", "oils"}[pick(3)]
	case 9:
		if m := &f.Methods[pick(len(f.Methods))]; len(m.Tables) > 0 && len(m.Tables[0].Rows) > 0 {
			d := decimal.FromInt(int64(pick(9)))
			m.Tables[0].Rows[0].Charges[0] = &rate.Charge{Base: &d}
		}
	case 10:
		f.Store.DistanceUnit = []string{"km", "mi"}[pick(2)]
	case 11:
		f.Store.Dispatch = nil
	case 12:
		i, j := pick(len(f.Methods)), pick(len(f.Methods))
		f.Methods[i], f.Methods[j] = f.Methods[j], f.Methods[i]
	case 13:
		m := &f.Methods[pick(len(f.Methods))]
		m.Inherits = append(m.Inherits, InheritDays)
	case 14:
		m := &f.Methods[pick(len(f.Methods))]
		m.Needs = &Needs{OnlyClasses: []string{f.Classes[0].ID, "nowhere"}[:1+pick(2)]}
	case 15:
		f.Surcharges = append(f.Surcharges, Surcharge{ID: "s", Methods: []string{f.Methods[0].ID},
			Places: []place.Rule{{Within: &place.Within{Location: f.Locations[0].ID, Distance: decimal.One}}}})
	}
}

// Taking a changed file apart from what it was before is taking it apart anew: the same entries, the same faults, and
// the same middles of circles. What was before stays as it was.
func TestTakingApartAgainIsTakingApart(t *testing.T) {
	first := lauha(t)
	rapid.Check(t, func(t *rapid.T) {
		file := first.Clone()
		parts := file.Split()
		for range rapid.IntRange(1, 6).Draw(t, "edits") {
			was := string(file.Write())
			next := file.Clone()
			for range rapid.IntRange(1, 2).Draw(t, "dents") {
				if len(next.Locations) > 0 && len(next.Classes) > 0 {
					dent(t, next)
				}
			}
			anew := next.Clone()
			whole, want := anew.SplitAgain(nil, nil)
			again, got := next.SplitAgain(file, parts)
			require.Equal(t, want, got)
			require.Equal(t, was, string(file.Write()), "what was before has changed")
			if len(got) > 0 {
				continue
			}
			require.Equal(t, whole.Lists, again.Lists)
			require.Equal(t, whole.Settings, again.Settings)
			require.Equal(t, whole.index, again.index)
			require.Equal(t, string(anew.Write()), string(next.Write()))
			require.Equal(t, anew.Zones, next.Zones, "circles lie where their locations do")
			file, parts = next, again
		}
	})
}

// What did not change is shared, so that a state costs what it changes.
func TestUnchangedPartsAreShared(t *testing.T) {
	f := lauha(t)
	parts := f.Split()
	next := f.Clone()
	next.Products[3].Name = "Another name"
	again, faults := next.SplitAgain(f, parts)
	require.Empty(t, faults)
	assert.Same(t, &f.Methods[0], &next.Methods[0])
	assert.Same(t, &parts.Lists["methods"][0], &again.Lists["methods"][0])
	assert.NotSame(t, &f.Products[0], &next.Products[0])
	assert.Same(t, &parts.Lists["products"][2].Body[0], &again.Lists["products"][2].Body[0])
	assert.True(t, again.Same("zones", parts))
	assert.False(t, again.Same("products", parts))
	assert.True(t, again.SameIDs("products", parts))
}
