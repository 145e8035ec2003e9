package quote

import (
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/plural"
)

// Limits of what an option lists of its parcels: the answer of a cart of a million units would be as long as a book.
const (
	MaxParcels    = 10_000 // of an option; further ones are counted in a warning
	MaxPlacements = 10_000 // of a parcel; one of more units has none listed
)

// Parcel is one parcel of an option.
type Parcel struct {
	Box        *string      `json:"box"`  // its id; null where the goods travel without one
	From       string       `json:"from"` // id of the location that it leaves from; "" for the usual place
	Weight     string       `json:"weight"`
	Billed     string       `json:"billed_weight"`
	Sides      []string     `json:"sides"` // length, width, height; null where they are not known
	Lines      []ParcelLine `json:"lines"`
	Placements []Placement  `json:"placements"` // null where they are too many to list
	// BoxName is what the box is called in the buyer's language, of a request that says one: see package spoken.
	BoxName string `json:"box_name,omitempty"`
}

// ParcelLine is how many units of a request's line, counted from 0, are in a parcel.
type ParcelLine struct {
	Line     int   `json:"line"`
	Quantity int64 `json:"quantity"`
}

// Placement is where a unit lies in its box: the corner nearest to the box's, and its sides as it is turned, both
// along the box's length, width and height.
type Placement struct {
	Line  int       `json:"line"`
	At    [3]string `json:"at"`
	Sides [3]string `json:"sides"`
}

// listParcels are those of an option, as the answer has them; those that are alike one by one.
func (a *asked) listParcels(m *method) []Parcel {
	return a.list(m, a.parcelled(m.plan, false).parcels, MaxParcels)
}

func (a *asked) list(m *method, list []packed, most int) []Parcel {
	out := []Parcel{}
	divisor := a.e.divisor(m.Method)
	for i := range list {
		p := &list[i]
		one := Parcel{From: p.from, Weight: p.all.Weight.String(), Placements: []Placement{}}
		one.Billed = a.e.billed(p.all.Weight, p.volume, divisor).String()
		switch {
		case p.box != nil:
			one.Box, one.Sides = &p.box.ID, written(p.box.sides[:])
		case p.unit != nil && p.unit.Sized():
			one.Sides = written([]decimal.Decimal{*p.unit.Length, *p.unit.Width, *p.unit.Height})
		}
		for _, c := range p.contents {
			one.Lines = append(one.Lines, ParcelLine{c.line, c.count})
		}
		if p.box != nil {
			one.Placements = p.placements()
		}
		for range p.count {
			if len(out) == most {
				a.unlisted = true
				return out
			}
			out = append(out, one)
		}
	}
	return out
}

func written(list []decimal.Decimal) []string {
	out := make([]string, len(list))
	for i := range list {
		out[i] = list[i].String()
	}
	return out
}

// placements are where the units of a boxed parcel lie, in the order in which they are packed.
func (p *packed) placements() []Placement {
	n := int64(0)
	for i := range p.blocks {
		n += p.blocks[i].Count()
	}
	if n > MaxPlacements {
		return nil
	}
	out := make([]Placement, 0, n)
	rest := make(map[int][]lineCount, len(p.kinds))
	for kind, list := range p.kinds {
		rest[kind] = slices.Clone(list)
	}
	for i := range p.blocks {
		b := &p.blocks[i]
		sides := written(b.Sides[:])
		for u := range b.Count() {
			lines := rest[b.Kind]
			at := b.Unit(u)
			out = append(out, Placement{lines[0].line, [3]string(written(at[:])), [3]string(sides)})
			if lines[0].count--; lines[0].count == 0 {
				rest[b.Kind] = lines[1:]
			}
		}
	}
	return out
}

// parcelWarnings say what of the goods could not be packed as they are, for each plan that was asked.
func (a *asked) parcelWarnings() (list []Warning) {
	for i, p := range a.e.plans {
		if a.parcellings == nil || a.parcellings[2*(i+1)] == nil {
			continue
		}
		of := ""
		if len(a.e.plans) > 1 {
			of = " of " + strings.Join(p.methods, ", ")
		}
		made := a.parcellings[2*(i+1)]
		if names, more := a.names(made.unboxed); names != "" {
			travels := "it travels alone"
			if more {
				travels = "each travels alone"
			}
			list = append(list, Warning{NoBox, "No box" + of + " takes " + names + ": " + travels})
		}
		if names, more := a.names(made.unsized); names != "" {
			verb := " has no size and takes no room in a box"
			if more {
				verb = " have no size and take no room in a box"
			}
			if !slices.ContainsFunc(list, func(w Warning) bool { return w.Message == names+verb }) {
				list = append(list, Warning{NoSize, names + verb})
			}
		}
	}
	if a.unlisted {
		list = append(list, Warning{ParcelsCut, "Only " + decimal.FromInt(MaxParcels).String() +
			" parcels of each method are listed"})
	}
	return list
}

// names are what lines are called, and whether they are several.
func (a *asked) names(lines []int) (text string, several bool) {
	var names []string
	seen := map[string]bool{}
	for _, i := range slices.Sorted(slices.Values(lines)) {
		if name := a.q.Lines[i].name(i); !seen[name] {
			seen[name] = true
			names = append(names, name)
		}
	}
	return plural.Few(names), len(names) > 1
}
