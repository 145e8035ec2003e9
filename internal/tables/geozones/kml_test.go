package geozones

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The form of a placemark with a hole is that of the KML reference (OGC 12-007r2, 10.8), its coordinates are made up.
func TestKMLIsRead(t *testing.T) {
	r, err := Parse([]byte(`<?xml version="1.0" encoding="UTF-8"?>
<kml xmlns="http://www.opengis.net/kml/2.2"><Document><name>Places</name><Folder>
<Placemark><name> The bay </name><Polygon><extrude>1</extrude><outerBoundaryIs><LinearRing><coordinates>
 22.0,60.4,100 22.4,60.4,100 22.4,60.6,100 22.0,60.6,100 22.0,60.4,100 </coordinates></LinearRing></outerBoundaryIs>
<innerBoundaryIs><LinearRing><coordinates>22.1,60.45 22.2,60.45 22.2,60.5 22.1,60.45</coordinates></LinearRing>
</innerBoundaryIs></Polygon></Placemark></Folder>
<Placemark><name>Two</name><MultiGeometry>
<Polygon><outerBoundaryIs>
<LinearRing><coordinates>23,60 24,60 24,61 23,60</coordinates></LinearRing></outerBoundaryIs></Polygon>
<Polygon><outerBoundaryIs>
<LinearRing><coordinates>25,60 26,60 26,61 25,60</coordinates></LinearRing></outerBoundaryIs></Polygon>
</MultiGeometry></Placemark>
<Placemark><name>Pin</name><Point><coordinates>22,60</coordinates></Point></Placemark>
<Placemark><name>Bad</name><Polygon><outerBoundaryIs><LinearRing><coordinates>a,b c,d</coordinates></LinearRing>
</outerBoundaryIs></Polygon></Placemark>
<Placemark><name>Nothing</name></Placemark></Document></kml>`))
	require.NoError(t, err)
	require.Len(t, r.Zones, 2)
	assert.Equal(t, "The bay", r.Zones[0].Name)
	assert.Len(t, r.Zones[1].Areas, 2)
	assert.Equal(t, []string{"1 ring ran the wrong way round: turned", "heights are left out"}, r.Notes)
	var reasons []string
	for _, refused := range r.Refused {
		reasons = append(reasons, refused.Error())
	}
	require.Len(t, reasons, 3)
	assert.Equal(t, "feature 3, Pin: a Point has no area: draw a polygon", reasons[0])
	assert.Contains(t, reasons[1], "feature 4, Bad:")
	assert.Equal(t, "feature 5, Nothing: it has no geometry", reasons[2])
	for _, text := range []string{"<html><body>no</body></html>", "<kml><Placemark><name>", "<",
		"<kml><Placemark><name>Inn</name></Placemark>"} {
		_, err := Parse([]byte(text))
		assert.Error(t, err, text)
	}
}

// Rings without a position are refused with their feature.
func TestEmptyRingsAreRefused(t *testing.T) {
	for _, text := range []string{
		`<kml><Placemark><Polygon></Polygon></Placemark></kml>`,
		`<kml><Placemark><Polygon><outerBoundaryIs/><innerBoundaryIs/></Polygon></Placemark></kml>`,
		`{"type":"Polygon","coordinates":[[]]}`,
		`{"type":"Polygon","coordinates":[]}`,
		`{"type":"Polygon","coordinates":null}`,
		`{"type":"MultiPolygon","coordinates":[[]]}`,
		`{"type":"MultiPolygon","coordinates":[[[[1,2]]]]}`,
		`{"type":"MultiPolygon","coordinates":[]}`,
	} {
		r, err := Parse([]byte(text))
		require.NoError(t, err, text)
		assert.Empty(t, r.Zones, text)
		assert.Len(t, r.Refused, 1, text)
	}
}
