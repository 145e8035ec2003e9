package shell

import (
	"context"

	"diadrom/internal/auth"
)

// Names says who people are, by their ids: 0 is whoever works in a shop that nobody signs in to, and ids below 0 are
// those of API keys.
func (s *Shell) Names(ctx context.Context) (func(int64) string, error) {
	people, err := s.db.People(ctx)
	if err != nil {
		return nil, err
	}
	known := map[int64]string{0: s.nobody}
	for _, p := range people {
		known[p.ID] = p.Name
	}
	keys, err := s.db.APIKeys(ctx)
	if err != nil {
		return nil, err
	}
	for _, k := range keys {
		by := k.Key.Person()
		known[by.ID] = by.Name
	}
	return func(id int64) string { return known[id] }, nil
}

type personKey struct{}

// WithPerson has a request know who signed in for it.
func WithPerson(ctx context.Context, p auth.Person) context.Context {
	return context.WithValue(ctx, personKey{}, p)
}

// Person is who a request is signed in as; the zero Person where nobody is.
func Person(ctx context.Context) auth.Person {
	p, _ := ctx.Value(personKey{}).(auth.Person)
	return p
}
