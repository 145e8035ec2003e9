package warnings

import (
	"errors"

	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// ErrMoved is returned by a mend whose mistake is not there any more.
var ErrMoved = errors.New("this was changed meanwhile; nothing was mended")

// methodIn finds the method of a mend.
func methodIn(f *store.File, id string) (*store.Method, error) {
	if m := f.Method(id); m != nil {
		return m, nil
	}
	return nil, ErrMoved
}

// tableIn finds the price list of a mend.
func tableIn(f *store.File, method, id string) (*rate.Table, error) {
	m, err := methodIn(f, method)
	if err != nil {
		return nil, err
	}
	for i := range m.Tables {
		if m.Tables[i].ID == id {
			return &m.Tables[i], nil
		}
	}
	return nil, ErrMoved
}

// zoneIn finds the zone of a mend.
func zoneIn(f *store.File, id string) (*store.Zone, error) {
	if z := f.Zone(id); z != nil {
		return z, nil
	}
	return nil, ErrMoved
}
