package geozones

import (
	"strings"
	"testing"

	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The polygon and the polygon with a hole are the examples of RFC 7946, appendix A.3.
func TestGeoJSONOfTheStandard(t *testing.T) {
	r, err := Parse([]byte(`{"type": "FeatureCollection", "features": [
		{"type": "Feature", "properties": {"name": "No holes", "fill": "#555"}, "geometry": {"type": "Polygon",
		 "coordinates":
		[[[100.0, 0.0], [101.0, 0.0], [101.0, 1.0], [100.0, 1.0], [100.0, 0.0]]]}},
		{"type": "Feature", "properties": {"title": "With holes"}, "geometry": {"type": "Polygon", "coordinates":
		[[[100.0, 0.0], [101.0, 0.0], [101.0, 1.0], [100.0, 1.0], [100.0, 0.0]],
		[[100.8, 0.8], [100.8, 0.2], [100.2, 0.2], [100.2, 0.8], [100.8, 0.8]]]}},
		{"type": "Feature", "properties": {"name": "no HOLES"}, "geometry": {"type": "MultiPolygon", "coordinates":
		[[[[102.0, 2.0], [103.0, 2.0], [103.0, 3.0], [102.0, 3.0], [102.0, 2.0]]],
		[[[104.0, 2.0], [105.0, 2.0], [105.0, 3.0], [104.0, 2.0]]]]}},
		{"type": "Feature", "properties": null, "geometry": {"type": "Point", "coordinates": [100.0, 0.0]}},
		{"type": "Feature", "properties": null, "geometry": null}]}`))
	require.NoError(t, err)
	require.Len(t, r.Zones, 2)
	assert.Equal(t, []string{"No holes", "With holes"}, []string{r.Zones[0].Name, r.Zones[1].Name})
	assert.Len(t, r.Zones[0].Areas, 2, "features of one name are one zone")
	assert.Less(t, r.Zones[1].Areas[0].SquareKilometres(), r.Zones[0].Areas[0].SquareKilometres())
	assert.Empty(t, r.Notes)
	var reasons []string
	for _, refused := range r.Refused {
		reasons = append(reasons, refused.Error())
	}
	assert.Equal(t, []string{"feature 4, Area 4: a Point has no area: draw a polygon",
		"feature 5, Area 5: it has no geometry"}, reasons)
}

func TestWhatOtherProgramsWriteIsMendedOrRefused(t *testing.T) {
	polygon := func(ring string) string { return `{"type": "Polygon", "coordinates": [` + ring + `]}` }
	for ring, want := range map[string]string{
		`[[22, 60], [23, 60], [23, 61], [22, 60]]`:                       "",
		`[[22, 60], [23, 60], [23, 61]]`:                                 "1 ring did not end where it begins: closed",
		`[[22, 60], [22, 60], [23, 60], [23, 61], [22, 60]]`:             "1 point stood twice in a row: one is kept",
		`[[22, 60, 7], [23, 60, 7], [23, 61, 7], [22, 60, 7]]`:           "heights are left out",
		`[[22.0260000001, 60], [23, 60], [23, 61], [22.0260000001, 60]]`: "",
	} {
		r, err := Parse([]byte(polygon(ring)))
		require.NoError(t, err)
		require.Empty(t, r.Refused, ring)
		require.Len(t, r.Zones, 1)
		assert.Equal(t, want, strings.Join(r.Notes, "; "), ring)
	}
	for ring, want := range map[string]string{
		`[[22, 60], [23, 60]]`:                               "at least four points",
		`[[60, 122], [61, 122], [61, 123], [60, 122]]`:       "latitude seems to stand first",
		`[[22, 60], [23, 61], [23, 60], [22, 61], [22, 60]]`: "cross",
		`[[22], [23], [24], [22]]`:                           "a longitude and a latitude",
		`[["a", 1]]`:                                         "not rings",
		`7`:                                                  "not rings",
	} {
		r, err := Parse([]byte(polygon(ring)))
		require.NoError(t, err)
		require.Len(t, r.Refused, 1, ring)
		assert.ErrorContains(t, r.Refused[0], want, ring)
	}
	for text, want := range map[string]string{
		"": "not JSON", "[]": "not JSON", `{"type": "Topology"}`: `its type is "Topology"`, `{"a": `: "not JSON",
	} {
		_, err := Parse([]byte(text))
		assert.ErrorContains(t, err, want, text)
	}
}

func TestDrawnAreasAreReadBackAsWritten(t *testing.T) {
	f, faults := store.Read([]byte(`{"format": "diadrom-store/1", "store": {"currency": "EUR"}, "zones": [
		{"id": "bay", "name": "The bay", "places": [{"country": "FI", "postcodes": ["21100"]},
		 {"area": {"type": "Polygon",
		"coordinates": [[[22.01, 60.40], [22.20, 60.40], [22.20, 60.5000001], [22.01, 60.40]]]}}]},
		{"id": "fi", "name": "Finland", "places": [{"country": "FI"}]}]}`))
	require.Empty(t, faults)
	data, left := Write(f.Zones)
	assert.Equal(t, []string{"Finland"}, left)
	r, err := Parse(data)
	require.NoError(t, err)
	require.Len(t, r.Zones, 1)
	assert.Equal(t, []string{"bay", "The bay"}, []string{r.Zones[0].ID, r.Zones[0].Name})
	raw, err := r.Zones[0].Areas[0].MarshalJSON()
	require.NoError(t, err)
	assert.Contains(t, string(raw), "60.5000001", "all digits are kept")
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(`{"type": "Polygon", "coordinates": [[[22, 60], [23, 60], [23, 61], [22, 60]]]}`))
	f.Add([]byte(`{"type": "FeatureCollection", "features": [{"geometry": {"type": "GeometryCollection",
		 "geometries": []}}]}`))
	f.Add([]byte(`<kml><Placemark><Polygon><outerBoundaryIs><LinearRing><coordinates>1,2</coordinates></LinearRing>` +
		`</outerBoundaryIs></Polygon></Placemark></kml>`))
	f.Fuzz(func(t *testing.T, data []byte) {
		r, err := Parse(data)
		if err != nil {
			return
		}
		for _, z := range r.Zones {
			if z.Name == "" || len(z.Areas) == 0 {
				t.Fatalf("%+v", z)
			}
		}
	})
}
