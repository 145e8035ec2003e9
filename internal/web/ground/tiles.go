package ground

import (
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strconv"

	"diadrom/internal/core/atlas"
	"diadrom/internal/review/ground"

	"github.com/gin-gonic/gin"
	"github.com/paulmach/orb"
	"github.com/paulmach/orb/maptile"
	"github.com/paulmach/orb/simplify"
)

// Tiles are drawn by the browser from numbers: pixels of a tile, four to one, from its upper left corner.
const (
	tileSize = 256
	perPixel = 4
	maxZoom  = 17
	// leastNamed is from how many pixels on a shape has its zone's name on it.
	leastNamed = 40
	// reachOver is how far beyond a tile, in tiles, spots are sent, so that their names go on over its edge.
	reachOver = 0.45
)

// tileOf reads which tile is asked for.
func tileOf(c *gin.Context) (t maptile.Tile, ok bool) {
	var n [3]uint64
	for i, name := range []string{"z", "x", "y"} {
		var err error
		if n[i], err = strconv.ParseUint(c.Param(name), 10, 32); err != nil {
			return t, false
		}
	}
	t = maptile.Tile{Z: maptile.Zoom(n[0]), X: uint32(n[1]), Y: uint32(n[2])}
	return t, n[0] <= maxZoom && t.Valid()
}

// plot turns degrees into the numbers of a tile.
type plot struct{ n, x, y float64 }

func plotOf(t maptile.Tile) plot {
	return plot{float64(uint64(1) << t.Z), float64(t.X), float64(t.Y)}
}

func (p plot) at(q orb.Point) orb.Point {
	sin := math.Sin(max(-85.0511, min(85.0511, q[1])) * math.Pi / 180)
	return orb.Point{
		((q[0]+180)/360*p.n - p.x) * tileSize,
		((0.5-math.Log((1+sin)/(1-sin))/(4*math.Pi))*p.n - p.y) * tileSize,
	}
}

// appendShape writes polygons as lists of rings of numbers: [[x,y,x,y,…],…]. Points that nobody would see are left
// out.
func (p plot) appendShape(b []byte, shape orb.MultiPolygon) []byte {
	b = append(b, '[')
	first := true
	for _, polygon := range shape {
		for _, ring := range polygon {
			flat := make(orb.Ring, len(ring))
			for i := range ring {
				flat[i] = p.at(ring[i])
			}
			if flat = simplify.DouglasPeucker(0.4).Ring(flat); len(flat) < 4 {
				continue
			}
			if !first {
				b = append(b, ',')
			}
			first = false
			b = append(b, '[')
			for i, q := range flat[:len(flat)-1] {
				if i > 0 {
					b = append(b, ',')
				}
				b = strconv.AppendInt(b, int64(math.Round(q[0]*perPixel)), 10)
				b = append(b, ',')
				b = strconv.AppendInt(b, int64(math.Round(q[1]*perPixel)), 10)
			}
			b = append(b, ']')
		}
	}
	return append(b, ']')
}

// land answers with the land of a tile, by country, and its lakes: {"land":[["FI",[ring,…]],…],"lakes":[ring,…]}.
func (s *Screens) land(c *gin.Context) {
	t, ok := tileOf(c)
	if !ok || c.Param("version") != atlas.Version {
		s.Problem(c, http.StatusNotFound, "There is no such tile.")
		return
	}
	p, features := plotOf(t), atlas.Tile(t)
	// Small countries are drawn over those that they lie in.
	slices.SortStableFunc(features, func(a, b atlas.Feature) int { return atlas.Larger(b.Code, a.Code) })
	b, lakes := []byte(`{"land":[`), orb.MultiPolygon(nil)
	first := true
	for _, f := range features {
		if f.Kind == atlas.Lake {
			lakes = append(lakes, f.Shape...)
			continue
		}
		if !first {
			b = append(b, ',')
		}
		first = false
		b = append(strconv.AppendQuote(append(b, '['), f.Code), ',')
		b = append(p.appendShape(b, f.Shape), ']')
	}
	b = append(p.appendShape(append(b, `],"lakes":`...), lakes), '}')
	c.Header("Cache-Control", "private, max-age=31536000, immutable")
	c.Data(http.StatusOK, "application/json", b)
}

// over answers with what lies over the land of a tile: what zones cover, in paint order, and listed places with the
// zone that takes each.
func (s *Screens) over(c *gin.Context) {
	t, ok := tileOf(c)
	if !ok {
		s.Problem(c, http.StatusNotFound, "There is no such tile.")
		return
	}
	m, stamp := s.laidOut()
	if c.Param("stamp") != stamp {
		c.Header("Cache-Control", "no-store") // of a draft that is no more
	} else {
		c.Header("Cache-Control", "private, max-age=86400, immutable")
	}
	p, bound := plotOf(t), t.Bound(0.05)
	b := []byte(`{"paint":[`)
	var names []byte
	for i, paint := range m.In(bound) {
		if i > 0 {
			b = append(b, ',')
		}
		b = p.appendPaint(b, paint, bound)
		if paint.Drawn {
			names = p.appendName(names, paint, m.Name(paint.Zone))
		}
	}
	b = append(append(b, `],"names":[`...), names...)
	b = append(b, `],"spots":[`...)
	for i, spot := range m.Thinned(t.Z, t.Bound(reachOver)) {
		if i > 0 {
			b = append(b, ',')
		}
		at := p.at(orb.Point{spot.Place.Lon, spot.Place.Lat})
		b = fmt.Appendf(b, "[%d,%d,%d,%s,%s]", int(at[0]*perPixel), int(at[1]*perPixel), m.ZoneOf(&spot),
			quoted(spot.Place.Name), quoted(spot.Place.Postcode))
	}
	c.Data(http.StatusOK, "application/json", append(b, "]}"...))
}

// quoted is a text as JSON has it.
func quoted(text string) []byte {
	b, err := json.Marshal(text)
	if err != nil {
		panic(err) // a text can be written
	}
	return b
}

// appendName writes the name of a drawn shape's zone where the shape is wide enough for it: above its middle. It is
// sent with each tile that it may reach into.
func (p plot) appendName(b []byte, paint *ground.Paint, name string) []byte {
	box := paint.Shape.Bound()
	low, high := p.at(orb.Point{box.Min[0], box.Max[1]}), p.at(orb.Point{box.Max[0], box.Min[1]})
	if high[0]-low[0] < leastNamed {
		return b
	}
	if len(b) > 0 {
		b = append(b, ',')
	}
	return fmt.Appendf(b, "[%d,%d,%s]", int((low[0]+high[0])/2*perPixel), int(low[1]*perPixel), quoted(name))
}

func (p plot) appendPaint(b []byte, paint *ground.Paint, bound orb.Bound) []byte {
	b = strconv.AppendInt(append(b, `{"zone":`...), int64(paint.Zone), 10)
	if paint.World {
		b = append(b, `,"world":true`...)
	}
	if len(paint.Countries) > 0 {
		b = append(b, `,"in":[`...)
		for i, code := range paint.Countries {
			if i > 0 {
				b = append(b, ',')
			}
			b = strconv.AppendQuote(b, code)
		}
		b = append(b, ']')
	}
	if len(paint.Shape) > 0 {
		b = append(b, `,"rings":`...)
		b = p.appendShape(b, shifted(paint.Shape, bound))
	}
	if paint.Drawn {
		b = append(b, `,"drawn":true`...)
	}
	if len(paint.Except) > 0 {
		b = append(b, `,"except":[`...)
		for i := range paint.Except {
			if i > 0 {
				b = append(b, ',')
			}
			b = p.appendPaint(b, &paint.Except[i], bound)
		}
		b = append(b, ']')
	}
	return append(b, '}')
}

// shifted is what of a shape lies in a bound, also where it goes on over the antimeridian.
func shifted(shape orb.MultiPolygon, bound orb.Bound) (out orb.MultiPolygon) {
	box := shape.Bound()
	for _, by := range []float64{-360, 0, 360} {
		if by != 0 && box.Min[0] >= -180 && box.Max[0] <= 180 {
			continue
		}
		moved := shape
		if by != 0 {
			moved = shape.Clone()
			for _, polygon := range moved {
				for _, ring := range polygon {
					for i := range ring {
						ring[i][0] += by
					}
				}
			}
		}
		out = append(out, atlas.CutShape(moved, bound)...)
	}
	return out
}
