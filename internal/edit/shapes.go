package edit

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/store"
	"diadrom/internal/review/ground"

	"github.com/paulmach/orb"
)

// MaxCircle is the largest radius of a circle that is drawn, in kilometres: half of the way round the Earth.
const MaxCircle = 20_000

// leastArea is in square metres.
const leastArea = 1

// Shape is an area or a circle of a zone, by its place among all that the zone takes.
type Shape struct {
	Rule *place.Rule
	At   int    // in the zone's places
	Mark string // tells whether it is still what somebody saw
}

// Shapes are the areas and circles of a zone.
func Shapes(z *store.Zone) (list []Shape) {
	for i := range z.Places {
		if r := &z.Places[i]; r.Area != nil || r.Within != nil {
			list = append(list, Shape{r, i, MarkOf(r)})
		}
	}
	return list
}

// MarkOf is the same for rules that are the same.
func MarkOf(r *place.Rule) string {
	same := *r
	if w := r.Within; w != nil && w.Location != "" { // its point is the location's, wherever that is known from
		same.Within = &place.Within{Location: w.Location, Distance: w.Distance}
	}
	body, err := json.Marshal(&same)
	if err != nil {
		return ""
	}
	sum := sha256.Sum256(body)
	return hex.EncodeToString(sum[:6])
}

// AddShape gives a zone an area or a circle more; a zone "" is made, under a name.
func AddShape(f *store.File, zone, name string, rule place.Rule) (id string, err error) {
	if err := checkShape(&rule); err != nil {
		return "", err
	}
	if zone == "" {
		if name == "" {
			name = "Area"
			for n := 2; slices.ContainsFunc(f.Zones, func(z store.Zone) bool { return z.Name == name }); n++ {
				name = "Area " + decimal.FromInt(int64(n)).String()
			}
		}
		id = store.NewID(name, "zone", func(id string) bool { return f.Zone(id) != nil })
		f.Zones = append(f.Zones, store.Zone{ID: id, Name: name, Enabled: true, Places: []place.Rule{rule}})
		return id, nil
	}
	z := f.Zone(zone)
	if z == nil {
		return "", Problemf("the zone was removed meanwhile")
	}
	z.Places = append(z.Places, rule)
	return zone, nil
}

// shapeAt finds a shape that somebody saw; it is a conflict where it is another by now.
func shapeAt(f *store.File, zone, mark string) (*store.Zone, int, error) {
	z := f.Zone(zone)
	if z == nil {
		return nil, 0, Problemf("the zone was removed meanwhile")
	}
	for _, s := range Shapes(z) {
		if s.Mark == mark {
			return z, s.At, nil
		}
	}
	return nil, 0, Problemf("this shape was changed or removed meanwhile: choose it anew")
}

// SetShape gives a shape other edges, or another middle and radius; what else its rule names stays.
func SetShape(f *store.File, zone, mark string, rule place.Rule) error {
	z, at, err := shapeAt(f, zone, mark)
	if err != nil {
		return err
	}
	if err := checkShape(&rule); err != nil {
		return err
	}
	r := z.Places[at]
	r.Area, r.Within = rule.Area, rule.Within
	z.Places[at] = r
	return nil
}

// RemoveShape removes a shape from its zone.
func RemoveShape(f *store.File, zone, mark string) error {
	z, at, err := shapeAt(f, zone, mark)
	if err == nil {
		z.Places = slices.Delete(z.Places, at, at+1)
	}
	return err
}

// ReplaceShapes puts areas in the place of one or several of a zone's: two for one that was split, one for two that
// were joined.
func ReplaceShapes(f *store.File, zone string, marks []string, areas []*place.Area) error {
	first := -1
	for _, mark := range marks {
		z, at, err := shapeAt(f, zone, mark)
		if err != nil {
			return err
		}
		if first < 0 {
			first = at
		}
		z.Places = slices.Delete(z.Places, at, at+1)
	}
	z := f.Zone(zone)
	if z == nil || first < 0 {
		return Problemf("choose a shape first")
	}
	first = min(first, len(z.Places))
	var rules []place.Rule
	for _, a := range areas {
		rules = append(rules, place.Rule{Area: a})
	}
	z.Places = slices.Insert(z.Places, first, rules...)
	return nil
}

// CopyShape gives a zone ("" for a new one) the shape of another, a little beside it where both are the same zone.
func CopyShape(f *store.File, zone, mark, to string) (id string, err error) {
	z, at, err := shapeAt(f, zone, mark)
	if err != nil {
		return "", err
	}
	r := z.Places[at]
	if to == zone {
		if r, err = moved(r); err != nil {
			return "", err
		}
	}
	return AddShape(f, to, "", r)
}

// moved is a shape beside itself.
func moved(r place.Rule) (place.Rule, error) {
	switch {
	case r.Area != nil:
		b := r.Area.Shape().Bound()
		dx := (b.Max[0] - b.Min[0]) / 4
		if b.Max[0]+dx > 180 {
			dx = -dx
		}
		var shape orb.MultiPolygon
		for _, polygon := range r.Area.Shape().Clone() {
			for _, ring := range polygon {
				for i := range ring {
					ring[i][0] += dx
				}
			}
			shape = append(shape, polygon)
		}
		a, err := place.NewArea(shape)
		if err != nil {
			return r, Problemf("%s", err.Error())
		}
		r.Area = a
	case r.Within != nil:
		w := *r.Within
		w.Location = ""
		p := orb.Point{w.Lon.Float64(), w.Lat.Float64()}
		ring := w.Ring(4)
		if len(ring) > 0 {
			p[0] += (ring[3][0] - p[0]) / 2
		}
		w.SetPoint(orb.Point{max(-180, min(180, p[0])), p[1]})
		w.Name = w.Lat.String() + ", " + w.Lon.String()
		r.Within = &w
	}
	return r, nil
}

// checkShape says what is wrong with a circle; areas are checked where they are made.
func checkShape(r *place.Rule) error {
	w := r.Within
	switch {
	case r.Area != nil && ground.ShapeArea(r.Area.Shape()) < leastArea:
		return Problemf("nothing lies in an area whose corners lie on a line")
	case w == nil:
		return nil
	case w.Distance.Sign() <= 0:
		return Problemf("a circle of %s %s has nothing in it: give it a radius above 0", w.Distance, w.Unit())
	case w.Distance.Float64()*w.Metres > MaxCircle*place.MetresPerKilometre:
		return Problemf("a circle of %s %s reaches all round the Earth: %d km are half of it", w.Distance, w.Unit(),
			MaxCircle)
	}
	return nil
}
