package web

import (
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestDrawnAreasComeAndGoAsGeoJSON(t *testing.T) {
	s := lauha(t)
	status, body := s.send("/zones/areas", "bay.geojson", `{"type": "FeatureCollection", "features": [
		{"type": "Feature", "properties": {"name": "The bay"}, "geometry": {"type": "Polygon", "coordinates":
		[[[22.00, 60.40], [22.20, 60.40], [22.20, 60.55], [22.00, 60.55]]]}},
		{"type": "Feature", "properties": {"name": "A pin"}, "geometry": {"type": "Point", "coordinates": [22, 60]}}]}`)
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "The bay", "1 ring did not end where it begins: closed", "A pin", "a Point has no area")
	at := strings.Index(body, `action="/zones/areas/`)
	require.Positive(t, at)
	path := strings.SplitN(body[at+len(`action="`):], `"`, 2)[0]
	status, body = s.post(path)
	require.Equal(t, http.StatusOK, status, body)
	z := s.draft.State().File.Zone("the-bay")
	require.NotNil(t, z)
	_, body = s.get("/zones/areas")
	holds(t, body, `"The bay"`, `"the-bay"`, "22.20")
	status, body = s.send("/zones/areas", "again.geojson", body)
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "its areas are those of the shop")
	status, body = s.send("/zones/areas", "x.json", `{"type": "Topology"}`)
	assert.Equal(t, http.StatusOK, status)
	holds(t, body, "this is not GeoJSON")
}
