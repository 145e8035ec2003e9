// Package geozones reads and writes drawn areas of zones as GeoJSON (RFC 7946), and reads those of KML.
//
// A feature, or several with the same name, is a zone; its name is the property "name", "title" or "label". Polygons,
// multipolygons and collections of them are areas; other geometries have none. What other programs write slightly wrong
// is mended and told: rings that are not closed, points that stand twice, heights. Rings that cross themselves, and
// coordinates that are none, are refused with the feature that they stand in. Numbers keep all of their digits.
package geozones

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/oneline"
	"diadrom/internal/core/place"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
)

// MaxFeatures is how many features a file has at most.
const MaxFeatures = 10_000

// Zone is a zone with its drawn areas.
type Zone struct {
	ID    string // the property "zone", which [Write] writes; "" where it is absent
	Name  string
	Areas []*place.Area
}

// Refused is a feature that cannot be used.
type Refused struct {
	Feature int // from 1
	Name    string
	Reason  string
}

// Error says what is wrong.
func (r Refused) Error() string {
	return fmt.Sprintf("feature %d, %s: %s", r.Feature, r.Name, r.Reason)
}

// Read is what a file has.
type Read struct {
	Zones   []Zone
	Notes   []string // what was mended
	Refused []Refused
}

type geometry struct {
	Type        string          `json:"type"`
	Coordinates json.RawMessage `json:"coordinates"`
	Geometries  []geometry      `json:"geometries"`
}

type feature struct {
	Type       string         `json:"type"`
	Geometry   *geometry      `json:"geometry"`
	Properties map[string]any `json:"properties"`
}

// Parse reads a file of GeoJSON or KML. The error says why it is neither.
func Parse(data []byte) (Read, error) {
	var head struct {
		Type     string    `json:"type"`
		Features []feature `json:"features"`
	}
	data = bytes.TrimPrefix(data, []byte("\ufeff"))
	if bytes.HasPrefix(bytes.TrimSpace(data), []byte("<")) {
		return parseKML(data)
	}
	if err := json.Unmarshal(data, &head); err != nil {
		return Read{}, errors.New("this is not GeoJSON: it is not JSON that can be read")
	}
	switch head.Type {
	case "FeatureCollection":
	case "Feature":
		var one feature
		if err := json.Unmarshal(data, &one); err != nil {
			return Read{}, errors.New("this is not GeoJSON: its feature cannot be read")
		}
		head.Features = []feature{one}
	case "Polygon", "MultiPolygon", "GeometryCollection":
		var g geometry
		if err := json.Unmarshal(data, &g); err != nil {
			return Read{}, errors.New("this is not GeoJSON: its geometry cannot be read")
		}
		head.Features = []feature{{Type: "Feature", Geometry: &g}}
	default:
		return Read{}, fmt.Errorf("this is not GeoJSON: its type is %.40q, not FeatureCollection", head.Type)
	}
	if n := len(head.Features); n > MaxFeatures {
		return Read{}, fmt.Errorf("it has %d features; at most %d are read", n, MaxFeatures)
	}
	var r reading
	r.at = map[string]int{}
	for i := range head.Features {
		r.feature(i+1, &head.Features[i])
	}
	r.read.Notes = r.notes()
	return r.read, nil
}

// reading is a file on its way.
type reading struct {
	read                     Read
	at                       map[string]int // zones by their folded names
	closed, doubled, heights int
}

func (r *reading) feature(n int, f *feature) {
	name, id := nameOf(f.Properties), ""
	if text, ok := f.Properties["zone"].(string); ok && store.ValidID(text) {
		id = text
	}
	if name == "" {
		name = fmt.Sprintf("Area %d", n)
	}
	refuse := func(format string, args ...any) {
		r.read.Refused = append(r.read.Refused, Refused{n, name, fmt.Sprintf(format, args...)})
	}
	if f.Geometry == nil {
		refuse("it has no geometry")
		return
	}
	areas, err := r.areas(f.Geometry)
	if err != nil {
		refuse("%s", err)
		return
	}
	key := world.Fold(name)
	at, there := r.at[key]
	if !there {
		at = len(r.read.Zones)
		r.at[key] = at
		r.read.Zones = append(r.read.Zones, Zone{ID: id, Name: name})
	}
	r.read.Zones[at].Areas = append(r.read.Zones[at].Areas, areas...)
}

// nameOf is what a feature is called; "" where it is not.
func nameOf(properties map[string]any) string {
	for _, key := range []string{"name", "Name", "NAME", "title", "label"} {
		if text, ok := properties[key].(string); ok {
			if line, err := oneline.Read(text); err == nil && line != "" {
				return string([]rune(line)[:min(len([]rune(line)), 60)])
			}
		}
	}
	return ""
}

// areas are the areas of a geometry.
func (r *reading) areas(g *geometry) (list []*place.Area, err error) {
	switch g.Type {
	case "GeometryCollection":
		for i := range g.Geometries {
			some, err := r.areas(&g.Geometries[i])
			if err != nil {
				return nil, err
			}
			list = append(list, some...)
		}
		if len(list) == 0 {
			return nil, errors.New("it is empty")
		}
		return list, nil
	case "Polygon":
		var polygon [][][]json.Number
		if json.Unmarshal(g.Coordinates, &polygon) != nil {
			return nil, errors.New("its coordinates are not rings of longitude and latitude")
		}
		return r.area("Polygon", [][][][]json.Number{polygon})
	case "MultiPolygon":
		var many [][][][]json.Number
		if json.Unmarshal(g.Coordinates, &many) != nil {
			return nil, errors.New("its coordinates are not polygons of rings of longitude and latitude")
		}
		return r.area("MultiPolygon", many)
	}
	return nil, fmt.Errorf("a %.40s has no area: draw a polygon", g.Type)
}

// area makes polygons an area, mended.
func (r *reading) area(kind string, polygons [][][][]json.Number) ([]*place.Area, error) {
	for i := range polygons {
		for j := range polygons[i] {
			ring, err := r.ring(polygons[i][j])
			if err != nil {
				return nil, err
			}
			polygons[i][j] = ring
		}
	}
	var coordinates any = polygons
	if kind == "Polygon" {
		coordinates = polygons[0]
	}
	raw, err := json.Marshal(map[string]any{"type": kind, "coordinates": coordinates})
	if err != nil {
		return nil, err
	}
	a, err := place.ParseArea(raw)
	if err != nil {
		return nil, err
	}
	return []*place.Area{a}, nil
}

// ring mends a ring: heights go, a point that stands twice in a row stands once, and it ends where it begins.
func (r *reading) ring(points [][]json.Number) (ring [][]json.Number, err error) {
	for _, p := range points {
		if len(p) < 2 {
			return nil, errors.New("a position has a longitude and a latitude")
		}
		lon, err1 := p[0].Float64()
		lat, err2 := p[1].Float64()
		switch {
		case err1 != nil || err2 != nil:
			return nil, errors.New("a position is two numbers")
		case lat < -90 || lat > 90:
			if lon >= -90 && lon <= 90 && lat >= -180 && lat <= 180 {
				return nil, fmt.Errorf("%s, %s: latitude seems to stand first; GeoJSON has longitude before latitude",
					p[0],
					p[1])
			}
		case lon < -180 || lon > 180:
			return nil, fmt.Errorf("%s, %s lies beyond 180°: cut the area there into two", p[0], p[1])
		}
		if len(p) > 2 {
			r.heights++
		}
		p = p[:2]
		if n := len(ring); n > 0 && slices.Equal(ring[n-1], p) {
			r.doubled++
			continue
		}
		ring = append(ring, p)
	}
	if n := len(ring); n > 2 && !slices.Equal(ring[0], ring[n-1]) {
		r.closed++
		ring = append(ring, ring[0])
	}
	return ring, nil
}

// notes says what was mended.
func (r *reading) notes() (list []string) {
	if r.closed > 0 {
		list = append(list, plural.Count(r.closed, "ring")+" did not end where it begins: closed")
	}
	if r.doubled > 0 {
		list = append(list, plural.Count(r.doubled, "point")+" stood twice in a row: one is kept")
	}
	if r.heights > 0 {
		list = append(list, "heights are left out")
	}
	return list
}

// Write writes the drawn areas of zones. Zones without one are left out, and named.
func Write(zones []store.Zone) (data []byte, left []string) {
	type out struct {
		Type       string            `json:"type"`
		Properties map[string]string `json:"properties"`
		Geometry   json.RawMessage   `json:"geometry"`
	}
	features := []out{}
	for i := range zones {
		z := &zones[i]
		areas := Areas(z)
		if len(areas) == 0 {
			left = append(left, z.Name)
			continue
		}
		for _, a := range areas {
			raw, err := a.MarshalJSON()
			if err != nil {
				panic(err) // what was parsed is written
			}
			features = append(features, out{"Feature", map[string]string{"name": z.Name, "zone": z.ID}, raw})
		}
	}
	data, err := json.MarshalIndent(map[string]any{"type": "FeatureCollection", "features": features}, "", " ")
	if err != nil {
		panic(err) // every type above marshals
	}
	return append(data, '\n'), left
}

// Areas are the drawn areas that a zone takes, and nothing beside them.
func Areas(z *store.Zone) (list []*place.Area) {
	for i := range z.Places {
		if r := &z.Places[i]; Drawn(r) {
			list = append(list, r.Area)
		}
	}
	return list
}

// Drawn says whether a rule is a drawn area alone.
func Drawn(r *place.Rule) bool {
	return r.Area != nil && strings.Join([]string{r.Country, r.Region, r.City, r.Group}, "") == "" && !r.World &&
		len(r.Postcodes) == 0 && r.Within == nil
}
