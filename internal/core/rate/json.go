package rate

import "encoding/json"

// MarshalJSON writes a charge that is only a base as a string.
func (c *Charge) MarshalJSON() ([]byte, error) {
	if c == nil {
		return []byte("null"), nil
	}
	if c.Base != nil && *c == (Charge{Base: c.Base}) {
		return []byte(`"` + c.Base.String() + `"`), nil // most charges are
	}
	type alias Charge
	return json.Marshal((*alias)(c))
}

// MarshalJSON writes a row. Lists have many cells, and most are a base alone: those are written without reflection.
func (r Row) MarshalJSON() ([]byte, error) {
	out := append(make([]byte, 0, 16+10*len(r.Charges)), `{"at":`...)
	if r.At == nil {
		out = append(out, "null"...)
	} else {
		out = append(append(append(out, '"'), r.At.String()...), '"')
	}
	out = append(out, `,"charges":[`...)
	for i, c := range r.Charges {
		if i > 0 {
			out = append(out, ',')
		}
		switch {
		case c == nil:
			out = append(out, "null"...)
		case c.Base != nil && *c == (Charge{Base: c.Base}):
			out = append(append(append(out, '"'), c.Base.String()...), '"')
		default:
			body, err := c.MarshalJSON()
			if err != nil {
				return nil, err
			}
			out = append(out, body...)
		}
	}
	return append(out, "]}"...), nil
}

// MarshalJSON writes "part" only where started units are counted.
func (p PerUnit) MarshalJSON() ([]byte, error) {
	type alias PerUnit
	part := ""
	if p.Started {
		part = "started"
	}
	return json.Marshal(struct {
		alias
		Part string `json:"part,omitempty"`
	}{alias(p), part})
}
