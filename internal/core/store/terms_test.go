package store

import (
	"testing"

	"diadrom/internal/core/decimal"

	"github.com/stretchr/testify/assert"
)

// A zone's own terms replace the method's one by one (docs/model.md, From table to price).
func TestWhichTermsHoldInAZone(t *testing.T) {
	two, nine := decimal.MustParse("2"), decimal.MustParse("9")
	m := &Method{
		Minimum: &two,
		Days:    &Days{Min: 1, Max: 2},
		Terms:   map[string]Terms{"far": {Enabled: true, Minimum: &nine}, "off": {}},
	}
	for zone, want := range map[string]Terms{
		"near": {Enabled: true, Minimum: &two, Days: m.Days},
		"far":  {Enabled: true, Minimum: &nine, Days: m.Days},
		"off":  {Enabled: false, Minimum: &two, Days: m.Days},
	} {
		assert.Equal(t, want, m.TermsIn(zone), zone)
	}
	_, own := m.OwnTerms("near")
	assert.False(t, own)
	far, own := m.OwnTerms("far")
	assert.True(t, own)
	assert.Equal(t, Terms{Enabled: true, Minimum: &nine}, far)
}

func TestThingsAreFoundByTheirIDs(t *testing.T) {
	f := &File{
		Zones:     []Zone{{ID: "a", Name: "Alps"}, {ID: "b"}},
		Classes:   []Class{{ID: "soft", Name: "Soft"}, {ID: "hard"}},
		Locations: []Location{{ID: "shop", Name: "The shop"}},
		Products:  []Product{{SKU: "T-1"}},
		Methods:   []Method{{ID: "post"}},
	}
	assert.Equal(t, []string{"Alps", "b", "gone"}, []string{f.ZoneName("a"), f.ZoneName("b"), f.ZoneName("gone")})
	assert.Equal(t, []string{"Soft", "hard", "gone"}, f.ClassNames([]string{"soft", "hard", "gone"}))
	assert.Equal(t, []string{"The shop", "gone"}, []string{f.LocationName("shop"), f.LocationName("gone")})
	assert.Same(t, &f.Zones[1], f.Zone("b"))
	assert.Equal(t, []int{1, -1}, []int{f.ZoneIndex("b"), f.ZoneIndex("gone")})
	assert.Same(t, &f.Methods[0], f.Method("post"))
	assert.Same(t, &f.Products[0], f.Product("T-1"))
	assert.Nil(t, f.Zone("gone"))
	assert.Nil(t, f.Method("gone"))
	assert.Nil(t, f.Class("gone"))
	assert.Nil(t, f.Methods[0].Table("list"))
}
