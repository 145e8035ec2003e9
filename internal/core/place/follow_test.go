package place

import (
	"testing"

	"github.com/paulmach/orb"
	"github.com/paulmach/orb/planar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestANeighboursEdgeIsFollowed(t *testing.T) {
	// A neighbour with a winding eastern edge, and an area beside it whose two western corners were snapped to it.
	neighbour := orb.MultiPolygon{{{{22, 60}, {22.5, 60}, {22.55, 60.1}, {22.45, 60.2}, {22.5, 60.3}, {22, 60.3},
		{22, 60}}}}
	drawn := orb.MultiPolygon{{{{22.5, 60}, {23, 60}, {23, 60.3}, {22.5, 60.3}, {22.5, 60}}}}
	have, added := Follow(drawn, []orb.MultiPolygon{neighbour})
	assert.Equal(t, 2, added)
	assert.Equal(t, orb.Ring{{22.5, 60}, {23, 60}, {23, 60.3}, {22.5, 60.3}, {22.45, 60.2}, {22.55, 60.1}, {22.5, 60}},
		have[0][0])
	both := planar.Area(have) + planar.Area(neighbour)
	assert.InDelta(t, 1.0*0.3, both, 1e-12, "together they are the whole rectangle: nothing between, nothing twice")
	again, added := Follow(have, []orb.MultiPolygon{neighbour})
	assert.Zero(t, added)
	assert.Equal(t, have, again)

	// Corners in the middle of an edge follow it as well.
	middle := orb.MultiPolygon{{{{22.525, 60.05}, {23, 60.05}, {23, 60.15}, {22.5, 60.15}, {22.525, 60.05}}}}
	have, added = Follow(middle, []orb.MultiPolygon{neighbour})
	require.Equal(t, 1, added)
	assert.Equal(t, orb.Point{22.55, 60.1}, have[0][0][4])

	far := orb.MultiPolygon{{{{22.9, 60}, {23, 60}, {23, 60.3}, {22.9, 60}}}}
	_, added = Follow(far, []orb.MultiPolygon{neighbour})
	assert.Zero(t, added, "what touches nothing stays as it is")
	// All round the neighbour is no edge between two corners.
	across := orb.MultiPolygon{{{{22, 60}, {22.0001, 60}, {22.0001, 59}, {22, 59}, {22, 60}}}}
	_, added = Follow(across, []orb.MultiPolygon{neighbour})
	assert.Zero(t, added)
}

func TestAnAreaMadeOfPointsReadsBack(t *testing.T) {
	a, err := NewArea(orb.MultiPolygon{{{{22.12345678, 60}, {22.2, 60}, {22.2, 60.0000001}, {22.2, 60.1},
		{22.12345678, 60}}}})
	require.NoError(t, err)
	raw, _ := a.MarshalJSON()
	assert.JSONEq(t, `{"type":"Polygon","coordinates":[[[22.123457,60],[22.2,60],[22.2,60.1],[22.123457,60]]]}`,
		string(raw))
	_, err = NewArea(orb.MultiPolygon{{{{22, 60}, {22.1, 60}, {22.2, 60}, {22, 60}}}})
	assert.Error(t, err, "three points on a line")
	_, err = NewArea(orb.MultiPolygon{{{{22, 60}, {23, 61}, {23, 60}, {22, 61}, {22, 60}}}})
	assert.ErrorContains(t, err, "crosses itself near")
}
