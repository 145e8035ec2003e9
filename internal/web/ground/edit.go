package ground

import (
	"encoding/json"
	"fmt"
	"math"
	"strconv"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"

	"github.com/gin-gonic/gin"
	"github.com/paulmach/orb"
)

// usualRadius is that of the circle with which a new area begins, in kilometres, and of how many corners it is.
const (
	usualRadius  = 5
	usualCorners = 24
)

// editShape makes an edit of a zone's shapes. What is done:
//
//	new      an area that begins as a circle round the shop, or a circle
//	add      an area that was drawn
//	set      other edges for a shape, as they were drawn
//	points   other edges for an area, as they are typed
//	circle   another middle or radius for a circle, as they are typed
//	replace  several areas in the place of one or more: split, joined, with a hole
//	copy     the same shape once more, in a zone
//	live     the shape as it is live
//	remove
func (s *Screens) editShape(c *gin.Context) {
	zone, mark, do := c.PostForm("zone"), c.PostForm("mark"), c.PostForm("do")
	note, fresh := "", false
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) (err error) {
		switch do {
		case "new":
			var rule place.Rule
			if rule, err = s.begun(f, c.PostForm("kind")); err == nil {
				zone, err = edit.AddShape(f, zone, "", rule)
				mark, fresh = edit.MarkOf(&rule), true
			}
			return err
		case "remove":
			mark = ""
			return edit.RemoveShape(f, zone, c.PostForm("mark"))
		case "copy":
			to := c.PostForm("to")
			zone, err = edit.CopyShape(f, zone, mark, to)
			mark = lastMark(f, zone)
			return err
		case "live":
			return s.backToLive(f, zone, &mark)
		case "replace":
			mark, note, err = s.replace(c, f, zone)
			return err
		}
		rule, err := s.drawn(c, f)
		if err != nil {
			return err
		}
		if rule.Area != nil {
			if rule.Area, note, err = followed(f, zone, rule.Area); err != nil {
				return err
			}
		}
		if do == "add" {
			zone, err = edit.AddShape(f, zone, "", rule)
		} else {
			err = edit.SetShape(f, zone, mark, rule)
		}
		mark = newMark(f, zone, &rule)
		return err
	})
	if err != nil {
		s.refused(c, err)
		return
	}
	s.answer(c, state, zone, mark, note, fresh)
}

// newMark is the mark of the shape with the edges of a rule, which may name more than these.
func newMark(f *store.File, zone string, rule *place.Rule) string {
	if z := f.Zone(zone); z != nil {
		for _, sh := range edit.Shapes(z) {
			same := *sh.Rule
			same.Area, same.Within = rule.Area, rule.Within
			if same.Equal(sh.Rule) {
				return sh.Mark
			}
		}
	}
	return ""
}

func lastMark(f *store.File, zone string) string {
	if z := f.Zone(zone); z != nil {
		if list := edit.Shapes(z); len(list) > 0 {
			return list[len(list)-1].Mark
		}
	}
	return ""
}

// begun is a shape to begin with, round the first place of the shop that is known on the ground.
func (s *Screens) begun(f *store.File, kind string) (rule place.Rule, err error) {
	w := place.Within{Distance: decimal.FromInt(usualRadius), Metres: f.Store.Metres()}
	for i := range f.Locations {
		if p, ok := f.Locations[i].Point(s.draft.State().Engine.Gazetteer()); ok {
			w.SetPoint(p)
			w.Location, w.Name = f.Locations[i].ID, f.LocationName(f.Locations[i].ID)
			break
		}
	}
	if !w.Located {
		return rule, edit.Problemf("Add a place of the shop with a known postcode first, on the Shop station: a new " +
			"shape begins round it. Or draw one by hand.")
	}
	if kind == "circle" {
		return place.Rule{Within: &w}, nil
	}
	rule.Area, err = place.NewArea(orb.MultiPolygon{{w.Ring(usualCorners)}})
	return rule, err
}

// drawn reads what was drawn or typed: an area as GeoJSON or as points, a circle as its middle and radius.
func (s *Screens) drawn(c *gin.Context, f *store.File) (rule place.Rule, err error) {
	switch {
	case c.PostForm("do") == "circle" || c.PostForm("radius") != "" || c.PostForm("metres") != "":
		rule.Within, err = s.circle(c, f)
	case c.PostForm("do") == "points":
		rule.Area, err = pointsArea(c.PostForm("points"))
	default:
		if rule.Area, err = place.ParseArea([]byte(c.PostForm("area"))); err == nil {
			rule.Area, err = place.NewArea(rule.Area.Shape())
		}
	}
	if err != nil {
		return rule, edit.Problemf("%s", err.Error())
	}
	return rule, nil
}

// circle reads a circle: round a place of the shop or a point; its radius as typed, or as drawn in metres.
func (s *Screens) circle(c *gin.Context, f *store.File) (*place.Within, error) {
	w := &place.Within{Metres: f.Store.Metres()}
	if metres := c.PostForm("metres"); metres != "" {
		m, err := strconv.ParseFloat(metres, 64)
		if err != nil || !(m >= 0 && m < 1e9) {
			return nil, fmt.Errorf("%q is no radius", metres)
		}
		w.Distance = decimal.FromFloat(m/w.Metres, 3)
	} else {
		text := strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(c.PostForm("radius")), f.Store.DistanceUnit))
		d, err := decimal.Parse(strings.ReplaceAll(text, ",", "."))
		if err != nil {
			return nil, fmt.Errorf("%q is no radius: write it such as 12.5", c.PostForm("radius"))
		}
		w.Distance = d
	}
	if id := c.PostForm("location"); id != "" {
		l := f.Location(id)
		if l == nil {
			return nil, fmt.Errorf("this place of the shop was removed meanwhile")
		}
		w.Location, w.Name = id, f.LocationName(id)
		if p, ok := l.Point(s.draft.State().Engine.Gazetteer()); ok {
			w.SetPoint(p)
		}
		return w, nil
	}
	p, err := pointOf(c.PostForm("middle"))
	if err != nil {
		return nil, err
	}
	w.SetPoint(p)
	w.Name = w.Lat.String() + ", " + w.Lon.String()
	return w, nil
}

// pointOf reads "60.4674 22.0260".
func pointOf(text string) (p orb.Point, err error) {
	fields := strings.Fields(strings.ReplaceAll(text, ",", " "))
	if len(fields) != 2 {
		return p, fmt.Errorf("%.60q is no point: write latitude and longitude, such as 60.4674 22.0260", text)
	}
	lat, latErr := strconv.ParseFloat(fields[0], 64)
	lon, lonErr := strconv.ParseFloat(fields[1], 64)
	switch {
	case latErr != nil || lonErr != nil || math.IsNaN(lat+lon):
		return p, fmt.Errorf("%.60q is no point: write latitude and longitude, such as 60.4674 22.0260", text)
	case math.Abs(lat) > 90 && math.Abs(lat) <= 180 && math.Abs(lon) <= 90:
		return p, fmt.Errorf("%s is no latitude: did you mean %s %s? Latitude stands before longitude", fields[0],
			fields[1], fields[0])
	case math.Abs(lat) > 90 || math.Abs(lon) > 180:
		return p, fmt.Errorf("%.60q is no point on Earth: latitudes go to 90, longitudes to 180", text)
	}
	return orb.Point{lon, lat}, nil
}

// hole begins the lines of a hole among those of an area.
const hole = "hole"

// pointsText writes the corners of an area, a line each: latitude and longitude. An empty line parts rings.
func pointsText(a *place.Area) string {
	var b strings.Builder
	for i, polygon := range a.Shape() {
		for j, ring := range polygon {
			if i+j > 0 {
				b.WriteString("\n")
			}
			if j > 0 {
				b.WriteString(hole + "\n")
			}
			for _, p := range ring[:len(ring)-1] {
				b.WriteString(strconv.FormatFloat(p.Lat(), 'f', -1, 64) + " " + strconv.FormatFloat(p.Lon(), 'f', -1,
					64) + "\n")
			}
		}
	}
	return b.String()
}

// pointsArea reads what pointsText writes.
func pointsArea(text string) (*place.Area, error) {
	var shape orb.MultiPolygon
	var ring orb.Ring
	inHole := false
	end := func() error {
		switch {
		case len(ring) == 0:
			return nil
		case len(ring) < 3:
			return fmt.Errorf("an area has at least three corners; this has %s", plural.Count(len(ring), "corner"))
		case inHole && len(shape) == 0:
			return fmt.Errorf("a hole comes after the area that it is in")
		}
		ring = append(ring, ring[0])
		if inHole {
			shape[len(shape)-1] = append(shape[len(shape)-1], ring)
		} else {
			shape = append(shape, orb.Polygon{ring})
		}
		ring, inHole = nil, false
		return nil
	}
	for n, line := range strings.Split(text, "\n") {
		switch line = strings.TrimSpace(line); {
		case line == "":
			if err := end(); err != nil {
				return nil, err
			}
		case strings.EqualFold(line, hole):
			if err := end(); err != nil {
				return nil, err
			}
			inHole = true
		default:
			p, err := pointOf(line)
			if err != nil {
				return nil, fmt.Errorf("line %d: %w", n+1, err)
			}
			ring = append(ring, p)
		}
	}
	if err := end(); err != nil {
		return nil, err
	}
	if len(shape) == 0 {
		return nil, fmt.Errorf("an area has at least three corners, a line each: latitude and longitude")
	}
	return place.NewArea(shape)
}

// followed has an area follow the edges of other zones' areas that it was snapped to.
func followed(f *store.File, zone string, a *place.Area) (*place.Area, string, error) {
	var neighbours []orb.MultiPolygon
	for i := range f.Zones {
		if f.Zones[i].ID == zone {
			continue
		}
		for _, sh := range edit.Shapes(&f.Zones[i]) {
			if b := sh.Rule.Area; b != nil && b.Shape().Bound().Intersects(a.Shape().Bound()) {
				neighbours = append(neighbours, b.Shape())
			}
		}
	}
	shape, added := place.Follow(a.Shape(), neighbours)
	if added == 0 {
		return a, "", nil
	}
	out, err := place.NewArea(shape)
	if err != nil { // rounding may make two edges touch
		return a, "", nil //nolint:nilerr // the area as it was drawn is one
	}
	return out, "It follows the edge of its neighbour: " + plural.Count(added, "corner") + " added.", nil
}

// replace puts areas in the place of others, all as GeoJSON.
func (s *Screens) replace(c *gin.Context, f *store.File, zone string) (mark, note string, err error) {
	var raw []json.RawMessage
	if err := json.Unmarshal([]byte(c.PostForm("areas")), &raw); err != nil || len(raw) == 0 {
		return "", "", edit.Problemf("nothing would be left of this area")
	}
	var areas []*place.Area
	for _, r := range raw {
		a, err := place.ParseArea(r)
		if err == nil {
			a, err = place.NewArea(a.Shape())
		}
		if err != nil {
			return "", "", edit.Problemf("%s", err.Error())
		}
		areas = append(areas, a)
	}
	marks := strings.Fields(c.PostForm("marks"))
	if err := edit.ReplaceShapes(f, zone, marks, areas); err != nil {
		return "", "", err
	}
	switch parts := len(areas[0].Shape()); {
	case len(areas) > 1:
		note = "Split into " + plural.Count(len(areas), "area") + "."
	case len(marks) > 1 && parts > 1:
		note = "They do not touch: one area of " + plural.Count(parts, "part") + "."
	}
	return newMark(f, zone, &place.Rule{Area: areas[0]}), note, nil
}

// backToLive gives a shape the edges that it has in the live edition.
func (s *Screens) backToLive(f *store.File, zone string, mark *string) error {
	live := s.draft.Live()
	z := f.Zone(zone)
	if live == nil || z == nil {
		return edit.Problemf("nothing of this zone is live")
	}
	for _, sh := range edit.Shapes(z) {
		if sh.Mark != *mark {
			continue
		}
		was := liveShape(live.File, z, sh.Rule)
		if was == nil {
			return edit.Problemf("this shape is not live yet")
		}
		if err := edit.SetShape(f, zone, *mark, *was); err != nil {
			return err
		}
		*mark = newMark(f, zone, was)
		return nil
	}
	return edit.Problemf("this shape was changed or removed meanwhile: choose it anew")
}

// middleOf is the middle of a shape.
func middleOf(r *place.Rule) (orb.Point, bool) {
	switch {
	case r.Area != nil:
		return r.Area.Shape().Bound().Center(), true
	case r.Within != nil && r.Within.Located:
		return orb.Point{r.Within.Lon.Float64(), r.Within.Lat.Float64()}, true
	}
	return orb.Point{}, false
}
