package ground

import (
	"cmp"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/place"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/overlaps"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// view is the map with the list beside it.
type view struct {
	Zones   []zoneRow
	Find    string
	More    int // zones that are not shown
	Total   int
	Zone    *zoneView // the chosen one
	Methods []shell.Choice
	Method  string
	Bands   []string // of the chosen method's price list by distance, a row each
	ByRoad  bool
	Slip    string
	Note    string
	Fresh   bool // the chosen shape was made just now
	Refused bool // what was drawn last was refused, and is still on the map
	HasShop bool // a place of the shop is known on the ground
	Places  []placeRow
	At      string // a point to show, latitude and longitude
}

// placeRow is a place of the shop, with the way from there to the Till's address.
type placeRow struct{ Name, Way string }

// zoneRow is a zone in the list beside the map.
type zoneRow struct {
	ID, Name, Colour string
	Takes            string
	Path             string
	Off, Here        bool
	Overlaps         []string
}

// zoneView is the chosen zone with its shapes.
type zoneView struct {
	zoneRow
	Shapes []shapeRow
	Other  []string // what else it takes, as on the list of zones
	Shape  *shapeView
}

type shapeRow struct {
	Mark, Name, Path string
	Chosen           bool
}

// shapeView is the chosen shape.
type shapeView struct {
	shapeRow
	Circle                 bool
	Points                 string // of an area, as they are typed
	Middle, Radius, Unit   string // of a circle
	Location               string
	Locations              []shell.Choice
	Facts                  []string
	Others                 []shapeRow // areas that it can be joined with
	Zones                  []shell.Choice
	Live                   bool // what is live has another shape in its place
	PointsSlip, RadiusSlip string
}

// maxRows is how many zones the list shows.
const maxRows = 60

func (s *Screens) show(c *gin.Context) {
	s.Show(c, shell.Page{Here: "/zones", Title: "Map", Template: "map"}, s.viewOf(c, s.draft.State(), shell.Viewed(c)))
}

// viewOf is the map as the query of its page says: which zone and shape are chosen.
func (s *Screens) viewOf(c *gin.Context, state *draft.State, query url.Values) view {
	f := state.File
	v := view{Find: strings.TrimSpace(query.Get("find")), Total: len(f.Zones), Method: query.Get("method"),
		ByRoad: f.Store.DistanceBy == store.ByRoad}
	if p, err := pointOf(query.Get("lat") + " " + query.Get("lon")); err == nil {
		v.At = fmt.Sprintf("%g %g", p.Lat(), p.Lon())
	}
	said := overlaps.About(state)
	here, line, to := s.till.Zone(c.Request.Context(), state)
	v.places(state, line, to)
	for i := range f.Zones {
		z := &f.Zones[i]
		row := zoneRow{ID: z.ID, Name: cmp.Or(z.Name, z.ID), Colour: shell.Colour(i), Takes: said.Takes(i),
			Path: path(z.ID, "", v.Method), Off: !z.Enabled, Here: i == here}
		if z.ID == query.Get("zone") {
			row.Overlaps = said.Of(i)
			v.Zone = s.zoneOf(state, z, row, query.Get("shape"), v.Method)
		}
		switch {
		case v.Find != "" && !strings.Contains(strings.ToLower(row.Name), strings.ToLower(v.Find)):
		case len(v.Zones) >= maxRows:
			v.More++
		default:
			row.Overlaps = said.Of(i)
			v.Zones = append(v.Zones, row)
		}
	}
	for i := range f.Methods {
		m := &f.Methods[i]
		if slices.ContainsFunc(m.Tables, func(t rate.Table) bool { return t.By == rate.ByDistance }) {
			v.Methods = append(v.Methods, shell.Choice{ID: m.ID, Name: cmp.Or(m.Name, m.ID), Chosen: m.ID == v.Method})
		}
	}
	if m := f.Method(v.Method); m != nil {
		if t := distanceTable(m); t != nil {
			for r := range t.Rows {
				v.Bands = append(v.Bands, rowText(f, t, r))
			}
		}
	}
	return v
}

// places are those of the shop, and how far each is from the Till's address.
func (v *view) places(state *draft.State, line string, to place.Address) {
	f, ways := state.File, map[string]string{}
	if to.Country != "" {
		for _, w := range state.Engine.Ways(&to) {
			ways[w.Location] = wayText(&w, f.Store.DistanceUnit) + " to " + line
		}
	}
	for i := range f.Locations {
		l := &f.Locations[i]
		_, ok := l.Point(state.Engine.Gazetteer())
		v.HasShop = v.HasShop || ok
		row := placeRow{f.LocationName(l.ID), ways[l.ID]}
		if !ok {
			row.Way = "nobody knows where it is"
		}
		v.Places = append(v.Places, row)
	}
}

// path is that of the map with a zone, a shape and a method chosen.
func path(zone, mark, method string) string {
	q := url.Values{}
	for name, value := range map[string]string{"zone": zone, "shape": mark, "method": method} {
		if value != "" {
			q.Set(name, value)
		}
	}
	if len(q) == 0 {
		return "/map"
	}
	return "/map?" + q.Encode()
}

func (s *Screens) zoneOf(state *draft.State, z *store.Zone, row zoneRow, mark, method string) *zoneView {
	v := &zoneView{zoneRow: row}
	shapes := shapesOf(state, z)
	for i, sh := range shapes {
		r := shapeRow{Mark: sh.Mark, Name: nameOf(sh.Rule, i), Path: path(z.ID, sh.Mark, method),
			Chosen: sh.Mark == mark || mark == "" && len(shapes) == 1}
		v.Shapes = append(v.Shapes, r)
		if r.Chosen {
			v.Shape = s.shapeOf(state, z, sh, r)
		}
	}
	for i := range z.Places {
		if r := &z.Places[i]; r.Area == nil && r.Within == nil {
			v.Other = append(v.Other, r.Words()...)
		}
	}
	for i := range z.Except {
		for _, text := range z.Except[i].Words() {
			v.Other = append(v.Other, "not "+text)
		}
	}
	if n := len(v.Other); n > 8 {
		v.Other = append(v.Other[:8], fmt.Sprintf("and %d more", n-8))
	}
	if v.Shape != nil {
		for _, r := range v.Shapes {
			if !r.Chosen && !v.Shape.Circle && strings.HasPrefix(r.Name, "Area") {
				v.Shape.Others = append(v.Shape.Others, r)
			}
		}
	}
	return v
}

// shapesOf are the shapes of a zone, circles round places of the shop where the lists of places have these.
func shapesOf(state *draft.State, z *store.Zone) []edit.Shape {
	list := edit.Shapes(z)
	for i := range list {
		w := list[i].Rule.Within
		if w == nil || w.Location == "" {
			continue
		}
		l := state.File.Location(w.Location)
		if l == nil {
			continue
		}
		if p, ok := l.Point(state.Engine.Gazetteer()); ok {
			rule, circle := *list[i].Rule, *w
			circle.SetPoint(p)
			rule.Within = &circle
			list[i].Rule = &rule
		}
	}
	return list
}

// nameOf is what a shape of a zone is called.
func nameOf(r *place.Rule, i int) string {
	n := strconv.Itoa(i + 1)
	if r.Within != nil {
		return "Circle " + n + ", " + r.Within.Distance.String() + " " + r.Within.Unit()
	}
	return "Area " + n
}

func (s *Screens) shapeOf(state *draft.State, z *store.Zone, sh edit.Shape, r shapeRow) *shapeView {
	f := state.File
	v := &shapeView{shapeRow: r, Unit: f.Store.DistanceUnit}
	if w := sh.Rule.Within; w != nil {
		v.Circle, v.Radius, v.Location = true, w.Distance.String(), w.Location
		if w.Located && w.Location == "" {
			v.Middle = w.Lat.String() + " " + w.Lon.String()
		}
		v.Locations = []shell.Choice{{Name: "a point", Chosen: w.Location == ""}}
		for i := range f.Locations {
			l := &f.Locations[i]
			v.Locations = append(v.Locations, shell.Choice{ID: l.ID, Name: f.LocationName(l.ID),
				Chosen: l.ID == w.Location})
		}
	} else {
		v.Points = pointsText(sh.Rule.Area)
	}
	v.Facts = s.words(state, f.ZoneIndex(z.ID), sh.Rule, sh.Rule)
	for i := range f.Zones {
		v.Zones = append(v.Zones, shell.Choice{ID: f.Zones[i].ID, Name: cmp.Or(f.Zones[i].Name, f.Zones[i].ID)})
	}
	if live := s.draft.Live(); live != nil {
		was := liveShape(live.File, z, sh.Rule)
		v.Live = was != nil && edit.MarkOf(was) != sh.Mark
	}
	return v
}

// liveShape is the shape of the zone as it is live that a shape came from: the same, or else the one that has its
// middle nearest; nil where there is none.
func liveShape(live *store.File, z *store.Zone, r *place.Rule) *place.Rule {
	was := live.Zone(z.ID)
	if was == nil {
		return nil
	}
	middle, ok := middleOf(r)
	if !ok {
		return nil
	}
	var best *place.Rule
	least := 0.0
	now := edit.Shapes(z)
	for _, sh := range edit.Shapes(was) {
		if sh.Mark == edit.MarkOf(r) {
			return sh.Rule
		}
		if slices.ContainsFunc(now, func(other edit.Shape) bool { return other.Mark == sh.Mark }) {
			continue // it is still there, as it was
		}
		p, ok := middleOf(sh.Rule)
		if !ok {
			continue
		}
		x, y := p[0]-middle[0], p[1]-middle[1]
		if off := x*x + y*y; best == nil || off < least {
			best, least = sh.Rule, off
		}
	}
	return best
}

// words say what a shape has in it, and what it takes.
func (s *Screens) words(state *draft.State, zone int, rule, own *place.Rule) (list []string) {
	m, _ := s.laidOut()
	facts := m.Facts(zone, rule, own)
	if facts.SquareKilometres == 0 {
		return []string{"Nobody knows where this is: give the place of the shop a postcode or a point."}
	}
	f := state.File
	unit, metres := f.Store.DistanceUnit, f.Store.Metres()
	square := facts.SquareKilometres * 1e6 / metres / metres
	list = append(list, fmt.Sprintf("%s %s², %s %s at its widest", significant(square), unit,
		significant(facts.Extent/metres), unit))
	inside := plural.Count(facts.Codes, "listed code") + " and " + plural.Count(facts.Towns, "town") + " inside"
	if facts.Codes == 0 && facts.Towns == 0 {
		inside = "no listed code or town inside"
	}
	list = append(list, inside)
	name := func(i int) string { return cmp.Or(f.Zones[i].Name, f.Zones[i].ID) }
	for i, t := range facts.Took {
		if i == 3 {
			list = append(list, fmt.Sprintf("and from %s more", plural.Count(len(facts.Took)-3, "zone")))
			break
		}
		list = append(list, "takes "+plural.Count(t.Codes, "code")+" from "+name(t.Zone))
	}
	if facts.New > 0 {
		list = append(list, plural.Count(facts.New, "code")+" that no zone had")
	}
	for _, t := range facts.Lost[:min(3, len(facts.Lost))] {
		list = append(list, plural.Count(t.Codes, "code")+" stay with "+name(t.Zone)+", which comes first")
	}
	return list
}

// significant writes a measure with about three digits.
func significant(x float64) string {
	digits := 0
	switch {
	case x < 1:
		digits = 3
	case x < 10:
		digits = 2
	case x < 100:
		digits = 1
	}
	return strconv.FormatFloat(x, 'f', digits, 64)
}

// facts answers with what is to be known of a shape while it is drawn.
func (s *Screens) facts(c *gin.Context) {
	state := s.draft.State()
	rule, err := s.drawn(c, state.File)
	if err != nil {
		s.HTML(c, http.StatusOK, s.Render("map-facts", []string{err.Error()}))
		return
	}
	zone, own := len(state.File.Zones), (*place.Rule)(nil)
	if z := state.File.Zone(c.PostForm("zone")); z != nil {
		zone = state.File.ZoneIndex(z.ID)
		for _, sh := range shapesOf(state, z) {
			if sh.Mark == c.PostForm("mark") {
				own = sh.Rule
			}
		}
	}
	s.HTML(c, http.StatusOK, s.Render("map-facts", s.words(state, zone, &rule, own)))
}

// answer shows the map after an edit, with what was made chosen.
func (s *Screens) answer(c *gin.Context, state *draft.State, zone, mark, note string, fresh bool) {
	query := shell.Viewed(c)
	query.Set("zone", zone)
	query.Set("shape", mark)
	v := s.viewOf(c, state, query)
	v.Note, v.Fresh = note, fresh
	c.Header("HX-Replace-Url", path(zone, mark, query.Get("method")))
	s.Answer(c, "/zones", state, s.Render("map", v))
}

// refused shows the map as it is, with what is wrong.
func (s *Screens) refused(c *gin.Context, err error) {
	s.Refused(c, err, func(text string) template.HTML {
		v := s.viewOf(c, s.draft.State(), shell.Viewed(c))
		typed := c.PostForm("do")
		switch {
		case typed == "points" && v.Zone != nil && v.Zone.Shape != nil:
			v.Zone.Shape.Points, v.Zone.Shape.PointsSlip = c.PostForm("points"), text
		case typed == "circle" && v.Zone != nil && v.Zone.Shape != nil:
			v.Zone.Shape.Radius, v.Zone.Shape.Middle = c.PostForm("radius"), c.PostForm("middle")
			v.Zone.Shape.RadiusSlip = text
		default:
			v.Slip, v.Refused = text, true
		}
		return s.Render("map", v)
	})
}
