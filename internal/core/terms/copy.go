package terms

import (
	"reflect"

	"diadrom/internal/core/store"
)

// Same says whether two states of a method have the same of a field, for everywhere ("") or a zone.
func Same(a, b *store.Method, zone string, field Field) bool {
	if field.IsWhole() {
		return zone != "" || store.Alike(wholePart(a, field), wholePart(b, field))
	}
	x, y := of(a, zone), of(b, zone)
	return store.Alike(part(&x, field), part(&y, field))
}

// part is what a field says, as the store has it.
func part(t *store.Terms, field Field) any {
	switch field {
	case Offered:
		return t.Enabled
	case Days:
		return t.Days
	case FreeFrom:
		return t.Free
	case Minimum:
		return t.Minimum
	case Maximum:
		return t.Maximum
	case Handling:
		return t.Handling
	}
	if t.Needs == nil {
		return nothing(field)
	}
	if b, _, _ := bounds(&store.File{}, t.Needs, field); b != nil {
		return *b
	}
	if names := *list(t.Needs, field); len(names) > 0 {
		return names
	}
	return nothing(field)
}

// nothing is a condition that is not made.
func nothing(field Field) any {
	n := &store.Needs{}
	if b, _, _ := bounds(&store.File{}, n, field); b != nil {
		return *b
	}
	return *list(n, field)
}

// Copy makes a field of a method what it is in another state of it.
func Copy(to, from *store.Method, zone string, field Field) {
	if field.IsWhole() {
		copyWhole(to, from, field)
		return
	}
	t, s := of(to, zone), of(from, zone)
	switch field {
	case Offered:
		t.Enabled = s.Enabled
	case Days:
		t.Days = s.Days
	case FreeFrom:
		t.Free = s.Free
	case Minimum:
		t.Minimum = s.Minimum
	case Maximum:
		t.Maximum = s.Maximum
	case Handling:
		t.Handling = s.Handling
	default:
		n, theirs := &store.Needs{}, &store.Needs{}
		if t.Needs != nil {
			*n = *t.Needs
		}
		if s.Needs != nil {
			*theirs = *s.Needs
		}
		if b, _, _ := bounds(&store.File{}, n, field); b != nil {
			old, _, _ := bounds(&store.File{}, theirs, field)
			*b = *old
		} else {
			*list(n, field) = *list(theirs, field)
		}
		if t.Needs = n; reflect.DeepEqual(*n, store.Needs{}) {
			t.Needs = nil
		}
	}
	put(to, zone, t)
}

// CopyNeeds makes all conditions of a zone what they are in another state of the method.
func CopyNeeds(to, from *store.Method, zone string) {
	t := of(to, zone)
	t.Needs = of(from, zone).Needs
	put(to, zone, t)
}
