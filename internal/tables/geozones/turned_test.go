package geozones

import (
	"strings"
	"testing"

	"github.com/paulmach/orb"
	"github.com/paulmach/orb/planar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func polygon(ring string) string {
	return `{"type":"Feature","properties":{"name":"Isles"},"geometry":{"type":"Polygon","coordinates":[[` + ring +
		`]]}}`
}

// RFC 7946, section 3.1.9: a shape over the antimeridian is cut there, into parts of which neither crosses it.
func TestShapesOverTheAntimeridianAreCutThere(t *testing.T) {
	for name, ring := range map[string]string{
		"on beyond 180":    `[177,-20],[182,-20],[182,-16],[177,-16],[177,-20]`,
		"on beyond -180":   `[-183,-20],[-178,-20],[-178,-16],[-183,-16],[-183,-20]`,
		"jumping across":   `[177,-20],[-178,-20],[-178,-16],[177,-16],[177,-20]`,
		"not closed":       `[177,-20],[182,-20],[182,-16],[177,-16]`,
		"the other way on": `[-183,-16],[-178,-16],[-178,-20],[-183,-20],[-183,-16]`,
	} {
		t.Run(name, func(t *testing.T) {
			r, err := Parse([]byte(polygon(ring)))
			require.NoError(t, err)
			require.Empty(t, r.Refused)
			assert.Contains(t, strings.Join(r.Notes, "; "), "over the antimeridian: cut at 180°")
			a := r.Zones[0].Areas[0]
			require.Len(t, a.Shape(), 2)
			assert.InDelta(t, 20, planar.Area(a.Shape()), 1e-9)
			for _, p := range []orb.Point{{178, -18}, {-179, -18}} {
				assert.True(t, a.Contains(p), "%v", p)
			}
			assert.False(t, a.Contains(orb.Point{0, -18}))
		})
	}
	r, err := Parse([]byte(polygon(`[-180,-60],[180,-60],[180,70],[-180,70],[-180,-60]`)))
	require.NoError(t, err)
	assert.Empty(t, r.Notes, "all round the Earth is no crossing")
	assert.True(t, r.Zones[0].Areas[0].Contains(orb.Point{0, 0}))
}

func TestLatitudeFirstIsAskedAndTurned(t *testing.T) {
	finland := func(p orb.Point) bool { return p.Lon() > 20 && p.Lon() < 31 && p.Lat() > 59 && p.Lat() < 70 }
	swapped := polygon(`[60.4,22.0],[60.4,22.2],[60.5,22.2],[60.4,22.0]`)
	r, err := Parse([]byte(swapped))
	require.NoError(t, err)
	assert.True(t, r.Turned(finland))
	r, err = ParseAs([]byte(swapped), true)
	require.NoError(t, err)
	assert.False(t, r.Turned(finland))
	assert.True(t, r.Zones[0].Areas[0].Contains(orb.Point{22.15, 60.43}))
	assert.Contains(t, r.Notes, "latitude was read as the first number of each position")
	r, _ = Parse([]byte(polygon(`[22.0,60.4],[22.2,60.4],[22.2,60.5],[22.0,60.4]`)))
	assert.False(t, r.Turned(finland), "as the standard has it")
	r, _ = Parse([]byte(polygon(`[2.0,48.4],[2.2,48.4],[2.2,48.5],[2.0,48.4]`)))
	assert.False(t, r.Turned(finland), "elsewhere either way")
	none := Read{}
	assert.False(t, none.Turned(finland))
}

func TestWhereSomethingIsWrongIsKept(t *testing.T) {
	r, err := Parse([]byte(polygon(`[22,60],[23,61],[23,60],[22,61],[22,60]`)))
	require.NoError(t, err)
	require.Len(t, r.Refused, 1)
	require.NotNil(t, r.Refused[0].At)
	assert.InDelta(t, 22.5, r.Refused[0].At.Lon(), 0.6)
}

// RFC 7946, appendices A.6 and A.7: a multipolygon of which one part has a hole, and a collection of a point and a
// line, which have no area.
func TestTheExamplesOfTheStandard(t *testing.T) {
	r, err := Parse([]byte(`{"type":"MultiPolygon","coordinates":[[[[102,2],[103,2],[103,3],[102,3],
		[102,2]]],[[[100,0],[101,0],[101,1],[100,1],[100,0]],[[100.2,0.2],[100.2,0.8],[100.8,0.8],
		[100.8,0.2],[100.2,0.2]]]]}`))
	require.NoError(t, err)
	require.Empty(t, r.Refused)
	a := r.Zones[0].Areas[0]
	assert.True(t, a.Contains(orb.Point{102.5, 2.5}) && a.Contains(orb.Point{100.1, 0.5}))
	assert.False(t, a.Contains(orb.Point{100.5, 0.5}), "in the hole")
	r, err = Parse([]byte(`{"type":"GeometryCollection","geometries":[{"type":"Point","coordinates":[100.0,0.0]},
		{"type":"LineString","coordinates":[[101.0,0.0],[102.0,1.0]]}]}`))
	require.NoError(t, err)
	require.Len(t, r.Refused, 1)
	assert.Contains(t, r.Refused[0].Reason, "a Point has no area")
}

// RFC 7946, section 3.1.6: outer rings run counterclockwise, holes clockwise; a reader does not refuse others.
func TestRingsThatRunTheWrongWayAreTurned(t *testing.T) {
	r, err := Parse([]byte(polygon(`[22,60],[22,61],[23,61],[22,60]],
		[[22.2,60.6],[22.4,60.8],[22.2,60.8],[22.2,60.6]`)))
	require.NoError(t, err)
	require.Empty(t, r.Refused)
	assert.Equal(t, []string{"2 rings ran the wrong way round: turned"}, r.Notes)
	shape := r.Zones[0].Areas[0].Shape()
	assert.Equal(t, orb.CCW, shape[0][0].Orientation())
	assert.Equal(t, orb.CW, shape[0][1].Orientation())
}
