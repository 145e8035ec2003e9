package ground

import (
	"cmp"
	"fmt"
	"net/http"

	"diadrom/internal/core/atlas"
	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/edit"
	"diadrom/internal/review/coverage"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/services"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
	"github.com/paulmach/orb"
	"github.com/paulmach/orb/maptile"
)

// now is what the map shows that is not in tiles. Points are latitude and longitude here, as the browser's map has
// them.
type now struct {
	Land    string     `json:"land"`  // version of the land
	Stamp   string     `json:"stamp"` // of what lies over it
	Colours []string   `json:"colours"`
	Tiles   *tileSet   `json:"tiles"` // of the shop's own choice
	Places  []mark     `json:"places"`
	Till    *tillMark  `json:"till"`
	Rings   []ring     `json:"rings"`
	Reach   []reach    `json:"reach"`
	Marks   []mark     `json:"marks"` // addresses in two zones that tie, cross or hide one another
	Shapes  []shape    `json:"shapes"`
	Near    [][]latLon `json:"near"` // edges of other zones' shapes, to snap to
	Start   [2]latLon  `json:"start"`
}

type latLon [2]float64

type tileSet struct {
	URL    string `json:"url"`
	Credit string `json:"credit"`
}

type mark struct {
	At     latLon `json:"at"`
	Name   string `json:"name"`
	Text   string `json:"text"`
	Colour string `json:"colour,omitempty"`
}

// tillMark is the Till's address, with the ways to it.
type tillMark struct {
	At     latLon `json:"at"`
	Name   string `json:"name"`
	Zone   string `json:"zone"`
	Colour string `json:"colour"`
	Ways   []way  `json:"ways"`
}

type way struct {
	From   latLon `json:"from"`
	Text   string `json:"text"`
	ByRoad bool   `json:"road"`
	Counts bool   `json:"counts"` // prices by distance run from there
}

// ring is how far a row of a price list by distance reaches.
type ring struct {
	Edge []latLon `json:"edge"`
	Text string   `json:"text"`
}

// reach is a listed place with the row of a price list that it lies in, where distances run by road.
type reach struct {
	At   latLon `json:"at"`
	Row  int    `json:"row"`
	Text string `json:"text"`
}

// shape is a shape of the chosen zone, to be edited.
type shape struct {
	Mark   string       `json:"mark"`
	Areas  [][][]latLon `json:"areas,omitempty"` // polygons of rings
	At     *latLon      `json:"at,omitempty"`    // of a circle
	Radius float64      `json:"radius,omitempty"`
	Edge   []latLon     `json:"edge,omitempty"`
}

// Bounds of what is sent at once.
const (
	maxNear  = 20_000 // points to snap to
	maxReach = 400    // places by road
	maxMarks = 200
)

func (s *Screens) now(c *gin.Context) {
	state := s.draft.State()
	_, stamp := s.laidOut()
	f := state.File
	n := now{Land: atlas.Version, Stamp: stamp, Colours: make([]string, len(f.Zones)), Places: []mark{},
		Rings: []ring{},
		Reach: []reach{}, Marks: []mark{}, Shapes: []shape{}, Near: [][]latLon{}}
	for i := range f.Zones {
		n.Colours[i] = shell.Colour(i)
	}
	if url, _ := s.services.Get(services.Tiles); url != "" {
		credit, _ := s.services.Get(services.Credit)
		n.Tiles = &tileSet{url, credit}
	}
	n.places(state)
	zone, line, to := s.till.Zone(c.Request.Context(), state)
	n.till(state, zone, line, to)
	n.marks(state)
	if z := f.Zone(c.Query("zone")); z != nil {
		n.shapes(state, z)
	}
	if m := f.Method(c.Query("method")); m != nil {
		n.bands(state, m)
	}
	n.start(f)
	c.Header("Cache-Control", "no-store")
	c.JSON(http.StatusOK, n)
}

func at(p orb.Point) latLon { return latLon{p.Lat(), p.Lon()} }

// places are those of the shop.
func (n *now) places(state *draft.State) {
	for i := range state.File.Locations {
		l := &state.File.Locations[i]
		p, ok := l.Point(state.Engine.Gazetteer())
		if !ok {
			continue
		}
		text := "place of the shop"
		switch {
		case l.ShipsFrom && l.Pickup:
			text = "ships orders, buyers collect here"
		case l.ShipsFrom:
			text = "ships orders"
		case l.Pickup:
			text = "buyers collect here"
		}
		n.Places = append(n.Places, mark{At: at(p), Name: state.File.LocationName(l.ID), Text: text})
	}
}

// till marks the Till's address.
func (n *now) till(state *draft.State, zone int, line string, to place.Address) {
	if to.Country == "" {
		return
	}
	resolved := state.Engine.Resolve(to)
	if resolved.Point == nil {
		return
	}
	t := tillMark{At: at(*resolved.Point), Name: line, Ways: []way{}}
	if zone >= 0 {
		z := &state.File.Zones[zone]
		t.Zone, t.Colour = cmp.Or(z.Name, z.ID), shell.Colour(zone)
	}
	unit := state.File.Store.DistanceUnit
	nearest := true
	for _, w := range state.Engine.Ways(&to) {
		t.Ways = append(t.Ways, way{at(w.From), wayText(&w, unit), w.ByRoad, w.Ships && nearest})
		nearest = nearest && !w.Ships
	}
	n.Till = &t
}

func wayText(w *quote.Way, unit string) string {
	text := w.Length.String() + " " + unit
	switch {
	case w.Straight != nil:
		return "about " + text + " by road from " + w.Name + " (estimated)"
	case w.ByRoad:
		return text + " by road from " + w.Name
	}
	return text + " from " + w.Name
}

// marks are addresses in two zones of which the list of zones tells something.
func (n *now) marks(state *draft.State) {
	f, home := state.File, state.File.Home()
	words := map[coverage.Kind]string{coverage.Ties: "tie", coverage.Crosses: "cross",
		coverage.Hides: "hide one another"}
	for _, o := range state.Coverage().Summary().Overlaps {
		if len(n.Marks) == maxMarks || o.At == nil {
			break
		}
		resolved := state.Engine.Resolve(*o.At)
		if resolved.Point == nil {
			continue
		}
		first, other := f.ZoneName(f.Zones[o.Zone].ID), f.ZoneName(f.Zones[o.Other].ID)
		text := first + " and " + other + " " + words[o.Kind] + ": " + o.At.Line(home) + " goes to " + first
		if o.Kind == coverage.Hides {
			text = first + " takes all of " + other + ", such as " + o.At.Line(home)
		}
		n.Marks = append(n.Marks, mark{At: at(*resolved.Point), Name: words[o.Kind], Text: text})
	}
}

// shapes are those of the chosen zone, with the edges of others near them.
func (n *now) shapes(state *draft.State, z *store.Zone) {
	f := state.File
	var around orb.Bound
	for i, sh := range shapesOf(state, z) {
		out := shape{Mark: sh.Mark}
		var b orb.Bound
		if a := sh.Rule.Area; a != nil {
			b = a.Shape().Bound()
			for _, polygon := range a.Shape() {
				var rings [][]latLon
				for _, r := range polygon {
					rings = append(rings, edge(orb.LineString(r[:len(r)-1])))
				}
				out.Areas = append(out.Areas, rings)
			}
		} else if w := sh.Rule.Within; w.Located {
			p := orb.Point{w.Lon.Float64(), w.Lat.Float64()}
			where := at(p)
			out.At, out.Radius = &where, w.Distance.Float64()*w.Metres
			ring := w.Ring(120)
			out.Edge, b = edge(orb.LineString(ring)), ring.Bound()
		} else {
			continue
		}
		if n.Shapes = append(n.Shapes, out); i == 0 {
			around = b
		} else {
			around = around.Union(b)
		}
	}
	around = around.Pad(max(0.05, (around.Max[0]-around.Min[0])/2))
	points := 0
	for i := range f.Zones {
		for j := range f.Zones[i].Places {
			a := f.Zones[i].Places[j].Area
			if f.Zones[i].ID == z.ID || a == nil || !a.Bound().Intersects(around) {
				continue
			}
			for _, polygon := range a.Shape() {
				if points += len(polygon[0]); points > maxNear {
					return
				}
				n.Near = append(n.Near, edge(orb.LineString(polygon[0])))
			}
		}
	}
}

func edge(line orb.LineString) []latLon {
	list := make([]latLon, len(line))
	for i, p := range line {
		list[i] = at(p)
	}
	return list
}

// bands draws how far the rows of a method's price lists by distance reach.
func (n *now) bands(state *draft.State, m *store.Method) {
	f := state.File
	from := ""
	if m.From != "" {
		from = m.From
	}
	for i := range f.Locations {
		if l := &f.Locations[i]; from == "" && l.ShipsFrom {
			from = l.ID
		}
	}
	l := f.Location(from)
	if l == nil {
		return
	}
	middle, ok := l.Point(state.Engine.Gazetteer())
	if !ok {
		return
	}
	t := distanceTable(m)
	if t == nil {
		return
	}
	if f.Store.DistanceBy == store.ByRoad {
		n.byRoad(state, t, m.From)
		return
	}
	for r := range t.Rows {
		if t.Rows[r].At == nil || t.Rows[r].At.Sign() <= 0 {
			continue
		}
		w := place.Within{Distance: *t.Rows[r].At, Metres: f.Store.Metres()}
		w.SetPoint(middle)
		n.Rings = append(n.Rings, ring{edge(orb.LineString(w.Ring(120))), rowText(f, t, r)})
	}
}

// distanceTable is the first price list by distance of a method; nil where it has none.
func distanceTable(m *store.Method) *rate.Table {
	for i := range m.Tables {
		if t := &m.Tables[i]; t.By == rate.ByDistance && len(t.Zones) > 0 {
			return t
		}
	}
	return nil
}

// rowText says which distances a row is for, and what it costs.
func rowText(f *store.File, t *rate.Table, row int) string {
	u := f.Store.Units()
	price := charge.Format(t.Rows[row].Charges[0], f.Words())
	if price == "no" {
		price = "not offered"
	}
	if c := t.Rows[row].Charges[0]; c != nil && c.Base != nil && *c == (rate.Charge{Base: c.Base}) {
		price = world.DeliveryPrice(u.Money(*c.Base), f.Store.Currency)
	}
	at := edit.AtText(t.Rows[row].At)
	if t.Rows[row].At == nil {
		if row == 0 {
			return "any distance: " + price
		}
		return "above " + edit.AtText(t.Rows[row-1].At) + " " + u.Distance + ": " + price
	}
	if t.Edges == rate.From {
		return "from " + at + " " + u.Distance + ": " + price
	}
	return "up to " + at + " " + u.Distance + ": " + price
}

// byRoad shows which listed places lie in which row by road, as the road service says.
func (n *now) byRoad(state *draft.State, t *rate.Table, from string) {
	f := state.File
	far := decimal.One
	for i := range t.Rows {
		if a := t.Rows[i].At; a != nil && far.Less(*a) {
			far = *a
		}
	}
	origins := map[string]orb.Point{}
	for i := range f.Locations {
		l := &f.Locations[i]
		if p, ok := l.Point(state.Engine.Gazetteer()); ok && (l.ID == from || from == "" && l.ShipsFrom) {
			origins[l.ID] = p
		}
	}
	var addresses []*place.Address
	for _, p := range origins {
		w := place.Within{Metres: f.Store.Metres(), Distance: far}
		w.SetPoint(p)
		for _, a := range around(state, w.Ring(24).Bound(), maxReach/len(origins)) {
			addresses = append(addresses, &a)
		}
	}
	e := state.Engine.Ahead(addresses)
	for _, a := range addresses {
		for _, w := range e.Ways(a) {
			if _, counts := origins[w.Location]; !counts {
				continue
			}
			if row, ok := t.Row(w.Length); ok {
				n.Reach = append(n.Reach, reach{at(w.To), row, a.City + ", " + wayText(&w, f.Store.DistanceUnit) +
					": " +
					rowText(f, t, row)})
			}
			break
		}
	}
}

// start is what the map shows at first: the surroundings of the shop, else the country, else the world.
func (n *now) start(f *store.File) {
	if len(n.Places) > 0 {
		b := orb.Bound{Min: orb.Point{n.Places[0].At[1], n.Places[0].At[0]}}
		b.Max = b.Min
		for _, p := range n.Places {
			b = b.Extend(orb.Point{p.At[1], p.At[0]})
		}
		b = b.Pad(0.22)
		n.Start = [2]latLon{at(b.Min), at(b.Max)}
		return
	}
	b := orb.Bound{Min: orb.Point{-120, -45}, Max: orb.Point{140, 65}}
	if shapes := atlas.Shapes(f.Home()); f.Home() != "" && len(shapes) > 0 {
		b = shapes.Bound()
	}
	n.Start = [2]latLon{at(b.Min), at(b.Max)}
}

// around are listed places in a bound, at most so many, spread evenly.
func around(state *draft.State, b orb.Bound, most int) (list []place.Address) {
	g := state.Engine.Gazetteer()
	if g == nil {
		return nil
	}
	z := maptile.Zoom(6)
	for ; z < 14; z++ { // fine enough that about so many cells lie in the bound
		low, high := maptile.At(b.Min, z), maptile.At(b.Max, z)
		if int(high.X-low.X+1)*int(low.Y-high.Y+1) >= most {
			break
		}
	}
	seen := map[maptile.Tile]bool{}
	for i := range int32(g.Len()) {
		p := g.At(i)
		at := orb.Point{p.Lon, p.Lat}
		if !p.Located || !b.Contains(at) || len(list) == most {
			continue
		}
		if t := maptile.At(at, z); !seen[t] {
			seen[t] = true
			list = append(list, place.Address{Country: p.Country, Postcode: p.Postcode, City: p.Name})
		}
	}
	return list
}

// stampOf tells what lies over the land apart: drafts, and lists of places.
func stampOf(state *draft.State) string {
	places := 0
	if g := state.Engine.Gazetteer(); g != nil {
		places = g.Len()
	}
	return fmt.Sprintf("%d-%d", state.Revision, places)
}
