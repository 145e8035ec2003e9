// Package crate shows parcels to whoever packs them: what is in each, in which order it goes in, and a drawing of it
// as seen from above one corner, in which equal lengths along the three axes are equally long.
package crate

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// Parcel is a parcel, or several that are packed alike.
type Parcel struct {
	Name   string // of the box, or of what travels without one
	Boxed  bool
	Rest   bool // goods that share a parcel without a box
	Count  int
	From   string // name of the place that it leaves from, "" for the usual one
	Weight string // with its unit
	Billed string // where more than the weight is billed, with its unit
	Size   string // length × width × height with the unit, "" where it is not known
	Full   string // the share of the box that is filled, "71 %"; "" without a box
	Goods  []Good
	Steps  []Step   // the order of packing; none where nothing has a place
	Many   bool     // there are too many units to say where each lies
	Loose  []string // names of goods without a size, which go in somewhere
	Draw   *Picture // nil where nothing has a place
}

// Good is some units of a line in a parcel.
type Good struct {
	Mark     string // by which drawings name it
	Colour   int    // 1 to [Colours]
	Name     string
	SKU      string
	Quantity int64
}

// Step is a unit that goes into the box.
type Step struct {
	Number int
	Mark   string
	Colour int
	Name   string
	Says   string // how it lies, and where
}

// Colours is how many colours goods have; then they begin again, and marks tell them apart.
const Colours = 8

// maxDrawn is up to how many units a box is drawn and listed unit by unit.
const maxDrawn = 400

// Of are the parcels of an option that was asked for them.
func Of(f *store.File, q *quote.Request, o *quote.Option) []Parcel { return of(f, q, o, true) }

// Brief is the summary of an option's parcels; "" where the method says nothing of parcels and all goods leave from one
// place: then those that travel alone, and the rest, are all there is to say.
func Brief(f *store.File, q *quote.Request, o *quote.Option) string {
	m := f.Method(o.Method)
	froms := slices.ContainsFunc(o.Parcels, func(p quote.Parcel) bool { return p.From != o.Parcels[0].From })
	if len(o.Parcels) == 0 || m == nil || m.Parcels == nil && !froms {
		return ""
	}
	return Summary(of(f, q, o, false))
}

func of(f *store.File, q *quote.Request, o *quote.Option, drawn bool) []Parcel {
	var list []Parcel
	var last *quote.Parcel
	for i := range o.Parcels {
		p := &o.Parcels[i]
		if last != nil && alike(last, p) {
			list[len(list)-1].Count++
			continue
		}
		last = p
		list = append(list, parcelOf(f, q, p, drawn))
	}
	return list
}

func alike(a, b *quote.Parcel) bool {
	return (a.Box == nil) == (b.Box == nil) && (a.Box == nil || *a.Box == *b.Box) && a.From == b.From &&
		a.Weight == b.Weight && slices.Equal(a.Lines, b.Lines) && slices.Equal(a.Placements, b.Placements)
}

// Summary says in one line what the parcels of an option are: "2 parcels: Large box 18.2 kg, Small box 1.1 kg".
func Summary(list []Parcel) string {
	total := 0
	var names []string
	for i := range list {
		p := &list[i]
		total += p.Count
		name := p.Name + " " + p.Weight
		switch {
		case !p.Boxed && p.Rest && len(list) == 1:
			name = p.Weight
		case !p.Boxed:
			name = p.Name + " (" + p.Weight + ")"
		}
		if p.Count > 1 {
			name = plural.Number(p.Count) + " × " + name
		}
		if p.From != "" {
			name += " from " + p.From
		}
		names = append(names, name)
	}
	if len(names) > 8 {
		names = append(names[:7], plural.Number(len(names)-7)+" more kinds")
	}
	return plural.Count(total, "parcel") + ": " + strings.Join(names, ", ")
}

// Mark is the letter of a line: A to Z, then AA, AB and so on.
func Mark(line int) string {
	mark := ""
	for n := line + 1; n > 0; n = (n - 1) / 26 {
		mark = string(rune('A'+(n-1)%26)) + mark
	}
	return mark
}

func colour(line int) int { return line%Colours + 1 }

func parcelOf(f *store.File, q *quote.Request, p *quote.Parcel, drawn bool) Parcel {
	u := f.Store.Units()
	weight := decimal.MustParse(p.Weight)
	out := Parcel{Count: 1, Weight: u.Measure(rate.ByWeight, weight.Round(3)), Name: "the rest", Rest: true}
	if billed, err := decimal.Parse(p.Billed); err == nil && weight.Less(billed) {
		out.Billed = u.Measure(rate.ByWeight, billed.Round(3))
	}
	if p.From != "" {
		out.From = f.LocationName(p.From)
	}
	if len(p.Sides) == 3 {
		out.Size = strings.Join(p.Sides, " × ") + " " + f.Store.LengthUnit
	}
	for _, l := range p.Lines {
		product := &q.Lines[l.Line].Product
		name := nameOf(product, l.Line)
		out.Goods = append(out.Goods, Good{Mark(l.Line), colour(l.Line), name, product.SKU, l.Quantity})
		if p.Box != nil && !product.Sized() {
			out.Loose = append(out.Loose, name)
		}
	}
	switch {
	case p.Box != nil:
		out.Name, out.Boxed, out.Rest = f.BoxName(*p.Box), true, false
		out.Full = full(q, p)
		out.Many = p.Placements == nil || len(p.Placements) > maxDrawn
		if drawn && !out.Many && len(p.Placements) > 0 {
			out.Steps = steps(f, q, p)
			out.Draw = draw(p)
		}
	case len(p.Lines) == 1 && p.Lines[0].Quantity == 1:
		out.Name, out.Rest = out.Goods[0].Name, false
	}
	return out
}

func nameOf(p *store.Product, line int) string {
	return cmp.Or(p.Name, p.SKU, "line "+strconv.Itoa(line+1))
}

// full is the share of a box that goods with sides fill.
func full(q *quote.Request, p *quote.Parcel) string {
	goods := decimal.Zero
	for _, l := range p.Lines {
		if u := &q.Lines[l.Line].Product; u.Sized() {
			goods = goods.Add(u.Length.Mul(*u.Width).Mul(*u.Height).Mul(decimal.FromInt(l.Quantity)))
		}
	}
	box := decimal.One
	for _, s := range p.Sides {
		box = box.Mul(decimal.MustParse(s))
	}
	return goods.Mul(decimal.Hundred).QuoRound(box, 0).String() + " %"
}

func steps(f *store.File, q *quote.Request, p *quote.Parcel) (list []Step) {
	unit := f.Store.LengthUnit
	for i := range p.Placements {
		at := &p.Placements[i]
		product := &q.Lines[at.Line].Product
		says := "lies flat"
		switch height := decimal.MustParse(at.Sides[2]); {
		case product.Upright:
			says = "stands upright"
		case least(product).Less(height):
			says = "stands on its side"
			if longest(product).Cmp(height) == 0 {
				says = "stands on its end"
			}
		}
		says = fmt.Sprintf("%s, %s %s; its near corner at %s along, %s across, %s up", says,
			strings.Join(at.Sides[:], " × "), unit, at.At[0], at.At[1], at.At[2])
		list = append(list, Step{i + 1, Mark(at.Line), colour(at.Line), nameOf(product, at.Line), says})
	}
	return list
}

func sides(p *store.Product) []decimal.Decimal {
	return []decimal.Decimal{*p.Length, *p.Width, *p.Height}
}

func least(p *store.Product) decimal.Decimal { return slices.MinFunc(sides(p), decimal.Decimal.Cmp) }

func longest(p *store.Product) decimal.Decimal { return slices.MaxFunc(sides(p), decimal.Decimal.Cmp) }
