package edit

import (
	"cmp"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/store"
)

// BoxField is a field of a box as it is typed.
type BoxField string

// The fields of a box.
const (
	BoxName      BoxField = "name"
	BoxLength    BoxField = "length"
	BoxWidth     BoxField = "width"
	BoxHeight    BoxField = "height"
	BoxWeight    BoxField = "weight"
	BoxMaxWeight BoxField = "max_weight"
	BoxCost      BoxField = "cost"
)

// BoxFields lists them, in the order of the table.
var BoxFields = []BoxField{BoxName, BoxLength, BoxWidth, BoxHeight, BoxWeight, BoxMaxWeight, BoxCost}

// BoxText is a field of a box as it is written, in the store's units.
func BoxText(f *store.File, b *store.Box, field BoxField) string {
	number := func(d *decimal.Decimal) string {
		if d == nil {
			return ""
		}
		return d.String()
	}
	switch field {
	case BoxName:
		return cmp.Or(b.Name, b.ID)
	case BoxWeight:
		return number(b.Weight)
	case BoxMaxWeight:
		return number(b.MaxWeight)
	case BoxCost:
		if b.Cost == nil {
			return ""
		}
		return b.Cost.Fixed(f.Store.Digits())
	}
	if side := b.Side(string(field)); side != nil && !side.IsZero() {
		return side.String()
	}
	return ""
}

// SetBox sets a field of a box as it is typed, with or without a unit. was is what the owner saw there; where it is
// something else by now, and not what is typed, the error is a [*Conflict].
func SetBox(f *store.File, id string, field BoxField, was, typed string) error {
	b := f.Box(id)
	if b == nil {
		return Problemf("this box was removed meanwhile")
	}
	if now := BoxText(f, b, field); now != was {
		wanted := *b
		if typeBox(f, &wanted, field, typed) == nil && BoxText(f, &wanted, field) == now {
			return nil // it is so already
		}
		return &Conflict{now}
	}
	return typeBox(f, b, field, typed)
}

// typeBox sets a field of a box as it is typed.
func typeBox(f *store.File, b *store.Box, field BoxField, typed string) error {
	typed = strings.TrimSpace(typed)
	switch field {
	case BoxName:
		name, err := Name(typed)
		if err != nil {
			return err
		}
		for _, id := range f.BoxesCalled(name) {
			if id != b.ID {
				return Problemf("another box is called %s already", name)
			}
		}
		b.Name = name
		return nil
	case BoxLength, BoxWidth, BoxHeight:
		d, err := boxSide(f, typed)
		if err != nil {
			return err
		}
		*b.Side(string(field)) = d
		return nil
	case BoxCost:
		if b.Cost = nil; typed == "" {
			return nil
		}
		d, err := measure.Number(typed, f.Store.Currency)
		if err != nil {
			return Problemf("%s", err.Error())
		}
		b.Cost = &d
		return nil
	case BoxWeight, BoxMaxWeight:
		var into **decimal.Decimal
		if into = &b.Weight; field == BoxMaxWeight {
			into = &b.MaxWeight
		}
		if *into = nil; typed == "" {
			return nil
		}
		d, err := measure.Parse(measure.Weight, typed, f.Store.WeightUnit)
		if err != nil {
			return Problemf("%s", err.Error())
		}
		*into = &d
		return nil
	}
	return Problemf("this field cannot be changed here")
}

func boxSide(f *store.File, typed string) (decimal.Decimal, error) {
	d, err := measure.Parse(measure.Length, typed, f.Store.LengthUnit)
	switch {
	case typed == "":
		return d, Problemf("a box needs all three sides: write one as 30 or 30 %s", f.Store.LengthUnit)
	case err != nil:
		return d, Problemf("%s", err.Error())
	case d.IsZero():
		return d, Problemf("a side of a box is above 0")
	}
	return d, nil
}

// NewBox is a box as it is typed; its size is three sides with x, × or spaces between them, the unit at the end or
// none.
type NewBox struct{ Name, Size, Weight, MaxWeight, Cost string }

// AddBox adds a box.
func AddBox(f *store.File, typed NewBox) error {
	sides, err := boxSize(f, typed.Size)
	if err != nil {
		return err
	}
	return addBox(f, typed.Name, append(sides, typed.Weight, typed.MaxWeight, typed.Cost))
}

// addBox adds a box by what is typed for its fields behind the name.
func addBox(f *store.File, name string, rest []string) error {
	b := store.Box{ID: store.NewID(name, "box", func(id string) bool { return f.Box(id) != nil })}
	if err := typeBox(f, &b, BoxName, name); err != nil {
		return err
	}
	for i, field := range BoxFields[1:] {
		text := ""
		if i < len(rest) {
			text = rest[i]
		}
		if err := typeBox(f, &b, field, text); err != nil {
			return err
		}
	}
	f.Boxes = append(f.Boxes, b)
	return nil
}

// boxSize reads "30 x 20 x 15 cm".
func boxSize(f *store.File, typed string) ([]string, error) {
	text := strings.NewReplacer("×", " ", "x", " ", "X", " ", "*", " ").Replace(typed)
	parts := strings.Fields(text)
	unit := ""
	if len(parts) == 4 {
		if named, ok := measure.Unit(measure.Length, parts[3]); ok {
			unit, parts = named, parts[:3]
		}
	}
	if len(parts) != 3 {
		return nil, Problemf("write the inner size of the box as length × width × height, such as 30 × 20 × 15 %s",
			f.Store.LengthUnit)
	}
	last := parts[2]
	for i := 1; i < len(last) && unit == ""; i++ { // 15cm
		if named, ok := measure.Unit(measure.Length, last[i:]); ok {
			unit, parts[2] = named, last[:i]
		}
	}
	for i := range parts {
		if unit != "" {
			if _, err := decimal.Parse(strings.ReplaceAll(parts[i], ",", ".")); err == nil {
				parts[i] += " " + unit
			}
		}
	}
	return parts, nil
}

// RemoveBox removes a box that no method packs into by name.
func RemoveBox(f *store.File, id string) error {
	if uses := BoxUses(f, id, false); len(uses) > 0 {
		return Problemf("%s is packed into by %s: take it out there first", f.BoxName(id), strings.Join(uses, ", "))
	}
	f.Boxes = slices.DeleteFunc(f.Boxes, func(b store.Box) bool { return b.ID == id })
	if len(f.Boxes) == 0 {
		for i := range f.Methods {
			if p := f.Methods[i].Parcels; p != nil && p.AllBoxes {
				return Problemf("%s packs into all boxes, and this is the last: change that first",
					f.Methods[i].BuyersLabel())
			}
		}
	}
	return nil
}

// BoxUses names the methods that pack into a box: those that name it, and with all those too that take all boxes.
func BoxUses(f *store.File, id string, all bool) (names []string) {
	for i := range f.Methods {
		m := &f.Methods[i]
		if p := m.Parcels; p != nil && (slices.Contains(p.Boxes, id) || all && p.AllBoxes) {
			names = append(names, cmp.Or(m.Name, m.ID))
		}
	}
	return names
}

// BoxCell is a field of a box.
type BoxCell struct {
	Box   string
	Field BoxField
}

// PastedBoxes is what became of a block of cells.
type PastedBoxes struct {
	Taken, Added int
	Slips        map[BoxCell]Typed // cells that were not taken
	Refused      []string          // rows below the last box that make none, with the reasons
}

// PasteBoxes takes a block of cells, parted by tabs and line ends, from a cell on to the right and down. Rows below the
// last box make new ones where the block begins at the name. Where nothing can be taken, that is the error.
func PasteBoxes(f *store.File, at BoxCell, block string) (p PastedBoxes, err error) {
	p.Slips = map[BoxCell]Typed{}
	row := slices.IndexFunc(f.Boxes, func(b store.Box) bool { return b.ID == at.Box })
	column := slices.Index(BoxFields, at.Field)
	if at.Box == "" {
		row = len(f.Boxes)
	}
	if row < 0 || column < 0 {
		return p, Problemf("this box was removed meanwhile")
	}
	there := len(f.Boxes)
	for i, line := range lines(block) {
		cells := strings.Split(line, "\t")
		if row+i >= there {
			if strings.TrimSpace(line) == "" {
				continue
			}
			if column > 0 {
				p.Refused = append(p.Refused, "a row without a name: paste from the name on to add boxes")
			} else if err := addBox(f, cells[0], cells[1:]); err != nil {
				p.Refused = append(p.Refused, strings.TrimSpace(cells[0])+": "+err.Error())
			} else {
				p.Added++
			}
			continue
		}
		b := &f.Boxes[row+i]
		for j, text := range cells[:min(len(cells), len(BoxFields)-column)] {
			field := BoxFields[column+j]
			wanted := *b
			if err := typeBox(f, &wanted, field, text); err != nil {
				p.Slips[BoxCell{b.ID, field}] = Typed{strings.TrimSpace(text), err.Error()}
				continue
			}
			*b = wanted
			p.Taken++
		}
	}
	if p.Taken+p.Added == 0 {
		if len(p.Refused) > 0 {
			return p, Problemf("nothing of what was pasted can be taken: %s", p.Refused[0])
		}
		return p, Problemf("none of the pasted cells can be taken")
	}
	return p, nil
}

// UsualBox is a size to begin with.
type UsualBox struct {
	ID, Name, Size, Weight, MaxWeight string
}

// UsualBoxes are sizes that packaging is made in, to begin with and to edit: their floors divide the module of
// 600 × 400 mm (ISO 3394, from memory); heights, own weights and what they carry are common practice, no source.
var UsualBoxes = []UsualBox{
	{"flat", "Flat box", "30 × 20 × 3 cm", "60 g", "2 kg"},
	{"small", "Small box", "20 × 15 × 10 cm", "80 g", "5 kg"},
	{"medium", "Medium box", "30 × 20 × 15 cm", "180 g", "10 kg"},
	{"large", "Large box", "40 × 30 × 20 cm", "350 g", "20 kg"},
	{"largest", "Extra large box", "60 × 40 × 40 cm", "900 g", "30 kg"},
}

// usualDecimals is to how many decimals of the store's units the usual sizes are rounded.
const usualDecimals = 6

// AddUsualBox adds one of [UsualBoxes], in the store's units.
func AddUsualBox(f *store.File, id string) error {
	for _, u := range UsualBoxes {
		if u.ID == id {
			if err := AddBox(f, NewBox{Name: u.Name, Size: u.Size, Weight: u.Weight, MaxWeight: u.MaxWeight}); err != nil {
				return err
			}
			b := &f.Boxes[len(f.Boxes)-1]
			for _, d := range []*decimal.Decimal{&b.Length, &b.Width, &b.Height, b.Weight, b.MaxWeight} {
				if d != nil {
					*d = d.Round(usualDecimals)
				}
			}
			return nil
		}
	}
	return Problemf("there is no such size")
}
