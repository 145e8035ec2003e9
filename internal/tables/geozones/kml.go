package geozones

import (
	"bytes"
	"encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strings"
)

// The part of KML (OGC 12-007r2) that has areas. Elements are found by their local names, in whatever namespace.

type kmlRing struct {
	Coordinates string `xml:"LinearRing>coordinates"`
}

type kmlPolygon struct {
	Outer kmlRing   `xml:"outerBoundaryIs"`
	Inner []kmlRing `xml:"innerBoundaryIs"`
}

type kmlGeometry struct {
	Polygons []kmlPolygon  `xml:"Polygon"`
	Multi    []kmlGeometry `xml:"MultiGeometry"`
	Points   []struct{}    `xml:"Point"`
	Lines    []struct{}    `xml:"LineString"`
}

type kmlPlacemark struct {
	Name string `xml:"name"`
	kmlGeometry
}

// parseKML reads the placemarks of a KML file, wherever they stand in its folders.
func parseKML(data []byte, turned bool) (Read, error) {
	r := reading{at: map[string]int{}, turned: turned}
	d := xml.NewDecoder(bytes.NewReader(data))
	seen, isKML := 0, false
	for {
		token, err := d.Token()
		if err == io.EOF {
			break
		}
		if err != nil {
			line, _ := d.InputPos()
			return Read{}, fmt.Errorf("this is not KML that can be read: line %d is broken", line)
		}
		start, ok := token.(xml.StartElement)
		if !ok {
			continue
		}
		isKML = isKML || start.Name.Local == "kml"
		if start.Name.Local != "Placemark" {
			continue
		}
		var p kmlPlacemark
		if err := d.DecodeElement(&p, &start); err != nil {
			return Read{}, errors.New("this is not KML that can be read: a placemark is broken")
		}
		if seen++; seen > MaxFeatures {
			return Read{}, fmt.Errorf("it has more than %d placemarks; at most so many are read", MaxFeatures)
		}
		f := feature{Properties: map[string]any{"name": strings.TrimSpace(p.Name)}, Geometry: p.geometry()}
		r.feature(seen, &f)
	}
	if !isKML {
		return Read{}, errors.New("this is neither GeoJSON nor KML")
	}
	r.read.Notes = r.notes()
	return r.read, nil
}

// geometry is a placemark's as GeoJSON has it; nil where it has none.
func (g *kmlGeometry) geometry() *geometry {
	out := geometry{Type: "GeometryCollection"}
	for i := range g.Polygons {
		rings := [][][]json.Number{ring(g.Polygons[i].Outer.Coordinates)}
		for _, inner := range g.Polygons[i].Inner {
			rings = append(rings, ring(inner.Coordinates))
		}
		raw, err := json.Marshal(rings)
		if err != nil { // a number that is none
			raw = []byte("null")
		}
		out.Geometries = append(out.Geometries, geometry{Type: "Polygon", Coordinates: raw})
	}
	for i := range g.Multi {
		if some := g.Multi[i].geometry(); some != nil {
			out.Geometries = append(out.Geometries, *some)
		}
	}
	switch {
	case len(out.Geometries) > 0:
		return &out
	case len(g.Points) > 0:
		return &geometry{Type: "Point"}
	case len(g.Lines) > 0:
		return &geometry{Type: "LineString"}
	}
	return nil
}

// ring reads tuples of longitude, latitude and height, parted by spaces.
func ring(text string) (list [][]json.Number) {
	for _, tuple := range strings.Fields(text) {
		var p []json.Number
		for _, n := range strings.Split(tuple, ",") {
			p = append(p, json.Number(n))
		}
		list = append(list, p)
	}
	return list
}
