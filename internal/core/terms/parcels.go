package terms

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/measure"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// allBoxes is what is typed for all boxes of the store.
const allBoxes = "all"

func parcelsText(f *store.File, p *store.Parcels, field Field) string {
	switch {
	case p == nil:
		return ""
	case field == MaxParcel:
		if p.MaxWeight == nil {
			return ""
		}
		return f.Store.Units().Measure(rate.ByWeight, *p.MaxWeight)
	case p.AllBoxes:
		return allBoxes
	}
	names := make([]string, len(p.Boxes))
	for i, id := range p.Boxes {
		names[i] = f.BoxText(id)
	}
	return strings.Join(names, "; ")
}

// setParcels sets the boxes, or the most that a parcel may weigh, as they are typed.
func setParcels(f *store.File, m *store.Method, field Field, text string) error {
	var p store.Parcels
	if m.Parcels != nil {
		p = *m.Parcels
	}
	switch {
	case field == MaxParcel:
		p.MaxWeight = nil
		if text = strings.TrimSpace(strings.TrimPrefix(strings.ToLower(text), "up to")); text != "" {
			d, err := measure.Parse(measure.Weight, text, f.Store.WeightUnit)
			if err != nil {
				return err
			}
			if d.IsZero() {
				return errors.New("a parcel weighs more than 0: write what it may weigh at most, or leave this empty")
			}
			p.MaxWeight = &d
		}
	case strings.EqualFold(text, allBoxes) || strings.EqualFold(text, allBoxes+" boxes"):
		if len(f.Boxes) == 0 {
			return errors.New("the shop has no boxes yet: add one under Products, Boxes")
		}
		p.Boxes, p.AllBoxes = nil, true
	default:
		boxes, err := called(text, func(name string) (string, error) { return boxCalled(f, name) })
		if err != nil {
			return err
		}
		p.Boxes, p.AllBoxes = boxes, false
	}
	putParcels(m, p)
	return nil
}

// putParcels gives a method parcels of its own; nothing of them is none.
func putParcels(m *store.Method, p store.Parcels) {
	if m.Parcels = nil; len(p.Boxes) > 0 || p.AllBoxes || p.MaxWeight != nil {
		m.Parcels = &p
	}
}

// boxCalled is the id of a box by its name or its id.
func boxCalled(f *store.File, text string) (string, error) {
	ids := f.BoxesCalled(text)
	switch {
	case len(ids) == 1:
		return ids[0], nil
	case len(ids) > 1:
		return "", fmt.Errorf("%d boxes are called %.40q: write which, %s", len(ids), text, strings.Join(ids, " or "))
	case len(f.Boxes) == 0:
		return "", errors.New("the shop has no boxes yet: add one under Products, Boxes")
	}
	var names []string
	for i := range f.Boxes {
		names = append(names, f.BoxText(f.Boxes[i].ID))
	}
	return "", fmt.Errorf("the shop has no box %.40q: it has %s; all means all of them", text,
		strings.Join(names, "; "))
}

func parcelsPart(p *store.Parcels, field Field) any {
	switch {
	case p == nil:
		return nil
	case field == MaxParcel:
		if p.MaxWeight == nil {
			return nil
		}
		return p.MaxWeight
	case p.AllBoxes:
		return allBoxes
	case len(p.Boxes) == 0:
		return nil
	}
	return p.Boxes
}

func copyParcels(to, from *store.Method, field Field) {
	var p, theirs store.Parcels
	if to.Parcels != nil {
		p = *to.Parcels
	}
	if from.Parcels != nil {
		theirs = *from.Parcels
	}
	if field == MaxParcel {
		p.MaxWeight = theirs.MaxWeight
	} else {
		p.Boxes, p.AllBoxes = slices.Clone(theirs.Boxes), theirs.AllBoxes
	}
	putParcels(to, p)
}
