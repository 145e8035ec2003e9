package edit

import (
	"testing"

	"diadrom/internal/tables/geozones"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestDrawnAreasOfAFileBecomeZones(t *testing.T) {
	f := threeMethods(t)
	read := func(name, id string) []geozones.Zone {
		r, err := geozones.Parse([]byte(`{"type": "Feature", "properties": {"name": "` + name + `", "zone": "` + id +
			`"},
			"geometry": {"type": "Polygon", "coordinates": [[[22, 60], [23, 60], [23, 61], [22, 60]]]}}`))
		require.NoError(t, err)
		require.Len(t, r.Zones, 1)
		return r.Zones
	}
	assert.Equal(t, []string{"old-town"}, PutAreas(f, read("Old town", "")), "a name becomes a zone")
	assert.Equal(t, []string{"fi"}, PutAreas(f, read("FINLAND", "")), "or is one that is there")
	assert.Equal(t, []string{"se"}, PutAreas(f, read("Renamed", "se")), "or is the zone of that id")
	sound(t, f)
	assert.Len(t, f.Zone("fi").Places, 2, "its country stays")
	PutAreas(f, read("Finland", ""))
	assert.Len(t, f.Zone("fi").Places, 2, "its drawn areas are replaced")
	assert.Equal(t, "Sweden", f.Zone("se").Name)
	sound(t, f)
}
