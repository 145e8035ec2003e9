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
