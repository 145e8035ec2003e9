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
	"math"
	"slices"
	"strings"

	"diadrom/internal/core/oneline"
	"diadrom/internal/core/place"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"

	"github.com/paulmach/orb"
	"github.com/paulmach/orb/clip"
)

// Limits of a file: how many features it has, and how many positions all of their rings together.
const (
	MaxFeatures  = 10_000
	MaxPositions = 1_000_000
)

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
	At      *orb.Point // where, for what is wrong at one point
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
func Parse(data []byte) (Read, error) { return ParseAs(data, false) }

// ParseAs is Parse; turned takes the first number of each position for its latitude, as the standard does not have it.
func ParseAs(data []byte, turned bool) (Read, error) {
	var head struct {
		Type     string    `json:"type"`
		Features []feature `json:"features"`
	}
	data = bytes.TrimPrefix(data, []byte("\ufeff"))
	if bytes.HasPrefix(bytes.TrimSpace(data), []byte("<")) {
		return parseKML(data, turned)
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
	r := reading{at: map[string]int{}, turned: turned}
	for i := range head.Features {
		r.feature(i+1, &head.Features[i])
	}
	r.read.Notes = r.notes()
	return r.read, nil
}

// reading is a file on its way.
type reading struct {
	read                                 Read
	at                                   map[string]int // zones by their folded names
	turned                               bool           // latitude stands first
	closed, doubled, heights, cut, wound int
	positions                            int
}

// errPositions is what is wrong with each feature behind the last position that is read.
var errPositions = fmt.Errorf("the file has more than %d positions: leave out some of its areas, or draw them with "+
	"fewer points", MaxPositions)

func (r *reading) feature(n int, f *feature) {
	name, id := nameOf(f.Properties), ""
	if text, ok := f.Properties["zone"].(string); ok && store.ValidID(text) {
		id = text
	}
	if name == "" {
		name = fmt.Sprintf("Area %d", n)
	}
	refuse := func(format string, args ...any) {
		r.read.Refused = append(r.read.Refused, Refused{Feature: n, Name: name, Reason: fmt.Sprintf(format, args...)})
	}
	if f.Geometry == nil {
		refuse("it has no geometry")
		return
	}
	areas, err := r.areas(f.Geometry)
	if err != nil {
		refuse("%s", err)
		var at *place.AreaError
		if errors.As(err, &at) {
			r.read.Refused[len(r.read.Refused)-1].At = &at.At
		}
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
	for i := range polygons {
		for j := range polygons[i] {
			r.wind(polygons[i][j], j > 0)
		}
	}
	if a, err := r.acrossTheAntimeridian(polygons); a != nil || err != nil {
		return a, err
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
	if r.positions += len(points); r.positions > MaxPositions {
		return nil, errPositions
	}
	for _, p := range points {
		if len(p) < 2 {
			return nil, errors.New("a position has a longitude and a latitude")
		}
		if len(p) > 2 {
			r.heights++
		}
		if p = p[:2]; r.turned {
			p = []json.Number{p[1], p[0]}
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
		case lon < -360 || lon > 360:
			return nil, fmt.Errorf("%s, %s lies beyond the whole Earth", p[0], p[1])
		}
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

// wind has a ring run as RFC 7946 asks for (section 3.1.6): outer rings counterclockwise, holes clockwise.
func (r *reading) wind(ring [][]json.Number, hole bool) {
	points := make(orb.Ring, len(ring))
	for i, p := range ring {
		points[i][0], _ = p[0].Float64()
		points[i][1], _ = p[1].Float64()
	}
	want := orb.CCW
	if hole {
		want = orb.CW
	}
	if len(ring) <= 3 { // no ring, which is told where it is checked
		return
	}
	if o := points.Orientation(); o != 0 && o != want {
		slices.Reverse(ring)
		r.wound++
	}
}

// nearly is how near to the antimeridian all points of a shape lie, in degrees, that is taken to cross it rather than
// to go all round the Earth.
const nearly = 40

// acrossTheAntimeridian cuts polygons that cross ±180° there, as RFC 7946 asks for (section 3.1.9); nil for others.
// They go on beyond 180°, or jump from one side to the other.
func (r *reading) acrossTheAntimeridian(polygons [][][][]json.Number) ([]*place.Area, error) {
	var shape orb.MultiPolygon
	beyond, jumps, west := false, false, true
	for _, polygon := range polygons {
		var rings orb.Polygon
		for _, ring := range polygon {
			var points orb.Ring
			for i, p := range ring {
				lon, _ := p[0].Float64()
				lat, _ := p[1].Float64()
				points = append(points, orb.Point{lon, lat})
				beyond = beyond || math.Abs(lon) > 180
				jump := 0.0
				if i > 0 {
					jump = math.Abs(lon - points[i-1][0])
				}
				jumps = jumps || jump > 180 && jump < 360
				west = west && math.Abs(lon) > 180-nearly
			}
			rings = append(rings, points)
		}
		shape = append(shape, rings)
	}
	if !beyond && !(jumps && west) {
		return nil, nil
	}
	if !beyond {
		for _, polygon := range shape {
			for _, ring := range polygon {
				for i := range ring {
					if ring[i][0] < 0 {
						ring[i][0] += 360
					}
				}
			}
		}
	}
	var out orb.MultiPolygon
	for _, by := range []float64{-360, 0, 360} {
		bound := orb.Bound{Min: orb.Point{-180 - by, -90}, Max: orb.Point{180 - by, 90}}
		for _, polygon := range clip.MultiPolygon(bound, shape.Clone()) {
			for _, ring := range polygon {
				for i := range ring {
					ring[i][0] += by
				}
			}
			out = append(out, polygon)
		}
	}
	a, err := place.NewArea(out)
	if err != nil {
		return nil, fmt.Errorf("it crosses the antimeridian and cannot be cut there: %w", err)
	}
	r.cut++
	return []*place.Area{a}, nil
}

// Turned says whether the areas of a file seem to have latitude first: none of them lies where in says, and all do the
// other way round.
func (r *Read) Turned(in func(orb.Point) bool) bool {
	n := 0
	for _, z := range r.Zones {
		for _, a := range z.Areas {
			p := a.Shape().Bound().Center()
			if in(p) || math.Abs(p[0]) > 90 || !in(orb.Point{p[1], p[0]}) {
				return false
			}
			n++
		}
	}
	return n > 0
}

// notes says what was mended.
func (r *reading) notes() (list []string) {
	if r.closed > 0 {
		list = append(list, plural.Count(r.closed, "ring")+" did not end where it begins: closed")
	}
	if r.doubled > 0 {
		list = append(list, plural.Count(r.doubled, "point")+" stood twice in a row: one is kept")
	}
	if r.wound > 0 {
		list = append(list, plural.Count(r.wound, "ring")+" ran the wrong way round: turned")
	}
	if r.cut > 0 {
		list = append(list, plural.Count(r.cut, "area")+" over the antimeridian: cut at 180° into parts")
	}
	if r.turned {
		list = append(list, "latitude was read as the first number of each position")
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
