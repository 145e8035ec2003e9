package store

import "diadrom/internal/core/fault"

// parcels reads how goods become parcels; nil where that says nothing.
func (r *reader) parcels() *Parcels {
	var p Parcels
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "boxes":
			p.Boxes = r.Texts()
		case "all_boxes":
			p.AllBoxes = r.Bool(false)
		case "max_weight":
			p.MaxWeight = r.amount()
		default:
			return false
		}
		return true
	})
	if len(p.Boxes) == 0 && !p.AllBoxes && p.MaxWeight == nil {
		return nil
	}
	if len(p.Boxes) > 0 && p.AllBoxes {
		r.FaultBelow(fault.Path{"all_boxes"}, fault.Shape, "either name boxes or take all of the store's")
	}
	return &p
}

func (r *reader) box() (b Box) {
	given := map[string]bool{}
	before := len(r.Faults)
	ok := r.Object(func(name []byte) bool {
		switch string(name) {
		case "id":
			b.ID = r.id()
		case "name":
			b.Name = r.Text()
		case "length", "width", "height":
			side, at := string(name), len(r.Faults)
			d := r.amount()
			given[side] = d != nil || len(r.Faults) > at
			if d != nil {
				if *b.Side(side) = *d; d.IsZero() {
					r.Fault(fault.Range, "a side of a box is above 0")
				}
			}
		case "weight":
			b.Weight = r.amount()
		case "max_weight":
			b.MaxWeight = r.amount()
		case "names":
			b.Names = r.texts()
		case "cost":
			b.Cost = r.amount()
		default:
			return false
		}
		return true
	})
	for _, side := range Sides {
		if ok && len(r.Faults) == before && !given[side] {
			r.FaultBelow(fault.Path{side}, fault.Missing, "say the %s of this box", side)
		}
	}
	return b
}
