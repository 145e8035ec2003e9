package store

// OwnTerms are what a zone has of its own; own is false where it has nothing.
func (m *Method) OwnTerms(zone string) (t Terms, own bool) {
	if t, own = m.Terms[zone]; !own {
		t.Enabled = true
	}
	return t, own
}

// Everywhere are the terms that hold in zones that have none of their own.
func (m *Method) Everywhere() Terms {
	return Terms{
		Enabled:  true,
		Days:     m.Days,
		Handling: m.Handling,
		Needs:    m.Needs,
		Free:     m.Free,
		Minimum:  m.Minimum,
		Maximum:  m.Maximum,
	}
}

// TermsIn are the terms that hold in a zone: each that it has of its own, and the method's else.
func (m *Method) TermsIn(zone string) Terms {
	t, _ := m.OwnTerms(zone)
	all := m.Everywhere()
	or(&t.Days, all.Days)
	or(&t.Handling, all.Handling)
	or(&t.Needs, all.Needs)
	or(&t.Free, all.Free)
	or(&t.Minimum, all.Minimum)
	or(&t.Maximum, all.Maximum)
	return t
}

// or sets what is not given.
func or[T any](own **T, otherwise *T) {
	if *own == nil {
		*own = otherwise
	}
}
