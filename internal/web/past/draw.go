package past

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/past"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/strip"
)

// bars are lengths beside one another, from a line of 0 to both sides.
type bars struct {
	Zero          string
	Width, Height string
	Rows          []bar
	About         string
}

type bar struct {
	Name, Text, X, Width, Y, TextY, TextX, Anchor, Colour string
	Loses                                                 bool
	NameX                                                 string
}

// Sizes of bars, in the drawing's units.
const (
	barsWidth, nameWidth, barHeight, barsRoom = 640.0, 170.0, 24.0, 110.0
)

// lay lays bars out by their values.
func lay(names, texts, colours []string, values []float64) *bars {
	low, high := 0.0, 0.0
	for _, v := range values {
		low, high = math.Min(low, v), math.Max(high, v)
	}
	if high == low {
		return nil
	}
	left, right := nameWidth, barsWidth-barsRoom
	if low < 0 {
		left += barsRoom
	}
	at := func(v float64) float64 { return left + (v-low)/(high-low)*(right-left) }
	b := &bars{Zero: strip.Px(at(0)), Width: strip.Px(barsWidth), Height: strip.Px(barHeight*float64(len(values)) + 6)}
	for i, v := range values {
		x, y := at(v), barHeight*float64(i)+4
		one := bar{
			Name:  names[i],
			Text:  texts[i],
			Y:     strip.Px(y),
			TextY: strip.Px(y + 12),
			X:     strip.Px(math.Min(x, at(0))),
			Width: strip.Px(
				math.Max(math.Abs(x-at(0)), 1),
			),
			Loses:  v < 0,
			Colour: colours[i],
			NameX:  strip.Px(nameWidth - 8),
			TextX:  strip.Px(x + 6),
			Anchor: "start",
		}
		if v < 0 {
			one.TextX, one.Anchor = strip.Px(x-6), "end"
		}
		b.Rows = append(b.Rows, one)
	}
	return b
}

// zoneBars draw what is left by zone.
func zoneBars(f *store.File, groups []*past.Group) *bars {
	var names, texts, colours []string
	var values []float64
	list := slices.Clone(groups)
	slices.SortStableFunc(list, func(a, b *past.Group) int { return b.Margin.Cmp(a.Margin) })
	for _, g := range list {
		if g.Orders-g.NotOffered-g.Unrated-g.CostUnknown == 0 {
			continue
		}
		names, texts = append(names, keyWords(f, past.Zone, g.Key[0])), append(texts, price(f, g.Margin))
		colours, values = append(
			colours,
			shell.Colour(max(f.ZoneIndex(g.Key[0]), 0)),
		), append(
			values,
			g.Margin.Float64(),
		)
	}
	return lay(names, texts, colours, values)
}

// maxChanges is how many bars of differences are drawn; those beyond it are put together.
const maxChanges = 14

// changeBars draw how many buyers pay how much more or less.
func changeBars(f *store.File, list []past.Difference) *bars {
	for len(list) > maxChanges { // the farthest two become one
		if list[0].At.Neg().Cmp(list[len(list)-1].At) >= 0 {
			list[1].Count += list[0].Count
			list = list[1:]
		} else {
			list[len(list)-2].Count += list[len(list)-1].Count
			list = list[:len(list)-1]
		}
	}
	var names, texts, colours []string
	var values []float64
	for i, one := range list {
		name := "the same"
		if sign := one.At.Sign(); sign != 0 {
			edge := one.At
			if sign < 0 {
				edge = edge.Neg()
			}
			name = "up to " + price(f, edge)
			if i == 0 && sign < 0 || i == len(list)-1 && sign > 0 {
				name = price(f, edge) + " and beyond"
			}
			name += map[int]string{1: " more", -1: " less"}[sign]
		}
		names, texts = append(names, name), append(texts, plural.Count(one.Count, "buyer"))
		colours, values = append(colours, ""), append(values, float64(one.Count))
	}
	return lay(names, texts, colours, values)
}

// dots draw orders by their charge and their cost: below the line something is left.
type dots struct {
	List          []dot
	X, Y          []tick
	Line          string // the path where charge and cost are the same
	Curve         string // of a list
	Proposed      string
	XName, YName  string
	Losing, Count string
}

type dot struct{ X, Y, Colour, Title string }

type tick struct{ At, Text string }

// Sizes of the drawing of dots.
const (
	dotsWidth, dotsHeight, dotsLeft, dotsBottom, dotsTop = 640.0, 300.0, 46.0, 32.0, 14.0
)

// scale maps values to a drawing of dots.
type scale struct{ x, y float64 }

func (s scale) px(x float64) string {
	return strip.Px(dotsLeft + math.Min(x, s.x)/s.x*(dotsWidth-dotsLeft-20))
}

func (s scale) py(y float64) string {
	return strip.Px(dotsTop + (1-math.Min(y, s.y)/s.y)*(dotsHeight-dotsTop-dotsBottom))
}

// ticks are round values up to the greatest.
func ticks(most float64, at func(float64) string) (list []tick) {
	step := math.Pow(10, math.Floor(math.Log10(most/4)))
	for _, n := range []float64{1, 2, 5, 10} {
		if most/(n*step) <= 6 {
			step *= n
			break
		}
	}
	for v := 0.0; v <= most+step/1000; v += step {
		list = append(list, tick{at(v), strconv.FormatFloat(math.Round(v*1000)/1000, 'f', -1, 64)})
	}
	return list
}

// mostOf is a value that all but a hundredth of the values do not exceed.
func mostOf(values []float64) float64 {
	slices.Sort(values)
	return values[min(len(values)-1, len(values)*99/100)] * 1.08
}

// dotsOf draws orders.
func dotsOf(f *store.File, points []past.Point) *dots {
	if len(points) == 0 {
		return nil
	}
	var xs, ys []float64
	losing := 0
	for i := range points {
		xs, ys = append(xs, points[i].Charge.Float64()), append(ys, points[i].Cost.Float64())
		if points[i].Charge.Less(points[i].Cost) {
			losing++
		}
	}
	most := math.Max(mostOf(xs), mostOf(ys))
	if most <= 0 {
		return nil
	}
	s := scale{most, most}
	d := &dots{X: ticks(most, s.px), Y: ticks(most, s.py), XName: "charge without tax, " + f.Store.Currency,
		YName: "cost, " + f.Store.Currency, Count: plural.Count(len(points), "order"),
		Losing: plural.Count(losing, "order")}
	d.Line = "M" + s.px(0) + " " + s.py(0) + "L" + s.px(most) + " " + s.py(most)
	for i := range points {
		p := &points[i]
		d.List = append(d.List, dot{s.px(math.Max(p.Charge.Float64(), 0)), s.py(math.Max(p.Cost.Float64(), 0)),
			shell.Colour(max(f.ZoneIndex(p.Zone), 0)), fmt.Sprintf("%s: charged %s, costs %s", p.ID, price(f, p.Charge),
				price(f, p.Cost))})
	}
	return d
}

// stepPath draws prices over what they go by: each row up to its break.
func stepPath(s scale, at, prices []decimal.Decimal) string {
	path, from := "", 0.0
	for i := range at {
		y := s.py(prices[i].Float64())
		path += cmp.Or(map[bool]string{true: "M"}[i == 0], "L") + s.px(from) + " " + y
		from = at[i].Float64()
		path += "L" + s.px(from) + " " + y
	}
	return path
}
