package crate

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/quote"
)

// Picture is a box with what is in it, drawn. Coordinates are those of the view box, of which the origin is the upper
// left corner.
type Picture struct {
	Width, Height string
	Floor         string   // points of the floor
	Back          []string // edges behind the goods, as points
	Units         []Unit   // the furthest first
	Front         []string // edges before them
	Marks         []Label  // sides of the box
	Tall          bool     // whether it is higher than wide
}

// Unit is a cuboid: the points of the three faces that are seen.
type Unit struct {
	Step             int
	Colour           int
	Mark             string
	Top, Left, Right string
	Label            *Label // where its mark stands; nil where it is too small
}

// Label is a text at a place, of a size.
type Label struct{ X, Y, Text, Size string }

// viewWide and viewHigh are the size of drawings, in pixels of the screen.
const (
	viewWide = 340.0
	viewHigh = 300.0
	margin   = 22.0
	// leastMark is the least size of a mark that can be read.
	leastMark = 8.0
)

type vector [3]float64

// cuboid is what a unit fills.
type cuboid struct{ lo, hi vector }

// behind says whether a cuboid is to be drawn before another: it lies apart from it on the far side.
func (c *cuboid) behind(d *cuboid) bool {
	const near = 1e-9
	return c.hi[0] <= d.lo[0]+near || c.hi[1] <= d.lo[1]+near || c.hi[2] <= d.lo[2]+near
}

// projection puts points of a box onto the picture: the eye is above the corner that is furthest from the box's
// origin, so the length runs to the right and down, the width to the left and down.
type projection struct{ scale, left, top float64 }

func (p projection) point(v vector) (x, y float64) {
	flat := vector{(v[0] - v[1]) * math.Sqrt(3) / 2, (v[0]+v[1])/2 - v[2]}
	return p.left + flat[0]*p.scale, p.top + flat[1]*p.scale
}

func (p projection) points(list ...vector) string {
	out := make([]string, len(list))
	for i, v := range list {
		x, y := p.point(v)
		out[i] = number(x) + "," + number(y)
	}
	return strings.Join(out, " ")
}

func number(f float64) string { return decimal.FromFloat(f, 1).String() }

func vectorOf(texts []string) (v vector) {
	for i := range v {
		v[i] = decimal.MustParse(texts[i]).Float64()
	}
	return v
}

func draw(p *quote.Parcel) *Picture {
	box := vectorOf(p.Sides)
	wide, high := (box[0]+box[1])*math.Sqrt(3)/2, (box[0]+box[1])/2+box[2]
	scale := min((viewWide-2*margin)/wide, (viewHigh-2*margin)/high)
	at := projection{scale, margin + box[1]*math.Sqrt(3)/2*scale, margin + box[2]*scale}
	pic := &Picture{
		Width:  number(wide*scale + 2*margin),
		Height: number(high*scale + 2*margin),
		Tall:   high > wide,
	}
	corner := func(x, y, z float64) vector { return vector{x * box[0], y * box[1], z * box[2]} }
	pic.Floor = at.points(corner(0, 0, 0), corner(1, 0, 0), corner(1, 1, 0), corner(0, 1, 0))
	origin := corner(0, 0, 0)
	for _, end := range []vector{corner(1, 0, 0), corner(0, 1, 0), corner(0, 0, 1)} {
		pic.Back = append(pic.Back, at.points(origin, end))
	}
	pic.Front = []string{
		at.points(corner(1, 0, 0), corner(1, 1, 0), corner(0, 1, 0)),
		at.points(corner(0, 0, 1), corner(1, 0, 1), corner(1, 1, 1), corner(0, 1, 1), corner(0, 0, 1)),
		at.points(corner(1, 0, 0), corner(1, 0, 1)), at.points(corner(1, 1, 0), corner(1, 1, 1)),
		at.points(corner(0, 1, 0), corner(0, 1, 1)),
	}
	side := func(i int, middle vector, dx, dy float64) {
		x, y := at.point(middle)
		pic.Marks = append(pic.Marks, Label{number(x + dx), number(y + dy), p.Sides[i], "11"})
	}
	side(0, corner(0.5, 1, 0), -12, 14)
	side(1, corner(1, 0.5, 0), 12, 14)
	side(2, corner(1, 0, 0.5), 12, 0)
	cuboids := make([]cuboid, len(p.Placements))
	for i := range p.Placements {
		lo, sides := vectorOf(p.Placements[i].At[:]), vectorOf(p.Placements[i].Sides[:])
		cuboids[i] = cuboid{lo, vector{lo[0] + sides[0], lo[1] + sides[1], lo[2] + sides[2]}}
	}
	for _, i := range furthestFirst(cuboids) {
		line := p.Placements[i].Line
		pic.Units = append(pic.Units, unit(at, &cuboids[i], i+1, line))
	}
	return pic
}

// unit draws the three faces of a cuboid that are seen, and its mark on the largest.
func unit(at projection, c *cuboid, step, line int) Unit {
	lo, hi := c.lo, c.hi
	faces := [3][4]vector{
		{{lo[0], lo[1], hi[2]}, {hi[0], lo[1], hi[2]}, hi, {lo[0], hi[1], hi[2]}},
		{{lo[0], hi[1], hi[2]}, hi, {hi[0], hi[1], lo[2]}, {lo[0], hi[1], lo[2]}},
		{{hi[0], lo[1], hi[2]}, hi, {hi[0], hi[1], lo[2]}, {hi[0], lo[1], lo[2]}},
	}
	u := Unit{Step: step, Colour: colour(line), Mark: Mark(line)}
	largest, size := 0, 0.0
	for i := range faces {
		a, b := [3]int{0, 0, 1}[i], [3]int{1, 2, 2}[i]
		if s := min(hi[a]-lo[a], hi[b]-lo[b]); s > size {
			largest, size = i, s
		}
	}
	u.Top, u.Left, u.Right = at.points(faces[0][:]...), at.points(faces[1][:]...), at.points(faces[2][:]...)
	if high := size * at.scale * 0.6; high >= leastMark {
		var middle vector
		for _, v := range faces[largest] {
			for axis := range middle {
				middle[axis] += v[axis] / 4
			}
		}
		x, y := at.point(middle)
		u.Label = &Label{number(x), number(y), u.Mark, fmt.Sprint(int(min(high, 22)))}
	}
	return u
}

// furthestFirst orders cuboids that do not overlap so that each is drawn before those that hide it.
func furthestFirst(list []cuboid) (order []int) {
	hides := make([][]int, len(list)) // of each, those that have to be drawn before it
	for i := range list {
		for j := range list {
			if i != j && list[j].behind(&list[i]) && !list[i].behind(&list[j]) {
				hides[i] = append(hides[i], j)
			}
		}
	}
	done := make([]int, len(list)) // 0 not begun, 1 under way, 2 done
	var visit func(i int)
	visit = func(i int) {
		if done[i] > 0 {
			return
		}
		done[i] = 1
		for _, j := range hides[i] {
			visit(j)
		}
		done[i] = 2
		order = append(order, i)
	}
	begin := make([]int, len(list))
	for i := range begin {
		begin[i] = i
	}
	depth := func(c *cuboid) float64 { return c.lo[0] + c.lo[1] + c.lo[2] }
	slices.SortStableFunc(begin, func(a, b int) int {
		switch x, y := depth(&list[a]), depth(&list[b]); {
		case x < y:
			return -1
		case x > y:
			return 1
		}
		return 0
	})
	for _, i := range begin {
		visit(i)
	}
	return order
}
